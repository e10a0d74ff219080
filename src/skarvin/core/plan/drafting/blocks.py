"""The blocks of a draft that only some transfers have: statuses, scales, totals, comments, answers."""

from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from skarvin.core.findings import counted, listing
from skarvin.core.layout.address import name_of
from skarvin.core.layout.columns import Column
from skarvin.core.layout.grid_layout import Layout
from skarvin.core.marks.choices import AnswerKind, Choose
from skarvin.core.plan.drafting.answer_proposals import QuestionProposal
from skarvin.core.plan.drafting.mark_hints import ScaleProposal
from skarvin.core.plan.drafting.proposal import Draft
from skarvin.core.plan.drafting.toml import key_of, line, listed, quoted
from skarvin.core.plan.drafting.total_proposals import CATEGORY, TotalProposal
from skarvin.core.plan.paths import relative
from skarvin.core.plan.plan import OPEN
from skarvin.core.targets.results_plan import KNOWN_STATUSES
from skarvin.core.texts.folding import fold_word

_START = {"absent": '"ABS"', "exempt": '""', "not handed in": "0"}
"""What usually stands for a status, where the export shows none."""


def statuses(draft: Draft) -> Iterator[str]:
    """Yield the table of statuses: those of the export, each to be given a code."""
    found = draft.statuses
    told = {fold_word(word): code.strip() for word, _, code in (one.rpartition("=") for one in draft.wishes.statuses)}
    known = KNOWN_STATUSES if draft.results else {}
    yield (
        "[statuses]".ljust(30) + ' # words in place of marks: "ABS" sends that code, 0 a zero, "" a blank; false holds'
    )
    for word, count in found.items():
        if word in told:
            yield line(key_of(word), _code(told[word]), f"as you said; {_times(count)} in the export", 30)
        elif word in known:
            yield line(key_of(word), quoted(known[word]), f"OneRoster's scoreStatus; {_times(count)} in the export", 30)
        else:
            yield line(key_of(word), quoted(OPEN), f"OPEN: {_times(count)} in the export", 30)
    yield from (line(key_of(word), _code(code), "as you said", 30) for word, code in told.items() if word not in found)
    if not found and not told:
        yield from (line(f"# {key_of(word)}", code) for word, code in _START.items())
    yield ""


def _code(text: str) -> str:
    """Return what a person says for a status as it stands in a transfer: a word that holds it, zero, or a code."""
    return {"hold": "false", "0": "0"}.get(text.casefold(), quoted(text))


def flags(draft: Draft) -> str:
    """Return the note beside the rule for flags: which there are."""
    found: Counter[str] = Counter()
    for item in draft.items:
        found.update(dict(item.marks.flags))
    if not found:
        return 'flags or notes at a mark that don\'t count: ["*", "late"]; others are held'
    seen = listing([f"{quoted(flag)} ({_times(count)})" for flag, count in found.items()])
    return f"flags at a mark that don't count; others are held. There are: {seen}"


def dashes(draft: Draft) -> str:
    """Return the note beside the rule for dashes: how many there are."""
    count = sum(item.marks.dashes for item in draft.items)
    seen = f"; the export has {count:,}" if count else ""
    return f'a dash in place of a mark; or "blank"{seen}'


def scales(draft: Draft) -> Iterator[str]:
    """Yield the tables of the scales that items need."""
    for scale in draft.scales:
        yield from _scale(scale)


def _scale(scale: ScaleProposal) -> Iterator[str]:
    what = {
        "values": "the mark that stands for each word",
        "words": "the target's word for each of the export's",
        "bands": "from which mark on each word is given; the lowest from 0 on",
    }[scale.table]
    measure = "in percent of the maximum" if scale.is_percent else "in points"
    if scale.is_open and not scale.is_percent:
        yield f"[scale.{scale.name}]"
        yield line("measure", '"points"')
        yield ""
    tail = f", {measure}" if scale.is_open else f": {listing(list(scale.takes), 12)}" if scale.takes else ""
    yield f"[scale.{scale.name}.{scale.table}]".ljust(30) + f" # {what}{tail}"
    for word, other in scale.words:
        yield line(key_of(word), quoted(OPEN if scale.is_open or not other else other))
    yield ""


def totals(draft: Draft) -> Iterator[str]:
    """Yield the rules for the export's totals, or how to write one."""
    layout = draft.source_layout
    categories: dict[tuple[Column, ...], str] = {}
    for total in draft.totals:
        number = len(categories) + 1
        categories.setdefault(total.items, CATEGORY if number == 1 else f"{CATEGORY}_{number}")
    if not categories:
        return
    yield "[categories]                   # names for several items, for the formulas of totals"
    for items, name in categories.items():
        yield f"{name} = {listed([name_of(layout.columns, item) for item in items])}"
    yield ""
    for total in draft.totals:
        yield from _total(total, categories[total.items], layout)


