"""What the names of marked files say: who, which number, which mark. The pattern is told from all names together."""

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from skarvin.core.findings import Finding, Unreadable
from skarvin.core.texts.folding import fold_word
from skarvin.core.texts.mark_grammar import LETTER
from skarvin.core.texts.mark_kinds import GRADE_WORDS, STATUS_WORDS
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.words import WORDS, phrase_set, phrases

_MOST = 0.8
_LONGEST_MARK = 3
_SEVERAL = " and "
_LEAST = 3
_COPIES = frozenset("123456789")
_DASH = pattern(r"(?<![^\W\d_])[-–]|(?<=[^\W\d_]{3})[-–]|(?<=[^\W\d_])[-–](?=\d\d?(?!\d))|[-–](?=[^\W\d_])")
_DASH_BEFORE_NUMBER = pattern(r"(?<=[^\W\d_]{2})[-–](?=\d\d?(?!\d))|(?<=[^\W\d_]{3})[-–](?=[1-9]\d\d(?!\d))")
_NOISE = phrase_set(WORDS.files.noise)
_UNITS = "|".join(sorted(map(re.escape, phrases(WORDS.headings.unit)), key=len, reverse=True))
_BETWEEN = "|".join(re.escape(word) for word in (*phrases(WORDS.marks.out_of), *phrases(WORDS.files.of)))
_APART = r"(?<![^\W_])(?<![.,])"
_FRACTION = "[½⅓⅔¼¾⅕⅖⅗⅘⅙⅚⅛⅜⅝⅞]"
_NUMERAL = rf"\d+(?:[.,]\d+)?{_FRACTION}?|{_FRACTION}"
_OUT_OF = pattern(rf"{_APART}({_NUMERAL})[\s_]*(?:{_BETWEEN})[\s_]*(\d+(?:[.,]\d+)?)(?![^\W_])", re.IGNORECASE)
_UNIT = pattern(
    rf"{_APART}((?!0\d)\d{{1,3}}(?:[.,]\d+)?{_FRACTION}?|{_FRACTION})\s*(?:{_UNITS})(?![^\W_])", re.IGNORECASE
)
_PERCENT = pattern(rf"{_APART}({_NUMERAL})[\s_]*%(?![^\W_])")
_DATE = pattern(
    r"(?<!\d)(?:(?:19|20)\d\d[-._]\d\d?[-._]\d\d?|\d\d?[-._]\d\d?[-._](?:19|20)\d\d)(?!\d)(?:[ _T]\d\d[-.:]?\d\d)?"
)
_NUMBER = pattern(rf"(?:{_NUMERAL})%?")
_CODE = pattern(r"(?=.*\d)[\w.-]+")
_FIELDS = {
    "name": r"(?P<name>.+?)",
    "number": r"(?P<number>[^\s_]*\d[^\s_]*?)",
    "mark": r"(?P<mark>[^\s_]*?)",
    "maximum": r"(?P<maximum>\d+(?:[.,]\d+)?)",
    "any": r".*?",
}
_MOST_ANY = 4
_FIELD = pattern(r"\{(\w+)\}")


class Said(NamedTuple):
    """What one name says; blank where it says nothing. `mark` has several texts in it where several may be the mark."""

    name: str = ""
    number: str = ""
    mark: str = ""


class Told(NamedTuple):
    """What all names say, what they have in common, how most are made; which aren't, where a person says how."""

    said: list[Said]
    title: str
    pattern: str
    unfit: frozenset[int] = frozenset()


class _Part(NamedTuple):
    """A part of a name: its text, what it can be, and the bracket that it stands in, if it does."""

    text: str
    kind: str
    bracket: str = ""

    @property
    def is_bracketed(self) -> bool:
        """Whether it stands in brackets."""
        return bool(self.bracket)

    @property
    def may_count_copies(self) -> bool:
        """Whether it may be what a second download of a file gets behind its name: `(1)`."""
        return self.bracket == "(" and self.text in _COPIES

    @property
    def word(self) -> str:
        """The text as it is compared."""
        return fold_word(self.text)


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
    split = _with_running([_split(stem, cuts_dashes=cuts_dashes) for stem in stems])
    titles = _common(split)
    common = titles | _units(split, titles)
    usual = _usual(len(_all_marks(parts, common)) for parts in split)
    roles = [_roles(parts, common, usual) for parts in split]
    said = [_said(parts, own) for parts, own in zip(split, roles, strict=True)]
    marks = [_mark_of(parts, own) for parts, own in zip(split, roles, strict=True)]
    copies = [part is not None and part.may_count_copies for part in marks]
    bracketed = sum(part is not None and part.bracket == "(" for part in marks)
    if bracketed < _MOST * len(split):  # (1) behind a few names may count their copies, and is no mark for sure
        said = [
            one._replace(mark=f"({one.mark})") if is_copy else one for one, is_copy in zip(said, copies, strict=True)
        ]
    telling = {"word", "number", "maybe mark"}
    title = " ".join(part.text for part in split[0] if part.word in titles and part.kind in telling)
    shapes = Counter(" ".join(_shape(parts, own)) for parts, own in zip(split, roles, strict=True))
    return Told(said, title, shapes.most_common(1)[0][0])


