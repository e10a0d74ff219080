"""The reconciliation report: one page of HTML that needs nothing else and prints on A4."""

import tempfile
from collections import Counter
from collections.abc import Callable, Sequence
from functools import cache
from itertools import chain, islice
from typing import TYPE_CHECKING, Any, NamedTuple

from jinja2 import Environment, FileSystemBytecodeCache, PackageLoader, StrictUndefined
from msgspec.structs import astuple
from platformdirs import user_cache_path

from skarvin import __version__
from skarvin.core.findings import listing
from skarvin.core.ledger.ledger import Entry, Line
from skarvin.core.ledger.outcomes import Outcome
from skarvin.core.reasons import Fate
from skarvin.core.students.differing import differing_pairs
from skarvin.core.texts.numbers import plain
from skarvin.core.transfer.carry_out import Written
from skarvin.core.transfer.settling import Settled
from skarvin.reports.check_words import lost_totals, questions_in_words, totals_in_words, unchecked_in_words
from skarvin.reports.data import Data
from skarvin.reports.mark_lists import CLOSE, MARK, OF_ITEMS, REASON, REMARKED, ROUNDED, SINCE, MarkList, Said, place_of
from skarvin.reports.masking import finalizer, identity, page_shown
from skarvin.reports.next_steps import Decision, decisions_of
from skarvin.reports.row_counts import rows_in_words
from skarvin.reports.rule_words import maxima_in_words
from skarvin.reports.since_words import since_sentence
from skarvin.reports.verdict import count_waiting

if TYPE_CHECKING:
    from skarvin.reports.figures import Figure

_MOST_LINES, _MOST_TITLES, _FEW = 500, 6, 2
_MOST_CELLS = 8_000


class Shown(NamedTuple):
    """A list of marks as it is shown: the first of its lines, how many there are, and what is said of each."""

    title: str
    said: Sequence[Said]
    lines: Sequence[Line]
    total: int

    @property
    def heads(self) -> list[str]:
        """The headings of its table; those above numbers begin with #."""
        own = (("#" if one.is_number else "") + capital(one.heading) for one in self.said)
        return ["Cell of the export", "Student", "Item", *own]

    @property
    def hidden(self) -> int:
        """How many lines are not shown."""
        return self.total - len(self.lines)

    @property
    def is_narrow(self) -> bool:
        """Whether little is said of each mark."""
        return len(self.said) <= _FEW


def page(written: Written, ledger: Data, *, is_plain: bool = False) -> str:
    """Return the report's HTML.

    Args:
        written: what was written.
        ledger: the same as data, with its time and fingerprints.
        is_plain: whether it has no figures.
    """
    settled = written.settled
    students = _students(settled)
    columns = [totals for totals in settled.totals if totals.item.target]
    return rendered(
        "report.html.j2",
        written=written,
        settled=settled,
        ledger=ledger,
        figures=[] if is_plain else _figures(settled),
        fates=list(Fate),
        Fate=Fate,
        since=since_sentence(settled),
        changed=_shown(settled, SINCE),
        decisions=[(one, _held(one)) for one in decisions_of(settled)],
        waiting=count_waiting(settled),
        held_total=settled.ledger.fates[Fate.HELD],
        lists=[_shown(settled, one) for one in (*OF_ITEMS, ROUNDED)],
        place_of=place_of,
        questions=settled.sides.column_map.questions,
        totals=list(zip(settled.made.totals, totals_in_words(settled.made.totals), strict=True)),
        unchecked=unchecked_in_words(settled),
        question_words=list(questions_in_words(settled)),
        by_row={student.row: student for student in settled.sides.source.students} if _needs_names(settled) else {},
        students=students,
        people_paired=settled.pairing.people,
        hidden_students=len(settled.ledger.entries) + len(settled.ledger.target_only) - len(students),
        columns=columns,
        summed=[
            books for books in columns if books.source.count or books.target_before.count or books.target_after.count
        ],
        left_out=_left_out(settled),
        left_out_words=_left_out_in_words(settled),
        about=" · ".join(filter(None, astuple(settled.plan.about))),
        close=_shown(settled, CLOSE),
        remarked=_shown(settled, REMARKED),
        lost=lost_totals(settled),
        differing=differing_pairs(settled.pairing.pairs),
        rows=[(count.file, rows_in_words(count)) for count in settled.rows],
    )