def _total(total: TotalProposal, category: str, layout: Layout) -> Iterator[str]:
    title = total.column.title
    names = [line("name", quoted(f"{title}, computed")), line("check", quoted(name_of(layout.columns, total.column)))]
    if total.formula:
        formula = total.formula.replace(CATEGORY, category)
        yield "[[total]]"
        yield names[0]
        yield line("formula", quoted(formula), f"agrees for {total.agree} of {total.of} students")
        yield f"{names[1].ljust(42)} # the export's own, checked against the formula"
        yield line("missing", quoted(total.missing.value), 'a missing mark; "zero", "leave out" or "hold"')
        yield line("decimals", str(total.decimals))
    else:
        example = f"weighted mean of (40: mean of percent of {category}, 60: highest of percent of {category})"
        example = quoted(f"rank of sum of {category}" if total.is_rank else example)
        yield f"# No simple rule gives '{title}'. Write yours, and each student is checked:"
        yield from (f"# {text}" for text in ("[[total]]", names[0], f"formula = {example}", names[1]))
    yield ""


def comments(draft: Draft) -> Iterator[str]:
    """Yield what comments could travel, as notes: they do when a person asks for it."""
    if draft.comments:
        yield "# Comments travel when you ask for it: take the # away."
    for comment in draft.comments:
        yield "# [[comment]]"
        yield f"# from = {quoted(name_of(draft.source_layout.columns, comment.source))}"
        yield f"# to = {quoted(name_of(draft.target_layout.columns, comment.target))}"
        if comment.of:
            yield line("# of", quoted(name_of(draft.source_layout.columns, comment.of)), "the item that they are on")
        yield line("# existing", '"keep"', 'a comment that the target has; or "replace", "add"')
        yield ""


def answers(draft: Draft, file: Path) -> Iterator[str]:
    """Yield the rules for answers, and a block for each question."""
    if not draft.questions:
        return
    yield "[answers]                      # rules for every question; a question below may set its own"
    key = relative(draft.key, file) if draft.key else ""
    yield line("key", quoted(key), "a table: question and solution, or question, text, code, right", 30)
    yield line("write", '"as offered"', 'how labels are written; or "letters", "numbers" (1 for A), "signs" (0110)', 30)
    yield line("case", '"upper"', 'or "lower"', 30)
    yield line("between", '""', 'what stands between several labels: "" for AC, ";" for A;C', 30)
    yield line("label_order", '"as given"', 'of several labels; or "as offered"', 30)
    yield line("one_blank", "false", "true if one space after a label is enough: 'B because ...'", 30)
    yield line("width", "0", "pad each code to this width: numbers with leading zeros, others with spaces", 30)
    yield line("true", '"T"', "what is written for true", 30)
    yield line("false", '"F"', "and for false", 30)
    yield line("no_answer", '["no answer", "-"]', "texts that mean: no answer was given", 30)
    yield line("blank", '"leave"', 'skipped or blank; or "code" (blank_code), "clear", "hold"', 30)
    yield line("blank_code", '""', "", 30)
    yield line("not_seen", "[]", "texts that mean: the student never saw the question", 30)
    yield line("unseen", '"leave"', 'a question never seen; or "code" (unseen_code), "clear", "hold"', 30)
    yield line("unseen_code", '""', "", 30)
    yield line("existing", '"replace"', 'an answer that the target has; or "keep"', 30)
    yield ""
    for question in draft.questions:
        yield from _question(question, draft)


def _question(question: QuestionProposal, draft: Draft) -> Iterator[str]:
    yield "[[answer]]"
    yield line("from", quoted(name_of(draft.source_layout.columns, question.source)))
    target = name_of(draft.target_layout.columns, question.target) if question.target else ""
    yield line("to", quoted(target), question.reason + ("" if question.target else ": left out"))
    if not question.target:
        yield "# dropped = true               # if the question was dropped; the report says so"
    elif question.kind is not AnswerKind.LABELS:
        yield line("kind", quoted(question.kind.value), "as the answers are")
    if question.target and question.kind is AnswerKind.LABELS:
        note = "those of the key" if question.is_in_key else "those that several chose"
        yield line("labels", quoted(question.labels), f"{note}; others are held")
        if question.disordered:
            note = f'{_have_another_order(question.disordered)}; or "as given"'
            yield line("label_order", '"as offered"', note)
        one = 'as nearly all answers have; two are held. Or "several"'
        several = 'as the key or many answers have; or "one"'
        yield line("choose", quoted(question.choose.value), one if question.choose is Choose.ONE else several)
        if question.is_by_text:
            yield line("match_texts", "true", "the form states these answers with labels of its own")
        if question.one_blank:
            yield line("one_blank", "true", "each of its answers begins with a label and a space")
    if question.is_comma:
        yield line("decimal_separator", '","', "as the answers are")
    if question.units and question.kind is AnswerKind.NUMBER:
        units = ", ".join(map(quoted, question.units))
        note = "ignored" if len(question.units) == 1 else "ignored: do all of them mean the same?"
        yield line("units", f"[{units}]", note)
    if question.target and question.kind is AnswerKind.NUMBER and question.has_negatives:
        yield line("below_zero", '"send"', 'several answers are below zero; "hold" holds them')
    yield ""


def _have_another_order(answers: int) -> str:
    return counted(answers, "answer has its labels in another order", "answers have their labels in another order")


def _times(count: int) -> str:
    return counted(count, "time")
