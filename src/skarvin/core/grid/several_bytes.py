"""Encodings of several bytes a character: Japanese, Korean and Chinese text, told by how many characters are common.

Each of them reads most of the others' texts as something; only in its own are nearly all characters those of every day.
"""

import codecs
import re
from collections import Counter
from functools import cache
from itertools import pairwise
from typing import NamedTuple

WINDOWS_932 = "windows_932"
"""Windows-932, written as Windows writes it: Python gives other bytes to hundreds of characters that have two."""


class _Rows(NamedTuple):
    """An encoding, the national standard that puts its characters into rows, and which rows are those of every day."""

    codec: str
    standard: str
    every_day: range


_ENCODINGS = (
    _Rows("cp949", "euc_kr", range(0xB0, 0xC9)),  # KS X 1001: syllables
    _Rows(WINDOWS_932, "euc_jp", range(0xB0, 0xD0)),  # JIS X 0208: characters of the first level
    _Rows("cp950", "big5", range(0xA4, 0xC7)),  # Big5: the first level
    _Rows("gb18030", "gb2312", range(0xB0, 0xD8)),  # GB 2312: the first level
)
"""Of equal ones the first is taken: syllables of Korean stand where GB 2312 has common characters."""
SEVERAL_BYTES = frozenset(rows.codec for rows in _ENCODINGS)
_KANA = range(0x3041, 0x3100)
_SIGNS = (range(0x3000, 0x3040), range(0xFF01, 0xFF5F), range(0x2010, 0x2027), range(0xA0, 0xC0), range(0xFF61, 0xFFA0))
"""Punctuation, wide letters and digits, and narrow kana, which any single bytes may be: they tell nothing."""
_OTHER_LEVEL, _RARE = 0.6, 0.2
_FEWEST, _LEAST, _NEARLY, _MOST_TOUCHING = 3, 0.75, 0.08, 0.2


def find_several_bytes(data: bytes) -> tuple[str, ...]:
    """Return the encoding that text is in, and others that are nearly as likely; nothing if it is in none of them."""
    found = {rows.codec: _commonness(data, rows) for rows in _ENCODINGS}
    best = max(found, key=lambda codec: found[codec])
    others = [codec for codec in found if codec != best and found[best] - found[codec] < _NEARLY]
    return (best, *others) if found[best] >= _LEAST else ()


def _commonness(data: bytes, rows: _Rows) -> float:
    """Return from 0 to 1 how common the characters are; 0 where the bytes are no such text, or too few."""
    try:
        text = data.decode(rows.codec)
    except UnicodeDecodeError:
        return 0
    counts = Counter(text)
    wide = {sign: count for sign, count in counts.items() if not sign.isascii() and not _is_sign(sign)}
    if sum(wide.values()) < _FEWEST or _touches_letters(text, sum(wide.values())):
        return 0
    return sum(count * _weight(sign, rows) for sign, count in wide.items()) / sum(wide.values())


def _is_sign(sign: str) -> bool:
    return any(ord(sign) in signs for signs in _SIGNS)


def _touches_letters(text: str, count: int) -> bool:
    """Tell whether many characters stand beside plain letters, as letters with accents do."""
    touching = sum(a.isascii() != b.isascii() and a.isalpha() and b.isalpha() for a, b in pairwise(text))
    return touching > _MOST_TOUCHING * count


def _weight(sign: str, rows: _Rows) -> float:
    if ord(sign) in _KANA:
        return 1.0 if rows.codec == WINDOWS_932 else 0.0
    try:
        first, *rest = sign.encode(rows.standard)
    except UnicodeEncodeError:
        return _RARE
    return _RARE if not rest else 1.0 if first in rows.every_day else _OTHER_LEVEL


def lines_that_change(data: bytes, text: str, codec: str) -> list[int]:
    """Return the lines of a file, from 1, that would be other bytes if their text was written again."""
    if codec not in SEVERAL_BYTES or text.encode(codec) == data:
        return []
    lines = enumerate(data.splitlines(keepends=True), 1)
    return [number for number, line in lines if line.decode(codec, "replace").encode(codec, "replace") != line]


@cache
def _twice() -> tuple[re.Pattern[str], dict[str, bytes]]:
    """Return the characters for which Python and Windows write other bytes, and those of Windows."""
    found: dict[str, bytes] = {}
    for data in (bytes((first, second)) for first in range(0xFA, 0xFD) for second in range(0x40, 0xFD)):
        sign = data.decode("cp932", "replace")
        if len(sign) == 1 and sign.encode("cp932", "replace")[0] in {0xED, 0xEE}:
            found[sign] = data
    return re.compile(f"([{''.join(found)}])"), found


def _as_windows_does(text: str, errors: str = "strict") -> tuple[bytes, int]:
    pattern, found = _twice()
    parts = pattern.split(text)
    return b"".join(found.get(part) or part.encode("cp932", errors) for part in parts), len(text)


def _windows_932(name: str) -> codecs.CodecInfo | None:
    own = codecs.lookup("cp932")
    return codecs.CodecInfo(_as_windows_does, own.decode, name=WINDOWS_932) if name == WINDOWS_932 else None


codecs.register(_windows_932)
