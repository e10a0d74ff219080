"""A list to type from, for a target that takes no import."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, edit
from skarvin.reports import typing_list

EXPORT = """\
No,Name,Knots (out of 10),Lofting (out of 20)
w-017,Aoife Byrne,7,15
w-002,"Çelik, Yağmur",8.50,
w-103,Bo Diallo,,
w-009,Chidi Okoro,9,12
w-044,Dana Sørli,13,4
w-045,Eun-ji Han,6,A
"""
SCREEN = "Okoro, Chidi\nByrne, Aoife\nDiallo, Bo\nSørli, Dana\nNew, Nina\nÇelik, Yağmur\nHan, Eun-ji\n"


@pytest.fixture
def folder(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "screen.txt").write_text(SCREEN, encoding="utf-8")
    assert skarvin("draft", "export.csv", "screen.txt", "--typing").code == 0
    return tmp_path


def test_the_marks_stand_in_the_order_of_the_screen_in_fives_with_their_sums(folder: Path, skarvin: Skarvin) -> None:
    run = skarvin("write")
    assert run.code == 1
    text = (folder / "screen-to-type.txt").read_text(encoding="utf-8")
    lines = [[cell.strip() for cell in line.split("|")] for line in text.splitlines()]
    assert [line for line in lines if "[ ]" in line] == [
        ["1", "[ ]", "Okoro, Chidi", "9", "12"],
        ["2", "[ ]", "Byrne, Aoife", "7", "15"],
        ["3", "[ ]", "Diallo, Bo", "-", "-"],
        ["4", "[ ]", "Sørli, Dana", "?", "4"],
        ["5", "[ ]", "New, Nina", "-", "-"],
        ["6", "[ ]", "Çelik, Yağmur", "8.50", "-"],
        ["7", "[ ]", "Han, Eun-ji", "6", "?"],
    ]
    assert lines[-4:-2] == [["", "", "marks", "4", "3"], ["", "", "sum", "30.5", "31"]]
    assert "To decide: " in text
    assert text.splitlines()[10] == "", "after five lines there is room"
    assert text.rstrip() in run.out
    page = (folder / "screen-to-type.html").read_text(encoding="utf-8")
    assert page.count("☐") == 7
    assert (page.count('class="mark none">-<'), page.count(">?<")) == (5, 2)
    assert "“-” is no mark, “?” one that waits for a person" in page
    assert "Çelik, Yağmur" in page
    assert not list(folder.glob("*import*"))
    ledger = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))
    assert ledger["fates"]["sent"] == 7


@pytest.mark.parametrize(
    ("old", "new"), [("] | Okoro", " | Okoro"), (" 15", " 51"), ("New, Nina", "Nina"), ("30.5", "31")]
)
def test_a_slip_in_the_list_is_seen(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, old: str, new: str
) -> None:
    real = typing_list.typing_text
    monkeypatch.setattr(typing_list, "typing_text", lambda *given: real(*given).replace(old, new))
    run = skarvin("write")
    assert (run.code, "withdrawn" in run.err, list(folder.glob("screen-*"))) == (4, True, [])


def test_of_two_of_one_name_on_the_screen_both_wait_and_numbers_help(folder: Path, skarvin: Skarvin) -> None:
    (folder / "screen.txt").write_text(SCREEN + "Aoife Byrne\n", encoding="utf-8")
    assert skarvin("write", "--replace").code == 1
    waiting = [
        line
        for line in (folder / "screen-to-type.txt").read_text("utf-8").splitlines()
        if "?" in line and "[ ]" in line
    ]
    assert [line.split("|")[2].strip() for line in waiting if "Byrne" in line] == ["Byrne, Aoife", "Aoife Byrne"]
    edit(folder / "screen.txt", "Byrne, Aoife\n", "Byrne, Aoife w-017\n")
    edit(folder / "screen.txt", "Aoife Byrne\n", "Aoife Byrne w-555\n")
    assert skarvin("preview").code in {0, 1}
