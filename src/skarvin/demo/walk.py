"""Lays the demo data out and walks through the whole job, each command before its output."""

import subprocess
import sys
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path
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
WATCH = ("watch/transfer.toml", "watch/watch-screen.txt")
MARKED = "essays/marked"
_HELD = 1

STORY = """\
The Tidewrack School of Boatbuilding marks its apprentices on the workshop's
learning site and owes the marks to the registry. Two files came out of the
two systems: what the workshop exported, and the registry's blank form."""


class Step(NamedTuple):
    """One step of the walk: why, the command, and the folder in which it is run."""

    why: str
    arguments: tuple[str, ...]
    folder: str = ""


STEPS = (
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
)


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
    for names in ((EXPORT, TEMPLATE, *OTHERS), FINAL, QUIZ, HARBOUR, INSURER, ESSAYS, WATCH, marked):
        with Delivery(replace=False, inputs=[]) as delivery:
            for name in names:
                (folder / name).parent.mkdir(exist_ok=True)
                delivery.stage(folder / name, [(data / name).read_bytes()])
            delivery.commit()


def walk(folder: Path, say: Callable[[str], None]) -> int:
    """Run each step in the folder and return the exit code: that of a step that failed, or 0."""
    say(STORY)
    for number, step in enumerate(STEPS, 1):
        where = f"({step.folder}) " if step.folder else ""
        say(f"\n--- {number} of {len(STEPS)} --- {step.why}\n\n{where}$ skarvin {' '.join(step.arguments)}\n")
        command = [sys.executable, "-m", "skarvin", *step.arguments]
        done = subprocess.run(command, cwd=folder / step.folder, check=False)  # noqa: S603 - our own
        if done.returncode > _HELD:
            return done.returncode
    return 0
