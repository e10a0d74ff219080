"""Results of QTI (1EdTech, results reporting 2.1, 2.2 and 3.0) as a grid: a row for each candidate and attempt.

A file, a folder or an archive of them. For each item there is a column with the score, and one for each response. The
correct responses, where they are there, are the answer key.
"""

import io
import zipfile
import zlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from lxml import etree

from skarvin.core.findings import Finding, Place, Row, Source, Unreadable, counted, listing
from skarvin.core.grid.file_bytes import fingerprint, read_bytes
from skarvin.core.grid.file_kinds import RESULTS, SAMPLE, Kind
from skarvin.core.grid.folder import results_fingerprint
from skarvin.core.grid.grid import ANSWER, CellGrid
from skarvin.core.grid.package import elements
from skarvin.core.texts.numbers import read_number

_MOST_FILES, _MOST = 50_000, 6
_FIRST = ("sourcedId", "datestamp")
_BETWEEN = "; "
_NAMESPACES = ("imsqti_result_v2p1", "imsqti_result_v2p2", "imsqtiasi_v3p0", "imsqti_result_v3p0")


@dataclass(frozen=True, eq=False)
class CandidateGrid(CellGrid):
    """The results of candidates, a row for each attempt; `key` has the correct responses by their columns' headings."""

    said: Mapping[int, str] = field(default_factory=lambda: MappingProxyType({}))
    key: Mapping[str, str] = field(default_factory=lambda: MappingProxyType({}))

    def place(self, row: int | None = None, column: int | None = None, heading: str | None = None) -> Place:
        """Return the file in which an attempt stands, with the heading of a column."""
        return Place(self.file, row, column, heading) if row is None else Row(self.source, row).place(column, heading)


class _Item(NamedTuple):
    """What a file says of one item in one attempt."""

    name: str
    order: tuple[str, str]
    status: str
    score: str
    out_of: str
    responses: Mapping[str, str]
    right: Mapping[str, str]


class _Attempt(NamedTuple):
    """One attempt of a candidate: where it stands, and what it says."""

    file: str
    sourced_id: str
    stamp: str
    items: Mapping[str, _Item]
    totals: Mapping[str, str]


def read_results(file: Path, data: bytes | None) -> CandidateGrid:
    """Return the grid of results.

    Args:
        file: the file, archive or folder.
        data: the bytes; None of a folder.

    Raises:
        Unreadable: no file of it can be read.
    """
    notes: list[Finding] = []
    attempts: list[_Attempt] = []
    for name, content in _files(file, data):
        attempts += _attempts(name, content, file, notes)
    if not attempts:
        raise Unreadable(*notes or [Finding("no-results", "there are no results in this", Place(file))])
    return _grid(file, data, attempts, notes)


def _files(file: Path, data: bytes | None) -> Iterator[tuple[str, bytes]]:
    """Yield the files with results, by their names."""
    if data is None:
        for path in sorted(file.glob("*.xml"))[:_MOST_FILES]:
            yield path.name, read_bytes(path)
    elif not data.startswith(b"PK"):
        yield file.name, data
    else:
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as archive:
                for name in sorted(archive.namelist())[:_MOST_FILES]:
                    if name.lower().endswith(".xml") and RESULTS in (content := archive.read(name))[:SAMPLE]:
                        yield name.rpartition("/")[2], content
        except (zipfile.BadZipFile, zlib.error, EOFError, RuntimeError, NotImplementedError, OSError):
            what, mend = "this archive is damaged and can't be unpacked", "Export it again."
            raise Unreadable(Finding("damaged", what, Place(file), mend)) from None


def _attempts(name: str, content: bytes, file: Path, notes: list[Finding]) -> Iterator[_Attempt]:
    """Yield the attempts that a file tells of; one that isn't as it must be is told."""
    place = Place(file / name if file.name != name else file)
    try:
        root = elements(content)
    except etree.XMLSyntaxError as error:
        mend = "It may have been cut off: export it again."
        notes.append(Finding("no-xml", f"this can't be read: {error.msg or 'no XML'}", place, mend))
        return
    if _local(root) != "assessmentResult":
        notes.append(Finding("no-results", f"this is '{_local(root)}', and no result of a candidate", place))
        return
    space = etree.QName(root).namespace or ""
    if not space.endswith(_NAMESPACES):
        notes.append(Finding("namespace", f"its namespace '{space}' isn't one of QTI's that are known", place))
    context = next(_children(root, "context"), None)
    sourced_id = "" if context is None else context.get("sourcedId", "").strip()
    if not sourced_id:
        notes.append(Finding("no-candidate", "it doesn't say which candidate it is of", place))
        return
    tests = list(_children(root, "testResult"))
    stamp = tests[-1].get("datestamp", "") if tests else ""
    totals = _outcomes(tests[-1]) if tests else {}
    told: dict[str, list[_Item]] = {}
    for element in _children(root, "itemResult"):
        item = _item(element)
        told.setdefault(item.name, []).append(item)
    for some in told.values():
        some.sort(key=lambda one: one.order)
    for at in range(max(map(len, told.values()), default=1)):
        items = {item: some[at] for item, some in told.items() if at < len(some)}
        last = max((one.order[1] for one in items.values()), default="")
        yield _Attempt(name, sourced_id, last or stamp, items, totals if at == 0 else {})


def _item(element: etree._Element) -> _Item:
    index = element.get("sequenceIndex", "")
    outcomes = _outcomes(element)
    responses, right = {}, {}
    for one in _children(element, "responseVariable"):
        name = one.get("identifier", "").strip()
        if name in {"numAttempts", "duration"}:
            continue
        responses[name] = _values(one, "candidateResponse")
        if solution := _values(one, "correctResponse"):
            right[name] = solution
    return _Item(
        element.get("identifier", "").strip(),
        (index.zfill(9), element.get("datestamp", "")),
        element.get("sessionStatus", ""),
        outcomes.get("SCORE", ""),
        outcomes.get("MAXSCORE", ""),
        responses,
        right,
    )


