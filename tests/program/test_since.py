"""Only what is new: what was sent last, what the target says now, what the export says now."""

import json
import re
import shutil
from pathlib import Path

import pytest

from bulk import in_bulk
from conftest import Skarvin, as_exported, column, edit, lay_out
from skarvin.core.findings import Row
from skarvin.core.gradebook import Gradebook
from skarvin.core.ledger.since import HISTORY

PEOPLE = ("11", "12", "13", "14", "15", "16", "17")
FIRST = ("5", "6", "7", "8", "9", "4", "")
RULES = '[[item]]\nfrom = "B"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'


def export_of(marks: tuple[str, ...]) -> str:
    return "Id,Knots\n" + "".join(f"{one},{mark}\n" for one, mark in zip(PEOPLE, marks, strict=True))


def form_of(marks: tuple[str, ...]) -> str:
    return "Id;Note;Knots\n" + "".join(f"{one};;{mark}\n" for one, mark in zip(PEOPLE, marks, strict=True))


@pytest.fixture
def uploaded(tmp_path: Path, skarvin: Skarvin) -> Path:
    """Return a folder in which a first write was uploaded and confirmed."""
    lay_out(tmp_path, export_of(FIRST), form_of(("",) * 7), RULES)
    assert skarvin("write").code == 0
    assert skarvin("confirm", as_exported()).code == 0
    return tmp_path


NEW = ("5", "6.5", "7", "8.5", "9", "", "3")
"""The second is corrected in the export, the fourth on both sides, the sixth gone, the seventh new."""
THERE = ("5", "6", "7.5", "9", "", "4", "")
"""The third is corrected in the target, the fourth on both sides, the fifth missing."""
EXPECTED = {
    "11": ("same", ""),
    "12": ("changed", ""),
    "13": ("kept", "corrected-in-target"),
    "14": ("held", "both-changed"),
    "15": ("kept", "cleared-in-target"),
    "16": ("left out", "vanished"),
    "17": ("sent", ""),
}


def fates(skarvin: Skarvin, *arguments: str) -> dict[str, tuple[str, str]]:
    run = skarvin("preview", "--json", *arguments)
    assert run.code in {0, 1}, run.err
    data = json.loads(run.out)
    who = {pair["row"]: pair["identifier"] for pair in data["students"]["pairs"]}
    return {who[mark["row"]]: (mark["fate"], mark.get("slug", "")) for mark in data["marks"]["list"]}


def week_two(folder: Path) -> None:
    (folder / "export.csv").write_text(export_of(NEW), encoding="utf-8")
    (folder / "today.csv").write_text(form_of(THERE), encoding="utf-8")
    edit(folder / "transfer.toml", '"form.csv"', '"today.csv"')


ITEM = '[[item]]\nfrom = "{0}"\nto = "{1}"\nfrom_out_of = 10\nto_out_of = 10\ndecimals = {2}\n'


@pytest.mark.parametrize(
    ("titles", "later"),
    [
        (("Knots", "Lofting", "Rigging"), ("Knots", "Lofting", "Rigging")),
        (("Knots", "Lofting", "Rigging"), ("Rigging", "Knots", "Lofting")),
        (("Quiz", "Quiz", "Rigging"), ("Quiz", "Quiz", "Rigging")),
    ],
)
def test_each_mark_meets_what_was_sent_of_its_own_item(
    tmp_path: Path, skarvin: Skarvin, titles: tuple[str, ...], later: tuple[str, ...]
) -> None:
    """Items of one rule aren't beside each other, stand elsewhere later, or share their titles."""

    def table(heads: tuple[str, ...], marks: str, places: tuple[int, ...] = (0, 1, 2)) -> str:
        rows = [line.split() for line in marks.split(",")]
        return f"Id,{','.join(heads)}\n" + "".join(
            f"{11 + at},{','.join(row[place] if row[place] != '-' else '' for place in places)}\n"
            for at, row in enumerate(rows)
        )

    rules = "".join(ITEM.format("BCD"[at], "BCD"[at], (0, 1, 0)[at]) for at in range(3))
    lay_out(tmp_path, table(titles, "1 2 3,4 5 6,- 8 9"), table(titles, "- - -,- - -,- - -"), rules)
    assert skarvin("write").code == 0
    assert skarvin("confirm", as_exported()).code == 0
    places = tuple(titles.index(title) for title in later) if len(set(titles)) == len(titles) else (0, 1, 2)
    (tmp_path / "today.csv").write_text(table(later, "1 9 3,4 5 8,- 8 9", places), encoding="utf-8")
    (tmp_path / "export.csv").write_text(table(titles, "1 2 7,4 5 6,- 8 9"), encoding="utf-8")
    edit(tmp_path / "transfer.toml", '"form.csv"', '"today.csv"')
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    for at in range(3):
        text = text.replace(f'to = "{"BCD"[at]}"', f'to = "{"BCD"[places.index(at)]}!"')
    (tmp_path / "transfer.toml").write_text(text.replace('!"', '"'), encoding="utf-8")
    marks = json.loads(skarvin("preview", "--json").out)["marks"]["list"]
    with in_bulk():
        few = json.loads(skarvin("preview", "--json").out)["marks"]["list"]
    assert few == [mark for mark in marks if mark["fate"] not in {"same", "left out"}]
    assert {f"{mark['column']}{mark['row']}": (mark["fate"], mark.get("last", "")) for mark in marks} == {
        "B2": ("same", "1"),
        "C2": ("kept", "2"),
        "D2": ("changed", "3"),
        "B3": ("same", "4"),
        "C3": ("same", "5"),
        "D3": ("kept", "6"),
        "B4": ("left out", ""),
        "C4": ("same", "8"),
        "D4": ("same", "9"),
    }


