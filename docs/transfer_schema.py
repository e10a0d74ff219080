"""Makes the JSON Schema of `transfer.toml`: what the plan's own types allow, with the words of docs/transfer.md.

`skarvin draft` puts it beside the transfer and names it there, so that an editor completes keys and marks mistakes.
"""

import json
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from skarvin.core.layout.told import Members, StudentSheets
from skarvin.core.plan.plan import OLD_KEYS, OPEN, Plan, SidePlan, table_types
from skarvin.core.targets.lines_form import LineColumns
from skarvin.core.targets.results_plan import ResultsPlan

SCHEMA = Path(__file__).parents[1] / "src" / "skarvin" / "core" / "plan" / "transfer.schema.json"
_ROW = re.compile(r"^\| (`[^|]*`[^|]*) \|(?:[^|]*\|)? ([^|]*) \|$", re.MULTILINE)
_HEADING = re.compile(r"^#{2,3} (.*)$", re.MULTILINE)
_TABLES = re.compile(r"`\[*([a-z_]+)[\]`.]")
_LINK = re.compile(r"\[([^\[\]]*)\]\([^)]*\)")
_NAMES = re.compile(r"`([\w.]+)`")
Words = Mapping[str, Mapping[str, str]]
_TOP = "above all tables"
_BESIDE = {
    "answer": ("answers", "item", "students"),
    "item": ("students",),
    "constant": ("item",),
    "comment": ("item",),
}
"""Where else keys of a table are told of."""
_INSIDE = {"members": Members, "student_sheets": StudentSheets, "lines": LineColumns, "results": ResultsPlan}
_NUMBER = {"anyOf": [{"type": "number"}, {"const": OPEN}]}
_OF_TABLES = {
    "source": "The export.",
    "target": "The form: what the target takes.",
    "since": "What was sent before, and what becomes of changes.",
    "item": "Which item feeds which, and how its marks are converted.",
    "students": "How students are paired, and which are moved.",
    "marks": "The rules for every item that doesn't say otherwise.",
    "statuses": "What is sent for words in place of marks.",
    "scale": "Scales: which word stands for which marks.",
    "total": "Totals: their formulas.",
    "about": "What a report says above all else.",
    "categories": "Names for several items together, for formulas.",
    "constant": "A mark for every student, or for some.",
    "comment": "Where comments go.",
    "answers": "The rules for the answers to every question that doesn't say otherwise.",
    "answer": "Where the answers to a question go.",
    "also": "A further identifier that both files have.",
    "export": "A further export, whose students and items join those of the first.",
    "roster": "A list of the target's students that knows more of them.",
    "list": "A list of those who are to be moved.",
    "correction": "A list of corrections, such as after an appeal.",
    "feedback": "What marked files are called when they are handed out.",
    "crosswalk": "A table of one system's identifiers beside another's.",
}


def words_of(text: str) -> dict[str, dict[str, str]]:
    """Return what a page says of each key, without its marks, by the tables that its headings name."""
    found: dict[str, dict[str, str]] = {}
    _, *parts = _HEADING.split(text)
    for heading, body in zip(parts[::2], parts[1::2], strict=True):
        named = _TABLES.findall(heading)
        for table in named[:1] if "` of `" in heading else named or [_TOP]:
            told = found.setdefault(table, {})
            for names, means in _ROW.findall(body):
                told |= {name: _plain(means) for name in _NAMES.findall(names) if name not in told}
    return found


def _plain(means: str) -> str:
    """Return a text without links and marks; what stands in backticks is kept as it is."""
    parts = re.sub(r"\s*\(\[[^\]]*\]\([^)]*\)\)", "", means).split("`")
    parts[::2] = [_LINK.sub(r"\1", part).replace("*", "") for part in parts[::2]]
    return " ".join("".join(parts).split())


def _tables() -> dict[str, list[str]]:
    """Return by the name of each type in the schema the tables of the page that say something of its keys."""
    found = {"Plan": [_TOP]}
    for name, kind in table_types().items():
        sides = ["source"] if issubclass(kind, SidePlan) else []
        found[kind.__name__] = [name, *sides, *_BESIDE.get(name, ())]
    return found | {kind.__name__: [name] for name, kind in _INSIDE.items()}


def _mended(node: Any, words: Words, known: Sequence[str] = ()) -> Any:  # noqa: ANN401 - whatever JSON can hold
    """Return a schema with numbers as TOML writes them, with descriptions, and with keys as they were called before."""
    if isinstance(node, list):
        return [_mended(one, words, known) for one in node]
    if not isinstance(node, dict):
        return node
    if node.get("format") == "decimal":
        return dict(_NUMBER)
    known = _tables().get(node.get("title", ""), known)
    found = {key: _mended(one, words, known) for key, one in node.items()}
    properties = found.get("properties")
    if isinstance(properties, dict):
        for name, one in properties.items():
            told = next((words[table][name] for table in known if name in words[table]), "")
            if told and isinstance(one, dict):
                properties[name] = {"description": told, **one}
        for old, new in OLD_KEYS.items():
            if new in properties:
                properties[old] = {**properties[new], "deprecated": True, "description": f"Now called {new}."}
    return found


def transfer_schema() -> str:
    """Return the schema's text."""
    words = words_of((Path(__file__).parent / "transfer.md").read_text(encoding="utf-8"))
    made = _mended(msgspec.json.schema(Plan), words)
    plan = made["$defs"]["Plan"]
    for name, told in _OF_TABLES.items():
        plan["properties"][name] = {"description": told, **plan["properties"][name]}
    head = {"$schema": "http://json-schema.org/draft-07/schema#", "title": "A Skarvin transfer"}
    return json.dumps(head | made, ensure_ascii=False, separators=(",", ":")) + "\n"


if __name__ == "__main__":
    SCHEMA.write_text(transfer_schema(), encoding="utf-8")
