"""What lies in a folder that others write to names no file elsewhere, and inputs of any transfer are never replaced."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin
from skarvin.core.grid import save
from skarvin.core.grid.journal import keep_old
from skarvin.core.grid.save import Delivery

NAMES = ("Ann Lee", "Bo Rey", "Cy Fox")
BEGUN = "0123456789abcdef"


def drafted(folder: Path, skarvin: Skarvin, cell: str = "") -> None:
    rows = list(enumerate(NAMES, 2011))
    (folder / "export.csv").write_text("Id,Name,Knots\n" + "".join(f"{no},{name},{no - 2008}\n" for no, name in rows))
    (folder / "form.csv").write_text("Id,Name,Knots\n" + "".join(f"{no},{name},{cell}\n" for no, name in rows))
    assert skarvin("draft", "export.csv", "form.csv").code == 0


@pytest.mark.parametrize("name", ["../victim.txt", "a/b", "a\\b", "/etc/hostname", "", ".", "..", "a\0b", "fine.csv"])
def test_a_ledger_names_files_of_its_own_folder_alone(tmp_path: Path, skarvin: Skarvin, name: str) -> None:
    drafted(tmp_path, skarvin)
    assert skarvin("write").code == 0
    (tmp_path / "fresh.csv").write_bytes((tmp_path / "form-import.csv").read_bytes() + b"\n")
    ledger = json.loads((tmp_path / "ledger.json").read_bytes())
    for known in ("held", "export_2", "import"):
        ledger["files"][known] = {"name": name, "sha256": "0" * 64}
    (tmp_path / "ledger.json").write_text(json.dumps(ledger))
    run = skarvin("confirm", "fresh.csv")
    assert run.code == (0 if name == "fine.csv" else 3), run.err
    assert name == "fine.csv" or "this ledger is damaged" in run.err
    assert skarvin("preview").code == 0
    assert skarvin().code == 0


@pytest.mark.parametrize("name", ["../victim.txt", "form.csv", "/etc/hostname", "./form.csv"])
@pytest.mark.parametrize("replaces", [True, False])
def test_a_journal_that_this_user_did_not_begin_is_told_and_left_alone(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, name: str, replaces: bool
) -> None:
    folder = tmp_path / "class"
    folder.mkdir()
    monkeypatch.chdir(folder)
    drafted(folder, skarvin)
    victim = tmp_path / "victim.txt"
    victim.write_text("mine")
    inode = (folder / name).stat().st_ino
    steps = [{"name": name, "inode": inode, "replaces": replaces, "replaced": inode}]
    journal = folder / f".skarvin.{BEGUN}.journal"
    journal.write_text(json.dumps(steps))
    planted = folder / f".{Path(name).name}.{BEGUN}.old"
    planted.write_text("planted")
    before = {path: path.read_bytes() for path in (victim, folder / "form.csv")}
    said = skarvin("preview")
    assert said.code == 0
    assert f"{journal.name} in {folder} was not begun by you here, and is left alone" in said.err
    assert {path: path.read_bytes() for path in before} == before
    assert journal.exists()
    assert planted.read_text() == "planted"


@pytest.mark.parametrize("at", [0, 1, 2])
def test_a_write_that_is_stopped_among_its_files_leaves_all_as_it_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, at: int
) -> None:
    files = [tmp_path / f"{number}.txt" for number in range(3)]
    for file in files[:2]:
        file.write_text("old")

    def stop_at(path: Path, token: str) -> None:
        if path == files[at]:
            raise KeyboardInterrupt
        keep_old(path, token)

    monkeypatch.setattr(save, "keep_old", stop_at)
    monkeypatch.setattr(save, "_place_new", lambda _, path: stop_at(path, ""))
    with Delivery(replace=True, inputs=[]) as delivery:
        for file in files:
            delivery.stage(file, [b"new"])
        with pytest.raises(KeyboardInterrupt):
            delivery.commit()
    assert [file.read_text() for file in files if file.exists()] == ["old", "old"]
    assert sorted(path.name for path in tmp_path.iterdir()) == ["0.txt", "1.txt"]


@pytest.mark.parametrize(
    "command",
    [
        ("history", "--export", "{}", "--replace"),
        ("students", "--enrich", "{}", "--replace"),
        ("roster", "list.csv", "--form", "roster-form.csv", "--to", "{}", "--replace"),
    ],
)
def test_no_command_writes_over_what_a_transfer_of_the_folder_names(
    tmp_path: Path, skarvin: Skarvin, command: tuple[str, ...]
) -> None:
    drafted(tmp_path, skarvin)
    assert skarvin("write").code == 0
    (tmp_path / "pairings.csv").write_text(
        "identifier,name,section,row,reason,suggestion 1,suggestion 2,suggestion 3,decision,decided on\n"
    )
    (tmp_path / "who.csv").write_text("Id,Name\n2011,Ann Lee\n")
    (tmp_path / "other.toml").write_text('version = 1\n[source]\nfile = "marks.csv"\n[[list]]\nfile = "who.csv"\n')
    (tmp_path / "marks.csv").write_text("Id,Name\n")
    (tmp_path / "list.csv").write_text("Id,Name\n2011,Ann Lee\n")
    (tmp_path / "roster-form.csv").write_text("Id,Name\n")
    kept = ["export.csv", "form.csv", "transfer.toml", "pairings.csv", "ledger.json", "skarvin-history.db", "who.csv"]
    for name in (*kept, "marks.csv"):
        before = (tmp_path / name).read_bytes()
        said = skarvin(*(word.format(name) for word in command))
        assert said.code == 4, (name, said)
        assert "is an input and is never written to" in said.err or "a folder has this name" in said.err
        assert (tmp_path / name).read_bytes() == before
    assert skarvin(*(word.format("new.csv") for word in command)).code in {0, 1}


def test_files_far_away_are_named_before_they_are_read(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    drafted(tmp_path, skarvin)
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    for place, form, told in (
        ("class", "form.csv", ""),
        ("class", "../form.csv", "../form.csv"),
        ("term/class", "form.csv", "../../export.csv"),
        ("far", str(tmp_path / "form.csv"), str(tmp_path / "form.csv")),
    ):
        folder = tmp_path / place
        folder.mkdir(parents=True, exist_ok=True)
        up = "../" * (place.count("/") + 1)
        (folder / "form.csv").write_bytes((tmp_path / "form.csv").read_bytes())
        own = text.replace('"export.csv"', f'"{up}export.csv"').replace('"form.csv"', f'"{form}"')
        (folder / "transfer.toml").write_text(own, encoding="utf-8")
        monkeypatch.chdir(folder)
        for command in ("preview", "students", "write"):
            said = skarvin(command, *(["--replace"] if command == "write" else []))
            assert said.code == 0
            words = "transfer.toml names files far from its own folder: "
            assert " ".join(said.err.split()) == (f"note: {words}{told}" if told else "")


@pytest.mark.parametrize(("cell", "told"), [("", "3 cells that were blank are emptied only"), ("9", "as it was.")])
def test_what_a_restore_file_puts_back_is_said_as_it_is(tmp_path: Path, skarvin: Skarvin, cell: str, told: str) -> None:
    drafted(tmp_path, skarvin, cell)
    assert told in " ".join(skarvin("write").out.split())
