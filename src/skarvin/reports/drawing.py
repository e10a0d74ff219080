"""Draws bars, lines and words on rows beside an axis, with Matplotlib, as SVG in the colours of its page.

Matplotlib's own axes, ticks and legends take longer than all the rest of a report, so that places are reckoned here.
"""

import io
import logging
import os
import re
import warnings
from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from platformdirs import user_cache_path

INK, SOFT, LINE, PAPER = "#010203", "#040506", "#070809", "#0a0b0c"
"""Stand for the page's own colours, which differ by day, by night and in print."""
_PATTERN = "#1100{:02x}"
_VARIABLES = {INK: "var(--ink)", SOFT: "var(--soft)", LINE: "var(--line)", PAPER: "var(--paper)"}
_WIDTH, _ROW, _TOP, _BARE_TOP, _BOTTOM = 9.2, 0.3, 0.42, 0.1, 0.5
_LEFT, _RIGHT = 0.24, 0.98
_SIZE, _SMALL = 8.5, 7.5
_LONGEST = 32
_LINES = ("-", ":")
_SETTINGS: Any = {
    "svg.fonttype": "none",
    "svg.hashsalt": "skarvin",
    "font.family": "sans-serif",
    "font.size": _SIZE,
    "text.parse_math": False,
}


def _no_words(artist: object) -> str:  # noqa: ARG001 - called so
    return ""


class Label(NamedTuple):
    """One entry of a legend: the pattern's place among the page's patterns, and its words."""

    pattern: int
    words: str


