"""Laws of texts on their way: codes, transfers written down, decisions kept, layouts learned."""

import csv
import io
import string
import tomllib
from array import array
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from rows import row
from skarvin.core.gradebook import Student, understand
from skarvin.core.grid import coding
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.address import find_column
from skarvin.core.layout.columns import Use
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.stored import apply_layout, layout_text, read_layout
from skarvin.core.ledger.codes import CodeTable, ColumnRun, decide, meet_each
from skarvin.core.plan.drafting.proposal import draft
from skarvin.core.plan.drafting.wording import draft_text
from skarvin.core.plan.reading import read_plan
from skarvin.core.students.decision_list import Decision, Decisions, decisions_text, read_decisions
from skarvin.core.students.evidence import Suggestion

cells = st.text(st.sampled_from("ab7Łé😀 .-"), max_size=12)
titles = st.text(st.sampled_from("Knots & splices\"'\\#[]=é😀\t"), min_size=1, max_size=14).filter(str.strip)


@given(st.lists(st.lists(cells, min_size=3, max_size=3), min_size=1, max_size=8), st.booleans())
def test_coding_in_bulk_gives_every_cell_its_own_text_back(rows: list[list[str]], quoted: bool) -> None:
    with TemporaryDirectory() as name, pytest.MonkeyPatch.context() as patch:
        file = Path(name) / "x.csv"
        text = "\n".join(";".join(f'"{cell}"' if quoted and cell == row[0] else cell for cell in row) for row in rows)
        file.write_text(f"A;B;C\n{text}\n", encoding="utf-8")
        grid = read_grid(file)
        assume(len(grid) == len(rows) + 1)
        patch.setattr(coding, "MANY", 1)
        found = Coding()
        codes = found.cells(grid, range(1, len(grid)), [2, 0])
    assert [found.texts[code] for code in codes] == [cell for row in rows for cell in (row[2], row[0])]


