"""What a person must do next, one line for each cause, with the command or the line of `transfer.toml`."""

from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import counted, listed_rows, listing
from skarvin.core.gradebook import Student
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.ledger import Line
from skarvin.core.plan.lines import find_line
from skarvin.core.reasons import Cause, Fate
from skarvin.core.students.checks import OTHER_NAME, OTHER_NUMBER, check_words
from skarvin.core.students.pairing import HeldStudent, Pair, count_people
from skarvin.core.texts.shell_words import quoted
from skarvin.core.transfer.settling import Settled

_MOST_CELLS, _MOST_LOOKED_AT = 6, 100


class NextStep(NamedTuple):
    """Something to be done: what, and how."""

    what: str
    how: str

    def __str__(self) -> str:
        return f"{self.what}: {self.how}"


class _Key(NamedTuple):
    """A key of the transfer that rules a cause, and what may be written there."""

    table: str
    key: str
    advice: str


_KEYS: dict[Cause, _Key] = {
    Cause.BLANK_HELD: _Key("marks", "blank", 'blank = "leave", "zero" or "clear"'),
    Cause.SKIPPED_HELD: _Key("answers", "blank", 'blank = "leave", "clear" or "code"'),
    Cause.NEVER_SEEN_HELD: _Key("answers", "unseen", 'unseen = "leave", "clear" or "code"'),
    Cause.FLAG: _Key("marks", "ignore_flags", 'ignore_flags = ["*"], with the flags that don\'t count'),
    Cause.DASH: _Key("marks", "dash", 'dash = "blank"'),
    Cause.STATUS: _Key("statuses", "", "say what is sent for the word"),
    Cause.NO_SCALE: _Key("marks", "words", 'words = "copy", or a scale with these words'),
    Cause.ABOVE_MAXIMUM: _Key("marks", "above", 'above = "allow" or "cap"'),
    Cause.OTHER_MAXIMUM: _Key("marks", "other_maximum", 'other_maximum = "rescale"'),
    Cause.NO_MAXIMUM: _Key("marks", "missing_maximum", "missing_maximum, or from_out_of and to_out_of in its [[item]]"),
    Cause.DOES_NOT_END: _Key("marks", "rounding", 'rounding = "half up"'),
    Cause.TOO_MANY_DECIMALS: _Key("marks", "decimals", "decimals, or another rounding"),
    Cause.NO_BAND: _Key("item", "scale", "a scale with a word for every mark"),
    Cause.NUMBER_AMONG_WORDS: _Key("item", "scale", "a scale that has the number"),
    Cause.NOT_COMPARABLE: _Key("marks", "existing", 'existing = "replace" or "keep"'),
    Cause.BOTH_CHANGED: _Key("since", "changed_on_both_sides", 'changed_on_both_sides = "send" or "keep"'),
    Cause.CORRECTED_HELD: _Key("since", "corrected_in_target", 'corrected_in_target = "keep" or "send"'),
    Cause.CLEARED_HELD: _Key("since", "corrected_in_target", 'corrected_in_target = "keep" or "send"'),
    Cause.MARKS_DIFFER: _Key("students", "repeated", 'repeated = "first", "latest" or "highest"'),
    Cause.COMMENTS_APART: _Key("comment", "of", "name the item that the comments are on"),
    Cause.SEVERAL_LABELS: _Key("answers", "choose", 'choose = "several" in the question\'s [[answer]]'),
    Cause.LABEL_NOT_OFFERED: _Key("answers", "labels", "labels, with all that the question offers"),
    Cause.NO_SUCH_OPTION: _Key("answers", "match_texts", "match_texts = false, or an answer key"),
}


class Decision(NamedTuple):
    """One cause for which a person is needed: what is to be done, and the students or marks that it is about."""

    step: NextStep
    held: Sequence[HeldStudent] = ()
    missing: Sequence[Student] = ()
    lines: Sequence[Line] = ()
    pairs: Sequence[Pair] = ()
    items: Sequence[Column] = ()


def next_steps(settled: Settled) -> list[NextStep]:
    """Return what must be decided or corrected, most first; nothing where nothing is held."""
    return [decision.step for decision in decisions_of(settled)]


def decisions_of(settled: Settled) -> list[Decision]:
    """Return what must be decided or corrected, a line for each cause, with the students or marks that it is about."""
    about = (_about_students, _about_marks, _about_pairs, _about_items, _about_corrections)
    return [decision for kind in about for decision in kind(settled)]


