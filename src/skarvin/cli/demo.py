"""`skarvin demo`: the whole job on made-up data."""

import sys
import threading
from collections.abc import Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, nullcontext, suppress
from pathlib import Path

import click

from skarvin.cli.at_keyboard import may_ask
from skarvin.cli.came_from import config
from skarvin.cli.output import PATH
from skarvin.cli.table import wrap
from skarvin.cli.terminal import ask, echo
from skarvin.core.findings import Finding, Misused, listing
from skarvin.core.grid.file_bytes import read_bytes
from skarvin.demo.faults import FAULTS
from skarvin.demo.walk import PARTS, SERVICE, is_laid_out, lay_out, steps_of, walk
from skarvin.services.services_file import services_path


@click.command()
@click.argument("folder", type=PATH, default=Path("tidewrack"), metavar="[FOLDER]")
@click.option("--all", "is_whole", is_flag=True, help="Do the nine further jobs, too.")
@click.option("--part", type=click.Choice(PARTS), help="Do one of the further jobs, in a FOLDER that may be laid out.")
@click.option("--service", "is_service", is_flag=True, help="Start a stand-in for a service on this machine.")
@click.option("--fail", type=click.Choice(FAULTS), multiple=True, help="A fault that the stand-in makes. Repeatable.")
@click.option(
    "--every", type=click.IntRange(min=1), default=10, help="One request in so many fails.", show_default=True
)
@click.option("--key", type=PATH, help="The public key (PEM) of whoever asks the stand-in by LTI.")
@click.option("--port", default=8321, help="Where the stand-in listens.", show_default=True)
def command(  # noqa: PLR0913 - the options
    folder: Path,
    is_whole: bool,
    part: str | None,
    is_service: bool,
    fail: tuple[str, ...],
    every: int,
    key: Path | None,
    port: int,
) -> int:
    """Lay out made-up data in a new FOLDER [default: tidewrack] and do the whole job on it.

    At a terminal, each step waits for Enter.
    """
    if is_service:
        return _serve(fail, every, key, port)
    if not (part and is_laid_out(folder)):
        lay_out(folder)

    def say(text: str) -> None:
        echo(text)
        sys.stdout.flush()

    steps = steps_of(None if is_whole else part or "")
    stand_in: AbstractContextManager[Mapping[str, str]] = nullcontext({})
    if part == SERVICE:
        stand_in = _stand_in(folder / SERVICE)
    with stand_in as environment:
        code = walk(folder, say, steps, _goes_on, environment)
    if not code and not is_whole:
        parts = listing([one for one in PARTS if one != part], 12)
        say(
            f"\n---\n\nAll of it lies in {folder}: read transfer.toml, open report.html in a browser.\n"
            + wrap(f"Further jobs, each with files of its own: {parts}. One: skarvin demo {folder} --part NAME")
        )
    elif not code:
        say(
            "\n---\n\n"
            f"All of it lies in {folder}:\n"
            "  transfer.toml              the transfer: change it, then preview again\n"
            '  pairings.csv               the students to confirm: decide in the column "decision"\n'
            "  held.csv                   the held marks: correct them there, with who and why\n"
            "  registry-form-import.csv   what the registry takes\n"
            "  report.html                the report: open it in a browser, print it, file it\n"
            "  ledger.json                every mark and its fate, for machines\n"
            "  registry-form-restore.csv  the form as it was, to take the marks back\n"
            "  skarvin-history.db         what was sent when: skarvin history\n"
            "  final/, quiz/, harbour/, insurer/, essays/, watch/, bench/, launching/, weeks/\n"
            "                             nine more transfers, each with files of its own\n\n"
            "Two stranger files to look at: yard-tests.csv and tool-store.xlsx\n"
            "A form for new students, for skarvin roster: roster-form.csv\n\n"
            "Students to confirm: skarvin students --decide. Marks that are held need a person, too:\n"
            "correct them where they were made and export again, or in held.csv; or decide in transfer.toml.\n"
            f"Now it is yours: cd {folder}"
        )
    return code


@contextmanager
def _stand_in(folder: Path) -> Iterator[Mapping[str, str]]:
    """Run the stand-in meanwhile; yield what the commands must find in their environment."""
    from skarvin.demo.service import CLIENT, SECRET, Service, tidewrack  # noqa: PLC0415 - most demos have none

    with Service(tidewrack()) as service:
        threading.Thread(target=service.serve_forever, daemon=True).start()
        at, file = service.address, folder / "services.toml"
        file.write_text(f'[yard]\naddress = "{at}"\ntoken = "{at}/token"\nclient = "{CLIENT}"\n', encoding="utf-8")
        yield {"SKARVIN_SERVICES": str(file.resolve()), "SKARVIN_SECRET_YARD": SECRET}
        service.shutdown()


def _serve(fail: tuple[str, ...], every: int, key: Path | None, port: int) -> int:
    """Run the stand-in until it is stopped at the keyboard."""
    from skarvin.demo.service import CLIENT, SECRET, Service, tidewrack  # noqa: PLC0415 - most demos have none

    try:
        service = Service(tidewrack(), fail, every, port=port)
    except OSError as error:
        mend = "Name another with --port."
        raise Misused(Finding("port", f"port {port} can't be had: {error.strerror}", None, mend)) from None
    service.public_key = read_bytes(key).decode(errors="replace") if key else ""
    at = service.address
    lti = f'  members = "{at}/lti/c-keel/members"\n  items = "{at}/lti/c-keel/lineitems"\n' if key else ""
    echo(
        f"A stand-in for a service listens at {at} (stop it with Ctrl-C). In {services_path(config())}:\n\n"
        f'  [yard]\n  address = "{at}"\n  token = "{at}/token"\n  client = "{CLIENT}"\n{lti}\n'
        f"In another terminal:\n\n  export SKARVIN_SECRET_YARD={SECRET}\n  skarvin pull yard"
    )
    sys.stdout.flush()
    with suppress(KeyboardInterrupt), service:
        service.serve_forever()
    return 0


def _goes_on() -> bool:
    """Wait for Enter where somebody sits at the keyboard; return whether the next step follows."""
    if not may_ask():
        return True
    return ask("\nEnter: the next step; q: stop", default="", show_default=False).strip().casefold() not in {
        "q",
        "stop",
    }
