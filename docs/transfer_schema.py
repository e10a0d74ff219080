"""Makes the JSON Schema of `transfer.toml`: what the plan's own types allow, with the words of docs/transfer.md.

`skarvin draft` puts it beside the transfer and names it there, so that an editor completes keys and marks mistakes.
"""

import json
import re
from pathlib import Path
from typing import Any

import msgspec

from skarvin.core.plan.plan import OLD_KEYS, OPEN, Plan

SCHEMA = Path(__file__).parents[1] / "src" / "skarvin" / "core" / "plan" / "transfer.schema.json"
_ROW = re.compile(r"^\| (`[^|]*`[^|]*) \|(?: [^|]* \|)? ([^|]*) \|$", re.MULTILINE)
_NAMES = re.compile(r"`([\w.]+)`")
_NUMBER = {"anyOf": [{"type": "number"}, {"const": OPEN}]}
_TOP = {
    "source": "The export.",
    "target": "The form: what the target takes.",
    "since": "What was sent before, and what becomes of changes.",
    "item": "Which item feeds which, and how its marks are converted.",
    "students": "How students are paired, and which are moved.",
    "marks": "The rules for every item that doesn't say otherwise.",
    "statuses": "What is sent for words in place of marks.",
    "scale": "Scales: which word stands for which marks.",
    "total": "Totals: their formulas.",
}


def words_of(text: str) -> dict[str, str]:
    """Return what a page says of each key, without its marks."""
    found: dict[str, str] = {}
    for names, means in _ROW.findall(text):
        plain = re.sub(r"\(\[[^\]]*\]\([^)]*\)\)|[`*]|\]\([^)]*\)|\[", "", means)
        for name in _NAMES.findall(names):
            found.setdefault(name, " ".join(plain.split()))
    return found


def _mended(node: Any, words: dict[str, str]) -> Any:  # noqa: ANN401 - whatever JSON can hold
    """Return a schema with numbers as TOML writes them, with descriptions, and with keys as they were called before."""
    if isinstance(node, list):
        return [_mended(one, words) for one in node]
    if not isinstance(node, dict):
        return node
    if node.get("format") == "decimal":
        return dict(_NUMBER)
    found = {key: _mended(one, words) for key, one in node.items()}
    properties = found.get("properties")
    if isinstance(properties, dict):
        for name, one in properties.items():
            if name in words and isinstance(one, dict):
                properties[name] = {"description": words[name], **one}
        for old, new in OLD_KEYS.items():
            if new in properties:
                properties[old] = {**properties[new], "deprecated": True, "description": f"Now called {new}."}
    return found


def transfer_schema() -> str:
    """Return the schema's text."""
    words = words_of((Path(__file__).parent / "transfer.md").read_text(encoding="utf-8"))
    made = _mended(msgspec.json.schema(Plan), words)
    plan = made["$defs"]["Plan"]
    for name, told in _TOP.items():
        plan["properties"][name] = {"description": told, **plan["properties"][name]}
    head = {"$schema": "http://json-schema.org/draft-07/schema#", "title": "A Skarvin transfer"}
    return json.dumps(head | made, ensure_ascii=False, separators=(",", ":")) + "\n"


if __name__ == "__main__":
    SCHEMA.write_text(transfer_schema(), encoding="utf-8")
