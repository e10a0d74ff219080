"""A file composed after a sample with made-up people."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, edit
from skarvin.core.targets import composition, delimited

EXPORT = """\
No,Name,Knots (out of 10),Lofting (out of 20)
w-017,Aoife Byrne,7,15
w-002,"Çelik, Yağmur",8.50,
w-103,Bo Diallo,,
"""
SAMPLES = {
    "headings alone, every cell quoted, an end row": (
        '"Id";"Name";"Rope test points (10)";"Sign"\r\n"x1";"Ann Example";"7";"#"\r\n'
        '"x2";"B ""Bo"" Example";"";"#"\r\nEND;;;\r\n',
        '"Id";"Name";"Knots points (10)";"Lofting points (20)";"Sign"\r\n'
        '"w-017";"Aoife Byrne";"7";"15";"#"\r\n'
        '"w-002";"Yağmur Çelik";"8.50";"";"#"\r\nEND;;;;\r\n',
    ),
    "a title above, maxima below, no end of the last line": (
        "Import of marks\nNumber\tMark: Knots\tMark: Splices\nout of\t10\t5\n90001\t3\t4\n90002\t5\t1",
        "Import of marks\nNumber\tMark: Knots\tMark: Lofting\nout of\t10\t20\nw-017\t7\t15\nw-002\t8.50\t",
    ),
    "a column that says something else of each": (
        "Id,Name,Knots (10),Note\nx1,Ann Example,7,late\nx2,Bo Example,5,ill\n",
        "Id,Name,Knots (10),Lofting (20)\nw-017,Aoife Byrne,7,15\nw-002,Yağmur Çelik,8.50,\n",
    ),
    "no item at all, names in two columns": (
        "Student no,Surname,First name\nA1,Example,Ann\n",
        "Student no,Surname,First name,Knots,Lofting\nw-017,,,7,15\nw-002,Çelik,Yağmur,8.50,\n",
    ),
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    return tmp_path


@pytest.mark.parametrize("name", SAMPLES)
def test_the_file_has_the_form_of_the_sample_and_the_students_of_the_export(
    folder: Path, skarvin: Skarvin, name: str
) -> None:
    sample, expected = SAMPLES[name]
    (folder / "sample.csv").write_bytes(sample.encode())
    assert skarvin("draft", "export.csv", "sample.csv", "--sample").code == 0
    run = skarvin("write")
    assert (run.code, run.err) == (0, "")
    assert (folder / "sample-import.csv").read_bytes().decode() == expected
    assert "to be made in the target first" in " ".join(run.out.split())
    new = json.loads((folder / "ledger.json").read_text(encoding="utf-8"))["target"]["composed"]["new_items"]
    assert {item["out_of"] for item in new} <= {"10", "20"}
    assert (
        "Lofting" in (folder / "report.html").read_text(encoding="utf-8").partition("to be made in the target first")[2]
    )
    before = skarvin("write", "--replace")
    assert (before.code, (folder / "sample-import.csv").read_bytes().decode()) == (0, expected)


def test_a_sample_with_students_of_the_export_is_a_form(folder: Path, skarvin: Skarvin) -> None:
    (folder / "sample.csv").write_text("Id,Knots [10]\nw-017,\n", encoding="utf-8")
    run = skarvin("draft", "export.csv", "sample.csv", "--sample")
    assert (run.code, "its people aren't made up" in run.err) == (3, True)
    assert not (folder / "transfer.toml").exists()


def test_where_nobody_meets_draft_says_what_a_sample_would_be(folder: Path, skarvin: Skarvin) -> None:
    (folder / "sample.csv").write_text("Id,Knots [10]\nx1,7\n", encoding="utf-8")
    run = skarvin("draft", "export.csv", "sample.csv")
    assert "draft again with --sample" in " ".join(run.out.split())
    (folder / "transfer.toml").unlink()  # the way that it names
    assert skarvin("draft", "export.csv", "sample.csv", "--sample").code == 0


def test_headings_are_made_as_a_person_says_and_one_without_its_maximum_is_open(folder: Path, skarvin: Skarvin) -> None:
    (folder / "sample.csv").write_text("Id,Rope [10]\nx1,7\n", encoding="utf-8")
    edit(folder / "export.csv", "Lofting (out of 20)", "Lofting")
    run = skarvin("draft", "export.csv", "sample.csv", "--sample", "--new-heading", "Task {title} of {maximum}")
    assert (run.code, "1 question to answer" in run.out) == (0, True)
    assert 'to = "Task Knots of 10"' in (folder / "transfer.toml").read_text(encoding="utf-8")
    (folder / "transfer.toml").unlink()
    assert "has no {title}" in skarvin("draft", "export.csv", "sample.csv", "--sample", "--new-heading", "x").err


def test_a_workbook_is_no_sample_and_the_way_on_leads_somewhere(folder: Path, skarvin: Skarvin) -> None:
    from workbooks import make_form, texts  # noqa: PLC0415 - only here

    make_form(folder / "form.xlsx", ["x1", "x2"], before=[3])
    assert skarvin("draft", "export.csv", "form.xlsx", "--sample").code == 0
    run = skarvin("write")
    assert (run.code, "clear = true" in run.err) == (3, True)
    edit(folder / "transfer.toml", "sample = true", "clear = true")
    plan = (folder / "transfer.toml").read_text(encoding="utf-8")
    assert "Knots [10]" in plan
    assert skarvin("write").code == 0
    found = texts(folder / "form-import.xlsx")
    assert [found.get(name) for name in ("A2", "B2", "C2", "A3", "C3")] == ["w-017", "Aoife Byrne", 7, "w-002", 8.5]


RECORD, INSERTED = vars(composition)["_record"], delimited.DelimitedTarget.inserted
TARGETS = "skarvin.core.targets"


@pytest.mark.parametrize(
    ("place", "slip"),
    [
        ("composition._record", lambda *given: (RECORD(*given)[0].replace("Name", "Nom"), RECORD(*given)[1])),
        ("composition._record", lambda *given: (RECORD(*given)[0].replace("END", "end"), RECORD(*given)[1])),
        ("delimited.DelimitedTarget.inserted", lambda self, rows, at: INSERTED(self, rows[1:], at)),
        ("delimited.DelimitedTarget.inserted", lambda self, rows, at: INSERTED(self, rows, at + 1)),
    ],
)
def test_a_slip_in_composing_is_seen(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, place: str, slip: object
) -> None:
    (folder / "sample.csv").write_bytes(next(iter(SAMPLES.values()))[0].encode())
    assert skarvin("draft", "export.csv", "sample.csv", "--sample").code == 0
    monkeypatch.setattr(f"{TARGETS}.{place}", slip)
    assert skarvin("write").code in {3, 4}
    assert not list(folder.glob("sample-*"))


def test_numbers_and_names_are_written_as_the_sample_has_them(folder: Path, skarvin: Skarvin) -> None:
    (folder / "export.csv").write_text(
        "Student no;Surname;First name;Exam (max. 60)\n2024001;Groß;Lena;41,5\n2024002;von der Heide;Jan;38\n",
        encoding="utf-8",
    )
    (folder / "muster.csv").write_text(
        "Student no;Name;Mathe [50]\n111;Muster, Max;12,5\n222;Beispiel, Eva;50\n", "utf-8"
    )
    assert skarvin("draft", "export.csv", "muster.csv", "--sample").code == 0
    assert skarvin("write").code == 0
    assert (folder / "muster-import.csv").read_text(encoding="utf-8").splitlines() == [
        "Student no;Name;Exam [60]",
        "2024001;Groß, Lena;41,5",
        "2024002;von der Heide, Jan;38",
    ]