def test_three_values_decide_what_becomes_of_a_mark(uploaded: Path, skarvin: Skarvin) -> None:
    week_two(uploaded)
    assert fates(skarvin) == EXPECTED
    run = skarvin("write", "--into", "second")
    assert run.code == 1
    text = (uploaded / "second" / "today-import.csv").read_text(encoding="utf-8")
    assert text == form_of(("5", "6.5", "7.5", "9", "", "4", "3"))
    said = " ".join(run.out.split())
    assert "1 changed on both sides, 1 gone from the export, 1 corrected in the target, 1 missing in the target" in said
    marks = json.loads((uploaded / "second" / "ledger.json").read_bytes())["marks"]["list"]
    both = next(mark for mark in marks if mark.get("slug") == "both-changed")
    assert (both["last"], both["was"], both["mark"]) == ("8", "9", "8.5")
    page = (uploaded / "second" / "report.html").read_text(encoding="utf-8")
    assert "corrected in the target" in page
    preview = " ".join(skarvin("preview").out.split())
    assert "14 Knots B5 8 9 8.5 changed on both sides: held" in preview
    assert 'changed_on_both_sides = "send" or "keep"' in preview


@pytest.mark.parametrize(
    ("ruled", "gives"),
    [
        ('corrected_in_target = "send"', {"13": ("changed", ""), "15": ("sent", "")}),
        ('corrected_in_target = "hold"', {"13": ("held", "corrected-in-target"), "15": ("held", "cleared-in-target")}),
        ('changed_on_both_sides = "send"', {"14": ("changed", "")}),
        ('changed_on_both_sides = "keep"', {"14": ("kept", "both-changed")}),
        ('send = "new and missing"', {"15": ("sent", "sent-again")}),
        ('send = "missing"', {"12": ("left out", "only-missing"), "15": ("sent", "sent-again")}),
    ],
)
def test_each_case_can_be_ruled_otherwise(
    uploaded: Path, skarvin: Skarvin, ruled: str, gives: dict[str, tuple[str, str]]
) -> None:
    week_two(uploaded)
    with (uploaded / "transfer.toml").open("a", encoding="utf-8") as transfer:
        transfer.write(f"[since]\n{ruled}\n")
    assert fates(skarvin) == EXPECTED | gives


def test_what_was_confirmed_counts_though_all_of_it_was_corrected_in_the_target_since(
    uploaded: Path, skarvin: Skarvin
) -> None:
    (uploaded / "today.csv").write_text(form_of(("1",) * 6 + ("",)), encoding="utf-8")
    edit(uploaded / "transfer.toml", '"form.csv"', '"today.csv"')
    kept = dict.fromkeys(PEOPLE[:6], ("kept", "corrected-in-target"))
    assert fates(skarvin) == kept | {"17": ("left out", "blank")}


