"""Where it stands what was sent last, and what the target says now: ledgers, files, the history, a fresh export."""

from array import array
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from fractions import Fraction
from functools import partial
from itertools import groupby
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from msgspec import structs

from skarvin.core.findings import Finding, Unreadable, row_position
from skarvin.core.gradebook import understand
from skarvin.core.grid.coding import Coding
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.columns import Column
from skarvin.core.ledger.answers import confirmation_of
from skarvin.core.ledger.arrival import ItemComparison
from skarvin.core.ledger.codes import CodeTable, meet_each
from skarvin.core.ledger.fates import Since
from skarvin.core.ledger.outcomes import is_same
from skarvin.core.ledger.run_history import WRITE, ItemKey, Run, history_file, read_codes, read_runs
from skarvin.core.ledger.since import Known, KnownCells, SinceRule
from skarvin.core.marks.rule import Rule
from skarvin.core.plan.naming import Names
from skarvin.core.progress import report_progress
from skarvin.core.students.meant import same_people
from skarvin.core.texts.mark_grammar import is_no_mark, read_mark
from skarvin.core.texts.numbers import Rounding, plain, round_to
from skarvin.core.transfer.after_upload.called_otherwise import renamed, renumbered
from skarvin.core.transfer.after_upload.kept_runs import NOT_SEEN, item_key, student_keys
from skarvin.core.transfer.after_upload.since_known import Asked, Convert, KeptMarks, SinceFound, Told
from skarvin.core.transfer.sides import side_layout

if TYPE_CHECKING:
    from skarvin.core.ledger.filed import Filed

_SENT = frozenset({"sent", "changed"})
_MOST = 6


class Now(NamedTuple):
    """What the target says now, and for columns of a fresh export what compares its marks with the form's."""

    told: Told | None = None
    comparisons: Mapping[int, ItemComparison] = MappingProxyType({})


def find_known(asked: Asked, convert: Convert) -> SinceFound:
    """Return what was sent last and what the target says now, by what the transfer names, or by its history.

    Raises:
        Unreadable: a file that the transfer names can't be read or understood.
        Refused: the history can't be read, or hardly a student of the form is in the export of the target.
    """
    asked = structs.replace(asked)  # what it looks up stays no longer than this
    plan = asked.plan.since
    rule = SinceRule(plan.corrected_in_target, plan.changed_on_both_sides, plan.send)
    now = _target_now(asked) if plan.target_now else None
    if plan.sent:
        ((key, name),) = plan.sent.items()
        report_progress(f"reading {Path(name).name}")
        readers = {"sent_ledger": _by_ledger, "sent_file": _by_file}
        last = readers[key](asked, name) if key in readers else asked.told(convert(name))
        if now is None and _is_blank(asked):
            now = Now(last)  # nothing says otherwise
        is_old = key == "sent_ledger" and _is_form_of(asked, name)
        return SinceFound(
            Since(_cells(asked, last, now or Now(), is_old=is_old), rule), Path(name).name, _count_note(last, name)
        )
    found = SinceFound() if plan.ignore_history else _by_history(asked, now)
    cells = found.since.cells or (_cells(asked, None, now) if now else None)
    return found._replace(since=Since(cells, rule))


def _cells(asked: Asked, last: Told | None, now: Now, *, is_old: bool = False) -> KnownCells | None:
    """Return what is known of each cell; nothing of those of which the form says all.

    Where the form is the one that was filled before, it is old: a mark that replaced one of its own isn't in it.
    """
    form = asked.form
    nothing = Told(CodeTable(array("H", [0]) * len(form.codes.codes), form.codes.width), [None])
    sent, there = last or nothing, now.told or nothing
    found: dict[Known | None, int] = {None: 0}

    def meeting(column: Column, rule: Rule) -> Callable[[tuple[int, ...]], int]:
        comparison = now.comparisons.get(column.index)

        def meet(codes: tuple[int, ...]) -> int:
            met = (form.texts[codes[2]] or "", sent.texts[codes[0]] or "", there.texts[codes[1]])
            return found.setdefault(_known(met, rule, comparison, is_old=is_old), len(found))

        return meet

    def ruled(place: int) -> tuple[Rule, int]:
        column, rule = asked.fed[place]
        return rule, id(now.comparisons.get(column.index))

    alike = [list(same) for _, same in groupby(range(len(asked.fed)), key=ruled)]
    runs = [(range(same[0], same[-1] + 1), meeting(*asked.fed[same[0]])) for same in alike]
    codes = meet_each([sent.codes, there.codes, form.codes], runs)
    rows = {student.row: place for place, student in enumerate(asked.students)}
    columns = {column.index: place for place, (column, _) in enumerate(asked.fed)}
    return KnownCells(tuple(found), codes, rows, columns) if len(found) > 1 else None


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
    shown = [(place, places[column.letter]) for place, (column, _) in enumerate(asked.fed) if column.letter in places]
    coding, book = Coding(), fresh.book
    nothing = coding.code_for(None)
    codes = array("I", [nothing]) * (len(asked.students) * len(asked.fed))
    for pair in fresh.pairing.pairs:
        start = pair.target.row.distance(known.grid.row(1)) * len(asked.fed)
        cells = book.cells(pair.source.row)
        for place, there in shown:
            codes[start + place] = coding.code(cells[there.index] if there.index < len(cells) else "")
    told = Told(CodeTable(codes, len(asked.fed)), [None, *coding.texts[1:]])
    maxima = {column.index: rule.maxima[1] or column.out_of for column, rule in columns}
    comparisons = {}
    for place, there in shown:
        index = asked.fed[place][0].index
        counts = Counter(codes[place :: len(asked.fed)])
        texts = {coding.texts[code]: count for code, count in counts.items()}
        comparisons[index] = ItemComparison({}, texts, (maxima[index], there.out_of))
    return Now(told, comparisons)


