"""What no mark goes to comes back byte for byte, whatever the file looks like."""

import csv
import io
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import NOW
from ledgers import ledger
from skarvin.core.findings import Refused
from skarvin.core.grid.dialect import DELIMITERS, Dialect, Quotes
from skarvin.core.grid.grid import TextGrid
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.grid.records import join_records, split_lines
from skarvin.core.ledger.second_look.comparison import Files, look_again
from skarvin.core.ledger.second_look.text_rows import TextReading
from skarvin.core.targets.filling import filled
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

LINE_ENDS = ["\n", "\r\n", "\r"]
plain_text = st.text(st.sampled_from("aé7 .'-Ł😀"), max_size=6)
any_text = st.text(st.sampled_from("aé7 .'-\"\n\r,;\tŁ"), max_size=8)


@st.composite
def raw_cells(draw: st.DrawFn, delimiter: str) -> str:
    """A cell as a system may write it: bare, quoted without need, or quoted because it must be."""
    text = draw(any_text)
    must = any(sign in text for sign in f'{delimiter}"\n\r')
    return '"' + text.replace('"', '""') + '"' if must or draw(st.booleans()) else text


@st.composite
def files(draw: st.DrawFn) -> tuple[bytes, str]:
    """A file with an identifier, some columns of anything, and an item that is blank; and its delimiter."""
    delimiter = draw(st.sampled_from(list(DELIMITERS)))
    end = draw(st.sampled_from(LINE_ENDS))
    others = draw(st.integers(0, 3))
    heads = ["No", *(f"Other {index}" for index in range(others)), "Knots [10]", "Remarks"]
    rows = [delimiter.join(heads)]
    for number in range(draw(st.integers(1, 6))):
        cells = [draw(raw_cells(delimiter)) for _ in range(others + 1)]
        rows.append(delimiter.join([f"0{number}", *cells[:-1], draw(st.sampled_from(["", '""', " "])), cells[-1]]))
    text = end.join(rows) + draw(st.sampled_from(["", end]))
    return draw(st.sampled_from([b"", b"\xef\xbb\xbf"])) + text.encode(), delimiter


def text_grid(file: Path) -> TextGrid:
    grid = read_grid(file, ReadAs(quotes=Quotes.AROUND))
    assert isinstance(grid, TextGrid)
    return grid


@given(st.lists(any_text, min_size=1), st.sampled_from(list(DELIMITERS)))
def test_lines_records_and_cells_put_together_again_are_the_text(lines: list[str], delimiter: str) -> None:
    text, dialect = "\n".join(lines), Dialect(delimiter)
    records, ends, widths, spans, _ = join_records(*split_lines(text), dialect, Path("x"))
    if spans and not spans[-1].is_closed:
        return  # whoever judges quotation marks tells it
    assert "".join(a + b for a, b in zip(records, ends, strict=True)) == text
    assert [delimiter.join(dialect.raw_cells(record)) for record in records] == records
    assert widths == [len(dialect.values(record)) for record in records]
    expected = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    assert [dialect.values(record) for record in records] == [row or [""] for row in expected]
    assert all(
        dialect.first_values(record, count)[:count] == dialect.values(record)[:count]
        for record in records
        for count in (1, 2, 3)
    )
    for count in (1, 2, 3):
        first = [cells[:count] for cells in dialect.first_values_each(records, count)]
        assert first == [dialect.values(record)[:count] for record in records]
    assert [[dialect.value(raw) for raw in dialect.raw_cells(record)] for record in records] == [
        dialect.values(record) for record in records
    ]


@given(files())
def test_a_transfer_that_sends_nothing_gives_back_an_identical_file(file: tuple[bytes, str]) -> None:
    data, _ = file
    with TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "form.csv").write_bytes(data)
        (folder / "export.csv").write_text("No,Knots\n" + "".join(f"0{number},\n" for number in range(6)))
        (folder / "transfer.toml").write_text(
            'version = 1\n[source]\nfile = "export.csv"\nidentifier = "No"\n[students]\nleast_paired = 0\n'
            '[target]\nfile = "form.csv"\nidentifier = "No"\nquotes = "around"\n'
            '[[item]]\nfrom = "Knots"\nto = "Knots [10]"\n'
        )
        settled = settle_transfer(folder / "transfer.toml")
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        assert outputs.imports[0].read_bytes() == outputs.restores[0].read_bytes() == data


@given(files(), st.lists(any_text, min_size=6, max_size=6))
def test_filling_changes_the_cells_it_is_told_to_and_no_other(file: tuple[bytes, str], texts: list[str]) -> None:
    data, _ = file
    with TemporaryDirectory() as name:
        path = Path(name) / "form.csv"
        path.write_bytes(data)
        before = text_grid(path)
        column = len(before.cells(0)) - 2
        spelled = [before.dialect.spell(text) for text in texts]
        path.write_bytes(b"".join(filled(before, [column], {row: [row - 1] for row in range(1, len(before))}, spelled)))
        after = text_grid(path)
    assert (after.ends, after.encoding.mark) == (before.ends, before.encoding.mark)
    for row in range(1, len(before)):
        old, new = before.raw_cells(row), after.raw_cells(row)
        assert after.cells(row)[column] == texts[row - 1]
        assert [*old[:column], *old[column + 1 :]] == [*new[:column], *new[column + 1 :]]


@given(files(), st.data())
def test_the_second_look_finds_any_cell_that_is_not_as_it_should_be(
    file: tuple[bytes, str], data: st.DataObject
) -> None:
    content, delimiter = file
    with TemporaryDirectory() as name:
        form, written = Path(name) / "form.csv", Path(name) / "import.csv"
        form.write_bytes(content)
        grid = text_grid(form)
        row = data.draw(st.integers(0, len(grid) - 1))
        cells = grid.raw_cells(row)
        column = data.draw(st.integers(0, len(cells) - 1))
        cells[column] = grid.dialect.spell(grid.cells(row)[column] + "1")
        records = [*grid.records[:row], delimiter.join(cells), *grid.records[row + 1 :]]
        text = "".join(record + end for record, end in zip(records, grid.ends, strict=True))
        written.write_bytes(grid.encoding.mark + text.encode())
        reading = TextReading("utf-8-sig" if grid.encoding.mark else "utf-8", delimiter, '"')
        claims = ledger(content, [])
        assert look_again(Files(form, form, form, form), reading, claims).differing == 0
        with pytest.raises(Refused):
            look_again(Files(form, form, written, written), reading, claims)
