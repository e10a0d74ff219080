"""Sends the records of a bundle one by one; what was answered is kept before the next is sent.

A record has its sourcedId beforehand: sent once more, where it isn't known whether it arrived, it is the same one.
"""

import json
import os
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal, InvalidOperation
from enum import StrEnum
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.progress import report_progress
from skarvin.services.connection import Declined
from skarvin.services.speaking import Speaker

_COMPARED = ("scoreStatus", "textScore", "comment")
_DONE = frozenset({"sent", "there"})


class State(StrEnum):
    """What became of a record."""

    SENT = "sent"
    THERE = "there"
    CHANGED = "changed"
    DECLINED = "declined"


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
        """What it is called in the journal."""
        return f"{self.kind}/{self.record['sourcedId']}"


class Told(NamedTuple):
    """What became of one, and what the service said."""

    sending: Sending
    state: State
    why: str = ""


class Journal:
    """The answers to what was sent of one bundle, a line each, appended as they come; readable by its owner alone.

    Args:
        file: where it lies.
        digest: the SHA-256 of the bundle: of another one nothing was sent yet.
    """

    def __init__(self, file: Path, digest: str) -> None:
        self._file, self._digest = file, digest
        self.done = frozenset(self._read())

    def _read(self) -> Iterator[str]:
        try:
            lines = self._file.read_text(encoding="utf-8").splitlines()
        except FileNotFoundError:
            return
        except (OSError, UnicodeDecodeError) as error:
            raise Refused(Finding("journal", f"this can't be read: {error}", Place(self._file))) from None
        for line in lines:
            try:
                said = json.loads(line)
            except ValueError:
                continue  # a line that was cut off says nothing
            if isinstance(said, dict) and said.get("of") == self._digest and said.get("state") in _DONE:
                yield str(said.get("name"))

    def note(self, told: Told, when: str) -> None:
        """Keep an answer; it is on the disk when this returns."""
        said = {"of": self._digest, "name": told.sending.name, "state": told.state.value, "when": when}
        line = "\n" + json.dumps(said | ({"why": told.why} if told.why else {}))  # the one before may be cut off
        try:
            handle = os.open(self._file, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o600)
            with os.fdopen(handle, "ab", buffering=0) as file:
                file.write(line.encode())
                os.fsync(handle)
        except OSError as error:
            what, mend = f"an answer can't be kept: {error.strerror}", "Make room, and run the same command again."
            raise Refused(Finding("journal", what, Place(self._file), mend)) from None


def is_same(one: Mapping[str, str] | None, other: Mapping[str, str] | None) -> bool:
    """Tell whether two records say one result: the score as a number, and what stands beside it."""
    if one is None or other is None:
        return one is other
    return all(one.get(name, "") == other.get(name, "") for name in _COMPARED) and _number(one) == _number(other)


def _number(record: Mapping[str, str]) -> Decimal | str | None:
    text = record.get("score", "").strip()
    try:
        return Decimal(text) if text else None
    except InvalidOperation:
        return text


def of_whom(record: Mapping[str, str]) -> tuple[str, str]:
    """Return the item and the student of a result: whatever it is called, there can't be another of both."""
    return record.get("lineItemSourcedId", ""), record.get("studentSourcedId", "")


def already(one: Sending, now: Mapping[tuple[str, str], Mapping[str, str]]) -> Told | None:
    """Return what became of a record before it is sent: it is there already, or the service has another meanwhile."""
    if one.kind != "result":
        return None
    there, is_to_go = now.get(of_whom(one.record)), one.record.get("status") == "tobedeleted"
    wanted = None if is_to_go else one.record
    if is_same(there, wanted):
        return Told(one, State.THERE)
    if not is_same(there, one.known):
        return Told(one, State.CHANGED, "the service has another result meanwhile")
    return None


def push(service: Speaker, sendings: Sequence[Sending], journal: Journal, when: str) -> Iterator[Told]:
    """Send records, and yield what became of each; it is in the journal then.

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
        journal.note(told, when)
        yield told