def _by_ledger(asked: Asked, name: str) -> Told:
    """Return what a ledger says was sent."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - most transfers name none

    filed = read_filed(asked.file.parent / name)
    return _by_keys(asked, _told_by(filed), lambda: filed)


def _told_by(filed: "Filed") -> KeptMarks:
    """Return what a ledger says was sent, by identifier and heading."""
    headings = {item.index: item_key(item) for item in filed.items}
    keys = student_keys(filed.students)
    who = {row_position(one.row): key for one, key in zip(filed.students, keys, strict=True) if key}
    sent = ((who[row], texts) for row, texts in filed.sent_last() if row in who)
    return _kept(headings, who.values(), sent)


def _kept(
    headings: Mapping[int, ItemKey], people: Iterable[str], told: Iterable[tuple[str, Mapping[int, str]]]
) -> KeptMarks:
    """Return texts by column as codes: a row for each of the people, of whom more than one line may tell."""
    coding = Coding()
    places, nothing = {at: place for place, at in enumerate(headings)}, coding.code("")
    rows = {who: place for place, who in enumerate(dict.fromkeys(people))}
    codes = array("I", [nothing]) * (len(rows) * len(places))
    for who, texts in told:
        for at, text in texts.items():
            codes[rows[who] * len(places) + places[at]] = coding.code(text)
    return KeptMarks([*headings.values()], rows, CodeTable(codes, len(places)), coding.texts)


def _kept_by(history: Path, run: Run, texts: Sequence[str | None]) -> KeptMarks:
    """Return what the history keeps of a run, with the texts of its outcomes."""
    people, codes = read_codes(history, run)
    return KeptMarks(run.items, {who: place for place, who in enumerate(people)}, codes, texts)


def _is_form_of(asked: Asked, name: str) -> bool:
    """Tell whether a ledger's write filled this form."""
    from skarvin.core.ledger.filed import read_filed  # noqa: PLC0415 - most transfers name none

    return asked.is_form(read_filed(asked.file.parent / name).files["form"].sha256)


def _by_keys(asked: Asked, sent: KeptMarks, ledger: "Callable[[], Filed | None]" = lambda: None) -> Told:
    """Return texts that are known by identifier and heading, by the form's students and columns.

    A student who has another identifier now is known by the name, if the `ledger` of that write is there to tell it; an
    item that is called otherwise now, by its column, if most of what was sent there stands there.
    """
    ours = student_keys(asked.students)
    same = same_people(ours, sent.rows)
    same = {**same, **renumbered(asked.students, sent.rows, same, ledger)}
    called = renamed(asked, sent, same)
    keys = [called.get(key := item_key(column), key) for column, _ in asked.fed]
    rows = [sent.rows.get(same.get(who, ""), -1) for who in ours]
    codes = sent.codes.arranged(rows, _places(keys, sent.items), len(sent.texts))
    return Told(codes, [*(text or None for text in sent.texts), None])


def _places(keys: Sequence[ItemKey], items: Sequence[ItemKey]) -> list[int]:
    """Return which of the items each key means, by its heading, or where several share one by its column, too."""
    headings = Counter(item.heading for item in items)
    alone = {item.heading: at for at, item in enumerate(items) if headings[item.heading] == 1}
    known = {item: at for at, item in enumerate(items)}
    return [alone.get(key.heading, known.get(key, -1)) for key in keys]


def _by_file(asked: Asked, name: str) -> Told:
    """Return what an import file of earlier sent."""
    plan, path = asked.plan, asked.file.parent / name
    grid = read_grid(path, plan.target)
    layout, _ = side_layout(grid, plan.target, tuple(column.heading for column, _ in asked.fed), asked.sides.folders)
    if layout.faults:
        raise Unreadable(*layout.faults[:5])
    names = Names(asked.file, asked.text)
    identifier = names.identifier(layout, plan.target.identifier, "target")
    if names.findings:
        raise Unreadable(*names.findings)
    book = understand(grid, layout, identifier, [])
    headings = {column.index: item_key(column) for column in layout.columns}
    people = [(key, one.row) for key, one in zip(student_keys(book.students), book.students, strict=True) if key]
    sent = ((key, _marks_in(book.cells(row), headings)) for key, row in people)
    return _by_keys(asked, _kept(headings, (key for key, _ in people), sent))