def test_without_a_history_whatever_says_what_was_sent_can_be_named(uploaded: Path, skarvin: Skarvin) -> None:
    (uploaded / HISTORY).unlink()
    shutil.copy(uploaded / "export.csv", uploaded / "first-export.csv")
    with in_bulk():
        assert skarvin("write", "--into", "large").code == 0  # its marks stand in a file of their own
    (uploaded / HISTORY).unlink()
    assert (uploaded / "large" / "ledger-marks.jsonl").exists()
    short = (uploaded / "form-import.csv").read_text(encoding="utf-8").replace(";\n", "\n")
    (uploaded / "short.csv").write_text(short, encoding="utf-8")
    week_two(uploaded)
    assert fates(skarvin)["13"] == ("changed", "")
    whole = (uploaded / "transfer.toml").read_text(encoding="utf-8")
    for key, name in (
        ("sent_ledger", "ledger.json"),
        ("sent_ledger", "large/ledger.json"),
        ("sent_file", "form-import.csv"),
        ("sent_file", "short.csv"),
        ("sent_export", "first-export.csv"),
    ):
        (uploaded / "transfer.toml").write_text(f'{whole}[since]\n{key} = "{name}"\n', encoding="utf-8")
        assert fates(skarvin) == EXPECTED, key
    (uploaded / "transfer.toml").write_text(
        f'{whole}[since]\nsent_ledger = "ledger.json"\nsent_file = "x.csv"\n', encoding="utf-8"
    )
    run = skarvin("preview")
    assert run.code == 3
    assert "sent_ledger says already what was sent last" in run.err


@pytest.mark.parametrize(("old", "new"), [('"to_row": 2', '"to_row": "x"'), ('"column":"C"', '"column":"c4"')])
def test_a_ledger_that_was_changed_is_refused_with_the_way_on(
    uploaded: Path, skarvin: Skarvin, old: str, new: str
) -> None:
    text = (
        (uploaded / "ledger.json").read_text(encoding="utf-8").replace(old.replace(": ", ":"), new.replace(": ", ":"))
    )
    (uploaded / "changed.json").write_text(text, encoding="utf-8")
    with (uploaded / "transfer.toml").open("a", encoding="utf-8") as transfer:
        transfer.write('[since]\nsent_ledger = "changed.json"\n')
    for run in (skarvin("preview"), skarvin("confirm", as_exported(), "--ledger", "changed.json", "--replace")):
        assert run.code == 3, run
        assert "changed.json" in run.err
        assert "Write again with this version, or name another ledger" in run.err


def test_a_write_that_was_not_uploaded_does_not_count(tmp_path: Path, skarvin: Skarvin) -> None:
    """Neither with the same form, nor with a fresh one that has none of its marks: all is sent, and that is told."""
    lay_out(tmp_path, export_of(FIRST), form_of(("",) * 7), RULES)
    assert skarvin("write").code == 0
    assert set(fates(skarvin).values()) == {("sent", ""), ("left out", "blank")}
    assert "isn't confirmed, so that all is sent as if it hadn't been" in " ".join(skarvin("preview").out.split())
    (tmp_path / "today.csv").write_text(form_of(("1", "", "", "", "", "", "2")), encoding="utf-8")
    edit(tmp_path / "transfer.toml", '"form.csv"', '"today.csv"')
    assert fates(skarvin)["12"] == ("sent", "")
    (tmp_path / "today.csv").write_text(form_of(("1", "6", "7", "8", "9", "4", "2")), encoding="utf-8")
    assert fates(skarvin)["11"] == ("kept", "corrected-in-target")  # its own form shows that it was uploaded


def test_a_confirmation_that_found_nothing_of_a_write_does_not_make_it_uploaded(
    uploaded: Path, skarvin: Skarvin
) -> None:
    """The second write, never uploaded, is compared with an export from before it: the first one counts."""
    (uploaded / "export.csv").write_text(export_of(("5", "6.5", "7", "8", "9", "4", "3")), encoding="utf-8")
    (uploaded / "today.csv").write_text(form_of(FIRST), encoding="utf-8")
    edit(uploaded / "transfer.toml", '"form.csv"', '"today.csv"')
    assert skarvin("write", "--into", "second").code == 0
    assert skarvin("confirm", as_exported(), "--replace").code == 1
    found = fates(skarvin)
    assert (found["12"], found["17"], found["11"]) == (("changed", ""), ("sent", ""), ("same", ""))


def test_a_blank_form_knows_by_the_confirmation_what_the_target_says(uploaded: Path, skarvin: Skarvin) -> None:
    (uploaded / "today.csv").write_text(form_of(THERE), encoding="utf-8")
    assert skarvin("confirm", "today.csv").code == 1
    (uploaded / "export.csv").write_text(export_of(NEW), encoding="utf-8")
    assert fates(skarvin) == EXPECTED
    assert skarvin("write", "--into", "second").code == 1
    assert column(uploaded / "second", 2) == ["", "6.5", "", "", "", "", "3"]
    assert column(uploaded / "second", 2, "form-restore.csv") == ["", "6", "", "", "", "", ""]