class Drawing:
    """A drawing with rows from the top down, and an axis from 0 to `most` below them."""

    def __init__(self, rows: float, most: float, *, has_legend: bool = True) -> None:
        os.environ.setdefault("MPLCONFIGDIR", str(user_cache_path("skarvin", appauthor=False) / "figures"))
        logging.getLogger("matplotlib").setLevel(logging.ERROR)  # it tells of caches that it makes
        from matplotlib import artist  # noqa: PLC0415 - most commands draw nothing

        artist.kwdoc = _no_words  # it takes a quarter of the import to describe what nobody asks about here
        from matplotlib.figure import Figure  # noqa: PLC0415

        self._most = most or 1
        self._top = _TOP if has_legend else _BARE_TOP
        self._height = rows * _ROW + self._top + _BOTTOM
        self._canvas = Figure(figsize=(_WIDTH, self._height))
        self._bars: dict[int, list[tuple[float, float, float, float]]] = {}
        self._lines: dict[tuple[str, float, bool], list[list[tuple[float, float]]]] = {}

    def _x(self, value: float) -> float:
        return _LEFT + (_RIGHT - _LEFT) * value / self._most

    def _y(self, row: float) -> float:
        return (self._height - self._top - (row + 0.5) * _ROW) / self._height

    def bar(self, row: float, start: float, width: float, pattern: int) -> None:
        """Draw a bar with one of the page's patterns."""
        half = 0.34 * _ROW / self._height
        corner = (self._x(start), self._y(row) - half, self._x(start + width) - self._x(start), 2 * half)
        self._bars.setdefault(pattern, []).append(corner)

    def line(
        self, start: tuple[float, float], end: tuple[float, float], width: float, *, is_dotted: bool = False
    ) -> None:
        """Draw a line between two places, each a value and a row."""
        places = [(self._x(value), self._y(row)) for value, row in (start, end)]
        self._lines.setdefault((INK, width, is_dotted), []).append(places)

    def mark(self, value: float, row: float) -> None:
        """Draw a short gap across a thick line."""
        half = 0.2 * _ROW / self._height
        places = [(self._x(value), self._y(row) - half), (self._x(value), self._y(row) + half)]
        self._lines.setdefault((PAPER, 1.6, False), []).append(places)

    def words(self, value: float, row: float, text: str, *, is_small: bool = False) -> None:
        """Write words in the middle of a place."""
        self._text(self._x(value), self._y(row), text, "center", _SMALL if is_small else _SIZE)

    def name(self, row: float, text: str) -> None:
        """Name a row."""
        shown = text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
        self._text(_LEFT - 0.01, self._y(row), shown, "right", _SIZE)

    def legend(self, labels: Sequence[Label]) -> None:
        """Draw the legend above the rows."""
        at, y = 0.01, 1 - 0.2 / self._height
        for label in labels:
            half = 0.075 / self._height
            self._bars.setdefault(label.pattern, []).append((at, y - half, 0.022, 2 * half))
            self._text(at + 0.028, y, label.words, "left", _SIZE)
            at += 0.045 + 0.0088 * len(label.words)

    def axis(self, rows: float, words: str) -> None:
        """Draw the axis below so many rows, and say what it shows."""
        bottom = self._y(rows - 0.5)
        for tick in _ticks(self._most):
            self._lines.setdefault((LINE, 0.8, False), []).append(
                [(self._x(tick), bottom), (self._x(tick), self._y(-0.5))]
            )
            self._text(self._x(tick), bottom - 0.13 / self._height, f"{tick:g}", "center", _SIZE)
        self._text((_LEFT + _RIGHT) / 2, bottom - 0.34 / self._height, words, "center", _SIZE)

    def _text(self, x: float, y: float, text: str, align: str, size: float) -> None:
        self._canvas.text(x, y, text, ha=align, va="center_baseline", size=size, color=INK)

    def svg(self) -> str:
        """Return the drawing as SVG that stands in a page: as wide as there is room, coloured by the page."""
        from matplotlib import rc_context  # noqa: PLC0415
        from matplotlib.backends.backend_svg import FigureCanvasSVG  # noqa: PLC0415
        from matplotlib.collections import LineCollection, PatchCollection  # noqa: PLC0415
        from matplotlib.patches import Rectangle  # noqa: PLC0415

        place = self._canvas.transFigure
        for layer, order in enumerate((LINE, "bars", INK, PAPER)):
            if order == "bars":
                for pattern, bars in self._bars.items():
                    patches = [Rectangle((x, y), width, height) for x, y, width, height in bars]
                    face = _PATTERN.format(pattern)
                    self._canvas.add_artist(
                        PatchCollection(
                            patches, facecolor=face, edgecolor=INK, linewidth=0.5, transform=place, zorder=layer
                        )
                    )
            for (colour, width, is_dotted), lines in self._lines.items():
                if colour == order:
                    style = _LINES[is_dotted]
                    self._canvas.add_artist(
                        LineCollection(
                            lines, colors=colour, linewidths=width, linestyles=style, transform=place, zorder=layer
                        )
                    )
        with rc_context(_SETTINGS), warnings.catch_warnings():
            warnings.filterwarnings("ignore", message="Glyph")  # texts stay texts: the reader's fonts have them
            FigureCanvasSVG(self._canvas)
            data = io.StringIO()
            self._canvas.savefig(data, format="svg", transparent=True, metadata={"Date": None, "Creator": None})
        return _for_page(data.getvalue())


def _for_page(svg: str) -> str:
    svg = svg[svg.index("<svg") :]
    svg = re.sub(r"<metadata>.*?</metadata>", "", svg, flags=re.DOTALL)
    head, rest = svg.split(">", 1)
    box = re.search(r'viewBox="[^"]*"', head)
    svg = f'<svg xmlns:xlink="http://www.w3.org/1999/xlink" aria-hidden="true" {box[0] if box else ""}>{rest}'
    for colour, variable in _VARIABLES.items():
        svg = svg.replace(colour, variable)
    svg = re.sub(r"#1100([0-9a-f]{2})", lambda match: f"url(#pattern-{int(match[1], 16)})", svg)
    return re.sub(r"font: ([\d.]+)px [^;\"]*", r"font-size: \1px", svg)


def _ticks(most: float) -> Iterator[float]:
    """Yield round numbers from 0 to `most`, up to seven of them."""
    step = next(size * ten for ten in _TENS for size in (1, 2, 5) if most / (size * ten) <= 7)  # noqa: PLR2004
    number = 0.0
    while number <= most * 1.0001:
        yield number
        number += step


_TENS = tuple(10**power for power in range(12))
