"""A transfer drafted like another: its rules hold, its files don't, and only what is new is asked."""

import tomllib
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from conftest import Skarvin, edit
from skarvin.core.plan.reading import read_plan

EXPORT = "Learner no;Learner;Knots (out of 20);Result;Notes 2 (out of 10)\n"
FORM = "No,Name,Knots [100],Exam,Extra [10]\n"
PAIRINGS = "identifier,name,section,row,reason,suggestion 1,suggestion 2,suggestion 3,decision,decided on\n"
PEOPLE = (("K-01", "Adeyemi Folake"), ("K-02", "Björk Åsa"), ("K-03", "Çelik Ümit"))


def lay(folder: Path, people: tuple[tuple[str, str], ...], rows: str, form: str = FORM) -> None:
    """Write an export and a form: `rows` are what stands behind each student's name."""
    folder.mkdir(exist_ok=True)
    lines = [f"{number};{name};{row}\n" for (number, name), row in zip(people, rows.split("|"), strict=True)]
    (folder / "marks.csv").write_text(EXPORT + "".join(lines), encoding="utf-8")
    blank = "," * (form.count(",") - 1)
    rows_there = [f"{number.removeprefix('K-')},{name}{blank}\n" for number, name in people]
    (folder / "form.csv").write_text(form + "".join(rows_there), encoding="utf-8")


@pytest.fixture
def first(tmp_path: Path, skarvin: Skarvin) -> Path:
    """Draft, decide and write a first week."""
    lay(tmp_path / "one", PEOPLE, "15;pass;7|8,5;fail;x|17;abs;9")
    drafted = skarvin(
        "draft", "one/marks.csv", "one/form.csv", "--transfer", "one/transfer.toml", "--use", "Result=item",
        "--item", "Result=Exam", "--item", "Notes 2 (out of 10)=", "--status", "abs=ABS", "--missing-maximum", "same",
    )  # fmt: skip
    assert drafted.code == 0, drafted.err
    transfer = tmp_path / "one" / "transfer.toml"
    edit(transfer, "ignore_case = false", "ignore_case = true")
    edit(transfer, "decimals = 2", "decimals = 0")
    edit(transfer, 'rounding = "half up"', 'rounding = "half even"')
    edit(transfer, "leave_out = []", 'leave_out = ["K-03", "K-09"]')
    edit(transfer, '[[item]]\nfrom = "Result"', '[[item]]\nfrom = "Result"\nblank = "zero"')
    edit(transfer, 'pass = "pass"\nfail = "fail"', 'pass = "P"\nfail = "F"')
    run = skarvin("write", "--transfer", "one/transfer.toml")
    assert run.code == 0, run.out + run.err
    return transfer


def said(transfer: Path) -> dict[str, Any]:
    return tomllib.loads(transfer.read_text(encoding="utf-8"), parse_float=Decimal)


def rows(file: Path) -> list[list[str]]:
    return [line.split(",") for line in file.read_text(encoding="utf-8").splitlines()]


def test_the_next_week_takes_two_commands_and_no_edit(first: Path, tmp_path: Path, skarvin: Skarvin) -> None:
    people = (*PEOPLE, ("K-04", "Dang Thi Mai"))
    lay(tmp_path / "two", people, "20;fail;1|12,5;;2|3;pass;4|14;pass;3")
    run = skarvin("draft", "two/marks.csv", "two/form.csv", "--like", "one/transfer.toml")
    assert run.code == 0, run.err
    out = " ".join(run.out.split())
    assert "1 student joined: K-04" in out
    assert "?" not in out
    assert out.endswith("Next: skarvin preview two/transfer.toml") or "preview --transfer two/transfer.toml" in out
    ruled = read_plan(tmp_path / "two" / "transfer.toml").plan
    assert (ruled.students.ignore_prefix, ruled.marks.decimals, ruled.marks.rounding) == ("K-", 0, "half even")
    assert ruled.students.leave_out == ("K-03",), "K-09 isn't in this class"
    before = (first.read_bytes(), (first.parent / "ledger.json").read_bytes())
    written = skarvin("write", "--transfer", "two/transfer.toml")
    assert written.code == 0, written.out + written.err
    assert rows(tmp_path / "two" / "form-import.csv")[1:] == [
        ["01", "Adeyemi Folake", "100", "F", ""],
        ["02", "Björk Åsa", "62", "0", ""],
        ["03", "Çelik Ümit", "", "", ""],
        ["04", "Dang Thi Mai", "70", "P", ""],
    ]
    assert before == (first.read_bytes(), (first.parent / "ledger.json").read_bytes())


