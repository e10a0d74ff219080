"""`skarvin pull`: a class from a service, kept as a bundle."""

from collections.abc import Iterable
from datetime import datetime
from pathlib import Path

import click

from skarvin.cli.came_from import config
from skarvin.cli.clock import moment
from skarvin.cli.next_command import next_line
from skarvin.cli.output import PATH
from skarvin.cli.progress_line import progress_line
from skarvin.cli.terminal import echo
from skarvin.core.findings import Finding, Refused, counted
from skarvin.core.grid.roster_writing import bundle_bytes
from skarvin.core.grid.save import Delivery
from skarvin.core.texts.shell_words import plain_name, quoted


@click.command()
@click.argument("service")
@click.option("--class", "asked", default="", help="The class, by its title, its code or its sourcedId.")
@click.option("-o", "--to", type=PATH, help="The bundle to write. [default: SERVICE-CLASS.zip]")
@click.option("--replace", is_flag=True, help="Replace a bundle that is there already.")
def command(service: str, asked: str, to: Path | None, replace: bool) -> int:
    """Get a class from a SERVICE, with its items and results, and keep it as a bundle of OneRoster CSV.

    Services stand in services.toml in your configuration folder; a secret in the environment or in the keyring.
    """
    with progress_line():
        title, data, counts = pulled(service, [asked], moment())
    file = to or Path(f"{service}-{plain_name(title)}.zip")
    with Delivery(replace=replace, inputs=[]) as delivery:
        delivery.stage(file, [data])
        delivery.commit()
    echo(f"{service}: class '{title}', {counts}\n\nWritten  {file}\n{next_line(f'skarvin look {quoted(file)}')}")
    return 0


def pulled(name: str, asked: Iterable[str], when: str) -> tuple[str, bytes, str]:
    """Return the title of a class, or of the first of several, their bundle, and what is in it.

    Raises:
        Misused: no such service, secret or class.
        Refused: the service can't be reached, or says no.
    """
    from skarvin.services.connection import Declined  # noqa: PLC0415 - most commands ask no service
    from skarvin.services.services_file import find_service, secret_of  # noqa: PLC0415
    from skarvin.services.speaking import joined, speaking_to  # noqa: PLC0415

    try:
        with speaking_to(name, find_service(config(), name), secret_of(name)) as service:
            tables, version = joined(map(service.pull, asked)), service.version
    except Declined as error:
        raise Refused(Finding("declined", f"the service '{name}' says {error.status}: {error.why}")) from None
    data = bundle_bytes(version, tables, datetime.fromisoformat(when), source=name)
    counts = [counted(len(tables[what]), word) for what, word in (("users", "student"), ("lineItems", "item"))]
    counts.append(counted(len(tables["results"]), "result"))
    one = tables["classes"][0]
    return one.get("title", "") or one["sourcedId"], data, ", ".join(counts)
