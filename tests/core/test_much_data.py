"""What is done in bulk for a district is what is done cell by cell for one class."""

from array import array
from collections import Counter
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import event, given
from hypothesis import strategies as st

from bulk import in_bulk, taken
from conftest import NOW
from ledgers import coded_ledger
from skarvin.core.findings import Refused
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.dialect import Dialect
from skarvin.core.grid.read import read_grid
from skarvin.core.grid.short_texts import ShortTexts
from skarvin.core.ledger.codes import CodeTable, ColumnRun, _decide_few, _decide_many
from skarvin.core.ledger.run_history import history_file, read_marks, read_runs
from skarvin.core.ledger.second_look.bulk import BulkLook
from skarvin.core.ledger.second_look.comparison import Files, look_again
from skarvin.core.ledger.second_look.text_rows import TextReading
from skarvin.core.plan.drafting.proposal import draft
from skarvin.core.reasons import Fate
from skarvin.core.targets.row_ends import LONGEST, RowEnds
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import Settled, settle_transfer
from skarvin.reports.filing import Filing

SIDES = {"source": "export", "target": "form"}
MARKS = ["", "0", "7", "9.5", "10", "1O", "11", "a longer text than eight", "Łuk", "6.25", "-", "exempt"]
HELD = ["", "7", "7.0", "5", "a text longer than eight"]


@st.composite
def districts(draw: st.DrawFn) -> tuple[str, str, str]:
    """Return an export, a form and a transfer, with marks of all kinds, plain blocks and others."""
    count = draw(st.integers(3, 40))
    repeated = draw(st.booleans())
    quoted = draw(st.booleans())
    remarks = draw(st.integers(0, 3)) == 3
    most = draw(st.sampled_from([8, 8, 100]))
    marks, held = ([text for text in texts if len(text) <= most] for texts in (MARKS, HELD))
    rows = [
        f"{number},Name {number},{draw(st.sampled_from(marks))},{draw(st.sampled_from(marks))},x"
        for number in range(count)
    ]
    if quoted:
        rows[1] = '1,"Name, 1","7","9.5",""'
    if repeated:
        rows += [f"{number},Name {number},{draw(st.sampled_from(marks))},,y" for number in range(0, count, 2)]
    export = "\n".join(["No,Name,Knots (out of 10),Lofting (out of 10),Loose", *rows])
    name = '"Name; {}"' if quoted and draw(st.booleans()) else "Name {}"
    rows = [
        f"{name.format(number)};{number};{draw(st.sampled_from(held))};{draw(st.sampled_from(held))}{';x' * remarks}"
        for number in range(1, count + 2)
    ]
    rows = draw(st.permutations(rows))
    end = draw(st.sampled_from(["\n", "\r\n"]))
    form = end.join([f"Name;No;Lofting [20];Knots [10]{';Remarks' * remarks}", *rows, ""])
    sides = "".join(f'[{side}]\nfile = "{file}.csv"\nidentifier = "No"\n' for side, file in SIDES.items())
    blank = draw(st.sampled_from(["leave", "zero"]))
    rule = f'[students]\nleast_paired = 0\nrepeated = "highest"\n[marks]\nblank = "{blank}"\n'
    items = (
        '[statuses]\nexempt = ""\n[[item]]\nfrom = "C"\nto = "D"\nfrom_out_of = 10\nto_out_of = 10\nany_column = true\n'
        '[[item]]\nfrom = "D"\nto = "C"\nfrom_out_of = 10\nto_out_of = 20\ndecimals = 1\nany_column = true\n'
        '[[item]]\nfrom = "E"\nto = ""\n'
    )
    return export, form, f"version = 1\n{sides}{rule}{items}"


def carried_out(plan: Path) -> tuple[object, ...]:
    settled: Settled = settle_transfer(plan)
    fates = [
        (
            line.entry.position,
            line.item.source.heading,
            f"{line.outcome.fate}{line.outcome.why}",
            line.outcome.written,
        )
        for line in settled.ledger.lines(["sent", "changed", "same", "kept", "held", "left out"])  # type: ignore[list-item]
    ]
    assert Counter(line.outcome.fate for line in settled.ledger.lines(Fate)) == settled.ledger.fates
    outputs = outputs_for(settled, plan.parent)
    written = write_transfer(settled, outputs, Filing(NOW), replace_existing=True)
    totals = [
        (books.fates, books.source, books.moved_after, books.target_before, books.target_after)
        for books in settled.totals
    ]
    history = history_file(plan.parent)
    kept = read_marks(history, read_runs(history)[-1])
    return fates, written.second_look[:2], outputs.imports[0].read_bytes(), totals, kept


