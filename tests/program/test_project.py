"""The project checks itself: its docs against its commands, its modules, its words."""

import ast
import importlib
import json
import pkgutil
import re
import subprocess
import sys
import tomllib
from importlib.metadata import requires
from pathlib import Path

import click
import jsonschema
import msgspec
import pytest
from man_pages import MAN, make_pages
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name
from transfer_schema import SCHEMA, transfer_schema

import skarvin as package
from conftest import Skarvin, shared_demo
from skarvin.cli.main import commands
from skarvin.core.plan import plan

SOURCES = list(Path(package.__path__[0]).rglob("*.py"))
TEXTS = {".csv", ".toml"}
ROOT = Path(__file__).parent.parent.parent
MODULES = [
    module.name for module in pkgutil.walk_packages(package.__path__, "skarvin.") if "__main__" not in module.name
]
PLANS = [
    one
    for one in vars(plan).values()
    if isinstance(one, type) and issubclass(one, msgspec.Struct) and one not in {msgspec.Struct, plan.Plan}
]
HEAVY = ("numpy", "pandas", "scipy", "lxml", "xlrd", "python_calamine", "rapidfuzz", "jinja2")


def docs() -> str:
    return "\n".join(path.read_text(encoding="utf-8") for path in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")])


def every_command() -> list[tuple[str, click.Command]]:
    context = click.Context(commands)
    found = []
    for name in commands.list_commands(context):
        command = commands.get_command(context, name)
        assert command is not None
        found.append((name, command))
        if isinstance(command, click.Group):
            found += [(f"{name} {inner}", one) for inner, one in command.commands.items()]
    return found


@pytest.mark.parametrize("module", MODULES)
def test_each_module_says_what_it_is_for(module: str) -> None:
    assert (importlib.import_module(module).__doc__ or "").strip()


def test_no_two_modules_have_one_name() -> None:
    names = [module.rsplit(".", 1)[1] for module in MODULES if not hasattr(importlib.import_module(module), "__path__")]
    assert sorted(names) == sorted(set(names))


def test_no_message_says_the_name_of_a_class() -> None:
    trees = [ast.parse(path.read_text(encoding="utf-8")) for path in SOURCES]
    nodes = [node for tree in trees for node in ast.walk(tree)]
    names = {node.name for node in nodes if isinstance(node, ast.ClassDef) and re.search("[a-z][A-Z]", node.name)}
    said = [text for node in nodes if (text := part_of_a_message(node))]
    assert said
    assert [text for text in said if names & set(re.findall(r"\w+", text))] == []


def part_of_a_message(node: ast.AST) -> str:
    """Return a text of several words; types, and docstrings with names in backticks, are for whoever reads the code."""
    text = node.value if isinstance(node, ast.Constant) else ""
    is_said = isinstance(text, str) and " " in text.strip() and not any(sign in text for sign in "\n`|")
    return str(text) if is_said else ""


def test_where_the_docs_send_a_change_there_is_such_a_place() -> None:
    text = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    table = text.partition("## To change this, go there")[2].partition("\n## ")[0]
    core = ROOT / "src" / "skarvin" / "core"
    places = re.findall(r"`([\w./-]+(?:\.py|\.md|\.j2|/|/\w+\.toml))`(?: \(`(\w+)`)?", table)
    assert len(places) >= 25
    for path, name in places:
        found = [base / path for base in (core, core.parent, ROOT) if (base / path).exists()]
        assert found, path
        assert not name or name in found[0].read_text(encoding="utf-8"), (path, name)


def test_each_change_that_no_test_saw_is_listed() -> None:
    """The figures by room, added up, and the list of what is left say the same."""
    text = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8").replace(",", "")
    figures = {
        room: (int(tried), int(seen))
        for room, tried, seen in re.findall(r"^\| `?(\w+)`? \| (\d+) \| (\d+) \|", text, re.MULTILINE)
    }
    tried, seen = figures.pop("all")
    assert (tried, seen) == tuple(map(sum, zip(*figures.values(), strict=True)))
    listed = (ROOT / "docs" / "mutations.md").read_text(encoding="utf-8")
    assert len(re.findall(r"^\| `(?!`)[\w/]+\.py` ", listed, re.MULTILINE)) == tried - seen


def test_one_class_loads_nothing_heavy() -> None:
    code = "import sys, skarvin.cli.write, skarvin.cli.preview, skarvin.cli.main; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert not [name for name in HEAVY if name in loaded]


def test_every_command_in_the_docs_exists_with_its_options() -> None:
    known = dict(every_command())
    for line in re.findall(r"^skarvin (.+)$", docs(), re.MULTILINE):
        words = line.split("#")[0].split()
        name = " ".join(words[:2]) if " ".join(words[:2]) in known else words[0]
        options = {option for parameter in known[name].params for option in parameter.opts}
        assert {word for word in words if word.startswith("--")} <= options, line


def test_every_command_is_in_the_docs_and_has_help(skarvin: Skarvin) -> None:
    for name, command in every_command():
        assert f"skarvin {name}" in docs(), name
        assert command.help
        assert all(parameter.help for parameter in command.params if isinstance(parameter, click.Option)), name
    assert "--replace" in skarvin("write", "--help").out


@pytest.mark.parametrize("table", PLANS)
def test_every_key_of_the_transfer_is_documented(table: type[msgspec.Struct]) -> None:
    text = (ROOT / "docs" / "transfer.md").read_text(encoding="utf-8")
    assert not [field.encode_name for field in msgspec.structs.fields(table) if f"`{field.encode_name}`" not in text]


def test_links_in_the_docs_lead_somewhere() -> None:
    for page in [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\(([^)#]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / link).exists(), f"{page.name}: {link}"


def test_every_picture_is_linked_from_the_readme() -> None:
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    assert not [path.name for path in (ROOT / "docs" / "screenshots").iterdir() if path.name not in text]


def test_wrong_usage_is_said_with_exit_code_2(skarvin: Skarvin) -> None:
    assert skarvin("look").code == 2
    assert skarvin("lok").code == 2
    assert skarvin("preview", "--nothing").code == 2


def test_the_version_is_told(skarvin: Skarvin) -> None:
    assert skarvin("--version").out == f"skarvin {skarvin_version()}\n"


def skarvin_version() -> str:
    return package.__version__


def test_what_the_docs_show_of_the_demo_is_what_it_says(tmp_path_factory: pytest.TempPathFactory) -> None:
    demo = shared_demo(tmp_path_factory)
    said = demo.with_name("said.txt").read_text(encoding="utf-8")
    files = [path.read_text(encoding="utf-8-sig", errors="replace") for path in demo.rglob("*") if path.suffix in TEXTS]
    for page in ("marks", "totals", "answers", "forms"):
        text = (ROOT / "docs" / f"{page}.md").read_text(encoding="utf-8")
        for language, block in re.findall(r"^```(\w*)\n(.*?)^```$", text, re.MULTILINE | re.DOTALL):
            lines = [line.split("   #")[0].rstrip() for line in block.splitlines() if line.strip()]
            if language == "" and not block.startswith("error: "):
                is_shown = block in said or all(any(line in file for file in files) for line in lines)
                assert is_shown, f"{page}: {block}"
            elif language == "toml" and not re.match(r"# [\w-]+\.toml\n", block):
                assert [line for line in lines if not any(line in file for file in files)] == [], page


def test_the_man_pages_say_what_the_help_says(tmp_path: Path) -> None:
    make_pages(tmp_path)
    kept = {page.name: page.read_text(encoding="utf-8") for page in MAN.glob("*.1")}
    assert kept == {page.name: page.read_text(encoding="utf-8") for page in tmp_path.glob("*.1")}
    assert {f"skarvin-{name}.1" for name in commands.list_commands(click.Context(commands))} < set(kept)


def test_the_schema_of_the_transfer_is_made_from_the_plan_and_the_docs() -> None:
    assert SCHEMA.read_text(encoding="utf-8") == transfer_schema(), "run: python docs/transfer_schema.py"


def test_the_schema_says_of_a_key_what_the_docs_say_of_it_in_its_own_table() -> None:
    kinds = json.loads(transfer_schema())["$defs"]
    said = {
        (name, key): one.get("description", "")
        for name, kind in kinds.items()
        for key, one in kind.get("properties", {}).items()
    }
    assert said["CorrectionPlan", "by"].startswith("who says so")
    assert said["AboutPlan", "by"].startswith("what the report says above all else")
    assert (said["CorrectionPlan", "new"], said["Members", "group"]) == (
        "the column with the mark from now on",
        "its column with the group",
    )
    assert '["*", "late"]' in said["MarksPlan", "ignore_flags"]
    assert "[[crosswalk]]" in said["CrosswalkPlan", "from"]
    assert [place for place, text in said.items() if text.count("[") != text.count("]") or "](" in text] == []
    assert {place for place, text in said.items() if not text} == {
        ("AlsoPlan", "from"),
        ("AlsoPlan", "to"),
        ("FeedbackPlan", "names"),
    }


def test_an_editor_completes_a_drafted_transfer_and_marks_mistakes(drafted: Path) -> None:
    text = (drafted / "transfer.toml").read_text(encoding="utf-8")
    assert text.startswith("#:schema transfer.schema.json\n")
    schema = json.loads((drafted / "transfer.schema.json").read_bytes())
    checker = jsonschema.Draft7Validator(schema)
    assert not list(checker.iter_errors(tomllib.loads(text)))
    wrong = text.replace('blank = "leave"', 'blank = "leaf"').replace("ignore_case =", "ignore_cases =")
    assert len(list(checker.iter_errors(tomllib.loads(wrong)))) == 2
    assert schema["$defs"]["MarksPlan"]["properties"]["decimals"]["description"]


@pytest.mark.parametrize("transfer", sorted((Path(__file__).parents[1] / "data").rglob("transfer.toml")), ids=str)
def test_every_transfer_that_is_right_is_right_to_an_editor(transfer: Path) -> None:
    checker = jsonschema.Draft7Validator(json.loads(SCHEMA.read_text(encoding="utf-8")))
    assert not list(checker.iter_errors(tomllib.loads(transfer.read_text(encoding="utf-8"))))


def test_the_gate_pins_all_that_it_installs() -> None:
    lines = (ROOT / "constraints.txt").read_text(encoding="utf-8").splitlines()
    pinned = {canonicalize_name(line.partition("==")[0]) for line in lines if "==" in line}
    left, seen = [("skarvin", "dev")], set[tuple[str, str]]()
    while left:
        seen.add(one := left.pop())
        for needed in map(Requirement, requires(one[0]) or ()):
            if needed.marker is None or needed.marker.evaluate({"extra": one[1]}):
                found = {(canonicalize_name(needed.name), extra) for extra in ("", *needed.extras)}
                left += found - seen
    assert {name for name, _ in seen} - pinned == {"skarvin"}
