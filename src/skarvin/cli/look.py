"""`skarvin look`: what is in a file, or in two side by side."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import click

from skarvin.cli.brief import is_brief
from skarvin.cli.next_command import next_line
from skarvin.cli.output import PATH, heading, json_option, library, more, place_in, print_json
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import read_as, read_input, reading_options
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, Row, counted, listed_rows, listing
from skarvin.core.layout.address import NoSuchColumn, find_column, has_column
from skarvin.core.layout.columns import MAY_BE_PERSONAL, Column, Use
from skarvin.core.plan.looking import Asked, Comparison, ItemLook, Look, compare, look_at
from skarvin.core.reasons import Cause
from skarvin.core.texts.numbers import plain
from skarvin.core.texts.shell_words import quoted
from skarvin.reports.data import finding_data, form_data
from skarvin.reports.mask import mask, masker
from skarvin.reports.masker import Masker
from skarvin.reports.masking import hidden_data, masking

_COLUMN_HEADS = (
    Head("", is_number=True),
    Head("heading", most=40, least=18),
    Head("read as", most=22),
    Head("filled", is_number=True),
    Head("out of", rank=3, is_number=True),
    Head("examples", rank=1, most=26, least=12),
    Head("because", rank=1, least=16, wraps=True),
)
_RUNNER_UP_HEADS = (Head("", is_number=True), Head("heading", most=40, least=18), Head("or else", least=20, wraps=True))
_ITEM_HEADS = (
    Head("", is_number=True),
    Head("item", most=36, least=18),
    Head("marks", most=40, least=20),
    Head("smallest", is_number=True),
    Head("median", is_number=True),
    Head("largest", is_number=True),
    Head("out of", rank=1, is_number=True),
    Head("key", rank=2),
)
_BRIEF_HEADS = (
    Head("", is_number=True),
    Head("column", most=30, least=14),
    Head("read as", most=24),
    Head("in it", least=20),
)
_SHORT, _FEW, _FEWEST = 12, 14, 3
_TWO = 2


@click.command()
@click.argument("files", nargs=-1, required=True, type=PATH, metavar="FILE...")
@reading_options
@click.option("--mask", "is_masked", is_flag=True, help="Replace names and identifiers with codes, the same each run.")
@click.option("-a", "--all", "show_all", is_flag=True, help="Show full lists.")
@click.option("--why", metavar="COLUMN", help="Show why one column is read as it is.")
@json_option
def command(
    files: tuple[Path, ...],
    is_masked: bool,
    show_all: bool,
    why: str | None,
    as_json: bool,
    **reading: Any,  # noqa: ANN401 - the options of reading
) -> int:
    """Show what is in a FILE: its shape, what each column is read as and why, students, items, data issues.

    Two FILES are also compared: which headings, items and students both have. `-` reads what is piped in.
    """
    how = read_as(reading)
    with progress_line():
        looks = look_at([Asked(file, how, read_input(file)) for file in files], (Path(), library()))
        comparison = compare(*looks) if len(looks) == _TWO else None
    hide = masker(is_masked)
    with masking(Masker(one for look in looks for one in _identities(look)) if is_masked else None):
        if why:
            having = [look for look in looks if has_column(look.layout.columns, why)] or looks[:1]
            echo("\n".join(_why(look, why, hide) for look in having))
            return 0
        if as_json:
            data = [*(_data(look, hide) for look in looks), *([_comparison_data(comparison)] if comparison else [])]
            print_json(hidden_data(data[0] if len(data) == 1 else data))
            return 0
        most = None if show_all else _SHORT
        for place, look in enumerate(looks):
            how_much = _brief if is_brief(show_all=show_all) else _text
            text = how_much(look, hide, most, is_masked=is_masked)
            echo(f"\n{text}" if place else text)
        if comparison:
            echo(f"\n{_comparison_text(comparison, looks)}")
        named = " ".join(map(quoted, files)) if len(files) == _TWO else "EXPORT FORM"
        echo(f"\n{next_line(f'skarvin draft {named}')}")
    return 0


def _identities(look: Look) -> Iterator[str]:
    """Yield what a file's rows say of who somebody is."""
    columns = [column.index for column in look.layout.columns if column.use in MAY_BE_PERSONAL]
    for row in range(look.layout.first_row, len(look.grid)):
        cells = look.grid.cells(row)
        yield from (cells[column] for column in columns if column < len(cells))


