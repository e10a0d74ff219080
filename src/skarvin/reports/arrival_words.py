"""What a confirmation says: its verdict in one sentence, and for each cause what was found and what to do."""

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from skarvin.core.findings import counted, listing
from skarvin.core.ledger.arrival import Arrival, ArrivalCause
from skarvin.core.students.pairing import count_people
from skarvin.core.transfer.after_upload.confirming import ArrivalLine, Confirmation
from skarvin.reports.next_steps import NextStep

_MOST = 6


class _Words(NamedTuple):
    """What marks of a cause are said to be, one and many, and what to do about them."""

    one: str
    many: str
    advice: str


_WORDS = {
    ArrivalCause.BLANK: _Words(
        "mark is missing: its cell is blank",
        "marks are missing: their cells are blank",
        "upload the import file if that wasn't done; or send these alone: add --draft-missing again.toml",
    ),
    ArrivalCause.ITEM_MISSING: _Words(
        "mark is of an item that the fresh export doesn't have",
        "marks are of items that the fresh export doesn't have",
        "export these items too, or say which column is which: --item 'COLUMN=ITEM'",
    ),
    ArrivalCause.STUDENT_MISSING: _Words(
        "mark is of a student who isn't in the fresh export",
        "marks are of students who aren't in the fresh export",
        "if they have left, nothing; else add them in the target and send again",
    ),
    ArrivalCause.STUDENT_UNSURE: _Words(
        "mark is of a student who can't be told for certain",
        "marks are of students who can't be told for certain",
        "say which columns identify students: --pair 'COLUMN=COLUMN'; or export with identifiers",
    ),
    ArrivalCause.AS_BEFORE: _Words(
        "mark is as it was before the upload",
        "marks are as they were before the upload",
        "allow the target to replace marks by an upload, and upload the import file again",
    ),
    ArrivalCause.ROUNDED: _Words(
        "mark was rounded by the target",
        "marks were rounded by the target",
        "let the target show more decimals, or write decimals under [marks], and write and upload again",
    ),
    ArrivalCause.OTHER_VALUE: _Words(
        "mark has another value",
        "marks have other values",
        "ask whoever corrected them in the target; if they are slips, upload the import file again",
    ),
    ArrivalCause.NOT_SENT: _Words(
        "mark is there that wasn't sent",
        "marks are there that weren't sent",
        "somebody typed them, or another upload brought them: if they are right, nothing",
    ),
    ArrivalCause.STUDENT_NEW: _Words(
        "mark is of a student who isn't in the form",
        "marks are of students who aren't in the form",
        "if marks are owed to them, take a fresh form and draft again",
    ),
}


def arrival_verdict(found: Confirmation) -> str:
    """Return what became of the marks that were sent, in one sentence or two."""
    sent, others = _expected(found.sent), _expected(found.others)
    arrived, as_before = found.sent[Arrival.ARRIVED], found.others[Arrival.ARRIVED]
    parts = []
    if sent:
        marks = counted(sent, "mark")
        said = (
            f"All {marks} that were sent have arrived"
            if arrived == sent > 1
            else f"{arrived:,} of {marks} sent arrived"
        )
        parts.append(said + _rest(found.sent))
    else:
        parts.append("No mark was sent")
    if others:
        marks = counted(others, "mark")
        as_is = (
            f"all {marks} that stood there before are"
            if as_before == others > 1
            else f"{as_before:,} of {marks} that stood there before {'is' if others == 1 else 'are'}"
        )
        parts.append(f"{as_is} as in the import file{_rest(found.others)}")
    if extra := found.counts[Arrival.EXTRA]:
        parts.append(f"{counted(extra, 'mark')} extra")
    origin = f" {found.origin.what}." if found.origin else ""
    return f"{'; '.join(parts)}.{origin}"


def _expected(counts: "Counter[Arrival]") -> int:
    return sum(count for one, count in counts.items() if one is not Arrival.EXTRA)


def _rest(counts: "Counter[Arrival]") -> str:
    rest = [f"{counts[one]:,} {one}" for one in (Arrival.MISSING, Arrival.DIFFERENT) if counts[one]]
    return f" ({', '.join(rest)})" if rest else ""


def arrival_groups(found: Confirmation) -> list[tuple[ArrivalCause, list[ArrivalLine]]]:
    """Return the marks that aren't there as they were sent, by cause, in the order of the causes."""
    groups: dict[ArrivalCause, list[ArrivalLine]] = {cause: [] for cause in ArrivalCause}
    for line in found.missed:
        if line.found.cause:
            groups[line.found.cause].append(line)
    return [(cause, lines) for cause, lines in groups.items() if lines]


def arrival_title(cause: ArrivalCause, count: int) -> str:
    """Return what marks of a cause are, with their number."""
    words = _WORDS[cause]
    return counted(count, words.one, words.many)


def arrival_steps(found: Confirmation) -> Iterator[NextStep]:
    """Yield what to do about each group, a line each."""
    for cause, lines in arrival_groups(found):
        yield NextStep(f"{arrival_title(cause, len(lines))}{_which(cause, lines)}", _WORDS[cause].advice)
    if found.pairing.held:
        who = counted(count_people(one.student for one in found.pairing.held), "student")
        yield NextStep(
            f"{who} of the fresh export to confirm", "their marks were compared with nobody's; see who they may be"
        )


def _which(cause: ArrivalCause, lines: Sequence[ArrivalLine]) -> str:
    """Return of which items or students they are, or where they stand."""
    if cause is ArrivalCause.ITEM_MISSING:
        names = dict.fromkeys(f"'{line.item.title or line.item.heading}'" for line in lines)
    elif cause in {ArrivalCause.STUDENT_MISSING, ArrivalCause.STUDENT_UNSURE}:
        names = dict.fromkeys(line.student.in_words for line in lines if line.student)
    elif cause is ArrivalCause.STUDENT_NEW:
        names = dict.fromkeys(line.fresh.row.in_words for line in lines if line.fresh)
    else:
        names = dict.fromkeys(line.cell for line in lines)
    return f" ({listing(list(names), _MOST)})"


def reason_of(line: ArrivalLine) -> str:
    """Return why one mark isn't there as it was sent; blank if it is."""
    cause = line.found.cause
    if cause is None:
        return ""
    alone = {
        ArrivalCause.BLANK: "the cell is blank",
        ArrivalCause.ITEM_MISSING: "the fresh export has no such item",
        ArrivalCause.STUDENT_MISSING: "the student isn't in the fresh export",
        ArrivalCause.STUDENT_UNSURE: "the student can't be told for certain",
        ArrivalCause.AS_BEFORE: "as it was before the upload",
        ArrivalCause.ROUNDED: "rounded by the target",
        ArrivalCause.OTHER_VALUE: "another value",
        ArrivalCause.NOT_SENT: "it wasn't sent",
        ArrivalCause.STUDENT_NEW: "the student isn't in the form",
    }
    return alone[cause]
