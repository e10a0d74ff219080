"""Fates, and the reasons for them: what kind of reason it is decides, its words are for people alone."""

from enum import Enum, StrEnum
from typing import NamedTuple


class Fate(StrEnum):
    """What became of a mark."""

    SENT = "sent"
    CHANGED = "changed"
    SAME = "same"
    KEPT = "kept"
    HELD = "held"
    LEFT_OUT = "left out"

    @property
    def label(self) -> str:
        """What it is called for people; the value is the ledger's, whose keys don't change."""
        return "replaced" if self is Fate.CHANGED else self.value


class Cause(Enum):
    """Every kind of reason: its code for machines, and the fate that follows; none where the mark is sent."""

    # The mark itself.
    BLANK = "blank", Fate.LEFT_OUT
    BLANK_HELD = "blank", Fate.HELD
    UNREADABLE = "unreadable", Fate.HELD
    FLAG = "flag", Fate.HELD
    FLAG_IGNORED = "flag", None
    UNSEEN_IGNORED = "unseen", None
    DASH = "dash", Fate.HELD
    STATUS = "status", Fate.HELD
    SENT_AS_BLANK = "sent-as-blank", None
    NO_SCALE = "no-scale", Fate.HELD
    NO_BAND = "no-band", Fate.HELD
    NUMBER_AMONG_WORDS = "number-among-words", Fate.HELD
    BELOW_ZERO = "below-zero", Fate.HELD
    ABOVE_MAXIMUM = "above-maximum", Fate.HELD
    CAPPED = "capped", None
    OTHER_MAXIMUM = "other-maximum", Fate.HELD
    NO_MAXIMUM = "no-maximum", Fate.HELD
    DOES_NOT_END = "does-not-end", Fate.HELD
    TOO_MANY_DECIMALS = "too-many-decimals", Fate.HELD
    WOULD_RUN = "would-run", Fate.HELD
    CONTROL_CHARACTER = "control-character", Fate.HELD
    # An answer.
    LABEL_NOT_OFFERED = "label-not-offered", Fate.HELD
    UNCLEAR_ANSWER = "unclear-answer", Fate.HELD
    SEVERAL_LABELS = "several-labels", Fate.HELD
    NO_SUCH_OPTION = "no-such-option", Fate.HELD
    SKIPPED = "skipped", Fate.LEFT_OUT
    SKIPPED_HELD = "skipped", Fate.HELD
    NEVER_SEEN = "never-seen", Fate.LEFT_OUT
    NEVER_SEEN_HELD = "never-seen", Fate.HELD
    NEVER_SEEN_SENT = "never-seen", None
    # What is made besides.
    PART_HELD = "part-held", Fate.HELD
    NOT_PAIRED = "not-paired", Fate.LEFT_OUT
    NOT_IN_SECTION = "not-in-section", Fate.LEFT_OUT
    NOT_MARKED = "not-marked", Fate.LEFT_OUT
    # What the target's cell says, or can hold.
    KEEP = "keep", Fate.KEPT
    HIGHER = "higher", Fate.KEPT
    NOT_COMPARABLE = "not-comparable", Fate.HELD
    NOT_SPELLABLE = "not-spellable", Fate.HELD
    NOT_ENCODABLE = "not-encodable", Fate.HELD
    NOT_WRITABLE = "not-writable", Fate.HELD
    NOT_ALLOWED = "not-allowed", Fate.HELD
    # What was sent before, and what has become of it.
    VANISHED = "vanished", Fate.LEFT_OUT
    CORRECTED = "corrected-in-target", Fate.KEPT
    CORRECTED_HELD = "corrected-in-target", Fate.HELD
    CLEARED = "cleared-in-target", Fate.KEPT
    CLEARED_HELD = "cleared-in-target", Fate.HELD
    BOTH_CHANGED = "both-changed", Fate.HELD
    BOTH_KEPT = "both-changed", Fate.KEPT
    ONLY_MISSING = "only-missing", Fate.LEFT_OUT
    SENT_AGAIN = "sent-again", None
    OLDER_FORM = "older-form", None
    STALE_FORM = "stale-form", Fate.HELD
    # The item.
    NOT_MAPPED = "not-mapped", Fate.LEFT_OUT
    # A comment, and the mark that it is on.
    COMMENT_OF_OTHER_ROW = "comment-of-other-row", Fate.LEFT_OUT
    COMMENTS_APART = "comments-apart", Fate.HELD
    NO_MARK = "no-mark", Fate.LEFT_OUT
    MARK_HELD = "mark-held", Fate.HELD
    MARK_KEPT = "mark-kept", Fate.LEFT_OUT
    # The student.
    NO_IDENTIFIER = "no-identifier", Fate.HELD
    IDENTIFIER_TWICE = "identifier-twice", Fate.HELD
    IDENTIFIER_TWICE_IN_TARGET = "identifier-twice-in-target", Fate.HELD
    CROSSWALK_UNCLEAR = "crosswalk-unclear", Fate.HELD
    CONFLICTING_IDENTITY = "conflicting-identity", Fate.HELD
    NOT_ON_ROSTER = "not-on-roster", Fate.HELD
    LIKELY = "likely", Fate.HELD
    NAME_ALONE = "name-alone", Fate.HELD
    DECISION_UNCLEAR = "decision-unclear", Fate.HELD
    DECISION_CONTRADICTED = "decision-contradicted", Fate.HELD
    NOT_IN_FORM = "not-in-form", Fate.HELD
    STUDENT_LEFT_OUT = "student-left-out", Fate.LEFT_OUT
    REPEATED = "repeated", Fate.LEFT_OUT
    MARKS_DIFFER = "marks-differ", Fate.HELD
    CONTESTED = "contested", Fate.HELD
    # The row.
    PRACTICE = "practice", Fate.LEFT_OUT
    SUMMARY = "summary", Fate.LEFT_OUT
    NOBODY = "nobody", Fate.LEFT_OUT

    def __init__(self, code: str, fate: Fate | None) -> None:
        self.code = code
        self.fate = fate

    @property
    def overrides_blank(self) -> bool:
        """Whether it says more of a mark that isn't there than that it is blank."""
        return self in _SAYS_MORE

    @property
    def spoils_total(self) -> bool:
        """Whether a total can't count the mark, either: points that can't be right."""
        return self in _NO_POINTS


_SAYS_MORE = frozenset({Cause.PART_HELD, Cause.NOT_IN_SECTION, Cause.NOT_PAIRED, Cause.NOT_MARKED, Cause.NEVER_SEEN})
_NO_POINTS = frozenset({Cause.BELOW_ZERO, Cause.ABOVE_MAXIMUM, Cause.OTHER_MAXIMUM})


class Reason(NamedTuple):
    """Why something has its fate: what kind of reason it is, and the words for people."""

    cause: Cause
    words: str

    @property
    def fate(self) -> Fate | None:
        """The fate that follows."""
        return self.cause.fate

    def __str__(self) -> str:
        return self.words
