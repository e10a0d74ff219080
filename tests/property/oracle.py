"""A second opinion: what each cell of an import file must say, worked out the plain way, without a line of the program.

It knows transfers of a certain shape (see `Case`): two marked items, a total, a comment, a constant, repeated rows.
"""

import decimal
import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

ROUNDINGS = {
    "half up": decimal.ROUND_HALF_UP,
    "half even": decimal.ROUND_HALF_EVEN,
    "up": decimal.ROUND_UP,
    "down": decimal.ROUND_DOWN,
}
STATUSES = {"absent": "ABS", "exempt": "", "late": "0"}
HELD, LEFT, KEPT, SAME, MOVED = "held", "left out", "kept", "same", "moved"


@dataclass(frozen=True)
class ItemRules:
    """The rules of one item, as they stand in the transfer."""

    from_out_of: int
    to_out_of: int
    rescale: bool
    decimals: int
    rounding: str
    above: str
    blank: str
    dash: str
    existing: str
    behind: str
    comma: bool


@dataclass(frozen=True)
class Case:
    """A transfer: rows of the export (number, crew, two marks, a remark), of the form, and the rules."""

    rows: Sequence[tuple[str, str, str, str, str, str]]
    form: Sequence[tuple[str, str, str, str, str, str]]
    items: tuple[ItemRules, ItemRules]
    repeated: str
    beside: str
    formula: str
    missing: str
    total_decimals: int
    comment: str
    crews: tuple[str, ...]


@dataclass(frozen=True)
class Mark:
    """A mark that was read: a number with its own maximum, a code, a blank, or nothing that is certain."""

    kind: str
    number: Fraction = Fraction(0)
    own: int | None = None
    text: str = ""


def read(text: str, rules: ItemRules) -> Mark:
    bare = text.strip()
    if bare == "" or (bare == "-" and rules.dash == "blank"):
        return Mark("blank")
    if bare in STATUSES:
        return Mark("code", text=STATUSES[bare])
    if re.fullmatch(r"\d+(\.\d+)?", bare):
        return Mark("number", Fraction(bare), text=bare)
    if match := re.fullmatch(r"(\d+)/(\d+)", bare):
        return Mark("number", Fraction(match[1]), int(match[2]))
    if match := re.fullmatch(r"(\d+(?:\.\d+)?)%", bare):
        return Mark("number", Fraction(match[1]), 100)
    return Mark("unclear")


def within(mark: Mark, rules: ItemRules, *, in_total: bool = False) -> Fraction | None:
    """Return the number as far as it counts; None where it is held."""
    is_percent = mark.own == 100
    if mark.own and not is_percent and rules.from_out_of != mark.own:
        return None
    both = rules.from_out_of if rules.rescale or in_total else min(rules.from_out_of, rules.to_out_of)
    limit = mark.own or both
    if mark.number <= limit or rules.above == "allow":
        return mark.number
    return Fraction(limit) if rules.above == "cap" else None


def spelled(number: Fraction, decimals: int, rules: ItemRules, written: str = "") -> str:
    with decimal.localcontext(decimal.Context(prec=60)) as context:
        exact = decimal.Decimal(number.numerator) / decimal.Decimal(number.denominator)
        step = decimal.Decimal(1).scaleb(-decimals)
        rounded = exact.quantize(step, rounding=ROUNDINGS[rules.rounding], context=context)
    if written and Fraction(written) == Fraction(rounded):
        whole, _, rest = written.partition(".")
        text = f"{whole}.{rest[:decimals]}" if rest[:decimals] else whole
    else:
        text = f"{rounded:f}"
        text = text.rstrip("0").rstrip(".") if "." in text else text
    return (text.replace(".", ",") if rules.comma else text) + rules.behind


def converted(text: str, rules: ItemRules) -> tuple[str, str | None]:
    """Return `blank`, `held` or `sent`, and what the target would get."""
    mark = read(text, rules)
    if mark.kind == "blank":
        gets = {"zero": f"0{rules.behind}", "clear": "", "code": "NA"}
        return ("held", None) if rules.blank == "hold" else ("blank", gets.get(rules.blank))
    if mark.kind == "code":
        return "sent", f"0{rules.behind}" if mark.text == "0" else mark.text
    number = within(mark, rules) if mark.kind == "number" else None
    if number is None:
        return "held", None
    base = mark.own or (rules.from_out_of if rules.rescale else None)
    exact = number * rules.to_out_of / base if base else number
    return "sent", spelled(exact, rules.decimals, rules, mark.text if number == mark.number else "")


def number_in(text: str, rules: ItemRules) -> Fraction | None:
    bare = text.strip()
    if re.fullmatch(r"\d+(\.\d+)?", bare):
        return Fraction(bare)
    if not rules.comma and not rules.behind:
        return None
    if bare.endswith("%") and not rules.behind:
        percent = number_in(bare[:-1], rules)
        return None if percent is None else percent * rules.to_out_of / 100
    bare = bare.removesuffix("%")
    if rules.comma and re.fullmatch(r"\d+,\d+", bare):
        bare = bare.replace(",", ".")
    return Fraction(bare) if re.fullmatch(r"\d+(\.\d+)?", bare) else None


def met(cell: str, text: str, rules: ItemRules, existing: str) -> tuple[str, str]:
    """Return what becomes of a mark that meets a cell, and what the cell says then."""
    new, old = number_in(text, rules), number_in(cell, rules)
    if text.strip() == "" and cell.strip() == "":
        return LEFT, cell
    if text.strip() == cell.strip() if new is None or old is None else new == old:
        return SAME, cell
    is_dash = cell.strip() == "-"
    if cell.strip() and (existing == "only if blank" or (existing == "keep" and not is_dash)):
        return KEPT, cell
    if cell.strip() and existing == "higher" and not is_dash:
        if old is None:
            return HELD, cell
        if new is None or new < old:
            return KEPT, cell
    return MOVED, text