def _split(stem: str, *, cuts_dashes: bool) -> list[_Part]:
    """Return the parts of a name. Days are taken out; a mark with its maximum or its unit is one part."""
    text = _DATE.sub(" ", stem)
    text = _OUT_OF.sub(lambda match: f" \0{match[1]}/{match[2]} ", text)
    text = _PERCENT.sub(lambda match: f" \0{match[1]}% ", text)
    text = _UNIT.sub(lambda match: f" \0{match[1]} ", text)
    parts: list[_Part] = []
    for piece in re.findall(r"\[[^\]]*\]|\([^)]*\)|(?:\d,\d|[^\s_,;\[\]()])+", text):
        bracket = piece[0] if piece[0] in "[(" else ""
        words = piece.strip("[]()").split() if bracket else _words(piece, cuts_dashes=cuts_dashes)
        parts += [_Part(word.lstrip("\0"), _kind(word), bracket) for word in words]
    return [part for part in parts if part.text]


def _words(piece: str, *, cuts_dashes: bool) -> list[str]:
    """Return the words of a piece: a dash cuts before a mark, and everywhere where nothing else does.

    It doesn't cut behind the one or two letters of a code.
    """
    cut = _DASH if cuts_dashes else _DASH_BEFORE_NUMBER
    if LETTER.fullmatch(piece):  # A- is a grade
        return [piece]
    return [word for word in cut.split(piece.strip("-–.")) if word]


def _with_running(split: Sequence[list[_Part]]) -> list[list[_Part]]:
    """Return the parts, the first ones told for what they are where they number the files: 1, 2, 3."""
    first = [parts[0].text if parts and parts[0].kind == "maybe mark" else "" for parts in split]
    if len(split) < _LEAST or {str(number) for number in range(1, len(split) + 1)} != set(first):
        return list(split)
    return [[parts[0]._replace(kind="running"), *parts[1:]] for parts in split]


def _units(split: Sequence[Sequence[_Part]], common: frozenset[str]) -> frozenset[str]:
    """Return the words that stand right behind the number of most names that have one: what marks are in."""
    behind: Counter[str] = Counter()
    numbered = 0
    for parts in split:
        numbers = [part.kind == "maybe mark" and part.word not in common for part in parts]
        behind.update({after.word for is_number, after in zip(numbers, parts[1:], strict=False) if is_number})
        numbered += any(numbers)
    return frozenset(word for word, count in behind.items() if count >= max(_LEAST, numbered * _MOST))


def _kind(word: str) -> str:
    """Return what a word can be: a mark for certain, a mark, a number that tells people apart, a grade, or a name."""
    if word.startswith("\0"):
        return "mark"
    if _NUMBER.fullmatch(word):
        whole = re.split(r"[.,]", re.sub(_FRACTION, "", word.rstrip("%")))[0]
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


def _marks(parts: Sequence[_Part], common: frozenset[str]) -> list[int]:
    """Return which parts may be the mark: what says so, stands in brackets, is a number, or a grade at an end."""
    own = [place for place, part in enumerate(parts) if part.word not in common]
    certain = [place for place in own if parts[place].kind == "mark"]
    bracketed = [place for place in own if parts[place].is_bracketed and parts[place].kind in {"maybe mark", "grade"}]
    numbers = [place for place in own if parts[place].kind == "maybe mark"]
    grades = [place for place in (*own[:1], *own[-1:]) if parts[place].kind == "grade"]
    return certain or bracketed or numbers or grades[-1:]


