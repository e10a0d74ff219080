"""A workbook that is filled says what the ledger says, by another library's reading, and is the form in all else."""

from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import event, given
from hypothesis import strategies as st

from conftest import NOW
from skarvin.core.findings import column_letter
from skarvin.core.grid.xlsx_extent import _extent_in_bulk, extent
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import plain, read_number
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing
from workbooks import FORMATS, looks, make_form, parts_that_differ, texts

EXTRAS = ("formulas", "chart", "list", "range", "merged", "hidden", "protected", "sheet", "comment", "single")
PLAN = """\
version = 1
[source]
file = "export.csv"
identifier = "A"
[target]
file = "form.xlsx"
identifier = "A"
[students]
minimum_paired_percent = 0
[marks]
words = "copy"
[[item]]
from = "C"
to = "C"
from_out_of = 10
to_out_of = 10
[[item]]
from = "D"
to = "D"
from_out_of = 20
to_out_of = 20
"""
marks = st.sampled_from(["7", "7.50", "007", "0", "", "9.25", "A", "absent", 'Rätt & "fel" <1>', "12"])
formats = st.sampled_from(FORMATS)
held = st.sampled_from([None, 5, 0.5, "x", "7"])


def as_said(value: object, code: str) -> str:
    """Return what a cell that another library read says, as its format shows it."""
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    text = (
        plain(read_number(repr(value)) or Decimal(0))
        if "%" not in code
        else f"{plain((read_number(repr(value)) or Decimal(0)) * 100)}%"
    )
    return text.zfill(4) if code == "0000" else text


@given(
    st.lists(st.tuples(marks, marks), min_size=1, max_size=5),
    st.tuples(formats, formats),
    st.lists(held, max_size=3),
    st.sets(st.sampled_from(EXTRAS)),
)
def test_a_filled_workbook_is_the_form_and_the_ledger(
    rows: list[tuple[str, str]], codes: tuple[str, str], before: list[object], extras: set[str]
) -> None:
    numbers = [f"0{place}7" for place in range(len(rows))]
    with TemporaryDirectory() as name:
        folder = Path(name)
        form, plan = folder / "form.xlsx", folder / "transfer.toml"
        make_form(form, numbers, formats=codes, before=before, extras=sorted(extras))
        lines = ["No,Name,Knots,Lofting"]
        for number, both in zip(numbers, rows, strict=True):
            quoted = ['"' + text.replace('"', '""') + '"' for text in both]
            lines.append(f"{number},Person {number},{','.join(quoted)}")
        (folder / "export.csv").write_text("\n".join(lines), encoding="utf-8")
        plan.write_text(PLAN, encoding="utf-8")
        settled = settle_transfer(plan)
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        said = {
            line.entry.target.row.cell(line.item.target.index): line.outcome.written
            for line in settled.ledger.lines([Fate.SENT, Fate.CHANGED])
            if line.entry.target and line.item.target
        }
        old, new, shown = texts(form), texts(outputs.imports[0]), looks(form)
        assert {cell: as_said(new.get(cell), shown[cell][0]) for cell in said} == said
        assert {cell: text for cell, text in new.items() if cell not in said} == {
            cell: text for cell, text in old.items() if cell not in said
        }
        assert looks(outputs.imports[0]) == shown
        may_differ = {"xl/worksheets/sheet1.xml"} | ({"xl/workbook.xml"} if {"formulas", "sheet"} & extras else set())
        assert set(parts_that_differ(form, outputs.imports[0])) <= may_differ
        assert outputs.restores[0].read_bytes() == form.read_bytes()
        plan.write_text(PLAN.replace("form.xlsx", outputs.imports[0].name), encoding="utf-8")
        again = settle_transfer(plan)
        assert not again.ledger.fates[Fate.SENT]
        assert not again.ledger.fates[Fate.CHANGED]