def counting(texts: Sequence[str], days: Sequence[str], rules: ItemRules, case: Case) -> int | None:
    """Return which of a student's rows counts for an item; None where a person must say."""
    kinds = [read(text, rules).kind for text in texts]
    filled = [place for place, kind in enumerate(kinds) if kind != "blank"]
    if len(filled) < 2:
        return filled[0] if filled else 0
    codes = [place for place in filled if kinds[place] == "code"]
    if codes and len(codes) < len(filled) and case.beside != "like a mark":
        if case.beside == "hold":
            return None
        filled = codes if case.beside == "status" else [place for place in filled if place not in codes]
        if len(filled) == 1:
            return filled[0]

    def rank(place: int) -> tuple[int, Fraction]:
        how, gives = converted(texts[place], rules)
        if how == "held" or gives is None:
            return 3, Fraction(0)
        number = number_in(gives, rules)
        return (1, Fraction(0)) if number is None else (2, number)

    marks = [read(texts[place], rules) for place in filled]
    said = {
        mark.number if mark.kind == "number" else texts[place].strip()
        for place, mark in zip(filled, marks, strict=True)
    }
    is_known = len(set(days)) == len(days)
    in_time = sorted(filled, key=lambda place: days[place]) if is_known else filled
    if case.repeated == "highest":
        return max(in_time, key=lambda place: (rank(place), -in_time.index(place)))
    if case.repeated in {"first", "latest"} and is_known:
        return in_time[0 if case.repeated == "first" else -1]
    return in_time[0] if case.repeated != "hold" and len(said) == 1 else None


def item_cell(
    texts: Sequence[str], days: Sequence[str], cell: str, rules: ItemRules, case: Case
) -> tuple[str, str, int | None]:
    """Return the fate of an item's mark, what its cell says, and which row counts."""
    place = counting(texts, days, rules, case)
    if place is None:
        return HELD, cell, None
    how, gives = converted(texts[place], rules)
    if how == "held":
        return HELD, cell, place
    if gives is None:
        return LEFT, cell, place
    return *met(cell, gives, rules, rules.existing), place


def total_of(marks: Sequence[str], case: Case) -> Fraction | str | None:
    """Return a row's total; None where nothing counts, `held` where it can't be told."""
    numbers: list[Fraction | None] = []
    missing = 0
    for text, rules in zip(marks, case.items, strict=True):
        mark = read(text, rules)
        if mark.kind == "number":
            number = within(mark, rules, in_total=True)
            if number is None:
                return HELD
            numbers.append(number * rules.from_out_of / mark.own if mark.own else number)
        elif mark.kind == "blank":
            numbers.append(Fraction(0) if rules.blank == "zero" or case.missing == "zero" else None)
            missing += rules.blank != "zero"
        elif mark.kind == "code":
            is_excused = mark.text == ""
            numbers.append(Fraction(0) if mark.text == "0" or (case.missing == "zero" and not is_excused) else None)
            missing += mark.text == "ABS"
        else:
            return HELD
    if missing and case.missing == "hold":
        return HELD
    there = sorted((number for number in numbers if number is not None), reverse=True)
    if not there:
        return None
    dropped = there[:-1] or there
    return {
        "sum of both": sum(there, Fraction(0)),
        "mean of both": sum(there, Fraction(0)) / len(there),
        "highest of both": there[0],
        "mean of all but lowest 1 of both": sum(dropped, Fraction(0)) / len(dropped),
    }[case.formula]


def total_cell(rows: Sequence[Sequence[str]], days: Sequence[str], cell: str, case: Case) -> str:
    """Return what the total's cell says: computed from those marks of a student's rows that count."""
    plain = ItemRules(0, 0, True, case.total_decimals, "half up", "hold", "leave", "hold", "replace", "", False)
    columns = list(zip(*rows, strict=True))
    places = [counting(texts, days, rules, case) for texts, rules in zip(columns, case.items, strict=True)]
    if None in places:
        return cell
    total = total_of([texts[place or 0] for texts, place in zip(columns, places, strict=True)], case)
    if not isinstance(total, Fraction):
        return cell
    return met(cell, spelled(total, case.total_decimals, plain), plain, "replace")[1]


def expected(case: Case) -> list[list[str]]:
    """Return the rows of the import file below its headings."""
    found = []
    for number, *cells in case.form:
        rows = [row for row in case.rows if row[0] == number]
        if rows and not (case.repeated == "hold" and len(rows) > 1):
            days = [row[5] for row in rows]
            fate, first, place = item_cell([row[2] for row in rows], days, cells[0], case.items[0], case)
            _, second, _ = item_cell([row[3] for row in rows], days, cells[1], case.items[1], case)
            third = total_cell([row[2:4] for row in rows], days, cells[2], case)
            remark, fourth = "" if place is None else rows[place][4], cells[3]
            if remark.strip() and fate in {MOVED, SAME}:
                is_free = not fourth.strip() or fourth.strip() == "-" or case.comment == "replace"
                fourth = remark if is_free and remark.strip() != fourth.strip() else fourth
            is_there = not case.crews or rows[0][1] in case.crews
            fifth = "P" if is_there and not cells[4].strip() else cells[4]
            cells = [first, second, third, fourth, fifth]  # noqa: PLW2901 - what they say now
        found.append([number, *cells])
    return found