def _figures(settled: Settled) -> "list[Figure]":
    from skarvin.reports.figures import figures_of  # noqa: PLC0415 - a plain page has none

    return figures_of(settled)


def rendered(template: str, **values: Any) -> str:  # noqa: ANN401 - whatever a page shows
    """Return a page of one of the templates, with everybody hidden if that is asked for."""
    return page_shown(_environment().get_template(template).render(**values))


def _environment() -> Environment:
    hides = finalizer()
    return _made_for(hides) if hides else _plain_environment()


@cache
def _plain_environment() -> Environment:
    """Return what pages are made with where nobody is hidden: many pages of one process are made from one template."""
    return _made_for(None)


def _made_for(hides: Callable[[Any], Any] | None) -> Environment:
    made = Environment(
        loader=PackageLoader("skarvin.reports"),
        autoescape=True,
        undefined=StrictUndefined,
        bytecode_cache=None if hides else _compiled_templates(),  # what is compiled doesn't hide anything
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=hides,
    )
    made.globals["listed_by"] = "By code" if hides else "By family name"
    made.filters |= {
        "identity": identity,
        "plain": plain,
        "thousands": "{:,}".format,
        "maxima": maxima_in_words,
        "capital": capital,
    }
    return made


def _compiled_templates() -> FileSystemBytecodeCache | None:
    """Return where compiled templates are kept between runs (they hold no data); None if nowhere.

    Compiling the page takes longer than all the rest of a small transfer.
    """
    folder = user_cache_path("skarvin", appauthor=False) / __version__
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            return FileSystemBytecodeCache(str(folder))
    except OSError:
        return None


def _shown(settled: Settled, listed: MarkList) -> Shown:
    return Shown(listed.title, listed.said, listed.lines(settled, _MOST_LINES), listed.count(settled))


def _held(decision: Decision) -> Shown:
    """Return the held marks of one decision."""
    lines = decision.lines
    return Shown(decision.step.what, (MARK, REASON), lines[:_MOST_LINES], len(lines))


def _left_out(settled: Settled) -> dict[str, list[str]]:
    """Return the headings of the items that feed nothing, by the reason for that."""
    found: dict[str, list[str]] = {}
    for totals in settled.totals:
        if not totals.item.target:
            found.setdefault(str(totals.item.why), []).append(totals.item.source.named)
    return found


def _left_out_in_words(settled: Settled) -> str:
    """Return how many entries were left out, and why: those of items that aren't moved, and the others by reason."""
    unmoved = [totals for totals in settled.totals if not totals.item.target]
    count = sum(totals.fates[Fate.LEFT_OUT] for totals in unmoved)
    titles = listing([f"'{totals.item.source.called}'" for totals in unmoved], _MOST_TITLES)
    others: Counter[str] = Counter()
    for totals in settled.totals:
        if totals.item.target:
            others.update({why: found for (fate, why), found in totals.in_words.items() if fate is Fate.LEFT_OUT})
    parts = [f"{count:,} of items that aren't moved ({titles})"] if count else []
    parts += [f"{found:,}: {why}" for why, found in others.most_common()]
    return f"Left out: {'; '.join(parts)}." if parts else ""


def _needs_names(settled: Settled) -> bool:
    return bool(settled.made.totals or settled.made.disagreements)


def capital(text: str) -> str:
    """Return a sentence with a capital letter in front."""
    return text[:1].upper() + text[1:]


def _students(settled: Settled) -> list[tuple[Entry, list[Outcome | None]]]:
    """Return the entries to show by family name, each with its outcomes in the order of the export's columns."""
    positions = [settled.ledger.place_of(totals.item) for totals in settled.totals if totals.item.target]
    most = _MOST_CELLS // max(1, len(positions))
    shown = list(islice(chain(settled.ledger.entries, settled.ledger.target_only), most))
    shown.sort(key=lambda entry: _family_order(settled, entry))
    return [
        (entry, [outcomes[position] for position in positions])
        for entry in shown
        for outcomes in [settled.ledger.outcomes_of(entry)]
    ]


def _family_order(settled: Settled, entry: Entry) -> tuple[object, ...]:
    if entry.source:
        return settled.sides.source.family_order(entry.source)
    return settled.sides.target.family_order(entry.target) if entry.target else ()
