"""A bundle of results read again: each mark that was sent stands in one result, and nothing else changed.

Items are found by their titles and classes in the bundles themselves, and not by what the writer made of them.
"""

from collections.abc import Container, Iterator, Mapping, Sequence
from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.ledger.second_look.bundle_rows import RESULTS, table_of
from skarvin.core.ledger.second_look.readers import Reading

_MOST = 100
_COMMENT = "comment on "
_STATUSES = frozenset({"exempt", "not submitted", "partially graded", "submitted", "fully graded"})
_MAY_CHANGE = frozenset(
    {
        "status",
        "dateLastModified",
        "scoreStatus",
        "score",
        "textScore",
        "scoreDate",
        "missing",
        "inProgress",
        "incomplete",
    }
)
_READ = ("sourcedId", "status", "lineItemSourcedId", "studentSourcedId", "score", "scoreStatus")
Record = Mapping[str, str]
Sent = dict[str, dict[str, dict[str, str]]]
"""For each student and heading, what was sent: a mark, a comment or both."""


def look_at_results(form: Path, written: Path, final: Path, tables: tuple[Path, Path], reading: Reading) -> int:
    """Return how many results a bundle has, having found that it says what the table of all marks says.

    Args:
        form: the target's bundle.
        written: the import file.
        final: what it will be called.
        tables: a row for each student, before and after, which were compared with the ledger already.
        reading: how these are read.

    Raises:
        Refused: a mark stands in no result or in two, or another result says something else than the form's.
    """
    before, after = ([row.cells for row in reading.rows(table)] for table in tables)
    is_delta = any(row[:2] == ["file.results", "delta"] for row in table_of(written, "manifest.csv"))
    theirs = {
        one["sourcedId"]: one for one in _records(form, RESULTS) if one.get("status", "").lower() != "tobedeleted"
    }
    ours = list(_records(written, RESULTS))
    items = {one["sourcedId"]: one for name in (form, written) for one in _records(name, "lineItems.csv")}
    enrolled = {(one.get("userSourcedId"), one.get("classSourcedId")) for one in _records(form, "enrollments.csv")}
    sent: Sent = {}
    for (student, heading), said in _sent(before, after):
        sent.setdefault(student, {})[heading] = said
    met: dict[tuple[str, str], int] = {}
    strangers = [
        one for one in ours if enrolled and not _is_in_class(one, items, enrolled) and _is_sent(one, items, sent)
    ]
    faults = ["a result is of a class that the student isn't in"] * bool(strangers)
    faults += [*_strange(ours, items, sent, theirs, met, is_delta=is_delta)]
    for student, by_heading in sent.items():
        for heading, said in by_heading.items():
            count = met.get((student, heading), 0)
            if count != 1 and (is_delta or said.get("mark") != ""):
                where = "no result" if count == 0 else f"{count} results"
                faults.append(f"what was sent for '{heading}' stands in {where}")
    if not is_delta:
        known = {one["sourcedId"] for one in ours}
        lost = [one for one in theirs.values() if one["sourcedId"] not in known and not _is_sent(one, items, sent)]
        faults += ["a result of the form isn't there any more"] * bool(lost)
    if faults:
        place = Place(final / RESULTS)
        withdrawn = Finding("withdrawn", "the import file isn't what the ledger says and was withdrawn")
        raise Refused(*(Finding("second-look", what, place) for what in dict.fromkeys(faults[:_MOST])), withdrawn)
    return len(ours)


def _records(bundle: Path, name: str) -> Iterator[Record]:
    heads, *rows = table_of(bundle, name) or [[]]
    blank = dict.fromkeys(_READ, "")
    return ({**blank, **dict(zip(heads, row, strict=False))} for row in rows if any(row))


