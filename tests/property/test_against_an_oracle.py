"""Every cell of the import file is what a second opinion says, over transfers with all rules, in both ways through."""

import csv
import io
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st
from oracle import Case, ItemRules, expected

from bulk import in_bulk
from conftest import NOW
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

texts = st.sampled_from(
    [
        *("", " ", "0", "7", "9.5", "9.50", " 8 ", "12", "20", "21", "8/10", "5/20", "50%", "62.5%"),
        *("absent", "exempt", "late", "-", "1O", "+3", "18*"),
    ]
)
held = st.sampled_from(["", "", "7", "7.0", "30", "ABS", "-", "5 ", "7,5", "50%", "x"])
remarks = st.sampled_from(["", "well done", "late; twice", 'said "yes"', "two\nlines"])
rules = st.builds(
    ItemRules,
    from_out_of=st.sampled_from([10, 20]),
    to_out_of=st.sampled_from([10, 15, 40]),
    rescale=st.booleans(),
    decimals=st.integers(0, 3),
    rounding=st.sampled_from(["half up", "half even", "up", "down"]),
    above=st.sampled_from(["hold", "allow", "cap"]),
    blank=st.sampled_from(["leave", "zero", "clear", "code", "hold"]),
    dash=st.sampled_from(["hold", "blank"]),
    existing=st.sampled_from(["replace", "keep", "higher", "only if blank"]),
    behind=st.sampled_from(["", "", "%"]),
    comma=st.booleans(),
)
days = st.integers(1, 28).map(lambda day: f"2026-03-{day:02}")
numbers = st.integers(1, 9).map(lambda number: f"00{number}")


@st.composite
def cases(draw: st.DrawFn) -> Case:
    crews = st.sampled_from(["Keel", "Mast"])
    rows = draw(st.lists(st.tuples(numbers, crews, texts, texts, remarks, days), min_size=1, max_size=14))
    crew_of = {row[0]: row[1] for row in rows}
    form = draw(st.lists(numbers, min_size=1, max_size=9, unique=True))
    return Case(
        rows=[(row[0], crew_of[row[0]], *row[2:]) for row in rows],
        form=[
            (number, draw(held), draw(held), draw(held), draw(remarks), draw(st.sampled_from(["", "P", "Q"])))
            for number in form
        ],
        items=(draw(rules), draw(rules)),
        repeated=draw(st.sampled_from(["hold", "first", "latest", "highest", "agree"])),
        beside=draw(st.sampled_from(["like a mark", "mark", "status", "hold"])),
        formula=draw(
            st.sampled_from(["sum of both", "mean of both", "highest of both", "mean of all but lowest 1 of both"])
        ),
        missing=draw(st.sampled_from(["leave out", "zero", "hold"])),
        total_decimals=draw(st.integers(0, 2)),
        comment=draw(st.sampled_from(["keep", "replace"])),
        crews=draw(st.sampled_from([(), ("Keel",)])),
    )


SEVERAL = 'repeated_by = "F"\nstatus_beside_mark = "{beside}"\n'


def item(source: str, target: str, one: ItemRules) -> str:
    lines = [
        f'[[item]]\nfrom = "{source}"\nto = "{target}"\nany_column = true',
        f"from_out_of = {one.from_out_of}\nto_out_of = {one.to_out_of}\nrescale = {str(one.rescale).lower()}",
        f'decimals = {one.decimals}\nrounding = "{one.rounding}"\nabove = "{one.above}"\nblank = "{one.blank}"',
        f'blank_code = "{"NA" if one.blank == "code" else ""}"',
        f'dash = "{one.dash}"\nexisting = "{one.existing}"\nto_behind = "{one.behind}"',
        f'to_decimal_separator = "{"," if one.comma else "."}"\n',
    ]
    return "\n".join(lines)


def written_out(case: Case, folder: Path) -> Path:
    """Write a case down as an export, a form and a transfer; return the transfer."""
    for name, heads, rows, delimiter in (
        ("export.csv", ["No", "Crew", "Knots", "Loft", "Said", "Day"], case.rows, ","),
        ("form.csv", ["No", "Knots", "Loft", "Both", "Said", "Here"], case.form, ";"),
    ):
        with (folder / name).open("w", encoding="utf-8", newline="") as file:
            csv.writer(file, delimiter=delimiter).writerows([heads, *rows])
    files = {"source": "export.csv", "target": "form.csv"}
    sides = "".join(f'[{side}]\nfile = "{file}"\nidentifier = "A"\nquotes = "around"\n' for side, file in files.items())
    total = f'[[total]]\nname = "Both"\nformula = "{case.formula}"\nmissing = "{case.missing}"\n'
    crews = ", ".join(f'"{crew}"' for crew in case.crews)
    (folder / "transfer.toml").write_text(
        f'version = 1\n{sides}[students]\nleast_paired = 0\nrepeated = "{case.repeated}"\n'
        f"{SEVERAL.format(beside=case.beside) if case.repeated != 'hold' else ''}"
        '[statuses]\nabsent = "ABS"\nexempt = ""\nlate = 0\n[categories]\nboth = ["C", "D"]\n'
        f"{total}{item('C', 'B', case.items[0])}{item('D', 'C', case.items[1])}"
        f'[[item]]\nfrom = "Both"\nto = "D"\nany_column = true\ndecimals = {case.total_decimals}\n'
        f'[[comment]]\nfrom = "E"\nto = "E"\nof = "C"\nany_column = true\nexisting = "{case.comment}"\n'
        f'[[constant]]\nmark = "P"\nto = "F"\nany_column = true\nsections = [{crews}]\n',
        encoding="utf-8",
    )
    return folder / "transfer.toml"


@given(cases())
def test_every_cell_is_what_a_second_opinion_says_and_both_ways_agree(case: Case) -> None:
    paired = {number for number, *_ in case.form} & {row[0] for row in case.rows}
    repeated = {row[0] for row in case.rows if [one[0] for one in case.rows].count(row[0]) > 1}
    if not paired - (repeated if case.repeated == "hold" else set()):
        return
    with TemporaryDirectory() as name:
        file = written_out(case, Path(name))
        settled = settle_transfer(file)
        outputs = outputs_for(settled, Path(name))
        write_transfer(settled, outputs, Filing(NOW), replace_existing=True)
        data = outputs.imports[0].read_bytes()
        with in_bulk():
            again = settle_transfer(file)
            write_transfer(again, outputs_for(again, Path(name)), Filing(NOW), replace_existing=True)
        assert outputs.imports[0].read_bytes() == data
    rows = list(csv.reader(io.StringIO(data.decode(), newline=""), delimiter=";"))
    assert rows[1:] == expected(case)
    assert settled.ledger.fates == again.ledger.fates
    assert settled.rows[0].students == len(case.rows)
