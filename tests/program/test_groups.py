"""Marks of groups through the built program: each member has the group's mark, with what is added for single ones."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, as_exported, column
from skarvin.core.transfer.group_marks import adjusted

GROUPS = "Crew;Hull (10);Sail (10)\nKeel;7;8,5\nMast;9;6\nBow;5;\nStern;4;4\n"
MEMBERS = """No,Name,Crew,Extra
011,Ana Sato,Keel,
012,Rui Nair,keel,+1
013,Zoe Abara,Mast,-2
014,Ole Ek,Mast,x0.5
015,Ibe Oka,Bow,+1
016,Lin Wu,,
017,Max Roy,Gaff,
018,Kim Lo,Keel,
018,Kim Lo,Mast,
"""
NUMBERS = [f"{number:03}" for number in range(11, 19)]


def drafted(folder: Path, skarvin: Skarvin, groups: str, members: str, *more: str) -> None:
    (folder / "groups.csv").write_text(groups, encoding="utf-8")
    (folder / "crews.csv").write_text(members, encoding="utf-8")
    (folder / "form.csv").write_text("Id;Hull;Sail\n" + "".join(f"{number};;\n" for number in NUMBERS))
    options = ("--members", "crews.csv", "--missing-maximum", "same", *more)
    run = skarvin("draft", "groups.csv", "form.csv", *options)
    assert run.code == 0, run.err


@pytest.mark.parametrize("listed", [0, 20_000])
def test_members_have_the_marks_of_their_group_and_who_is_in_none_or_two_is_held(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, listed: int
) -> None:
    """However many there are, each mark is listed with the group's row, which is of another file."""
    monkeypatch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", listed)
    drafted(tmp_path, skarvin, GROUPS, MEMBERS)
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == ["7", "8", "7", "4.5", "6", "", "", ""]
    assert column(tmp_path, 2) == ["8.5", "9.5", "4", "3", "", "", "", ""]
    ledger = json.loads((tmp_path / "ledger.json").read_bytes())
    marks = ledger["marks"]["list"]
    own = {(one["row"], one["column"]): one for one in marks}
    assert (own[2, "B"]["mark"], own[2, "B"]["mark_row"], own[2, "B"].get("correction")) == ("7", 2, None)
    assert own[3, "C"]["correction"] == {"text": "9,5", "by": "crews.csv", "why": "8,5 of 'keel', and +1"}
    assert own[5, "B"]["correction"]["why"] == "9 of 'Mast', and x0.5"
    assert ledger["second_look"]["marks_looked_up"] == 14
    shown = " ".join(skarvin("preview", "--all").out.split())
    for reason in ("in no group", "the group 'Gaff' isn't in groups.csv", "in several groups: 'Keel' and 'Mast'"):
        assert reason in shown
    assert "'+1' is added to no mark" in shown
    assert "10 lines = 10 records = 1 row of headings and 9 rows of students" in shown
    assert skarvin("confirm", as_exported()).code in {0, 1}
    held = (tmp_path / "held.csv").read_text(encoding="utf-8-sig")
    assert "B2 of groups.csv,018,Kim Lo,Hull (10),7" in held


@pytest.mark.parametrize(
    "form", ["Id,Name,Hull,Sail\n", "Pupil,Task,Score\n", "Id;Name;Hull;Sail\nX;Ann Example;7;8\n"]
)
def test_who_is_in_no_group_is_held_where_rows_are_made(tmp_path: Path, skarvin: Skarvin, form: str) -> None:
    """No mark stands beside such a student, who would get no row."""
    (tmp_path / "groups.csv").write_text(GROUPS.replace("8,5", "8"), encoding="utf-8")
    (tmp_path / "crews.csv").write_text(MEMBERS.replace("018,Kim Lo,Keel,\n018,Kim Lo,Mast,\n", ""), encoding="utf-8")
    (tmp_path / "form.csv").write_text(form, encoding="utf-8")
    options = ("--members", "crews.csv", "--missing-maximum", "same", *(["--sample"] if "Ann" in form else []))
    assert skarvin("draft", "groups.csv", "form.csv", *options).code == 0
    assert skarvin("write").code == 1
    items = json.loads((tmp_path / "ledger.json").read_bytes())["items"]
    assert [item["fates"]["held"] for item in items if item["to"]] == [2, 3]
    text = (tmp_path / "form-import.csv").read_text(encoding="utf-8-sig")
    assert ("016" in text, "015" in text) == (False, True)


def test_groups_that_are_called_otherwise_and_a_column_for_each_item(tmp_path: Path, skarvin: Skarvin) -> None:
    groups = "Gruppe,Hull,Sail\n1,7,8\n2,9,6\n"
    members = "Team;Matrikelnr;Hull Bonus\n1;011;+0,5\n2;012;\n1;013;110%\n2;014;\n"
    drafted(tmp_path, skarvin, groups, members)
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert 'group = "Team", in_export = "Gruppe", adjustments = { Hull = "Hull Bonus" }' in text
    assert skarvin("write").code == 0
    assert column(tmp_path, 1)[:4] == ["7.5", "9", "7.7", "9"]
    assert column(tmp_path, 2)[:4] == ["8", "6", "8", "6"]


def test_a_list_without_the_groups_is_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "groups.csv").write_text(GROUPS, encoding="utf-8")
    (tmp_path / "crews.csv").write_text("No,Name\n011,Ana Sato\n012,Rui Nair\n")
    (tmp_path / "form.csv").write_text("Id;Hull\n011;\n012;\n")
    run = skarvin("draft", "groups.csv", "form.csv", "--members", "crews.csv")
    assert run.code == 3
    assert "no column of crews.csv has the groups of groups.csv" in run.err


@pytest.mark.parametrize(
    ("mark", "added", "gives"),
    [
        ("7", "+1", "8"),
        ("7.5", "-0,25", "7.25"),
        ("7", "\N{MINUS SIGN}2", "5"),
        ("1", "-2", "-1"),
        ("8", "x0.9", "7.2"),
        ("8", "\N{MULTIPLICATION SIGN} 1.25", "10"),
        ("8", "110%", "8.8"),
        ("abs", "+1", None),
        ("8", "one more", None),
        ("80%", "+1", None),
        ("7/10", "+1", None),
    ],
)
def test_what_is_added_is_added_exactly_or_not_at_all(mark: str, added: str, gives: str | None) -> None:
    assert adjusted(mark, added, is_comma=False) == gives