def _marks_in(cells: Sequence[str], columns: Iterable[int]) -> dict[int, str]:
    """Return what the cells of a row say in some columns; nothing of those that are blank."""
    return {at: text for at in columns if at < len(cells) and not is_no_mark(text := cells[at].strip())}


def _count_note(last: Told, name: str) -> tuple[Finding, ...]:
    if any(last.texts[code] for code in set(last.codes.codes)):
        return ()
    what = f"nothing that {Path(name).name} sent is in an item of the form for one of its students"
    return (Finding("nothing-sent-before", what, None, "Is it the right file?"),)


def _by_history(asked: Asked, now: Now | None) -> SinceFound:
    """Return what the history says: the last write that was uploaded, for all that can be told."""
    file = history_file(asked.file.parent)
    runs = read_runs(file, asked.file.name)
    for run in reversed([one for one in runs if one.kind == WRITE]):
        confirmed = confirmation_of(runs, run.ledger)
        if confirmed is None and now is None and asked.is_form(run.files.get("form", "")):
            continue  # nothing says that it was uploaded
        ledger = partial(_ledger_of, asked, run)
        kept = _kept_by(file, run, [one.text for one in run.outcomes])
        last = _by_keys(asked, kept, ledger)
        is_silent = now is None and _form_says_nothing(asked, run)
        seen = Now(_seen(asked, file, confirmed)) if is_silent and confirmed else now
        sent = last._replace(texts=[*(one.text if one.fate in _SENT else None for one in run.outcomes), None])
        has_arrived = _arrived(asked, run, sent, seen)
        if not has_arrived and confirmed and not is_silent:
            has_arrived = _stands_there(asked, sent, Now(_seen(asked, file, confirmed)))
        if has_arrived:
            origin = f"the write of {run.at[:16].replace('T', ' ')}"
            is_old = asked.is_form(run.files.get("form", ""))
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
        told = None if filed is None else _told_by(filed)
    except (Unreadable, OSError):
        return SinceFound()
    is_own = filed is not None and filed.form == form.name and "transfer" in filed.files
    if not filed or not told or not is_own or filed.files["transfer"].name != asked.file.name:
        return SinceFound()
    is_old = asked.is_form(filed.files["form"].sha256)
    last = _by_keys(asked, told, lambda: filed)
    if is_old or not _stands_there(asked, last, Now()):
        return SinceFound()
    origin = f"the ledger of {filed.when[:16].replace('T', ' ')}, since the history has no write"
    return SinceFound(Since(_cells(asked, last, now or Now())), origin)


def _form_says_nothing(asked: Asked, run: Run) -> bool:
    """Tell whether the form says nothing of what the target has become since: it is the same, or blank."""
    return asked.is_form(run.files.get("form", "")) or _is_blank(asked)


def _is_blank(asked: Asked) -> bool:
    return all(is_no_mark(text or "") for text in asked.form.texts)


def _seen(asked: Asked, history: Path, run: Run) -> Told:
    """Return what a confirmation saw in the target; a cell that was blank there is blank."""
    texts = [None if one.fate == NOT_SEEN else one.text or "-" for one in run.outcomes]
    return _by_keys(asked, _kept_by(history, run, texts))


def _arrived(asked: Asked, run: Run, sent: Told, now: Now | None) -> bool:
    """Tell whether the target has a mark that a write sent, by its fresh export or by the form."""
    if now is None and asked.is_form(run.files.get("form", "")):
        return False
    return _stands_there(asked, sent, now or Now())


def _stands_there(asked: Asked, sent: Told, now: Now) -> bool:
    """Tell whether a mark that was sent stands where it was sent to."""
    there = now.told or asked.form
    width = sent.codes.width
    for place, (column, rule) in enumerate(asked.fed):
        comparison = now.comparisons.get(column.index)
        is_one = comparison.is_same if comparison else partial(_is_one, rule=rule)
        for code, other in set(zip(sent.codes.codes[place::width], there.codes.codes[place::width], strict=True)):
            text, now_there = sent.texts[code], there.texts[other] or ""
            if text and not is_no_mark(now_there) and is_one(text, now_there):
                return True
    return False


def _not_uploaded(writes: Sequence[Run]) -> tuple[Finding, ...]:
    """Return that what was written before doesn't count, since nothing says that it was uploaded."""
    at = writes[-1].at[:16].replace("T", " ")
    what = f"the write of {at} isn't confirmed, so that all is sent as if it hadn't been"
    mend = "If it was uploaded: skarvin confirm FRESH_EXPORT, or take a fresh export of the target as the form."
    return (Finding("not-confirmed", what, None, mend),)