def _strange(  # noqa: PLR0913 - both bundles, and what was sent
    ours: Sequence[Record],
    items: Mapping[str, Record],
    sent: Sent,
    theirs: Mapping[str, Record],
    met: dict[tuple[str, str], int],
    *,
    is_delta: bool,
) -> Iterator[str]:
    """Yield what is wrong in the results that are written, and count for each that was sent where it stands."""
    for one in ours:
        student = one["studentSourcedId"]
        keys = [heading for heading in sent.get(student, {}) if _is_of(one, items, heading)]
        old = theirs.get(one["sourcedId"])
        if one["lineItemSourcedId"] not in items:
            yield "a result is of an item that neither bundle has"
        elif not keys and (is_delta or old is None):
            yield "a result was written that nothing was sent for"
        elif (
            not keys and old is not None and _besides(one, {"status", "dateLastModified"}) != _besides(old, set(_FIRST))
        ):
            yield "a result that nothing was sent for isn't as it was"
        for heading in keys:
            met[student, heading] = met.get((student, heading), 0) + 1
            if old and _besides(one, _MAY_CHANGE | {"comment"}) != _besides(old, _MAY_CHANGE | {"comment"}):
                yield "a result is of another student or item than it was"
            yield from _unlike(one, old or {}, sent[student][heading])


_FIRST = ("status", "dateLastModified")


def _unlike(new: Record, old: Record, said: Record) -> Iterator[str]:
    """Yield what a result says otherwise than was sent."""
    mark, comment = said.get("mark"), said.get("comment", old.get("comment", ""))
    if new.get("comment", "") != comment:
        yield "a comment isn't the one that was sent"
    if mark == "":
        if new["status"] != "tobedeleted":
            yield "a result that was to go is still there"
    elif mark is not None and not _says(new, mark):
        yield f"a result doesn't say '{mark}'"
    elif mark is None and old and (new["score"], new["scoreStatus"]) != (old["score"], old["scoreStatus"]):
        yield "a score changed where only a comment was sent"


def _says(result: Record, mark: str) -> bool:
    if mark in _STATUSES:
        return result["scoreStatus"] == mark and not result["score"] and not result.get("textScore")
    if mark == "missing":
        return result.get("missing") == "true" and not result["score"]
    said = result["score"] if mark.lstrip("-").replace(".", "", 1).isdecimal() else result.get("textScore")
    return said == mark and result["scoreStatus"] == "fully graded"


def _is_of(result: Record, items: Mapping[str, Record], heading: str) -> bool:
    """Tell whether a result is of an item that a column is called by."""
    title = " ".join(items.get(result["lineItemSourcedId"], {}).get("title", "").split()) or result["lineItemSourcedId"]
    rest = heading.removeprefix(title)
    return heading.startswith(title) and (not rest or rest[:2] in {" (", ", ", " #"})


def _is_in_class(
    result: Record, items: Mapping[str, Record], enrolled: Container[tuple[str | None, str | None]]
) -> bool:
    """Tell whether the student of a result is in the class of its item; an item of no class is anybody's."""
    of_class = items.get(result["lineItemSourcedId"], {}).get("classSourcedId", "")
    return not of_class or (result["studentSourcedId"], of_class) in enrolled


def _is_sent(result: Record, items: Mapping[str, Record], sent: Sent) -> bool:
    return any(_is_of(result, items, heading) for heading in sent.get(result["studentSourcedId"], {}))


def _besides(record: Record, names: "frozenset[str] | set[str]") -> dict[str, str]:
    return {name: text for name, text in record.items() if name not in names and text}


def _sent(before: Sequence[list[str]], after: Sequence[list[str]]) -> Iterator[tuple[tuple[str, str], dict[str, str]]]:
    """Yield the student and the heading of what is new in the table, with the mark and the comment."""
    heads = after[0]
    old = {row[0]: row for row in before[1:]}
    for row in after[1:]:
        was = old.get(row[0], [""] * len(row))
        said: dict[str, dict[str, str]] = {}
        for head, then, now in zip(heads, was, row, strict=True):
            if now != then:
                kind = "comment" if head.startswith(_COMMENT) else "mark"
                said.setdefault(head.removeprefix(_COMMENT), {})[kind] = now
        for heading, texts in said.items():
            yield (row[0], heading), texts
