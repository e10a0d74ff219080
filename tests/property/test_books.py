"""The laws of marks and of the books."""

from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import assume, given
from hypothesis import strategies as st

from skarvin.core.ledger.outcomes import decide
from skarvin.core.marks.choices import Above, Blank, Dash, Existing
from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.marks.scales import Scale, make_bands
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import Rounding, exact_sum, read_number, round_to
from skarvin.core.transfer.settling import settle_transfer

roundings = st.sampled_from([rounding for rounding in Rounding if rounding is not Rounding.NONE])
maxima = st.sampled_from([None, Decimal(10), Decimal(15), Decimal("12.5"), Decimal(100)])
scales = st.sampled_from(
    [
        None,
        Scale("craft", make_bands({"Master": (Decimal(80), None), "Learner": (Decimal(0), None)})),
        Scale("worth", values=(("master", Decimal(95)), ("learner", Decimal("42.5")))),
        Scale("names", words=(("master", "Meister"), ("learner", "Lehrling"))),
    ]
)
weights = st.sampled_from([None, Decimal(15), Decimal("0.5")])


@st.composite
def rules(draw: st.DrawFn) -> MarkRule:
    scale = draw(scales)
    return MarkRule(
        from_out_of=draw(maxima),
        to_out_of=draw(maxima),
        decimals=draw(st.integers(0, 4)),
        rounding=draw(st.sampled_from(Rounding)),
        blank=draw(st.sampled_from(Blank)),
        existing=draw(st.sampled_from([existing for existing in Existing if existing is not Existing.ADD])),
        is_comma=draw(st.booleans()),
        above=draw(st.sampled_from(Above)),
        blank_code="-",
        statuses=(("absent", "ABS"), ("exempt", ""), ("late", "0")),
        dash=draw(st.sampled_from(Dash)),
        ignore_flags=frozenset({"*"}),
        weight=draw(weights),
        scale=scale,
        gives_words=scale is not None and not scale.values,
        to_comma=draw(st.booleans()),
        to_suffix=draw(st.sampled_from(["", "%", " %"])),
    )


marks = st.one_of(
    st.decimals(0, 100, places=2).map(str),
    st.integers(0, 20).map(str),
    st.sampled_from(
        ["", " ", "x", "1O", "-2", "17,5", "12,50", "8/10", "62.5%", "17 1/3", "½", "18*", "18 late", "-", "–"]
    ),
    st.sampled_from(["absent", "EXEMPT", "late", "Master", "learner", "B+", "5-Oct", "1,500", "1.2.3"]),
)


@given(st.fractions(0, 1000), st.integers(0, 6), roundings)
def test_rounding_moves_a_number_by_no_more_than_its_kind_allows(number: Fraction, places: int, kind: Rounding) -> None:
    rounded, step = Fraction(round_to(number, places, kind)), Fraction(1, 10**places)
    assert rounded % step == 0
    off = rounded - number
    if kind in {Rounding.HALF_UP, Rounding.HALF_EVEN}:
        assert abs(off) <= step / 2
        assert kind is Rounding.HALF_EVEN or off != -step / 2
    else:
        assert 0 <= off < step if kind is Rounding.UP else -step < off <= 0


@given(marks, rules())
def test_a_converted_mark_lies_between_zero_and_the_targets_maximum(text: str, rule: MarkRule) -> None:
    sent = convert(text, rule).text
    number = None if sent is None else rule.target_number(sent)
    if number is not None and rule.to_out_of is not None and rule.above is not Above.ALLOW:
        assert 0 <= number < rule.to_out_of + Decimal(1).scaleb(-rule.decimals)


@given(marks, marks, rules())
def test_a_mark_that_was_moved_is_the_same_when_it_is_moved_again(source: str, held: str, rule: MarkRule) -> None:
    first = decide(source, held, held, rule)
    if first.written is not None:
        again = decide(source, first.written, first.written, rule)
        assert again.fate is (Fate.SAME if first.written.strip() else Fate.LEFT_OUT)
        assert again.written is None


@given(st.lists(st.tuples(st.integers(0, 8), marks, marks), max_size=12), st.lists(st.tuples(st.integers(0, 8), marks)))
def test_every_mark_has_one_fate_and_the_sums_are_those_of_the_cells(
    ours: list[tuple[int, str, str]], theirs: list[tuple[int, str]]
) -> None:
    ours, theirs = [(1, "5", "x"), *ours], [(1, ""), *theirs]
    with TemporaryDirectory() as name:
        folder = Path(name)
        rows = "".join(f'0{number},"{knots}","{other}"\n' for number, knots, other in ours)
        (folder / "export.csv").write_text(f"No,Knots,Other quiz\n{rows}")
        rows = "".join(f'0{number};"{knots}"\n' for number, knots in theirs)
        (folder / "form.csv").write_text(f"No;Knots [20]\n{rows}")
        (folder / "transfer.toml").write_text(
            'version = 1\n[source]\nfile = "export.csv"\nidentifier = "No"\n[target]\nfile = "form.csv"\n'
            'identifier = "No"\n[students]\nleast_paired = 0\n[[item]]\nfrom = "B"\nto = "B"\n'
            "from_out_of = 100\nto_out_of = 20\nto_decimal_separator = '.'\n[[item]]\nfrom = 'C'\nto = ''\n"
        )
        once = [
            {number for number, *_ in side if [one[0] for one in side].count(number) == 1} for side in (ours, theirs)
        ]
        assume(once[0] & once[1])
        settled = settle_transfer(folder / "transfer.toml")
    assert sum(settled.ledger.fates.values()) == 2 * len(ours)
    knots, other = settled.totals
    odd = {"8/10": Fraction(80), "62.5%": Fraction(125, 2), "17 1/3": Fraction(52, 3), "½": Fraction(1, 2)}
    numbers = [odd.get(text, read_number(text)) for _, text, _ in ours]
    assert knots.source.sum == sum((Fraction(one) for one in numbers if one is not None), Fraction(0))
    assert other.fates[Fate.LEFT_OUT] == len(ours)
    held = [read_number(text) for _, text in theirs]
    assert knots.target_before.sum == exact_sum(number for number in held if number is not None)
