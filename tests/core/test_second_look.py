"""The second look finds whatever isn't as the ledger says, and the ledger whatever doesn't add up."""

from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from msgspec.structs import replace

from ledgers import ledger
from skarvin.core.findings import Refused
from skarvin.core.ledger.control_totals import ControlTotal, check_balance
from skarvin.core.ledger.second_look.claims import Claims
from skarvin.core.ledger.second_look.comparison import Files, SecondLook, look_again, look_up_marks
from skarvin.core.ledger.second_look.text_rows import TextReading
from skarvin.core.reasons import Fate
from skarvin.core.transfer.settling import Settled, settle_transfer

FORM = 'No;Name;Knots;Notes\n001;Kim;;"a\nb"\n002;"Reyes; Luz";5;\n003;Diallo;;\n'
RIGHT = 'No;Name;Knots;Notes\n001;Kim;7;"a\nb"\n002;"Reyes; Luz";8;\n003;Diallo;;\n'
SENT: list[dict[str, Any]] = [
    {"row": 2, "column": "C", "to_row": 2, "to_column": "C", "fate": "sent", "mark": "7", "was": "", "now": "7"},
    {"row": 3, "column": "C", "to_row": 3, "to_column": "C", "fate": "changed", "mark": "8", "was": "5", "now": "8"},
]


def look(folder: Path, form: bytes, written: bytes, claims: Claims, codec: str = "utf-8") -> SecondLook:
    old, new = folder / "old.csv", folder / "new.csv"
    old.write_bytes(form)
    new.write_bytes(written)
    return look_again(Files(old, old, new, folder / "form-import.csv"), TextReading(codec, ";", '"'), claims)


WRONG = {
    "another mark": (RIGHT.replace("Kim;7", "Kim;8"), (2, 2)),
    "a mark on the wrong row": (RIGHT.replace("Kim;7", "Kim;").replace("Diallo;", "Diallo;7"), (2, 2)),
    "a name changed": (RIGHT.replace("Reyes", "Rayes"), (3, 1)),
    "a note changed": (RIGHT.replace("a\nb", "a\nc"), (2, 3)),
    "a row missing": (RIGHT.replace("003;Diallo;;\n", ""), (4, None)),
    "a row too many": (f"{RIGHT}004;Nour;;\n", (5, None)),
    "rows in another order": (RIGHT.replace("003;Diallo;;\n", "").replace("001", "003;Diallo;;\n001"), (4, 0)),
    "a cell too many": (RIGHT.replace("Kim;7;", "Kim;7;;"), (2, None)),
    "a cell beyond the headings": (RIGHT.replace("Diallo;;", "Diallo;;;9"), (4, 4)),
    "an untouched row changed": (RIGHT.replace("Diallo;;", "Diallo;0;"), (4, 2)),
    "an untouched row quoted otherwise": (RIGHT.replace("003;Diallo", '003;"Diallo"'), (4, None)),
    "a heading changed": (RIGHT.replace("Knots", "Knot"), (1, 2)),
    "other line ends": (RIGHT.replace("Diallo;;\n", "Diallo;;\r\n"), (None, None)),
    "no last line end": (RIGHT[:-1], (None, None)),
    "a byte order mark": (f"\ufeff{RIGHT}", (None, None)),
}


@pytest.mark.parametrize("codec", ["utf-8", "utf-16-le"])
def test_a_file_that_is_as_it_should_be_is_counted(tmp_path: Path, codec: str) -> None:
    form = FORM.encode(codec)
    assert look(tmp_path, form, RIGHT.encode(codec), ledger(form, SENT), codec)[:2] == (4, 2)