def _data(look: Look, hide: Callable[[str], str]) -> dict[str, Any]:
    book = look.book
    return {
        "file": look.grid.file.name,
        **form_data(look.grid),
        "heading_rows": [look.grid.row(row).number for row in look.layout.top.heading_rows],
        "weights_row": None
        if look.layout.top.weights_row is None
        else look.grid.row(look.layout.top.weights_row).number,
        "maxima_row": None if look.layout.top.maxima_row is None else look.grid.row(look.layout.top.maxima_row).number,
        "students": len(book.students) if book else None,
        "sections": dict(look.sections),
        "no_students": [
            {"row": non_student.student.row.number, "slug": non_student.why.cause.code, "reason": non_student.why.words}
            for non_student in (book.non_students if book else ())
        ],
        "lines": [row.number for row in _lines_of_text(look)],
        "columns": [
            {
                "column": surveyed.column.letter,
                "heading": surveyed.column.heading,
                "taken_for": surveyed.column.use.value,
                "because": surveyed.column.evidence,
                "or_else": surveyed.column.runner_up or None,
                "title": surveyed.column.title,
                "key": surveyed.column.key,
                "out_of": None if surveyed.column.out_of is None else plain(surveyed.column.out_of),
                "counts": surveyed.column.counts,
                "filled": surveyed.filled,
                "distinct": surveyed.distinct,
                "examples": [_shown(surveyed.column, text, hide) for text in surveyed.examples],
            }
            for surveyed in look.surveys
        ],
        "items": [_item_data(item) for item in look.items],
        "faults": [finding_data(finding) for finding in look.layout.faults],
        "oddities": [finding_data(_harmless(finding) if hide is mask else finding) for finding in look.oddities],
    }


def _item_data(item: ItemLook) -> dict[str, Any]:
    numbers = {"smallest": item.smallest, "median": item.median, "largest": item.largest}
    return {
        "column": item.column.letter,
        "kinds": {kind.value: count for kind, count in item.kinds.most_common()},
        **{name: number or None for name, number in numbers.items()},
    }


def _shown(column: Column, text: str, hide: Callable[[str], str]) -> str:
    return hide(text.strip()) if column.use in MAY_BE_PERSONAL else text.strip()


def _brief(look: Look, hide: Callable[[str], str], most: int | None, *, is_masked: bool) -> str:
    """Return what fits a screen: a line for each column, and what is to be corrected."""
    items = {item.column.index: item for item in look.items}
    is_known = bool(look.grid.said)  # where a standard says what columns hold, its own data are no news
    shown = [one for one in look.surveys if not (is_known and one.column.use is Use.HOUSEKEEPING)]
    rows = [
        (
            surveyed.column.letter,
            surveyed.column.title if surveyed.column.counts else f"{surveyed.column.title} (not counted)",
            _read_as(surveyed.column),
            _marks(items[surveyed.column.index], surveyed.filled)
            if surveyed.column.index in items
            else f"{surveyed.filled:,}: "
            + ", ".join(_shown(surveyed.column, text, hide) for text in surveyed.examples),
        )
        for surveyed in shown
    ]
    rest = len(look.surveys) - len(shown)
    shape = f"{_shape(look)}, {counted(len(look.layout.columns), 'column')}, {counted(len(look.items), 'item')}"
    faults = [*look.layout.faults, *look.oddities]
    return "\n".join(
        [
            heading(look.grid.file.name if str(look.grid.file) != "-" else "what was piped in"),
            wrap(f"{look.grid.title}{_encoding_grounds(look)}", 2),
            wrap(f"{shape}; {_top(look)}", 2),
            *_layout(look),
            format_table(_BRIEF_HEADS, rows[:_FEW]),
            *filter(None, [more(len(rows[:_FEW]), len(rows) + rest, "--all")]),
            *_left_out(look, hide, most)[2:],
            *(_finding(finding, is_masked=is_masked) for finding in faults[:_FEWEST]),
            *filter(None, [more(len(faults[:_FEWEST]), len(faults), "--all")]),
            "  Why each column is read so: --all; one: --why COLUMN",
        ]
    )


