"""Which kind of target a file is."""

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.grid.file_kinds import Kind
from skarvin.core.grid.grid import CellGrid, Grid, TextGrid
from skarvin.core.targets.delimited import DelimitedTarget
from skarvin.core.targets.target import Target

_TAKEN = "Skarvin fills delimited text (CSV) and workbooks in the form .xlsx"
_NOT_AS_IT_LIES = {
    "mixed-encodings": "Save it in one encoding, and name that file.",
    "two-codes": "Save it as UTF-8, and name that file.",
    "compressed": "Unpack it, and name that file.",
    "quotes-mixed": "Correct these lines, and name that file.",
    "controls-skipped": "Save it without such characters, and name that file.",
}
"""What is said of a file that is read otherwise than its bytes stand, and what to do."""


def open_target(grid: Grid) -> Target:
    """Return a grid's file as a target.

    Raises:
        Unreadable: its kind can't be written.
    """
    if altered := next((note for note in grid.notes if note.slug in _NOT_AS_IT_LIES), None):
        what = f"a form is filled as it lies there: {altered.what}"
        raise Unreadable(Finding("unfillable-form", what, grid.place(), _NOT_AS_IT_LIES[altered.slug]))
    if isinstance(grid, TextGrid):
        return DelimitedTarget(grid)
    if isinstance(grid, CellGrid) and grid.kind is Kind.XLSX:
        return _workbook(grid)
    if isinstance(grid, CellGrid) and grid.kind is Kind.FOLDER:
        raise Unreadable(Finding("folder", "this is a folder", grid.place(), "Name the form inside it."))
    mend = f"{_TAKEN}: open it in a spreadsheet and save it as .xlsx, or export it as CSV."
    raise Unreadable(Finding("unfillable-form", f"the form is a {grid.title}", grid.place(), mend))


def _workbook(grid: CellGrid) -> Target:
    from skarvin.core.targets.sheet_target import WorkbookTarget  # noqa: PLC0415 - most forms are delimited text

    target = WorkbookTarget(grid)
    if target.has_macros:
        mend = "Save it as .xlsx, without its programs, if the target takes that."
        raise Unreadable(Finding("macros", "the form is a workbook with programs (macros)", grid.place(), mend))
    if target.is_signed:
        mend = "Ask for one without a signature: filling it would break the signature."
        raise Unreadable(Finding("signed", "the form is a signed workbook", grid.place(), mend))
    return target
