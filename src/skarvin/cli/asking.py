"""Asks a person what is open in a transfer, one question at a time, and writes each answer down at once."""

from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from skarvin.cli.clock import day
from skarvin.cli.dialogue import ALL, BACK, SHOW, STOP, Said, hear
from skarvin.cli.output import heading
from skarvin.cli.table import wrap
from skarvin.cli.terminal import agree, echo
from skarvin.core.findings import counted
from skarvin.core.grid.save import Delivery
from skarvin.core.plan.open_points import Choice, Kind, Question, open_questions, read_answer, with_answer

_FREE = {
    Kind.COLUMN: "HEADING",
    Kind.SHEET: "HEADING",
    Kind.ITEM: "HEADING",
    Kind.MAXIMUM: "MAXIMUM",
    Kind.MARK: "MARK",
    Kind.STATUS: "CODE",
    Kind.WORD: "WORD",
}
_NOBODY: Mapping[str, Sequence[tuple[str, str]]] = {}
_FOR_ALL = frozenset({Kind.STATUS, Kind.WORD})
"""Kinds of questions to which one answer may be given for all."""
_ROWS = 8


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
    trail: list[tuple[str, bytes]] = []
    while left := _left(transfer, candidates, {asks for asks, _ in trail}):
        question = left[0]
        echo(f"\n{heading(f'{len(trail) + 1} of {len(questions)}')}  {wrap(question.asks, 2).lstrip()}")
        for number, choice in enumerate(question.choices, 1):
            echo(wrap(f"{number}  {_choice(choice)}", 4))
        alike = [one for one in left if one.kind is question.kind] if question.kind in _FOR_ALL else []
        said = _answer(question, can_go_back=bool(trail), has_alike=len(alike) > 1)
        if said.command == STOP:
            echo("Stopped; what you answered is kept.")
            return False
        if said.command == BACK:
            _write(transfer, trail.pop()[1])
            continue
        answer = _meant(question, said)
        for one in alike if said.for_all else [question]:
            trail.append((one.asks, transfer.read_bytes()))
            if answer is not None:
                _keep(transfer, _now(transfer, candidates, one), answer)
    return not open_questions(transfer, candidates)


def _left(transfer: Path, candidates: Mapping[str, Sequence[tuple[str, str]]], asked: set[str]) -> list[Question]:
    return [question for question in open_questions(transfer, candidates) if question.asks not in asked]


def _now(transfer: Path, candidates: Mapping[str, Sequence[tuple[str, str]]], question: Question) -> Question:
    """Return a question with the line at which it stands now: an answer may have changed how many there are."""
    return next(one for one in open_questions(transfer, candidates) if one.asks == question.asks)


def _choice(choice: Choice) -> str:
    shown = choice.answer if choice.answer not in {'""', "false"} else ""
    return ": ".join(filter(None, [shown, choice.words]))


def _answer(question: Question, *, can_go_back: bool, has_alike: bool) -> Said:
    """Return what is said, once it can be an answer."""
    commands = {SHOW, *([BACK] if can_go_back else []), *([ALL] if has_alike else [])}
    while True:
        said = hear(len(question.choices), _FREE[question.kind], commands)
        if said.command == SHOW:
            _show(question.rows())
        elif said.command or _meant(question, said) is not None:
            return said
        else:
            echo("  That can't be meant here.")


def _meant(question: Question, said: Said) -> str | None:
    """Return an answer as it stands in a transfer; None if it can't be meant."""
    if said.command:
        return None
    if said.choice:
        chosen = question.choices[said.choice - 1].answer
        return read_answer(question, chosen) if question.kind is Kind.MAXIMUM else chosen
    return read_answer(question, said.text or "")


def _show(rows: Iterable[str]) -> None:
    shown = [row for row, _ in zip(rows, range(_ROWS), strict=False)]
    for row in shown or ["Nothing in the files is about this."]:
        echo(wrap(row, 4))


def _keep(transfer: Path, question: Question, answer: str) -> None:
    data = transfer.read_bytes()
    mark = b"\xef\xbb\xbf" if data.startswith(b"\xef\xbb\xbf") else b""
    _write(transfer, mark + with_answer(data.decode("utf-8-sig"), question, answer, day()).encode())
    known = [choice for choice in question.choices if choice.answer == answer]
    echo(wrap(f"-> {_choice(known[0] if known else Choice(answer))}", 2))


def _write(transfer: Path, data: bytes) -> None:
    with Delivery(replace=True, inputs=[]) as delivery:
        delivery.stage(transfer, [data])
        delivery.commit()
