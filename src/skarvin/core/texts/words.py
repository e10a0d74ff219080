"""Words by which columns, rows, marks and answers are told; they stand in data files, one a language.

Each text of a file holds phrases with commas between them, written as they are compared: in small letters, without
accents or signs. Of several languages all words count. Under `columns` a word may begin or end with a star: `*nummer`
is any word that ends so; of two uses that a heading names, that of the earlier line (in en.json) counts a little more.
The files are JSON, which is read at once; a person's own are TOML, which is easier to write.
"""

import tomllib
from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec
from msgspec import Struct

from skarvin.core.findings import Finding, Place, Unreadable
from skarvin.core.texts.own_words import OWN_WORDS
from skarvin.core.texts.toml_text import load_toml

_FOLDER = Path(__file__).parent
_FIRST = "en.json"
"""The file whose order of uses counts, and that explains itself."""


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
    decoration: str = ""
    fillers: str = ""
    maximum_row: str = ""
    weight: str = ""
    further_given: str = ""


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
    key_solution: str = ""
    key_right: str = ""
    key_wrong: str = ""
    none: str = ""
    partly: str = ""


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


def language_files(folder: Path) -> list[Path]:
    """Return the files of words in a folder, in the order in which they are read."""
    return sorted(folder.glob("*.json"), key=lambda file: (file.name != _FIRST, file.name))


def _read(files: Iterable[Path], own: Iterable[Path] = ()) -> Words:
    """Return the words of all languages: those of one stand behind those of another.

    What a person's own words say of a column is said of nothing else.

    Raises:
        Unreadable: a file isn't one of words.
    """
    joined: dict[str, dict[str, str]] = {}
    theirs = tuple(own)
    for file in (*files, *theirs):
        try:
            found = _tables(file)
        except (OSError, ValueError, RecursionError, msgspec.ValidationError) as error:
            what = f"this isn't a file of words: {error}"
            raise Unreadable(Finding("bad-words", what, Place(file), "Correct it, or take it away.")) from None
        if file in theirs:
            _give_way(joined.get("columns", {}), found.get("columns", {}))
        for table, entries in found.items():
            known = joined.setdefault(table, {})
            for key, text in entries.items():
                known[key] = f"{known[key]}, {text}" if key in known else text
    return msgspec.convert(joined, Words)


def _give_way(known: dict[str, str], own: Mapping[str, str]) -> None:
    """Take the phrases of a person's own away from what else they stood for."""
    said = {phrase: use for use, text in own.items() for phrase in phrases(text)}
    for use, text in known.items():
        known[use] = ", ".join(phrase for phrase in phrases(text) if said.get(phrase, use) == use)


def _tables(file: Path) -> dict[str, dict[str, str]]:
    """Return what stands in one file, which need not have every table."""
    if file.suffix == ".json":
        return msgspec.json.decode(file.read_bytes(), type=dict[str, dict[str, str]])
    found = load_toml(file.read_text(encoding="utf-8-sig"))
    msgspec.convert({"columns": {}, **_EMPTY, **found}, Words)
    return found


_EMPTY: dict[str, dict[str, str]] = {table: {} for table in ("headings", "rows", "marks", "answers", "files")}
WORDS = _read(language_files(_FOLDER / "languages"), OWN_WORDS.files)
"""The words of every language that is known."""


def read_name_words() -> NameWords:
    """Return what belongs to names."""
    return msgspec.convert(tomllib.loads((_FOLDER / "names.toml").read_text(encoding="utf-8")), NameWords)