@given(districts())
def test_a_transfer_in_bulk_is_the_same_as_cell_by_cell(case: tuple[str, str, str]) -> None:
    with TemporaryDirectory() as name:
        for file, text in zip(("export.csv", "form.csv", "transfer.toml"), case, strict=True):
            (Path(name) / file).write_text(text, encoding="utf-8", newline="")
        one_by_one = carried_out(Path(name) / "transfer.toml")
        before = taken.copy()
        with in_bulk():
            assert carried_out(Path(name) / "transfer.toml") == one_by_one
        assert all(taken[way] > before[way] for way in ("deciding", "history"))
        for way in ("coding", "filling", "second look"):  # of longer texts, some go row by row
            event(f"{way} {'in bulk' if taken[way] > before[way] else 'row by row'}")


def test_each_bulk_way_was_taken() -> None:
    if not taken:
        test_a_transfer_in_bulk_is_the_same_as_cell_by_cell()
    assert min(taken[way] for way in ("coding", "deciding", "filling", "second look")) > 10


WRONG = {
    "as it should be": ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than eight\n", True),
    "another mark": ("No,A,B\n1,8,x\n2,a text longer than that,a text longer than eight\n", False),
    "another long mark": ("No,A,B\n1,7,x\n2,a text longer than this,a text longer than eight\n", False),
    "an untouched cell": ("No,A,B\n1,7,y\n2,a text longer than that,a text longer than eight\n", False),
    "a long untouched cell": ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than right\n", False),
    "a heading": ("No,A,C\n1,7,x\n2,a text longer than that,a text longer than eight\n", False),
    "a cell short": ("No,A,B\n1,7,x\n2,a text longer than that\n", False),
    "no last line end": ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than eight", False),
    "another line end": ("No,A,B\n1,7,x\r\n2,a text longer than that,a text longer than eight\n", False),
    "a row too many": ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than eight\n3,,\n", False),
    "a row gone": ("No,A,B\n1,7,x\n", False),
    "a sign too many": ("No,A,B\n1,7,x\n2,a text longer than that,a text longer than eight\n ", False),
    "a quoted mark": ('No,A,B\n1,"7",x\n2,a text longer than that,a text longer than eight\n', None),
}


@pytest.mark.parametrize("wrong", WRONG)
def test_the_second_look_in_bulk_finds_whatever_is_wrong_or_leaves_it_to_the_look_row_by_row(
    tmp_path: Path, wrong: str
) -> None:
    form = b"No,A,B\n1,,x\n2,,a text longer than eight\n"
    outcomes = [
        {"fate": "sent", "mark": "7", "was": "", "now": "7"},
        {"fate": "sent", "mark": "a", "was": "", "now": "a text longer than that"},
    ]
    claims = coded_ledger(tmp_path, form, [["B", "B"]], outcomes, [(2, 2, [0]), (3, 3, [1])])
    text, is_right = WRONG[wrong]
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(form)
    new.write_bytes(text.encode())
    found = BulkLook(",", '"', claims).look(old, new)
    assert found == ((3, 2) if is_right else None)
    if is_right is False:
        with pytest.raises(Refused):
            look_again(Files(old, old, new, new), TextReading("utf-8", ",", '"'), claims)
    else:
        assert look_again(Files(old, old, new, new), TextReading("utf-8", ",", '"'), claims)[:2] == (3, 2)


def test_a_mark_of_a_row_that_the_form_does_not_have_is_refused(tmp_path: Path) -> None:
    outcomes = [{"fate": "sent", "mark": "7", "was": "", "now": "7"}]
    claims = coded_ledger(tmp_path, b"No,A\n1,\n", [["B", "B"]], outcomes, [(2, 2, [0]), (3, 3, [0])])
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(b"No,A\n1,\n")
    new.write_bytes(b"No,A\n1,7\n")
    assert BulkLook(",", '"', claims).look(old, new) is None
    with pytest.raises(Refused):
        look_again(Files(old, old, new, new), TextReading("utf-8", ",", '"'), claims)


def test_a_written_file_that_lacks_a_column_of_marks_is_refused_and_breaks_nothing(tmp_path: Path) -> None:
    form = b"No,A,B,C\n1,,x,\n"
    outcomes = [{"fate": "sent", "mark": "7", "was": "", "now": "7"}]
    claims = coded_ledger(tmp_path, form, [["B", "B"], ["D", "D"]], outcomes, [(2, 2, [0, 0])])
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(form)
    new.write_bytes(b"No,A,B,C\n1,7,x\n")
    assert BulkLook(",", '"', claims).look(old, new) is None
    with pytest.raises(Refused):
        look_again(Files(old, old, new, new), TextReading("utf-8", ",", '"'), claims)


