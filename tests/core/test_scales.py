from decimal import Decimal
from fractions import Fraction

import pytest

from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.marks.scales import Scale, find_band, find_faults, make_bands
from skarvin.core.texts.numbers import Rounding, Steps

Ranges = dict[str, tuple[Decimal, Decimal | None]]


def ranges(**starts: float | tuple[float, float]) -> Ranges:
    pairs = {word: at if isinstance(at, tuple) else (at, None) for word, at in starts.items()}
    return {word: (Decimal(str(a)), None if b is None else Decimal(str(b))) for word, (a, b) in pairs.items()}


CRAFT = Scale("craft", make_bands(ranges(Fail=0, Pass=50, Merit=70)))


@pytest.mark.parametrize(
    ("number", "rounds_first", "decimals", "word", "other"),
    [
        *(("69.4", False, 0, "Pass", None), ("69.5", False, 0, "Pass", "Merit"), ("69.5", True, 0, "Merit", "Pass")),
        *(("69.95", False, 1, "Pass", "Merit"), ("69.5", False, 2, "Pass", "Merit"), ("70", True, 0, "Merit", None)),
        *(("0", False, 2, "Fail", None), ("49.996", True, 2, "Pass", "Fail"), ("49.994", True, 2, "Fail", None)),
    ],
)
def test_a_band_is_found_and_a_boundary_shown(
    number: str, *, rounds_first: bool, decimals: int, word: str, other: str | None
) -> None:
    scale = CRAFT._replace(rounds_first=rounds_first)
    found = find_band(scale, Fraction(number), Steps(decimals, Rounding.HALF_UP))
    assert (found.word, found.other) == (word, other)


@pytest.mark.parametrize(
    ("bands", "step", "key", "says"),
    [
        (ranges(Pass=50, Merit=70), None, "Pass", "a gap: a mark below 50 has no word"),
        (ranges(Fail=0, Pass=50, Merit=50), None, "Merit", "an overlap: 'Pass' and 'Merit' both begin at 50"),
        (ranges(Fail=(0, 49), Pass=50), None, "Fail", "a gap: between 49, where 'Fail' ends, and 50"),
        (ranges(Fail=(0, 50), Pass=50), None, "Fail", "an overlap: 'Fail' ends at 50 and 'Pass' begins at 50"),
        (ranges(Fail=(0, 49), Pass=50), Decimal("0.1"), "Fail", "a gap"),
        (ranges(Fail=(60, 49), Pass=70), None, "Fail", "before it begins"),
        (ranges(Fail=0, Pass=(50, 90)), None, "Pass", "a gap: a mark above 90 percent"),
        ({**ranges(Fail=0, Pass=50), "pass ": (Decimal(70), None)}, None, "Pass", "'Pass' is met twice"),
    ],
)
def test_a_scale_with_gaps_or_overlaps_is_faulted(bands: Ranges, step: Decimal | None, key: str, says: str) -> None:
    faults = {(fault.key, fault.what) for fault in find_faults(Scale("x", make_bands(bands)), step)}
    assert any(key == at and says in what for at, what in faults)


def test_whole_marks_leave_no_gap_between_whole_ends() -> None:
    scale = Scale("x", make_bands(ranges(Fail=(0, 49), Pass=(50, 100))), rounds_first=True)
    assert not list(find_faults(scale, Decimal(1)))
    assert scale.band(Fraction(101)) is None


TO_WORDS = MarkRule(from_out_of=Decimal(40), scale=CRAFT, gives_words=True)
VALUES = Scale("letters", values=(("a-", Decimal(87)), ("b+", Decimal("77.5"))))
TO_MARKS = MarkRule(to_out_of=Decimal(40), scale=VALUES)
POINTS = VALUES._replace(is_percent=False)
WORDS = MarkRule(scale=Scale("words", words=(("mit auszeichnung", "Distinction"),)), gives_words=True)


@pytest.mark.parametrize(
    ("text", "rule", "sent"),
    [
        *(
            ("28", TO_WORDS, "Merit"),
            ("27.9", TO_WORDS, "Pass"),
            ("50%", TO_WORDS, "Pass"),
            ("merit", TO_WORDS, "Merit"),
        ),
        *(
            ("A-", TO_MARKS, "34.8"),
            (" b+ ", TO_MARKS, "31"),
            ("C", TO_MARKS, None),
            ("A-", MarkRule(scale=VALUES), None),
        ),
        *(("B+", MarkRule(scale=POINTS), "77.5"), ("12", TO_MARKS, None), ("Mit  Auszeichnung", WORDS, "Distinction")),
        *(("ausreichend", WORDS, None), ("41", TO_WORDS, None), ("62", MarkRule(scale=CRAFT, gives_words=True), None)),
        ("15", MarkRule(scale=CRAFT._replace(is_percent=False), gives_words=True), "Fail"),
    ],
)
def test_a_scale_goes_both_ways(text: str, rule: MarkRule, sent: str | None) -> None:
    assert convert(text, rule).text == sent


@pytest.mark.parametrize(
    ("text", "rule", "sent"),
    [
        ("30", MarkRule(from_out_of=Decimal(40), weight=Decimal(15)), "11.25"),
        ("30", MarkRule(from_out_of=Decimal(40), to_out_of=Decimal(200), weight=Decimal(15)), "22.5"),
        ("1.23456", MarkRule(decimals=5, rounding=Rounding.NONE), "1.23456"),
        ("1.23456", MarkRule(decimals=4, rounding=Rounding.NONE), None),
        ("42.930", MarkRule(), "42.93"),
        ("42.900", MarkRule(), "42.90"),
        ("42.930", MarkRule(decimals=2, rounding=Rounding.NONE), "42.93"),
        ("42.0", MarkRule(decimals=0), "42"),
        ("1", MarkRule(from_out_of=Decimal(3), to_out_of=Decimal(1), rounding=Rounding.NONE), None),
        ("18*", MarkRule(ignore_flags=frozenset({"*"})), "18"),
        ("18 late", MarkRule(ignore_flags=frozenset({"*"})), None),
        ("17,5", MarkRule(is_comma=True, to_comma=True), "17,5"),
        ("17.50", MarkRule(to_comma=True, to_suffix=" %"), "17,50 %"),
        ("17 1/3", MarkRule(), "17.33"),
    ],
)
def test_weights_roundings_flags_and_the_targets_own_signs(text: str, rule: MarkRule, sent: str | None) -> None:
    assert convert(text, rule).text == sent
