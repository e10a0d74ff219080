"""A folder of marked files as an export, and its files handed out under the names that the target wants."""

import csv
import json
import zipfile
from collections.abc import Sequence
from pathlib import Path

import pytest

from conftest import Skarvin, edit
from skarvin.core.findings import Unreadable
from skarvin.core.grid import folder
from skarvin.core.grid.file_names import tell_names
from skarvin.core.grid.read import ReadAs, read_grid

FORM = (
    "Learner id,Learner,Knots essay [20]\n"
    "w-017,Aoife Byrne,\nw-002,Yağmur Çelik,\nw-009,Chidi Okoro,\nw-044,Dana Sørli,\n"
)
NAMES = {
    "family first, of a maximum": [
        "Byrne_Aoife_w-017_Knots essay_17 of 20.pdf",
        "Çelik_Yağmur_w-002_Knots essay_8.5 of 20.pdf",
        "Okoro_Chidi_w-009_Knots essay_19 of 20.pdf",
        "Sørli_Dana_w-044_Knots essay.pdf",
    ],
    "brackets and days": [
        "2026-11-20 [17] Aoife Byrne Knots essay.docx",
        "2026-11-21 [8.5] Yağmur Çelik Knots essay v2.docx",
        "2026-11-20 [19] Chidi Okoro Knots essay final.docx",
        "2026-11-20 Dana Sørli Knots essay.docx",
    ],
    "dashes, the number alone": [
        "Knots-essay-w-017-17pts.pdf",
        "Knots-essay-w-002-8.5pts.pdf",
        "Knots-essay-w-009-19pts.pdf",
        "Knots-essay-w-044.pdf",
    ],
}


def fill(into: Path, names: Sequence[str]) -> None:
    into.mkdir(exist_ok=True)
    for place, name in enumerate(names):
        (into / name).parent.mkdir(exist_ok=True)
        (into / name).write_text(f"remarks {place}", encoding="utf-8")


def written(where: Path) -> list[str]:
    return (where / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]


@pytest.mark.parametrize("names", NAMES.values(), ids=NAMES)
def test_the_names_say_who_and_which_mark(tmp_path: Path, skarvin: Skarvin, names: list[str]) -> None:
    fill(tmp_path / "marked", names)
    (tmp_path / "marked" / ".hidden").touch()
    (tmp_path / "marked" / "~$open.docx").touch()
    (tmp_path / "marked" / "old").mkdir()
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    look = " ".join(skarvin("look", "marked").out.split())
    assert "2 hidden or temporary files are left out" in look
    assert "1 subfolder is left out" in look
    assert "whose names are made as '" in look
    assert skarvin("draft", "marked", "form.csv", "--from-out-of", "20").code == 0
    run = skarvin("write")
    assert (run.code, run.err) == (0, "")
    assert written(tmp_path) == [
        "w-017,Aoife Byrne,17",
        "w-002,Yağmur Çelik,8.5",
        "w-009,Chidi Okoro,19",
        "w-044,Dana Sørli,",
    ]
    assert json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))["second_look"]["marks_looked_up"] == 4


OTHERS = {
    "numbered, with a unit of their own": (
        ["(1) Maria da Silva - Trabalho 2 - 7,5 valores", "(2) João Pereira - Trabalho 2 - 12 valores",
         "(3) Ana Costa - Trabalho 2 - 18,25 valores", "(4) Zé Lima - Trabalho 2"],
        [("Maria da Silva", "", "7,5"), ("João Pereira", "", "12"), ("Ana Costa", "", "18,25"), ("Zé Lima", "", "")],
    ),
    "downloaded twice": (
        ["silva_maria_up21001_trab2_7.5", "costa_ana_up21003_trab2_18", "pereira_joao_up21002_trab2_14 (1)"],
        [("silva maria", "up21001", "7.5"), ("costa ana", "up21003", "18"), ("pereira joao", "up21002", "14")],
    ),
    "a mark in brackets is no copy": (
        ["Ann Lee (9)", "Bo Ek (12)", "Eve Fox (17)"],
        [("Ann Lee", "", "9"), ("Bo Ek", "", "12"), ("Eve Fox", "", "17")],
    ),
    "letters in front": (
        ["A- Bo Ek", "B+ Ann Lee", "C Dan O'Neil"],
        [("Bo Ek", "", "A-"), ("Ann Lee", "", "B+"), ("Dan O'Neil", "", "C")],
    ),
    "dashes everywhere": (
        ["12345678-Essay-Lee-Ann-85%", "12345679-Essay-Ek-Bo-90%", "12345680-Essay-Fox-Eve-absent"],
        [("Lee Ann", "12345678", "85%"), ("Ek Bo", "12345679", "90%"), ("Fox Eve", "12345680", "absent")],
    ),
    "a number of several letters": (
        ["mat-2021 Ann Lee-17", "mat-2022 Bo Ek-9", "mat-2023 Eve Fox-12"],
        [("Ann Lee", "mat-2021", "17"), ("Bo Ek", "mat-2022", "9"), ("Eve Fox", "mat-2023", "12")],
    ),
}  # fmt: skip


