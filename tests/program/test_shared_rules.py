"""A school's rules once: what a transfer doesn't say itself stands in a file that several transfers name."""

import random
import re
from pathlib import Path

import pytest

from conftest import Skarvin, column, shared_demo
from skarvin.core.plan.reading import read_plan

PAIRS = Path(__file__).parents[1] / "data" / "pairs"
SHARED = re.compile(r"\[\[?(?:students|marks|statuses|scale\..*|categories|total|constant|comment|answers|since)\]")
OWN = re.compile(
    r"^(?:only|only_sections|leave_out|earlier_pairings|key|sent_\w+|target_now\w*) = (?!\[\]|\"\")", re.MULTILINE
)
LISTS = ("[[comment", "[[constant", "[[total")
SCHOOL = """\
[students]
repeated = "agree"
ignore_leading_zeros = true

[marks]
decimals = 0
rounding = "half even"

[statuses]
absent = "ABS"

[scale.pass.bands]
Pass = 50
Fail = 0
"""
CLASS = """\
version = 1
rules = "../school.toml"

[source]
file = "export.csv"
identifier = "No"

[target]
file = "form.csv"
identifier = "No"
{}
[[item]]
from = "Knots"
to = "Knots"
"""


def transfers(folder: Path) -> list[Path]:
    return [*sorted(PAIRS.glob("*/transfer.toml")), *sorted(folder.rglob("transfer.toml"))]


def name_of(block: str) -> str:
    """Return what a block is called; a scale is whole."""
    return re.split(r"\]|\.(?=bands|values|words|lines)", block)[0]


def test_rules_mean_the_same_in_a_file_of_their_own(tmp_path: Path, tmp_path_factory: pytest.TempPathFactory) -> None:
    """Of every transfer there is, some tables that could be shared stand in another file."""
    draw, count = random.Random(31), 0
    for transfer in transfers(shared_demo(tmp_path_factory)):
        text = transfer.read_text(encoding="utf-8").replace('= "?"', '= ""')
        top, *blocks = re.split(r"^(?=\[)", text, flags=re.MULTILINE)
        names = {name for name in sorted(set(map(name_of, blocks))) if draw.random() < 0.7}
        may_move = [one for one in blocks if SHARED.match(one) and not OWN.search(one)]
        moved = [one for one in may_move if name_of(one) in names]
        if any(one.startswith("[[") for one in moved):  # lists are taken whole
            moved += [one for one in blocks if one.startswith(LISTS) and one not in moved]
        try:
            (tmp_path / "whole.toml").write_text(text, encoding="utf-8")
            whole = read_plan(tmp_path / "whole.toml").plan
        except Exception:  # noqa: BLE001, S112 - what can't be read whole is no example
            continue
        own = "".join(one for one in blocks if one not in moved)
        (tmp_path / "school.toml").write_text("".join(moved), encoding="utf-8")
        (tmp_path / "class.toml").write_text(f'rules = "school.toml"\n{top}{own}', encoding="utf-8")
        read = read_plan(tmp_path / "class.toml")
        for key in whole.__struct_fields__:
            assert key == "rules" or getattr(read.plan, key) == getattr(whole, key), (transfer, key)
        count += bool(read.taken_over)
    assert count > 20


def lay_out(folder: Path, own: str = "", name: str = "a") -> None:
    (folder / "school.toml").write_text(SCHOOL, encoding="utf-8")
    (folder / name).mkdir()
    (folder / name / "export.csv").write_text("No,Knots\n007,7.5\n8,absent\n9,6.5\n", encoding="utf-8")
    (folder / name / "form.csv").write_text("No;Knots\n7;\n8;\n9;5\n", encoding="utf-8")
    (folder / name / "transfer.toml").write_text(CLASS.format(own), encoding="utf-8")


@pytest.mark.parametrize(
    ("own", "sent"),
    [
        ("", ["8", "ABS", "6"]),
        ("[marks]\ndecimals = 1\n", ["7.5", "ABS", "6.5"]),
        ('[marks]\nrounding = "half up"\n', ["8", "ABS", "7"]),
        ("[statuses]\nabsent = 0\n", ["8", "0", "6"]),
        ('[statuses]\nexcused = "E"\n', ["8", "ABS", "6"]),
    ],
)
def test_what_a_transfer_says_itself_wins_key_by_key(
    tmp_path: Path, skarvin: Skarvin, own: str, sent: list[str]
) -> None:
    lay_out(tmp_path, own)
    written = skarvin("write", "--transfer", "a/transfer.toml")
    assert written.code == 0, written.err
    assert column(tmp_path / "a", 1) == sent
    told = " ".join(skarvin("preview", "--transfer", "a/transfer.toml", "--all").out.split())
    assert "from ../school.toml: repeated and ignore_leading_zeros of [students]; " in told
    assert ("decimals" in told.partition("from ../school.toml")[2]) is ("decimals" not in own)


def test_a_change_of_the_rules_is_told_in_every_class(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path)
    assert skarvin("write", "--transfer", "a/transfer.toml").code == 0
    (tmp_path / "school.toml").write_text(SCHOOL.replace("ABS", "AB"), encoding="utf-8")
    with pytest.MonkeyPatch.context() as patch:
        patch.chdir(tmp_path / "a")
        assert "changed since: school.toml" in skarvin().out


@pytest.mark.parametrize(
    ("rules", "says"),
    [
        (SCHOOL.replace('"agree"', '"agre"'), 'school.toml, line 2: repeated = "agre" is not one of the choices'),
        (SCHOOL.replace("repeated", "repeatd"), "school.toml, line 2: there is no key 'repeatd' in [students]"),
        (SCHOOL.replace("decimals = 0", "decimals = 11"), "school.toml, line 6: decimals: 11 is not between 0 and 10"),
        ('rules = "a/transfer.toml"\n', "school.toml, line 1: rules: 'a/transfer.toml' takes its own rules from here"),
        ('rules = "gone.toml"\n', "school.toml, line 1: rules: there is no file 'gone.toml'"),
        ("[marks\n", "school.toml, line 1: this line can't be read"),
        (None, "transfer.toml, line 2: rules: there is no file '../school.toml'"),
    ],
)
def test_what_is_wrong_with_the_rules_is_told_where_it_stands(
    tmp_path: Path, skarvin: Skarvin, rules: str | None, says: str
) -> None:
    lay_out(tmp_path)
    (tmp_path / "school.toml").unlink()
    if rules is not None:
        (tmp_path / "school.toml").write_text(rules, encoding="utf-8")
    refused = skarvin("preview", "--transfer", "a/transfer.toml")
    assert (refused.code, says in refused.err) == (3, True), refused.err


def test_another_transfer_may_be_the_rules_and_its_files_items_and_people_stay_its_own(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out(tmp_path)
    lay_out_b = '[students]\nleave_out = ["8"]\nonly_sections = []\n\n[marks]\nexisting = "keep"\n'
    (tmp_path / "b").mkdir()
    for file in ("export.csv", "form.csv"):
        (tmp_path / "b" / file).write_bytes((tmp_path / "a" / file).read_bytes())
    (tmp_path / "b" / "transfer.toml").write_text(CLASS.format(lay_out_b), encoding="utf-8")
    (tmp_path / "a" / "transfer.toml").write_text(
        CLASS.format("").replace("../school.toml", "../b/transfer.toml"), encoding="utf-8"
    )
    assert skarvin("write", "--transfer", "a/transfer.toml").code == 0
    assert column(tmp_path / "a", 1) == ["8", "ABS", "5"]