@given(
    st.lists(st.tuples(marks, marks), min_size=2, max_size=6),
    st.integers(1, 6),
    st.integers(0, 3),
    st.sets(st.sampled_from(["chart", "list", "range", "hidden", "comment", "sheet", "single"])),
)
def test_a_workbook_with_rows_added_is_the_form_the_rows_and_the_ledger(
    rows: list[tuple[str, str]], standing: int, blank: int, extras: set[str]
) -> None:
    numbers = [f"0{place}7" for place in range(len(rows))]
    with TemporaryDirectory() as name:
        folder = Path(name)
        form, plan = folder / "form.xlsx", folder / "transfer.toml"
        make_form(form, [*numbers[:standing], *[""] * blank], extras=sorted(extras))
        lines = ["No,Name,Knots,Lofting"]
        for number, both in zip(numbers, rows, strict=True):
            quoted = ['"' + text.replace('"', '""') + '"' for text in both]
            lines.append(f"{number},Person {number},{','.join(quoted)}")
        (folder / "export.csv").write_text("\n".join(lines), encoding="utf-8")
        plan.write_text(PLAN.replace('file = "form.xlsx"', 'file = "form.xlsx"\nadd = "below"'), encoding="utf-8")
        settled = settle_transfer(plan)
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        said = {
            line.entry.target.row.cell(line.item.target.index): line.outcome.written
            for line in settled.ledger.lines([Fate.SENT, Fate.CHANGED])
            if line.entry.target and line.item.target
        }
        made = {
            row.cell(column): text
            for row, one in settled.sides.added.items()
            for column, text in enumerate(one.cells)
            if text
        }
        old, new = texts(form), texts(outputs.imports[0])
        assert {cell: as_said(new.get(cell), "General") for cell in said} == said
        rest = {cell: text for cell, text in new.items() if cell not in said}
        assert rest == {cell: text for cell, text in old.items() if cell not in said} | made
        ids = [str(text) for cell, text in new.items() if cell.startswith("A") and cell != "A1"]
        assert len(set(ids)) == len(ids), "nobody stands there twice"
        assert set(parts_that_differ(form, outputs.imports[0])) <= {"xl/worksheets/sheet1.xml", "xl/workbook.xml"}
        plan.write_text(
            plan.read_text(encoding="utf-8").replace("form.xlsx", outputs.imports[0].name), encoding="utf-8"
        )
        again = settle_transfer(plan)
        assert not again.ledger.fates[Fate.SENT]
        assert not again.sides.added


def sheet_xml(height: int, width: int, stray: list[tuple[str, int]], quote: str = '"') -> bytes:
    rows = [[f"{column_letter(at)}{row}" for at in range(width)] for row in range(1, height + 1)]
    rows[len(rows) // 2] += [f"{column}{row}" for column, row in stray]
    cells = ("".join(f"<c r={quote}{name}{quote}><v>1</v></c>" for name in names) for names in rows)
    return "".join(f'<row r="{number}">{text}</row>' for number, text in enumerate(cells, 1)).encode()


strays = st.lists(st.tuples(st.text("AGZ", min_size=1, max_size=4), st.integers(1, 250_000)), max_size=3)


@given(st.integers(1, 30), st.integers(1, 40), strays, st.sampled_from(['"', "'"]), st.integers(40, 400))
def test_how_far_cells_reach_is_told_alike_in_bulk_and_cell_by_cell(
    height: int, width: int, stray: list[tuple[str, int]], quote: str, block: int
) -> None:
    xml = sheet_xml(height, width, stray, quote)
    columns = [sum((ord(one) - 64) * 26**at for at, one in enumerate(reversed(letters))) for letters, _ in stray]
    truth = max([height, *(row for _, row in stray)]), max([width, *columns]), height * width + len(stray)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("skarvin.core.grid.xlsx_extent._BLOCK", block)
        in_bulk = _extent_in_bulk(xml)
        event(f"in bulk: {in_bulk is not None}")
        assert in_bulk == (truth if quote == '"' and all(len(letters) < 4 for letters, _ in stray) else None)
        assert extent(xml) == truth
        patch.setattr("skarvin.core.grid.xlsx_extent._MUCH", 0)
        assert extent(xml) == truth


@pytest.mark.parametrize(
    ("xml", "reach"),
    [
        (b'<row r="2"><c r="C2"/><c r="XFD1048576"/></row>', (1_048_576, 16_384, 2)),
        (b'<row r="2"><c r="C2"/><c/></row>', None),
        (b'<row r="2"><x:c r="C2"/></row>', None),
        (b'<row r="2"><c r="ABCD2"/></row>', None),
        (b'<row r="2"><c r="A123456789"/></row>', None),
        (b'<row r="2"><c\nr="C2"/></row>', (2, 3, 1)),
        (b'<row r="2"><c r ="C2"><t>r="A1"</t></c></row>', None),  # a text makes up for the name
        (b'<row r="2"><c r=\n"C2"><t>r="A1"</t></c></row>', None),
        (b"<row r='2'><c r='C2'><t>r=\"A1\"</t></c></row>", None),
    ],
)
def test_in_bulk_only_cells_of_which_each_has_a_name_are_told(xml: bytes, reach: tuple[int, int, int] | None) -> None:
    assert _extent_in_bulk(xml + b" " * 20) == reach