@pytest.mark.parametrize(("stems", "said"), OTHERS.values(), ids=OTHERS)
def test_names_of_other_schools(stems: list[str], said: list[tuple[str, str, str]]) -> None:
    assert [tuple(one) for one in tell_names(stems).said] == said


def test_where_the_names_say_no_number_names_pair(tmp_path: Path, skarvin: Skarvin) -> None:
    fill(
        tmp_path / "Knots essay",
        ["Byrne Aoife 17.pdf", "Celik Yagmur 8.5.pdf", "Okoro, Chidi 19.pdf", "Dana Sørli.pdf"],
    )
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "Knots essay", "form.csv", "--from-out-of", "20").code == 0
    assert 'names = "pair"' in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert skarvin("write").code == 0
    assert [line.rpartition(",")[2] for line in written(tmp_path)] == ["17", "8.5", "19", ""]


def test_two_marks_are_held_and_two_files_follow_the_rule(tmp_path: Path, skarvin: Skarvin) -> None:
    names = ["w-017 17.pdf", "w-002 [9].pdf", "w-002 [5].pdf", "w-009 [19].pdf", "w-044 3 4.pdf"]
    fill(tmp_path / "Knots essay", names)
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "Knots essay", "form.csv", "--from-out-of", "20").code == 0
    edit(tmp_path / "transfer.toml", 'repeated = "hold"', 'repeated = "highest"')
    assert skarvin("write").code == 1
    assert [line.rpartition(",")[2] for line in written(tmp_path)] == ["17", "9", "19", ""]
    marks = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))["marks"]["list"]
    assert [one["mark"] for one in marks if one["fate"] == "held"] == ["3 and 4"]


@pytest.mark.parametrize(
    ("stems", "pattern", "said"),
    [
        (["Ann Lee 7", "Bo Ek 9"], None, [("Ann Lee", "", "7"), ("Bo Ek", "", "9")]),
        (["1 Ann Lee 7", "2 Bo Ek 9"], None, [("Ann Lee", "1", "7"), ("Bo Ek", "2", "9")]),
        (["00417_pass", "00419_fail"], None, [("", "00417", "pass"), ("", "00419", "fail")]),
        (
            ["x 12 Ann Lee 85%", "x 13 Bo Ek 90%"],
            "{any} {number} {name} {mark}",
            [("Ann Lee", "12", "85%"), ("Bo Ek", "13", "90%")],
        ),
        (["a_7-10_Ann", "b_9-10_Bo"], "{any}_{mark}-{maximum}_{name}", [("Ann", "", "7/10"), ("Bo", "", "9/10")]),
        (["Ann", "nothing here"], "{name}_{mark}", [("", "", ""), ("", "", "")]),
    ],
)
def test_what_names_say(stems: list[str], pattern: str | None, said: list[tuple[str, str, str]]) -> None:
    assert [tuple(one) for one in tell_names(stems, pattern).said] == said


@pytest.mark.parametrize("pattern", ["{mark}", "{who}_{mark}", "{name}_{name}"])
def test_a_pattern_that_is_none_is_refused(pattern: str) -> None:
    with pytest.raises(Unreadable, match="isn't a pattern of names"):
        tell_names(["a"], pattern)


@pytest.mark.parametrize(
    ("names", "told"),
    [
        ([], "there are no files"),
        (["17.pdf", "18.pdf"], "don't tell whose they are"),
        ([f"a{n}.txt" for n in range(5_001)], "5,001 files"),
    ],
)
def test_a_folder_that_says_nothing_is_refused_with_a_way_on(tmp_path: Path, names: list[str], told: str) -> None:
    (tmp_path / "marked").mkdir()
    for name in names:
        (tmp_path / "marked" / name).touch()
    with pytest.raises(Unreadable, match=told):
        read_grid(tmp_path / "marked")
    if len(names) == 2:
        assert read_grid(tmp_path / "marked", ReadAs(names="{number}")).cells(1)[0] == "17"