@pytest.mark.parametrize("wrong", WRONG)
def test_whatever_is_not_as_it_should_be_is_told_with_its_place(tmp_path: Path, wrong: str) -> None:
    text, place = WRONG[wrong]
    with pytest.raises(Refused) as caught:
        look(tmp_path, FORM.encode(), text.encode(), ledger(FORM.encode(), SENT))
    assert caught.value.findings[-1].slug == "withdrawn"
    places = [(finding.place.row_number, finding.place.column) for finding in caught.value.findings if finding.place]
    assert place in places


def test_every_difference_is_named_with_what_was_found_and_what_was_expected(tmp_path: Path) -> None:
    text = RIGHT.replace("Kim;7", "Kim;6").replace('Luz";8', 'Luz";')
    with pytest.raises(Refused) as caught:
        look(tmp_path, FORM.encode(), text.encode(), ledger(FORM.encode(), SENT))
    assert [str(finding) for finding in caught.value.findings[:2]] == [
        "form-import.csv, row 2, column C: the cell says '6', and by the ledger it must say '7'.",
        "form-import.csv, row 3, column C: the cell says '', and by the ledger it must say '8'.",
    ]


def test_a_mark_that_was_sent_and_changes_nothing_does_not_count_as_moved(tmp_path: Path) -> None:
    marks = [SENT[0] | {"was": "7"}]
    form = FORM.replace("Kim;", "Kim;7")
    with pytest.raises(Refused, match="0 cells differ from the form, and the ledger counts 1 sent or replaced"):
        look(tmp_path, form.encode(), form.encode(), ledger(form.encode(), marks))


SELF_CONTRADICTIONS = {
    "two marks for one cell": [*SENT, SENT[0] | {"column": "D"}],
    "a mark that is sent and says nothing": [SENT[1], {name: SENT[0][name] for name in SENT[0] if name != "now"}],
    "a held mark that says something": [SENT[1], SENT[0] | {"fate": "held"}],
    "another text before": [SENT[0], SENT[1] | {"was": "6"}],
    "a row that isn't there": [*SENT, SENT[0] | {"row": 9, "to_row": 9}],
    "a column that isn't there": [*SENT, SENT[0] | {"to_column": "Z"}],
}


@pytest.mark.parametrize("wrong", SELF_CONTRADICTIONS)
def test_a_ledger_that_contradicts_itself_or_the_form_is_refused(tmp_path: Path, wrong: str) -> None:
    with pytest.raises(Refused):
        look(tmp_path, FORM.encode(), RIGHT.encode(), ledger(FORM.encode(), SELF_CONTRADICTIONS[wrong]))


def test_a_ledger_that_contradicts_itself_says_what_and_where(tmp_path: Path) -> None:
    lacks = {name: SENT[0][name] for name in SENT[0] if name != "now"}
    for mark, what in ((lacks, "sent lacks"), (SENT[0] | {"fate": "held"}, "held has")):
        with pytest.raises(Refused, match=rf"row 2, column C: .*a mark that is {what} a new text"):
            look(tmp_path, FORM.encode(), RIGHT.encode(), ledger(FORM.encode(), [SENT[1], mark]))


@pytest.mark.parametrize(
    ("export", "says"), [("001;Kim;7\n002;Reyes;8\n", None), ("001;Kim\n002;Reyes;8\n", "''"), ("001;Kim;7\n", "gone")]
)
def test_a_mark_is_looked_up_in_a_row_that_ends_before_it_or_is_gone(
    tmp_path: Path, export: str, says: str | None
) -> None:
    (tmp_path / "export.csv").write_text(f"No;Name;Knots\n{export}", encoding="utf-8")
    reading, claims = TextReading("utf-8", ";", '"'), ledger(FORM.encode(), SENT)
    if says is None:
        assert look_up_marks(tmp_path / "export.csv", reading, claims) == 2
    else:
        what = {"''": "row 2, column C: the export says '' here, and the ledger '7'", "gone": "a row that isn't there"}
        with pytest.raises(Refused, match=what[says]):
            look_up_marks(tmp_path / "export.csv", reading, claims)