@pytest.mark.usefixtures("first")
def test_a_refused_draft_leaves_no_empty_folder(tmp_path: Path, skarvin: Skarvin) -> None:
    lay(tmp_path / "two", PEOPLE, "20;fail;1|12;;2|3;late;4")
    files = ("two/marks.csv", "two/form.csv", "--like", "one/transfer.toml")
    refused = skarvin("draft", *files, "--transfer", "day/transfer.toml", "--use", "Nothing=item")
    assert refused.code == 3, refused.err
    assert refused.err.count("Columns:") == 1
    assert not (tmp_path / "day").exists()
    assert skarvin("draft", *files, "--transfer", "day/transfer.toml").code == 0
    assert skarvin("draft", *files, "--transfer", "day/transfer.toml").code == 2
    assert (tmp_path / "day" / "transfer.toml").exists()


@pytest.mark.usefixtures("first")
def test_what_is_new_or_gone_is_told_and_alone_is_asked(tmp_path: Path, skarvin: Skarvin) -> None:
    folder = tmp_path / "two"
    lay(folder, PEOPLE, "20;fail;1|12;;2|3;late;4")
    edit(folder / "marks.csv", "Knots (out of 20);Result", "Knots (out of 30);Grade")
    edit(folder / "marks.csv", "Notes 2 (out of 10)", "Splices")
    edit(folder / "form.csv", "Extra [10]", "Splices [50]")
    run = skarvin("draft", "two/marks.csv", "two/form.csv", "--like", "one/transfer.toml", "--use", "Grade=item")
    out = " ".join(run.out.split())
    assert run.code == 0, run.err
    for text in (
        "new in the export: 'Grade', 'Splices'",
        "'Knots' was out of 20 there",
        "not in this export: 'Result', 'Notes 2 (out of 10)'",
    ):
        assert text in out, text
    assert "joined" not in out
    assert "any more" not in out
    items = {item["from"]: item for item in said(folder / "transfer.toml")["item"]}
    assert items["Knots (out of 30)"]["from_out_of"] == 30
    assert items["Splices"]["to"] == "Splices [50]"
    open_ends = [(name, key) for name, item in items.items() for key, value in item.items() if value == "?"]
    assert open_ends == [("Grade", "to")], "the maximum of the other is ruled by the example"


@pytest.mark.usefixtures("first")
def test_what_a_person_says_now_stands_above_the_example(tmp_path: Path, skarvin: Skarvin) -> None:
    lay(tmp_path / "two", PEOPLE, "20;fail;1|12;;2|3;abs;4", FORM.replace("Extra [10]", "Extra [20],Knots again [20]"))
    options = ("--item", "Knots (out of 20)=Knots again [20]", "--item", "Notes 2 (out of 10)=Knots [100]")
    like = ("--like", "one/transfer.toml", "--transfer", "three.toml", "--status", "abs=X")
    run = skarvin("draft", "two/marks.csv", "two/form.csv", *like, *options)
    assert run.code == 0, run.err
    tables = said(tmp_path / "three.toml")
    assert tables["rules"] == "one/transfer.toml"
    assert [item["to"] for item in tables["item"]] == ["Knots again [20]", "Exam", "Knots [100]"]
    ruled = read_plan(tmp_path / "three.toml").plan
    assert ruled.statuses == {"abs": "X"}


def test_lists_that_the_example_names_are_found_from_the_new_place(
    first: Path, tmp_path: Path, skarvin: Skarvin
) -> None:
    (tmp_path / "known").mkdir()
    roster = "".join(f"{number.removeprefix('K-')},{name}\n" for number, name in PEOPLE)
    (tmp_path / "known" / "roster.csv").write_text("No,Name\n" + roster, encoding="utf-8")
    (tmp_path / "known" / "earlier.csv").write_text(PAIRINGS, encoding="utf-8")
    (first.parent / "pairings.csv").write_text(PAIRINGS, encoding="utf-8")
    edit(first, "only = []", 'earlier_pairings = [\n  "../known/earlier.csv",\n]\nonly = []')
    edit(first, "[students]", '[roster]\nfile = "../known/roster.csv"\nidentifier = "No"\n\n[students]')
    lay(tmp_path / "two", PEOPLE, "20;fail;1|12;;2|3;abs;4")
    run = skarvin("draft", "two/marks.csv", "two/form.csv", "--like", "one/transfer.toml")
    assert run.code == 0, run.err
    tables = said(tmp_path / "two" / "transfer.toml")
    assert tables["roster"]["file"] == "../known/roster.csv"
    assert tables["students"]["earlier_pairings"] == ["../one/pairings.csv", "../known/earlier.csv"]
    assert skarvin("write", "--transfer", "two/transfer.toml").code == 0


