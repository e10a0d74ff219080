"""The files that a transfer writes: their names, and whether those that lie there are the ledger's."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from skarvin.core.findings import Finding, Place
from skarvin.core.grid.file_bytes import fingerprint, own_bytes
from skarvin.core.texts.patterns import pattern
from skarvin.core.transfer.import_files import file_label
from skarvin.core.transfer.settling import Settled

if TYPE_CHECKING:
    from skarvin.core.transfer.feedback import Bundle

_MADE = pattern(r"-(?:import|restore)(?:-(\d{1,4}))?$")
"""What the names of files end with that an earlier write made, and which write that was."""


class Outputs(msgspec.Struct, frozen=True):
    """The files that a transfer writes.

    `marks` only where there are too many for the ledger's own list; `typed` where the target takes no import; `bundle`
    where marked files are to be handed out.
    """

    imports: tuple[Path, ...]
    restores: tuple[Path, ...]
    page: Path
    data: Path
    marks: Path | None = None
    typed: tuple[Path, ...] = ()
    bundle: Path | None = None
    bundle_table: Path | None = None
    workbook: Path | None = None

    def __iter__(self) -> Iterator[Path]:
        rest = (self.page, self.data, self.marks, self.bundle, self.bundle_table, self.workbook)
        return iter(path for path in (*self.imports, *self.restores, *self.typed, *rest) if path)


def outputs_for(settled: Settled, folder: Path, *, with_workbook: bool = False) -> Outputs:
    """Return the names of the files that writing will make in `folder`; those for an import file are numbered on."""
    form = settled.sides.target.grid.file
    made = _MADE.search(form.stem)
    is_typed = settled.plan.target.typing
    number = f"-{int(made[1] or 1) + 1}" if made else ""
    stem = _MADE.sub("", form.stem)
    labels: dict[str, None] = {}
    for one in settled.files.files:
        labels[f"-{file_label(one.label, [label[1:] for label in labels])}" if one.label else ""] = None
    labels = {} if is_typed else labels
    suffix = ".zip" if settled.sides.results else form.suffix
    return Outputs(
        tuple(folder / f"{stem}{label}-import{number}{suffix}" for label in labels),
        tuple(folder / f"{stem}{label}-restore{number}{suffix}" for label in labels),
        folder / "report.html",
        folder / "ledger.json",
        None if settled.is_listed_whole else folder / "ledger-marks.jsonl",
        (folder / f"{stem}-to-type.txt", folder / f"{stem}-to-type.html") if is_typed else (),
        *_bundle_files(bundle_of(settled, folder), folder),
        folder / "report.xlsx" if with_workbook else None,
    )


def bundle_of(settled: Settled, folder: Path) -> "Bundle | None":
    """Return the marked files that are to be handed out; those that were, by a table in the folder, are not again."""
    if settled.plan.feedback is None:
        return None
    from skarvin.core.transfer.feedback import make_bundle  # noqa: PLC0415 - few transfers hand files out

    return make_bundle(settled.plan.feedback.names, settled.sides.parts, settled.pairing, folder)


def _bundle_files(bundle: "Bundle | None", folder: Path) -> tuple[Path | None, Path | None]:
    if bundle is None or not bundle.new:
        return None, None
    return folder / bundle.archive, folder / "feedback.csv"


def misfit(outputs: Outputs) -> Finding | None:
    """Return what is to be said where an import file lies beside a ledger that vouches for another one."""
    for file in outputs.imports:
        try:
            ledger, written = own_bytes(outputs.data), own_bytes(file)
        except OSError:
            continue
        if fingerprint(written).encode() not in ledger:
            what = f"this isn't the import file that {outputs.data.name} vouches for: it was changed or replaced since"
            return Finding("misfit", what, Place(file), "Write again with --replace before you upload it.")
    return None
