"""Which characters the bytes of a text file stand for, and how that was told."""

import unicodedata
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from skarvin.core.findings import Finding, Place, Unreadable, counted, listing
from skarvin.core.grid.several_bytes import WINDOWS_932, find_several_bytes, lines_that_change

_MARKS = {b"\xef\xbb\xbf": "utf-8", b"\xff\xfe": "utf-16-le", b"\xfe\xff": "utf-16-be"}
_TITLES = {
    "utf-8": "UTF-8",
    "utf-16-le": "UTF-16 LE",
    "utf-16-be": "UTF-16 BE",
    "cp1252": "Windows-1252",
    "cp1250": "Windows-1250",
    "cp1251": "Windows-1251",
    "cp1253": "Windows-1253",
    "cp1254": "Windows-1254",
    "cp1257": "Windows-1257",
    "iso8859-2": "ISO-8859-2",
    "iso8859-15": "ISO-8859-15",
    "mac-roman": "Mac Roman",
    "cp850": "DOS 850",
    "cp852": "DOS 852",
    "cp866": "DOS 866",
    "koi8-r": "KOI8-R",
    "cp1255": "Windows-1255",
    "cp1256": "Windows-1256",
    "cp874": "Windows-874",
    WINDOWS_932: "Windows-932 (Shift JIS)",
    "cp949": "Windows-949",
    "gbk": "GBK",
    "gb18030": "GB 18030",
    "cp950": "Windows-950 (Big5)",
}
_ONE_BYTE = (
    *("cp1252", "iso8859-15", "cp1250", "iso8859-2", "cp1254", "cp1257", "cp1255", "cp1251", "cp1253", "mac-roman"),
    *("cp850", "cp852", "koi8-r", "cp866", "cp1256", "cp874"),
)
"""The encodings of one byte a character that are tried, the commonest first: of equal ones the first is taken."""
_ALPHABETS = (
    *("äöüß", "àâæçéèêëîïôœùûü", "áéíñóúü", "áâãàçéêíóôõú", "àèéìòù", "ëéïöüèê", "åäöé", "æøåéö", "áéíóúýðþæö"),
    *("ąćęłńóśźż", "áčďéěíňóřšťúůýž", "áäčďéíĺľňóôŕšťúýž", "áéíóöőúüű", "ăâîșțşţ", "čćđšž", "çğıöşüâî"),
    *("ąčęėįšųūž", "āčēģīķļņšūž", "äõöüšž"),
    *("абвгґдеёєжзиіїйклмнопрстуфхцчшщъыьэюяў", "αάβγδεέζηήθιίϊΐκλμνξοόπρσςτυύϋΰφχψωώ"),
    *("אבגדהוזחטיךכלםמןנסעףפץצקרשת", "ءآأؤإئابةتثجحخدذرزسشصضطظعغفقكلمنهوىي"),
    "".join(map(chr, range(0x0E01, 0x0E4F))),
)
"""The letters beyond ASCII of languages that these encodings are for: a text is mostly in one of them."""
_IN_ALPHABET, _RUN = 1.5, 4.0
_NEARLY = 2.0
"""Where another encoding fits as well but for one letter, that is said."""
_WITH_MARK = {"utf-16": "utf-16-le", "utf16": "utf-16-le", "utf-8-sig": "utf-8"}
"""Encodings whose name stands for whatever the byte order mark says, and what they are without one."""
_MEANT = dict.fromkeys(("cp932", "windows-31j", "shift_jis", "shift-jis", "sjis"), WINDOWS_932)
_MEANT |= dict.fromkeys(("euc-kr", "euc_kr", "ks_c_5601-1987"), "cp949")
_MEANT |= {"gb2312": "gbk", "big5": "cp950", "tis-620": "cp874"}
"""What files are in that name a standard so: the encoding of Windows, which has more characters (Encoding, 4.2)."""
_PLAIN = 'Knots, 8.5; "x" +-\\ \t\r\n'
_LONGEST_NAME = 40
_LAST_LATIN = "\u024f"
_ORDINALS, _BEFORE_ORDINAL, _NUMERO = "ºª", frozenset(".Nn"), "№"
"""Signs of numbers: N.º 3, 1ª, № 3."""
_SAMPLE = 20_000
_SMALLER = {"gb18030": ("gbk", "gb18030")}
"""What is tried first: a target that takes the smaller one may not read what the larger one has besides."""
_SURE, _ENOUGH = 3.3, 250
_UTF16_SHARE = 0.3
_MOST_LINES = 8


