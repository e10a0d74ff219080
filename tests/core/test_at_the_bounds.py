"""Rules are tried at their bounds, just below and just above; and each side of a rule that has two."""

import json
from decimal import ROUND_DOWN, ROUND_HALF_EVEN, ROUND_HALF_UP, ROUND_UP, Decimal
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from skarvin.core.findings import Refused, Row, Source
from skarvin.core.gradebook import Student
from skarvin.core.grid import journal
from skarvin.core.grid.read import read_grid
from skarvin.core.items.matching import propose
from skarvin.core.layout.columns import Column, Use
from skarvin.core.ledger.arrival import ItemComparison
from skarvin.core.ledger.second_look.claims import Cell, PartClaim
from skarvin.core.ledger.second_look.parts import look_at_parts
from skarvin.core.ledger.second_look.text_rows import TextReading
from skarvin.core.ledger.since import Known, SinceRule, decide_since
from skarvin.core.marks.choices import Existing, Repeated
from skarvin.core.marks.convert import MarkRule
from skarvin.core.marks.scales import Band, Scale
from skarvin.core.marks.several import RowMark, Several, which_counts
from skarvin.core.plan.open_points import Kind, Question, read_answer
from skarvin.core.reasons import Fate
from skarvin.core.students.by_weight import Likely, Odds, Rivals, choose
from skarvin.core.students.pairing import Certainty
from skarvin.core.students.weights import Weight
from skarvin.core.targets import sheet_target
from skarvin.core.targets.sheet_rules import Style
from skarvin.core.texts.numbers import Rounding, Steps, round_to

DECIMALS = {
    Rounding.HALF_UP: ROUND_HALF_UP,
    Rounding.HALF_EVEN: ROUND_HALF_EVEN,
    Rounding.UP: ROUND_UP,
    Rounding.DOWN: ROUND_DOWN,
}


@given(st.integers(-100_000, 100_000), st.integers(0, 3), st.sampled_from(sorted(DECIMALS)))
def test_numbers_are_rounded_as_decimal_arithmetic_does_below_zero_too(
    thousandths: int, decimals: int, rounding: Rounding
) -> None:
    wanted = (Decimal(thousandths) / 1000).quantize(Decimal(1).scaleb(-decimals), DECIMALS[rounding])
    assert round_to(Fraction(thousandths, 1000), decimals, rounding) == wanted


@given(st.integers(0, 100_000), st.sampled_from(["0.5", "0.25", "5", "0.125", "3"]), st.sampled_from(sorted(DECIMALS)))
def test_what_is_rounded_to_a_step_is_the_multiple_of_it_that_is_nearest(
    thousandths: int, step: str, rounding: Rounding
) -> None:
    found = Steps(2, rounding, Decimal(step)).rounded(Fraction(thousandths, 1000))
    mark, by = Decimal(thousandths) / 1000, Decimal(step)
    assert found % by == 0
    assert found == (mark / by).quantize(Decimal(1), DECIMALS[rounding]) * by
    assert abs(found - mark) < by if rounding in {Rounding.UP, Rounding.DOWN} else abs(found - mark) * 2 <= by


@given(st.integers(-1, 1), st.integers(1, 9))
def test_a_band_has_both_its_bounds_and_nothing_above_the_top(beside: int, parts: int) -> None:
    scale = Scale("care", (Band(Decimal(50), "good", Decimal(80)), Band(Decimal(20), "fair")), (), ())
    step = Fraction(beside, parts)
    assert scale.band(80 + step) == ("good" if beside <= 0 else None)
    assert scale.band(50 + step) == ("good" if beside >= 0 else "fair")
    assert scale.band(20 + step) == ("fair" if beside >= 0 else None)


def test_a_transfers_own_word_is_a_status_as_well_as_a_known_one() -> None:
    rule = MarkRule(statuses=(("moored", "X"),))
    assert [rule.is_status(text) for text in ("Moored", "absent", "adrift", "7")] == [True, True, False, False]


@pytest.mark.parametrize(
    ("which", "marks", "place"),
    [
        (Repeated.AGREE, [("7", False), ("7", False)], 0), (Repeated.AGREE, [("7", True), ("7", False)], None),
        (Repeated.AGREE, [("7", False), ("7", True)], None), (Repeated.HIGHEST, [("3", False), ("9", False)], 1),
        (Repeated.HIGHEST, [("3", True), ("9", False)], 0), (Repeated.HIGHEST, [("9", False), ("x", False)], 1),
    ],
)  # fmt: skip
def test_a_mark_that_somebody_must_read_neither_agrees_nor_is_passed_over(
    which: Repeated, marks: list[tuple[str, bool]], place: int | None
) -> None:
    rows = [RowMark(text, is_held=is_held) for text, is_held in marks]
    assert which_counts(rows, MarkRule(), Several(which), None).place == place


