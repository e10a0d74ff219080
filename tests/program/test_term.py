"""A term at once: each class by itself, none stopped by another, one summary."""

import json
import os
import pty
import subprocess
import sys
import time
from pathlib import Path

import pytest

from conftest import Skarvin, column, edit, lay_out
from skarvin.core.transfer import settling

RULES = '[[item]]\nfrom = "C"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'
NAMES = ("10 a", "10 b", "10 c")


@pytest.fixture
def term(tmp_path: Path) -> Path:
    """Lay out three classes: one is all right, one has a mark to decide, one has no export."""
    for number, name in enumerate(NAMES):
        folder = tmp_path / "term" / name
        folder.mkdir(parents=True)
        people = [f"{number}{one}01,Pupil {chr(65 + one)}{number}" for one in range(1, 5)]
        export = "Id,Name,Knots\n" + "".join(f"{who},{mark}\n" for who, mark in zip(people, "5678", strict=True))
        form = "Id,Name,Knots\n" + "".join(f"{who},\n" for who in people)
        lay_out(folder, export, form, RULES)
    edit(tmp_path / "term" / "10 b" / "export.csv", ",7\n", ",1O\n")
    (tmp_path / "term" / "10 c" / "export.csv").unlink()
    return tmp_path / "term"


def test_one_that_fails_stops_none_of_the_others_and_the_worst_code_counts(term: Path, skarvin: Skarvin) -> None:
    run = skarvin("write", "--transfer", "term")
    assert run.code == 3
    assert "3 transfers: 1 with nothing to decide, 1 with something to decide, 1 failed." in run.out
    assert [(term / name / "form-import.csv").exists() for name in NAMES] == [True, True, False]
    assert (term / "10 a" / "report.html").exists()
    page = (term / "term-report.html").read_text(encoding="utf-8")
    assert 'href="10%20a/report.html"' in page
    assert "To decide: 1 mark." in page
    assert "Failed: export.csv: there is no such file" in page
    assert (term / "term-report.html").stat().st_mode & 0o077 == 0


def cells(shown: str, name: str) -> list[str]:
    """Return what stands beside a class in the table."""
    return next(line for line in shown.splitlines() if line.startswith(f"  {name} ")).removeprefix(f"  {name}").split()


