"""Turns what a validator says of a `transfer.toml` into what a person needs: the line, what is wrong, the mend."""

import re
from enum import StrEnum
from pathlib import Path
from typing import get_args

import msgspec

from skarvin.core.findings import Finding, Place
from skarvin.core.plan.lines import find_below, find_line
from skarvin.core.plan.plan import NOT_MEANT, Plan, table_types
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault

_TABLES = table_types()
_AT = pattern(
    r"^(?P<what>.*?)(?: - at `\$(?:\.(?P<table>\w+))?(?:\[(?P<index>\d+|\.\.\.)\])?(?:\.(?P<key>\w+))?.*`)?$",
    re.DOTALL,
)
_RULES = "Text stands in double quotes, one `key = value` a line; a note begins with #."
_TOML = {
    r"Cannot (?:declare|redefine|mutate|overwrite) .*(?:twice|table|namespace)": (
        "this table stands twice",
        "Put its lines under the first one of that name, and delete this one; only [[...]] may stand several times.",
    ),
    r"Cannot overwrite|Duplicate inline": ("this key stands twice in its table", "Delete one of the two lines."),
    r"Unescaped": ("a backslash in double quotes means something else", "Write / in place of \\ in paths."),
    r"Illegal character": (
        "there is a character in it that can't be seen, or a text that doesn't end",
        'Type the line anew; text begins and ends with " in the same line.',
    ),
    r"Expected newline or end of document": ("something stands behind the value", _RULES),
    r"Expected '=' after a key": ("there is no = between key and value", _RULES),
    r"Unterminated": ("a text, list or table isn't ended", _RULES),
    r"Invalid (?:value|initial)": ("the value is neither text in quotes, nor a number, true, false or a list", _RULES),
}
"""What a reader of TOML says, and what a person needs: what is wrong, and what to do."""
_ODD = pattern("[\u201c\u201d\u201e\u00ab\u00bb\u2018\u2019\u00a0]")
_MEND_OF_SIGNS = 'A word processor put it there: text stands in straight quotes ("), and blanks are plain ones.'
_TYPES = {
    "int": "a whole number",
    "decimal": "a number",
    "str": "text in quotes",
    "bool": "true or false",
    "array": "a list",
    "object": "a table",
    "float": "a number with decimals",
    "null": "nothing",
}


def not_toml(file: Path, fault: TomlFault) -> Finding:
    """Return a finding for a file that isn't TOML."""
    said = str(fault)
    where = "this line" if fault.line else "this"
    what, mend = next(
        (words for found, words in _TOML.items() if re.match(found, said)), (f"{said[:1].lower()}{said[1:]}", _RULES)
    )
    if fault.around and (sign := _ODD.search(fault.around)):
        odd = "blank that isn't a plain one" if sign[0].isspace() else sign[0]
        what, mend = f"there is a {odd} in it", _MEND_OF_SIGNS
    return Finding("not-toml", f"{where} can't be read: {what}", Place(file, line=fault.line), mend)


def not_a_plan(file: Path, text: str, message: str) -> Finding:
    """Turn the validator's message into one that says where, what and how to mend it."""
    at = _AT.match(message)
    what, table, index, key = (at["what"], at["table"], at["index"], at["key"]) if at else (message, None, None, None)
    if table and not key and index is None and table not in _TABLES:
        table, key = None, table
    unknown = re.search(r"unknown field `(.*)`", what)
    missing = re.search(r"missing required field `(.*)`", what)
    if unknown:
        key = unknown[1]
    is_named = index == "..."
    number = int(index) if index and not is_named else 0
    line = find_below(text, table, key) if table and is_named else find_line(text, table, key, number)
    place = Place(file, line=line)
    where = f" in [{table}]" if table and (index is None or is_named) else f" in [[{table}]]" if table else ""
    known = [field.encode_name for field in msgspec.structs.fields(_TABLES.get(table or "", Plan))]
    if unknown:
        return Finding("unknown-key", f"there is no key '{key}'{where}", place, _did_you_mean(unknown[1], known))
    if missing:
        mend = f"Write a line: {missing[1]} = ..."
        return Finding("missing-key", f"the key '{missing[1]}' is missing{where}", place, mend)
    choice = re.search(r"Invalid enum value '?(.*?)'?$", what)
    if choice and key == "version" and not table:
        what = f"version {choice[1]} isn't supported"
        return Finding("unknown-version", what, place, "Write version = 1.")
    if choice and table and key:
        return bad_choice(place, table, key, choice[1])
    types = re.search(r"Expected `(.*)`, got `(.*)`", what)
    if types:
        expected = " or ".join(_TYPES.get(kind, kind) for kind in types[1].split(" | ") if kind != "null")
        what = f"'{key or table}' should be {expected}, and is {_TYPES.get(types[2], types[2])}"
    else:
        what = f"'{key or table}': {what[:1].lower()}{what[1:]}"
    return Finding("wrong-type", what, place, "Correct the value.")


def bad_choice(place: Place, table: str, key: str, value: str) -> Finding:
    """Return a finding for a value that isn't one of those that a key can have, with these."""
    fields = {field.encode_name: field for field in msgspec.structs.fields(_TABLES[table])}
    types = get_args(fields[key].type) or (fields[key].type,)
    every = (choice for one in types if issubclass(one, StrEnum) for choice in one)
    choices = sorted(choice.value for choice in every if choice not in NOT_MEANT.get((table, key), ()))
    written = ", ".join(f'"{choice}"' for choice in choices)
    return Finding(
        "unknown-choice",
        f"""{key} = "{value}" is not one of the choices""",
        place,
        f"Write one of: {written}.",
    )


def _did_you_mean(key: str, known: list[str]) -> str:
    from rapidfuzz import process  # noqa: PLC0415 - only for a message

    best = process.extractOne(key, known, score_cutoff=60)
    return f"Did you mean '{best[0]}'?" if best else f"Known here: {', '.join(known)}."