@pytest.mark.parametrize(("last", "now", "fate"), [("5", "5", "changed"), ("", "5", "kept"), ("5", "4", "kept")])
def test_keep_keeps_what_others_wrote_and_not_what_was_sent_from_here(last: str, now: str, fate: str) -> None:
    rule = MarkRule(existing=Existing.KEEP)
    found = decide_since("6", (now, now), rule, Known(last), SinceRule())
    assert found.fate is {"changed": Fate.CHANGED, "kept": Fate.KEPT}[fate]


@pytest.mark.parametrize(
    ("was", "there", "written"), [("5", "6", "6"), ("", "6", None), ("-", "6", None), ("5", None, "6")]
)
def test_where_the_form_is_older_than_the_target_the_mark_that_stands_there_is_written(
    was: str, there: str | None, written: str | None
) -> None:
    found = decide_since("6", (was, was), MarkRule(), Known("", there), SinceRule())
    assert (found.fate, found.written) == (Fate.CHANGED if written else Fate.SAME, written)


@pytest.mark.parametrize(("files", "fault"), [(0, "no file"), (1, ""), (2, "a file twice, or in two")])
def test_a_mark_stands_in_one_file_of_several(tmp_path: Path, files: int, fault: str) -> None:
    text = "No;Name;Knots\n001;Kim;7\n"
    paths = [tmp_path / f"part-{number}.csv" for number in range(files)]
    for path in (tmp_path / "whole.csv", *paths):
        path.write_text(text)
    parts = [PartClaim(None, None)] * files
    claims = cast("Any", SimpleNamespace(parts=parts, rows=lambda: [(1, {2: Cell("", "7")})]))
    wanted = [(path, path) for path in paths] or [(tmp_path / "whole.csv", tmp_path / "none.csv")]
    if not files:
        claims.parts = [PartClaim([0], None)]
        wanted[0][0].with_name("heads.csv").write_text("No;Name;Knots\n")
        wanted = [(tmp_path / "heads.csv", tmp_path / "heads.csv")]
    reading = TextReading("utf-8", ";", '"')
    if fault:
        with pytest.raises(Refused, match=fault):
            look_at_parts(tmp_path / "whole.csv", wanted, reading, claims)
    else:
        assert look_at_parts(tmp_path / "whole.csv", wanted, reading, claims) == 2


@pytest.mark.parametrize("newcomer", ["ours", "nobody", "somebody else"])
def test_what_somebody_else_put_in_the_place_of_a_file_since_stays(tmp_path: Path, newcomer: str) -> None:
    token, new, old = "0123456789abcdef", tmp_path / "marks.csv", tmp_path / ".marks.csv.0123456789abcdef.old"
    for path, text in ((new, "new"), (old, "old"), (tmp_path / f".skarvin.{token}.journal", "")):
        path.write_text(text)
    inode = new.stat().st_ino
    if newcomer != "ours":
        new.rename(tmp_path / "aside.csv")
    if newcomer == "somebody else":
        new.write_text("theirs")
    record = journal._record(token)  # noqa: SLF001 - as a run that was cut off leaves it
    record.parent.mkdir(parents=True, exist_ok=True)
    record.write_text(json.dumps([{"name": "marks.csv", "inode": inode, "replaced": old.stat().st_ino}]))
    found = journal.recover(tmp_path)
    is_theirs = newcomer == "somebody else"
    assert new.read_text() == ("theirs" if is_theirs else "old")
    assert found.put_back == (() if is_theirs else ("marks.csv",)), "what isn't as it was isn't said to be"


@pytest.mark.parametrize(
    ("text", "is_number"),
    [("123456789012345", True), ("1234567890123456", False), ("12345678901234.5", True), ("007", False), ("0", True)],
)
def test_a_workbook_keeps_fifteen_digits_and_more_stay_text(text: str, is_number: bool) -> None:
    stored = sheet_target._stored(text, Style())  # noqa: SLF001 - the rule alone
    assert (stored is not None) == is_number


@pytest.mark.parametrize(
    ("kind", "said", "answer"),
    [
        (Kind.MAXIMUM, "0", None), (Kind.MAXIMUM, "0.5", '"0.5"'), (Kind.MAXIMUM, "-1", None), (Kind.MARK, "0", "0"),
        (Kind.MARK, "-0.5", None), (Kind.MAXIMUM, "same", '"same"'), (Kind.MARK, "7,5", "7.5"),
    ],
)  # fmt: skip
def test_a_maximum_is_above_zero_and_a_mark_may_be_zero(kind: Kind, said: str, answer: str | None) -> None:
    assert read_answer(Question(1, kind, "?", ()), said) == answer


