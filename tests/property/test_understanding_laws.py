"""Laws of understanding: what a file means depends on no order, and on no heading where values tell."""

import random
import tomllib
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from skarvin.core.items.matching import propose
from skarvin.core.layout.columns import Column, Use
from skarvin.core.plan.drafting.proposal import draft
from skarvin.core.plan.drafting.wishes import Wishes
from skarvin.core.plan.drafting.wording import draft_text

NAMES = ("Ngozi Okafor", "Bo Lindqvist", "Yui Tanaka", "Thabo Mbeki", "Carla Rossi", "Piotr Nowak", "Ana Sá", "Li Wei")
ITEMS = ("Splicing", "Lofting quiz", "Caulking 2", "Steam bending", "Rigging (oral)")
NONSENSE = ("Zorp", "Blint ko", "Quax", "Wumble", "Frib")


def files(chance: random.Random, heads: tuple[str, str, str]) -> tuple[list[list[str]], list[list[str]]]:
    """Return an export and a form with the same students, in a random order of rows and columns."""
    is_short = chance.random() < 0.5
    people = [(f"k{n}" if is_short else f"TW{chance.randrange(1000, 9999)}{n}", name) for n, name in enumerate(NAMES)]
    export = [[heads[0], heads[1], *(f"{item} (out of 20)" for item in ITEMS)]]
    export += [[number, name, *(str(chance.randrange(21)) for _ in ITEMS)] for number, name in people]
    form = [[heads[2], *(f"{item} [20]" for item in ITEMS)]]
    form += [[number, *("" for _ in ITEMS)] for number, _ in people]
    return export, form


def shuffled(table: list[list[str]], chance: random.Random) -> list[list[str]]:
    order = chance.sample(range(len(table[0])), len(table[0]))
    rows = [table[0], *chance.sample(table[1:], len(table) - 1)]
    return [[row[place] for place in order] for row in rows]


def drafted(export: list[list[str]], form: list[list[str]]) -> dict[str, Any]:
    with TemporaryDirectory() as name:
        folder = Path(name)
        for file, table in (("export.csv", export), ("form.csv", form)):
            (folder / file).write_text("".join(";".join(row) + "\n" for row in table), encoding="utf-8")
        proposal = draft([folder / "export.csv"], folder / "form.csv", Wishes())
        return tomllib.loads(draft_text(proposal, folder / "transfer.toml"))


def told(plan: dict[str, Any]) -> tuple[str, str, dict[str, str]]:
    return (
        plan["source"]["identifier"],
        plan["target"]["identifier"],
        {item["from"]: item["to"] for item in plan["item"]},
    )


@given(st.randoms(use_true_random=False))
def test_the_order_of_rows_and_columns_does_not_matter(chance: random.Random) -> None:
    export, form = files(chance, ("Berth", "Hand", "Berth no"))
    assert told(drafted(shuffled(export, chance), shuffled(form, chance))) == told(drafted(export, form))


@given(st.randoms(use_true_random=False), st.permutations(NONSENSE))
def test_a_heading_that_says_nothing_changes_no_identifier_whose_values_meet(
    chance: random.Random, heads: list[str]
) -> None:
    export, form = files(chance, (heads[0], heads[1], heads[2]))
    assert told(drafted(export, form))[:2] == (heads[0], heads[2])


titles = st.lists(
    st.text("abc 123", min_size=1, max_size=6)
    | st.sampled_from(["Test 1", "Test 01", "Quiz", "Quiz (test)", "test 1"]),
    min_size=1,
    max_size=7,
)


@given(titles, titles)
def test_no_two_items_are_ever_proposed_for_one(ours: list[str], theirs: list[str]) -> None:
    source, target = (
        [Column(place, title, Use.ITEM, "", title) for place, title in enumerate(side)] for side in (ours, theirs)
    )
    found = propose(source, target)
    targets = [one.target.index for one in found if one.target]
    assert len(targets) == len(set(targets))
    assert all(one.target or one.reason for one in found)
