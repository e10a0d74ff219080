"""Reads a formula: `40% of mean of percent of quizzes + 60% of percent of "Safety test"`.

A formula is made of numbers, names, + - * / and brackets, and of words that take what stands behind them:

    sum of, mean of, highest of, lowest of      several numbers made one
    best 3 of, all but lowest 2 of              some of several
    share of, percent of                        a mark divided by its maximum
    all but lowest 1 even if alone of           without the only one, too
    weighted mean of (40: a, 60: b)             a mean with weights
    weighted mean of a                          a mean with the weights that the export gives
    at most 100 of, at least 0 of               a cap, a floor
    extra of                                    what is only added on top of others
    lift within 0.5 to (50, 60) of              raised to a boundary that is so near
    days after 2026-03-01 of                    started days by which a column's date is later; or after a column
    25% of                                      times 25/100
    rank of                                     the place in the class; alone, or in front of all the rest

An item or another total stands in quotation marks, a category without. It reads from left to right; `of` binds closer
than * and /, these closer than + and -.
"""

from collections.abc import Callable
from fractions import Fraction
from typing import NamedTuple

from skarvin.core.marks.totals.tree import (
    Chosen,
    Combined,
    Constant,
    FormulaFault,
    Late,
    Lifted,
    Limited,
    Listed,
    Moment,
    Named,
    Node,
    OnTop,
    Ranked,
    Share,
    Summed,
    Weighed,
    Weighted,
)
from skarvin.core.texts.moments import day_of, read_moment
from skarvin.core.texts.numbers import read_number
from skarvin.core.texts.patterns import pattern

KEYWORDS = frozenset(
    {"sum", "mean", "highest", "lowest", "best", "all", "but", "share", "percent", "weighted", "rank", "of"}
)
_OF_MEND = (
    "In front of 'of' stands sum, mean, highest, lowest, best 3, all but lowest 1, share, percent, extra, "
    "a percentage, or another phrase of "
    "docs/totals.md."
)
_TOKEN = pattern(
    r"""\s*(?:(?P<date>\d{4}-\d\d-\d\d(?:T\d\d:\d\d)?)|(?P<number>\d+(?:\.\d+)?|\.\d+)"""
    r"""|(?P<word>[^\W\d]\w*)|"(?P<double>[^"]*)"|'(?P<single>[^']*)'"""
    r"""|(?P<sign>[-+*/%(),:]))"""
)
_DEEPEST = 60
_MOST_OPERATORS = 200
_LONGEST = 20_000


class _Token(NamedTuple):
    kind: str
    text: str
    at: int

    @property
    def shown(self) -> str:
        return f"'{self.text}'" if self.kind != "end" else "its end"


def parse(text: str) -> Node | Ranked:
    """Return what a formula says.

    Raises:
        FormulaFault: it can't be read.
    """
    reader = _Reader(_tokens(text))
    tree: Node | Ranked
    if reader.takes("rank"):
        reader.expect("of")
        tree = Ranked(0, reader.sum())
    else:
        tree = reader.sum()
    reader.end()
    return tree


def _tokens(text: str) -> list[_Token]:
    if len(text) > _LONGEST:
        raise FormulaFault("it is too long", _LONGEST, "Split it into several totals.")
    tokens, at = [], 0
    end = len(text.rstrip())
    while at < end:
        match = _TOKEN.match(text, at)
        if match is None:
            start = at + len(text[at:]) - len(text[at:].lstrip())
            what = "a quotation mark isn't closed" if text[start] in "\"'" else f"'{text[start]}' has no meaning here"
            raise FormulaFault(what, start, "An item stands in quotation marks, a category is one word.")
        kind = match.lastgroup or ""
        is_name = kind in {"double", "single"}
        tokens.append(_Token("name" if is_name else kind, match[kind], match.start(kind) - is_name))
        at = match.end()
    return [*tokens, _Token("end", "", end)]