def test_an_example_with_open_ends_or_rules_of_its_own_rules_what_it_can(
    first: Path, tmp_path: Path, skarvin: Skarvin
) -> None:
    (tmp_path / "school.toml").write_text('[marks]\nabove = "cap"\n', encoding="utf-8")
    edit(first, "version = 1\n", 'version = 1\nrules = "../school.toml"\n')
    edit(first, 'above = "hold"', "#")
    edit(first, 'to = "Exam"', 'to = "?"')
    lay(tmp_path / "two", PEOPLE, "25;fail;1|12;;2|3;abs;4")
    run = skarvin("draft", "two/marks.csv", "two/form.csv", "--like", "one/transfer.toml", "--use", "Result=item")
    assert run.code == 0, run.err
    assert "new in the export: 'Result'" in run.out
    plan = read_plan(tmp_path / "two" / "transfer.toml").plan
    assert (plan.marks.above, plan.marks.decimals, plan.students.ignore_prefix) == ("cap", 0, "K-")


def test_how_the_export_is_read_holds_for_the_next_one(tmp_path: Path, skarvin: Skarvin) -> None:
    """Headings where nobody would look for them, and a hidden row that is left out."""
    for name, mark in (("one", "7"), ("two", "9")):
        (tmp_path / name).mkdir()
        top = "a,b,c\nd,e,f\n"
        (tmp_path / name / "marks.csv").write_text(f"{top}1,2,3\n11,{mark},x\n12,5,y\n", encoding="utf-8")
        (tmp_path / name / "form.csv").write_text("No,T\n11,\n12,\n", encoding="utf-8")
    options = ("--heading-row", "3", "--use", "1=student number", "--use", "2=item", "--use", "3=other")
    how = ("--item", "2=T", "--missing-maximum", "same", "--transfer", "one/transfer.toml", "--form-use", "T=item")
    assert skarvin("draft", "one/marks.csv", "one/form.csv", *options, *how).code == 0
    run = skarvin("draft", "two/marks.csv", "two/form.csv", "--like", "one/transfer.toml")
    assert run.code == 0, run.err
    assert said(tmp_path / "two" / "transfer.toml")["source"]["heading_row"] == 3
    assert skarvin("write", "--transfer", "two/transfer.toml").code == 0
    assert (tmp_path / "two" / "form-import.csv").read_text(encoding="utf-8").split()[1:] == ["11,9", "12,5"]


def test_another_class_of_another_school_and_a_folder_of_forms(tmp_path: Path, skarvin: Skarvin) -> None:
    """In another language, with a log for an export: its columns are known as they were there."""
    (tmp_path / "a").mkdir()
    lines = ("1;Spleiß;7;10;1", "2;Spleiß;8,5;10;2", "1;Kalfatern;3;5;3", "2;Kalfatern;4;5;4")
    log = "\n".join(("Matrikel;Aufgabe;Punkte;Von;Zeit", *("{0}" + line for line in lines), ""))
    (tmp_path / "a" / "log.csv").write_text(log.format("30"), encoding="utf-8")
    form = "Matrikel;Nachname;Spleiß [20];Kalfatern [5]\n{0}1;Ünal;;\n{0}2;Öz;;\n"
    (tmp_path / "a" / "b.csv").write_text(form.format("30"), encoding="cp1252")
    uses = [
        "--use",
        "Aufgabe=item title",
        "--use",
        "Punkte=mark",
        "--use",
        "Von=maximum",
        "--use",
        "Matrikel=student number",
    ]
    run = skarvin("draft", "a/log.csv", "a/b.csv", "--transfer", "a/transfer.toml", *uses, "--use", "Zeit=other")
    assert run.code == 0, run.err
    assert skarvin("write", "--transfer", "a/transfer.toml").code == 0
    forms = tmp_path / "forms"
    forms.mkdir()
    (tmp_path / "all.csv").write_text(log.format("40") + log.format("50").partition("\n")[2], encoding="utf-8")
    for name, first in (("nord", "40"), ("süd", "50")):
        (forms / f"{name}.csv").write_text(form.format(first), encoding="cp1252")
    run = skarvin("draft", "all.csv", "forms", "--like", "a/transfer.toml")
    assert run.code == 0, run.out + run.err
    assert "joined" not in run.out, "nobody is in both classes"
    assert skarvin("write", "--transfer", "forms").code == 0
    sent = (forms / "süd" / "süd-import.csv").read_text(encoding="cp1252").splitlines()[1:]
    assert sent == ["501;Ünal;14;3", "502;Öz;17;4"]