def test_subfolders_alone_are_read(tmp_path: Path) -> None:
    fill(tmp_path / "marked", ["Ann Lee_00417/essay_7.pdf", "Bo Ek_00419/essay_9.pdf"])
    grid = read_grid(tmp_path / "marked")
    assert [grid.cells(row) for row in (1, 2)] == [["00417", "Ann Lee", "7"], ["00419", "Bo Ek", "9"]]


@pytest.mark.parametrize("names", ["{identifier} feedback", "w-009 feedback.pdf"])
def test_files_are_handed_out_once_under_the_names_that_the_target_wants(
    tmp_path: Path, skarvin: Skarvin, names: str
) -> None:
    fill(
        tmp_path / "marked",
        [
            *NAMES["family first, of a maximum"],
            "Byrne_Aoife_w-017_Knots essay_more.pdf",
            "Who_w-999_Knots essay_3 of 20.pdf",
        ],
    )
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "marked", "form.csv").code == 0
    plan = tmp_path / "transfer.toml"
    text = plan.read_text(encoding="utf-8").replace('repeated = "hold"', 'repeated = "highest"')
    plan.write_text(f'{text}\n[feedback]\nnames = "{names}"\n', encoding="utf-8")
    assert "feedback.zip" in skarvin("write").out
    with zipfile.ZipFile(tmp_path / "feedback.zip") as archive:
        called = [f"w-0{number} feedback.pdf" for number in ("02", "09", "17-", "17", "44")]
        assert sorted(archive.namelist()) == [name.replace("- feedback", " feedback-2") for name in called]
        assert (
            archive.read("w-002 feedback.pdf")
            == (tmp_path / "marked" / NAMES["family first, of a maximum"][1]).read_bytes()
        )
    with (tmp_path / "feedback.csv").open(encoding="utf-8") as table:
        rows = list(csv.DictReader(table))
    assert {row["Goes to"] for row in rows} == {"w-002", "w-009", "w-017", "w-044"}
    assert "nothing new to hand out" in skarvin("write", "--replace").out
    (tmp_path / "marked" / NAMES["family first, of a maximum"][2]).write_text("new remarks", encoding="utf-8")
    assert "feedback-2.zip" in skarvin("write", "--replace").out
    with zipfile.ZipFile(tmp_path / "feedback-2.zip") as archive:
        assert archive.namelist() == ["w-009 feedback-2.pdf"]


@pytest.mark.parametrize(
    ("names", "told"),
    [("feedback", "doesn't say what a file is called"), ("{who}", "doesn't say what a file is called")],
)
def test_names_that_say_nothing_are_refused(tmp_path: Path, skarvin: Skarvin, names: str, told: str) -> None:
    fill(tmp_path / "marked", NAMES["brackets and days"])
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "marked", "form.csv", "--from-out-of", "20").code == 0
    plan = tmp_path / "transfer.toml"
    plan.write_text(f'{plan.read_text(encoding="utf-8")}\n[feedback]\nnames = "{names}"\n', encoding="utf-8")
    run = skarvin("write")
    assert (run.code, told in run.err) == (3, True)


def test_feedback_needs_marked_files_and_a_table_of_its_own(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Knots essay [20]\nw-017,3\nw-002,4\nw-009,5\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    plan = tmp_path / "transfer.toml"
    plan.write_text(f'{plan.read_text(encoding="utf-8")}\n[feedback]\nnames = "{{identifier}}"\n', encoding="utf-8")
    assert "no marked files to hand out" in skarvin("write").err
    fill(tmp_path / "marked", NAMES["family first, of a maximum"])
    edit(plan, 'file = "export.csv"', 'file = "marked"')
    text = plan.read_text(encoding="utf-8").replace('identifier = "No"', 'identifier = "A"')
    plan.write_text(text.replace('from = "Knots essay [20]"', 'from = "C"'), encoding="utf-8")
    (tmp_path / "feedback.csv").write_text("a,b\n1,2\n", encoding="utf-8")
    assert "isn't the table of an earlier bundle" in skarvin("write", "--replace").err


def test_a_mark_that_no_name_says_is_seen(tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    fill(tmp_path / "marked", NAMES["family first, of a maximum"])
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "marked", "form.csv").code == 0
    real = vars(folder)["_table"]
    monkeypatch.setattr(
        "skarvin.core.grid.folder._table",
        lambda *given: ([*row[:2], row[2].replace("17", "18")] for row in real(*given)),
    )
    run = skarvin("write")
    assert (run.code, "and the ledger '18'" in run.err) == (4, True)
