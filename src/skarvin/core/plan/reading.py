"""Reads `transfer.toml`, strictly: whatever it holds that isn't a plan is said with its line and its mend."""

import re
from collections.abc import Iterator, Sequence
from copy import deepcopy
from decimal import Decimal
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
from msgspec.structs import replace

from skarvin.core.findings import Finding, Misused, Place, Refused, Unreadable, counted
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.read import MOST_CHARACTERS
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.messages import bad_choice, not_a_plan, not_toml
from skarvin.core.plan.no_effect import without_effect
from skarvin.core.plan.paths import relative
from skarvin.core.plan.plan import NOT_MEANT, OLD_KEYS, OPEN, SAME_MAXIMUM, Plan, numbers_in
from skarvin.core.plan.shared_rules import take_over, without_own
from skarvin.core.texts.numbers import read_number
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml

_MOST_DIGITS = 30


class PlanFile(NamedTuple):
    """A plan, the text that it was read from, the SHA-256 of the file's bytes, and which keys stand in another file."""

    plan: Plan
    text: str
    fingerprint: str
    taken_over: tuple[str, ...] = ()


class Instead(NamedTuple):
    """Files that are read for once in place of those that a transfer names."""

    export: Path | None = None
    form: Path | None = None


AS_NAMED = Instead()


class _Raw(NamedTuple):
    """A transfer as TOML: its text and bytes, and what is in it."""

    text: str
    data: bytes
    tables: dict[str, Any]


def read_plan(file: Path, instead: Instead = AS_NAMED) -> PlanFile:
    """Return the plan in `file` and what it was read from.

    Args:
        file: the transfer.
        instead: an export and a form in place of those that it names.

    Raises:
        Misused: one export is given, and the transfer has several.
        Unreadable: there is no such file, or it isn't a plan.
        Refused: something in it is still open.
    """
    try:
        text, data, raw = _read(file)
    except Unreadable as error:
        if error.findings[0].slug != "missing-file":
            raise
        what = "there is no transfer here"
        mend = "Make one with: skarvin draft EXPORT FORM"
        raise Unreadable(Finding("no-transfer", what, Place(file), mend)) from None
    taken_over = _with_rules(file, text, raw, [file])
    open_points = _open_points(file, text, raw)
    plan = _checked(file, text, raw, taken_over)
    if open_points:
        summary = f"{counted(len(open_points), 'question')} to answer, so nothing was done"
        raise Refused(*open_points, Finding("open", summary))
    return PlanFile(_with_files(plan, file, instead), text, fingerprint(data), taken_over)


def _with_files(plan: Plan, file: Path, instead: Instead) -> Plan:
    """Return a plan with other files."""
    if instead.export and plan.export:
        what = f"{file.name} has {len(plan.export) + 1} exports, and --export names one"
        raise Misused(Finding("several-exports", what, None, "Name them in the transfer, or draft one --like it."))
    export, form = (relative(path, file) if path else "" for path in instead)
    source = replace(plan.source, file=export or plan.source.file)
    return replace(plan, source=source, target=replace(plan.target, file=form or plan.target.file))


def read_tables(file: Path) -> tuple[str, dict[str, Any]]:
    """Return the text of a transfer, and its tables with the rules that it takes over; questions may be open in it.

    Raises:
        Unreadable: there is no such file, or it isn't a plan.
    """
    text, _, raw = _read(file)
    taken_over = _with_rules(file, text, raw, [file])
    alone = deepcopy(raw)
    for _ in _open_points(file, text, alone):
        pass  # an example may have open ends
    _checked(file, text, alone, taken_over)
    return text, raw


