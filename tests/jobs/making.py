"""Makes a whole job: a made-up class, its files in a folder, and what a person says about them."""

import csv
import gzip
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from random import Random
from typing import NamedTuple

import xlsxwriter
from dressing import BROKEN, write_document, write_page, write_workbook
from features import Job

_FAMILY = (
    *("Brandvold", "Quispe", "Tamahori", "Wojtyla", "Nkemelu", "Fujimoto", "Delacroix", "Oyelaran", "Haukur", "Zubiri"),
    *("Petrossian", "Ishikawa", "Mbeki", "Lindqvist", "Castellano", "Varga", "Ganbold", "Tchaikov"),
)
_GIVEN = (
    *("Solveig", "Inti", "Aroha", "Kazimir", "Chidinma", "Haruki", "Amelie", "Babatunde", "Sigrun", "Maite"),
    *("Arpine", "Noriko", "Thandeka", "Ebbe", "Rosaura", "Miklos", "Oyuun", "Yelena"),
)
LETTERS = {"A": 90, "B": 75, "C": 50}
"""What letters stand for, in percent."""
TRANSLATED = {"Bestanden": "Pass", "Nicht bestanden": "Not passed"}
_SECTIONS = ("Keel", "Mast")
SHAPES = ("log", "items", "students")
"""Exports that have no row for each student with all of the student's marks."""
_DRESSED = {"workbook": write_workbook, "document": write_document, "page": write_page}


class _Plain(Random):
    """Draws nothing: a form's cells are plain."""

    def random(self) -> float:
        return 1.0


_PLAIN = _Plain()


class Mark(NamedTuple):
    """A cell of the export, and what it means: a number, a status, nothing, or nothing that can be read."""

    text: str = ""
    kind: str = "blank"
    value: Fraction = Fraction(0)


class Item(NamedTuple):
    """An item: its title, what it is out of on both sides (0 where that is unsaid), and how the form names it."""

    title: str
    out_of: int
    to_out_of: int
    heading: str
    to_heading: str


@dataclass
class Row:
    """A row of the export: whose, in which file, on which day, its marks, comment and answers."""

    who: int
    file: int
    day: str
    marks: list[Mark]
    comment: str = ""
    answers: list[str] = field(default_factory=list)


@dataclass
class World:
    """All that is true of a job.

    `numbers` are the export's identifiers of the students, `theirs` the form's; `absent` isn't in the form, `alone` not
    in the export, and `slipped` has another number and a slip in the name there.
    """

    job: Job
    rng: Random
    items: list[Item]
    names: list[tuple[str, str]]
    sections: list[str]
    numbers: list[str]
    theirs: list[str]
    rows: list[Row]
    form_order: list[int]
    old: dict[tuple[int, int], str]
    absent: int | None = None
    alone: int | None = None
    slipped: int | None = None
    left_out: int | None = None
    listed: frozenset[int] | None = None
    average: bool = False
    is_chain: bool = False
    options: list[str] = field(default_factory=list)


def make_world(job: Job, seed: int) -> World:
    """Return what is true of a job."""
    rng = Random(seed)
    count = rng.randint(7, 11)
    who = rng.sample(range(len(_FAMILY)), count + 1)
    names = [(_FAMILY[one], _GIVEN[one]) for one in who]
    digits = rng.sample(range(20_000, 99_000), count + 1)
    base = [f"00{number}" if job["who"] == "zeros" else str(number) for number in digits]
    numbers = [f"w-{number}" for number in base] if job["who"] == "prefix" else base
    theirs = [number.lstrip("0") for number in base] if job["who"] == "zeros" else base
    theirs = [f"R{number[::-1]}" for number in base] if job["who"] == "crosswalk" else theirs
    everybody = list(range(count))
    world = World(
        job=job,
        rng=rng,
        items=_items(job),
        names=names,
        sections=[_SECTIONS[place % 2] for place in range(count + 1)],
        numbers=numbers,
        theirs=theirs,
        rows=[],
        form_order=rng.sample(everybody, count),
        old={},
        is_chain=rng.random() < 0.5,
        average=job["export"] not in {"folder", "two", *SHAPES} and rng.random() < 0.5,
    )
    _people(world, everybody)
    world.rows = _rows(world, [one for one in everybody if one != world.alone])
    _old_marks(world)
    return world


