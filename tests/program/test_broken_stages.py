"""Each stage broken by hand: the second look, the books or the fingerprints catch it, and nothing is written."""

import json
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from hashlib import sha256
from pathlib import Path
from typing import Any

import pytest

from bulk import in_bulk
from conftest import Skarvin, lay_out
from skarvin.core import gradebook
from skarvin.core.grid import read, records
from skarvin.core.grid.dialect import Dialect
from skarvin.core.grid.records import Records
from skarvin.core.ledger import fates
from skarvin.core.ledger.ledger import Entry
from skarvin.core.targets import delimited
from skarvin.core.targets.filling import filled
from skarvin.core.transfer import carry_out
from skarvin.reports import data, mark_lines

Patch = pytest.MonkeyPatch
EXPORT = """\
No,Knots (out of 10),Lofting (out of 10),Knots: remark
1,7,5,fine
2,8,6,slow
3,9,,
3,4,7,again
4,6,8,ok
"""
FORM = "No;Knots [10];Lofting [20];Remarks\n1;;;\n2;3;;old\n3;;1;\n4;;;\n5;2;;x\n"
RULES = """\
[students]
repeated = "highest"
[[item]]
from = "B"
to = "B"
[[item]]
from = "C"
to = "C"
[[comment]]
from = "D"
to = "D"
of = "B"
existing = "replace"
"""


def wrong_row(patch: Patch) -> None:
    rows = carry_out._TargetRows  # noqa: SLF001

    def swapped(*arguments: Any) -> Any:  # noqa: ANN401 - handed on as they are
        found = dict(rows(*arguments))
        first, second = list(found)[:2]
        found[first], found[second] = found[second], found[first]
        return found

    patch.setattr(carry_out, "_TargetRows", swapped)


def missing_row(patch: Patch) -> None:
    rows = carry_out._TargetRows  # noqa: SLF001
    patch.setattr(carry_out, "_TargetRows", lambda *some: dict(list(rows(*some).items())[1:]))


def blank_for_a_mark(patch: Patch) -> None:
    spell = Dialect.spell
    patch.setattr(
        Dialect, "spell", lambda dialect, text, before="": "" if text == "8" else spell(dialect, text, before)
    )


def another_column(patch: Patch) -> None:
    patch.setattr(delimited, "filled", lambda grid, columns, *rest: filled(grid, columns[::-1], *rest))


def a_cell_short(patch: Patch) -> None:
    patch.setattr(delimited, "filled", lambda *some: [b"".join(filled(*some)).replace(b"2;8;", b"2;8")])


def an_attempt_that_does_not_count(patch: Patch) -> None:
    patch.setattr(fates, "_let_one_count", lambda *_: None)


def an_attempts_mark_where_another_counts(patch: Patch) -> None:
    spell = Dialect.spell
    patch.setattr(Dialect, "spell", lambda dialect, text, before="": spell(dialect, text.replace("9", "4"), before))


def comments_swapped(patch: Patch) -> None:
    swap = {"fine": "slow", "slow": "fine"}
    spell = Dialect.spell
    patch.setattr(Dialect, "spell", lambda dialect, text, before="": spell(dialect, swap.get(text) or text, before))


def marks_of_another_row(patch: Patch) -> None:
    codes = fates._our_codes  # noqa: SLF001

    def shifted(*arguments: Any) -> Any:  # noqa: ANN401
        table = codes(*arguments)
        table.codes[:] = table.codes[table.width :] + table.codes[: table.width]
        return table

    patch.setattr(fates, "_our_codes", shifted)


def cells_of_another_row(patch: Patch) -> None:
    met = fates._met  # noqa: SLF001

    def shifted(*arguments: Any) -> Any:  # noqa: ANN401
        codes = met(*arguments)
        return codes[3:] + codes[:3]

    patch.setattr(fates, "_met", shifted)


def another_student(patch: Patch) -> None:
    entries = fates._entries  # noqa: SLF001

    def swapped(*arguments: Any) -> Any:  # noqa: ANN401
        found, meets = entries(*arguments)
        first, second = found[0], found[1]
        found[:2] = [Entry(0, first.source, second.target), Entry(1, second.source, first.target)]
        return found, meets

    patch.setattr(fates, "_entries", swapped)


