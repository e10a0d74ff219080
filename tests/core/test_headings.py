"""Headings of schools that speak twenty languages: what each column is, told by the words alone."""

import csv
from decimal import Decimal
from pathlib import Path

import pytest

from skarvin.core.layout.headings import read_heading
from skarvin.core.layout.traits import Traits
from skarvin.core.layout.weighing import weigh

_FILE = Path(__file__).parents[1] / "data" / "headings" / "headings.tsv"
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


def test_there_are_headings_of_twenty_languages() -> None:
    rows = headings()
    assert (len(rows) >= 500, len({language for language, _, _ in rows})) == (True, 20)


@pytest.mark.parametrize(("is_held_out", "least"), [(False, 0.99), (True, 0.97)])
def test_nearly_all_headings_are_told_by_their_words(is_held_out: bool, least: float) -> None:
    rows = [row for place, row in enumerate(headings()) if (place % _OF == _HELD_OUT) is is_held_out]
    missed = wrong(rows)
    assert 1 - len(missed) / len(rows) >= least, missed


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
    ],
)
def test_what_stands_around_a_title_is_read_wherever_it_stands(
    heading: str, title: str, out_of: int | None, key: str | None
) -> None:
    found = read_heading(heading)
    assert (found.title, found.out_of, found.key) == (title, out_of and Decimal(out_of), key)
