"""Where it stands what was sent last, and what the target says now: ledgers, files, the history, a fresh export."""

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from functools import partial
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from skarvin.core.findings import Finding, Row, Unreadable, row_position
from skarvin.core.gradebook import understand
from skarvin.core.grid.read import read_grid
from skarvin.core.ledger.arrival import ItemComparison
from skarvin.core.ledger.fates import Since
from skarvin.core.ledger.outcomes import is_same
from skarvin.core.ledger.run_history import CONFIRM, WRITE, ItemKey, Kept, Run, history_file, read_marks, read_runs
from skarvin.core.ledger.since import Known, SinceRule
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.naming import Names
from skarvin.core.progress import report_progress
from skarvin.core.students.meant import same_people
from skarvin.core.texts.mark_grammar import is_no_mark, read_mark
from skarvin.core.texts.numbers import Rounding, plain, round_to
from skarvin.core.transfer.after_upload.called_otherwise import renamed, renumbered
from skarvin.core.transfer.after_upload.kept_runs import NOT_SEEN, item_key, student_key
from skarvin.core.transfer.after_upload.since_known import Asked, Convert, SinceFound, Texts
from skarvin.core.transfer.sides import side_layout

if TYPE_CHECKING:
    from skarvin.core.ledger.filed import Filed

_SENT = frozenset({"sent", "changed"})
_MOST = 6


class Now(NamedTuple):
    """What the target says now, and for columns of a fresh export what compares its marks with the form's."""

    texts: Texts = MappingProxyType({})
    comparisons: Mapping[int, ItemComparison] = MappingProxyType({})


def find_known(asked: Asked, convert: Convert) -> SinceFound:
    """Return what was sent last and what the target says now, by what the transfer names, or by its history.

    Raises:
        Unreadable: a file that the transfer names can't be read or understood.
        Refused: the history can't be read, or hardly a student of the form is in the export of the target.
    """
    plan = asked.plan.since
    rule = SinceRule(plan.corrected_in_target, plan.changed_on_both_sides, plan.send)
    now = _target_now(asked) if plan.target_now else None
    if plan.sent:
        ((key, name),) = plan.sent.items()
        report_progress(f"reading {Path(name).name}")
        readers = {"sent_ledger": _by_ledger, "sent_file": _by_file}
        last = readers[key](asked, name) if key in readers else convert(name)
        if now is None and _is_blank(asked):
            now = Now(last)  # nothing says otherwise
        is_old = key == "sent_ledger" and _is_form_of(asked, name)
        return SinceFound(
            Since(_cells(asked, last, now or Now(), is_old=is_old), rule), Path(name).name, _count_note(last, name)
        )
    found = SinceFound() if plan.ignore_history else _by_history(asked, now)
    cells = found.since.cells or _cells(asked, {}, now or Now())
    return found._replace(since=Since(cells, rule))


def _cells(asked: Asked, last: Texts, now: Now, *, is_old: bool = False) -> dict[Row, dict[int, Known]]:
    """Return what is known of each cell; nothing of those of which the form says all.

    Where the form is the one that was filled before, it is old: a mark that replaced one of its own isn't in it.
    """
    found: dict[Row, dict[int, Known]] = {}
    met: dict[tuple[int, str, str, str | None], Known | None] = {}
    for student in asked.students:
        sent, there = last.get(student.row, {}), now.texts.get(student.row, {})
        mine: dict[int, Known] = {}
        for (column, rule), form in zip(asked.fed, asked.cells(student), strict=True) if sent or there else ():
            at = column.index
            meeting = (at, form, sent.get(at, ""), there.get(at))
            if meeting not in met:
                met[meeting] = _known(meeting[1:], rule, now.comparisons.get(at), is_old=is_old)
            if one := met[meeting]:
                mine[at] = one
        if mine:
            found[student.row] = mine
    return found


def _known(
    met: tuple[str, str, str | None], rule: Rule, comparison: ItemComparison | None, *, is_old: bool
) -> Known | None:
    """Return what is known of a cell by what the form says, what was sent, and what the target says now."""
    form, text, there = met
    known = _there((form, text), there, rule, comparison)
    is_stale = is_old and there is None and not is_no_mark(form) and not _is_one(form, text, rule)
    return Known(text, known, is_stale=bool(text) and is_stale) if text or known is not None else None


