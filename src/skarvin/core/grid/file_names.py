"""What the names of marked files say: who, which number, which mark. The pattern is told from all names together."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import LETTER
from skarvin.core.texts.mark_kinds import GRADE_WORDS, STATUS_WORDS
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_MOST = 0.8
_LONGEST_MARK = 3
_SEVERAL = " and "
_NOISE = phrase_set(WORDS.files.noise)
_UNITS = "|".join(sorted(map(re.escape, phrases(WORDS.headings.unit)), key=len, reverse=True))
_BETWEEN = "|".join(re.escape(word) for word in (*phrases(WORDS.marks.out_of), *phrases(WORDS.files.of)))
_APART = r"(?<![^\W_])(?<![.,])"
_OUT_OF = re.compile(rf"{_APART}(\d+(?:[.,]\d+)?)[\s_]*(?:{_BETWEEN})[\s_]*(\d+(?:[.,]\d+)?)(?![^\W_])", re.IGNORECASE)
_UNIT = re.compile(rf"{_APART}(\d+(?:[.,]\d+)?)[\s_]*(?:{_UNITS})(?![^\W_])", re.IGNORECASE)
_DATE = re.compile(
    r"(?<!\d)(?:(?:19|20)\d\d[-._]\d\d?[-._]\d\d?|\d\d?[-._]\d\d?[-._](?:19|20)\d\d)(?!\d)(?:[ _T]\d\d[-.:]?\d\d)?"
)
_NUMBER = re.compile(r"\d+(?:[.,]\d+)?%?")
_CODE = re.compile(r"(?=.*\d)[\w.-]+")
_FIELDS = {
    "name": r"(?P<name>.+?)",
    "number": r"(?P<number>[^\s_]*\d[^\s_]*?)",
    "mark": r"(?P<mark>[^\s_]*?)",
    "maximum": r"(?P<maximum>\d+(?:[.,]\d+)?)",
    "any": r".*?",
}
_FIELD = re.compile(r"\{(\w+)\}")


class Said(NamedTuple):
    """What one name says; blank where it says nothing. `mark` has several texts in it where several may be the mark."""

    name: str = ""
    number: str = ""
    mark: str = ""


class Told(NamedTuple):
    """What all names say, what they have in common, and how most of them are made."""

    said: list[Said]
    title: str
    pattern: str


class _Part(NamedTuple):
    """A part of a name: its text, what it can be, and whether it stands in brackets."""

    text: str
    kind: str
    is_bracketed: bool = False


def tell_names(stems: Sequence[str], pattern: str | None = None) -> Told:
    """Return what names of files say, without what stands behind their last point.

    Args:
        stems: the names.
        pattern: how they are made, if a person says so: `{name}`, `{number}`, `{mark}`, `{maximum}` and `{any}`.

    Raises:
        Unreadable: the pattern isn't one.
    """
    if pattern is not None:
        return _by_pattern(stems, pattern)
    cuts_dashes = sum(1 for stem in stems if not re.search(r"[\s_]", stem)) * 2 > len(stems)
    split = [_split(stem, cuts_dashes=cuts_dashes) for stem in stems]
    common = _common(split)
    rest = [[part for part in parts if fold_word(part.text) not in common] for parts in split]
    several = _usual(len(_all_marks(parts)) for parts in rest)
    said = [_said(parts, several) for parts in rest]
    title = " ".join(part.text for part in split[0] if fold_word(part.text) in common and part.kind == "word")
    shapes = Counter(_shape(parts, common, one) for parts, one in zip(split, said, strict=True))
    return Told(said, title, shapes.most_common(1)[0][0])


def _split(stem: str, *, cuts_dashes: bool) -> list[_Part]:
    """Return the parts of a name. Days are taken out; a mark with its maximum or its unit is one part."""
    text = _DATE.sub(" ", stem)
    text = _OUT_OF.sub(lambda match: f" \0{match[1]}/{match[2]} ", text)
    text = _UNIT.sub(lambda match: f" \0{match[1]} ", text)
    parts: list[_Part] = []
    for piece in re.findall(r"\[[^\]]*\]|\([^)]*\)|[^\s_,;\[\]()]+", text):
        is_bracketed = piece[0] in "[("
        words = piece.strip("[]()").split() if is_bracketed else _words(piece, cuts_dashes=cuts_dashes)
        parts += [_Part(word.lstrip("\0"), _kind(word), is_bracketed) for word in words]
    return [part for part in parts if part.text]


def _words(piece: str, *, cuts_dashes: bool) -> list[str]:
    """Return the words of a piece: a dash cuts where nothing else does, but not behind the letters of a code."""
    if not cuts_dashes:
        return [piece.strip("-–.")]
    return [word for word in re.split(r"(?<![^\W\d_])[-–]|(?<=[^\W\d_]{4})[-–]|[-–](?=[^\W\d_])", piece) if word]


def _kind(word: str) -> str:
    """Return what a word can be: a mark for certain, a mark, a number that tells people apart, a grade, or a name."""
    if word.startswith("\0"):
        return "mark"
    if _NUMBER.fullmatch(word):
        whole = re.split(r"[.,]", word.rstrip("%"))[0]
        is_code = len(whole) > _LONGEST_MARK or (len(whole) > 1 and whole.startswith("0"))
        return "number" if is_code else "maybe mark"
    if _CODE.fullmatch(word) and any(map(str.isdigit, word)):
        return "number"
    folded = fold_word(word)
    return "grade" if LETTER.fullmatch(word) or folded in GRADE_WORDS or folded in STATUS_WORDS else "word"


def _common(split: Sequence[Sequence[_Part]]) -> frozenset[str]:
    """Return the words that nearly all names have, and those that say which version a file is."""
    many = max(2, _MOST * len(split))
    counts = Counter(word for parts in split for word in {fold_word(part.text) for part in parts})
    marks = {fold_word(part.text) for parts in split for part in parts if part.kind in {"mark", "grade"}}
    common = {word for word, count in counts.items() if count >= many and word not in marks}
    versions = {word for word in counts if word in _NOISE or re.fullmatch(r"v\d{1,2}", word)}
    return frozenset(common | versions)


def _marks(parts: Sequence[_Part]) -> list[_Part]:
    """Return the parts that may be the mark: what says so, stands in brackets, is a number, or a grade at an end."""
    certain = [part for part in parts if part.kind == "mark"]
    bracketed = [part for part in parts if part.is_bracketed and part.kind in {"maybe mark", "grade"}]
    numbers = [part for part in parts if part.kind == "maybe mark"]
    grades = [part for part in (*parts[:1], *parts[-1:]) if part.kind == "grade"]
    return certain or bracketed or numbers or grades[-1:]


def _all_marks(parts: Sequence[_Part]) -> list[_Part]:
    """Return all parts that may be a mark, the likeliest kind or not; grades where there is nothing else."""
    return [part for part in parts if part.kind in {"mark", "maybe mark"} or part in _marks(parts)]


def _usual(counts: Iterable[int]) -> int:
    """Return how many parts that may be a mark most names have that have any."""
    found = Counter(filter(None, counts)).most_common(1)
    return found[0][0] if found else 1


def _said(parts: Sequence[_Part], usual: int) -> Said:
    """Return what a name says.

    Where most names have several parts that may be the mark, the likeliest and last is, and the first tells who it is;
    a name with more of them than the others has several marks.
    """
    marks, every = _marks(parts), _all_marks(parts)
    codes = [part.text for part in parts if part.kind == "number"]
    if len(every) == usual and usual > 1:
        codes = codes or [part.text for part in every if part != marks[-1]]
        marks = marks[-1:]
    elif len(every) > usual:
        marks = every
    name = " ".join(part.text for part in parts if part.kind in {"word", "grade"} and part not in every)
    return Said(name, codes[0] if codes else "", _SEVERAL.join(part.text for part in marks))


def _shape(parts: Sequence[_Part], common: frozenset[str], said: Said) -> str:
    """Return how a name is made, in words that a person can read."""
    shape: list[str] = []
    for part in parts:
        if fold_word(part.text) in common:
            field = part.text
        elif part.text == said.mark:
            field = "{mark}"
        elif part.text == said.number:
            field = "{number}"
        else:
            field = "{name}" if part.text in said.name.split() else "{any}"
        if not shape or shape[-1] != field:
            shape.append(field)
    return " ".join(shape)


def _by_pattern(stems: Sequence[str], pattern: str) -> Told:
    fields = _FIELD.findall(pattern)
    unknown = [field for field in fields if field not in _FIELDS]
    named = [field for field in fields if field != "any"]
    if unknown or len(set(named)) < len(named) or not {"name", "number"} & set(fields):
        mend = "Write it with {name} or {number}, {mark}, maybe {maximum}, and {any} for what says nothing."
        raise Unreadable(Finding("no-pattern", f"'{pattern}' is no pattern of names", None, mend))
    parts = re.split(r"(\{\w+\})", pattern)
    text = "".join(_FIELDS[part[1:-1]] if _FIELD.fullmatch(part) else re.escape(part) for part in parts)
    made = re.compile(text, re.IGNORECASE)
    said = []
    for stem in stems:
        match = made.fullmatch(stem)
        found = {key: value.replace("_", " ").strip() for key, value in match.groupdict().items()} if match else {}
        mark = f"{found['mark']}/{found['maximum']}" if found.get("maximum") else found.get("mark", "")
        said.append(Said(found.get("name", ""), found.get("number", ""), mark))
    return Told(said, "", pattern)
