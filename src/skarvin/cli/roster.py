"""`skarvin roster`: class lists become the target's roster import."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from skarvin.cli.clock import moment
from skarvin.cli.output import PATH, heading, json_option, library, mask_option, more, print_json, tidy
from skarvin.cli.progress_line import progress_line
from skarvin.cli.reading_options import told_of
from skarvin.cli.table import Head, format_table, wrap
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Misused, counted
from skarvin.core.gradebook import Student
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.second_look.comparison import Files
from skarvin.core.plan.named_files import files_of_transfers
from skarvin.core.rosters.casing import spellings
from skarvin.core.rosters.class_lists import Roster, RosterRules, make_roster, roster_file
from skarvin.core.rosters.reading_lists import Newcomer
from skarvin.core.rosters.roster_books import RosterBooks, RosterFate, keep_books
from skarvin.core.rosters.roster_file import FileRules, Standing, look_at_roster
from skarvin.core.rosters.usernames import BadTemplate, Collision, check_template
from skarvin.core.targets.target import WHOLE
from skarvin.core.texts.unsafe import UnsafeText
from skarvin.reports.masker import Masker
from skarvin.reports.masking import masking
from skarvin.reports.roster_report import roster_ledger, roster_ledger_json, roster_page, roster_verdict, where

_SHORT = 12


@click.command()
@click.argument("lists", nargs=-1, required=True, type=PATH, metavar="LIST...")
@click.option("--form", required=True, type=PATH, help="The target's roster form, sample or current roster.")
@click.option("--use", multiple=True, metavar="COLUMN=USE", help="What a column of the lists holds. Repeatable.")
@click.option("--to", "output", type=PATH, help="The file to write. [default: the form's name with -roster]")
@click.option("--section", "sections", multiple=True, help="A section label for each list, in their order. Repeatable.")
@click.option(
    "--name-order",
    type=click.Choice(["given-first", "family-first"]),
    default="given-first",
    show_default=True,
    help="How a name without a comma is written.",
)
@click.option(
    "--spellings",
    "spelling_file",
    type=PATH,
    help="A text file that spells a name a line, for names with capitals of their own.",
)
@click.option(
    "--username",
    default="",
    help="A pattern: '{given 1}{family 7}'. Fields: family, given, further, initials, year, section, number.",
)
@click.option("--address", default="", help="A pattern: '{username}@tidewrack.example'.")
@click.option(
    "--collisions",
    type=click.Choice([collision.value for collision in Collision]),
    default="number",
    show_default=True,
    help="For two equal usernames: a number, a longer given name, or hold.",
)
@click.option("--year", default="", help="The year of students whose list has no column for it.")
@click.option("--taken", "taken_file", type=PATH, help="Usernames in use elsewhere: a text with one a line.")
@click.option("--add", is_flag=True, help="Keep who stands in the form: newcomers go into its blank lines and below.")
@click.option("--clear", is_flag=True, help="The people in the form are made up: empty their rows and fill them.")
@click.option("--columns", default="", help="The columns to write, in their order: 'B,A,Class'.")
@click.option("--rename", multiple=True, metavar="HEADING=NEW", help="Another heading for a column. Repeatable.")
@click.option(
    "--unsafe-text",
    type=click.Choice([choice.value for choice in UnsafeText]),
    default="hold",
    show_default=True,
    help="For a text that a spreadsheet would run: hold the student, or put an apostrophe in front.",
)
@click.option("--no-headings", is_flag=True, help="Leave the headings out.")
@click.option("--replace", is_flag=True, help="Replace the file; usernames in it are kept.")
@click.option("--all", "show_all", is_flag=True, help="Show full lists.")
@mask_option
@json_option
def command(  # noqa: PLR0913 - the options of a command
    lists: tuple[Path, ...],
    form: Path,
    output: Path | None,
    replace: bool,
    show_all: bool,
    is_masked: bool,
    as_json: bool,
    **options: Any,  # noqa: ANN401
) -> int:
    """Write the students of one or several class LISTs as the target's roster import, with a report and a ledger.

    Names are split and put into proper case, each list gets a section, usernames are built by a pattern.
    """
    output = output or form.with_name(f"{form.stem}-roster{form.suffix}")
    page, ledger = (output.with_name(f"{output.stem}-{name}") for name in ("report.html", "ledger.json"))
    rules, shape = _rules(options), _file_rules(options)
    tidy(output.parent)
    when = moment()
    kept = [form, *lists, *files_of_transfers(output.parent, form.parent, Path.cwd())]
    with progress_line(), Delivery(replace=replace, inputs=kept) as delivery:
        delivery.check(output, page, ledger)
        roster = make_roster(lists, form, rules, output, is_cleared=shape.standing is Standing.CLEARED)
        books = keep_books(roster)
        file = roster_file(roster, shape)
        data = roster_ledger(roster, books, file, when)
        written = delivery.stage(output, file.written())
        before = delivery.scratch(output.with_name(f"{output.name}.form"), [read_bytes(form)])
        whole = (
            written if file.part == WHOLE else delivery.scratch(output.with_name(f"{output.name}.whole"), file.whole())
        )
        rows = look_at_roster(file, roster_ledger_json(data), Files(form, before, whole, output), written)
        data["files"] |= {"roster": {"name": output.name, "sha256": fingerprint(read_bytes(written))}}
        data["second_look"] = {"rows": rows}
        delivery.stage(ledger, [roster_ledger_json(data)])
        masker = Masker(_identities(roster), titles=()) if is_masked else None
        with masking(masker):
            delivery.stage(page, [roster_page(roster, books, data).encode()])
        delivery.commit()
    with masking(masker):
        if as_json:
            print_json(_data(roster, output) | {"report": str(page), "ledger": str(ledger)})
        else:
            echo(_text(roster, books, (output, page, ledger), rows, None if show_all else _SHORT))
    return int(roster.is_anything_held)


def _identities(roster: Roster) -> Iterator[str]:
    """Yield every text that says who somebody is: all that stands in the lists and in the roster's own lines."""
    for one in roster.lists:
        for student in one.book.students:
            yield from (student.identifier, student.name, *one.book.layout.personal(one.book.cells(student.row)))
    for newcomer in (
        *roster.newcomers,
        *roster.already,
        *roster.twice,
        *roster.held,
        *roster.without_username,
        *(one for one, _ in roster.unsafe),
    ):
        yield from (newcomer.number, newcomer.name)
    for texts in roster.texts:
        yield from roster.layout.personal(texts)
    for student in (*roster.gone, *(there for _, there in roster.moved)):
        yield from (student.identifier, student.name)
    yield from roster.usernames.names.values()


