"""`skarvin roster`: class lists become the target's roster import."""

from pathlib import Path
from typing import Any

import click

from skarvin.cli.output import PATH, heading, json_option, library, more, print_json, tidy
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import Finding, Misused, counted
from skarvin.core.grid.read import read_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.ledger.second_look.comparison import Files
from skarvin.core.rosters.casing import spellings
from skarvin.core.rosters.class_lists import Newcomer, Roster, RosterRules, make_roster, roster_file
from skarvin.core.rosters.roster_file import FileRules, Standing, look_at_roster
from skarvin.core.rosters.usernames import BadTemplate, Collision, check_template
from skarvin.core.targets.target import WHOLE

_SHORT = 12


@click.command()
@click.argument("lists", nargs=-1, required=True, type=PATH, metavar="LIST...")
@click.option("--form", required=True, type=PATH, help="The target's roster form, sample or current roster.")
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
    help="A template: '{given 1}{family 7}'. Fields: family, given, initials, year, section, number.",
)
@click.option("--address", default="", help="A template: '{username}@tidewrack.example'.")
@click.option(
    "--collisions",
    type=click.Choice([collision.value for collision in Collision]),
    default="number",
    show_default=True,
    help="For two equal usernames: a number, a longer given name, or hold.",
)
@click.option("--year", default="", help="What stands for {year}.")
@click.option("--add", is_flag=True, help="Keep who stands in the form: newcomers go into its blank lines and below.")
@click.option("--clear", is_flag=True, help="The people in the form are made up: empty their rows and fill them.")
@click.option("--columns", default="", help="The columns to write, in their order: 'B,A,Class'.")
@click.option("--rename", multiple=True, metavar="HEADING=NEW", help="Another heading for a column. Repeatable.")
@click.option("--no-headings", is_flag=True, help="Leave the headings out.")
@click.option("--replace", is_flag=True, help="Replace the file; usernames in it are kept.")
@click.option("--all", "show_all", is_flag=True, help="Show long lists whole.")
@json_option
def command(  # noqa: PLR0913 - the options of a command
    lists: tuple[Path, ...],
    form: Path,
    output: Path | None,
    replace: bool,
    show_all: bool,
    as_json: bool,
    **options: Any,  # noqa: ANN401
) -> int:
    """Write the students of one or several class LISTs as the target's roster import: no marks, only who they are.

    Names are split and put into proper case, each list gets a section, usernames are built by a template.
    """
    output = output or form.with_name(f"{form.stem}-roster{form.suffix}")
    rules, shape = _rules(options), _file_rules(options)
    tidy(output.parent)
    with Delivery(replace=replace, inputs=[form, *lists]) as delivery:
        delivery.check(output)
        roster = make_roster(lists, form, rules, output, is_cleared=shape.standing is Standing.CLEARED)
        file = roster_file(roster, shape)
        written = delivery.stage(output, file.written())
        before = delivery.scratch(output.with_name(f"{output.name}.form"), [read_bytes(form)])
        whole = (
            written if file.part == WHOLE else delivery.scratch(output.with_name(f"{output.name}.whole"), file.whole())
        )
        look_at_roster(file, Files(form, before, whole, output), written)
        delivery.commit()
    if as_json:
        print_json(_data(roster, output))
    else:
        click.echo(_text(roster, output, None if show_all else _SHORT))
    return int(bool(roster.usernames.held or roster.held))


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
        (Path(), library()),
    )


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


def _where(newcomer: Newcomer) -> str:
    return f"{newcomer.row.source.file.name}, {newcomer.row}"


def _text(roster: Roster, output: Path, most: int | None) -> str:
    newcomers, built = roster.newcomers, roster.usernames
    parts = [heading(f"{counted(len(newcomers), 'student')} for {roster.form.grid.file.name}")]
    counts = [
        (len(roster.already), "already there, and left out"),
        (len(roster.twice), "standing in the lists twice, and written once"),
        (roster.non_students, "no student, and left out"),
        (roster.recased, "whose name was put into proper case"),
    ]
    parts += [f"  {count:,} {what}" for count, what in counts if count]
    parts += [f"  {file} is read by your layout '{name}'" for file, name in roster.read_by]
    shown = newcomers[:most]
    heads = [Head(column.heading, rank=index, most=30) for index, column in enumerate(roster.layout.columns)]
    parts += ["", format_table(heads, [list(texts) for texts in roster.texts[: len(shown)]])]
    parts += filter(None, [more(len(shown), len(newcomers), "--all")])
    if roster.held:
        where = [
            wrap(f"{_where(newcomer)}: somebody of quite another name has this number", indent=2)
            for newcomer in roster.held
        ]
        parts += ["", heading(f"Students held: {len(where)}"), *where]
    by_key = {newcomer.key: newcomer for newcomer in newcomers}
    for title, group in (("Usernames that collided", built.collided), ("Usernames held", built.held)):
        if group:
            lines = [wrap(f"{_where(by_key[key])}: {what}", indent=2) for key, what in group.items()]
            parts += ["", heading(f"{title}: {len(group)}"), *lines[:most]]
            parts += filter(None, [more(len(lines[:most]), len(lines), "--all")])
    return "\n".join([*parts, "", f"Written: {output}"])


def _data(roster: Roster, output: Path) -> dict[str, Any]:
    by_key = {newcomer.key: newcomer for newcomer in roster.newcomers}
    groups = {"collided": roster.usernames.collided, "held": roster.usernames.held}
    return {
        "file": str(output),
        "students": len(roster.newcomers),
        "already": [_where(newcomer) for newcomer in roster.already],
        "held_students": [_where(newcomer) for newcomer in roster.held],
        "twice": [_where(newcomer) for newcomer in roster.twice],
        "no_students": roster.non_students,
        "recased": roster.recased,
        "columns": [column.heading for column in roster.layout.columns],
        "rows": [list(texts) for texts in roster.texts],
        **{name: {_where(by_key[key]): what for key, what in group.items()} for name, group in groups.items()},
    }