def _all_marks(parts: Sequence[_Part], common: frozenset[str]) -> list[int]:
    """Return all parts that may be a mark, the likeliest kind or not; grades where there is nothing else."""
    likely = _marks(parts, common)
    return [
        place
        for place, part in enumerate(parts)
        if place in likely or (part.kind in {"mark", "maybe mark"} and part.word not in common)
    ]


def _usual(counts: Iterable[int]) -> int:
    """Return how many parts that may be a mark most names have that have any."""
    found = Counter(filter(None, counts)).most_common(1)
    return found[0][0] if found else 1


def _roles(parts: Sequence[_Part], common: frozenset[str], usual: int) -> list[str]:
    """Return what each part of a name is: `{mark}`, `{number}`, `{name}`, `{any}`, or the words that all names have.

    Where most names have several parts that may be the mark, the likeliest and last is, and the first tells who it is;
    a name with more of them than the others has several marks.
    """
    marks, every = _marks(parts, common), _all_marks(parts, common)
    codes = [place for place, part in enumerate(parts) if part.kind == "number" and part.word not in common]
    running = [place for place, part in enumerate(parts) if part.kind == "running"]
    if len(every) == usual + 1 and every[-1] == len(parts) - 1 and parts[-1].may_count_copies:
        every = every[:-1]
        marks = [place for place in marks if place in every] or every
    if len(every) > usual:
        marks = every
    elif len(every) == usual and usual > 1:
        codes = codes or [place for place in every if place != marks[-1]]
        marks = marks[-1:]
    names = [
        place
        for place, part in enumerate(parts)
        if part.kind in {"word", "grade"} and part.word not in common and place not in every
    ]
    numbers = (codes or ([] if names else running))[:1]
    told = dict.fromkeys(names, "{name}") | dict.fromkeys(numbers, "{number}")
    told |= dict.fromkeys(marks, "{mark}")
    return [told.get(place, part.text if part.word in common else "{any}") for place, part in enumerate(parts)]


def _said(parts: Sequence[_Part], roles: Sequence[str]) -> Said:
    def texts(role: str) -> list[str]:
        return [part.text for part, own in zip(parts, roles, strict=True) if own == role]

    return Said(" ".join(texts("{name}")), "".join(texts("{number}")), _SEVERAL.join(texts("{mark}")))


def _mark_of(parts: Sequence[_Part], roles: Sequence[str]) -> _Part | None:
    """Return the part of a name that is its mark, if one is."""
    marks = [part for part, role in zip(parts, roles, strict=True) if role == "{mark}"]
    return marks[0] if len(marks) == 1 else None


def _shape(parts: Sequence[_Part], roles: Sequence[str]) -> list[str]:
    """Return how a name is made, in words that a person can read."""
    shape: list[str] = []
    for part, role in zip(parts, roles, strict=True):
        field = f"[{role}]" if part.is_bracketed and role == "{mark}" else role
        if not shape or shape[-1] != field:
            shape.append(field)
    return shape


def _by_pattern(stems: Sequence[str], pattern: str) -> Told:
    fields = _FIELD.findall(pattern)
    if fields.count("any") > _MOST_ANY:
        mend = f"Write {{any}} {_MOST_ANY} times at most: one takes in all that stands between two others."
        raise Unreadable(Finding("no-pattern", f"'{pattern}' has too many {{any}}", None, mend))
    unknown = [field for field in fields if field not in _FIELDS]
    named = [field for field in fields if field != "any"]
    if unknown or len(set(named)) < len(named) or not {"name", "number"} & set(fields):
        mend = "Write it with {name} or {number}, {mark}, maybe {maximum}, and {any} for what says nothing."
        raise Unreadable(Finding("no-pattern", f"'{pattern}' isn't a pattern of names", None, mend))
    parts = re.split(r"(\{\w+\})", pattern)
    text = "".join(_FIELDS[part[1:-1]] if _FIELD.fullmatch(part) else re.escape(part) for part in parts)
    made = re.compile(text, re.IGNORECASE)
    said = []
    for stem in stems:
        match = made.fullmatch(stem)
        found = {key: value.replace("_", " ").strip() for key, value in match.groupdict().items()} if match else {}
        mark = f"{found['mark']}/{found['maximum']}" if found.get("maximum") else found.get("mark", "")
        said.append(Said(found.get("name", ""), found.get("number", ""), mark))
    unfit = frozenset(place for place, stem in enumerate(stems) if not made.fullmatch(stem))
    return Told(said, "", pattern, unfit)
