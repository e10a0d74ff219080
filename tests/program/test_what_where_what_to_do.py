"""Errors that people make, one by one: each says what is wrong, where, and what to do; and nothing is written."""
# ruff: noqa: E501 - an error a line

import re
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin

EXPORT = "Nr;Nom;Nœuds (sur 20)\n101;Dupont Zoé;12\n102;Nguyễn Anh;8,5\n103;Öz Ece;19\n"
FORM = "Id,Name,Nœuds [20]\n101,Dupont Zoé,\n102,Nguyễn Anh,\n103,Öz Ece,\n"
Change = Callable[[Path], None]


def line(old: str, new: str) -> Change:
    """Return what replaces a line of the transfer."""

    def change(folder: Path) -> None:
        file = folder / "transfer.toml"
        text, count = re.subn(rf"(?m)^{old}.*$", lambda _: new, file.read_text(encoding="utf-8"), count=1)
        assert count, old
        file.write_text(text, encoding="utf-8")

    return change


def file(name: str, data: bytes | str) -> Change:
    """Return what writes a file."""

    def change(folder: Path) -> None:
        (folder / name).write_bytes(data.encode() if isinstance(data, str) else data)

    return change


def book(folder: Path) -> None:
    workbook = openpyxl.Workbook()
    workbook.create_sheet("Notes", 0).append(["no", "students", "here"])
    workbook.save(folder / "m.xlsx")


def below(text: str) -> Change:
    def change(folder: Path) -> None:
        with (folder / "transfer.toml").open("a", encoding="utf-8") as transfer:
            transfer.write(text)

    return change


def nothing(_: Path) -> None:
    """Change nothing."""


PREVIEW = ("preview",)
TOLD: list[tuple[str, Change, tuple[str, ...], int, str, str, str]] = [
    # what a person does, the files, the command, its code; and what must be said: what, where, what to do
    ("one file", nothing, ("draft", "marks.csv"), 2, "needs an export and the form", "marks.csv", "draft EXPORT"),
    ("one twice", nothing, ("draft", "marks.csv", "./marks.csv"), 2, "named as export and as form", "marks.csv", "last"),
    ("no such file", nothing, ("look", "mark.csv"), 3, "no such file", "mark.csv", "Check its name"),
    ("a folder", lambda d: (d / "x").mkdir(), ("look", "x"), 3, "", "x", ""),
    ("a lock file", file("~$m.xlsx", b"\x05user"), ("look", "~$m.xlsx"), 3, "has a file open", "~$m.xlsx", "Close it"),
    ("another", file(".~lock.m.ods#", ",u,h;"), ("look", ".~lock.m.ods#"), 3, "file open", "m.ods", "name the file"),
    ("bytes", file("b.csv", bytes(range(256)) * 9), ("look", "b.csv"), 3, "neither text nor", "b.csv", "Export"),
    ("a picture", file("p.xlsx", b"\x89PNG\r\n"), ("look", "p.xlsx"), 3, "a picture", "p.xlsx", "Export the marks"),
    ("a PDF", file("p.csv", b"%PDF-1.7"), ("look", "p.csv"), 3, "a PDF", "p.csv", "Export the marks"),
    ("a cut workbook", file("c.xlsx", b"PK\x03\x04abc"), ("look", "c.xlsx"), 3, "damaged", "c.xlsx", "again"),
    ("nothing in it", file("e.csv", b""), ("look", "e.csv"), 3, "", "e.csv", ""),
    ("no students", book, ("draft", "m.xlsx", "form.csv", "-t", "n.toml"), 3, "", "m.xlsx", ""),
    ("a mistyped command", nothing, ("previeuw",), 2, "No such command", "previeuw", "skarvin preview"),
    ("a mistyped option", nothing, ("preview", "--al"), 2, "No such option", "--al", "--all"),
    ("no transfer", lambda d: (d / "transfer.toml").unlink(), PREVIEW, 3, "no transfer", "transfer.toml", "draft EXPORT"),
    ("a gone export", line('file = "marks.csv"', 'file = "gone.csv"'), PREVIEW, 3, "no such file", "line 11", "Put it there"),
    ("a gone form", line('file = "form.csv"', 'file = "gone.csv"'), PREVIEW, 3, "no such file", "line 1", "Put it there"),
    ("a gone roster", below('[roster]\nfile = "r.csv"\nidentifier = "N"\n'), PREVIEW, 3, "no such file", "line ", "Put it"),
    ("backslashes", line('file = "marks.csv"', 'file = "a\\marks.csv"'), PREVIEW, 3, "a backslash", "line 11", "Write /"),
    ("in single quotes", line('file = "marks.csv"', "file = 'a\\m.csv'"), PREVIEW, 3, "no such", "line 11", "Write /"),
    ("a table twice", below("[marks]\n"), PREVIEW, 3, "this table stands twice", "transfer.toml, line", "under the first"),
    ("a key twice", line("decimals = ", "decimals = 1\ndecimals = 2"), PREVIEW, 3, "key stands twice", "line", "Delete"),
    ("curly quotes", line("rounding = ", "rounding = “half up”"), PREVIEW, 3, "a “ in it", "line", "straight quotes"),
    ("a hard blank", line("decimals = ", "decimals = 2\u00a0"), PREVIEW, 3, "blank that isn't", "line", "plain ones"),
    ("no equals sign", line("decimals = ", "decimals 2"), PREVIEW, 3, "no = between", "line", "key = value"),
    ("no quotes", line("rounding = ", "rounding = half up"), PREVIEW, 3, "value is neither", "line", "double quotes"),
    ("an open quote", line("rounding = ", 'rounding = "half up'), PREVIEW, 3, "can't be read", "line", '"'),
    ("a mistyped key", line("decimals = ", "decimal = 2"), PREVIEW, 3, "no key 'decimal'", "line", "decimals"),
    ("a wrong word", line("rounding = ", 'rounding = "round"'), PREVIEW, 3, "not one of", "line", "half up"),
    ("text for a number", line("decimals = ", 'decimals = "2"'), PREVIEW, 3, "whole number", "line", "Correct"),
    ("a heading misspelt", line("from = ", 'from = "Nœud"'), PREVIEW, 3, "", "line", ""),
    ("another misspelt", line("to = ", 'to = "Noeuds?"'), PREVIEW, 3, "", "line", ""),
    ("a question left", line("to = ", 'to = "?"'), PREVIEW, 4, "", "line", ""),
    ("who identifies", line("identifier = ", 'identifier = "Nom de famille"'), PREVIEW, 3, "", "line 12", ""),
    ("a maximum of zero", line("from_out_of = ", "from_out_of = 0"), PREVIEW, 3, "", "line", ""),
    ("nobody pairs", file("form.csv", FORM.replace("10", "77")), PREVIEW, 4, "are paired", "marks.csv", "students"),
    ("a use that is none", nothing, ("draft", "marks.csv", "form.csv", "--use", "Nr=numero", "-t", "n.toml"), 2, "hold 'numero'", "--use", "student number"),
    ("no such item", nothing, ("draft", "marks.csv", "form.csv", "--item", "X=Y", "-t", "n.toml"), 2, "names no two columns", "--item", "Columns of the export"),
    ("there already", nothing, ("draft", "marks.csv", "form.csv"), 2, "is there already", "transfer.toml", "--transfer"),
    ("an example that is none", nothing, ("draft", "marks.csv", "form.csv", "--like", "w.toml", "-t", "n.toml"), 3, "no such file", "w.toml", "Check"),
    ("a folder of none", lambda d: (d / "f").mkdir(), ("draft", "marks.csv", "f"), 2, "no form in", "'f'", "Name a form"),
    ("an encoding", nothing, ("look", "marks.csv", "--encoding", "utf8x"), 3, "no encoding 'utf8x'", "marks.csv", "utf-8"),
    ("a ledger that is none", file("ledger.json", "{"), ("confirm", "marks.csv"), 3, "", "ledger.json", ""),
]  # fmt: skip


