"""The laws of converting marks."""

from collections.abc import Sequence
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from conftest import NOW, lay_out
from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.marks.scales import Scale, find_band, make_bands
from skarvin.core.reasons import Fate
from skarvin.core.texts.numbers import Rounding, Steps, exact_sum, plain, read_number
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

maxima = st.sampled_from([Decimal(10), Decimal(15), Decimal(40), Decimal("12.5"), Decimal(60)])
roundings = st.sampled_from([rounding for rounding in Rounding if rounding is not Rounding.NONE])


@given(maxima, st.integers(0, 1000), st.integers(0, 4), roundings)
def test_points_to_percent_and_back_stay_within_the_stated_rounding(
    out_of: Decimal, thousandths: int, decimals: int, rounding: Rounding
) -> None:
    points = out_of * thousandths / 1000
    there = (
        convert(
            plain(points), MarkRule(from_out_of=out_of, to_out_of=Decimal(100), decimals=decimals, rounding=rounding)
        ).text
        or ""
    )
    back = convert(there, MarkRule(Decimal(100), out_of, 10)).text or ""
    step = Decimal(1).scaleb(-decimals) * out_of / 100
    assert abs(Decimal(back) - points) <= step + Decimal(1).scaleb(-10)


@given(maxima, st.integers(0, 1000), st.integers(0, 4), roundings)
def test_converting_what_was_converted_changes_nothing_more(
    out_of: Decimal, thousandths: int, decimals: int, rounding: Rounding
) -> None:
    rule = MarkRule(from_out_of=out_of, to_out_of=Decimal(20), decimals=decimals, rounding=rounding)
    once = convert(plain(out_of * thousandths / 1000), rule)
    again = convert(once.text or "", replace(rule, from_out_of=Decimal(20), above=rule.above.ALLOW))
    assert (again.text, bool(again.off)) == (once.text, False)


@given(st.sets(st.integers(1, 99), max_size=6), st.fractions(0, 100, max_denominator=1000))
def test_every_mark_is_in_exactly_one_band(starts: set[int], mark: Fraction) -> None:
    bands = make_bands({f"word{start}": (Decimal(start), None) for start in (0, *starts)})
    reached = [start for start in (0, *starts) if start <= mark]
    assert find_band(Scale("x", bands), mark, Steps(2, Rounding.HALF_UP)).word == f"word{max(reached)}"


texts = st.one_of(
    st.sampled_from(["", "-", "7", "7.25", "7,25", "5/10", "50%", "7 1/3", "8*", "8 late", "absent", "ill", "B", "x1"]),
    st.decimals(0, 12, places=2).map(str),
)
RULES = """
[students]
minimum_paired_percent = 0
[marks]
dash = "blank"
ignore_flags = ["*"]
[statuses]
absent = "ABS"
[categories]
both = ["Knots (out of 10)", "C"]
[[total]]
name = "Sum"
formula = "sum of both / 3"
out_of = 7
[scale.craft.bands]
high = 50
low = 0
[[item]]
any_column = true
from = "B"
to = "B"
from_out_of = 10
to_out_of = 30
[[item]]
any_column = true
from = "C"
to = "C"
scale = "craft"
from_out_of = 10
[[item]]
any_column = true
from = "Sum"
to = "D"
[[constant]]
any_column = true
mark = "5"
to = "E"
"""
TEXTS = {"7 1/3": Fraction(22, 3), "5/10": Fraction(5), "50%": Fraction(5), "8*": Fraction(8)}


@given(st.lists(st.tuples(texts, texts), min_size=1, max_size=12))
def test_every_text_ends_as_one_outcome_and_the_sums_are_exact(rows: list[tuple[str, str]]) -> None:
    with TemporaryDirectory() as name:
        folder = Path(name)
        export = "".join(f'0{number},"{knots}","{care}"\n' for number, (knots, care) in enumerate(rows))
        form = "".join(f"0{number};;;;\n" for number in range(len(rows)))
        lay_out(folder, f"No,Knots (out of 10),Care\n{export}", f"No;Knots;Care;Sum;Here\n{form}", RULES)
        settled = settle_transfer(folder / "transfer.toml")
    assert sum(settled.ledger.fates.values()) == 4 * len(rows)
    for books in settled.totals:
        assert sum(books.fates.values()) == len(rows)
    knots, _, total, _ = settled.totals
    numbers = [TEXTS.get(text, None if read_number(text) is None else Fraction(text)) for text, _ in rows]
    assert Fraction(knots.source.sum) == sum(number for number in numbers if number is not None)
    sent = [line.outcome.written or "" for line in settled.ledger.lines([Fate.SENT]) if line.item == total.item]
    assert total.moved_after.sum == exact_sum(Decimal(text) for text in sent)
    results = settled.made.totals[0].values.values()
    assert total.source.count == sum(1 for value in results if value.number is not None and not value.reason)


def moved(folder: Path, rows: Sequence[str], form: bytes) -> bytes:
    """Move the marks of an export's rows into a form by all the rules above, and return the import file."""
    lay_out(folder, f"No,Knots (out of 10),Care\n{''.join(rows)}", form.decode(), RULES)
    settled = settle_transfer(folder / "transfer.toml")
    outputs = outputs_for(settled, folder)
    write_transfer(settled, outputs, Filing(NOW), replace_existing=True)
    assert outputs.restores[0].read_bytes() == form
    return outputs.imports[0].read_bytes()


existing = st.sampled_from(["", "7", "7.0", "30", "ABS", "high", "LOW", "-", '"5"', "5 ", "x"])
four = st.lists(existing, min_size=4, max_size=4).map(";".join)


@given(st.lists(st.tuples(texts, texts, four), min_size=1, max_size=10), st.randoms())
def test_twice_is_once_and_the_order_of_the_export_does_not_matter(
    rows: list[tuple[str, str, str]], chance: Random
) -> None:
    export = [f'0{number},"{knots}","{care}"\n' for number, (knots, care, _) in enumerate(rows)]
    form = "No;Knots;Care;Sum;Here\r\n" + "".join(f"0{number};{held}\r\n" for number, (*_, held) in enumerate(rows))
    with TemporaryDirectory() as name:
        once = moved(Path(name), export, form.encode())
        assert moved(Path(name), export, once) == once
        settled = settle_transfer(Path(name) / "transfer.toml")
        assert not settled.ledger.fates[Fate.SENT]
        assert not settled.ledger.fates[Fate.CHANGED]
        chance.shuffle(export)
        assert moved(Path(name), export, form.encode()) == once


@given(st.lists(st.tuples(texts, texts), min_size=1, max_size=10))
def test_a_mark_that_the_target_keeps_is_neither_written_nor_lost(rows: list[tuple[str, str]]) -> None:
    export = [f'0{number},"{knots}","{care}"\n' for number, (knots, care) in enumerate(rows)]
    form = "No;Knots;Care;Sum;Here\n" + "".join(f"0{number};9;high;1;P\n" for number in range(len(rows)))
    rules = RULES.replace("[statuses]", 'existing = "keep"\n[statuses]', 1)
    with TemporaryDirectory() as name:
        lay_out(Path(name), f"No,Knots (out of 10),Care\n{''.join(export)}", form, rules)
        settled = settle_transfer(Path(name) / "transfer.toml")
        moving = settled.ledger.fates[Fate.SENT] + settled.ledger.fates[Fate.CHANGED]
        outputs = outputs_for(settled, Path(name))
        write_transfer(settled, outputs, Filing(NOW), replace_existing=True)
        assert (moving, outputs.imports[0].read_bytes().decode()) == (0, form)
