"""Lays the demo data out and walks through the whole job, each command before its output."""

import os
import subprocess
import sys
from collections.abc import Callable, Mapping, Sequence
from importlib.resources import files
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from skarvin.core.findings import Finding, Misused, Place, Refused
from skarvin.core.grid.save import Delivery

EXPORT = "workshop-marks.csv"
TEMPLATE = "registry-form.csv"
OTHERS = ("yard-tests.csv", "tool-store.xlsx", "roster-form.csv")
FINAL = ("final/transfer.toml", "final/final-form.csv")
QUIZ = ("quiz/quiz-answers.csv", "quiz/answer-form.csv", "quiz/answer-key.csv")
HARBOUR = ("harbour/transfer.toml", "harbour/licences.xlsx")
INSURER = ("insurer/insurer-sample.csv",)
ESSAYS = ("essays/transfer.toml", "essays/essay-form.csv")
WEEKS = (
    "weeks/workshop-week-1.csv",
    "weeks/workshop-week-2.csv",
    "weeks/registry-form.csv",
    "weeks/registry-week-2.csv",
    "weeks/registry-overview-1.txt",
    "weeks/registry-overview-2.txt",
)
WATCH = ("watch/transfer.toml", "watch/watch-screen.txt")
BENCH = ("bench/bench-sheets.xlsx", "bench/bench-form.csv")
CREWS = ("launching/crew-marks.csv", "launching/crews.csv", "launching/registry-lines.csv")
MARKED = "essays/marked"
_HELD = 1

STORY = """\
The Tidewrack School of Boatbuilding marks its apprentices on the workshop's
learning site and owes the marks to the registry. Two files came out of the
two systems: what the workshop exported, and the registry's blank form."""


class Step(NamedTuple):
    """One step of the walk: why, the command, and the folder in which it is run.

    `renamed` are files that transfer.toml names anew before it.
    """

    why: str
    arguments: tuple[str, ...]
    folder: str = ""
    renamed: tuple[tuple[str, str], ...] = ()


STEPS: tuple[Step, ...] = (
    Step("First, look at both files: what is in them, and what is each column read as?", ("look", EXPORT, TEMPLATE)),
    Step("Propose the transfer. It is a short text file, made to be read and edited.", ("draft", EXPORT, TEMPLATE)),
    Step("Who is who? Whoever is in doubt waits for you, with suggestions.", ("students",)),
    Step("What would change? Nothing is written yet.", ("preview",)),
    Step("It is right, and what is held can be settled later: write.", ("write",)),
    Step("The term's final marks: weighted, in the registry's words, by final/transfer.toml.", ("preview",), "final"),
    Step("Write them.", ("write",), "final"),
    Step(
        "A quiz whose answers another system marks: which question is which?",
        ("draft", "quiz-answers.csv", "answer-form.csv", "--key", "answer-key.csv"),
        "quiz",
    ),
    Step("Each answer becomes its code.", ("preview",), "quiz"),
    Step("Write the answer file.", ("write",), "quiz"),
    Step("The Harbour Office wants two marks and a standing in a workbook of its own.", ("preview",), "harbour"),
    Step("Fill the workbook.", ("write",), "harbour"),
    Step(
        "The insurer gives a sample with made-up people, and takes a file in its form.",
        ("draft", f"../{EXPORT}", "insurer-sample.csv", "--sample"),
        "insurer",
    ),
    Step("Write it.", ("write",), "insurer"),
    Step("Essays came back marked, with the mark in the name of each file.", ("look", "marked"), "essays"),
    Step("Fill the form, and hand the essays out under the registry's numbers.", ("write",), "essays"),
    Step("The radio watch takes no import: a list to type from, in the order of its screen.", ("write",), "watch"),
    Step(
        "The bench test was marked on a sheet for each apprentice.",
        ("draft", "bench-sheets.xlsx", "bench-form.csv", "--status", "absent=hold"),
        "bench",
    ),
    Step("Each sheet is one apprentice's row; a total that isn't the sum is told.", ("write",), "bench"),
    Step(
        "The launching was marked by crew, and the registry takes a line for each mark.",
        ("draft", "crew-marks.csv", "registry-lines.csv", "--members", "crews.csv", "--missing-maximum", "same"),
        "launching",
    ),
    Step("Each has the crew's mark, with what was added for single ones.", ("write",), "launching"),
    Step(
        "Three weeks of another class. In the first the transfer is proposed,",
        ("draft", "workshop-week-1.csv", "registry-form.csv", "--status", "absent=hold"),
        "weeks",
    ),
    Step("and the import file is written and uploaded.", ("write",), "weeks"),
    Step(
        "Did each mark arrive? The registry's overview has another shape than its form, and other numbers.",
        ("confirm", "registry-overview-1.txt"),
        "weeks",
    ),
    Step(
        "In the second week both sides have changed: what is new, and what did somebody correct in the registry?",
        ("preview",),
        "weeks",
        (("workshop-week-1.csv", "workshop-week-2.csv"), ("registry-form.csv", "registry-week-2.csv")),
    ),
    Step("Only what is new goes out.", ("write", "--into", "week-2"), "weeks"),
    Step("In the third week all of it is there.", ("confirm", "registry-overview-2.txt"), "weeks"),
    Step("What was sent when?", ("history",), "weeks"),
)


