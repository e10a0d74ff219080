"""After the upload: a fresh export of the target beside the ledger, in whatever shape it comes."""

import csv
import json
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, as_exported, edit, lay_out

EXPORT = "Matrikel,Elev,Knopar,Splits,Svar\n" + "".join(
    f"{number},{name},{knots},{splice},{answer}\n"
    for number, name, knots, splice, answer in (
        ("00041", "Åsa Berg", "8", "71.5", "A;C"),
        ("00042", "Omar Haddad", "6.5", "90", "B"),
        ("00043", "Mei Lin", "9", "55", "C;D"),
        ("00044", "Tomás Ó Dálaigh", "4", "62.25", "A"),
        ("00045", "Nkechi Obi", "7", "88", "D"),
    )
)
FORM = "No;Name;Knots [10];Splices [100];Answer\n" + "".join(
    f"{number};{name};{was};;\n"
    for number, name, was in (
        ("00045", "Obi, Nkechi", "3"),
        ("00044", "Ó Dálaigh, Tomás", ""),
        ("00043", "Lin, Mei", ""),
        ("00042", "Haddad, Omar", ""),
        ("00041", "Berg, Åsa", ""),
        ("00046", "Sato, Yui", "5"),
    )
)
RULES = """[[item]]
from = "Knopar"
to = "Knots [10]"
from_out_of = 10
[[item]]
from = "Splits"
to = "Splices [100]"
from_out_of = 100
[[item]]
from = "Svar"
to = "Answer"
[marks]
words = "copy"
"""


@pytest.fixture
def written(tmp_path: Path, skarvin: Skarvin) -> Path:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    assert skarvin("write").code == 0
    return tmp_path


def rows_of(folder: Path) -> list[list[str]]:
    with (folder / "form-import.csv").open(encoding="utf-8", newline="") as lines:
        return list(csv.reader(lines, delimiter=";"))


def save(folder: Path, rows: list[list[str]], name: str = "fresh.csv") -> None:
    with (folder / name).open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines, delimiter=";", lineterminator="\n").writerows(rows)


def findings(skarvin: Skarvin, *arguments: str) -> dict[tuple[str, str], tuple[str, str]]:
    """Return what was found of each mark that isn't there as it was sent: by identifier and item, finding and slug."""
    run = skarvin("confirm", *arguments, "--json", "--replace")
    assert run.code in {0, 1}, run.err
    marks = json.loads(run.out)["marks"]
    found = {(one["identifier"], one["item"]): (one["finding"], one.get("slug", "")) for one in marks}
    assert (run.code == 0) == all(finding == "arrived" for finding, _ in found.values())
    return {key: what for key, what in found.items() if what[0] != "arrived"}


def test_the_import_file_itself_says_that_everything_arrived(written: Path, skarvin: Skarvin) -> None:
    run = skarvin("confirm", as_exported())
    assert run.code == 0
    assert "All 15 marks that were sent have arrived; 1 of 1 mark that stood there before is" in " ".join(
        run.out.split()
    )
    assert "nothing is left to do" in run.out
    for kind in ("html", "json", "csv"):
        file = written / f"exported-confirm.{kind}"
        assert file.stat().st_mode & 0o077 == 0
        assert file.stat().st_size > 100


def test_another_shape_order_encoding_and_form_of_identifier_are_no_matter(written: Path, skarvin: Skarvin) -> None:
    """The target shows titles above, other headings, commas, percentages, codes in small letters and another order."""
    lines = ["Registret, v. 48", "", "Splices (%)\tElev\tKnots, of 10\tAnswer\tMedlem"]
    for number, name, knots, splices, answer in sorted(rows_of(written)[1:], key=lambda row: row[1]):
        family, given = name.split(", ")
        codes = ", ".join(reversed(answer.casefold().split(";")))
        shown = [splices and f"{splices}0".replace(".", ",") if "." in splices else splices, f"{given} {family}"]
        shown += [knots.replace(".", ",") + ("" if "." in knots else ",00"), codes, f"M-{number.lstrip('0')}"]
        lines.append("\t".join(shown))
    (written / "registret.txt").write_bytes("\r\n".join(lines).encode("cp1252"))
    assert findings(skarvin, "registret.txt") == {}