def _why(look: Look, asked: str, hide: Callable[[str], str]) -> str:
    """Return what one column is read as, on what evidence, and what else it may be.

    Raises:
        Misused: there is no such column.
    """
    try:
        column = find_column(look.layout.columns, asked)
    except NoSuchColumn as error:
        raise Misused(
            Finding("no-such-column", f"--why '{asked}': {error}", None, "Write a heading or a letter.")
        ) from None
    surveyed = next(one for one in look.surveys if one.column.index == column.index)
    examples = ", ".join(_shown(column, text, hide) for text in surveyed.examples)
    items = [item for item in look.items if item.column.index == column.index]
    parts = [
        heading(f"{look.grid.file.name}, {column.letter} {column.heading}".rstrip()),
        wrap(f"read as {_read_as(column)}: {column.evidence}", 2),
        *([wrap(f"or else {column.runner_up}", 2)] if column.runner_up else []),
        wrap(f"{surveyed.filled:,} filled, {surveyed.distinct:,} different: {examples}", 2),
        *(wrap(_marks(item, surveyed.filled), 2) for item in items),
        wrap(f"If it is something else: --use '{column.heading or column.letter}=USE'", 2),
    ]
    return "\n".join(parts)


def _read_as(column: Column) -> str:
    return column.use.value + ("" if column.out_of is None else f" /{plain(column.out_of)}")


def _marks(item: ItemLook, filled: int) -> str:
    """Return what stands in a column of marks, in one line."""
    kinds = ", ".join(f"{count:,} {kind.value}" for kind, count in item.kinds.most_common())
    return f"{kinds or f'{filled:,}'}" + (f"; {item.smallest} to {item.largest}" if item.smallest else "")


def _text(look: Look, hide: Callable[[str], str], most: int | None, *, is_masked: bool) -> str:
    items = len(look.items)
    shape = f"{_shape(look)}, {counted(len(look.layout.columns), 'column')}, {counted(items, 'item')}"
    rows = [
        (
            surveyed.column.letter,
            surveyed.column.heading,
            surveyed.column.use.value,
            f"{surveyed.filled:,}",
            "" if surveyed.column.out_of is None else plain(surveyed.column.out_of),
            ", ".join(_shown(surveyed.column, text, hide) for text in surveyed.examples),
            surveyed.column.evidence,
        )
        for surveyed in look.surveys
    ]
    parts = [
        heading(look.grid.file.name if str(look.grid.file) != "-" else "what was piped in"),
        wrap(f"{look.grid.title}{_encoding_grounds(look)}", indent=2),
        wrap(f"{shape}; {_top(look)}", indent=2),
        *_layout(look),
        "",
        format_table(_COLUMN_HEADS, rows),
        *(_runners_up(look) if most is None else ()),
    ]
    if items:
        parts += ["", format_table(_ITEM_HEADS, [_item_row(item) for item in look.items])]
    parts += _left_out(look, hide, most)
    for title, findings in (
        ("To correct before marks can move", look.layout.faults),
        ("Data issues", look.oddities),
    ):
        if findings:
            shown = findings[:most]
            parts += ["", heading(title), *(_finding(finding, is_masked=is_masked) for finding in shown)]
            parts += filter(None, [more(len(shown), len(findings), "--all")])
    return "\n".join(parts)


def _runners_up(look: Look) -> list[str]:
    """Return what else columns may hold, and why."""
    found = [(column.letter, column.heading, column.runner_up) for column in look.layout.columns if column.runner_up]
    return ["", format_table(_RUNNER_UP_HEADS, found)] if found else []


def _layout(look: Look) -> list[str]:
    """Say which of the person's layouts the file fits, or nearly fits."""
    if look.fitting is None:
        return []
    name, departures = look.fitting.name, look.fitting.departures
    if look.fitting.fits and not departures:
        return [f"  by your layout '{name}'"]
    told = listing([f"{one.place.heading or one.place}: {one.what}" for one in departures])
    return [
        wrap(
            f"by your layout '{name}', but for {told}"
            if look.fitting.fits
            else f"nearly fits your layout '{name}', but for {told}",
            2,
        )
    ]


def _shape(look: Look) -> str:
    if look.book is None:
        return counted(sum(look.surveys[0].texts.values()) if look.surveys else 0, "row")
    sections = [f"{name} {count}" for name, count in look.sections.items()]
    of_sections = f" ({listing(sections, 6)})" if sections else ""
    return f"{counted(len(look.book.students), 'student')}{of_sections}"


def _top(look: Look) -> str:
    top = look.layout.top
    if not top.heading_rows:
        return f"no headings ({top.evidence}): columns go by their letters"
    rows = " and ".join(str(look.grid.row(row).number) for row in top.heading_rows)
    maxima = "" if top.maxima_row is None else f", maxima in {look.grid.row(top.maxima_row)}"
    maxima += "" if top.weights_row is None else f", weights in {look.grid.row(top.weights_row)}"
    return f"headings in {'row' if len(top.heading_rows) == 1 else 'rows'} {rows}{maxima} ({top.evidence})"