@pytest.mark.parametrize(
    ("change", "command", "code", "what", "where", "mend"), [one[1:] for one in TOLD], ids=[one[0] for one in TOLD]
)
def test_an_error_says_what_where_and_what_to_do(  # noqa: PLR0913 - what is done, and what is to be said
    tmp_path: Path,
    skarvin: Skarvin,
    change: Change,
    command: tuple[str, ...],
    code: int,
    what: str,
    where: str,
    mend: str,
) -> None:
    (tmp_path / "marks.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "marks.csv", "form.csv").code == 0
    change(tmp_path)
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    run = skarvin(*command)
    assert run.code == code, run.out + run.err
    said = " ".join(run.err.split())
    assert said.startswith("error: ")
    for text in (what, where, mend):
        assert text in said, (text, said)
    told = [one for one in said.split("error: ") if one]
    assert all(len(re.findall(r"[.?)](?: |$)", one)) >= 1 for one in told), f"it ends without what to do: {said}"
    assert "Traceback" not in said
    for name in ("Dupont", "Zoé", "Nguyễn", "Öz"):
        assert name not in said
    assert {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()} == before


def test_there_are_forty_of_them_and_none_twice() -> None:
    assert len({one[0] for one in TOLD}) == len(TOLD) >= 40


def test_the_two_files_in_each_others_place_are_told(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "marks.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "a form.csv").write_text(FORM, encoding="utf-8")
    run = skarvin("draft", "a form.csv", "marks.csv")
    assert "a form.csv has hardly any marks, and marks.csv has" in run.out
    assert '    skarvin draft marks.csv "a form.csv"\n' in run.out
    (tmp_path / "transfer.toml").unlink()
    assert "hardly any marks" not in skarvin("draft", "marks.csv", "a form.csv").out