def test_a_workbook_with_marks_out_of_another_maximum_is_compared_exactly(written: Path, skarvin: Skarvin) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.append(["No", "Name", "Knots [20]", "Splices [100]", "Answer"])
    for number, name, knots, splices, answer in rows_of(written)[1:]:
        sheet.append([number, name, float(knots) * 2, float(splices) if splices else None, answer])
    sheet["C3"] = 9
    book.save(written / "fresh.xlsx")
    assert findings(skarvin, "fresh.xlsx") == {("00044", "Knots"): ("different", "other-value")}


def test_each_kind_of_finding_has_its_cause_and_what_to_do(written: Path, skarvin: Skarvin) -> None:
    (head, obi, odalaigh, lin, haddad, berg, sato) = rows_of(written)
    obi[2] = "3"  # as it was before
    odalaigh[3] = "62.3"  # rounded
    lin[2] = ""  # missing
    haddad[4] = "D"  # corrected
    sato[3] = "12"  # extra
    newcomer = ["00077", "Vlček, Jan", "9", "", ""]
    rows = [head, obi, odalaigh, lin, haddad, sato, newcomer]  # and Berg has left
    save(written, rows)
    assert berg[0] == "00041"
    assert findings(skarvin, "fresh.csv") == {
        ("00045", "Knots"): ("different", "as-before"),
        ("00044", "Splices"): ("different", "rounded"),
        ("00043", "Knots"): ("missing", "blank"),
        ("00042", "Answer"): ("different", "other-value"),
        ("00046", "Splices"): ("extra", "not-sent"),
        ("00041", "Knots"): ("missing", "student-missing"),
        ("00041", "Splices"): ("missing", "student-missing"),
        ("00041", "Answer"): ("missing", "student-missing"),
        ("00077", "Knots"): ("extra", "student-new"),
    }
    said = " ".join(skarvin("confirm", "fresh.csv", "--replace").out.split())
    for words in (
        "1 not in the fresh export (left?): form row 6 00041 Berg, Åsa",
        "1 only in the fresh export (came?): row 7 00077 Vlček, Jan",
        "1 mark is as it was before the upload (C2): allow the target to replace marks",
        "1 mark was rounded by the target (D3)",
        "1 mark is missing: its cell is blank (C4)",
        "1 mark has another value (E5): ask whoever corrected them",
    ):
        assert words in said
    page = (written / "fresh-confirm.html").read_text(encoding="utf-8")
    assert "Vlček, Jan" in page
    assert "62.25" in page
    listed = (written / "fresh-confirm.csv").read_text(encoding="utf-8-sig").splitlines()
    assert listed[0] == "Identifier,Name,Item,Finding,Sent,Found,Cell,Reason"
    assert '00043,"Lin, Mei",Knots,missing,9,,C4,the cell is blank' in listed
    data = json.loads((written / "fresh-confirm.json").read_bytes())
    assert data["sent"] == {"arrived": 8, "missing": 4, "different": 3, "extra": 0}
    assert [one["slug"] for one in data["marks"] if "slug" in one].count("student-missing") == 3


def test_a_column_sorted_alone_in_the_target_is_found_out(written: Path, skarvin: Skarvin) -> None:
    rows = rows_of(written)
    marks = [row[3] for row in rows[1:6]]
    for row, mark in zip(rows[1:6], sorted(marks), strict=True):
        row[3] = mark
    save(written, rows)
    found = findings(skarvin, "fresh.csv")
    assert found
    assert set(found.values()) == {("different", "other-value")}


def test_an_item_that_the_fresh_export_lacks_is_told_and_can_be_named(written: Path, skarvin: Skarvin) -> None:
    rows = [[row[0], row[1], row[2], row[3]] for row in rows_of(written)]
    rows[0][3] = "Mark no. 2"
    rows[1][3] = "1"
    text = "\n".join(";".join(row) for row in rows)
    (written / "fresh.csv").write_text(text, encoding="utf-8")
    found = findings(skarvin, "fresh.csv", "--item", "Mark no. 2=Splices [100]")
    assert found.pop(("00045", "Splices")) == ("different", "other-value")
    assert set(found.values()) == {("missing", "item-missing")}
    assert {item for _, item in found} == {"Answer"}


