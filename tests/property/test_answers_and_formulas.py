"""Whatever stands in a formula, an answer, a scale or a mark: it is read, or held, and nothing breaks."""

import tomllib
from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given, settings
from hypothesis import strategies as st

from conftest import edit, lay_out
from skarvin.core.marks.answers.answer_rule import AnswerRule, KnownAnswer
from skarvin.core.marks.answers.labels import read_labels
from skarvin.core.marks.choices import AnswerKind, Blank, LabelStyle
from skarvin.core.marks.convert import MarkRule, convert
from skarvin.core.marks.totals.language import KEYWORDS, parse
from skarvin.core.marks.totals.tree import FormulaFault
from skarvin.core.plan.drafting.proposal import draft
from skarvin.core.plan.drafting.wording import draft_text
from skarvin.core.reasons import Fate
from skarvin.core.texts.mark_grammar import decimal_comma, likely, read_mark, split_flag
from skarvin.core.texts.numbers import read_number
from skarvin.core.transfer.settling import settle_transfer

words = st.sampled_from([*sorted(KEYWORDS), *"+-*/(),:%", '"Quiz"', "'Test'", "quizzes", "3", "2.5", "40"])
tokens = st.lists(words, max_size=14).map(" ".join)
signs = st.text(st.sampled_from("AaBbCF017.,;:)/( %-–½=\"'*\n\t é"), max_size=12)
answers = st.one_of(signs, st.sampled_from(["B  because", "A;C", "no answer", "True", "1.160,5 mm", "=1+1"]))


@given(st.one_of(tokens, st.text(max_size=30)))
def test_a_formula_is_read_or_its_fault_is_told(text: str) -> None:
    fault = fault_of(text)
    if fault is not None:
        assert fault.what
        assert 0 <= fault.at <= len(text)


def fault_of(text: str) -> FormulaFault | None:
    try:
        parse(text)
    except FormulaFault as fault:
        return fault
    return None


@given(signs, st.booleans())
def test_a_mark_is_read_one_way_and_what_is_read_is_no_riddle(text: str, is_comma: bool) -> None:
    mark = read_mark(text, is_comma=is_comma)
    if mark is None:
        assert convert(text, MarkRule(is_comma=is_comma)).text is None or not text.strip()
        assert isinstance(likely(text, is_comma=is_comma), str)
    else:
        assert split_flag(text, is_comma=is_comma) is None or not read_number(text)
        assert mark.out_of is None or mark.out_of > 0


@given(st.dictionaries(signs, st.integers(1, 9), max_size=6))
def test_a_decimal_comma_is_only_told_where_every_number_with_a_sign_has_it(texts: dict[str, int]) -> None:
    if decimal_comma(texts):
        assert not any(
            "." in text and read_number(text) is not None for text in (text.strip().rstrip("% ") for text in texts)
        )


@given(
    answers,
    st.sampled_from(AnswerKind),
    st.sampled_from(["", "ABC", "123"]),
    st.sampled_from(LabelStyle),
    st.sampled_from(["", ";"]),
    st.integers(0, 4),
    st.booleans(),
)
def test_an_answer_becomes_a_code_or_is_held_with_a_reason(  # noqa: PLR0913 - one rule's settings
    text: str, kind: AnswerKind, offered: str, write: LabelStyle, between: str, width: int, has_key: bool
) -> None:
    key = (KnownAnswer("oak", "A", is_right=True), KnownAnswer("ash", "B", is_right=False)) if has_key else ()
    rule = AnswerRule(kind, offered, write, between=between, width=width, key=key, no_answer=frozenset({"no answer"}))
    if rule.is_blank(text):
        return
    converted = rule.convert(text)
    assert (converted.text is None) == bool(converted.why)
    if converted.text is not None and kind is AnswerKind.LABELS and write is LabelStyle.NUMBERS:
        assert converted.text.replace(between, "").replace(" ", "").isdecimal()