def _outcomes(element: etree._Element) -> dict[str, str]:
    return {
        one.get("identifier", "").strip(): _BETWEEN.join(_texts(one)) for one in _children(element, "outcomeVariable")
    }


def _values(variable: etree._Element, name: str) -> str:
    return _BETWEEN.join(text for one in _children(variable, name) for text in _texts(one))


def _texts(element: etree._Element) -> list[str]:
    return [
        text for one in _children(element, "value") if (text := " ".join("".join(map(str, one.itertext())).split()))
    ]


def _children(element: etree._Element, name: str) -> Iterator[etree._Element]:
    return (one for one in element if isinstance(one.tag, str) and _local(one) == name)


def _local(element: etree._Element) -> str:
    return etree.QName(element).localname


def _grid(file: Path, data: bytes | None, attempts: Sequence[_Attempt], notes: list[Finding]) -> CandidateGrid:
    names = list(dict.fromkeys(name for one in attempts for name in one.items))
    maxima = {name: {one.items[name].out_of for one in attempts if name in one.items} - {""} for name in names}
    asked = {
        name: list(dict.fromkeys(var for one in attempts if name in one.items for var in one.items[name].responses))
        for name in names
    }
    scored = [name for name in names if any(name in one.items and one.items[name].score for one in attempts)]
    said_of = {(name, var) for one in attempts for name, item in one.items.items() for var in _said(item)}
    asked = {name: [var for var in some if (name, var) in said_of] for name, some in asked.items()}
    answers = [(name, var) for name in names for var in asked[name]]
    totals = list(dict.fromkeys(name for one in attempts for name in one.totals if name == "SCORE"))
    most = {text for one in attempts if (text := one.totals.get("MAXSCORE", ""))}
    heads = [*_FIRST, *(_titled(name, maxima[name]) for name in scored)]
    questions = [f"{name if len(asked[name]) == 1 else f'{name} {var}'}{ANSWER}" for name, var in answers]
    heads += [*questions, *(_titled("Test score", most) for _ in totals)]
    table = [heads]
    for one in attempts:
        said = one.items
        row = [one.sourced_id, one.stamp]
        row += [said[name].score if name in said else "" for name in scored]
        row += [said[name].responses.get(var, "") if name in said else "" for name, var in answers]
        table.append([*row, *(one.totals.get(name, "") for name in totals)])
    first = len(_FIRST)
    uses = {0: "student number", 1: "system data"}
    uses |= {first + at: "item" for at in range(len(scored))}
    uses |= {first + len(scored) + at: "answer" for at in range(len(answers))}
    uses |= {len(heads) - 1: "total"} if totals else {}
    key, unclear = _key(attempts, dict(zip(answers, questions, strict=True)))
    notes += _told(file, attempts, {name: some for name, some in maxima.items() if len(some) > 1}, unclear)
    files = tuple(one.file for one in attempts)
    candidates = len({one.sourced_id for one in attempts})
    parts = [counted(candidates, "candidate"), counted(len(names), "item")]
    parts += [counted(len(attempts), "attempt")] if candidates < len(attempts) else []
    return CandidateGrid(
        file=file,
        title=f"QTI results: {listing(parts)}",
        kind=Kind.QTI,
        table=table,
        notes=tuple(notes),
        fingerprint=results_fingerprint(file) if data is None else fingerprint(data),
        files=files,
        known_source=Source(file, files=files),
        shape="results of QTI",
        said=MappingProxyType(uses),
        key=MappingProxyType(key),
    )


def _said(item: _Item) -> set[str]:
    """Return the variables of an item that say anything."""
    return {var for said in (item.responses, item.right) for var, text in said.items() if text}


def _titled(name: str, maxima: set[str]) -> str:
    (out_of,) = maxima if len(maxima) == 1 else ("",)
    number = read_number(out_of)
    return f"{name} (out of {out_of.rstrip('0').rstrip('.') if '.' in out_of else out_of})" if number else name


def _key(attempts: Sequence[_Attempt], headings: Mapping[tuple[str, str], str]) -> tuple[dict[str, str], list[str]]:
    """Return the correct response to each question, and the questions of which files say different ones."""
    found: dict[str, set[str]] = {}
    for one in attempts:
        for name, item in one.items.items():
            for var, solution in item.right.items():
                found.setdefault(headings[name, var], set()).add(solution)
    return {head: next(iter(some)) for head, some in found.items() if len(some) == 1}, [
        head for head, some in found.items() if len(some) > 1
    ]


def _told(
    file: Path, attempts: Sequence[_Attempt], maxima: Mapping[str, set[str]], unclear: Sequence[str]
) -> Iterator[Finding]:
    """Yield what is to be known of results."""
    for name, some in maxima.items():
        what = f"'{name}' is out of {listing(sorted(some), _MOST)}, as files say"
        yield Finding("two-maxima", what, Place(file), "Write from_out_of in its [[item]].")
    if unclear:
        what = f"files say different correct responses to {listing(unclear, _MOST)}"
        yield Finding("two-solutions", what, Place(file), "Name an answer key.")
    waiting = [one.file for one in attempts if any(item.status not in {"", "final"} for item in one.items.values())]
    if waiting:
        what = f"{counted(len(waiting), 'attempt isn', 'attempts aren')}'t final: {listing(waiting, _MOST)}"
        yield Finding("not-final", what, Place(file))