def test_the_folder_is_taken_as_it_is_and_each_class_has_a_line_in_numbers(
    term: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The numbers are counted anew in the files that were written."""
    monkeypatch.chdir(term)
    (term / "10 c" / "export.csv").write_bytes(
        (term / "10 a" / "export.csv").read_bytes().replace(b"\n0", b"\n2").replace(b"0,", b"2,")
    )
    before = skarvin("preview")
    assert before.out.endswith("Next: skarvin write\n")
    assert "To decide\n  10 b: 1 mark" in before.out
    written = skarvin("write")
    assert (before.code, written.code) == (1, 1)
    for name, waits in zip(NAMES, (0, 1, 0), strict=True):
        sent = sum(1 for mark in column(term / name, 0) if mark[-1] != ",")
        assert cells(before.out, name) == [str(sent), str(waits), "-", "-"]
        assert cells(written.out, name)[:2] == [str(sent), str(waits)]
        assert len(cells(written.out, name)) == 5, "written on a day and at a time, and not confirmed"
    assert "Next: skarvin confirm FRESH_EXPORT" in written.out
    quiet = skarvin("write", "--replace", "-q").out.splitlines()
    assert quiet == ["10 b: 1 mark.", *(f"{name}/report.html" for name in NAMES), "term-report.html"]
    assert skarvin("preview", "-q").out.splitlines() == ["10 b: 1 mark."]
    for name in NAMES:
        (term / "10 fresh").mkdir(exist_ok=True)
        fresh = (term / name / "form-import.csv").read_bytes()
        (term / "10 fresh" / f"{name}.csv").write_bytes(b"\xef\xbb\xbf" + fresh)
    confirmed = skarvin("confirm", "10 fresh")
    assert cells(confirmed.out, "10 a")[0] == "4"
    assert "-" not in cells(confirmed.out, "10 a")
    monkeypatch.chdir(term / "10 a")
    (term / "10 a" / "transfer.toml").rename(term / "10 a" / "mine.toml")
    assert "1 row of headings" in skarvin("preview").out, "the only one there is is meant"


def test_a_second_transfer_in_a_folder_leaves_the_files_of_the_first_alone(term: Path, skarvin: Skarvin) -> None:
    folder = term / "10 a"
    assert skarvin("write", "--transfer", folder / "transfer.toml").code == 0
    before = {path: path.read_bytes() for path in folder.iterdir() if path.is_file() and path.suffix != ".db"}
    (folder / "second.toml").write_bytes((folder / "transfer.toml").read_bytes())
    for further in ((), ("--replace",)):
        assert skarvin("write", "--transfer", folder / "second.toml", *further).code == 0
    assert {path: path.read_bytes() for path in before} == before
    assert skarvin("write", "--transfer", folder / "transfer.toml", "--replace").code == 0
    assert not (folder / "transfer").exists(), "transfer.toml needs no folder of its own"
    fresh = folder / "second" / "fresh.csv"
    fresh.write_bytes(b"\xef\xbb\xbf" + (folder / "second" / "form-import.csv").read_bytes())
    assert skarvin("confirm", fresh, "--transfer", folder / "second.toml").code == 0
    (folder / "second" / "ledger.json").unlink()
    assert skarvin("preview", "--transfer", folder / "transfer.toml").code == 0


def test_preview_and_students_have_a_line_for_each_and_write_nothing_else(term: Path, skarvin: Skarvin) -> None:
    before = sorted(path for path in term.rglob("*"))
    run = skarvin("preview", "--transfer", "term", "--json")
    data = json.loads(run.out)
    assert [(one["transfer"], one["code"]) for one in data["transfers"]] == [
        ("10 a/transfer.toml", 0),
        ("10 b/transfer.toml", 1),
        ("10 c/transfer.toml", 3),
    ]
    assert data["transfers"][0]["data"]["fates"]["sent"] == 4
    assert sorted(path for path in term.rglob("*")) == before
    run = skarvin("students", "--transfer", "term")
    assert run.code == 3
    assert [cells(run.out, name) for name in NAMES] == [["4", "0", "0", "-", "-"]] * 2 + [["-", "-", "-", "-", "-"]]


def test_a_term_is_confirmed_by_one_export_of_the_school_or_by_one_for_each_class(term: Path, skarvin: Skarvin) -> None:
    whole = (term / "10 a" / "export.csv").read_text(encoding="utf-8")
    for number, name in enumerate(NAMES):
        text = "".join(f"{number}{line[1:]}" if line[0] == "0" else line for line in whole.splitlines(keepends=True))
        (term / name / "export.csv").write_text(text.replace("0,", f"{number},"), encoding="utf-8")
    assert skarvin("write", "--transfer", "term").code == 0
    heads, *_ = (term / "10 a" / "form-import.csv").read_text(encoding="utf-8").splitlines()
    rows = [line for name in NAMES for line in (term / name / "form-import.csv").read_text("utf-8").splitlines()[1:]]
    (term.parent / "school.csv").write_text("\n".join([heads, *reversed(rows)]), encoding="utf-8")
    run = skarvin("confirm", "school.csv", "--transfer", "term")
    assert run.out.count("All 4 marks that were sent have arrived") == 3
    assert run.code == 1  # the other classes' marks are extra
    fresh = term.parent / "fresh"
    fresh.mkdir()
    for name in NAMES[:2]:
        (fresh / f"{name}.csv").write_bytes(b"\xef\xbb\xbf" + (term / name / "form-import.csv").read_bytes())
    run = skarvin("confirm", "fresh", "--transfer", "term")
    assert run.code == 3
    assert "no file in fresh for 10 c. Name one 10 c" in " ".join(run.out.split())
    assert (term / "10 a" / "10 a-confirm.html").exists()
    assert 'href="10%20b/10%20b-confirm.html"' in (term / "term-confirm.html").read_text(encoding="utf-8")


def test_several_transfers_in_one_folder_write_into_folders_of_their_own(term: Path, skarvin: Skarvin) -> None:
    folder = term / "10 a"
    (folder / "transfer.toml").rename(folder / "spring.toml")
    (folder / "autumn.toml").write_bytes((folder / "spring.toml").read_bytes())
    assert skarvin("write", "--transfer", folder).code == 0
    assert (folder / "spring" / "form-import.csv").exists()
    assert (folder / "autumn" / "report.html").exists()


def test_a_fault_in_one_class_does_not_lose_the_others(
    term: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    whole = vars(settling)["settle"]

    def fails(source: object, *arguments: object) -> object:
        if "10 b" in str(source.grid.file):  # type: ignore[attr-defined]
            raise ZeroDivisionError
        return whole(source, *arguments)

    monkeypatch.setattr("skarvin.core.transfer.settling.settle", fails)
    run = skarvin("write", "--transfer", "term")
    assert run.code == 70
    assert "Skarvin itself failed (ZeroDivisionError)" in " ".join(run.out.split())
    assert (term / "10 a" / "form-import.csv").exists()


def test_a_folder_without_transfers_is_refused_with_the_way_on(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "empty").mkdir()
    run = skarvin("write", "--transfer", "empty")
    assert run.code == 3
    assert "skarvin draft EXPORT FORM --transfer CLASS/transfer.toml" in run.err


def test_a_bar_shows_on_a_terminal_how_far_it_is(term: Path) -> None:
    main, other = pty.openpty()
    command = [sys.executable, "-m", "skarvin", "write", "--plain", "--transfer", str(term)]
    with subprocess.Popen(command, stdout=other, stderr=other, stdin=other) as process:
        os.close(other)
        seen = b""
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                piece = os.read(main, 4096)
            except OSError:
                break
            if not piece:
                break
            seen += piece
        assert process.wait() == 3
    os.close(main)
    assert b"0 of 3  10 a/transfer.toml" in seen
    assert b"[####################..........] 2 of 3" in seen


def test_the_bar_is_gone_in_the_end_and_there_is_none_where_output_is_piped(
    term: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert "of 3" not in skarvin("preview", "--transfer", term).err
    told: list[str] = []
    with monkeypatch.context() as patch:
        patch.setattr("sys.stdout.isatty", lambda: True)
        patch.setattr("sys.stderr.isatty", lambda: True)
        patch.setattr("sys.stderr.write", told.append)
        assert skarvin("students", "--transfer", term).code == 3
    assert [piece[-30:].rpartition("  ")[2] for piece in told[:3]] == [f"{name}/transfer.toml" for name in NAMES]
    assert told[-1] == "\r\x1b[2K"
