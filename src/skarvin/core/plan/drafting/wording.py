"""Writes a draft down as a `transfer.toml` that a person can read and edit."""

from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path

import msgspec

from skarvin.core.findings import counted, listed_rows, listing
from skarvin.core.grid.read import ReadAs
from skarvin.core.layout.address import name_of
from skarvin.core.layout.columns import Column, Use
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.layout.row_kinds import NOT_STUDENTS
from skarvin.core.plan.drafting.blocks import (
    answers,
    comments,
    dashes,
    flags,
    scales,
    statuses,
    totals,
)
from skarvin.core.plan.drafting.item_proposals import ItemProposal
from skarvin.core.plan.drafting.mark_hints import NO_HINTS, MarkHints
from skarvin.core.plan.drafting.proposal import Draft
from skarvin.core.plan.drafting.toml import key_of, line, quoted
from skarvin.core.plan.drafting.understanding import Understood, with_examples
from skarvin.core.plan.editor_schema import SCHEMA_NAME
from skarvin.core.plan.paths import relative
from skarvin.core.plan.plan import OPEN
from skarvin.core.targets.lines_form import LineColumns
from skarvin.core.texts.numbers import plain
from skarvin.core.texts.patterns import pattern

_HEAD = """\
# A Skarvin transfer: what goes where, and by which rules.
# Lines that begin with # are notes for you. Text stands in double quotes, numbers stand without.
# A column is named by its heading, or by its letter in the spreadsheet ("G").
# "?" marks a question to answer: nothing is written while one is left.
# When you have read it through: skarvin preview

version = 1
"""
_RULES = """\
[marks]                        # rules for every item; an item below may set its own
decimals = {decimals}                   # at most so many decimals are sent
rounding = "half up"           # or "half even", "up", "down", "none"; with step = 0.5, to halves
decimal_separator = "."        # or ",", "either", "none" (thousands alone): as in the export
above = "hold"                 # a mark above its maximum; or "allow", "cap"
dash = "hold"                  # {dashes}
words = "hold"                 # a letter or a word that no scale has; or "copy" sends it as it is
ignore_flags = []              # {flags}
other_maximum = "hold"         # a mark with another maximum than its item's (7/10); or "rescale"
blank = "leave"                # a blank in the export leaves the target as it is; or "zero", "clear", "code", "hold"
blank_code = ""                # for "code": what is sent for a blank
existing = "replace"           # a mark that the target already has; or "keep", "higher", "only if blank"
{maximum}"""
_MANY = 12
_ITEMS = """\
# One block an item. Delete a block, or write to = "", and its marks are left out.
"""