@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 4)), min_size=2, max_size=40))
def test_each_meeting_is_decided_once_and_in_bulk_as_one_by_one(meetings: list[tuple[int, int]]) -> None:

    meetings = meetings[: len(meetings) // 2 * 2]
    ours = CodeTable(array("I", [mine for mine, _ in meetings]), 2)
    seen: list[tuple[int, int]] = []

    def theirs() -> CodeTable:
        return CodeTable(array("I", [their for _, their in meetings]), 2)

    def meet(their: int, mine: int) -> int:
        seen.append((their, mine))
        return 10 * their + mine

    few = decide(ours, theirs(), [ColumnRun(0, 2, meet)])
    assert len(seen) == len(set(seen)) == len(set(meetings))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("skarvin.core.ledger.codes._MANY", 1)
        assert decide(ours, theirs(), [ColumnRun(0, 2, meet)]).codes == few.codes
    assert list(few.codes) == [10 * their + mine for mine, their in meetings]


@given(
    st.integers(1, 4),
    st.lists(st.lists(st.integers(0, 9), min_size=12, max_size=12), min_size=2, max_size=3),
    st.data(),
)
def test_what_meets_in_a_column_is_decided_once_however_many_tables_there_are(
    width: int, cells: list[list[int]], data: st.DataObject
) -> None:
    tables = [CodeTable(array("HI"[at % 2], codes), width) for at, codes in enumerate(cells)]
    before = [list(table.codes) for table in tables]
    wide = data.draw(st.sampled_from([0, 70_000]))
    first = data.draw(st.integers(0, width))
    runs = [run for run in (range(first), range(first, width)) if run]
    seen: list[tuple[int, ...]] = []

    def meet(run: int, codes: tuple[int, ...]) -> int:
        seen.append((run, *codes))
        return int("".join(map(str, (run, *codes)))) + (wide if codes[0] == 9 else 0)

    for many in (1_000_000, 1):
        seen.clear()
        with pytest.MonkeyPatch.context() as patch:
            for name, value in (("_MANY", many), ("_BLOCK", 2)):
                patch.setattr(f"skarvin.core.ledger.codes.{name}", value)
            met = meet_each(tables, [(run, partial(meet, at)) for at, run in enumerate(runs)])
        assert len(seen) == len(set(seen))
        told = [next(at for at, run in enumerate(runs) if place % width in run) for place in range(len(cells[0]))]
        assert list(met.codes) == [meet(run, codes) for run, codes in zip(told, zip(*cells, strict=True), strict=True)]
        assert [list(table.codes) for table in tables] == before


@given(st.integers(1, 4), st.integers(0, 5), st.data())
def test_a_table_is_arranged_anew_in_bulk_as_row_by_row(width: int, count: int, data: st.DataObject) -> None:
    codes = data.draw(st.lists(st.integers(0, 99), min_size=width * count, max_size=width * count))
    table = CodeTable(array(data.draw(st.sampled_from("HI")), codes), width)
    rows = data.draw(st.lists(st.integers(-1, count - 1), max_size=8))
    columns = data.draw(st.lists(st.integers(-1, width - 1), min_size=1, max_size=6))
    nothing = data.draw(st.sampled_from([0, 7, (1 << 16) - 1, 1 << 16]))
    expected = [codes[row * width + at] if min(row, at) >= 0 else nothing for row in rows for at in columns]
    for many in (1_000_000, 1):
        with pytest.MonkeyPatch.context() as patch:
            for name, value in (("_MANY", many), ("_BLOCK", 2)):
                patch.setattr(f"skarvin.core.ledger.codes.{name}", value)
            found = table.arranged(rows, columns, nothing)
            assert table.largest == max(codes, default=-1)
        assert (list(found.codes), found.width) == (expected, len(columns))


@given(st.lists(titles, min_size=1, max_size=5, unique_by=lambda title: title.strip()))
def test_a_drafted_transfer_is_valid_whatever_the_headings_say(headings: list[str]) -> None:
    with TemporaryDirectory() as name:
        folder = Path(name)
        quoted = ['"' + heading.replace('"', '""') + '"' for heading in headings]
        for file in ("export.csv", "form.csv"):
            rows = "".join(f"00{number}{',7' * len(headings)}\n" for number in range(3))
            (folder / file).write_text(f"Learner number,{','.join(quoted)}\n{rows}", encoding="utf-8")
        layout = recognise(read_grid(folder / "export.csv"))
        assume(layout.top.heading_rows == (0,) and layout.columns[0].use is Use.NUMBER)
        proposal = draft([folder / "export.csv"], folder / "form.csv")
        text = draft_text(proposal, folder / "transfer.toml")
        (folder / "transfer.toml").write_text(text, encoding="utf-8")
        raw = tomllib.loads(text)
        for item in raw.get("item", []):
            assert find_column(layout.columns, item["from"]).heading in {heading.strip() for heading in headings}
        assume(not proposal.open_points)
        plan = read_plan(folder / "transfer.toml").plan
    assert len(plan.item) == len(proposal.items)


decision_texts = st.text(st.sampled_from("aŁ7,;\"'=+-@ \n"), max_size=8).map(str.strip)


@given(st.lists(st.tuples(decision_texts, decision_texts, st.sampled_from(["", "1", "none", "0012"])), max_size=5))
def test_decisions_come_back_from_their_file(rows: list[tuple[str, str, str]]) -> None:
    kept = Decisions(
        tuple(
            Decision(who, name, "Keel", "why", ("a [1] | b", "", ""), choice, "2026-03-04")
            for who, name, choice in rows
        )
    )
    with TemporaryDirectory() as folder:
        file = Path(folder) / "pairings.csv"
        file.write_text(decisions_text(kept), encoding="utf-8-sig", newline="")
        found = read_decisions(file)
    assert [(decision.identifier, decision.name, decision.choice) for decision in found.rows] == [
        (decision.identifier.strip(), decision.name.strip(), decision.choice) for decision in kept.rows
    ]
    for cells in csv.reader(io.StringIO(decisions_text(kept), newline="")):
        assert not [cell for cell in cells if cell.startswith(("=", "+", "-", "@"))]


@given(st.lists(st.sampled_from(["1", "2", "3"]), min_size=1, max_size=3, unique=True), st.booleans())
def test_a_decision_that_was_made_outlives_every_new_list_of_held_students(rows: list[str], again: bool) -> None:
    people = [Student(row(int(number)), number, f"Name {'abc'[int(number) - 1]}") for number in rows]
    held = [(student, "why", [Suggestion(Student(row(9), "9", "Other"), 0.7, "near")]) for student in people]
    decisions = Decisions().with_held(held, "2026-01-01").with_choice(people[0], "1", "2026-01-02")
    later = decisions.with_held(held if again else [], "2026-02-02").with_held(held, "2026-03-03")
    assert len(later.rows) == len(rows)
    made = later.of(people[0])
    assert made is not None
    assert (made.choice, made.when) == ("1", "2026-01-02")
    assert all(later.of(student) is None for student in people[1:])


names = st.sampled_from(["Kim, Min-jun", "Ó Murchú, Síle", "van den Berg, Joost", "Suharti", "D'Angelo, Chiara"])
marks = st.sampled_from(["", "0", "7", "9.5", "B+", "Pass", "62%"])
students = st.tuples(names, st.lists(marks, min_size=4, max_size=4))


@given(
    st.integers(0, 3),
    st.lists(st.sampled_from(["Knots", "Lofting", "Ropes", "Sails"]), min_size=1, max_size=4, unique=True),
    st.booleans(),
    st.booleans(),
    st.lists(
        st.lists(st.tuples(names, st.lists(marks, min_size=4, max_size=4)), min_size=2, max_size=5),
        min_size=1,
        max_size=3,
    ),
)
def test_a_sheet_of_any_shape_gives_back_the_students_and_items_it_was_made_of(
    title_lines: int,
    items: list[str],
    has_maxima: bool,
    has_average: bool,
    lists: list[list[tuple[str, list[str]]]],
) -> None:
    width = 2 + len(items)
    rows: list[list[str]] = [[f"Tidewrack line {number}"] for number in range(title_lines)]
    expected: list[tuple[str, str]] = []
    for number, crew in enumerate(lists):
        if len(lists) > 1:
            rows += [[], [f"Crew {string.ascii_uppercase[number]}"]]
        rows.append(["Learner no", "Name", *items])
        if has_maxima:
            rows.append(["", "out of", *["20"] * len(items)])
        for name, values in crew:
            identifier = f"{len(expected) + 1:04d}"
            expected.append((identifier, f"Crew {string.ascii_uppercase[number]}" if len(lists) > 1 else ""))
            rows.append([identifier, name, *values[: len(items)]])
        if has_average:
            rows.append(["", "Average", *["7"] * len(items)])
    with TemporaryDirectory() as folder:
        file = Path(folder) / "sheet.csv"
        lines = [";".join([*row, *[""] * (width - len(row))]) for row in rows]
        file.write_text("\n".join(lines) + "\n", encoding="utf-8")
        grid = read_grid(file)
        layout = recognise(grid)
        book = understand(grid, layout, layout.identifiers[0], layout.of_use(Use.ITEM))
    assert [(student.identifier, student.section) for student in book.students] == expected
    assert [column.heading for column in layout.columns[2:]] == items
    assert [non_student.why.cause.code for non_student in book.non_students] == ["summary"] * (len(lists) * has_average)
    assert not layout.faults
    if has_maxima:
        assert {column.out_of for column in layout.of_use(Use.ITEM)} == {20}


@given(st.permutations(["Learner no", "Name", "Knots (out of 10)", "Lofting", "Notes"]))
def test_a_layout_knows_its_columns_again_in_any_order(order: list[str]) -> None:
    with TemporaryDirectory() as folder:
        first, later = Path(folder) / "a.csv", Path(folder) / "b.csv"
        values = {"Learner no": "001", "Name": "Kim", "Knots (out of 10)": "7", "Lofting": "8", "Notes": "neat"}
        for file, headings in ((first, list(values)), (later, order)):
            row = ";".join(values[heading] for heading in headings)
            file.write_text(f"{';'.join(headings)}\n{row}\n{row.replace('001', '002')}\n")
        stored_file = Path(folder) / "x.layout.toml"
        stored_file.write_text(layout_text(recognise(read_grid(first)), "a.csv", (), {3: Use.OTHER}), encoding="utf-8")
        layout, departures = apply_layout(read_grid(later), read_layout(stored_file))
    uses = {column.heading: column.use for column in layout.columns}
    assert uses["Lofting"] is Use.OTHER
    assert uses["Learner no"] is Use.NUMBER
    assert all(departure.is_certain and departure.slug == "moved" for departure in departures)
    assert len(departures) == sum(1 for a, b in zip(values, order, strict=True) if a != b)