def _about_students(settled: Settled) -> Iterator[Decision]:
    pairing = settled.pairing
    where = "" if settled.file == Path("transfer.toml") else f" --transfer {quoted(settled.file)}"
    if pairing.held:
        who = counted(count_people(one.student for one in pairing.held), "student")
        step = NextStep(f"{who} to confirm", f"skarvin students --decide{where}")
        yield Decision(step, held=pairing.held)
    if pairing.source_only:
        who = counted(count_people(pairing.source_only), "student is", "students are")
        line = _line(settled, "target", "add")
        below = "" if settled.plan.target.typing else f'write add = "below" under [target]{line}, or '
        how = f"add them in the target, or {below}name them in leave_out"
        yield Decision(NextStep(f"{who} missing from the form", how), missing=pairing.source_only)


def _about_pairs(settled: Settled) -> Iterator[Decision]:
    """Yield a line for each kind of pairs that may be right and may not; their marks are sent meanwhile."""
    for key in (OTHER_NUMBER, OTHER_NAME):
        pairs = [pair for pair, kind in settled.pairing.checks if kind == key]
        if pairs:
            rows = listed_rows([pair.source.row for pair in pairs], _MOST_CELLS)
            what = f"{counted(len(pairs), 'pair')} to check, since {check_words(key)} ({rows})"
            line = _line(settled, "students", key)
            how = f'if right, {key} = "accept"{line}, else "hold"; and decide with skarvin students'
            yield Decision(NextStep(what, how), pairs=pairs)


def _about_items(settled: Settled) -> Iterator[Decision]:
    """Yield a line for items that both files have and the transfer doesn't name."""
    if new := settled.new_items:
        titles = listing([f"'{column.title}'" for column in new], _MOST_CELLS)
        which = "item is" if len(new) == 1 else "items are"
        what = f"{len(new):,} {which} in both files and not in the transfer ({titles})"
        how = f'write an [[item]] for each in {settled.file.name}: to = "" leaves it out'
        yield Decision(NextStep(what, how), items=new)


def _about_corrections(settled: Settled) -> Iterator[Decision]:
    """Yield a line for the lines of lists of corrections that correct nothing."""
    if unused := settled.unused_corrections:
        where = listing([str(note.place) for note in unused], _MOST_CELLS)
        what = f"{counted(len(unused), 'correction fits', 'corrections fit')} nothing ({where})"
        yield Decision(NextStep(what, "correct these lines, or take them away"))


def _about_marks(settled: Settled) -> Iterator[Decision]:
    """Yield a line for each cause of held marks; those that wait for a student wait for that."""
    found: dict[Cause, list[Line]] = {}
    waiting = settled.pairing.waiting
    for line in settled.ledger.lines([Fate.HELD]):
        if line.outcome.why and line.entry.source and line.entry.source.row not in waiting:
            found.setdefault(line.outcome.why.cause, []).append(line)
    for cause, lines in sorted(found.items(), key=lambda pair: -len(pair[1])):
        if cause is Cause.MARK_HELD:
            continue  # comments: what they wait for has a line of its own
        places = (line.item.cell(line.entry.source.row) for line in lines if line.entry.source)
        cells = list(dict.fromkeys(islice(places, _MOST_LOOKED_AT)))
        where = listing(cells[:_MOST_CELLS]) + (" ..." if len(cells) > _MOST_CELLS else "")
        kind = "calculated mark" if cause is Cause.PART_HELD else "mark"
        step = NextStep(f"{counted(len(lines), kind)} ({where})", _how(settled, cause, len(lines)))
        yield Decision(step, lines=lines)


def _how(settled: Settled, cause: Cause, count: int) -> str:
    made = "it where it was made" if count == 1 else "them where they were made"
    export = f"correct {made}, and export again"
    if cause is Cause.PART_HELD:
        return "correct the marks that the total is made of and export again, or rule what is missing in its [[total]]"
    if cause is Cause.CONTESTED:
        return "correct the list that says so, or decide in the list of held marks"
    if cause is Cause.NOT_WRITABLE:
        return "change the format or the lock of the form's cells, each with its reason in the list, and preview again"
    key = _KEYS.get(cause)
    return f"{key.advice}{_line(settled, key.table, key.key)}; or {export}" if key else export


def _line(settled: Settled, table: str, key: str) -> str:
    """Return where a key, or its table, stands in the transfer."""
    try:
        text = settled.file.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError):
        return ""
    number = find_line(text, table, key or None)
    return f" ({settled.file.name}, line {number})" if number else f" (under [{table}] of {settled.file.name})"