def _there(known: tuple[str, str], now: str | None, rule: Rule, comparison: ItemComparison | None) -> str | None:
    """Return what the target says now, in the form's own way of writing; None where the form says it.

    Args:
        known: what the form's cell says, and what was sent.
        now: what the target says now; None where that isn't known.
        rule: the item's rule.
        comparison: what compares marks of the fresh export; None where they are written as the form's are.
    """
    form = known[0]
    if now is None:
        return None
    if is_no_mark(now):
        return None if is_no_mark(form) else ""
    for text in known:
        if text and (comparison.is_same(text, now) if comparison else _is_one(text, now, rule)):
            return None if text == form else text
    return _in_form(now, rule, comparison.scale if comparison else None)


def _is_one(known: str, now: str, rule: Rule) -> bool:
    if is_same(known, now, rule) or known.strip().casefold() == now.strip().casefold():
        return True
    one, other = rule.target_number(known), rule.target_number(_in_form(now, rule))
    return one is not None and one == other


def _in_form(now: str, rule: Rule, scale: Fraction | None = None) -> str:
    """Return a mark of the target as the form writes it: with its decimal sign, out of its maximum."""
    if scale is None and rule.target_number(now) is not None:
        return now.strip()
    mark = read_mark(now) or read_mark(now, is_comma=True)
    if mark is None:
        return now.strip()
    text = plain(mark.number if scale is None else round_to(Fraction(mark.number) * scale, 4, Rounding.HALF_UP))
    return text if rule.target_number(text) is not None else text.replace(".", ",")


def _target_now(asked: Asked) -> Now:
    """Return what a fresh export of the target says."""
    from skarvin.core.plan.drafting.wishes import Wishes  # noqa: PLC0415 - most transfers have no such file
    from skarvin.core.transfer.after_upload.expected import expected_of_form  # noqa: PLC0415
    from skarvin.core.transfer.after_upload.fresh import read_fresh  # noqa: PLC0415

    plan, sides = asked.plan, asked.sides
    columns = list({column.index: (column, rule) for column, rule in asked.fed}.values())
    known = expected_of_form(sides.target, [one for one, _ in columns], [rule.maxima[1] for _, rule in columns])
    wishes = Wishes(folders=sides.folders, pair=plan.since.target_now_pair, items=plan.since.target_now_items)
    least = plan.students.minimum_paired_percent
    fresh = read_fresh(known, asked.file.parent / plan.since.target_now, wishes, least)
    places = {one.item.column: one.column for one in fresh.items if one.column}
    shown = [(column.index, places[column.letter]) for column, _ in columns if column.letter in places]
    students = asked.students
    texts = {
        students[pair.target.row.distance(known.grid.row(1))].row: {
            index: fresh.book.text(pair.source.row, there.index) for index, there in shown
        }
        for pair in fresh.pairing.pairs
    }
    maxima = {column.index: rule.maxima[1] or column.out_of for column, rule in columns}
    comparisons = {
        index: ItemComparison({}, Counter(cells[index] for cells in texts.values()), (maxima[index], there.out_of))
        for index, there in shown
    }
    return Now(texts, comparisons)


def _by_ledger(asked: Asked, name: str) -> Texts:
    """Return what a ledger says was sent."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - most transfers name none

    filed = read_filed(asked.file.parent / name)
    return _by_keys(asked, _told_by(filed), lambda: filed)


def _told_by(filed: "Filed") -> dict[str, dict[ItemKey, str]]:
    """Return what a ledger says was sent, by identifier and heading."""
    sent = filed.sent_last()
    headings = {item.index: item_key(item) for item in filed.items}
    return {
        student_key(one): {headings[at]: text for at, text in sent.get(row_position(one.row), {}).items()}
        for one in filed.students
    }


def _is_form_of(asked: Asked, name: str) -> bool:
    """Tell whether a ledger's write filled this form."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - most transfers name none

    return asked.is_form(read_filed(asked.file.parent / name).files["template"].sha256)


