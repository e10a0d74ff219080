"""What a rule for a total gave, in words: the same on the screen and on the page."""

from collections.abc import Iterator

from skarvin.core.findings import counted
from skarvin.core.marks.totals.evaluate import Missing
from skarvin.core.transfer.made import TotalResult

_MISSING = {
    Missing.ZERO: "taken as zero",
    Missing.LEAVE_OUT: "left out",
    Missing.HOLD: "so the total is held",
}


def total_in_words(result: TotalResult) -> Iterator[str]:
    """Yield sentences: the rule, how many marks were missing, and how the export's own total compares."""
    rule = result.total.rule
    yield f"{rule.name} = {rule.text}"
    if result.incomplete:
        marks = sum(result.values[row].missing for row in result.incomplete)
        who = counted(len(result.incomplete), "student")
        yield f"{counted(marks, 'mark')} of {who} {'was' if marks == 1 else 'were'} missing, {_MISSING[rule.missing]}."
    if result.held:
        yield f"For {counted(len(result.held), 'student')} it can't be told: {result.values[result.held[0]].reason}."
    if result.checked and result.total.check:
        checked, title = result.checked, result.total.check.title
        tail = f"; {checked.incomparable} can't be compared" if checked.incomparable else ""
        differ = f"differs for {counted(len(checked.differing), 'student')}" if checked.differing else "differs nowhere"
        yield (
            f"'{title}' of the export agrees for {counted(checked.agree, 'student')} and {differ}{tail}, "
            f"to {counted(rule.decimals, 'decimal')}."
        )
    elif not result.total.check:
        yield "The export has no total of its own to hold it against."
