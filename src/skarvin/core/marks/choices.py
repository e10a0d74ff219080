"""What can be ruled about marks, totals and answers: the choices of `transfer.toml`, each in the words used there."""

from enum import StrEnum


class Blank(StrEnum):
    """What a blank means."""

    LEAVE = "leave"
    ZERO = "zero"
    CLEAR = "clear"
    CODE = "code"
    HOLD = "hold"


class Above(StrEnum):
    """What becomes of a mark above its maximum."""

    HOLD = "hold"
    ALLOW = "allow"
    CAP = "cap"


class Repeated(StrEnum):
    """Which of several rows for one student counts, item by item."""

    HOLD = "hold"
    FIRST = "first"
    LATEST = "latest"
    HIGHEST = "highest"
    AGREE = "agree"


class BesideStatus(StrEnum):
    """What a status, such as absent, means beside a mark of the same student and item."""

    LIKE_A_MARK = "like a mark"
    MARK = "mark"
    STATUS = "status"
    HOLD = "hold"


class Equal(StrEnum):
    """Which of several equal marks counts."""

    FIRST = "first"
    LAST = "last"


class Existing(StrEnum):
    """What becomes of a mark that the target already has."""

    REPLACE = "replace"
    KEEP = "keep"
    HIGHER = "higher"
    ONLY_IF_BLANK = "only if blank"
    ADD = "add"


class WithoutMark(StrEnum):
    """What becomes of a comment whose mark doesn't go: it is blank, held, or kept as the target has it."""

    STAY = "stay"
    SEND = "send"


class Dash(StrEnum):
    """What a dash in place of a mark means."""

    HOLD = "hold"
    BLANK = "blank"


class Words(StrEnum):
    """What becomes of letters and words that no scale has."""

    HOLD = "hold"
    COPY = "copy"


class DecimalSign(StrEnum):
    """What stands before the decimals."""

    POINT = "."
    COMMA = ","
    EITHER = "either"
    NONE = "none"


class OneSign(StrEnum):
    """What stands before the decimals, where it is one for all."""

    POINT = "."
    COMMA = ","


class OtherMaximum(StrEnum):
    """What becomes of a mark that states another maximum than its item's."""

    HOLD = "hold"
    RESCALE = "rescale"


class Zeros(StrEnum):
    """What becomes of zeros behind the decimals of a number that is sent."""

    AS_WRITTEN = "as written"
    FILL = "fill"
    STRIP = "strip"


class RowOrder(StrEnum):
    """In which order the rows of students are written; rows that are made stand in the export's order for `form`."""

    FORM = "form"
    EXPORT = "export"
    FAMILY_NAME = "family name"
    IDENTIFIER = "identifier"
    LIST = "list"


class RowChoice(StrEnum):
    """Which rows of students are written."""

    ALL = "all"
    SENT = "sent"
    LISTED = "listed"


class FileChoice(StrEnum):
    """Into how many files the marks go."""

    ONE = "one"
    AN_ITEM = "one an item"
    A_SECTION = "one a section"


class Adding(StrEnum):
    """What becomes of the export's students who aren't in a form that has students."""

    NOBODY = "nobody"
    BELOW = "below"


class IdentifierForm(StrEnum):
    """How identifiers stand in rows that are made: as in the export, or without what `[students]` ignores."""

    AS_EXPORTED = "as exported"
    BARE = "bare"


class Gives(StrEnum):
    """What a scale that goes both ways gives."""

    WORDS = "words"
    MARKS = "marks"


class Measure(StrEnum):
    """What the marks on a scale are in."""

    PERCENT = "percent"
    POINTS = "points"


class Missing(StrEnum):
    """What a missing mark means for a total."""

    ZERO = "zero"
    ZERO_FOR_SURE = "zero, never dropped"
    LEAVE_OUT = "leave out"
    HOLD = "hold"


class EmptyCategory(StrEnum):
    """What a category means of which nothing counts."""

    LEAVE_OUT = "leave out"
    ZERO = "zero"
    HOLD = "hold"


class AnswerKind(StrEnum):
    """What a question asks for."""

    LABELS = "labels"
    NUMBER = "number"
    TRUTH = "true or false"
    TEXT = "text"


class LabelStyle(StrEnum):
    """How labels are written for the target."""

    AS_OFFERED = "as offered"
    LETTERS = "letters"
    NUMBERS = "numbers"
    SIGNS = "signs"


class Choose(StrEnum):
    """How many labels an answer may have."""

    ONE = "one"
    SEVERAL = "several"


class BelowZero(StrEnum):
    """What becomes of an answer below zero."""

    HOLD = "hold"
    SEND = "send"


class RowsFor(StrEnum):
    """For whom of a quiz's students rows are made."""

    ANSWERED = "answered"
    OPENED = "opened"
    EVERYONE = "everyone"


class LabelOrder(StrEnum):
    """In which order several labels are written."""

    AS_GIVEN = "as given"
    AS_OFFERED = "as offered"


class LabelCase(StrEnum):
    """In which case labels are written."""

    UPPER = "upper"
    LOWER = "lower"


class SinceCorrected(StrEnum):
    """What becomes of a mark that somebody corrected in the target after it was sent."""

    KEEP = "keep"
    HOLD = "hold"
    SEND = "send"


class SinceSend(StrEnum):
    """Of marks that were sent before, which are sent: new and corrected ones, those that are missing, or both."""

    NEW = "new"
    MISSING = "missing"
    BOTH = "new and missing"