def _by_keys(
    asked: Asked, sent: Mapping[str, Mapping[ItemKey, str]], ledger: "Callable[[], Filed | None]" = lambda: None
) -> Texts:
    """Return texts that are known by identifier and heading, by the form's rows and columns.

    A student who has another identifier now is known by the name, if the `ledger` of that write is there to tell it; an
    item that is called otherwise now, by its column, if most of what was sent there stands there.
    """
    same = same_people(map(student_key, asked.students), sent)
    same = {**same, **renumbered(asked.students, sent, same, ledger)}
    called = renamed(asked, sent, same)
    found: dict[Row, dict[int, str]] = {}
    keys = [(column.index, called.get(key := item_key(column), key)) for column, _ in asked.fed]
    for student in asked.students:
        texts = sent.get(same.get(student_key(student), ""), {})
        by_heading = {key.heading: text for key, text in texts.items()}
        is_plain = len(by_heading) == len(texts)
        told = ((at, by_heading.get(key.heading, "") if is_plain else texts.get(key, "")) for at, key in keys)
        if there := {at: text for at, text in told if text}:
            found[student.row] = there
    return found


def _by_file(asked: Asked, name: str) -> Texts:
    """Return what an import file of earlier sent."""
    plan, path = asked.plan, asked.file.parent / name
    grid = read_grid(path, plan.target.read_as)
    layout, _ = side_layout(grid, plan.target, tuple(column.heading for column, _ in asked.fed), asked.sides.folders)
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    names = Names(asked.file, asked.text)
    identifier = names.identifier(layout, plan.target.identifier, "target")
    if names.findings:
        raise Unreadable(*names.findings)
    book = understand(grid, layout, identifier, [])
    columns = {item_key(column): column.index for column in layout.columns}
    sent = {
        student_key(student): {
            key: text for key, at in columns.items() if not is_no_mark(text := book.text(student.row, at).strip())
        }
        for student in book.students
    }
    return _by_keys(asked, sent)


def _count_note(last: Texts, name: str) -> tuple[Finding, ...]:
    count = sum(map(len, last.values()))
    if count:
        return ()
    what = f"nothing that {Path(name).name} sent is in an item of the form for one of its students"
    return (Finding("nothing-sent-before", what, None, "Is it the right file?"),)


def _by_history(asked: Asked, now: Now | None) -> SinceFound:
    """Return what the history says: the last write that was uploaded, for all that can be told."""
    file = history_file(asked.file.parent)
    runs = read_runs(file, asked.file.name)
    for run in reversed([one for one in runs if one.kind == WRITE]):
        confirmed = next((one for one in reversed(runs) if one.kind == CONFIRM and one.ledger == run.ledger), None)
        if confirmed is None and now is None and asked.is_form(run.files.get("template", "")):
            continue  # nothing says that it was uploaded
        marks = read_marks(file, run)
        ledger = partial(_ledger_of, asked, run)
        last = _by_keys(asked, {who: _texts(run, kept) for who, kept in marks.items()}, ledger)
        snapshot = Now(_seen(asked, confirmed, read_marks(file, confirmed))) if confirmed else None
        seen = snapshot if now is None and _form_says_nothing(asked, run) else now
        if _arrived(asked, run, marks, seen) or (snapshot and _arrived(asked, run, marks, snapshot)):
            origin = f"the write of {run.at[:16].replace('T', ' ')}"
            is_old = asked.is_form(run.files.get("template", ""))
            return SinceFound(Since(_cells(asked, last, seen or Now(), is_old=is_old)), origin)
    writes = [run for run in runs if run.kind == WRITE and any(run.counts.get(fate) for fate in _SENT)]
    return SinceFound(notes=_not_uploaded(writes)) if writes else _without_history(asked, now)


