"""What a service answered to what was pushed: kept in the history, each answer before the next is sent."""

import json
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from sqlite3 import Connection
from typing import NamedTuple

from skarvin.core.ledger.run_history import CONFIRM, Run, insert_run, opened, read_runs, transaction

PUSH, UNDO = "push", "undo"
_TABLE = """
CREATE TABLE IF NOT EXISTS answer (
  run INTEGER NOT NULL REFERENCES run (number) ON DELETE CASCADE,
  name TEXT NOT NULL,
  state TEXT NOT NULL,
  at TEXT NOT NULL,
  why TEXT NOT NULL,
  PRIMARY KEY (run, name)
) WITHOUT ROWID
"""
_KEEP = "INSERT OR REPLACE INTO answer VALUES (?, ?, ?, ?, ?)"


class Answer(NamedTuple):
    """What became of one record: which it is, how it ended, and what the service said."""

    name: str
    state: str
    why: str = ""


class Answers:
    """The answers to what was pushed of one file, those of an earlier push that was cut off among them."""

    def __init__(self, database: Connection, run: Run, number: int | None) -> None:
        self._database, self._run, self._number = database, run, number
        query = "SELECT name, state FROM answer WHERE run = ?"
        self.states: dict[str, str] = {str(name): str(state) for name, state in database.execute(query, (number,))}
        self._counts = Counter(self.states.values())

    def note(self, answers: Sequence[Answer]) -> None:
        """Keep answers; they are on the disk when this returns. The push is in the history from its first answer on."""
        if not answers:
            return
        with transaction(self._database):
            self._number = self._number or insert_run(self._database, self._run)
            for one in answers:
                self._database.execute(_KEEP, (self._number, one.name, one.state, self._run.at, one.why))
                self._counts[self.states.get(one.name, "")] -= 1
                self._counts[one.state] += 1
                self.states[one.name] = one.state
            counts = json.dumps({state: count for state, count in self._counts.items() if state and count > 0})
            self._database.execute("UPDATE run SET counts = ? WHERE number = ?", (counts, self._number))


def confirmation_of(runs: Sequence[Run], ledger: str) -> Run | None:
    """Return the last confirmation of a write; none if all of it was taken back since."""
    for run in reversed([run for run in runs if run.ledger == ledger]):
        if run.kind == CONFIRM:
            return run
        if run.kind == UNDO and not any(state.startswith("held") for state in run.counts):
            return None
    return None


@contextmanager
def answering(history: Path, run: Run) -> Iterator[Answers]:
    """Keep the answers to a push; the one before it goes on, if it was of the same file.

    Args:
        history: the history, which is begun where there is none.
        run: the push: what was sent is its file.

    Raises:
        Refused: the history is damaged, or can't be written.
    """
    before = [one for one in read_runs(history, run.transfer) if one.ledger == run.ledger and one.kind in {PUSH, UNDO}]
    goes_on = bool(before) and (before[-1].kind, before[-1].files) == (run.kind, run.files)
    with opened(history, make=True) as database:
        database.execute("PRAGMA journal_mode = TRUNCATE")  # an answer costs no file that is made and taken away
        database.execute(_TABLE)
        yield Answers(database, run, before[-1].number if goes_on else None)
        database.execute("PRAGMA journal_mode = DELETE")