def _rules(options: dict[str, Any]) -> RosterRules:
    for name in ("username", "address"):
        try:
            if options[name]:
                check_template(options[name])
        except BadTemplate as error:
            raise Misused(Finding("bad-template", f"--{name} '{options[name]}': {error}")) from None
    exceptions: dict[str, str] = {}
    if options["spelling_file"]:
        try:
            exceptions = spellings(options["spelling_file"].read_text(encoding="utf-8-sig").splitlines())
        except (OSError, UnicodeDecodeError) as error:
            raise Misused(Finding("spellings", f"'{options['spelling_file']}' can't be read: {error}")) from None
    return RosterRules(
        options["username"],
        options["address"],
        Collision(options["collisions"]),
        options["name_order"] == "family-first",
        exceptions,
        options["sections"],
        options["year"],
        tuple(_lines(options["taken_file"])) if options["taken_file"] else (),
        (Path(), library()),
        UnsafeText(options["unsafe_text"]),
        told_of(options),
    )


def _lines(file: Path) -> list[str]:
    try:
        return [line.strip() for line in file.read_text(encoding="utf-8-sig").splitlines() if line.strip()]
    except (OSError, UnicodeDecodeError) as error:
        raise Misused(Finding("taken", f"--taken '{file}' can't be read: {error}")) from None


def _file_rules(options: dict[str, Any]) -> FileRules:
    if options["add"] and options["clear"]:
        raise Misused(
            Finding("add-and-clear", "--add keeps who stands in the form, and --clear doesn't", None, "Give one.")
        )
    renamed = [text.rpartition("=")[::2] for text in options["rename"]]
    if not all(old and new for old, new in renamed):
        raise Misused(Finding("no-heading", "--rename needs HEADING=NEW", None, "Write --rename 'Login=User'."))
    standing = Standing.KEPT if options["add"] else Standing.CLEARED if options["clear"] else Standing.LEFT_OUT
    columns = tuple(filter(None, map(str.strip, options["columns"].split(","))))
    return FileRules(standing, columns, tuple(renamed), not options["no_headings"])