SERVICE = "service"
SERVICE_STEPS: tuple[Step, ...] = (
    Step(
        "The registry offers OneRoster over HTTP: get the class from it.", ("pull", "yard", "--to", "yard.zip"), SERVICE
    ),
    Step("What came is a bundle; the marks go into it.", ("draft", "service-marks.csv", "yard.zip"), SERVICE),
    Step("Write what is to be sent, and what would take it back.", ("write",), SERVICE),
    Step("Send it, result by result; it is read back and confirmed.", ("push", "--yes"), SERVICE),
    Step("And if it was the wrong term: take it back.", ("push", "--undo", "--yes"), SERVICE),
)
"""Done against a stand-in, which runs meanwhile."""
PARTS = (*dict.fromkeys(step.folder for step in STEPS if step.folder), SERVICE)
"""The further jobs, by their folders; the last of them by itself alone."""


def is_laid_out(folder: Path) -> bool:
    """Return whether the demo's files lie in a folder."""
    return (folder / EXPORT).exists() and (folder / TEMPLATE).exists()


def lay_out(folder: Path) -> None:
    """Put the demo's files into a new or empty folder.

    Raises:
        Misused: there is something in the folder.
        Refused: the folder can't be made or written.
    """
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        mend = "Name a new folder: skarvin demo FOLDER"
        raise Misused(Finding("not-empty", f"'{folder}' is there already and is not an empty folder", None, mend))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        reason = (error.strerror or str(error)).lower()
        raise Refused(Finding("cannot-write", f"the folder can't be made: {reason}", Place(folder))) from None
    data = files("skarvin.demo") / "data"
    marked = tuple(f"{MARKED}/{one.name}" for one in sorted((data / MARKED).iterdir(), key=lambda one: one.name))
    every = (
        (f"{SERVICE}/service-marks.csv",),
        FINAL,
        QUIZ,
        HARBOUR,
        INSURER,
        ESSAYS,
        WATCH,
        BENCH,
        CREWS,
        WEEKS,
        marked,
    )
    for names in ((EXPORT, TEMPLATE, *OTHERS), *every):
        with Delivery(replace=False, inputs=[]) as delivery:
            for name in names:
                (folder / name).parent.mkdir(exist_ok=True)
                delivery.stage(folder / name, [(data / name).read_bytes()])
            delivery.commit()


def _rename(transfer: Path, renamed: Sequence[tuple[str, str]], say: Callable[[str], None]) -> None:
    """Let a transfer name other files, as one does in an editor, and say so."""
    for old, new in renamed:
        text = transfer.read_text(encoding="utf-8")
        transfer.write_text(text.replace(f'"{old}"', f'"{new}"'), encoding="utf-8")
        say(f"\n(in {transfer.name}: {old} becomes {new})")


def steps_of(part: str | None) -> tuple[Step, ...]:
    """Return the steps of one part of the demo, by its folder; of the main job, which has none; or of all."""
    return SERVICE_STEPS if part == SERVICE else tuple(step for step in STEPS if part in {None, step.folder})


def walk(
    folder: Path,
    say: Callable[[str], None],
    steps: Sequence[Step],
    goes_on: Callable[[], bool] = lambda: True,
    environment: Mapping[str, str] = MappingProxyType({}),
) -> int:
    """Run some steps in the folder and return the exit code: that of a step that failed, or 0.

    Args:
        folder: where the demo's files lie.
        say: shows a text.
        steps: what is done.
        goes_on: is asked before each step but the first; where it says no, the rest is left.
        environment: what the commands find in it besides.
    """
    say(STORY)
    for number, step in enumerate(steps, 1):
        if number > 1 and not goes_on():
            return 0
        where = f"({step.folder}) " if step.folder else ""
        _rename(folder / step.folder / "transfer.toml", step.renamed, say)
        say(f"\n--- {number} of {len(steps)} --- {step.why}\n\n{where}$ skarvin {' '.join(step.arguments)}\n")
        command = [sys.executable, "-m", "skarvin", *step.arguments]
        found = {**os.environ, **environment}
        done = subprocess.run(command, cwd=folder / step.folder, env=found, check=False)  # noqa: S603 - our own
        if done.returncode > _HELD:
            return done.returncode
    return 0