@pytest.mark.parametrize("others", [(), ("cp1252",)])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_rows_read_again_keep_their_ends_and_their_last_blanks(
    tmp_path: Path, others: tuple[str, ...], end: str
) -> None:
    odd = "Sá".encode(others[0]) if others else b"Sa"
    data = b";".join([b'"1;"', odd]) + b"  " + end.encode() + f"2;x \t{end}".encode()
    (tmp_path / "x.csv").write_bytes(data)
    rows = list(TextReading("utf-8", ";", '"', others=others).rows(tmp_path / "x.csv"))
    assert [(row.text, row.end) for row in rows] == [(f'"1;";{"Sá" if others else "Sa"}  ', end), ("2;x \t", end)]


def test_a_mark_of_a_student_who_is_another_rows_pair_is_refused(tmp_path: Path) -> None:
    claims = ledger(FORM.encode(), SENT)
    claims._pairs[0, 2] = 4  # noqa: SLF001 - as if pairing and settling disagreed
    with pytest.raises(Refused, match="isn't its pair"):
        look(tmp_path, FORM.encode(), RIGHT.encode(), claims)


def test_a_form_that_is_not_the_one_that_was_read_is_refused(tmp_path: Path) -> None:
    with pytest.raises(Refused, match="changed while this ran"):
        look(tmp_path, FORM.encode(), RIGHT.encode(), ledger(b"another", SENT))


@pytest.fixture
def settled(drafted: Path) -> Settled:
    return settle_transfer(drafted / "transfer.toml")


def test_books_that_balance_pass(settled: Settled) -> None:
    check_balance(list(settled.totals), 3)
    knots = next(books for books in settled.totals if books.item.source.title == "Knots")
    assert dict(knots.fates) == {Fate.SAME: 1, Fate.SENT: 1, Fate.CHANGED: 1}
    assert knots.source == ControlTotal(3, Decimal("14.5"))
    assert (knots.target_before.sum, knots.replaced.sum, knots.moved_after.sum) == (
        Decimal(13),
        Decimal(5),
        Decimal("6.5"),
    )
    assert knots.target_after == ControlTotal(3, Decimal("14.5"))


def test_a_mark_without_a_fate_is_refused(settled: Settled) -> None:
    with pytest.raises(Refused, match="3 fates for 4 source marks"):
        check_balance(list(settled.totals), 4)


@pytest.mark.parametrize("part", ["target_before", "target_after", "replaced", "moved_after"])
@pytest.mark.parametrize(("count", "amount"), [(0, 1), (1, 0)])
def test_sums_or_counts_that_do_not_add_up_are_refused(settled: Settled, part: str, count: int, amount: int) -> None:
    knots = settled.totals[0]
    wrong = getattr(knots, part)
    spoiled = replace(knots, **{part: ControlTotal(wrong.count + count, wrong.sum + amount)})
    with pytest.raises(Refused, match="the books don't balance"):
        check_balance([spoiled], 3)


def test_the_ledger_tells_each_mark_with_its_place(settled: Settled) -> None:
    lines = [
        (line.entry.position, line.item.source.letter, line.outcome.fate) for line in settled.ledger.lines(list(Fate))
    ]
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
@pytest.mark.parametrize("last", ["\n", ""])
def test_a_row_that_was_added_must_be_as_it_should_be_too(
    tmp_path: Path, added: str, last: str, *, is_right: bool
) -> None:
    form = FORM[:-1] + last
    marks = [SENT[0] | {"row": 5, "to_row": 5}]
    claims = ledger(form.encode(), marks, [{"to_row": 5, "cells": ["004", "Nour", "", ""]}])
    written = f"{FORM}{added}" if last else f"{FORM}{added}"[:-1]
    if is_right:
        assert look(tmp_path, form.encode(), written.encode(), claims)[:2] == (5, 1)
        return
    with pytest.raises(Refused):
        look(tmp_path, form.encode(), written.encode(), claims)
