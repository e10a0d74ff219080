"""The laws of what arrives: an import file is all there, twice sends nothing, and three values have one answer."""

from collections import Counter
from contextlib import nullcontext
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import astuple
from oracle import Case
from test_against_an_oracle import cases, written_out

from bulk import in_bulk, taken
from conftest import NOW, edit
from skarvin.core.findings import Refused, Unreadable
from skarvin.core.ledger.arrival import Arrival, ItemComparison
from skarvin.core.ledger.filed import read_filed
from skarvin.core.ledger.second_look.claims import Cell
from skarvin.core.ledger.since import Known, SinceRule, decide_since
from skarvin.core.marks.choices import Dash, SinceCorrected, SinceSend
from skarvin.core.marks.convert import MarkRule
from skarvin.core.reasons import Fate
from skarvin.core.transfer.after_upload.confirming import Confirmation, confirm
from skarvin.core.transfer.after_upload.kept_confirmations import file_confirmation
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import Settled, settle_transfer
from skarvin.reports.filing import Filing


def write(file: Path, folder: str) -> tuple[Settled, Path]:
    """Write a transfer into a folder of its own; return it and its import file."""
    settled = settle_transfer(file)
    outputs = outputs_for(settled, file.parent / folder)
    write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
    return settled, outputs.imports[0]


def confirmed(file: Path, written: Path, ledger: Path) -> Confirmation:
    fresh = written.with_name("fresh.csv")
    fresh.write_bytes(written.read_bytes())
    found = confirm(read_filed(ledger), fresh, least=0, is_identical_meant=True)
    file_confirmation(found, {ledger.with_name("page.html"): b"page"}, file, NOW, replace_existing=False)
    return found


def both_ways(file: Path) -> Settled:
    """Settle a transfer of which something was sent before; in bulk each mark has the same fate."""
    settled = settle_transfer(file)
    before = taken["arranging"]
    with in_bulk():
        again = settle_transfer(file)
    assert settled.since.is_known == again.since.is_known
    assert taken["arranging"] > before or not settled.since.is_known
    told = [
        [
            (line.entry.source and line.entry.source.row.number, line.item.source.called, astuple(line.outcome))
            for line in one.lines(Fate)
        ]
        for one in (settled.ledger, again.ledger)
    ]
    assert told[0] == told[1]
    return settled


@given(cases(), st.booleans())
def test_the_import_file_itself_has_everything_arrived_and_sending_twice_sends_nothing(
    case: Case, is_large: bool
) -> None:
    with TemporaryDirectory() as name:
        file = written_out(case, Path(name))
        try:
            if is_large:
                with in_bulk():
                    _, written = write(file, "first")
            else:
                _, written = write(file, "first")
        except Refused:
            return  # too few students pair
        assert confirmed(file, written, written.with_name("ledger.json")).is_all_there
        both_ways(file)
        edit(file, '"form.csv"', '"first/form-import.csv"')
        again = both_ways(file)
        moved = [
            line for line in again.ledger.lines([Fate.SENT, Fate.CHANGED]) if line.item.rule.blank.value == "leave"
        ]
        assert not moved


@given(cases(), st.integers(0, 1_000_000))
def test_what_is_found_does_not_depend_on_the_order_of_rows_nor_on_how_many_there_are(case: Case, seed: int) -> None:
    chance = Random(seed)
    with TemporaryDirectory() as name:
        file = written_out(case, Path(name))
        try:
            _, written = write(file, "first")
        except Refused:
            return
        head, *rows = written.read_bytes().decode().split("\r\n")[:-1] if _is_plain(written) else [""]
        if not head:
            return
        rows[0] = rows[0].replace("7", "6", 1)
        found = []
        for order in (rows, chance.sample(rows, len(rows))):
            fresh = Path(name) / "fresh.csv"
            fresh.write_bytes("\r\n".join([head, *order, ""]).encode())
            with in_bulk() if order is not rows else nullcontext():
                try:
                    told = confirm(read_filed(written.with_name("ledger.json")), fresh, least=0)
                except (Refused, Unreadable):
                    return
                lines = list(told.lines)
            found.append({(one.student and one.student.row, one.item.column, one.found, one.shown) for one in lines})
            assert told.counts == Counter(one.found.arrival for one in lines)
            assert told.sent == Counter(one.found.arrival for one in lines if one.was_sent)
            assert list(told.missed) == [one for one in lines if one.found.cause]
        assert found[0] == found[1]


def _is_plain(file: Path) -> bool:
    """Tell whether each row is one line."""
    return b'"two' not in file.read_bytes()


maxima = st.sampled_from([5, 8, 10, 20, 100])
some = st.booleans()


@given(st.integers(0, 400), st.sampled_from([0, 1]), maxima, maxima, some, some)
def test_a_mark_has_arrived_if_it_is_the_same_part_of_its_maximum(  # noqa: PLR0913 - a mark, and how it is shown
    sent: int, beside: int, out_of: int, shown_of: int, is_said: bool, is_as_sent: bool
) -> None:
    rounded = int(Fraction(sent * shown_of, out_of) + Fraction(1, 2))
    shown = (sent if is_as_sent else rounded) + beside
    texts = [f"{tenths / 10:.1f}" for tenths in (sent, shown)]
    if is_said:
        texts = [f"{text}/{base}" for text, base in zip(texts, (out_of, shown_of), strict=True)]
    known = (None, None) if is_said else (Decimal(out_of), Decimal(shown_of))
    told = ItemComparison({texts[0]: 1}, {texts[1]: 1}, known).compare(Cell("", texts[0]), texts[1])
    assert told is not None
    assert (told.arrival is Arrival.ARRIVED) == (shown == rounded)


marks = st.sampled_from(["", "5", "5.0", "6", "7.50", "7.5", "-"])
kinds = st.sampled_from(list(SinceCorrected))


def number(text: str) -> float | None:
    return None if text in {"", "-"} else float(text)


@given(marks, marks, marks, st.booleans(), kinds, kinds, st.sampled_from(list(SinceSend)))
def test_three_values_have_one_answer(  # noqa: PLR0913 - the values and the rules
    export: str,
    now: str,
    last: str,
    is_elsewhere: bool,
    corrected: SinceCorrected,
    both: SinceCorrected,
    send: SinceSend,
) -> None:
    """A second opinion in plain words, without a line of the program."""
    last = "" if last == "-" else last
    form, there = ("", now) if is_elsewhere else (now, None)
    rule = MarkRule(dash=Dash.BLANK)
    outcome = decide_since(export, (form, form), rule, Known(last, there), SinceRule(corrected, both, send))
    mine, theirs, sent = number(export), number(now), number(last)
    ruled = {SinceCorrected.KEEP: "kept", SinceCorrected.HOLD: "held", SinceCorrected.SEND: "moved"}
    if mine is None:
        expected = "left out"
    elif mine == theirs:
        expected = "same"
    elif sent is None:
        expected = "moved"
    elif theirs == sent:
        expected = "left out" if send is SinceSend.MISSING else "moved"
    elif mine != sent:
        expected = ruled[both]
    elif theirs is None and send is not SinceSend.NEW:
        expected = "moved"
    else:
        expected = ruled[corrected]
    fate = outcome.fate or Fate.SAME
    assert ("moved" if fate in {Fate.SENT, Fate.CHANGED} else fate.value) == expected
    assert (outcome.written is not None) == (expected == "moved")
    if expected == "moved":
        assert fate is (Fate.CHANGED if now.strip() else Fate.SENT)
        assert number(outcome.written or "") == mine
