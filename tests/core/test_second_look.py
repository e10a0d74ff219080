"""The second look finds whatever isn't as the ledger says, and the ledger whatever doesn't add up."""

from dataclasses import replace
from decimal import Decimal
from pathlib import Path

import pytest

from skarvin.core.findings import Refused
from skarvin.core.ledger.fates import Fate
from skarvin.core.ledger.second_look import Reading, look_again
from skarvin.core.ledger.totals import Total, check_balance
from skarvin.core.transfer.carry_out import Settled, settle_transfer

TEMPLATE = 'No;Name;Knots;Notes\n001;Kim;;"a\nb"\n002;"Reyes; Luz";5;\n003;Diallo;;\n'
RIGHT = 'No;Name;Knots;Notes\n001;Kim;7;"a\nb"\n002;"Reyes; Luz";8;\n003;Diallo;;\n'
ROWS, TEXTS = {1: [0], 2: [1]}, ["7", "8"]

WRONG = {
    "another mark": (RIGHT.replace("Kim;7", "Kim;8"), (2, 2)),
    "a mark on the wrong row": (RIGHT.replace("Kim;7", "Kim;").replace("Diallo;", "Diallo;7"), (2, 2)),
    "a name changed": (RIGHT.replace("Reyes", "Rayes"), (None, 1)),
    "a note changed": (RIGHT.replace("a\nb", "a\nc"), (None, 3)),
    "a row missing": (RIGHT.replace("003;Diallo;;\n", ""), (4, None)),
    "a row too many": (f"{RIGHT}004;Nour;;\n", (5, None)),
    "rows in another order": (RIGHT.replace("003;Diallo;;\n", "").replace("001", "003;Diallo;;\n001"), (4, None)),
    "a cell too many": (RIGHT.replace("Kim;7;", "Kim;7;;"), (2, None)),
    "an untouched row changed": (RIGHT.replace("Diallo;;", "Diallo;0;"), (4, None)),
    "other line ends": (RIGHT.replace("Diallo;;\n", "Diallo;;\r\n"), (None, None)),
    "a byte order mark": (f"\ufeff{RIGHT}", (None, None)),
}


@pytest.mark.parametrize("codec", ["utf-8", "utf-16-le"])
def test_a_file_that_is_as_it_should_be_is_counted(tmp_path: Path, codec: str) -> None:
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(TEMPLATE.encode(codec))
    new.write_bytes(RIGHT.encode(codec))
    found = look_again(old, new, Reading(codec, ";", '"'), [2], ROWS, TEXTS)
    assert (found.rows, found.differing) == (4, {2: 2})


@pytest.mark.parametrize("wrong", WRONG)
def test_whatever_is_not_as_it_should_be_is_told_with_its_place(tmp_path: Path, wrong: str) -> None:
    text, place = WRONG[wrong]
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(TEMPLATE.encode())
    new.write_bytes(text.encode())
    with pytest.raises(Refused) as caught:
        look_again(old, new, Reading("utf-8", ";", '"'), [2], ROWS, TEXTS)
    first = caught.value.findings[0].place
    assert first is not None
    assert caught.value.findings[-1].slug == "withdrawn"
    if place != (None, None):
        assert place in [(one.place.row, one.place.column) for one in caught.value.findings if one.place]


@pytest.fixture
def settled(drafted: Path) -> Settled:
    return settle_transfer(drafted / "transfer.toml")


def test_books_that_balance_pass(settled: Settled) -> None:
    check_balance(list(settled.totals), 3)
    knots = next(one for one in settled.totals if one.item.source.title == "Knots")
    assert dict(knots.fates) == {Fate.SAME: 1, Fate.SENT: 1, Fate.CHANGED: 1}
    assert knots.source == Total(3, Decimal("14.5"))
    assert (knots.target_before.sum, knots.replaced.sum, knots.moved_after.sum) == (
        Decimal(13),
        Decimal(5),
        Decimal("6.5"),
    )
    assert knots.target_after == Total(3, Decimal("14.5"))


def test_a_mark_without_a_fate_is_refused(settled: Settled) -> None:
    with pytest.raises(Refused, match="3 fates for 4 source marks"):
        check_balance(list(settled.totals), 4)


@pytest.mark.parametrize("part", ["target_before", "target_after", "replaced", "moved_after"])
def test_sums_that_do_not_add_up_are_refused(settled: Settled, part: str) -> None:
    knots = settled.totals[0]
    wrong = getattr(knots, part)
    spoiled = replace(knots)
    object.__setattr__(spoiled, part, Total(wrong.count, wrong.sum + 1))
    with pytest.raises(Refused, match="the books don't balance"):
        check_balance([spoiled], 3)


def test_the_ledger_tells_each_mark_with_its_place(settled: Settled) -> None:
    lines = [(line.entry.row, line.item.source.letter, line.outcome.fate) for line in settled.ledger.lines(list(Fate))]
    assert lines == [
        *((0, "C", Fate.SAME), (0, "D", Fate.SENT), (1, "C", Fate.SENT), (1, "D", Fate.LEFT_OUT)),
        *((2, "C", Fate.CHANGED), (2, "D", Fate.HELD)),
    ]
    assert sum(settled.ledger.fates.values()) == len(lines)
    assert settled.ledger.target_only == ()


@pytest.mark.parametrize(
    ("added", "is_right"),
    [
        ("004;Nour;7;\n", True),
        ("004;Nour;8;\n", False),
        ("005;Nour;7;\n", False),
        ("004;Nour;7;x\n", False),
        ("004;Nour;7;\n005;Kim;;\n", False),
        ("004;Nour;7;\n\n", False),
        ("", False),
    ],
)
def test_a_row_that_was_added_must_be_as_it_should_be_too(tmp_path: Path, added: str, *, is_right: bool) -> None:
    old, new = tmp_path / "old.csv", tmp_path / "new.csv"
    old.write_bytes(TEMPLATE.encode())
    new.write_bytes(f"{TEMPLATE}{added}".encode())
    base = {4: ("004", "Nour", "", "")}
    if is_right:
        found = look_again(old, new, Reading("utf-8", ";", '"'), [2], {4: [0]}, TEXTS, base)
        assert (found.rows, found.differing) == (5, {2: 1})
        return
    with pytest.raises(Refused):
        look_again(old, new, Reading("utf-8", ";", '"'), [2], {4: [0]}, TEXTS, base)
