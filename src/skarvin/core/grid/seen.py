"""What a person sees in a cell that isn't plain text: raised, lowered and struck-out text, lines, hidden parts."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from pathlib import Path

from skarvin.core.findings import Finding, Place, column_letter, counted, listing
from skarvin.core.texts.patterns import pattern

NOT_STORED = "#not stored"
"""What stands in a cell whose formula's value isn't stored: a mark that can't be read, and never a blank."""
_RAISED = str.maketrans("0123456789+-=()", "⁰¹²³⁴⁵⁶⁷⁸⁹⁺⁻⁼⁽⁾")
_LOWERED = str.maketrans("0123456789+-=()", "₀₁₂₃₄₅₆₇₈₉₊₋₌₍₎")
_FEW = 6
_DECIMALS = pattern(r"(?:#,##)?[#0]*0(?:\.(0{1,15}))?%?")


def raised(text: str) -> str:
    """Return a superscript so that it isn't taken for digits of what it stands at."""
    return text.translate(_RAISED)


def lowered(text: str) -> str:
    """Return a subscript so that it isn't taken for digits of what it stands at."""
    return text.translate(_LOWERED)


def struck(text: str) -> str:
    """Return struck-out text, told apart from what stands beside it."""
    return f" ~{text.strip()}~ " if text.strip() else text


def shown_decimals(code: str) -> int | None:
    """Return how many decimals a number's format shows; None where it says nothing of them."""
    match = _DECIMALS.fullmatch(code)
    return len(match[1] or "") if match else None


def in_lines(text: str) -> str:
    """Return a text with one blank where there are several, without blank lines."""
    lines = (" ".join(line.split()) for line in text.split("\n"))
    return "\n".join(filter(None, lines))


def hidden_text(file: Path, sheet: str | None, cells: Sequence[tuple[int, int]]) -> Iterable[Finding]:
    """Yield a note on the cells of which a part isn't shown."""
    if cells:
        who = counted(len(cells), "cell", "cells")
        what = f"{who} of {file.name} ({_named(*cells[0])} first) {_have(cells)} text that isn't shown, and isn't read"
        yield Finding("hidden-text", what, Place(file, sheet=sheet))


def _named(row: int, column: int) -> str:
    return f"{column_letter(column)}{row + 1}"


def _have(cells: Collection[object]) -> str:
    return "has" if len(cells) == 1 else "have"


class Rounded:
    """The numbers that are stored with more decimals than a sheet shows."""

    def __init__(self) -> None:
        self._cells: list[tuple[int, int, str, int]] = []

    def see(self, row: int, column: int, text: str, decimals: int) -> None:
        """Look at a cell: what is stored, as a text, and how many decimals are shown."""
        if len(text.removesuffix("%").partition(".")[2]) > decimals:
            self._cells.append((row, column, text, decimals))

    @property
    def columns(self) -> Mapping[int, int]:
        """How many decimals are shown in each column where more are stored, if these are as many all over."""
        found: dict[int, set[int]] = {}
        for _, column, _, decimals in self._cells:
            found.setdefault(column, set()).add(decimals)
        return {column: decimals.pop() for column, decimals in found.items() if len(decimals) == 1}

    def notes(self, file: Path, sheet: str) -> Iterable[Finding]:
        """Yield a note on them."""
        if self._cells:
            row, column, text, decimals = self._cells[0]
            who = counted(len(self._cells), "number", "numbers")
            are = "is" if len(self._cells) == 1 else "are"
            stored = f"({_named(row, column)}: {text}, shown with {counted(decimals, 'decimal')})"
            what = f"{who} of {file.name} {are} stored with more decimals than shown {stored}, and read as stored"
            yield Finding("shown-rounded", what, Place(file, sheet=sheet))


def errors_in(file: Path, sheet: str, cells: Mapping[tuple[int, int], str]) -> Iterable[Finding]:
    """Yield a note on the cells that hold an error of the spreadsheet's."""
    if cells:
        which = listing(list(dict.fromkeys(cells.values())), _FEW)
        who = f"{counted(len(cells), 'cell', 'cells')} of {file.name} ({_named(*next(iter(cells)))} first)"
        what = f"{who} {_have(cells)} an error instead of a value: {which}"
        yield Finding("error-cells", what, Place(file, sheet=sheet), "Mend it in the workbook.")


def without_values(file: Path, sheet: str, cells: Sequence[tuple[int, int]]) -> Iterable[Finding]:
    """Yield a note on the cells with a formula whose value isn't stored."""
    if cells:
        who = f"{counted(len(cells), 'cell', 'cells')} of {file.name} ({_named(*cells[0])} first)"
        what = f"{who} {_have(cells)} a formula whose value isn't stored"
        mend = "Open the workbook in a spreadsheet and save it, so that the values are stored."
        yield Finding("formula-without-value", what, Place(file, sheet=sheet), mend)