def _read(file: Path) -> _Raw:
    """Return what a transfer says, with keys as they are called now.

    Raises:
        Unreadable: there is no such file, it isn't TOML, or it has numbers and texts beyond all bounds.
    """
    data = read_bytes(file)
    try:
        text = data.decode("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
        raw = load_toml(text)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        mend = "Save it as UTF-8."
        raise Unreadable(Finding("unreadable-file", "this isn't text in UTF-8", Place(file, line=line), mend)) from None
    except TomlFault as fault:
        raise Unreadable(not_toml(file, fault)) from None
    text = _with_new_keys(file, text, raw)
    _check_bounds(file, text, raw)
    return _Raw(text, data, raw)


def _checked(file: Path, text: str, raw: dict[str, Any], taken_over: Sequence[str] = ()) -> Plan:
    """Return the plan that tables say.

    Raises:
        Unreadable: they are none.
    """
    _make_decimals(raw)
    try:
        plan = msgspec.convert(raw, Plan, builtin_types=(Decimal,))
    except msgspec.ValidationError as error:
        raise Unreadable(not_a_plan(file, text, str(error))) from None
    _check_values(file, text, plan, raw, taken_over)
    return plan


def _with_rules(file: Path, text: str, raw: dict[str, Any], above: Sequence[Path]) -> tuple[str, ...]:
    """Put into a transfer what the file of rules says that it names, and return which keys that are.

    Raises:
        Unreadable: there is no such file, it can't be one of rules, or it names one of those above it.
    """
    named = raw.get("rules")
    if not isinstance(named, str) or not named.strip():
        return ()
    path, place = file.parent / named, Place(file, line=find_line(text, None, "rules"))
    if any(path.resolve() == one.resolve() for one in above):
        what = f"rules: '{named}' takes its own rules from here"
        raise Unreadable(Finding("rules-in-circle", what, place, "Take rules out of one of the files."))
    try:
        theirs = _read(path)
    except Unreadable as error:
        if error.findings[0].slug != "missing-file":
            raise
        what, mend = f"rules: there is no file '{named}'", "Correct its name, or take the line away."
        raise Unreadable(Finding("no-rules", what, place, mend)) from None
    from_above = _with_rules(path, theirs.text, theirs.tables, [*above, path])
    alone = without_own(deepcopy(theirs.tables))
    for _ in _open_points(path, theirs.text, alone):
        pass  # what is open there is open here
    _checked(path, theirs.text, alone, from_above)
    return tuple(take_over(raw, theirs.tables))


def _with_new_keys(file: Path, text: str, raw: dict[str, Any]) -> str:
    """Rename keys that were called otherwise before, in `raw` and in the text in which lines are looked for.

    Raises:
        Unreadable: a table has a key under both names.
    """
    tables = [(name, _named(raw.get(name))) for name in ("students", "marks", "answers")]
    tables += [(name, table) for name in ("item", "answer") for table in _tables(raw.get(name))]
    is_old = False
    for name, table in tables:
        for old in [old for old in OLD_KEYS if old in table]:
            if OLD_KEYS[old] in table:
                place = Place(file, line=find_line(text, name, old))
                what = f"'{old}' is now called '{OLD_KEYS[old]}', and both stand here"
                raise Unreadable(Finding("two-names", what, place, "Delete this line."))
            table[OLD_KEYS[old]] = table.pop(old)
            is_old = True
    return _OLD_KEY.sub(lambda match: OLD_KEYS[match[0]], text) if is_old else text


_OLD_KEY = pattern(rf"^(?:{'|'.join(OLD_KEYS)})(?=\s*=)", re.MULTILINE)


def _check_bounds(file: Path, text: str, raw: dict[str, Any]) -> None:
    """Refuse numbers that no mark, maximum or count can be, and texts that no cell can say, wherever they stand."""
    found = []
    for table, index, key, value in _values(raw):
        what = _beyond_bounds(value)
        if what:
            place = Place(file, line=find_line(text, table, key, index))
            found.append(Finding("bad-value", f"{key}: {what}", place, "Correct the value."))
    if found:
        raise Unreadable(*found)


def _beyond_bounds(value: object) -> str:
    if isinstance(value, bool):
        return ""
    if isinstance(value, int) and abs(value) >= 10**_MOST_DIGITS:
        return f"a number with more than {_MOST_DIGITS} digits"
    if isinstance(value, Decimal) and value.is_finite():
        is_long = len(value.as_tuple().digits) > 2 * _MOST_DIGITS or abs(value.adjusted()) >= _MOST_DIGITS
        return f"a number with more than {_MOST_DIGITS} digits before or behind its point" if is_long else ""
    if isinstance(value, str) and "\0" in value:
        return "a text with a NUL character"
    if isinstance(value, str) and len(value) > MOST_CHARACTERS:
        return f"a text of more than {MOST_CHARACTERS:,} characters"
    return ""


def _values(raw: dict[str, Any]) -> Iterator[tuple[str | None, int, str, object]]:
    """Yield each value of a transfer, however deep, with its table, which of several that is, and its key."""
    waiting: list[tuple[str | None, int, str, object]] = [(None, 0, str(key), value) for key, value in raw.items()]
    while waiting:
        table, index, key, value = waiting.pop()
        if isinstance(value, dict):
            name = key if table is None else f"{table}.{key}"
            waiting += [(name, index, str(inner), one) for inner, one in value.items()]
        elif isinstance(value, list) and table is None and any(isinstance(one, dict) for one in value):
            for place, one in enumerate(value):
                waiting += [(key, place, str(inner), each) for inner, each in _named(one).items()]
        elif isinstance(value, list):
            waiting += [(table, index, key, one) for one in value]
        else:
            yield table, index, key, value


def _open_points(file: Path, text: str, raw: dict[str, Any]) -> list[Finding]:
    """Return a finding for each value that is still open, and take open maxima out of `raw`."""
    findings = []
    for index, item in enumerate(_tables(raw.get("item"))):
        for key in [key for key, value in item.items() if value == OPEN]:
            place = Place(file, line=find_line(text, "item", key, index))
            what = f"""'{item.get("from", "?")}' has a question to answer: {key} = "{OPEN}" """.rstrip()
            mend = (
                'Write the heading of the column that it goes to, or "" to leave the item out.'
                if key == "to"
                else "Write the number, without quotes."
            )
            findings.append(Finding("open", what, place, mend))
            if key != "to":
                del item[key]
    for index, export in enumerate(_tables(raw.get("export"))):
        if export.get("identifier") == OPEN:
            place = Place(file, line=find_line(text, "export", "identifier", index))
            what = f"whether '{export.get('sheet', export.get('file'))}' is read, too, is to be decided"
            findings.append(Finding("open", what, place, "Write the heading of its identifiers, or delete its block."))
    findings += _open_words(file, text, _named(raw.get("scale")))
    findings += _open_statuses(file, text, raw)
    findings += _open_maximum(file, text, raw)
    for table in ("source", "target"):
        if isinstance(raw.get(table), dict) and raw[table].get("identifier") == OPEN:
            place = Place(file, line=find_line(text, table, "identifier"))
            mend = "Write the heading of the column that identifies the students."
            findings.append(Finding("open", f"the identifier of the {table} is to be chosen", place, mend))
    return findings


def _open_words(file: Path, text: str, scales: dict[str, Any]) -> list[Finding]:
    """Return a finding for each word of a scale whose mark is still open, and take the word out."""
    mend = "Write the mark, without quotes; in percent of the maximum, or in points if the scale is."
    findings = []
    for name, scale in scales.items():
        for table, what in (
            ("bands", "where '{}' begins is to be written"),
            ("values", "what '{}' stands for is to be written"),
            ("words", "the target's word for '{}' is to be written"),
        ):
            marks = _named(scale.get(table)) if isinstance(scale, dict) else {}
            for word in [word for word, mark in marks.items() if mark == OPEN]:
                place = Place(file, line=find_line(text, f"scale.{name}.{table}", word))
                how = "Write the target's word, in quotes." if table == "words" else mend
                findings.append(Finding("open", what.format(word), place, how))
                del marks[word]
    return findings


def _open_statuses(file: Path, text: str, raw: dict[str, Any]) -> Iterator[Finding]:
    """Yield a finding for each status whose code is still open, and take the status out."""
    tables = [("statuses", "", 0, _named(raw.get("statuses")))]
    tables += [
        ("item", "statuses", index, _named(item.get("statuses"))) for index, item in enumerate(_tables(raw.get("item")))
    ]
    for table, key, index, codes in tables:
        for word in [word for word, code in codes.items() if code == OPEN]:
            place = Place(file, line=find_line(text, table, key or word, index))
            mend = 'Write the target\'s code in quotes, 0 for zero, "" for a blank, or false to hold it.'
            yield Finding("open", f"what is sent for '{word}' is to be written", place, mend)
            del codes[word]


def _open_maximum(file: Path, text: str, raw: dict[str, Any]) -> Iterator[Finding]:
    """Yield a finding if the one question about missing maxima is open, and take it out; numbers become texts."""
    marks = _named(raw.get("marks"))
    missing = marks.get("missing_maximum")
    if missing == OPEN:
        mend = 'Write "same" if the marks are to be copied, or the number: "100" if the other side counts in percent.'
        place = Place(file, line=find_line(text, "marks", "missing_maximum"))
        yield Finding("open", "only one side gives the maximum of some items", place, mend)
        del marks["missing_maximum"]
    elif type(missing) is int or isinstance(missing, Decimal):
        marks["missing_maximum"] = str(missing)


def _make_decimals(raw: dict[str, Any]) -> None:
    """Turn whole maxima into decimals like the others: `100` is as good as `100.0`."""
    for item in _tables(raw.get("item")):
        _make_decimal(item, ("from_out_of", "to_out_of", "weight", "step"))
    _make_decimal(_named(raw.get("marks")), ("step",))
    for total in _tables(raw.get("total")):
        _make_decimal(total, ("out_of",))
    for scale in _named(raw.get("scale")).values():
        for name in ("bands", "values", "lines"):
            table = _named(_named(scale).get(name))
            _make_decimal(table, list(table))


def _make_decimal(table: dict[str, Any], keys: Sequence[str]) -> None:
    for key in keys:
        value = table.get(key)
        if type(value) is int:
            table[key] = Decimal(value)
        elif isinstance(value, list):
            table[key] = [Decimal(number) if type(number) is int else number for number in value]


def _named(value: object) -> dict[str, Any]:
    """Return what is a table with a name, and nothing where there is none."""
    return value if isinstance(value, dict) else {}


def _tables(value: object) -> list[dict[str, Any]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def _check_values(file: Path, text: str, plan: Plan, raw: dict[str, Any], taken_over: Sequence[str]) -> None:
    """Refuse values of the right type that can't be meant."""
    found = [*_wrong_numbers(plan), *_wrong_scales(plan), *_wrong_statuses(plan)]
    if len(sent := list(plan.since.sent)) > 1:
        found.append(("since", 0, sent[1], f"{sent[0]} says already what was sent last; name one of them"))
    findings = [*_wrong_choices(file, text, plan)]
    findings += [
        Finding(
            "bad-value", f"{key}: {what}", Place(file, line=find_line(text, table, key, index)), "Correct the value."
        )
        for table, index, key, what in found
    ]
    findings += [
        Finding(
            "no-effect",
            f"{one.key} has no effect here: {one.why}",
            Place(file, line=find_line(text, one.table, one.key, one.place)),
            "Take the line away, or write what it was meant for.",
        )
        for one in without_effect(plan, raw)
        if f"{one.table}.{one.key}" not in taken_over
    ]
    if findings:
        raise Unreadable(*findings)


def _wrong_choices(file: Path, text: str, plan: Plan) -> Iterator[Finding]:
    """Yield a finding for each choice that means nothing where it stands."""
    for (table, key), unmeant in NOT_MEANT.items():
        told = getattr(plan, table)
        for index, table_told in enumerate(told if isinstance(told, tuple) else (told,)):
            choice = getattr(table_told, key)
            if choice in unmeant:
                yield bad_choice(Place(file, line=find_line(text, table, key, index)), table, key, choice.value)


_Wrong = Iterator[tuple[str, int, str, str]]
"""The table, which of several of its name, the key, and what is wrong there."""


def _wrong_numbers(plan: Plan) -> _Wrong:
    for table, index, key, value, bounds in numbers_in(plan):
        if what := bounds.fault(value):
            yield table, index, key, what
    missing = plan.marks.missing_maximum
    number = read_number(missing)
    if missing not in {"", SAME_MAXIMUM} and (number is None or number <= 0):
        yield "marks", 0, "missing_maximum", f"'{missing}' is neither \"same\" nor a number above zero"


def _wrong_scales(plan: Plan) -> _Wrong:
    for name, scale in plan.scale.items():
        for word, at in scale.bands.items():
            if not all(number.is_finite() and number >= 0 for number in (at if isinstance(at, tuple) else (at,))):
                yield f"scale.{name}.bands", 0, word, "this isn't a mark"
        for table, numbers in (("values", scale.values), ("lines", scale.lines)):
            yield from (
                (f"scale.{name}.{table}", 0, word, "this isn't a mark")
                for word, mark in numbers.items()
                if not mark.is_finite()
            )
        for mark in scale.lines:
            number = read_number(mark)
            if not isinstance(number, Decimal) or number < 0:
                yield f"scale.{name}.lines", 0, mark, f"'{mark}' isn't a mark; write it as a number: \"7.5\""


def _wrong_statuses(plan: Plan) -> _Wrong:
    tables = [("statuses", 0, "", plan.statuses)]
    tables += [("item", index, "statuses", item.statuses) for index, item in enumerate(plan.item)]
    for table, index, key, codes in tables:
        for word, code in codes.items():
            if code is True:
                yield table, index, key or word, "true isn't a code; false holds the status"
