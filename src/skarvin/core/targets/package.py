"""The parts of a workbook's package (ECMA-376, part 2): read, and written again with some replaced."""

import io
import zipfile
from collections.abc import Mapping
from posixpath import join, normpath
from typing import NamedTuple

from lxml import etree

from skarvin.core.targets.sheet_xml import Area, areas

_RELATIONS = "xl/_rels/workbook.xml.rels"
WORKBOOK = "xl/workbook.xml"
_MACROS = b"macroEnabled"
_SIGNED = "_xmlsignatures/"


class Package(NamedTuple):
    """A workbook's package."""

    data: bytes

    def part(self, name: str) -> bytes:
        """Return one part."""
        with zipfile.ZipFile(io.BytesIO(self.data)) as archive:
            return archive.read(name)

    def has(self, name: str) -> bool:
        """Tell whether there is such a part."""
        with zipfile.ZipFile(io.BytesIO(self.data)) as archive:
            return name in archive.namelist()

    def sheets(self) -> dict[str, str]:
        """Return the part of each sheet by its name."""
        targets = {one.get("Id"): one.get("Target", "") for one in elements(self.part(_RELATIONS))}
        found = {}
        for sheet in elements(self.part(WORKBOOK)).iter("{*}sheet"):
            key = next((str(value) for name, value in sheet.attrib.items() if str(name).endswith("}id")), "")
            target = targets.get(key) or ""
            found[sheet.get("name", "")] = (
                target.lstrip("/") if target.startswith("/") else normpath(join("xl", target))
            )
        return found

    def names(self) -> dict[str, str]:
        """Return what each defined name stands for."""
        return {one.get("name", ""): one.text or "" for one in elements(self.part(WORKBOOK)).iter("{*}definedName")}

    def tables(self, sheet: str) -> list[Area]:
        """Return the ranges of a sheet's tables."""
        folder, _, name = sheet.rpartition("/")
        relations = f"{folder}/_rels/{name}.rels"
        if not self.has(relations):
            return []
        targets = (
            one.get("Target", "") for one in elements(self.part(relations)) if one.get("Type", "").endswith("/table")
        )
        parts = [one.lstrip("/") if one.startswith("/") else normpath(join(folder, one)) for one in targets]
        return [area for part in parts for area in areas(elements(self.part(part)).get("ref", ""))]

    @property
    def has_macros(self) -> bool:
        """Whether the workbook holds programs."""
        return _MACROS in self.part("[Content_Types].xml")

    @property
    def is_signed(self) -> bool:
        """Whether the workbook carries a signature, which any change breaks."""
        with zipfile.ZipFile(io.BytesIO(self.data)) as archive:
            return any(name.startswith(_SIGNED) for name in archive.namelist())

    def has_formulas_besides(self, part: str) -> bool:
        """Tell whether any other sheet computes something."""
        with zipfile.ZipFile(io.BytesIO(self.data)) as archive:
            others = (name for name in archive.namelist() if name.startswith("xl/worksheets/sheet") and name != part)
            return any(b"<f" in archive.read(name) or b":f>" in archive.read(name) for name in others)

    def written(self, parts: Mapping[str, bytes]) -> bytes:
        """Return the package with some parts replaced, the others as they are, in their order."""
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.data)) as old, zipfile.ZipFile(out, "w") as new:
            for entry in old.infolist():
                new.writestr(entry, parts.get(entry.filename) or old.read(entry), compress_type=entry.compress_type)
        return out.getvalue()


def elements(xml: bytes) -> etree._Element:
    """Return the root of a part, read without entities, types or the network."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    return etree.fromstring(xml, parser)
