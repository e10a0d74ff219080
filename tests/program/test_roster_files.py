"""How a roster is written: beside who stands in the form, in the columns that are wanted, and looked at again."""

from pathlib import Path

import pytest

from conftest import Skarvin
from skarvin.core.targets.delimited import DelimitedTarget

LIST = 'No,Name,Class\n#001,"Kim, Min-jun",Keel\n#002,"McLeod, Eilidh",Keel\n#006,"Diallo, Nour",Keel\n'
FORM = "Registry roster;;;\r\nRegistry no;Family name;Given name;Class\r\n006;Diallo;Nour;Rudder\r\n;;;\r\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "keel.csv").write_text(LIST, encoding="utf-8")
    (tmp_path / "form.csv").write_bytes(FORM.encode())
    return tmp_path


@pytest.mark.parametrize(
    ("options", "lines"),
    [
        ((), [*FORM.split("\r\n")[:2], "001;Kim;Min-jun;Keel", "002;McLeod;Eilidh;Keel"]),
        (("--add",), [*FORM.split("\r\n")[:3], "001;Kim;Min-jun;Keel", "002;McLeod;Eilidh;Keel"]),
        (
            ("--clear",),
            [*FORM.split("\r\n")[:2], "001;Kim;Min-jun;Keel", "002;McLeod;Eilidh;Keel", "006;Diallo;Nour;Keel"],
        ),
        (
            ("--columns", "Class, A", "--no-headings"),
            ["Keel;001", "Keel;002"],
        ),
        (
            ("--add", "--columns", "A,B", "--rename", "Registry no=User"),
            ["Registry roster;", "User;Family name", "006;Diallo", "001;Kim", "002;McLeod"],
        ),
        (
            ("--rename", "Class=Group"),
            [
                "Registry roster;;;",
                "Registry no;Family name;Given name;Group",
                "001;Kim;Min-jun;Keel",
                "002;McLeod;Eilidh;Keel",
            ],
        ),
    ],
)
def test_a_roster_is_written_as_the_target_takes_it(
    folder: Path, skarvin: Skarvin, options: tuple[str, ...], lines: list[str]
) -> None:
    run = skarvin("roster", "keel.csv", "--form", "form.csv", *options)
    assert (run.code, run.err) == (0, "")
    assert (folder / "form-roster.csv").read_bytes().decode() == "\r\n".join([*lines, ""])
    assert not list(folder.glob(".*"))
    if options == ("--add",):
        again = skarvin("roster", "keel.csv", "--form", "form-roster.csv", "--to", "again.csv", "--add")
        assert again.code == 0
        assert (folder / "again.csv").read_bytes() == (folder / "form-roster.csv").read_bytes()


@pytest.mark.parametrize(
    ("options", "code", "told"),
    [
        (("--add", "--clear"), 2, "--add keeps who stands in the form"),
        (("--rename", "Class"), 2, "--rename needs HEADING=NEW"),
        (("--columns", "Clas"), 3, "there is no column 'Clas'"),
    ],
)
def test_what_cannot_be_meant_is_said(
    folder: Path, skarvin: Skarvin, options: tuple[str, ...], code: int, told: str
) -> None:
    run = skarvin("roster", "keel.csv", "--form", "form.csv", *options)
    assert (run.code, told in run.err) == (code, True)
    assert not (folder / "form-roster.csv").exists()


def test_rows_are_added_to_a_workbook_and_columns_are_not_left_out(folder: Path, skarvin: Skarvin) -> None:
    from workbooks import make_form, texts  # noqa: PLC0415 - only here

    make_form(folder / "form.xlsx", ["006", "777"], extras=["formulas"])
    refused = skarvin("roster", "keel.csv", "--form", "form.xlsx")
    assert (refused.code, "--add" in refused.err, "--clear" in refused.err) == (3, True, True)
    assert (
        "can't be left out of a workbook" in skarvin("roster", "keel.csv", "--form", "form.xlsx", "--columns", "A").err
    )
    make_form(folder / "form.xlsx", ["006", "777"])
    assert skarvin("roster", "keel.csv", "--form", "form.xlsx", "--add").code == 0
    found = texts(folder / "form-roster.xlsx")
    assert [found.get(name) for name in ("A2", "A3", "A4", "B4", "A5", "B5")] == [
        "006", "777", "001", "Kim, Min-jun", "002", "McLeod, Eilidh",
    ]  # fmt: skip


@pytest.mark.parametrize("options", [(), ("--add",), ("--columns", "A,B")])
def test_a_slip_is_seen(
    folder: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, options: tuple[str, ...]
) -> None:
    real = DelimitedTarget.filled
    monkeypatch.setattr(
        DelimitedTarget, "filled", lambda *given: (data.replace(b"Kim", b"Kin") for data in real(*given))
    )
    run = skarvin("roster", "keel.csv", "--form", "form.csv", *options)
    assert (run.code, (folder / "form-roster.csv").exists()) == (4, False)
