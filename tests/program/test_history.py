"""The history: what each write and confirmation was, kept privately, and never harmed."""

import csv
import json
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

from conftest import Skarvin, as_exported, edit, lay_out
from skarvin.core.findings import Refused
from skarvin.core.ledger.filed import FiledStudent
from skarvin.core.ledger.run_history import (
    Kept,
    Run,
    history_file,
    keeping,
    packed,
    prune,
    read_marks,
    read_runs,
)
from skarvin.core.ledger.since import HISTORY
from skarvin.core.transfer.after_upload.kept_runs import student_keys

EXPORT = "Id,Name,Knots\n0101,Ines Duarte,7\n0102,Kofi Mensah,8.5\n0103,Yu Chen,\n"
FORM = "Id,Name,Knots\n0101,Ines Duarte,\n0102,Kofi Mensah,\n0103,Yu Chen,\n"
RULES = '[[item]]\nfrom = "C"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'


@pytest.fixture
def written(tmp_path: Path, skarvin: Skarvin) -> Path:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    assert skarvin("write").code == 0
    return tmp_path


def test_a_write_and_its_confirmation_are_kept_without_a_name_and_for_the_owner_alone(
    written: Path, skarvin: Skarvin
) -> None:
    assert skarvin("confirm", as_exported()).code == 0
    file = written / HISTORY
    assert file.stat().st_mode & 0o077 == 0
    data = file.read_bytes()
    assert not [name for name in (b"Ines", b"Duarte", b"Kofi", b"Mensah", b"Chen") if name in data]
    write, confirm = read_runs(file)
    assert (write.kind, write.counts["sent"]) == ("write", 2)
    assert (confirm.kind, confirm.ledger, confirm.counts) == ("confirm", write.ledger, {"arrived": 2})
    assert read_marks(file, write, "0102") == {"0102": [Kept("sent", "8.5", "")]}
    assert read_marks(file, confirm)["0103"] == [Kept("", "")]
    said = skarvin("history").out
    assert "2 sent, 1 left out" in said
    assert "not confirmed" not in said


def test_the_registrar_asks_what_was_sent_for_one_student(written: Path, skarvin: Skarvin) -> None:
    edit(written / "export.csv", "7", "9")
    edit(written / "transfer.toml", 'file = "form.csv"', 'file = "form-import.csv"')
    assert skarvin("write", "--into", "later").code == 0
    run = skarvin("history", "--student", "0101", "--json")
    assert [(one["kind"], one["finding"], one["mark"], one["before"]) for one in json.loads(run.out)["marks"]] == [
        ("write", "sent", "7", ""),
        ("write", "changed", "9", "7"),
    ]
    assert "replaced" in skarvin("history", "--student", "0101").out
    run = skarvin("history", "--student", "Ines")
    assert run.code == 2
    assert "names aren't kept" in run.err