def _ledger_of(asked: Asked, run: Run) -> "Filed | None":
    """Return the ledger of a write, if it still lies where it was written."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - hardly anybody's identifier changes

    file = history_file(asked.file.parent).parent / run.proof
    try:
        filed = read_filed(file)
    except (Unreadable, OSError):
        return None
    return filed if filed.digest == run.ledger else None


def _without_history(asked: Asked, now: Now | None) -> SinceFound:
    """Return what the ledger beside a form says, where the history of the transfer is lost, or was never kept."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - few histories are lost

    form = asked.sides.form.grid.file
    file = form.with_name("ledger.json")
    try:
        filed = read_filed(file) if file.exists() else None
        told = {} if filed is None else _told_by(filed)
    except (Unreadable, OSError):
        return SinceFound()
    is_own = filed is not None and filed.form == form.name and "transfer" in filed.files
    if not filed or not is_own or filed.files["transfer"].name != asked.file.name:
        return SinceFound()
    is_old = asked.is_form(filed.files["template"].sha256)
    last = _by_keys(asked, told, lambda: filed)
    known = zip(asked.students, map(asked.cells, asked.students), strict=True)
    fed = [column.index for column, _ in asked.fed]
    has_arrived = any(
        not is_no_mark(text) and _is_one(last.get(student.row, {}).get(at, ""), text, rule)
        for student, cells in known
        for at, text, (_, rule) in zip(fed, cells, asked.fed, strict=True)
        if last.get(student.row, {}).get(at)
    )
    if is_old or not has_arrived:
        return SinceFound()
    origin = f"the ledger of {filed.when[:16].replace('T', ' ')}, since the history has no write"
    return SinceFound(Since(_cells(asked, last, now or Now())), origin)


def _texts(run: Run, kept: Sequence[Kept]) -> dict[ItemKey, str]:
    return {key: one.text for key, one in zip(run.items, kept, strict=True) if one.text}


def _form_says_nothing(asked: Asked, run: Run) -> bool:
    """Tell whether the form says nothing of what the target has become since: it is the same, or blank."""
    return asked.is_form(run.files.get("template", "")) or _is_blank(asked)


def _is_blank(asked: Asked) -> bool:
    return all(is_no_mark(text) for student in asked.students for text in asked.cells(student))


def _seen(asked: Asked, run: Run, marks: Mapping[str, Sequence[Kept]]) -> Texts:
    """Return what a confirmation saw in the target; a cell that was blank there is blank."""
    by_key = {
        who: {key: one.text or "-" for key, one in zip(run.items, kept, strict=True) if one.fate != NOT_SEEN}
        for who, kept in marks.items()
    }
    return _by_keys(asked, by_key)


def _arrived(asked: Asked, run: Run, marks: Mapping[str, Sequence[Kept]], now: Now | None) -> int:
    """Return how many marks that a write sent the target has now, by its fresh export or by the form."""
    if now is None and asked.is_form(run.files.get("template", "")):
        return 0
    sent = _by_keys(
        asked,
        {
            who: {key: one.text for key, one in zip(run.items, kept, strict=True) if one.fate in _SENT}
            for who, kept in marks.items()
        },
    )
    count = 0
    is_there: dict[tuple[int, str, str], bool] = {}
    for student in asked.students:
        texts = sent.get(student.row, {})
        there = None if now is None else now.texts.get(student.row, {})
        for (column, rule), form in zip(asked.fed, asked.cells(student), strict=True) if texts else ():
            at = column.index
            met = (at, texts.get(at, ""), form if there is None else there.get(at, ""))
            if met not in is_there:
                comparison = now.comparisons.get(at) if now else None
                is_one = comparison.is_same if comparison else partial(_is_one, rule=rule)
                is_there[met] = bool(met[1]) and not is_no_mark(met[2]) and is_one(met[1], met[2])
            count += is_there[met]
    return count


def _not_uploaded(writes: Sequence[Run]) -> tuple[Finding, ...]:
    """Return that what was written before doesn't count, since nothing says that it was uploaded."""
    at = writes[-1].at[:16].replace("T", " ")
    what = f"the write of {at} isn't confirmed, so that all is sent as if it hadn't been"
    mend = "If it was uploaded: skarvin confirm FRESH_EXPORT, or take a fresh export of the target as the form."
    return (Finding("not-confirmed", what, None, mend),)
