"""What is in a file, or in two side by side, as text."""

from collections.abc import Callable

from skarvin.cli.look_data import harmless, lines_of_text, text_shown
from skarvin.cli.output import heading, more, place_in
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Finding, Misused, counted, listed_rows, listing
from skarvin.core.layout.address import NoSuchColumn, find_column
from skarvin.core.layout.columns import Column, Use
from skarvin.core.plan.looking import Comparison, ItemLook, Look
from skarvin.core.reasons import Cause
from skarvin.core.texts.numbers import plain

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
_FEW, _FEWEST = 14, 3


def format_brief(look: Look, hide: Callable[[str], str], most: int | None, *, is_masked: bool) -> str:
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
            + ", ".join(text_shown(surveyed.column, text, hide) for text in surveyed.examples),
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


def format_why(look: Look, asked: str, hide: Callable[[str], str]) -> str:
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
    examples = ", ".join(text_shown(column, text, hide) for text in surveyed.examples)
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


def format_look(look: Look, hide: Callable[[str], str], most: int | None, *, is_masked: bool) -> str:
    """Return all of it: each column with its evidence, the items, what is left out, what is odd."""
    items = len(look.items)
    shape = f"{_shape(look)}, {counted(len(look.layout.columns), 'column')}, {counted(items, 'item')}"
    rows = [
        (
            surveyed.column.letter,
            surveyed.column.heading,
            surveyed.column.use.value,
            f"{surveyed.filled:,}",
            "" if surveyed.column.out_of is None else plain(surveyed.column.out_of),
            ", ".join(text_shown(surveyed.column, text, hide) for text in surveyed.examples),
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


def _item_row(item: ItemLook) -> tuple[str, ...]:
    kinds = ", ".join(f"{count:,} {kind.value}" for kind, count in item.kinds.most_common())
    numbers = (item.smallest, item.median, item.largest)
    title = item.column.title if item.column.counts else f"{item.column.title} (not counted)"
    out_of = "" if item.column.out_of is None else plain(item.column.out_of)
    return (item.column.letter, title, kinds, *numbers, out_of, item.column.key or "")


def _left_out(look: Look, hide: Callable[[str], str], most: int | None) -> list[str]:
    """Return the rows that are no students, and why."""
    left_out = look.book.non_students if look.book else ()
    lines = lines_of_text(look)
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
        finding = harmless(finding)
    where = place_in(finding.place)
    text = f"{where + ': ' if where else ''}{finding.what}. {finding.mend}".rstrip()
    return wrap(text, indent=2)


def format_comparison(found: Comparison, looks: list[Look]) -> str:
    """Return what two files have in common."""
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
