from decimal import Decimal

import pytest

from skarvin.core.ledger.outcomes import decide
from skarvin.core.marks.choices import Blank, Existing
from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.reasons import Cause, Fate
from skarvin.core.texts.numbers import Rounding

FROM_100 = MarkRule(from_out_of=Decimal(100), to_out_of=Decimal(15))


@pytest.mark.parametrize(
    ("text", "rule", "sent"),
    [
        ("17", MarkRule(), "17"),
        (" 17.50 ", MarkRule(), "17.50"),
        ("007", MarkRule(), "007"),
        ("73", FROM_100, "10.95"),
        ("67.5", FROM_100, "10.13"),
        ("100", FROM_100, "15"),
        ("0", FROM_100, "0"),
        ("１７", FROM_100, "2.55"),
        ("2.675", MarkRule(), "2.68"),
        ("2.5", MarkRule(decimals=0, rounding=Rounding.HALF_EVEN), "2"),
        ("2.1", MarkRule(decimals=0, rounding=Rounding.UP), "3"),
        ("2.9", MarkRule(decimals=0, rounding=Rounding.DOWN), "2"),
        ("1", MarkRule(from_out_of=Decimal(3), to_out_of=Decimal(1), decimals=4), "0.3333"),
    ],
)
def test_a_mark_is_copied_or_rescaled_exactly(text: str, rule: MarkRule, sent: str) -> None:
    assert convert(text, rule).text == sent


@pytest.mark.parametrize(
    ("text", "slug"),
    [
        ("1O", "unreadable"),
        ("17,5", "unreadable"),
        ("1e2", "unreadable"),
        ("nan", "no-scale"),
        ("１７²", "unreadable"),
        ("9" * 40, "unreadable"),
        ("-1", "below-zero"),
        ("100.01", "above-maximum"),
    ],
)
def test_a_mark_that_is_not_plain_is_held(text: str, slug: str) -> None:
    converted = convert(text, FROM_100)
    assert (converted.text, converted.why and converted.why.cause.code) == (None, slug)


def test_a_mark_above_the_targets_maximum_is_held_when_the_source_states_none() -> None:
    above = convert("73", MarkRule(to_out_of=Decimal(15))).why
    assert above is not None
    assert above.cause is Cause.ABOVE_MAXIMUM


KEEP, HIGHER = MarkRule(existing=Existing.KEEP), MarkRule(existing=Existing.HIGHER)
ZERO, CLEAR = MarkRule(blank=Blank.ZERO), MarkRule(blank=Blank.CLEAR)


@pytest.mark.parametrize(
    ("source", "held", "rule", "fate", "written"),
    [
        ("8", "", MarkRule(), Fate.SENT, "8"),
        ("8", "7", MarkRule(), Fate.CHANGED, "8"),
        ("8", "8.0", MarkRule(), Fate.SAME, None),
        ("8", "7", KEEP, Fate.KEPT, None),
        ("8", "8", KEEP, Fate.SAME, None),
        ("8", "", KEEP, Fate.SENT, "8"),
        ("8", "7", HIGHER, Fate.CHANGED, "8"),
        ("6", "7", HIGHER, Fate.KEPT, None),
        ("6", "pass", HIGHER, Fate.HELD, None),
        ("", "7", MarkRule(), Fate.LEFT_OUT, None),
        ("", "", ZERO, Fate.SENT, "0"),
        ("", "7", CLEAR, Fate.CHANGED, ""),
        ("", "", CLEAR, Fate.LEFT_OUT, None),
        ("", "7", MarkRule(blank=Blank.CLEAR, existing=Existing.HIGHER), Fate.KEPT, None),
        ("0", "", MarkRule(), Fate.SENT, "0"),
        ("x", "7", KEEP, Fate.HELD, None),
    ],
)
def test_a_mark_that_meets_a_cell_has_one_fate(
    source: str, held: str, rule: MarkRule, fate: Fate, written: str | None
) -> None:
    outcome = decide(source, held, held, rule)
    assert (outcome.fate, outcome.written) == (fate, written)
