"""Results of QTI read once more, by the standard library alone: a mark must be said in its attempt."""

import zipfile
from collections.abc import Container, Iterator
from pathlib import Path
from xml.etree import ElementTree as ET

from skarvin.core.ledger.second_look.text_rows import Row

_HEADINGS = 1
_WIDEST = 16_384
_BETWEEN = "; "


class AttemptReading:
    """How results are read again: a row for each attempt, each of whose cells has all that the attempt says."""

    def rows(self, file: Path, wanted: Container[int] | None = None) -> Iterator[Row]:  # noqa: ARG002 - all are told
        """Yield the rows; a file that can't be read has none."""
        yield from (Row("", "", []) for _ in range(_HEADINGS))
        for text in _texts(file):
            try:
                root = ET.fromstring(text)  # noqa: S314 - expat bounds entities, and no text leaves here
            except ET.ParseError:
                continue
            yield from _attempts(root)

    def says(self, cell: str, mark: str) -> bool:
        """Tell whether an attempt says a mark; of a blank nothing is said."""
        return not mark.strip() or " ".join(mark.split()) in cell.split("\n")


def _texts(file: Path) -> Iterator[bytes]:
    """Yield the files of results in the order of their names."""
    if file.is_dir():
        yield from (path.read_bytes() for path in sorted(file.glob("*.xml")))
    elif zipfile.is_zipfile(file):
        with zipfile.ZipFile(file) as archive:
            names = sorted(name for name in archive.namelist() if name.lower().endswith(".xml"))
            yield from (archive.read(name) for name in names)
    else:
        yield file.read_bytes()


def _attempts(root: ET.Element) -> Iterator[Row]:
    contexts = [one for one in root if _is(one, "context")]
    if not _is(root, "assessmentResult") or not contexts or not contexts[0].get("sourcedId", "").strip():
        return
    items: dict[str, list[ET.Element]] = {}
    for one in root:
        if _is(one, "itemResult"):
            items.setdefault(one.get("identifier", "").strip(), []).append(one)
    tests = [said for one in root if _is(one, "testResult") for said in _said(one)]
    for number in range(max(map(len, items.values()), default=1)):
        said = [
            text for some in items.values() if number < len(some) for text in _said(sorted(some, key=_order)[number])
        ]
        yield Row("", "", ["\n".join([*said, *(tests if number == 0 else [])])] * min(_WIDEST, 2 + 3 * len(said)))


def _order(item: ET.Element) -> tuple[int, str]:
    index = item.get("sequenceIndex", "")
    return (int(index) if index.isdecimal() else 0), item.get("datestamp", "")


def _said(element: ET.Element) -> Iterator[str]:
    """Yield what an item or a test says: the values of each outcome, and of each answer."""
    for variable in element:
        for holder in (variable, *(one for one in variable if _is(one, "candidateResponse"))):
            values = [" ".join("".join(one.itertext()).split()) for one in holder if _is(one, "value")]
            if filled := [text for text in values if text]:
                yield _BETWEEN.join(filled)


def _is(element: ET.Element, name: str) -> bool:
    return element.tag.rpartition("}")[2] == name
