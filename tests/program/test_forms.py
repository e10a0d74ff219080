"""Templates in other encodings and dialects are filled and come back as they were."""

import io
import json
import sys
import zipfile
from pathlib import Path

import openpyxl
import pytest

from conftest import EXPORT, TEMPLATE, Skarvin, edit

FORMS = [
    ("utf-8-sig", ";", "\n"),
    ("utf-16", ";", "\r\n"),
    ("utf-16-le", "\t", "\n"),
    ("cp1252", "|", "\r\n"),
    ("mac-roman", ",", "\r"),
]


@pytest.mark.parametrize(("codec", "delimiter", "end"), FORMS)
def test_a_form_is_filled_in_its_own_encoding_and_dialect(
    tmp_path: Path, skarvin: Skarvin, codec: str, delimiter: str, end: str
) -> None:
    (tmp_path / "export.csv").write_text(EXPORT, encoding="utf-8")
    form = TEMPLATE.replace('"late; twice"', '"late\n twice"').replace(";", delimiter)
    form = form.replace("\n", end).replace(f"late{end} twice", "late\n twice" if end != "\r" else "late twice")
    (tmp_path / "form.csv").write_bytes(form.encode(codec))
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 1
    expected = form.replace(f"Tanaka{delimiter}5{delimiter}", f"Tanaka{delimiter}6.5{delimiter}")
    expected = expected.replace(f"8.0{delimiter}{delimiter}", f"8.0{delimiter}10.95{delimiter}")
    expected = expected.replace(f"Angelo{delimiter}{delimiter}9", f"Angelo{delimiter}0{delimiter}9")
    assert (tmp_path / "form-import.csv").read_bytes() == expected.encode(codec)
    assert (tmp_path / "form-restore.csv").read_bytes() == form.encode(codec)


def test_a_form_with_titles_and_several_heading_rows_is_filled(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Autumn Knots (out of 10)\n001,7\n002,8\n")
    form = "Registry form\n\n;;Autumn\nNo;Name;Knots\n;out of;20\n002;Kim;\n001;Diallo;\n;Average;\n"
    (tmp_path / "form.csv").write_text(form)
    assert skarvin("draft", "export.csv", "form.csv").code == 0
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text() == form.replace("Kim;", "Kim;16").replace("Diallo;", "Diallo;14")


def test_a_form_that_cannot_be_filled_is_told_before_anything_is_drafted(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_text("No,Knots (out of 10)\n001,7\n")
    (tmp_path / "form.html").write_text("<table><tr><th>No<th>Knots [10]<tr><td>001<td></table>")
    refused = skarvin("draft", "export.csv", "form.html")
    assert (refused.code, "save it as .xlsx, or export it as CSV" in refused.err) == (3, True)
    assert not (tmp_path / "transfer.toml").exists()


def test_a_hidden_row_of_the_export_moves_unless_told_otherwise(tmp_path: Path, skarvin: Skarvin) -> None:

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["No", "Knots (out of 10)"], ["001", 7], ["002", 8]):
        sheet.append(row)
    sheet.row_dimensions[3].hidden = True
    book.save(tmp_path / "export.xlsx")
    (tmp_path / "form.csv").write_text("No;Knots [10]\n001;\n002;\n")
    skarvin("draft", "export.xlsx", "form.csv")
    assert json.loads(skarvin("preview", "--json").out)["fates"]["sent"] == 2
    edit(tmp_path / "transfer.toml", "[source]\n", "[source]\nskip_hidden = true\n")
    assert json.loads(skarvin("preview", "--json").out)["fates"]["sent"] == 1


def test_draft_writes_down_how_a_file_is_to_be_read(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "export.csv").write_bytes("No;Name;Knots (out of 10)\n1;J\xf6rg;7\n".encode("latin-1"))
    (tmp_path / "form.csv").write_text("No;Knots [10]\n1;\n")
    skarvin("draft", "export.csv", "form.csv", "--encoding", "cp1252", "--delimiter", "semicolon")
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert 'encoding = "cp1252"\ndelimiter = "semicolon"\n' in plan
    assert skarvin("preview").code == 0


def test_what_is_piped_in_cannot_be_drafted_from(
    class_files: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(sys, "stdin", io.TextIOWrapper(io.BytesIO(b"No,Knots\n1,2\n")))
    assert skarvin("draft", "-", class_files / "form.csv").code == 2


@pytest.mark.parametrize("size", [10, 100, 1000])
def test_a_file_cut_anywhere_never_gives_a_traceback(tmp_path: Path, skarvin: Skarvin, size: int) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", "<workbook>" + "x" * 5000)
    wholes = [packed.getvalue(), b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(range(256)) * 10, b"<table><tr><td>1" * 99]
    for number, whole in enumerate([*wholes, EXPORT.encode("utf-16"), EXPORT.encode()]):
        (tmp_path / f"cut{number}").write_bytes(whole[:size])
        assert skarvin("look", f"cut{number}").code in {0, 3}