def test_what_the_target_says_now_can_be_named_in_another_shape(uploaded: Path, skarvin: Skarvin) -> None:
    lines = [f"M-{one}|{mark.replace('.', ',')}|" for one, mark in zip(PEOPLE, THERE, strict=True)]
    (uploaded / "overview.txt").write_text("Member no|Knots (10)|\n" + "\n".join(lines), encoding="utf-8")
    (uploaded / "export.csv").write_text(export_of(NEW), encoding="utf-8")
    with (uploaded / "transfer.toml").open("a", encoding="utf-8") as transfer:
        transfer.write('[since]\ntarget_now = "overview.txt"\n')
    assert fates(skarvin) == EXPECTED


def test_a_form_that_is_older_than_the_target_is_refused_where_an_upload_would_undo_something(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path, export_of(FIRST), form_of(("2", "", "", "", "", "", "")), RULES)
    assert skarvin("write").code == 0
    (tmp_path / "today.csv").write_text(form_of(("3", "6", "7", "8", "9", "4", "")), encoding="utf-8")
    assert skarvin("confirm", "today.csv").code == 1
    run = skarvin("preview")
    assert run.code == 4
    assert "1 cell of the form (C2) had a mark that was replaced since" in run.err
    edit(tmp_path / "transfer.toml", '"form.csv"', '"today.csv"')  # the way on
    assert fates(skarvin)["11"] == ("kept", "corrected-in-target")


def test_sending_twice_sends_nothing(uploaded: Path, skarvin: Skarvin) -> None:
    assert {fate for fate, _ in fates(skarvin).values()} == {"same", "left out"}
    assert skarvin("write", "--into", "second").code == 0
    assert (uploaded / "second" / "form-import.csv").read_bytes() == (uploaded / "form.csv").read_bytes()
    edit(uploaded / "transfer.toml", '"form.csv"', '"form-import.csv"')
    assert {fate for fate, _ in fates(skarvin).values()} == {"same", "left out"}


def test_the_history_can_be_ignored(uploaded: Path, skarvin: Skarvin) -> None:
    with (uploaded / "transfer.toml").open("a", encoding="utf-8") as transfer:
        transfer.write("[since]\nignore_history = true\n")
    assert fates(skarvin)["11"] == ("sent", "")


@pytest.mark.parametrize("way", ["up", "down"])
def test_the_order_of_rows_is_no_matter(uploaded: Path, skarvin: Skarvin, way: str) -> None:
    week_two(uploaded)
    for name in ("export.csv", "today.csv"):
        head, *rows = (uploaded / name).read_text(encoding="utf-8").splitlines()
        order = sorted(rows, key=lambda row: (int(row[:2]) * 7) % 5, reverse=way == "down")
        (uploaded / name).write_text("\n".join([head, *order]) + "\n", encoding="utf-8")
    assert fates(skarvin) == EXPECTED


def test_the_form_s_rows_are_not_cut_anew_for_each_item(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    cut: dict[int, int] = {}
    plain_cells = Gradebook.cells
    for count in (3, 30):
        items = range(count)
        told = ",".join(f"Task {item}" for item in items)
        rows = [f"{one},{','.join(str((place + item) % 10) for item in items)}" for place, one in enumerate(PEOPLE)]
        blank = "".join(f"{one}{';' * count}\n" for one in PEOPLE)
        rules = "".join(
            f'[[item]]\nfrom = "Task {item}"\nto = "Task {item}"\nfrom_out_of = 10\nto_out_of = 10\n' for item in items
        )
        lay_out(tmp_path, f"Id,{told}\n" + "\n".join(rows) + "\n", f"Id;{told.replace(',', ';')}\n{blank}", rules)
        assert skarvin("write", "--replace").code == 0
        assert skarvin("confirm", as_exported(), "--replace").code == 0
        asked: list[Row] = []
        with monkeypatch.context() as patch:
            patch.setattr(
                Gradebook, "cells", lambda book, row, asked=asked: asked.append(row) or plain_cells(book, row)
            )
            assert skarvin("write", "--replace").code == 0
        cut[count] = len(asked)
    assert 0 < cut[30] <= cut[3] + len(PEOPLE), "as often for thirty items as for three"


def test_what_has_changed_is_listed_with_what_needs_a_person_first(uploaded: Path, skarvin: Skarvin) -> None:
    week_two(uploaded)
    listed = skarvin("preview", "--all").out.partition("Changed since they were sent: 5 marks")[2].partition("\n\n")[0]
    assert re.findall(r"^  (\d\d) ", listed, re.MULTILINE) == ["14", "16", "13", "15", "12"]