def test_of_two_forms_items_of_one_title_that_of_the_same_maximum_is_nearer() -> None:
    def item(index: int, title: str, out_of: int | None) -> Column:
        plain = Column(index=index, heading=title, use=Use.ITEM, evidence="", title=title)
        return replace(plain, out_of=None if out_of is None else Decimal(out_of))

    for order in ((10, 20), (20, 10)):
        (found,) = propose([item(0, "Knots", 10)], [item(place, "Knots", out_of) for place, out_of in enumerate(order)])
        assert found.target is not None
        assert found.target.out_of == 10
    for title, other, sure in (("Rigging one", "Rigging", {10, None}), ("Planking", "Planks", {10})):
        for out_of in (10, None, 20):
            (found,) = propose([item(0, title, 10)], [item(0, other, out_of)])
            assert (found.target is not None) == (out_of in sure), (title, out_of)


def _person(file: str, place: int) -> Student:
    return Student(Row(Source(Path(file)), place), "", f"Lena Meier {place}")


@pytest.mark.parametrize("where", ["nowhere", "among theirs", "among ours"])
def test_a_pair_is_as_risky_with_a_rival_on_either_side(where: str) -> None:
    ours, theirs = _person("export.csv", 1), _person("form.csv", 1)
    rivals, pair = Rivals(Odds((0.1, 0.1), 10)), Likely(theirs, Weight(12, ()))
    rivals.add(ours, pair)
    alone = rivals.risk(ours.row, pair)
    if where == "among theirs":
        rivals.add(ours, Likely(_person("form.csv", 2), Weight(11, ())))
    elif where == "among ours":
        rivals.add(_person("export.csv", 2), Likely(theirs, Weight(11, ())))
    risk = rivals.risk(ours.row, pair)
    assert risk == alone if where == "nowhere" else 0.3 < risk < 0.4


def test_a_lone_quotation_mark_swallows_no_second_row(tmp_path: Path) -> None:
    for count in (2, 3):
        rows = [f"20{place};ok{'x' * place};4" for place in range(11, 15)]
        lines = [
            "Id;Note;Mark",
            *rows,
            '2031;"late;5',
            *["2032;fine;6"] * (count - 2),
            '2040;five" boards;7',
            "2041;so;8",
        ]
        (tmp_path / "export.csv").write_text("\n".join(lines) + "\n")
        grid = read_grid(tmp_path / "export.csv")
        assert [grid.cells(row)[0] for row in range(1, len(grid))] == [line.split(";")[0] for line in lines[1:]]


@pytest.mark.parametrize(
    ("sent", "shown", "maxima", "is_same"),
    [
        ("85 %", "85%", (None, None), True),
        ("85 %", "84 %", (None, None), False),
        ("85 %", "85 %", (Decimal(10), Decimal(20)), True),  # a percentage is one, whatever the maxima
        ("8", "16", (Decimal(10), Decimal(20)), True),
        ("8", "8", (Decimal(10), Decimal(20)), False),
        ("8/10", "16/20", (None, None), True),
        ("8/10", "8/20", (None, None), False),
        ("8", "8.0", (None, Decimal(20)), True),
        ("2", "6.7", (Decimal(3), Decimal(10)), True),
        ("2", "6.6", (Decimal(3), Decimal(10)), False),
    ],
)
def test_two_marks_are_one_if_they_are_the_same_part_of_their_maxima(
    sent: str, shown: str, maxima: tuple[Decimal | None, Decimal | None], *, is_same: bool
) -> None:
    assert ItemComparison({sent: 1}, {shown: 1}, maxima).is_same(sent, shown) is is_same


@pytest.mark.parametrize(("below", "is_paired"), [(0, False), (2.99, False), (3, True), (9, True)])
def test_somebody_elses_row_that_is_nearly_as_likely_keeps_a_pair_from_being_made(
    below: float, *, is_paired: bool
) -> None:
    ours, free, taken = _person("export.csv", 1), _person("form.csv", 1), _person("form.csv", 2)
    best, other = Likely(free, Weight(30, ())), Likely(taken, Weight(30 - below, ()))
    rivals = Rivals(Odds((0.1, 0.1), 10))
    rivals.add(ours, best)
    chosen = choose({ours.row: ours}, {ours.row: (best, other)}, [free.row], rivals, lambda *_: "", Certainty.USUAL)
    assert bool(chosen.pairs) is is_paired