def _items(job: Job) -> list[Item]:
    titles = ("Knots",) if job["export"] == "folder" else ("Knots", "Lofting", "Rigging")
    out_of, to_out_of = {"rescaled": (20, 15), "percent": (100, 50), "words": (20, 0), "translated": (20, 0)}.get(
        job["marks"], (20, 20)
    )
    found = []
    to_out_of = out_of if job["target"] == "typing" else to_out_of  # a screen says no maximum
    for title in titles:
        is_bare = job["marks"] in {"percent", "letters", "translated"} or job["export"] in {"folder", "items"}
        heading = title if is_bare else f"{title} (out of {out_of})"
        found.append(Item(title, out_of, to_out_of, heading, f"{title} [{to_out_of}]" if to_out_of else title))
    return found


def _people(world: World, everybody: list[int]) -> None:
    people, rng = world.job["people"], world.rng
    if people == "stranger":
        world.absent, world.alone = rng.sample(everybody, 2)
        world.form_order.remove(world.absent)
    elif people in {"decided", "none"}:
        world.slipped = rng.choice(everybody)
    elif people == "leave out":
        world.left_out = rng.choice(everybody)
    elif people == "list":
        world.listed = frozenset(rng.sample(everybody, len(everybody) - 2))
    if world.job["target"] == "below" and people != "stranger":
        free = [one for one in everybody if one != world.slipped]
        world.absent = rng.choice(free)
        world.form_order.remove(world.absent)