def test_another_classes_export_is_refused_with_the_way_on_and_nothing_is_written(
    written: Path, skarvin: Skarvin
) -> None:
    (written / "other.csv").write_text("No;Name;Knots [10]\n91;Ann Lee;5\n92;Bo Ek;6\n", encoding="utf-8")
    run = skarvin("confirm", "other.csv")
    assert run.code == 4
    assert "0 of the 6 students of form.csv are in this file" in run.err
    assert "--pair 'COLUMN=COLUMN'" in run.err
    assert not list(written.glob("other-confirm.*"))
    (written / "crossed.csv").write_text(
        (written / "form-import.csv").read_text(encoding="utf-8").replace("No;", "Kod;").replace("000", "1-"),
        encoding="utf-8",
    )
    assert skarvin("confirm", "crossed.csv", "--pair", "Name=Name").code == 0


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (None, "there is no ledger to compare with"),
        (b'{"schema": "skarvin-ledger/1"}', "another version: skarvin-ledger/1"),
        (b'{"schema": "skarvin-ledger/3"}', "this ledger is damaged"),
        (b"\xff\xfe", "this isn't the ledger of a write"),
    ],
)
def test_a_ledger_that_is_none_is_refused_with_the_way_on(
    written: Path, skarvin: Skarvin, content: bytes | None, words: str
) -> None:
    (written / "ledger.json").unlink()
    if content is not None:
        (written / "ledger.json").write_bytes(content)
    run = skarvin("confirm", as_exported())
    assert run.code == 3
    assert words in run.err
    assert "--ledger" in run.err


def test_a_second_confirmation_replaces_the_first_ones_files_only_where_that_is_said(
    written: Path, skarvin: Skarvin
) -> None:
    assert skarvin("confirm", as_exported()).code == 0
    before = (written / "exported-confirm.json").read_bytes()
    run = skarvin("confirm", as_exported())
    assert run.code == 4
    assert "Give --replace" in run.err
    assert (written / "exported-confirm.json").read_bytes() == before
    assert skarvin("confirm", as_exported(), "--into", "again").code == 0
    assert (written / "again" / "exported-confirm.html").exists()


def test_what_is_missing_can_be_sent_again_alone(written: Path, skarvin: Skarvin) -> None:
    """A fresh export of the form's shape becomes the form: what was corrected there stays."""
    rows = rows_of(written)
    rows[3][2] = ""  # missing
    rows[4][3] = "91"  # corrected by hand
    save(written, rows)
    edit(written / "export.csv", "Tomás Ó Dálaigh,4", "Tomás Ó Dálaigh,5")  # a later correction
    run = skarvin("confirm", "fresh.csv", "--draft-missing", "again.toml")
    assert run.code == 1
    assert "skarvin write --transfer again.toml --into again" in run.out
    assert skarvin("write", "--transfer", "again.toml", "--into", "again").code == 0
    sent = (written / "again" / "fresh-import.csv").read_text(encoding="utf-8").splitlines()
    was = (written / "fresh.csv").read_text(encoding="utf-8").splitlines()
    changed = [(old, new) for old, new in zip(was, sent, strict=True) if old != new]
    assert changed == [('00043;Lin, Mei;;55;"C;D"', '00043;Lin, Mei;9;55;"C;D"')]
    run = skarvin("confirm", "fresh.csv", "--replace", "--draft-missing", "again.toml")
    assert run.code == 2
    assert "never overwritten" in run.err


def test_a_fresh_export_of_another_shape_says_what_is_missing_and_the_form_is_filled(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path, EXPORT, FORM.replace(";3;", ";;").replace(";5;", ";;"), RULES)
    assert skarvin("write").code == 0
    rows = [f"{row[3]}|{row[1]}|{row[0]}|{row[2]}|{row[4].replace(';', ' ')}" for row in rows_of(tmp_path)[1:]]
    text = "Splices|Pupil|Number|Knots|Answer\n" + "\n".join(rows).replace("55|", "|")
    (tmp_path / "fresh.txt").write_text(text, encoding="utf-8")
    assert skarvin("confirm", "fresh.txt", "--draft-missing", "again.toml").code == 1
    assert 'target_now = "fresh.txt"' in (tmp_path / "again.toml").read_text(encoding="utf-8")
    run = skarvin("write", "--transfer", "again.toml", "--into", "again", "--json")
    assert run.code == 0, run.err
    fates = json.loads(run.out)["fates"]
    assert (fates["sent"], fates["changed"], fates["same"]) == (1, 0, 14)


def test_two_fresh_rows_for_one_student_are_not_told_apart_by_guessing(written: Path, skarvin: Skarvin) -> None:
    text = (written / "form-import.csv").read_text(encoding="utf-8")
    (written / "fresh.csv").write_text(text + '00043;"Lin, Mei";1;2;A\n', encoding="utf-8")
    found = findings(skarvin, "fresh.csv")
    assert {identifier for identifier, _ in found} == {"00043"}
    assert set(found.values()) == {("missing", "student-unsure")}