class _Reader:
    """Reads tokens from left to right."""

    def __init__(self, tokens: list[_Token]) -> None:
        self._tokens = tokens
        self._next = 0
        self._depth = 0
        self._operators = 0

    @property
    def _now(self) -> _Token:
        return self._tokens[self._next]

    def _take(self) -> _Token:
        token = self._now
        self._next += token.kind != "end"
        return token

    def takes(self, *texts: str) -> bool:
        """Take the next word or sign if it is one of these."""
        if self._now.kind in {"word", "sign"} and self._now.text in texts:
            self._next += 1
            return True
        return False

    def expect(self, text: str) -> None:
        """Take a word or a sign that must stand here."""
        if not self.takes(text):
            raise FormulaFault(f"'{text}' is missing before {self._now.shown}", self._now.at)

    def end(self) -> None:
        """Find nothing more."""
        if self._now.kind != "end":
            mend = "Between two numbers stands one of + - * /."
            raise FormulaFault(f"{self._now.shown} follows where the formula should end", self._now.at, mend)

    def sum(self) -> Node:
        """Read numbers that are added or taken away."""
        self._depth += 1
        if self._depth > _DEEPEST:
            raise FormulaFault("its brackets are too deep", self._now.at, "Split it into several totals.")
        node = self._product()
        while self._now.kind == "sign" and self._now.text in "+-":
            sign = self._operator()
            node = Combined(sign.at, sign.text, node, self._product())
        self._depth -= 1
        return node

    def _operator(self) -> _Token:
        sign = self._take()
        self._operators += 1
        if self._operators > _MOST_OPERATORS:
            mend = "Write 'sum of' with a category or a list in brackets, or split it into several totals."
            raise FormulaFault(f"it has more than {_MOST_OPERATORS} of + - * /", sign.at, mend)
        return sign

    def _product(self) -> Node:
        node = self._single()
        while self._now.kind == "sign" and self._now.text in "*/":
            sign = self._operator()
            right = self._single()
            if sign.text == "/" and isinstance(right, Constant) and not right.value:
                raise FormulaFault("it divides by nothing", right.at)
            node = Combined(sign.at, sign.text, node, right)
        return node

    def _single(self) -> Node:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise FormulaFault("it is too deep", self._now.at, "Split it into several totals.")
        node = self._one()
        self._depth -= 1
        return node

    def _one(self) -> Node:
        token = self._take()
        if token.kind == "number":
            return self._number(token)
        if token.kind == "name":
            return Named(token.at, token.text, is_quoted=True)
        if token.kind == "word":
            return self._word(token)
        if token.kind == "sign" and token.text == "-":
            return Combined(token.at, "-", Constant(token.at, Fraction(0)), self._single())
        if token.kind == "sign" and token.text == "(":
            return self._brackets(token)
        raise FormulaFault(f"a number or a name is missing before {token.shown}", token.at)

    def _number(self, token: _Token) -> Node:
        value = read_number(token.text)
        if value is None:
            raise FormulaFault(f"{token.shown} has too many digits", token.at)
        number = Constant(token.at, Fraction(value))
        if self.takes("%"):
            number = Constant(token.at, number.value / 100)
        if self.takes("of"):
            return Combined(token.at, "*", number, self._single())
        return number

    def _brackets(self, token: _Token) -> Node:
        parts = [self.sum()]
        while self.takes(","):
            parts.append(self.sum())
        self.expect(")")
        return parts[0] if len(parts) == 1 else Listed(token.at, tuple(parts))

    def _word(self, token: _Token) -> Node:  # noqa: PLR0911 - a way out for each kind of word
        word = token.text
        if word in {"sum", "mean", "highest", "lowest"}:
            self.expect("of")
            return Summed(token.at, word, self._single())
        if word in {"share", "percent"}:
            self.expect("of")
            return Share(token.at, 100 if word == "percent" else 1, self._single())
        if word == "best":
            return Chosen(token.at, self._count(), is_best=True, of=self._of())
        if word == "all":
            self.expect("but")
            self.expect("lowest")
            count, spares_one = self._count(), not self._takes_all("even", "if", "alone")
            return Chosen(token.at, count, is_best=False, of=self._of(), spares_one=spares_one)
        if word == "weighted":
            self.expect("mean")
            self.expect("of")
            return self._weighted(token) if self._has_weights() else Weighed(token.at, self._single())
        if found := self._phrase(token):
            return found
        if word in KEYWORDS:
            mend = "'rank of' stands in front of the whole formula." if word == "rank" else ""
            raise FormulaFault(f"'{word}' has no meaning here", token.at, mend)
        if self._now.kind == "word" and self._now.text == "of":
            raise FormulaFault(f"'{word} of' has no meaning here", token.at, _OF_MEND)
        return Named(token.at, word, is_quoted=False)

    def _phrase(self, token: _Token) -> Node | None:
        """Read what begins with two words, of which the first alone may be a category's name."""
        readers: dict[str, Callable[[_Token], Node]] = {
            "at most": self._limited,
            "at least": self._limited,
            "extra of": lambda first: OnTop(first.at, self._single()),
            "lift within": self._lifted,
            "days after": self._late,
        }
        read = readers.get(f"{token.text} {self._now.text}") if self._now.kind == "word" else None
        if read is None:
            return None
        self._next += token.text != "at"
        return read(token)

    def _limited(self, token: _Token) -> Node:
        is_most = self._take().text == "most"
        return Limited(token.at, self._amount(), is_most, self._of())

    def _lifted(self, token: _Token) -> Node:
        within = self._amount()
        self.expect("to")
        return Lifted(token.at, within, self._amounts(), self._of())

    def _late(self, token: _Token) -> Node:
        due = self._moment()
        self.expect("of")
        return Late(token.at, due, self._moment())

    def _takes_all(self, *words: str) -> bool:
        """Take some words if they stand here, one behind the other."""
        there = self._tokens[self._next : self._next + len(words)]
        is_there = tuple(token.text for token in there) == words
        self._next += len(words) if is_there else 0
        return is_there

    def _amount(self) -> Fraction:
        sign = -1 if self.takes("-") else 1
        token = self._take()
        value = read_number(token.text) if token.kind == "number" else None
        if value is None:
            raise FormulaFault(f"a number is missing before {token.shown}", token.at, "Such as: at most 100 of ...")
        return sign * Fraction(value)

    def _amounts(self) -> tuple[Fraction, ...]:
        """Read one number, or several in brackets."""
        if not self.takes("("):
            return (self._amount(),)
        found = [self._amount()]
        while self.takes(","):
            found.append(self._amount())
        self.expect(")")
        return tuple(found)

    def _moment(self) -> Moment:
        token = self._take()
        if token.kind == "name":
            return Moment(token.at, token.text)
        moment = read_moment(token.text) if token.kind == "date" else None
        if moment is None:
            mend = 'Such as: days after 2026-03-01 of "Handed in"'
            raise FormulaFault(f"a date, or a column with dates, is missing before {token.shown}", token.at, mend)
        return Moment(token.at, day=day_of(moment))

    def _has_weights(self) -> bool:
        """Tell whether brackets with weights stand here."""
        return self._now.text == "(" and any(
            token.text in ":%" and token.kind == "sign" for token in self._tokens[self._next + 2 : self._next + 3]
        )

    def _of(self) -> Node:
        self.expect("of")
        return self._single()

    def _count(self) -> int:
        token = self._take()
        if token.kind != "number" or not token.text.isdecimal() or not 0 < int(token.text[:4]) < 1000:  # noqa: PLR2004
            raise FormulaFault(f"a count is missing before {token.shown}", token.at, "Such as: best 3 of quizzes")
        return int(token.text[:4])

    def _weighted(self, token: _Token) -> Node:
        self.expect("(")
        parts = [self._weight()]
        while self.takes(","):
            parts.append(self._weight())
        self.expect(")")
        if not sum(weight for weight, _ in parts):
            raise FormulaFault("its weights add up to nothing, so it divides by nothing", token.at)
        return Weighted(token.at, tuple(parts))

    def _weight(self) -> tuple[Fraction, Node]:
        token = self._take()
        value = read_number(token.text) if token.kind == "number" else None
        if value is None:
            mend = "Such as: weighted mean of (40: mean of quizzes, 60: mean of tests)"
            raise FormulaFault(f"a weight is missing before {token.shown}", token.at, mend)
        self.takes("%")
        self.expect(":")
        return Fraction(value), self.sum()
