"""Another export or form for one run: the transfer stays as it is, and all that is said names what was read."""

import json
import shlex
from pathlib import Path

import pytest

from conftest import Skarvin, edit

EXPORT = "№;ФИО;Узлы (макс. 10)\n11;Иванова Анна;7\n12;Ким Олег;8,5\n"
FORM = "Id,Name,Узлы [20]\n11,Иванова Анна,\n12,Ким Олег,\n"


@pytest.fixture
def klass(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "one.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "one.csv", "form.csv", "--pair", "№=Id", "--use", "ФИО=full name").code == 0
    (tmp_path / "new").mkdir()
    (tmp_path / "new" / "two.csv").write_text(EXPORT.replace("8,5", "x") + "13;Ли Вера;4\n", encoding="utf-8")
    (tmp_path / "new" / "fresh form.csv").write_text(FORM + "13,Ли Вера,\n", encoding="utf-8")
    return tmp_path


def test_the_other_files_are_read_and_filled_and_the_next_lines_carry_them(klass: Path, skarvin: Skarvin) -> None:
    transfer = (klass / "transfer.toml").read_bytes()
    other = ("--export", "new/two.csv", "--form", "new/fresh form.csv")
    who = skarvin("students", *other)
    assert who.code == 0
    assert "Ли Вера" in who.out
    seen = skarvin("preview", *other)
    following = next(line for line in seen.out.splitlines() if line.startswith("Next: skarvin "))
    assert shlex.split(following)[2:] == ["write", *other]
    run = skarvin(*shlex.split(following)[2:])
    assert run.code == 1
    written = (klass / "new" / "fresh form-import.csv").read_text(encoding="utf-8")
    assert written.splitlines()[1:] == ["11,Иванова Анна,14", "12,Ким Олег,", "13,Ли Вера,8"]
    files = json.loads((klass / "new" / "ledger.json").read_bytes())["files"]
    assert (files["export"]["name"], files["form"]["name"]) == ("two.csv", "fresh form.csv")
    assert (klass / "transfer.toml").read_bytes() == transfer
    assert not (klass / "form-import.csv").exists()
    state = " ".join(skarvin().out.split())
    assert "two.csv -> fresh form.csv" in state
    assert "changed since" not in state, "the files that were read are as they were"
    edit(klass / "new" / "fresh form.csv", "13,", "14,")
    assert "changed since: fresh form.csv" in " ".join(skarvin().out.split())


def test_one_of_them_alone_and_without_any_it_is_as_before(klass: Path, skarvin: Skarvin) -> None:
    assert skarvin("preview", "--form", "new/fresh form.csv").code == 0
    assert skarvin("write", "--export", "new/two.csv").code == 1
    assert (klass / "form-import.csv").exists()
    assert skarvin("write", "--replace").code == 0
    assert "one.csv -> form.csv" in skarvin().out


def test_they_are_refused_where_they_would_be_for_several(klass: Path, skarvin: Skarvin) -> None:
    (klass / "more").mkdir()
    (klass / "more" / "transfer.toml").write_bytes((klass / "transfer.toml").read_bytes())
    run = skarvin("write", "--transfer", ".", "--export", "new/two.csv")
    assert (run.code, "Name one with --transfer" in run.err) == (2, True)
    with (klass / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('[[export]]\nfile = "one.csv"\nidentifier = "№"\n')
    run = skarvin("preview", "--export", "new/two.csv")
    assert (run.code, "2 exports" in run.err, "--like" in run.err) == (2, True, True)
    assert skarvin("preview", "--export", "gone.csv", "--transfer", "more/transfer.toml").code == 3
