"""An export written out again with the target's identifiers beside each student."""

from collections.abc import Iterator, Mapping

from skarvin.core.grid.grid import Grid, TextGrid
from skarvin.core.texts.lists import list_file
from skarvin.core.texts.unsafe import as_text


def enriched(grid: Grid, heading_row: int | None, heading: str, identifiers: Mapping[int, str]) -> Iterator[bytes]:
    """Yield the export with one more column at the end; of a delimited text every other byte stays as it was.

    Args:
        grid: the export.
        heading_row: where the new column's heading goes; None where there are no headings.
        heading: the new column's heading.
        identifiers: for each row of a student the identifier; blank where none is known.
    """
    known = {row: as_text(identifier) for row, identifier in identifiers.items()}
    texts = known if heading_row is None else {**known, heading_row: as_text(heading)}
    if isinstance(grid, TextGrid):
        yield grid.encoding.mark
        for row, (record, end) in enumerate(zip(grid.records, grid.ends, strict=True)):
            more = f"{grid.dialect.delimiter}{grid.dialect.spell(texts.get(row, ''))}" if record else ""
            yield f"{record}{more}{end}".encode(grid.encoding.codec)
        return
    yield list_file([*grid.cells(row), texts.get(row, "")] for row in range(len(grid)))
