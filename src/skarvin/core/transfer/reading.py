"""Reads `transfer.toml`, strictly: whatever it holds that isn't a plan is said with its line and its mend."""

import re
import tomllib
from decimal import Decimal
from pathlib import Path
from typing import Any

import msgspec

from skarvin.core.findings import Finding, Place, Refused, Unreadable, counted
from skarvin.core.transfer.lines import find_line
from skarvin.core.transfer.plan import (
    OPEN,
    AlsoPlan,
    CrosswalkPlan,
    ItemPlan,
    MarksPlan,
    Plan,
    RosterPlan,
    SourcePlan,
    StudentsPlan,
    TargetPlan,
)

_TABLES: dict[str | None, type[msgspec.Struct]] = {
    None: Plan,
    "source": SourcePlan,
    "target": TargetPlan,
    "students": StudentsPlan,
    "marks": MarksPlan,
    "item": ItemPlan,
    "roster": RosterPlan,
    "crosswalk": CrosswalkPlan,
    "also": AlsoPlan,
}
_AT = re.compile(
    r"^(?P<what>.*?)(?: - at `\$(?:\.(?P<table>\w+))?(?:\[(?P<index>\d+)\])?(?:\.(?P<key>\w+))?.*`)?$",
    re.DOTALL,
)
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


def read_plan(file: Path) -> tuple[Plan, str]:
    """Return the plan in `file` and the file's text.

    Raises:
        Unreadable: there is no such file, or it isn't a plan.
        Refused: something in it is still open.
    """
    try:
        text = file.read_text(encoding="utf-8-sig")
        raw = tomllib.loads(text, parse_float=Decimal)
    except FileNotFoundError:
        what = "there is no transfer here"
        raise Unreadable(
            Finding("no-transfer", what, Place(file), "Make one with: skarvin draft EXPORT TEMPLATE")
        ) from None
    except (OSError, UnicodeDecodeError) as error:
        raise Unreadable(Finding("unreadable-file", f"the file can't be read: {error}", Place(file))) from None
    except tomllib.TOMLDecodeError as error:
        raise Unreadable(_syntax(file, str(error))) from None
    open_points = _open_points(file, text, raw)
    _make_decimals(raw)
    try:
        plan = msgspec.convert(raw, Plan, builtin_types=(Decimal,))
    except msgspec.ValidationError as error:
        raise Unreadable(_invalid(file, text, str(error))) from None
    _check_values(file, text, plan)
    if open_points:
        summary = f"{counted(len(open_points), 'point is', 'points are')} open, so nothing was done"
        raise Refused(*open_points, Finding("open", summary))
    return plan, text


def _syntax(file: Path, message: str) -> Finding:
    found = re.search(r"\(at line (\d+), column (\d+)\)", message)
    line = int(found[1]) if found else None
    what = re.sub(r"\s*\(at .*\)", "", message)
    mend = "Text stands in double quotes, one `key = value` a line; a note begins with #."
    return Finding("not-toml", f"this line can't be read: {what[:1].lower()}{what[1:]}", Place(file, line=line), mend)


def _open_points(file: Path, text: str, raw: dict[str, Any]) -> list[Finding]:
    """Return a finding for each value that is still open, and take open maxima out of `raw`."""
    findings = []
    for index, item in enumerate(_tables(raw.get("item"))):
        for key in [key for key, value in item.items() if value == OPEN]:
            place = Place(file, line=find_line(text, "item", key, index))
            what = f"""'{item.get("from", "?")}' is open: {key} = "{OPEN}" """.rstrip()
            mend = (
                'Write the heading of the column that it goes to, or "" to leave the item out.'
                if key == "to"
                else "Write the number, without quotes."
            )
            findings.append(Finding("open", what, place, mend))
            if key != "to":
                del item[key]
    for table in ("source", "target"):
        if isinstance(raw.get(table), dict) and raw[table].get("identifier") == OPEN:
            place = Place(file, line=find_line(text, table, "identifier"))
            mend = "Write the heading of the column that tells the students apart."
            findings.append(Finding("open", f"the identifier of the {table} is open", place, mend))
    return findings


def _make_decimals(raw: dict[str, Any]) -> None:
    """Turn whole maxima into decimals like the others: `100` is as good as `100.0`."""
    for item in _tables(raw.get("item")):
        for key in ("from_out_of", "to_out_of"):
            if type(item.get(key)) is int:
                item[key] = Decimal(item[key])


def _tables(value: object) -> list[dict[str, Any]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def _invalid(file: Path, text: str, message: str) -> Finding:
    """Turn the validator's message into one that says where, what and how to mend it."""
    at = _AT.match(message)
    what, table, index, key = (at["what"], at["table"], at["index"], at["key"]) if at else (message, None, None, None)
    if table and not key and index is None and table not in _TABLES:
        table, key = None, table
    unknown = re.search(r"unknown field `(.*)`", what)
    missing = re.search(r"missing required field `(.*)`", what)
    if unknown:
        key = unknown[1]
    place = Place(file, line=find_line(text, table, key, int(index or 0)))
    where = f" in [{table}]" if table and index is None else f" in [[{table}]]" if table else ""
    known = [field.encode_name for field in msgspec.structs.fields(_TABLES.get(table, Plan))]
    if unknown:
        return Finding("unknown-key", f"there is no key '{key}'{where}", place, _did_you_mean(unknown[1], known))
    if missing:
        mend = f"Write a line: {missing[1]} = ..."
        return Finding("missing-key", f"the key '{missing[1]}' is missing{where}", place, mend)
    choice = re.search(r"Invalid enum value '?(.*?)'?$", what)
    if choice and table and key:
        return _bad_choice(place, table, key, choice[1])
    types = re.search(r"Expected `(.*)`, got `(.*)`", what)
    if types:
        expected = " or ".join(_TYPES.get(one, one) for one in types[1].split(" | ") if one != "null")
        what = f"'{key or table}' should be {expected}, and is {_TYPES.get(types[2], types[2])}"
    else:
        what = f"'{key or table}': {what[:1].lower()}{what[1:]}"
    return Finding("wrong-type", what, place, "Correct the value.")


def _bad_choice(place: Place, table: str, key: str, value: str) -> Finding:
    fields = {field.encode_name: field for field in msgspec.structs.fields(_TABLES[table])}
    choices = sorted(set(re.findall(r"'([a-z ]+)'", str(fields[key].type))))
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


def _check_values(file: Path, text: str, plan: Plan) -> None:
    """Refuse values of the right type that can't be meant."""
    findings = []

    def complain(table: str, key: str, index: int, what: str) -> None:
        place = Place(file, line=find_line(text, table, key, index))
        findings.append(Finding("bad-value", f"{key}: {what}", place, "Correct the value."))

    most_decimals, whole = 10, 100
    places = [
        ("marks", 0, plan.marks.decimals),
        *(("item", index, item.decimals) for index, item in enumerate(plan.item)),
    ]
    for table, index, decimals in places:
        if decimals is not None and not 0 <= decimals <= most_decimals:
            complain(table, "decimals", index, f"{decimals} is not between 0 and {most_decimals}")
    for index, item in enumerate(plan.item):
        for key, maximum in (("from_out_of", item.from_out_of), ("to_out_of", item.to_out_of)):
            if maximum is not None and not (maximum.is_finite() and maximum > 0):
                complain("item", key, index, f"{maximum} is no maximum")
    if not 0 <= plan.students.least_paired <= whole:
        complain("students", "least_paired", 0, f"{plan.students.least_paired} is not between 0 and {whole}")
    if findings:
        raise Unreadable(*findings)