def _text(roster: Roster, books: RosterBooks, files: tuple[Path, Path, Path], rows: int, most: int | None) -> str:
    newcomers, built = roster.newcomers, roster.usernames
    parts = [
        heading(f"{', '.join(one.file.name for one in roster.lists)} -> {roster.form.grid.file.name}"),
        wrap(roster_verdict(books)),
        wrap(f"Read-back check passed: {counted(rows, 'row')} read again, exactly as in the ledger."),
    ]
    counts = [
        (roster.non_students, "row isn't a student", "rows aren't students"),
        (roster.recased, "name was put into proper case", "names were put into proper case"),
    ]
    parts += [f"  {counted(count, one, many)}" for count, one, many in counts if count]
    parts += [f"  {file} is read by your layout '{name}'" for file, name in roster.read_by]
    groups: list[tuple[str, list[str]]] = [
        (
            "Students held",
            [f"{_who(line.newcomer)}: {line.why}" for line in books.lines if line.fate is RosterFate.HELD],
        ),
        ("In the form and not in the lists", [_there(student) for student in roster.gone]),
        ("In another section than in the form", [_moved(newcomer, there) for newcomer, there in roster.moved]),
        (
            "Usernames that collided",
            [f"{_who(one)}: {built.collided[one.key]}" for one in newcomers if one.key in built.collided],
        ),
        ("Already in the form", [_who(one) for one in roster.already]),
        ("More than once in the lists, written once", [_who(one) for one in roster.twice]),
    ]
    for title, lines in groups:
        if lines:
            parts += ["", heading(f"{title}: {len(lines)}"), *(wrap(line, indent=2) for line in lines[:most])]
            parts += filter(None, [more(len(lines[:most]), len(lines), "--all")])
    shown = newcomers[:most]
    heads = [Head(column.heading, rank=index, most=30) for index, column in enumerate(roster.layout.columns)]
    parts += ["", heading(f"Written: {counted(len(newcomers), 'student')}")]
    parts += [format_table(heads, [list(texts) for texts in roster.texts[: len(shown)]])] if shown else []
    parts += filter(None, [more(len(shown), len(newcomers), "--all")])
    output, page, ledger = files
    return "\n".join(
        [
            *parts,
            "",
            f"Roster       {output}",
            f"Report       {page}",
            f"Ledger       {ledger}",
            "",
            f"Read the report, then upload {files[0].name}.",
        ]
    )


def _who(newcomer: Newcomer) -> str:
    return f"{newcomer.name}{f' ({newcomer.number})' if newcomer.number else ''}, {where(newcomer)}"


def _there(student: Student) -> str:
    return ", ".join(filter(None, [student.name, student.identifier.strip(), f"form {student.row}"]))


def _moved(newcomer: Newcomer, there: Student) -> str:
    return f"{_who(newcomer)}: {newcomer.section} in the list, {there.section} in the form ({there.row})"


def _data(roster: Roster, output: Path) -> dict[str, Any]:
    by_key = {newcomer.key: newcomer for newcomer in (*roster.newcomers, *roster.without_username)}
    groups = {"collided": roster.usernames.collided, "held": roster.usernames.held}
    return {
        "file": str(output),
        "students": len(roster.newcomers),
        "already": [where(newcomer) for newcomer in roster.already],
        "held_students": [where(newcomer) for newcomer in (*roster.held, *(one for one, _ in roster.unsafe))],
        "twice": [where(newcomer) for newcomer in roster.twice],
        "no_students": roster.non_students,
        "not_in_the_lists": [student.row.number for student in roster.gone],
        "other_section": {where(newcomer): student.section for newcomer, student in roster.moved},
        "recased": roster.recased,
        "columns": [column.heading for column in roster.layout.columns],
        "rows": [list(texts) for texts in roster.texts],
        **{name: {where(by_key[key]): what for key, what in group.items()} for name, group in groups.items()},
    }