def _rows(world: World, there: Sequence[int]) -> list[Row]:
    job, rng = world.job, world.rng
    rows = [_row(world, who, 1) for who in there]
    again = [] if job["rows"] == "once" else rng.sample(list(there), 2)
    if job["export"] == "two":
        half = rng.sample(list(there), len(there) // 2) if job["rows"] != "once" else []
        for row in rows:
            row.file = 0 if row.who % 2 else 1
        again = half
    for who in again:
        first = next(row for row in rows if row.who == who)
        other = _row(world, who, 2)
        other.file = 1 - first.file if job["export"] == "two" else 0
        if job["rows"] == "agree" and rng.random() < 0.6:
            other.marks = list(first.marks)
        rows.append(other)
    odd = [row for row in rows if row.marks[0].kind == "odd"]
    for row in odd[2:] if job["marks"] in {"letters", "translated", "percent"} else ():
        row.marks[0] = Mark()  # a column of which half can't be read is no item for sure
    if all(mark.kind != "number" for row in rows for mark in row.marks[:1]):
        rows[0].marks[0] = _number(world, 7)
    if job["export"] == "folder":
        return [row for _, row in sorted({file_name(world, row): row for row in rows}.items())]
    return sorted(rows, key=lambda row: row.file)


def _row(world: World, who: int, attempt: int) -> Row:
    job, rng = world.job, world.rng
    marks = [_mark(world, place) for place, _ in enumerate(world.items)]
    day = f"2026-0{attempt + 2}-{rng.randint(10, 28)}"
    comment = rng.choice(["", "neat work", "late; twice", "Übung, gut"]) if job["what"] == "comments" else ""
    answers = [rng.choice(["A", "B", "C", "D", ""]) for _ in range(2)] if job["what"] == "answers" else []
    return Row(who, 0, day, marks, comment, answers)


def _mark(world: World, place: int) -> Mark:
    job, rng = world.job, world.rng
    chance = rng.random()
    if chance < 0.12:
        return Mark()
    if chance < 0.22 and job["held"] != "nothing" and place == 0 and job["export"] != "folder":
        is_above = rng.random() < 0.4 and job["marks"] not in {"percent", "letters", "translated"}
        odd = rng.choice(("1O", *BROKEN.get(job["export"], ())))
        return Mark("25", "above", Fraction(25)) if is_above else Mark(odd, "odd")
    if chance < 0.5 and job["marks"] == "statuses":
        return Mark("absent", "status")
    return _number(world, rng.randint(2, 38))


def _number(world: World, halves: int) -> Mark:
    value = Fraction(halves, 2)
    if world.job["marks"] in {"letters", "translated"}:
        scale = LETTERS if world.job["marks"] == "letters" else TRANSLATED
        text = sorted(scale)[halves % len(scale)]
        return Mark(text, "number", Fraction(LETTERS.get(text, len(text)), 5))
    if world.job["marks"] == "percent":
        return Mark(f"{float(value * 2):g}%", "number", value * 2)
    text = f"{float(value):g}"
    return Mark(text.replace(".", ",") if world.job["marks"] == "comma" else text, "number", value)


def _old_marks(world: World) -> None:
    job, rng = world.job, world.rng
    if job["target"] not in {"form", "workbook", "parts", "lines"}:
        return
    for who in world.form_order:
        for place, item in enumerate(world.items):
            if rng.random() < 0.3:
                words = {"words": ("Full", "Part"), "translated": tuple(TRANSLATED.values())}.get(job["marks"])
                world.old[who, place] = rng.choice(words) if words else f"{rng.randint(1, 9)}"
                if item.to_out_of and rng.random() < 0.1:
                    world.old[who, place] = "-"


# --- files


def lay_out(world: World, folder: Path) -> None:
    """Write the files of a job."""
    _write_exports(world, folder)
    _write_form(world, folder)
    job = world.job
    if job["who"] == "roster":
        rows = [[world.theirs[who], *_named(world, who)] for who in world.form_order]
        _write_text(folder / "roster.csv", [["Registry no", "Family name", "Given name"], *rows], ",")
        world.options += ["--roster", "roster.csv"]
    if job["who"] == "crosswalk":
        between = [f"D{place}00{number[::-1]}" for place, number in enumerate(world.numbers)]
        ways = (
            [(world.numbers, between), (between, world.theirs)] if world.is_chain else [(world.numbers, world.theirs)]
        )
        for (mine, yours), name in zip(ways, crosswalks_of(world), strict=True):
            rows = [list(pair) for pair in zip(mine, yours, strict=True)]
            _write_text(folder / name, [["Learner", "Registry"], *rows], ";")
    if world.listed is not None:
        lines = [world.numbers[who] if job["who"] not in {"names", "roster"} else ", ".join(world.names[who])
                 for who in sorted(world.listed)]  # fmt: skip
        (folder / "who.txt").write_text("\n".join(lines) + "\n", encoding="utf-8")


def exports_of(world: World) -> list[str]:
    """Return the names of the exports."""
    kinds = {
        "workbook": ["marks.xlsx"],
        "document": ["marks.ods"],
        "page": ["marks.html"],
        "packed": ["marks.csv.gz"],
        "folder": ["marked"],
        "items": ["marks.xlsx"],
        "students": ["marks.xlsx"],
    }
    return ["one.csv", "two.csv"] if world.job["export"] == "two" else kinds.get(world.job["export"], ["marks.csv"])


def crosswalks_of(world: World) -> list[str]:
    """Return the names of the crosswalks, in the order in which they are gone through."""
    return ["cross.csv", "on.csv"] if world.is_chain else ["cross.csv"]


def form_of(world: World) -> str:
    """Return the name of the form."""
    return {"workbook": "form.xlsx", "typing": "screen.txt"}.get(world.job["target"], "form.csv")


def has_identifiers(world: World) -> bool:
    """Tell whether the export says numbers."""
    return world.job["who"] not in {"names", "roster"}


def _named(world: World, who: int) -> tuple[str, str]:
    return world.names[who]


def heads(world: World) -> list[str]:
    """Return the headings of the export."""
    job = world.job
    found = (["Learner no"] if has_identifiers(world) else []) + ["Name", "Crew", "Day"]
    found += [item.heading for item in world.items]
    found += ["Remark on Knots"] if job["what"] == "comments" else []
    return found + (["Answer 1", "Answer 2"] if job["what"] == "answers" else [])


def _write_exports(world: World, folder: Path) -> None:
    job = world.job
    if job["export"] == "folder":
        _write_folder(world, folder / "marked")
        return
    if job["export"] in SHAPES:
        {"log": _write_log, "items": _write_items, "students": _write_students}[job["export"]](world, folder)
        return
    for file, name in enumerate(exports_of(world)):
        table = [heads(world), *(_cells(world, row) for row in world.rows if row.file == file)]
        if world.average:
            before = ["Average", "", "", ""] if has_identifiers(world) else ["Average", "", ""]
            line = [*before, *("9.5" for _ in world.items)]
            table.append([*line, *[""] * (len(table[0]) - len(line))])
        _write_table(folder / name, table, job["export"], world.rng)


def _write_log(world: World, folder: Path) -> None:
    """Write a line for each mark, in any order; no line for a blank, but one for whoever has nothing else.

    A status stands in a column of its own, where there are any.
    """
    own = ["Learner no"] if has_identifiers(world) else []
    has_states = world.job["marks"] == "statuses"
    lines = [
        [*_who(world, row), item.title, *_said(row.marks[place], has_states=has_states), str(item.out_of)]
        for place, item in enumerate(world.items)
        for row in world.rng.sample(world.rows, len(world.rows))
        if row.marks[place].text or (not place and not any(mark.text for mark in row.marks))
    ]
    heads = [*own, "Name", "Crew", "Day", "Task", *(["Result", "State"] if has_states else ["Result"]), "Possible"]
    _write_text(folder / "marks.csv", [heads, *lines], ",")


def _said(mark: Mark, *, has_states: bool) -> list[str]:
    if not has_states:
        return [mark.text]
    return ["", mark.text] if mark.kind == "status" else [mark.text, ""]


def _write_items(world: World, folder: Path) -> None:
    """Write a workbook with a sheet for each item, each in an order of its own."""
    heads = [
        *(["Learner no"] if has_identifiers(world) else []),
        "Name",
        "Crew",
        "Day",
        f"Result (out of {world.items[0].out_of})",
    ]
    with xlsxwriter.Workbook(str(folder / "marks.xlsx")) as book:
        for place, item in enumerate(world.items):
            rows = [[*_who(world, row), row.marks[place].text] for row in world.rows]
            world.rng.shuffle(rows)
            sheet = book.add_worksheet(item.title)
            for at, cells in enumerate([heads, *rows]):
                sheet.write_row(at, 0, cells)


def _write_students(world: World, folder: Path) -> None:
    """Write a workbook with a sheet for each student."""
    with xlsxwriter.Workbook(str(folder / "marks.xlsx")) as book:
        for place, row in enumerate(world.rows, 1):
            number, *others = _who(world, row) if has_identifiers(world) else ["", *_who(world, row)]
            cells = [
                ["Name", others[0]],
                ["Learner no", number],
                ["Crew", others[1]],
                [],
                ["Task", "Possible", "Points"],
            ]
            cells = [one for one in cells if one[:1] != ["Learner no"] or number]
            cells += [
                [item.title, str(item.out_of), mark.text] for item, mark in zip(world.items, row.marks, strict=True)
            ]
            sheet = book.add_worksheet(f"{place}")
            for at, texts in enumerate(cells):
                sheet.write_row(at, 0, texts)


def _who(world: World, row: Row) -> list[str]:
    own = [world.numbers[row.who]] if has_identifiers(world) else []
    return [*own, ", ".join(_named(world, row.who)), world.sections[row.who], row.day]


def _cells(world: World, row: Row) -> list[str]:
    own = [world.numbers[row.who]] if has_identifiers(world) else []
    found = [
        *own,
        ", ".join(_named(world, row.who)),
        world.sections[row.who],
        row.day,
        *(one.text for one in row.marks),
    ]
    return [*found, *([row.comment] if world.job["what"] == "comments" else []), *row.answers]


def _write_table(file: Path, table: list[list[str]], kind: str, rng: Random) -> None:
    if kind in _DRESSED:
        _DRESSED[kind](file, table, rng)
    elif kind == "packed":
        file.write_bytes(gzip.compress(_text(table, ",").encode()))
    else:
        codec = {"semicolon": "cp1252", "tab": "utf-16"}.get(kind, "utf-8")
        delimiter = {"semicolon": ";", "tab": "\t"}.get(kind, ",")
        file.write_bytes(_text(table, delimiter).encode(codec))


def _text(table: Sequence[Sequence[str]], delimiter: str) -> str:
    out = io.StringIO(newline="")
    csv.writer(out, delimiter=delimiter).writerows(table)
    return out.getvalue()


def _write_text(file: Path, table: Sequence[Sequence[str]], delimiter: str) -> None:
    file.write_bytes(_text(table, delimiter).encode())


def _write_folder(world: World, folder: Path) -> None:
    folder.mkdir()
    for place, row in enumerate(world.rows):
        (folder / file_name(world, row)).write_text(f"{place}")


def file_name(world: World, row: Row) -> str:
    """Return what a marked file is called: family name, given name, number, title and mark."""
    mark, out_of = row.marks[0], "" if world.job["marks"] == "percent" else f" of {world.items[0].out_of}"
    said = [f"{mark.text}{out_of if mark.kind == 'number' else ''}"] if mark.text else []
    number = [world.numbers[row.who]] if has_identifiers(world) else []
    return "_".join([*_named(world, row.who), *number, "Knots essay", *said]) + ".txt"


def form_heads(world: World) -> list[str]:
    """Return the headings of the form."""
    job = world.job
    found: list[str] = {"names": ["Name"], "roster": ["Registry no"]}.get(job["who"], ["Registry no", "Name"])
    found = [*found, *(item.to_heading for item in world.items)]
    found += [sum_heading(world)] if job["what"] == "total" else []
    found += ["Remarks"] if job["what"] == "comments" else []
    found += ["Q1", "Q2"] if job["what"] == "answers" else []
    found += ["Here"] if job["what"] == "constant" else []
    return [*found, *(["Check"] if job["target"] == "workbook" else [])]


def sum_heading(world: World) -> str:
    """Return the form's heading of the total."""
    return f"Sum [{20 * len(world.items)}]"


def form_rows(world: World) -> list[tuple[int, list[str]]]:
    """Return the form's rows, each with the student whose it is."""
    found: list[tuple[int, list[str]]] = []
    for who in world.form_order:
        family, given = _named(world, who)
        number = world.theirs[who]
        if who == world.slipped:
            number, given = f"9{number}", f"{given[:-1]}o" if given[-1] != "o" else f"{given[:-1]}a"
        own = {"names": [f"{given} {family}"], "roster": [number]}.get(world.job["who"], [number, f"{given} {family}"])
        cells = [*own, *(world.old.get((who, place), "") for place, _ in enumerate(world.items))]
        cells += [""] * (len(form_heads(world)) - len(cells))
        if world.job["target"] == "workbook":
            cells[-1] = f"=COUNT(B{len(found) + 2}:E{len(found) + 2})"
        found.append((who, cells))
    return found


def _write_form(world: World, folder: Path) -> None:
    target, name = world.job["target"], folder / form_of(world)
    rows = [cells for _, cells in form_rows(world)]
    if target == "typing":
        said = [" ".join(reversed(_named(world, who))) for who in world.form_order]
        numbers = [f" {world.theirs[who]}" if world.job["who"] == "number" else "" for who in world.form_order]
        lines = [f"{name}{number}" for name, number in zip(said, numbers, strict=True)]
        name.write_text("\n".join(lines) + "\n", encoding="utf-8")
        world.options.append("--typing")
    elif target == "workbook":
        _write_table(name, [form_heads(world), *rows], "workbook", _PLAIN)
    elif target == "bare":
        _write_text(name, [form_heads(world)], ";")
    elif target == "sample":
        made_up = ["EX-1", "Example Ann", *("7" for _ in world.items)]
        name.write_bytes((_text([form_heads(world), made_up], ";") + ";;\n".replace(";;", ";" * (len(made_up) - 1))
                          .replace(";", "END;", 1)).encode())  # fmt: skip
        world.options.append("--sample")
    elif target == "lines":
        _write_text(name, _as_lines([form_heads(world), *rows], world.rng), ";")
    else:
        _write_text(name, [form_heads(world), *rows], ";")


def _as_lines(table: Sequence[Sequence[str]], rng: Random) -> list[list[str]]:
    """Return a table with a line for each mark."""
    own = 2 if "Name" in table[0] else 1
    found = []
    for row in table[1:]:
        marks = list(zip(table[0], row, strict=True))[own:]
        found += [[*row[:own], *mark] for mark in rng.sample(marks, len(marks))]
    return [[*table[0][:own], "Task", "Result"], *found]


Texts = Mapping[str, str]