class Encoding(NamedTuple):
    """How text became bytes: the codec's name, the byte order mark that stood in front, and how that was told.

    Where some lines are in another encoding, `elsewhere` has their numbers, from 1, and `others` its codec; several if
    it can't be told which: what they read otherwise is a replacement character then.
    """

    codec: str
    mark: bytes = b""
    evidence: str = ""
    others: tuple[str, ...] = ()
    elsewhere: tuple[int, ...] = ()
    changing: tuple[int, ...] = ()
    """The lines that would be other bytes if they were written again."""
    fit: float = 0.0
    """How well a character beyond ASCII fits where it stands, on average; a letter in a word has 3.5."""

    @property
    def title(self) -> str:
        """The encoding in a person's words."""
        title = f"{_TITLES.get(self.codec, self.codec)}{' with BOM' if self.mark else ''}"
        return f"{title} and {_TITLES[self.others[0]]}" if self.elsewhere else title

    def notes(self, file: Path) -> Iterator[Finding]:
        """Yield what is to be said of lines in another encoding."""
        if self.changing:
            numbers = listing([f"{number:,}" for number in self.changing], _MOST_LINES)
            where = f"{'line' if len(self.changing) == 1 else 'lines'} {numbers}"
            what = f"some characters have two codes in {self.title}, and would be written as the other one ({where})"
            yield Finding("two-codes", what, Place(file), "Marks are read as they stand.")
        if not self.elsewhere:
            return
        numbers = listing([f"{number:,}" for number in self.elsewhere], _MOST_LINES)
        lines = f"line {numbers} is" if len(self.elsewhere) == 1 else f"lines {numbers} are"
        what = f"encodings are mixed: {lines} in {_TITLES[self.others[0]]}, and the others in UTF-8"
        if len(self.others) > 1:
            what += f"; {listing([_TITLES[codec] for codec in self.others[1:]], 4)} would do as well, so that letters "
            what += "which these read otherwise stand as \N{REPLACEMENT CHARACTER}"
        yield Finding("mixed-encodings", what, Place(file), "Two files may have been joined: look at names there.")

    @property
    def reading_codec(self) -> str:
        """The codec for whoever reads the file from its first byte."""
        if self.mark:
            return {"utf-8": "utf-8-sig"}.get(self.codec, "utf-16")
        return {WINDOWS_932: "cp932"}.get(self.codec, self.codec)


_ASCII, _UTF8 = "plain ASCII", "every byte sequence is valid UTF-8"


def decode(data: bytes, file: Path, codec: str | None = None) -> tuple[str, Encoding]:
    """Return the text of a file and how it was encoded: as `codec` says, or as the bytes give away.

    Decoding is strict, so that encoding the text again gives back the same bytes.

    Raises:
        Unreadable: the bytes are no text, or not in the encoding named.
    """
    mark = next((mark for mark in _MARKS if data.startswith(mark)), b"")
    if not codec and not mark and (text := _utf8(data)) is not None:
        return text, Encoding("utf-8", evidence=_ASCII if text.isascii() else _UTF8)
    if not codec and not mark and b"\0" not in data[:_SAMPLE]:
        if several := _several_bytes(data):
            return _exact(data, data.decode(several.codec), several)
        if mixed := _mixture(data):
            return mixed
    encoding = _named(codec, mark, file) if codec else _detect(data, mark)
    try:
        text = data[len(mark) :].decode(encoding.codec)
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        what = f"byte {data[error.start + len(mark)]:#04x} is not {encoding.title} text"
        mend = "Export the file again as UTF-8, or say --encoding."
        raise Unreadable(Finding("unknown-encoding", what, Place(file, line=line), mend)) from None
    return _exact(data, text, encoding)


def _exact(data: bytes, text: str, encoding: Encoding) -> tuple[str, Encoding]:
    """Return a text and its encoding, which knows the lines that wouldn't be given back as they stand."""
    return text, encoding._replace(changing=tuple(lines_that_change(data, text, encoding.codec)))