def _encoding_grounds(look: Look) -> str:
    """Return how the encoding was told, where it isn't plain to see."""
    facts = look.grid.facts
    is_plain = (facts.get("encoding") or "UTF-8").startswith("UTF-8")
    return "" if is_plain else f" ({facts['encoding_because']})"


def _lines_of_text(look: Look) -> list[Row]:
    """Return the rows of text above, between and below the students."""
    return [*map(look.grid.row, look.layout.top.title_rows), *(look.book.lines if look.book else ())]


def _item_row(item: ItemLook) -> tuple[str, ...]:
    kinds = ", ".join(f"{count:,} {kind.value}" for kind, count in item.kinds.most_common())
    numbers = (item.smallest, item.median, item.largest)
    title = item.column.title if item.column.counts else f"{item.column.title} (not counted)"
    out_of = "" if item.column.out_of is None else plain(item.column.out_of)
    return (item.column.letter, title, kinds, *numbers, out_of, item.column.key or "")


def _left_out(look: Look, hide: Callable[[str], str], most: int | None) -> list[str]:
    """Return the rows that are no students, and why."""
    left_out = look.book.non_students if look.book else ()
    lines = _lines_of_text(look)
    if not left_out and not lines:
        return []
    parts = ["", heading("Left out")]
    for non_student in left_out[:most]:
        name = f" {hide(non_student.student.name)}" if non_student.why.cause is Cause.PRACTICE else ""
        parts.append(f"  {non_student.student.row}{name}: not a student ({non_student.why})")
    parts += filter(None, [more(len(left_out[:most]), len(left_out), "--all")])
    if lines:
        where = listed_rows(lines, 8)
        parts.append(f"  {counted(len(lines), 'line')} of text above, between or below the lists, in {where}")
    return parts


def _finding(finding: Finding, *, is_masked: bool) -> str:
    if is_masked:
        finding = _harmless(finding)
    where = place_in(finding.place)
    text = f"{where + ': ' if where else ''}{finding.what}. {finding.mend}".rstrip()
    return wrap(text, indent=2)


def _harmless(finding: Finding) -> Finding:
    """Return a finding without the text of a cell that is somebody's name."""
    if finding.slug not in {"mangled", "curly"}:
        return finding
    return Finding(finding.slug, finding.what.split(":")[0], finding.place)


def _comparison_data(found: Comparison) -> dict[str, Any]:
    met, only_one, only_other = found.students
    return {
        "both": {
            "headings": list(found.headings),
            "items": [[column.letter, other.letter] for column, other in found.items],
            "identifiers": [column.letter for column in found.identifiers] if found.identifiers else None,
            "students": {"both": met, "only_first": only_one, "only_second": only_other},
            "out_of_step": found.shift,
            "other_names": [[row.number, other.number] for row, other in found.renamed],
        }
    }


def _comparison_text(found: Comparison, looks: list[Look]) -> str:
    names = [look.grid.file.name for look in looks]
    met, only_one, only_other = found.students
    parts = [heading(f"Both: {names[0]} and {names[1]}")]
    parts += [wrap(found.shift, indent=2)] if found.shift else []
    if found.identifiers:
        by = f"'{found.identifiers[0].heading}' and '{found.identifiers[1].heading}'"
        students = f"{counted(met, 'student')} in both, by {by}"
        parts.append(wrap(f"{students}; {only_one} only in {names[0]}, {only_other} only in {names[1]}", indent=2))
    else:
        parts.append("  no identifier of one file is in the other")
    items = [column.title for column, _ in found.items]
    parts.append(wrap(f"{counted(len(items), 'item')}: {listing(items, 12)}" if items else "no item of both", indent=2))
    shared = listing([repr(text) for text in found.headings], 8)
    parts.append(wrap(f"{counted(len(found.headings), 'equal heading')}{': ' if shared else ''}{shared}", indent=2))
    if found.renamed and not found.shift:
        row, other = found.renamed[0]
        where = f"first {row.place()} and {other.place()}"
        what = (
            f"{counted(len(found.renamed), 'student has', 'students have')} the same identifier and quite another name"
        )
        parts.append(wrap(f"{what}, {where}: a column may have been sorted without its neighbours.", indent=2))
    return "\n".join(parts)
