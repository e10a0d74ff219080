"""The parts of a workbook's package (ECMA-376, part 2): read, and written again with some replaced."""

import io
import zipfile
from collections.abc import Iterator, Mapping
from posixpath import join, normpath
from typing import NamedTuple

from lxml import etree

from skarvin.core.grid.workbook import Tab

_RELATIONS = "xl/_rels/workbook.xml.rels"
WORKBOOK = "xl/workbook.xml"
STRINGS = "xl/sharedStrings.xml"
_STYLES = "xl/styles.xml"
_MACROS = b"macroEnabled"
_SIGNED = "_xmlsignatures/"
_BUILT_IN = {1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 9: "0%", 10: "0.00%"}
_LONGEST_CODE = 255
"""A cell's format has no more characters (ECMA-376, 18.8.30)."""


class Format(NamedTuple):
    """How cells of a style show numbers: the format's number and code; and whether they are locked under protection."""

    number: int
    code: str
    is_locked: bool


class Package:
    """A workbook's package.

    Raises:
        zipfile.BadZipFile: it is none.
    """

    def __init__(self, data: bytes) -> None:
        self._archive = zipfile.ZipFile(io.BytesIO(data))
        self._names = frozenset(self._archive.namelist())

    def part(self, name: str) -> bytes:
        """Return one part."""
        return self._archive.read(name)

    def has(self, name: str) -> bool:
        """Tell whether there is such a part."""
        return name in self._names

    def sheets(self) -> Iterator[tuple[Tab, str]]:
        """Yield each sheet that has cells, and its part."""
        targets = {one.get("Id"): one.get("Target", "") for one in elements(self.part(_RELATIONS))}
        for sheet in elements(self.part(WORKBOOK)).iter("{*}sheet"):
            key = next((str(value) for name, value in sheet.attrib.items() if str(name).endswith("}id")), "")
            target = targets.get(key) or ""
            if "chartsheets/" not in target:
                yield Tab(sheet.get("name", ""), sheet.get("state", "visible") != "visible"), _inside("xl", target)

    def formats(self) -> list[Format]:
        """Return how the cells of each style are shown, by its number."""
        if not self.has(_STYLES):
            return []
        root = elements(self.part(_STYLES))
        codes = {int(one.get("numFmtId", "0")): one.get("formatCode", "") for one in root.iter("{*}numFmt")}
        found = []
        for element in (one for formats in root.iter("{*}cellXfs") for one in formats):
            number = int(element.get("numFmtId", "0"))
            locked = next((one.get("locked", "1") for one in element.iter("{*}protection")), "1")
            code = _BUILT_IN.get(number) or codes.get(number, "")[:_LONGEST_CODE]
            found.append(Format(number, code, locked not in {"0", "false"}))
        return found

    def names(self) -> dict[str, str]:
        """Return what each defined name stands for."""
        return {one.get("name", ""): one.text or "" for one in elements(self.part(WORKBOOK)).iter("{*}definedName")}

    def tables(self, sheet: str) -> list[str]:
        """Return the ranges of a sheet's tables, as C2:E40."""
        folder, _, name = sheet.rpartition("/")
        relations = f"{folder}/_rels/{name}.rels"
        found = elements(self.part(relations)) if self.has(relations) else ()
        parts = [_inside(folder, one.get("Target", "")) for one in found if one.get("Type", "").endswith("/table")]
        return [elements(self.part(part)).get("ref", "") for part in parts]

    @property
    def has_macros(self) -> bool:
        """Whether the workbook holds programs."""
        return _MACROS in self.part("[Content_Types].xml")

    @property
    def is_signed(self) -> bool:
        """Whether the workbook carries a signature, which any change breaks."""
        return any(name.startswith(_SIGNED) for name in self._names)

    def has_formulas_besides(self, part: str) -> bool:
        """Tell whether any other sheet computes something."""
        others = (name for name in self._names if name.startswith("xl/worksheets/sheet") and name != part)
        return any(b"<f" in xml or b":f>" in xml for xml in map(self.part, others))

    def written(self, parts: Mapping[str, bytes]) -> bytes:
        """Return the package with some parts replaced, the others as they are, in their order."""
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as new:
            for entry in self._archive.infolist():
                data = parts.get(entry.filename) or self._archive.read(entry)
                new.writestr(entry, data, compress_type=entry.compress_type)
        return out.getvalue()


def elements(xml: bytes) -> etree._Element:
    """Return the root of an XML document, read without entities, types or the network.

    Raises:
        etree.XMLSyntaxError: it is none.
    """
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    return etree.fromstring(xml, parser)


def _inside(folder: str, target: str) -> str:
    """Return the part that a relation of a part in a folder leads to."""
    return target.lstrip("/") if target.startswith("/") else normpath(join(folder, target))
