"""Sends the records of a bundle one by one; what was answered is kept before the next is sent.

A record has its sourcedId beforehand: sent once more, where it isn't known whether it arrived, it is the same one.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal, InvalidOperation
from enum import StrEnum
from typing import NamedTuple

from skarvin.core.progress import report_progress
from skarvin.services.connection import Declined
from skarvin.services.speaking import Speaker

_COMPARED = ("scoreStatus", "textScore", "comment")


class State(StrEnum):
    """What became of a record."""

    SENT = "sent"
    THERE = "there already"
    CHANGED = "held: changed there meanwhile"
    DECLINED = "held: the service said no"


class Sending(NamedTuple):
    """A record to be sent.

    Attributes:
        kind: lineItem or result.
        row: where it stands in its file, from 0.
        record: it.
        known: as the service had it when the form was read; None if it wasn't there.
    """

    kind: str
    row: int
    record: Mapping[str, str]
    known: Mapping[str, str] | None

    @property
    def name(self) -> str:
        """What it is called among the answers that are kept."""
        return f"{self.kind}/{self.record['sourcedId']}"


class Told(NamedTuple):
    """What became of one, and what the service said."""

    sending: Sending
    state: State
    why: str = ""


def is_same(first: Mapping[str, str] | None, second: Mapping[str, str] | None) -> bool:
    """Tell whether two records say one result: the score as a number, and what stands beside it."""
    if first is None or second is None:
        return first is second
    return all(first.get(name, "") == second.get(name, "") for name in _COMPARED) and _number(first) == _number(second)


def _number(record: Mapping[str, str]) -> Decimal | str | None:
    text = record.get("score", "").strip()
    try:
        return Decimal(text) if text else None
    except InvalidOperation:
        return text


def of_whom(record: Mapping[str, str]) -> tuple[str, str]:
    """Return the item and the student of a result: whatever it is called, there can't be another of both."""
    return record.get("lineItemSourcedId", ""), record.get("studentSourcedId", "")


def already(sending: Sending, now: Mapping[tuple[str, str], Mapping[str, str]]) -> Told | None:
    """Return what became of a record before it is sent: it is there already, or the service has another meanwhile."""
    if sending.kind != "result":
        return None
    there, is_to_go = now.get(of_whom(sending.record)), sending.record.get("status") == "tobedeleted"
    wanted = None if is_to_go else sending.record
    if is_same(there, wanted):
        return Told(sending, State.THERE)
    if not is_same(there, sending.known):
        return Told(sending, State.CHANGED, "the service has another result meanwhile")
    return None


def push(service: Speaker, sendings: Sequence[Sending], keep: Callable[[Told], None]) -> Iterator[Told]:
    """Send records, and yield what became of each; it is kept before the next is sent.

    Raises:
        Refused: the service can't be reached; what was sent is kept.
    """
    for count, one in enumerate(sendings, 1):
        report_progress(f"sending {count:,} of {len(sendings):,}")
        try:
            service.send(one.kind, one.record)
        except Declined as error:
            told = Told(one, State.DECLINED, f"{error.status}: {error.why}")
        else:
            told = Told(one, State.SENT)
        keep(told)
        yield told