@pytest.mark.parametrize("count", [1, 1_000_000])
@pytest.mark.parametrize(
    "rows", [["0101,Ines Duarte,9,", "0101,Ines Duarte,,4"], ["0101,Ines Duarte,,4", "0101,Ines Duarte,9,"]]
)
def test_of_several_rows_the_mark_that_was_sent_is_kept_whichever_row_it_is_in(
    tmp_path: Path, skarvin: Skarvin, rows: list[str], count: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("skarvin.core.ledger.codes._MANY", count)
    export = "\n".join(["Id,Name,Knots,Lofting", rows[0], "0102,Kofi Mensah,5,6", rows[1], ""])
    form = "Id,Name,Knots,Lofting\n0101,Ines Duarte,,\n0102,Kofi Mensah,,\n"
    lay_out(tmp_path, export, form, '[students]\nrepeated = "highest"\n' + RULES + RULES.replace('"C"', '"D"'))
    assert skarvin("write").code == 0
    file = tmp_path / HISTORY
    sent = {who: [one.text for one in marks] for who, marks in read_marks(file, read_runs(file)[0]).items()}
    assert sent == {"0101": ["9", "4"], "0102": ["5", "6"]}


def test_it_can_be_exported_and_no_cell_of_that_runs(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, EXPORT.replace("0101", "=1+1"), FORM.replace("0101", "=1+1"), RULES)
    assert skarvin("write").code == 0
    assert skarvin("history", "--export", "all.csv").code == 0
    with (tmp_path / "all.csv").open(encoding="utf-8-sig", newline="") as lines:
        rows = list(csv.DictReader(lines))
    assert {(row["Identifier"], row["Finding"], row["Mark"]) for row in rows} >= {("'=1+1", "sent", "7")}
    assert (tmp_path / "all.csv").stat().st_mode & 0o077 == 0
    assert skarvin("history", "--export", "all.csv").code == 4


def test_pruning_forgets_what_is_old_and_keeps_each_transfers_last_write(written: Path, skarvin: Skarvin) -> None:
    file = written / HISTORY
    (write,) = read_runs(file)
    newer = write._replace(at="2090-01-01T00:00:00+00:00", ledger="0" * 64)
    with keeping(file, newer, read_codes(file, write)):
        pass
    assert skarvin("history", "--prune", "2020-01-01").code == 0
    assert len(read_runs(file)) == 2
    assert prune(file, write.at[:10]) == 0, "what is of that very day isn't before it"
    assert "Forgotten: 1 run before 2089-01-01" in skarvin("history", "--prune", "2089-01-01").err
    assert [run.ledger for run in read_runs(file)] == [newer.ledger]
    assert prune(file, "9999-01-01") == 0
    assert skarvin("history", "--prune", "soon").code == 2


def read_codes(file: Path, run: Run) -> list[tuple[str, bytes]]:
    places = {kept: place for place, kept in enumerate(run.outcomes)}
    marks = read_marks(file, run).items()
    return [(who, packed(map(places.__getitem__, kept), run.kind_of_code)) for who, kept in marks]


PAGE = 4096
"""So many bytes of the history are one page."""


def damaged(file: Path, kind: str) -> None:
    if kind == "cut":
        file.write_bytes(file.read_bytes()[:3000])
    elif kind == "overwritten":
        data = bytearray(file.read_bytes())
        data[4096:9000] = b"\x55" * 4904
        file.write_bytes(bytes(data))
    elif kind == "text":
        file.write_text("not a database at all, but text that is long enough", encoding="utf-8")
    else:
        with sqlite3.connect(file) as database:
            statement = {
                "newer": "PRAGMA user_version = 99",
                "another": "PRAGMA application_id = 7",
                "emptied": "DROP TABLE mark",
            }[kind]
            database.execute(statement)
        database.close()


@pytest.mark.parametrize(
    ("kind", "words"),
    [
        ("cut", "the history is damaged"),
        ("overwritten", "the history is damaged"),
        ("text", "the history is damaged"),
        ("emptied", "the history is damaged"),
        ("newer", "of a later version (99)"),
        ("another", "isn't a history that Skarvin wrote"),
    ],
)
def test_one_that_is_damaged_or_newer_is_said_and_never_written_over(
    written: Path, skarvin: Skarvin, kind: str, words: str
) -> None:
    file = written / HISTORY
    damaged(file, kind)
    before = file.read_bytes()
    for command in (("preview",), ("write", "--into", "new"), ("confirm", as_exported()), ("history",)):
        run = skarvin(*command)
        assert run.code == 4, (command, run)
        assert words in run.err
    assert file.read_bytes() == before
    assert not (written / "new").exists()
    file.rename(written / "history-of-before.db")  # the way on
    assert skarvin("write", "--into", "new").code == 0


def test_damage_to_the_marks_of_a_large_history_is_said_when_they_are_read(
    written: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("skarvin.core.ledger.run_history._SMALL", 0)
    file = written / HISTORY
    (run,), whole = read_runs(file), file.read_bytes()
    assert read_marks(file, run)
    for page in range(1, len(whole) // PAGE):
        file.write_bytes(whole[: page * PAGE] + b"\x55" * PAGE + whole[(page + 1) * PAGE :])
        with pytest.raises(Refused, match="the history is damaged"):
            read_marks(file, run)


def test_a_code_that_stands_for_nothing_is_damage(written: Path) -> None:
    file = written / HISTORY
    (run,) = read_runs(file)
    whole, size = read_marks(file, run), len(run.outcomes)
    for code, count, is_one in ((size - 1, len(whole), True), (size, len(whole), False), (0, len(whole) + 1, False)):
        with closing(sqlite3.connect(file)) as database, database:
            codes = packed([code] * len(run.items) * count, run.kind_of_code)
            database.execute("UPDATE block SET codes = ?", (codes,))
        if is_one:
            assert read_marks(file, run) == dict.fromkeys(whole, [run.outcomes[code]] * len(run.items))
        else:
            with pytest.raises(Refused, match="the history is damaged"):
                read_marks(file, run)


@pytest.mark.parametrize("names", ["7", "null", "[", '["0101"]', "[" * 100_000])
def test_students_that_do_not_fit_their_codes_are_damage(written: Path, names: str) -> None:
    file = written / HISTORY
    with closing(sqlite3.connect(file)) as database, database:
        database.execute("UPDATE block SET students = ?", (names,))
    with pytest.raises(Refused, match="the history is damaged"):
        read_marks(file, read_runs(file)[0])


@pytest.mark.parametrize("size", [1, 2, 3])
def test_a_history_of_the_first_version_is_read_and_goes_on(
    written: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, size: int
) -> None:
    file = written / HISTORY
    (first,) = read_runs(file)
    marks = read_marks(file, first)
    with closing(sqlite3.connect(file)) as database, database:  # a row a student, as it kept them
        for who, kept in marks.items():
            codes = packed(map(list(first.outcomes).index, kept), first.kind_of_code)
            database.execute("INSERT INTO mark VALUES (?, ?, ?)", (first.number, who, codes))
        database.execute("DROP TABLE block")
        database.execute("UPDATE run SET files = replace(files, '\"form\"', '\"template\"')")
        database.execute("PRAGMA user_version = 1")
    assert read_runs(file) == [first]
    assert read_marks(file, first) == marks
    assert read_marks(file, first, "0102") == {"0102": marks["0102"]}
    assert skarvin("confirm", as_exported()).code == 0
    edit(written / "export.csv", "8.5", "9")
    monkeypatch.setattr("skarvin.core.ledger.run_history._BLOCK", size)
    run = skarvin("write", "--replace")
    assert (run.code, "1 mark replaced" in run.out or "1 replaced" in run.out) == (0, True), run.out
    runs = read_runs(file)
    assert [read_marks(file, one).keys() for one in runs] == [marks.keys()] * 3
    assert read_marks(file, runs[0]) == marks
    assert [one[0].text for one in read_marks(file, runs[2]).values()] == ["7", "9", ""]
    assert prune(file, "2999-01-01") == 2
    assert read_marks(file, runs[2], "0102")["0102"][0].text == "9"
    assert read_marks(file, runs[0]) == {}


def test_nothing_is_kept_of_a_write_that_was_refused(written: Path, skarvin: Skarvin) -> None:
    assert skarvin("write").code == 4
    assert len(read_runs(written / HISTORY)) == 1
    with pytest.raises(ZeroDivisionError), keeping(history_file(written), read_runs(written / HISTORY)[0], []):
        1 / 0  # noqa: B018 - whatever goes wrong
    assert len(read_runs(written / HISTORY)) == 1


def test_several_writes_at_once_do_not_harm_it(tmp_path: Path) -> None:
    lay_out(tmp_path, EXPORT, FORM, RULES)
    running = [
        subprocess.Popen(
            [sys.executable, "-m", "skarvin", "write", "--into", f"at-once-{number}"],
            cwd=tmp_path,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
        )
        for number in range(6)
    ]
    errors = [process.communicate()[1] for process in running]
    assert [process.returncode for process in running] == [0] * 6, errors
    runs = read_runs(tmp_path / HISTORY)
    assert len(runs) == 6
    assert sorted(run.proof for run in runs) == [f"at-once-{number}/ledger.json" for number in range(6)]
    assert all(read_marks(tmp_path / HISTORY, run)["0101"] == [Kept("sent", "7", "")] for run in runs)


NAMESAKES = (
    "Name,Born,Knots\nSílva João,2009-04-12,{}\nSilva João,2008-11-30,{}\n"
    "Costa Rui,2009-07-21,{}\nLind Per,2009-01-02,{}\n"
)


def test_whom_nothing_tells_apart_is_nobody_to_the_history() -> None:
    who = [
        ("", "Silva, João", "A", ""),
        ("", "JOÃO SILVA", "a", ""),
        ("", "João Silva", "B", ""),
        ("7", "João Silva", "A", ""),
    ]
    one, other, elsewhere, numbered, again, born = student_keys(
        [FiledStudent(row, *told) for row, told in enumerate([*who, who[-1], ("", "João Silva", "A", "2009")], 2)]
    )
    assert one == other == ""
    assert numbered == again == "7"
    assert len({one, elsewhere, numbered, born}) == 4


@pytest.mark.parametrize("alike", [False, True])
def test_namesakes_without_identifiers_each_meet_what_was_sent_of_their_own(
    tmp_path: Path, skarvin: Skarvin, *, alike: bool
) -> None:
    """Birth dates tell them apart; where these are gone from the form, nothing that was sent is either's."""
    (tmp_path / "export.csv").write_text(NAMESAKES.format(7, 8, 9, 5), encoding="utf-8")
    (tmp_path / "form.csv").write_text(NAMESAKES.format("", "", "", ""), encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code == 0
    run = skarvin("confirm", as_exported())
    assert run.code == 0, run.err
    for kept in read_runs(tmp_path / HISTORY):
        marks = read_marks(tmp_path / HISTORY, kept).values()
        assert sorted(one[0].text for one in marks) == ["5", "7", "8", "9"]
    edit(tmp_path / "transfer.toml", 'file = "form.csv"', 'file = "form-import.csv"')
    edit(tmp_path / "export.csv", "12,7", "12,6")
    if alike:
        text = (tmp_path / "form-import.csv").read_text(encoding="utf-8")
        (tmp_path / "form-import.csv").write_text(
            text.replace("2009-04-12", "").replace("2008-11-30", ""), encoding="utf-8"
        )
    run = skarvin("preview", "--json")
    marks = json.loads(run.out)["marks"]["list"]
    told = {(one["mark"], one["fate"], one.get("last", "")) for one in marks}
    if alike:
        assert told == {("6", "held", ""), ("8", "held", ""), ("9", "same", "9"), ("5", "same", "5")}
    else:
        assert told == {("6", "changed", "7"), ("8", "same", "8"), ("9", "same", "9"), ("5", "same", "5")}


def test_students_without_identifiers_are_kept_by_a_fingerprint_of_their_name(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "Name,Knots\nInes Duarte,7\nKofi Mensah,8\n", "Name,Knots\nDuarte Ines,\nMensah Kofi,\n", "")
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8").replace('identifier = "A"', 'identifier = ""')
    rules = '[students]\nnames = "pair"\n[[item]]\nfrom = "B"\nto = "B"\nfrom_out_of = 10\nto_out_of = 10\n'
    (tmp_path / "transfer.toml").write_text(text + rules, encoding="utf-8")
    assert skarvin("write").code == 0
    assert b"Duarte" not in (tmp_path / HISTORY).read_bytes()
    assert skarvin("confirm", as_exported()).code == 0
    fates = json.loads(skarvin("preview", "--json").out)["fates"]
    assert (fates["sent"], fates["same"]) == (0, 2)