def _named(codec: str, mark: bytes, file: Path) -> Encoding:
    by_title = {title.casefold(): name for name, title in _TITLES.items()}
    known = by_title.get(codec.casefold(), codec.casefold())
    known = _MEANT.get(known, known)
    if known in _WITH_MARK:
        known = _MARKS.get(mark, _WITH_MARK[known])
    if not _is_usable(known):
        what = f"there is no encoding '{codec}'" if len(codec) < _LONGEST_NAME else "this is no encoding"
        mend = f"Known here are for example: {', '.join(_TITLES)}."
        raise Unreadable(Finding("unknown-encoding", what, Place(file), mend))
    return Encoding(known, mark if mark and _MARKS[mark] == known else b"", "as you said")


def _is_usable(codec: str) -> bool:
    """Tell whether text can be put together out of pieces in an encoding, and comes back as it was."""
    try:
        pieces = [sign.encode(codec) for sign in _PLAIN]
        return len(set(map(len, pieces))) == 1 and b"".join(pieces).decode(codec) == _PLAIN
    except (LookupError, ValueError, ImportError):  # UnicodeError is a ValueError
        return False


def _utf8(data: bytes) -> str | None:
    """Return the text of bytes that are UTF-8, and not every second one of them zero."""
    try:
        return None if b"\0" in data[:_SAMPLE] else data.decode()
    except UnicodeDecodeError:
        return None


def _detect(data: bytes, mark: bytes) -> Encoding:
    """Tell the encoding of bytes that are no UTF-8, or begin with a mark."""
    if mark:
        return Encoding(_MARKS[mark], mark, "it begins with a byte order mark")
    if b"\0" in data[:_SAMPLE]:
        return _utf16(data)
    return _one_byte(_beyond_ascii(data))


