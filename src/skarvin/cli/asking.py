"""Asks a person what is open in a transfer, one question at a time, and writes each answer down at once."""

from collections.abc import Mapping, Sequence
from pathlib import Path

from skarvin.cli.clock import day
from skarvin.cli.output import heading
from skarvin.cli.table import wrap
from skarvin.cli.terminal import agree, ask, echo
from skarvin.core.findings import counted
from skarvin.core.grid.save import Delivery
from skarvin.core.plan.open_points import Choice, Kind, Question, open_questions, read_answer, with_answer

_HINTS = {
    Kind.COLUMN: "a number, or a column's heading or letter",
    Kind.SHEET: "a number, or a column's heading or letter",
    Kind.ITEM: "a number, or a column's heading or letter",
    Kind.MAXIMUM: "same, or the maximum",
    Kind.MARK: "the mark",
    Kind.STATUS: "a number, or the code that is sent",
    Kind.WORD: "a number, or the target's word",
}
_NOBODY: Mapping[str, Sequence[tuple[str, str]]] = {}


def ask_open(transfer: Path, candidates: Mapping[str, Sequence[tuple[str, str]]] = _NOBODY) -> bool:
    """Offer to go through what is open; return whether nothing is open any more.

    Args:
        transfer: the transfer, into which each answer is written at once.
        candidates: for items, the columns that they may go to, where these are known.
    """
    questions = open_questions(transfer, candidates)
    if not questions:
        return True
    points = counted(len(questions), "question")
    if not agree(f"\nAnswer {points} now? Each answer is kept at once", default=True):
        return False
    asked: set[str] = set()
    while left := [question for question in open_questions(transfer, candidates) if question.asks not in asked]:
        question = left[0]
        asked.add(question.asks)
        echo(f"\n{heading(f'{len(asked)} of {len(questions)}')}\n{wrap(question.asks, indent=2)}")
        for number, choice in enumerate(question.choices, 1):
            label = "" if question.kind is Kind.MAXIMUM else f"{number}. "
            echo(wrap(f"{label}{_choice(choice)}", indent=4))
        answer = _answer(question)
        if answer is None:
            echo("Stopped; what you answered is kept.")
            return False
        if answer:
            _keep(transfer, question, answer)
    return not open_questions(transfer, candidates)


def _choice(choice: Choice) -> str:
    shown = choice.answer if choice.answer not in {'""', "false"} else ""
    return ": ".join(filter(None, [shown, choice.words]))


def _answer(question: Question) -> str | None:
    """Return the answer; nothing for later, None to stop."""
    while True:
        said = ask(f"  {_HINTS[question.kind]}; later, stop", default="later", show_default=False).strip()
        if said in {"later", "stop"}:
            return "" if said == "later" else None
        answer = read_answer(question, said)
        if answer is not None:
            return answer
        echo("  That can't be meant here: choose one of the above, or say later.")


def _keep(transfer: Path, question: Question, answer: str) -> None:
    today = day()
    data = transfer.read_bytes()
    mark = b"\xef\xbb\xbf" if data.startswith(b"\xef\xbb\xbf") else b""
    text = with_answer(data.decode("utf-8-sig"), question, answer, today)
    with Delivery(replace=True, inputs=[]) as delivery:
        delivery.stage(transfer, [mark, text.encode()])
        delivery.commit()
