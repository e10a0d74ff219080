"""Whether a fresh export comes from the target at all, or is a file of the write itself."""

from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused
from skarvin.core.grid.file_bytes import fingerprint
from skarvin.core.ledger.filed import Filed

IDENTICAL = "identical"
_MEND = "Export the class from the target after the upload, and name that file."
_OWN = ("import", "restore")


def check_origin(filed: Filed, file: Path, *, is_identical_meant: bool) -> None:
    """Refuse a file that the write itself made or read: it says nothing of what the target has.

    Args:
        filed: the ledger of the write.
        file: the file.
        is_identical_meant: whether a person says that it is the target's although it is another file byte for byte.

    Raises:
        Refused: it is the import file where it was written, or an export that the marks came from.
    """
    digest = _digest(file)
    for what, known in filed.files.items():
        kind = what.partition("_")[0]
        if kind in _OWN and file.resolve() == filed.file.with_name(known.name).resolve():
            told = "this is the import file that was written, and not what the target has"
            raise Refused(Finding("own-file", told, Place(file), _MEND))
        if kind == "export" and digest == known.sha256 and not is_identical_meant:
            told = "byte for byte this is the export that the marks came from, and not what the target has"
            mend = f"{_MEND} If the target gives just that, say so with --identical."
            raise Refused(Finding("own-file", told, Place(file), mend))


def told_origin(filed: Filed, digest: str, place: Place) -> Finding | None:
    """Return what is to be said of a file that is, byte for byte, the import file or the form as it was."""
    for what, known in filed.files.items():
        if digest == known.sha256 and what.partition("_")[0] == "import":
            told = "Byte for byte this is the import file, so that it isn't counted as a confirmation"
            mend = "If it was exported from the target, say so with --identical; else export the class there anew."
            return Finding(IDENTICAL, told, place, mend)
        if digest == known.sha256 and what == "form":
            told = "Byte for byte this is the form as it was before the write, as if nothing had been uploaded"
            return Finding("form-as-it-was", told, place)
    return None


def _digest(file: Path) -> str:
    return fingerprint(file.read_bytes()) if file.is_file() else ""
