"""What is done in bulk for a district is what is done cell by cell for one class."""

import random
from array import array
from collections.abc import Iterable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarvin.core.grid.coding import Coding
from skarvin.core.grid.dialect import Dialect
from skarvin.core.grid.short_texts import ShortTexts
from skarvin.core.ledger.quick_look import QuickLook
from skarvin.core.transfer.carry_out import Settled, Written, outputs_for, settle_transfer, write_transfer

SIDES = {"source": "export", "target": "form"}
BULK = ("grid.coding.MANY", "grid.fill.MANY", "ledger.codes._MANY", "ledger.second_look._MANY")


def lay_out(folder: Path, *, quoted: bool, remarks: bool) -> Path:
    """Lay out a transfer of 1,500 students with marks of all kinds, in blocks that are plain and others."""
    chance = random.Random(5)
    marks = ["", "0", "7", "9.5", "10", "1O", "11", "a longer text than eight", "Łuk", "6.25"]
    heads = "No,Name,Knots (out of 10),Lofting (out of 10),Loose"
    rows = [f"{number},Name {number},{','.join(chance.choices(marks, k=3))}" for number in range(1500)]
    if quoted:
        rows[700] = '700,"Name, 700","7","9.5",""'
    (folder / "export.csv").write_text("\n".join([heads, *rows]), encoding="utf-8")
    held = ["", "7", "7.0", "5", "a text longer than eight"]
    name = '"Name; {}"' if quoted else "Name {}"
    rows = [
        f"{name.format(number)};{number};{';'.join(chance.choices(held, k=2))}{';x' * remarks}"
        for number in range(10, 1510)
    ]
    if quoted:
        rows[3] = f'"a ""b""";13;"";"7"{";x" * remarks}'
    chance.shuffle(rows)
    heads = f"Name;No;Lofting [20];Knots [10]{';Remarks' * remarks}"
    (folder / "form.csv").write_text("\r\n".join([heads, *rows, ""]), encoding="utf-8", newline="")
    plan = folder / "transfer.toml"
    sides = "".join(f'[{side}]\nfile = "{name}.csv"\nidentifier = "No"\n' for side, name in SIDES.items())
    plan.write_text(
        f'version = 1\n{sides}[[item]]\nfrom = "C"\nto = "D"\nfrom_out_of = 10\nto_out_of = 10\n'
        '[[item]]\nfrom = "D"\nto = "C"\nfrom_out_of = 10\nto_out_of = 20\ndecimals = 1\n'
        '[[item]]\nfrom = "E"\nto = ""\n'
    )
    return plan


def carried_out(plan: Path) -> tuple[list[tuple[int, str, str, str | None]], object, bytes, Iterable[object]]:
    settled: Settled = settle_transfer(plan)
    fates = [
        (line.entry.row, line.item.source.heading, f"{line.outcome.fate}{line.outcome.reason}", line.outcome.written)
        for line in settled.ledger.lines(["sent", "changed", "same", "kept", "held", "left out"])  # type: ignore[list-item]
    ]
    outputs = outputs_for(settled, plan.parent)
    written: Written = write_transfer(settled, outputs, lambda *_: [], replace_existing=True)
    totals = [(one.fates, one.source, one.moved_after, one.target_before, one.target_after) for one in settled.totals]
    return fates, written.second_look, outputs.import_file.read_bytes(), totals


@pytest.mark.parametrize("quoted", [False, True])
@pytest.mark.parametrize("remarks", [False, True])
def test_a_transfer_in_bulk_is_the_same_as_cell_by_cell(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, *, quoted: bool, remarks: bool
) -> None:
    plan = lay_out(tmp_path, quoted=quoted, remarks=remarks)
    one_by_one = carried_out(plan)
    for name in BULK:
        monkeypatch.setattr(f"skarvin.core.{name}", 1)
    assert carried_out(plan) == one_by_one


def test_the_second_look_in_bulk_finds_a_wrong_cell(tmp_path: Path) -> None:
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_text("No,A,B\n1,,x\n2,,a text longer than eight\n")
    look = QuickLook(",", '"', [1], ["7", "a text longer than that"])
    rows = {1: [0], 2: [1]}
    for text, found in [
        ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than eight\n", (3, [2])),
        ("No,A,B\n1,8,x\n2,a text longer than that,a text longer than eight\n", None),
        ("No,A,B\n1,7,x\n2,a text longer than this,a text longer than eight\n", None),
        ("No,A,B\n1,7,y\n2,a text longer than that,a text longer than eight\n", None),
        ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than right\n", None),
        ("No,A,C\n1,7,x\n2,a text longer than that,a text longer than eight\n", None),
        ("No,A,B\n1,7,x\n2,a text longer than that\n", None),
    ]:
        new.write_text(text)
        assert look.look(old, new, rows) == found


def test_the_second_look_in_bulk_reads_quoted_cells_and_leaves_filled_ones_that_are_quoted(tmp_path: Path) -> None:
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_text('A,Name\n,"Sá, a ""b"""\n,"Sá, Ana"\n')
    look = QuickLook(",", '"', [0], ["7"])
    rows = {row: array("I", [0]) for row in (1, 2)}
    for text, found in [
        ('A,Name\n7,"Sá, a ""b"""\n7,"Sá, Ana"\n', (3, [2])),
        ('A,Name\n7,"Sá, a ""b"""\n"7","Sá, Ana"\n', None),
        ('A,Name\n7,"Sá, a ""b"""\n7,"Sá, Ina"\n', None),
        ('A,Name\n7,"Sá, a ""b"""\n7,Sá "Ana"\n', None),
        ('A,Name\n7,"Sá, a ""b"""\n7,"Sá, Ana\n', None),
    ]:
        new.write_text(text)
        assert look.look(old, new, rows) == found


cells = st.one_of(
    st.sampled_from(["", "7", '""', '"7,5"', '"a ""b"" c"', '"a, long one"', "Łuk", '"Łuk"', 'a"b', '"a"b']),
    st.text('a",é9', max_size=6),
)
records = st.lists(st.lists(cells, min_size=3, max_size=3).map(",".join), min_size=1, max_size=6)


@given(records)
def test_quoted_rows_in_bulk_are_what_the_csv_module_makes_of_them(rows: list[str]) -> None:
    dialect = Dialect(",")
    for raw in (False, True):
        coding = Coding()
        block = ShortTexts(coding.code).block(rows, dialect, [2, 0], raw=raw)
        if block is not None:
            cut = dialect.raw_cells if raw else dialect.values
            expected = [cut(row)[column] for row in rows for column in (2, 0)]
            assert [coding.texts[code] for code in array("I", block)] == expected
    bare = dialect.without_quoted("\n".join(rows))
    assert bare is None or [len(line.split(",")) for line in bare.split("\n")] == [
        len(dialect.values(row)) for row in rows
    ]


def test_plainly_quoted_rows_are_coded_in_bulk() -> None:
    rows = ['1,"7,5","a ""b"""', '"x",,""']
    coding = Coding()
    assert ShortTexts(coding.code).block(rows, Dialect(","), [0, 1, 2], raw=False) is not None
    assert set(coding.texts) == {"", "1", "7,5", "x", 'a "b"'}