def a_place_told_wrongly(patch: Patch) -> None:
    mark = data._mark  # noqa: SLF001
    patch.setattr(data, "_mark", lambda line: {**mark(line), "to_row": (mark(line)["to_row"] or 0) + 1})
    lines = mark_lines.mark_lines
    patch.setattr(mark_lines, "mark_lines", lambda settled: [b"".join(lines(settled)).replace(b"[2,2,", b"[2,3,")])


def a_fate_told_wrongly(patch: Patch) -> None:
    told = data.outcome_data

    def wrong(outcome: Any) -> Any:  # noqa: ANN401
        return {**told(outcome), "now": "1"} if outcome.written == "8" else told(outcome)

    patch.setattr(data, "outcome_data", wrong)


def a_record_lost(patch: Patch) -> None:
    join = records.join_records

    def shorter(*arguments: Any, **named: Any) -> Records:  # noqa: ANN401
        found = join(*arguments, **named)
        return Records(found.texts[:-1], found.ends[:-1], found.widths[:-1], found.spans, found.is_plain)

    patch.setattr(read, "join_records", shorter)


def a_line_lost(patch: Patch) -> None:
    split = records.split_lines
    patch.setattr(read, "split_lines", lambda text: tuple(part[:-1] for part in split(text)))


def a_student_lost(patch: Patch) -> None:
    read_rows = gradebook._Rows.read  # noqa: SLF001

    def fewer(rows: Any, some: range) -> None:  # noqa: ANN401
        for part in (range(some.start, 2), range(3, some.stop)):
            read_rows(rows, part)

    patch.setattr(gradebook._Rows, "read", fewer)  # noqa: SLF001


def a_student_twice(patch: Patch) -> None:
    read_rows = gradebook._Rows.read  # noqa: SLF001

    def twice(rows: Any, some: range) -> None:  # noqa: ANN401
        for part in (range(some.start, 2), range(1, some.stop)):
            read_rows(rows, part)

    patch.setattr(gradebook._Rows, "read", twice)  # noqa: SLF001


BROKEN: list[Callable[[Patch], None]] = [
    *(wrong_row, missing_row, blank_for_a_mark, another_column, a_cell_short, an_attempt_that_does_not_count),
    *(an_attempts_mark_where_another_counts, comments_swapped, marks_of_another_row, cells_of_another_row),
    *(another_student, a_place_told_wrongly, a_fate_told_wrongly, a_record_lost, a_line_lost, a_student_lost),
    a_student_twice,
]


@pytest.fixture(params=["cell by cell", "in bulk"])
def way(request: pytest.FixtureRequest) -> Iterator[str]:
    with ExitStack() as stack:
        if request.param == "in bulk":
            stack.enter_context(in_bulk())
        yield request.param


def test_the_transfer_itself_is_right(tmp_path: Path, skarvin: Skarvin, way: str) -> None:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    assert (skarvin("write").code, way) == (0, way)
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8")
    files = json.loads((tmp_path / "ledger.json").read_bytes())["files"]
    for name in {"import", "marks"} & files.keys():
        assert files[name]["sha256"] == sha256((tmp_path / files[name]["name"]).read_bytes()).hexdigest()
    assert ("marks" in files) == (way == "in bulk")
    assert written == "No;Knots [10];Lofting [20];Remarks\n1;7;10;fine\n2;8;12;slow\n3;9;14;\n4;6;16;ok\n5;2;;x\n"


@pytest.mark.parametrize("broken", BROKEN)
def test_a_broken_stage_is_caught_and_nothing_is_written(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: Patch, way: str, broken: Callable[[Patch], None]
) -> None:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    broken(monkeypatch)
    before = sorted(path.name for path in tmp_path.iterdir())
    done = skarvin("write")
    assert (way, done.code, sorted(path.name for path in tmp_path.iterdir())) == (way, 4, before)
    assert any(
        word in done.err for word in ("second", "ledger", "lines don't make", "meaning", "two marks", "isn't its pair")
    )
