"""Headings of schools that speak many languages: what each column is, told by the words alone."""

import csv
import re
from decimal import Decimal
from pathlib import Path

import pytest

from skarvin.core.layout.headings import read_heading
from skarvin.core.layout.traits import Traits
from skarvin.core.layout.weighing import weigh
from skarvin.core.texts.words import language_files

_FILE = Path(__file__).parents[1] / "data" / "headings" / "headings.tsv"
_DOCS = (Path(__file__).parents[2] / "docs" / "layouts.md").read_text(encoding="utf-8")
_LANGUAGES = Path(__file__).parents[2] / "src" / "skarvin" / "core" / "texts" / "languages"
_HELD_OUT, _OF = 2, 3
"""Every third heading was not looked at while the words were gathered."""


def headings() -> list[tuple[str, str, str]]:
    with _FILE.open(encoding="utf-8", newline="") as file:
        return [(row["language"], row["heading"], row["use"]) for row in csv.DictReader(file, delimiter="\t")]


def wrong(rows: list[tuple[str, str, str]]) -> list[tuple[str, str, str, str]]:
    told = [
        (language, heading, use, weigh(heading, read_heading(heading), Traits())[0].use.value)
        for language, heading, use in rows
    ]
    return [row for row in told if row[2] != row[3]]


def test_headings_are_told_by_their_words_as_often_as_the_docs_say() -> None:
    rows = headings()
    counts = [len(rows)]
    for is_held_out in (False, True):
        some = [row for place, row in enumerate(rows) if (place % _OF == _HELD_OUT) is is_held_out]
        counts += [len(some), len(some) - len(wrong(some))]
    assert len({language for language, _, _ in rows}) == len(language_files(_LANGUAGES))
    said = re.search(
        r"Of (\d+) headings.*?, (\d+) were.*?and (\d+) of them.*?the (\d+) others, (\d+)\.", _DOCS, re.DOTALL
    )
    assert said is not None
    assert [int(number) for number in said.groups()] == counts


@pytest.mark.parametrize(
    ("heading", "title", "out_of", "key"),
    [
        ("Keel joints (max. 60) - result", "Keel joints", 60, None),
        ("[optional] Cable test {20 points}", "Cable test", 20, None),
        ("Safety check /15 (exercise)", "Safety check (exercise)", 15, None),
        ("Contrôle n° 2 (barème 20)", "Contrôle n° 2", 20, None),
        ("Klausur (von 45 Punkten) <2213>", "Klausur", 45, "2213"),
        ("Sınav (en fazla 100)", "Sınav", 100, None),
        ("Prawf 2 (allan o 30)", "Prawf 2", 30, None),
        ("Planks (worth 12 points) again", "Planks again", 12, None),
        ("Running water <2201>", "Running water", None, "2201"),
        ("Übung 3 (zählt nicht)", "Übung 3", None, None),
        ("German (oral)", "German (oral)", None, None),
        ("(optional)", "(optional)", None, None),
        ("퀴즈2(20점)", "퀴즈2", 20, None),
        ("중간고사 (만점 100)", "중간고사", 100, None),
        ("課題３（２０点）", "課題３", 20, None),
        ("测验1（满分20分）", "测验1", 20, None),
    ],
)
def test_what_stands_around_a_title_is_read_wherever_it_stands(
    heading: str, title: str, out_of: int | None, key: str | None
) -> None:
    found = read_heading(heading)
    assert (found.title, found.out_of, found.key) == (title, out_of and Decimal(out_of), key)