def _utf16(data: bytes) -> Encoding:
    """Tell by the side on which the NUL bytes of plain letters stand; without such a side the text is none."""
    sample = data[:_SAMPLE]
    even, odd = (sample[side::2].count(0) / max(1, len(sample) // 2) for side in (0, 1))
    if odd > _UTF16_SHARE > even:
        return Encoding("utf-16-le", evidence="every second byte is zero, as in UTF-16")
    if even > _UTF16_SHARE > odd:
        return Encoding("utf-16-be", evidence="every second byte is zero, as in UTF-16")
    return Encoding("utf-8")


def _mixture(data: bytes) -> tuple[str, Encoding] | None:
    """Return the text of a file of which some lines are UTF-8 beyond ASCII and others are something else."""
    lines = data.splitlines(keepends=True)
    texts = [_utf8(line) for line in lines]
    odd = tuple(number for number, text in enumerate(texts, 1) if text is None)
    if all(text is None or text.isascii() for text in texts):
        return None
    other = _one_byte(_beyond_ascii(b"".join(lines[number - 1] for number in odd)))
    codecs = (other.codec, *other.others)
    for number in odd:
        said = [lines[number - 1].decode(codec, "replace") for codec in codecs]
        signs = (set(several) for several in zip(*said, strict=True))
        texts[number - 1] = "".join(some.pop() if len(some) == 1 else "\N{REPLACEMENT CHARACTER}" for some in signs)
    return "".join(filter(None, texts)), Encoding("utf-8", b"", f"line by line; {other.evidence}", codecs, odd)


def _several_bytes(data: bytes) -> Encoding | None:
    """Return the encoding of several bytes a character in which common ones stand, unless letters fit as well."""
    sample = _beyond_ascii(data)
    codecs = find_several_bytes(sample)
    if not codecs or _one_byte(sample).fit >= _SURE:
        return None
    codec = next((codec for codec in _SMALLER.get(codecs[0], codecs[:1]) if _decodes(data, codec)), None)
    if codec is None:
        return None
    evidence = "not UTF-8; nearly all characters are common ones in it"
    if len(codecs) > 1:
        evidence += f"; {_TITLES[codecs[1]]} is nearly as good: if names look wrong, --encoding {codecs[1]}"
    return Encoding(codec, evidence=evidence)


def _decodes(data: bytes, codec: str) -> bool:
    try:
        data.decode(codec)
    except UnicodeDecodeError:
        return False
    return True


def _beyond_ascii(data: bytes) -> bytes:
    """Return lines that say more than ASCII, from all over a file, enough to tell by."""
    some = data[: _SAMPLE * 500]
    lines = some.splitlines(keepends=True)
    odd = [line for line in (lines if len(some) == len(data) else lines[:-1]) if not line.isascii()]
    return b"".join(odd[:: max(1, len(odd) // _ENOUGH)])


def _one_byte(data: bytes) -> Encoding:
    """Return the encoding under which the characters beyond ASCII fit best: into their words, and into an alphabet."""
    fits: dict[str, float] = {}
    texts: dict[str, str] = {}
    letters = 0
    for codec in _ONE_BYTE:
        text = data.decode(codec, errors="replace")
        found = [index for index, sign in enumerate(text) if not sign.isascii()][:_SAMPLE]
        texts[codec] = "".join(text[index] for index in found)
        fits[codec] = sum(_fit(text, index) for index in found) + _fit_alphabet(text, found)
        letters = len(found)
    best = max(fits, key=lambda codec: fits[codec])
    evidence = f"not UTF-8; best fit for {counted(letters, 'non-ASCII character')}"
    others = [codec for codec in fits if texts[codec] != texts[best] and fits[best] - fits[codec] < _NEARLY]
    if others:
        other = others[0]
        evidence += f"; {_TITLES[other]} is nearly as good: if names look wrong, --encoding {other}"
    return Encoding(best, evidence=evidence, others=tuple(others), fit=fits[best] / max(1, letters))


def _fit_alphabet(text: str, found: list[int]) -> float:
    """Return how well the letters beyond ASCII fit into one language's alphabet, and into words of such letters."""
    counts = Counter(sign for index in found if (sign := text[index].lower()).isalpha() and sign not in _ORDINALS)
    best = max((sum(counts[sign] for sign in letters) for letters in _ALPHABETS), default=0)
    fit = _IN_ALPHABET * (2 * best - counts.total())
    for index in found:  # Latin letters with accents stand among plain ones; Greek and Cyrillic among their like
        around = text[max(index - 1, 0) : index] + text[index + 1 : index + 2]
        is_run = len(around) == 2 and all(sign.isalpha() and not sign.isascii() for sign in around)  # noqa: PLR2004
        is_latin = text[index].isalpha() and text[index] <= _LAST_LATIN
        is_mixed = not is_latin and any(sign.isalpha() and sign.isascii() for sign in around)
        fit -= _RUN * ((is_run and is_latin) or (is_mixed and text[index].isalpha()))
    return fit


def _fit(text: str, index: int) -> float:
    """Return how well a character fits between its neighbours."""
    sign, before, after = text[index], text[index - 1 : index], text[index + 1 : index + 2]
    category = unicodedata.category(sign)
    in_word = before.isalpha() or after.isalpha()
    if category == "Cc" or sign == "\ufffd":
        return -5
    if (sign in _ORDINALS and (before in _BEFORE_ORDINAL or before.isdigit())) or (sign == _NUMERO and not in_word):
        return 4  # as much as a letter in a word and in an alphabet
    is_vowel = category == "Mn" and before > _LAST_LATIN  # a sign above or below a letter of its own alphabet
    is_bare = sign > _LAST_LATIN and (category == "Lo" or is_vowel)
    if is_bare or category in {"Ll", "Lu"}:
        if not in_word and sign > _LAST_LATIN and sign.isupper():
            return -1  # a capital of another alphabet by itself is rarely one
        is_odd = sign.isupper() and (before.islower() or (after.islower() and before.isalpha()))
        alone = -0.5 if category == "Ll" else 0
        return -2 if is_odd else 2 if in_word else alone
    if category in {"Pi", "Pf", "Pd", "Po", "Ps", "Sc", "Zs"}:
        return 0.5
    return -2 if in_word else -0.5


def mend_mangled(text: str) -> str | None:
    """Return what a text said before it was read in the wrong encoding and saved again; None if it wasn't.

    UTF-8 read as Windows-1252 turns 'é' into 'Ã©'. The way back must give valid UTF-8, and fewer characters.
    """
    if text.isascii():
        return None
    try:
        data = b"".join(_as_byte(sign) for sign in text)
        mended = data.decode("utf-8")
    except (UnicodeEncodeError, UnicodeDecodeError):
        return None
    return mended if len(mended) < len(text) else None


def _as_byte(sign: str) -> bytes:
    try:
        return sign.encode("cp1252")
    except UnicodeEncodeError:
        return sign.encode("latin-1")  # the five bytes that Windows-1252 leaves undefined