@pytest.mark.parametrize("rows", [1, 2, 512])
def test_a_flipped_bit_is_found_wherever_it_is(tmp_path: Path, rows: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("skarvin.core.ledger.second_look.bulk._BLOCK", rows)
    form = 'Nr;Name;A\r\n1;"Ilves; Aino";\r\n2;Łęcka;5\r\n3;Oro;\r\n'.encode()
    outcomes: list[dict[str, Any]] = [
        {"fate": "sent", "mark": "7", "was": "", "now": "7"},
        {"fate": "kept", "mark": "", "was": "5", "now": None},
    ]
    claims = coded_ledger(tmp_path, form, [["C", "C"]], outcomes, [(2, 2, [0]), (3, 3, [1]), (4, 4, [0])])
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(form)
    right = form.replace(b'";\r', b'";7\r').replace(b"Oro;", b"Oro;7")
    reading, files = TextReading("utf-8", ";", '"'), Files(old, old, new, new)
    new.write_bytes(right)
    assert (BulkLook(";", '"', claims).look(old, new), look_again(files, reading, claims)[:2]) == ((4, 2), (4, 2))
    for place in range(len(right)):
        for bit in range(8):
            flipped = bytearray(right)
            flipped[place] ^= 1 << bit
            new.write_bytes(flipped)
            assert BulkLook(";", '"', claims).look(old, new) is None, (place, bit)
            with pytest.raises(Refused):
                look_again(files, reading, claims)


def test_the_second_look_in_bulk_tells_what_the_form_said_before(tmp_path: Path) -> None:
    form = b"No,A\n1,5\n"
    (tmp_path / "old.csv").write_bytes(form)
    (tmp_path / "new.csv").write_bytes(b"No,A\n1,7\n")
    for was, found in (("5", (2, 1)), ("6", None)):
        outcome = {"fate": "changed", "mark": "7", "was": was, "now": "7"}
        claims = coded_ledger(tmp_path, form, [["B", "B"]], [outcome], [(2, 2, [0])])
        assert BulkLook(",", '"', claims).look(tmp_path / "old.csv", tmp_path / "new.csv") == found


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
            assert [coding.texts[code] for code in block.ravel()] == expected
    bare = dialect.without_quoted("\n".join(rows))
    assert bare is None or [len(line.split(",")) for line in bare.split("\n")] == [
        len(dialect.values(row)) for row in rows
    ]


def test_plainly_quoted_rows_are_coded_in_bulk() -> None:
    rows = ['1,"7,5","a ""b"""', '"x",,""']
    coding = Coding()
    assert ShortTexts(coding.code).block(rows, Dialect(","), [0, 1, 2], raw=False) is not None
    assert set(coding.texts) == {"", "1", "7,5", "x", 'a "b"'}


def test_large_files_with_strange_headings_are_drafted_by_their_values(tmp_path: Path) -> None:
    numbers = range(10_000, 16_000)
    export = "Zorp;Quax;Knots (out of 20)\n" + "".join(f"{n};x{n % 7};{n % 21}\n" for n in numbers)
    form = "Frib;Wumble;Knots [20]\n" + "".join(f"y{n};0{n};\n" for n in reversed(numbers))
    (tmp_path / "e.csv").write_text(export, encoding="utf-8")
    (tmp_path / "f.csv").write_text(form, encoding="utf-8")
    found = draft([tmp_path / "e.csv"], tmp_path / "f.csv").identifier
    assert (found.source and found.source.heading, found.target and found.target.heading) == ("Zorp", "Wumble")
    assert (found.met, found.of, found.rule.ignore_leading_zeros) == (6000, 6000, True)


@pytest.mark.parametrize("is_bulk", [False, True])
def test_more_texts_than_two_bytes_tell_apart_keep_their_codes(*, is_bulk: bool, tmp_path: Path) -> None:
    texts = [f"{number}" for number in range((1 << 16) + 9)]
    (tmp_path / "many.csv").write_text("".join(f"{text},7\n" for text in texts), encoding="utf-8")
    grid, coding = read_grid(tmp_path / "many.csv"), Coding()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("skarvin.core.grid.coding.MANY", 1 if is_bulk else 1 << 40)
        codes = coding.cells(grid, range(len(grid)), [0, 1])
    assert [coding.texts[code] for code in codes[::2]] == texts
    assert {coding.texts[code] for code in codes[1::2]} == {"7"}


def test_outcomes_beyond_two_bytes_are_kept_whichever_way_they_are_decided() -> None:
    for way in (_decide_few, _decide_many):
        ours, theirs = CodeTable(array("H", [0, 1, 2, 3]), 2), CodeTable(array("H", [0, 0, 1, 1]), 2)
        decided = way(ours, theirs, [ColumnRun(0, 2, lambda there, here: 70_000 * there + here)])
        assert decided
        assert list(decided.codes) == [0, 1, 70_002, 70_003]


@given(st.lists(st.text("a7.é", max_size=LONGEST // 2), min_size=1, max_size=12), st.randoms(use_true_random=False))
def test_filled_ends_of_many_rows_are_their_texts_between_delimiters(texts: list[str], chance: Random) -> None:
    spelled = [text.encode() for text in texts]
    columns = [3, 1, 2]
    grid = SimpleNamespace(dialect=Dialect(";"))
    rows = [array("H", chance.choices(range(len(texts)), k=3)) for _ in range(5)]
    found = RowEnds(grid, columns, spelled).block(rows)  # type: ignore[arg-type]
    assert found == [b";".join(spelled[row[columns.index(column)]] for column in (1, 2, 3)) for row in rows]
