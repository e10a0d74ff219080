"""Words by which columns, rows, marks and answers are told; they stand in data files, one a language."""

import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec
from msgspec import Struct

_FOLDER = Path(__file__).parent
_FILES = sorted((_FOLDER / "languages").glob("*.toml"))


class HeadingWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What stands in headings, besides what tells a column's use."""

    names_a_section: str = ""
    question: str = ""
    answer: str = ""
    rank: str = ""
    year: str = ""
    bonus: str = ""
    maximum_before: str = ""
    maximum_alone: str = ""
    unit: str = ""
    unit_alone: str = ""
    percent: str = ""
    measure: str = ""
    not_counted: str = ""
    maximum_row: str = ""


class RowWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """By what a row below the headings shows that it is no student."""

    practice: str = ""
    summary: str = ""
    summary_alone: str = ""


class MarkWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What stands in place of a number, behind it or in it; months, since a spreadsheet makes dates of marks."""

    grade: str = ""
    status: str = ""
    flag: str = ""
    out_of: str = ""
    months: str = ""
    months_short: str = ""
    months_other: str = ""


class AnswerWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What answers, their results and answer keys say in words."""

    yes: str = ""
    no: str = ""
    right: str = ""
    wrong: str = ""
    key_question: str = ""
    key_text: str = ""
    key_code: str = ""
    key_verdict: str = ""
    key_right: str = ""
    key_wrong: str = ""
    none: str = ""


class FileWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What stands in names of files."""

    noise: str = ""
    of: str = ""


class Words(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """The words of a language, or of several: each text holds phrases with commas between them."""

    columns: Mapping[str, str]
    headings: HeadingWords
    rows: RowWords
    marks: MarkWords
    answers: AnswerWords
    files: FileWords


class NameWords(Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """What belongs to names of people, whatever the language."""

    particles: str
    joined: str
    generations: Mapping[str, int]
    letters: Mapping[str, str]
    umlauts: Mapping[str, str]
    writing: Mapping[str, str]
    short_forms: Mapping[str, str]


def phrases(text: str) -> tuple[str, ...]:
    """Return the phrases that a text of these files holds."""
    return tuple(filter(None, map(str.strip, text.split(","))))


def phrase_set(*texts: str) -> frozenset[str]:
    """Return the phrases of some texts of these files, in no order."""
    return frozenset(phrase for text in texts for phrase in phrases(text))


def _read(files: Iterable[Path]) -> Words:
    """Return the words of all languages: those of one stand behind those of another."""
    joined: dict[str, dict[str, str]] = {}
    for file in files:
        for table, entries in tomllib.loads(file.read_text(encoding="utf-8")).items():
            known = joined.setdefault(table, {})
            for key, text in entries.items():
                known[key] = f"{known[key]}, {text}" if key in known else text
    return msgspec.convert(joined, Words)


WORDS = _read(_FILES)
"""The words of every language that is known."""


def read_name_words() -> NameWords:
    """Return what belongs to names."""
    return msgspec.convert(tomllib.loads((_FOLDER / "names.toml").read_text(encoding="utf-8")), NameWords)
