"""A file with a line for each mark, read again: each mark that was sent stands in one line, and no other changed."""

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.readers import Reading

_MOST = 100


class LinePlaces(NamedTuple):
    """The columns of the lines, and where they begin; `kept` tells whether the form's own lines stand in the file.

    `name` is the column with the student's name, which stands in the table behind the identifier, if there is one.
    """

    first: int
    student: int
    item: int
    mark: int
    kept: bool
    name: int | None = None


class Read(NamedTuple):
    """A file as it lies on the disk, with how it is read."""

    file: Path
    reading: Reading

    def cells(self) -> list[list[str]]:
        """Return its rows."""
        return [row.cells for row in self.reading.rows(self.file)]


def look_at_lines(form: Read, written: Read, final: Path, tables: tuple[Read, Read], places: LinePlaces) -> int:
    """Return how many lines the file has, having found that it says what the table of all marks says.

    Args:
        form: the form, with a line for each mark.
        written: the import file.
        final: what it will be called.
        tables: a row for each student, before and after, which were compared with the ledger already.
        places: the columns of the lines.

    Raises:
        Refused: a mark stands in no line or in two, or another line says something else than the form.
    """
    before, after = (table.cells() for table in tables)
    first = 1 if places.name is None else 2
    sent = dict(_sent(before, after, first))
    theirs = form.cells()
    width = max(places.student, places.item, places.mark)
    own = {_of(cells, places): cells for cells in theirs[places.first :] if places.kept and len(cells) > width}
    faults: list[Finding] = []
    lines = written.cells()
    if lines[: places.first] != theirs[: places.first]:
        faults.append(Finding("second-look", "the headings aren't those of the form", Place(final, 0)))
    met: dict[tuple[str, str], int] = {}
    blanks = {(row[0], title): text for row in after[1:] for title, text in zip(after[0], row, strict=False)}
    names = {row[0].strip(): row[1].strip() for row in after[1:]}
    for number, cells in enumerate(lines[places.first :], places.first):
        if len(cells) <= width:
            if cells not in theirs:
                faults.append(Finding("second-look", "the line isn't one of the form's", Place(final, number)))
            continue
        key = _of(cells, places)
        met[key] = met.get(key, 0) + 1
        faults += [
            Finding("second-look", what, Place(final, number, column))
            for what, column in _differing(cells, own.get(key), sent.get(key), blanks.get(key, ""), places)
        ]
        if key not in own and places.name is not None and cells[places.name].strip() != names.get(key[0]):
            faults.append(Finding("second-look", "the line names somebody else", Place(final, number, places.name)))
    for key in sent:
        if met.get(key, 0) != 1:
            where = "no line" if key not in met else "two lines"
            faults.append(Finding("second-look", f"a mark that was sent stands in {where}", Place(final)))
    if faults:
        raise Refused(
            *faults[:_MOST], Finding("withdrawn", "the import file isn't what the ledger says and was withdrawn")
        )
    return len(lines)


def _differing(
    cells: Sequence[str], own: Sequence[str] | None, sent: str | None, blank: str, places: LinePlaces
) -> Iterator[tuple[str, int | None]]:
    """Yield what a line says otherwise than it must, and in which column."""
    wanted = blank if sent is None else sent
    if cells[places.mark] != wanted and not (sent is None and own is not None and cells == own):
        yield f"the line says '{cells[places.mark]}', and the ledger '{wanted}'", places.mark
    elif own is not None and _besides(cells, places) != _besides(own, places):
        yield "the line isn't the form's besides its mark", None


def _sent(before: Sequence[list[str]], after: Sequence[list[str]], first: int) -> Iterator[tuple[tuple[str, str], str]]:
    """Yield student and item of each mark that is new in the table, with the mark."""
    titles = after[0]
    old = {row[0].strip(): row for row in before[1:]}
    for row in after[1:]:
        was = old.get(row[0].strip(), [])
        for place, text in enumerate(row[first:], first):
            if text != (was[place] if place < len(was) else "") and text:
                yield (row[0].strip(), titles[place]), text


def _of(cells: Sequence[str], places: LinePlaces) -> tuple[str, str]:
    return cells[places.student].strip(), " ".join(cells[places.item].split())


def _besides(cells: Sequence[str], places: LinePlaces) -> list[str]:
    return [text for at, text in enumerate(cells) if at != places.mark]