@given(st.lists(st.sampled_from("ABCD"), min_size=1, max_size=4, unique=True), st.sampled_from([";", "; ", ", ", "\n"]))
def test_labels_that_were_joined_come_apart_again(labels: list[str], between: str) -> None:
    assert read_labels(between.join(labels), "ABCD") == labels
    assert read_labels(between.join(f"{label}) some text" for label in labels), "ABCD") == labels


@given(st.lists(st.tuples(answers, answers, st.sampled_from(["", "0", "1", "right"])), min_size=1, max_size=8))
def test_every_answer_has_one_fate(rows: list[tuple[str, str, str]]) -> None:
    rows = [("A", "2", "1"), *rows]  # somebody has an answer that is sent

    def cell(text: str) -> str:
        return '"' + text.replace('"', '""') + '"'

    rules = (
        '[answers]\nlabels = "ABC"\nunseen = "code"\nunseen_code = "N"\nblank = "hold"\n'
        '[[answer]]\nfrom = "B"\nto = "B"\n[[answer]]\nfrom = "D"\nto = "C"\nkind = "number"\ndecimal_sign = ","\n'
    )
    export = "".join(f"0{n},{cell(text)},{points},{cell(two)}\n" for n, (text, two, points) in enumerate(rows))
    with TemporaryDirectory() as name:
        lay_out(
            Path(name),
            f"No,Answer 1,Points 1,Answer 2\n{export}",
            "No;Q1;Q2\n",
            f"{rules}[students]\nleast_paired = 0\n",
        )
        edit(Path(name) / "transfer.toml", '"export.csv"', '"export.csv"\nquotes = "around"')
        settled = settle_transfer(Path(name) / "transfer.toml")
    with_something = {line.entry.source for line in settled.ledger.lines([Fate.SENT])}
    assert len(settled.sides.added) == len(with_something)
    assert sum(len(one.students) for one in settled.pairing.rowless) == len(rows) - len(with_something)
    assert sum(settled.ledger.fates.values()) == 2 * len(rows)
    unseen = sum(1 for text, _, points in rows if not text.strip() and not points)
    sent = [line.outcome.written for line in settled.ledger.lines([Fate.SENT]) if line.item.source.letter == "B"]
    assert sent.count("N") == unseen


odd = st.text(st.sampled_from("Pa \"'\\#[]=é😀*-"), min_size=1, max_size=8)


@settings(max_examples=60)
@given(st.lists(odd, min_size=3, max_size=8), st.lists(odd, min_size=3, max_size=8), st.booleans())
def test_a_draft_is_valid_whatever_the_marks_say(ours: list[str], theirs: list[str], stated: bool) -> None:
    def cell(text: str) -> str:
        return '"' + text.replace('"', '""') + '"'

    with TemporaryDirectory() as name:
        folder = Path(name)
        heading = "Care [10]" if stated else "Care"
        export = "".join(
            f"0{n},{cell(text)},5{text.strip()[:1]}\n" for n, text in enumerate(ours) if '"' not in text[:1]
        )
        (folder / "e.csv").write_text(f"No,Care,Flags (out of 9)\n00,Pass,7*\n{export}", encoding="utf-8")
        form = "".join(f"0{n};{cell(text)};\n" for n, text in enumerate(theirs))
        (folder / "f.csv").write_text(f"No;{heading};Flags [9]\n{form}", encoding="utf-8")
        text = draft_text(draft([folder / "e.csv"], folder / "f.csv"), folder / "transfer.toml")
    assert tomllib.loads(text)["version"] == 1


@given(st.sampled_from(Blank), answers)
def test_what_was_never_asked_is_never_taken_for_an_answer(blank: Blank, text: str) -> None:
    rule = AnswerRule(offered="ABC", unseen=blank, unseen_code="N")
    converted = rule.convert("\0never seen")
    assert converted.text in {None, "N", ""}
    assert "\0" not in (converted.text or "")
    assert rule.shown(text) == text