_STEERING = pattern("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def draft_text(draft: Draft, file: Path) -> str:
    """Return the text of the `transfer.toml` that will stand in `file`; signs that steer a screen stand in no note."""
    return _STEERING.sub("\N{REPLACEMENT CHARACTER}", "\n".join(_lines(draft, file)))


def _lines(draft: Draft, file: Path) -> list[str]:
    return [
        f"#:schema {SCHEMA_NAME}",
        _HEAD,
        *_sides(draft, file),
        *_roster(draft, file),
        *_corrections(draft, file),
        *_students(draft),
        _RULES.format(decimals=2, dashes=dashes(draft), flags=flags(draft), maximum=_one_maximum(draft)),
        *statuses(draft),
        *scales(draft),
        _ITEMS,
        *_items(draft),
        *totals(draft),
        *comments(draft),
        *answers(draft, file),
        *_feedback(draft),
        *_unused(draft),
    ]


def _one_maximum(draft: Draft) -> str:
    """Return the line for the items of which only one side gives the maximum; nothing if there are none."""
    items = draft.one_maximum
    if not items:
        return ""
    side = "export" if items[0].from_out_of is not None else "form"
    titles = listing([quoted(item.proposal.source.title) for item in items])
    told = draft.wishes.missing_maximum
    note = (
        "as you said" if told else f"""OPEN: only the {side} gives a maximum for {titles}: "same" (marks are copied),"""
    )
    text = line("missing_maximum", quoted(told or OPEN), note, 30)
    more = "" if told else f"{' ' * 31}# or the number: 100 if the other side counts in percent\n"
    return f"{text}\n{more}"


def _unused(draft: Draft) -> Iterator[str]:
    """Return what of the export goes nowhere since nothing is known of it, or nothing takes it, as a note."""
    comments = [quoted(column.heading) for column in draft.unused if column.use is Use.COMMENT]
    others = [column for column in draft.unused if column.use is not Use.COMMENT]
    if comments:
        yield f"# The target has no place for comments, so these go nowhere: {listing(comments, _MANY)}"
        yield ""
    if others:
        yield "# These columns of the export aren't known, so they go nowhere. If one holds marks, write an"
        yield "# [[item]] for it, or draft again with --use 'COLUMN=item':"
        for text in with_examples(draft.exports.grids[0], draft.understood["source"].layout, others):
            yield f"#   {' '.join(text.split())}"
        yield ""


def _sides(draft: Draft, file: Path) -> Iterator[str]:
    found = draft.identifier
    met = found.words
    sides = (
        ("source", "the export", draft.source.file, draft.source_layout, found.source),
        ("target", "the form", draft.target.file, draft.target_layout, found.target),
    )
    for side, title, grid_file, layout, column in sides:
        name = name_of(layout.columns, column) if column else OPEN if found.is_open else ""
        others = [quoted(name_of(layout.columns, candidate)) for candidate in layout.identifiers if candidate != column]
        also = f"; also possible: {listing(others)}" if others else ""
        yield f"[{side}]"
        yield (f"file = {quoted(relative(grid_file, file))}".ljust(30) + f" # {title}; it is never written to")
        note = f"{'' if name else 'none: names identify them; '}{met}{also}"
        yield f"identifier = {quoted(name)}".ljust(30) + f" # {'OPEN: ' if name == OPEN else ''}{note}"
        yield from _reading(draft.reading[side])
        yield from _told(draft.understood[side], file)
        yield from _of_target(draft) if side == "target" else _of_source(draft)
        yield ""
        if side == "source":
            yield from _further(draft, file)


def _of_target(draft: Draft) -> Iterator[str]:
    """Return how the form is written, as far as a transfer must say it."""
    found = draft.identifier
    if draft.lines:
        yield from _by_line(draft.lines)
    if draft.results:
        note = "only what changes; false: all results of the bundle. new_items = true declares items that it lacks"
        yield line("results", f"{{ delta = {str(draft.results.delta).lower()} }}", note, 30)
    if draft.is_typed:
        yield line("typing", "true", "the target takes no import: write a list to type from, in this order", 30)
    elif found.is_composed:
        yield from _made_rows(draft)
    elif max(found.met, found.by_name) < found.of:
        note = 'who isn\'t in the form; "below": a row each, in its blank lines and below'
        yield line("add", '"nobody"', note, 30)
    if not found.is_composed and not draft.has_headings:
        yield line("headings", "false", "the headings are left out of the import file", 30)


def _of_source(draft: Draft) -> Iterator[str]:
    """Return which rows of the export are no students."""
    phrases = ", ".join(quoted(phrase) for phrase in (draft.practice or NOT_STUDENTS))
    why = "rows with these names aren't students" + (": added by the system" if draft.practice else "")
    yield f"not_students = [{phrases}]".ljust(30) + f" # {why}"
    if draft.wishes.is_shared:
        yield line("shared", "true", "whoever isn't in this form is in another", 30)
    if draft.sums:
        yield f"# Left out, since they are totals of others: {listed_rows(draft.sums)}."
    if draft.mangled:
        yield line("mend_mangled", "true", f"{counted(draft.mangled, 'name')} read in the wrong encoding", 30)


def _by_line(lines: LineColumns) -> Iterator[str]:
    """Return what must be said of a form that takes a line for each mark."""
    parts = [f"{key} = {quoted(text)}" for key in ("student", "item", "mark", "name") if (text := getattr(lines, key))]
    parts += [] if lines.keep else ["keep = false"]
    others = ", ".join(f"{key_of(name)} = {quoted(text)}" for name, text in lines.columns.items())
    parts += [f"columns = {{ {others} }}"] if others else []
    note = "a line for each mark" + ("" if lines.keep else "; those that it has are an example")
    yield line("lines", f"{{ {', '.join(parts)} }}", note, 30)


def _told(understood: Understood, file: Path) -> Iterator[str]:
    """Return what must be said of a file's columns so that it is understood as it was."""
    if understood.sheet:
        yield line("sheet", quoted(understood.sheet), "of several sheets that are alike", 30)
    if understood.student_sheets:
        told = msgspec.structs.asdict(understood.student_sheets).items()
        cells = ", ".join(f"{key} = {quoted(cell)}" for key, cell in told if cell)
        yield line("student_sheets", f"{{ {cells} }}", "a sheet for each student", 30)
    if understood.members:
        own = understood.members
        said = {"file": relative(Path(own.file), file), "group": own.group, "in_export": own.in_export}
        parts = [f"{key} = {quoted(text)}" for key, text in said.items() if text]
        added = ", ".join(f"{key_of(item)} = {quoted(name)}" for item, name in own.adjustments.items())
        parts += [f"adjustments = {{ {added} }}"] if added else []
        yield line("members", f"{{ {', '.join(parts)} }}", "who is in which group", 30)
    if understood.item:
        yield line("item", quoted(understood.item), "what its marks are for, by the sheet's name", 30)
    if understood.section:
        yield line("section", quoted(understood.section), "all its students' section, by the sheet's name", 30)
    if understood.name:
        yield line("layout", quoted(understood.name), "a layout of yours that the file fits", 30)
    if understood.heading_row is not None:
        note = "the row with the headings" if understood.heading_row else "there are no headings: columns go by letters"
        yield line("heading_row", str(understood.heading_row), note, 30)
    if understood.uses:
        uses = ", ".join(f"{key_of(name)} = {quoted(use.value)}" for name, use in understood.uses.items())
        yield line("uses", f"{{ {uses} }}", "what columns hold", 30)


def _made_rows(draft: Draft) -> Iterator[str]:
    """Return how rows are written that are made below the form's headings."""
    lines = (
        *(
            (("sample", "true", "its people are made up: the file is written anew in its form"),)
            if draft.is_sample
            else ()
        ),
        ("headings", _flag(draft.has_headings), "false leaves the headings out of the import file"),
        ("order", '"export"', 'or "family name", "identifier", "list"'),
        ("identifiers", '"as exported"', 'or "bare": without what [students] ignores'),
        ("add_prefix", '""', "what the target wants in front of identifiers"),
        ("add_suffix", '""', "and after them"),
        ("identifier_width", "0", "zeros in front until they are as wide"),
    )
    yield from (line(key, value, note, 30) for key, value, note in lines)


def _further(draft: Draft, file: Path) -> Iterator[str]:
    """Return the blocks of the exports besides the first."""
    each = draft.exports.identifiers(draft.identifier.source)
    for (grid, layout, identifier), understood in zip(each, draft.further, strict=True):
        yield "[[export]]"
        yield f"file = {quoted(relative(grid.file, file))}".ljust(30) + " # its students and items join those above"
        yield f"identifier = {quoted(name_of(layout.columns, identifier) if identifier else '')}"
        yield from _reading(draft.reading["source"])
        yield from _told(understood, file)
        yield ""
    for one in draft.passed_over:
        asked = f"OPEN: {one.wanted} of the form's students are there, and not in {quoted(str(one.beside.sheet))}"
        yield "[[export]]"
        yield f"file = {quoted(relative(one.beside.file, file))}"
        yield f"sheet = {quoted(one.name)}"
        yield line("identifier", quoted(OPEN), asked, 30)
        yield f"#   Write {quoted(one.identifier)} to read it, too, or delete this block to leave it."
        yield ""


def _roster(draft: Draft, file: Path) -> Iterator[str]:
    """Return the block of the roster, if there is one."""
    if draft.roster:
        roster = draft.roster
        yield "[roster]"
        yield (
            f"file = {quoted(relative(roster.grid.file, file))}".ljust(30)
            + " # identifiers or names missing from the form"
        )
        if roster.layout_name:
            yield line("layout", quoted(roster.layout_name), "a layout of yours that the file fits", 30)
        name = name_of(roster.layout.columns, roster.identifier)
        met = "" if draft.identifier.is_composed else f": {roster.met} match"
        yield line("identifier", quoted(name), f"the form's identifier{met}", 30)
        if roster.source_identifier:
            name = name_of(roster.layout.columns, roster.source_identifier)
            yield f"source_identifier = {quoted(name)}".ljust(30) + " # the export's identifier"
        yield ""


def _corrections(draft: Draft, file: Path) -> Iterator[str]:
    """Return the block of each list of corrections."""
    for one in draft.corrections:
        yield "[[correction]]"
        yield line("file", quoted(relative(one.file, file)), "what it says is taken over the export", 30)
        told = (
            ("identifier", one.identifier, "whose mark it is"),
            ("item", one.item, "it has the items' titles"),
            ("old", one.old, "it says what the export says"),
            ("new", one.new, "the mark from now on"),
            ("reason", one.reason, "why"),
        )
        yield from (line(key, quoted(column.heading or column.letter), why, 30) for key, column, why in told if column)
        yield line("by", quoted(one.file.stem), "who says so: a column of the list, or your own words", 30)
        yield ""


def _reading(how: ReadAs) -> Iterator[str]:
    """Return the lines that say how a file is read, where that was options."""
    told = {key: value for key in how.__struct_fields__ if (value := getattr(how, key))}
    yield from (f"{key} = {'true' if value is True else quoted(value)}" for key, value in told.items())


def _students(draft: Draft) -> Iterator[str]:
    rule = draft.identifier.rule
    yield "[students]                     # ignored to match identifiers; spaces around them always are"
    yield f"ignore_case = {_flag(rule.ignore_case)}"
    yield f"ignore_leading_zeros = {_flag(rule.ignore_leading_zeros)}"
    yield f"ignore_prefix = {quoted(rule.ignore_prefix)}"
    yield f"ignore_suffix = {quoted(rule.ignore_suffix)}"
    yield f"ignore_domain = {_flag(rule.ignore_domain)}".ljust(30) + " # what follows an @"
    yield f"ignore_dashes = {_flag(rule.ignore_dashes)}".ljust(30) + " # dashes, dots and spaces inside"
    yield from _names(draft)
    yield from _repeated(draft)
    yield 'repeated_by = ""'.ljust(30) + " # the column with the dates by which several rows are put in order"
    yield 'other_number = "check"'.ljust(30) + " # pairs by name and birth date whose numbers differ; or"
    yield 'other_name = "check"'.ljust(30) + " # and those whose names have a word each that resembles none:"
    yield f'{" " * 31}# "accept" sends their marks without a word, "hold" asks first'
    yield "only = []".ljust(30) + " # identifiers, if only some students are to be moved"
    yield "only_sections = []".ljust(30) + " # sections, if only some are to be moved"
    yield "leave_out = []".ljust(30) + ' # identifiers of students who are not to be moved: ["0012", "0034"]'
    yield (
        "minimum_paired_percent = 50".ljust(30) + " # of the export's students: if fewer are paired, nothing is written"
    )
    yield ""


def _repeated(draft: Draft) -> Iterator[str]:
    """Return the rule for several rows of one student: with several exports, each mark by itself."""
    if draft.exports.further or draft.source.stands_in or _is_twice(draft):
        what = ' # of several marks for one item: "agree" holds those that differ;'
        yield 'repeated = "agree"'.ljust(30) + what
        latest = "the last file's" if draft.exports.further else "the last line's, or by repeated_by"
        yield f'{" " * 31}# or "first", "latest" ({latest}), "highest"'
    else:
        yield (
            'repeated = "hold"'.ljust(30) + ' # several rows for one student; or "agree", "first", "highest", "latest"'
        )


def _is_twice(draft: Draft) -> bool:
    """Tell whether most rows of students who have several say the same, as where an export stands twice in a file."""
    column = draft.identifier.source
    if column is None or not draft.identifier.repeated:
        return False
    grid = draft.source
    rows = [tuple(grid.cells(row)) for row in range(draft.source_layout.first_row, len(grid))]
    said: dict[str, list[tuple[str, ...]]] = {}
    for cells in rows:
        if column.index < len(cells) and cells[column.index].strip():
            said.setdefault(cells[column.index].strip(), []).append(cells)
    several = [own for own in said.values() if len(own) > 1]
    return sum(len(set(own)) < len(own) for own in several) * 2 > len(several)


def _feedback(draft: Draft) -> Iterator[str]:
    """Return how marked files are handed out, as a note: they are when a person asks for it."""
    if draft.source.files:
        yield "# The marked files are handed out when you ask for it: take the # away."
        yield "# [feedback]"
        note = "what each is called; also {name}, {section}, {file}"
        yield line("# names", quoted("{identifier} feedback"), note)
        yield ""


def _names(draft: Draft) -> Iterator[str]:
    """Return the rule for names: where no identifier of both files meets, they are all there is."""
    space = " " * 31
    have_birth = all(layout.of_use(Use.BIRTH) for layout in (draft.source_layout, draft.target_layout))
    if draft.identifier.met or draft.identifier.is_composed or have_birth:
        yield (
            'names = "backed"'.ljust(30)
            + " # pair by full name if there's no identifier and the birth dates are equal;"
        )
        yield f"{space}# where no numbers are in both files, also if a birth date is blank;"
        yield f'{space}# or "pair" (always), "ask", "ignore"'
    else:
        yield 'names = "pair"'.ljust(30) + " # pair by full name: no identifier is in both files;"
        yield f'{space}# or "backed" (only with an equal birth date), "ask", "ignore"'


def _items(draft: Draft) -> Iterator[str]:
    for item in draft.items:
        yield "[[item]]"
        yield line("from", quoted(name_of(draft.source_layout.columns, item.proposal.source)))
        yield line("to", *_target(item, draft.target_layout))
        yield from _candidates(item, draft.target_layout)
        yield from _maxima(item)
        yield from _hints(item)
        yield ""


def _hints(item: ItemProposal) -> Iterator[str]:
    """Return the lines that the texts of an item ask for."""
    hints = item.marks
    if item.is_over:
        yield line("any_column", "true")
    if hints.thousands[1]:
        mark, sign = hints.thousands
        is_sure = "is read as thousands, since its item is out of more"
        why = is_sure if sign == "none" else 'may have decimals ("." or ",") or thousands ("none"), and is held'
        yield line("decimal_separator", quoted(sign), f"{mark} {why}")
    elif hints.commas:
        yield line("decimal_separator", '","', f"{_have_comma(hints.commas)}, and none a point")
    elif hints.speaks_commas:
        yield line("decimal_separator", '","', "as the export's other marks have it")
    elif hints.either:
        yield line("decimal_separator", '"either"', f"{_have_comma(hints.either)}, others a point: each by its own")
    yield from as_target_writes(hints)
    if not hints.to_decimals and hints.shown is not None:
        yield line("decimals", str(hints.shown), "as the export shows its marks; it stores more, and 2 sends them so")
    if hints.scale:
        note = {"values": "words, and the target wants numbers", "words": "words", "bands": "the target wants words"}
        yield line("scale", quoted(hints.scale.name), note[hints.scale.table])


def as_target_writes(hints: MarkHints) -> Iterator[str]:
    """Yield the lines by which an item's marks are written as the target's own are."""
    if hints.to_commas:
        yield line("to_decimal_separator", '","', "the target's marks have it")
    if hints.to_suffix:
        yield line("to_suffix", quoted(hints.to_suffix), "as the target shows its marks")
    if hints.to_decimals:
        yield line("decimals", str(hints.to_decimals), "as many as the target's marks have")
        yield line("to_zeros", '"fill"', "zeros included, as there")


def _have_comma(commas: int) -> str:
    return f"{counted(commas, 'of its marks has', 'of its marks have')} a decimal comma"


def _target(item: ItemProposal, layout: Layout) -> tuple[str, str]:
    proposal = item.proposal
    if item.new_heading == OPEN:
        return quoted(OPEN), "OPEN: not in the sample, and its maximum isn't known: write the heading"
    if item.new_heading:
        return quoted(item.new_heading), proposal.reason
    if proposal.target:
        return quoted(name_of(layout.columns, proposal.target)), proposal.reason
    if proposal.candidates:
        return quoted(OPEN), f'OPEN: {proposal.reason}; write one of these, or "" to leave it out:'
    return '""', f"{proposal.reason}: left out"


def _candidates(item: ItemProposal, layout: Layout) -> Iterator[str]:
    """Return the columns that an open item may go to, each with what speaks for it."""
    proposal = item.proposal
    if item.is_target_open and not proposal.target:
        hints = item.of_candidates or (NO_HINTS,) * len(proposal.candidates)
        for column, ground, own in zip(proposal.candidates, proposal.grounds, hints, strict=True):
            yield f"#   {quoted(name_of(layout.columns, column))}: {ground}"
            yield from (f"#     {text}" for text in as_target_writes(own))


def _maxima(item: ItemProposal) -> Iterator[str]:
    if item.new_heading and item.from_out_of is not None:
        yield line("from_out_of", plain(item.from_out_of), "as in the heading")
        yield line("to_out_of", plain(item.from_out_of), "the same")
    if not item.proposal.target:
        return
    is_same = item.agreed.of and not item.agreed.is_rescaled and item.agreed.agree
    for key, column, maximum, stated in (
        ("from_out_of", item.proposal.source, item.from_out_of, item.marks.out_of),
        ("to_out_of", item.proposal.target, item.to_out_of, item.marks.to_out_of),
    ):
        if maximum is not None and not (item.is_maximum_open and column.out_of == maximum):
            note = _reason(column, maximum, stated)
            yield line(key, plain(maximum), item.agreed.words if is_same and note == _GIVEN else note)


_GIVEN = "given when this was drafted"


def _reason(column: Column, maximum: Decimal, stated: Decimal | None) -> str:
    """Return where a maximum comes from."""
    if column.out_of == maximum:
        return "as in the heading"
    return "as its marks have it" if stated == maximum else _GIVEN


def _flag(value: bool) -> str:
    return "true" if value else "false"
