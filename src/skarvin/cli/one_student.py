"""How one student's marks come about, as text and as data: `skarvin preview --why STUDENT`."""

from collections.abc import Sequence
from typing import Any

from skarvin.cli.output import heading
from skarvin.cli.table import Head, format_table, wrap
from skarvin.core.findings import counted
from skarvin.core.texts.numbers import plain, shortest
from skarvin.core.transfer.student_account import Account, ExplainedTotal
from skarvin.reports.masking import identity

_HEADS = (
    Head("item", most=30, least=12),
    Head("place"),
    Head("mark", most=16),
    Head("becomes", most=16),
    Head("fate"),
    Head("reason", least=16, wraps=True),
)


def format_accounts(accounts: Sequence[Account]) -> str:
    """Return the accounts of the students who are meant."""
    return "\n\n".join(map(_account, accounts))


def _account(account: Account) -> str:
    student, target = account.student, account.target
    who = "  ".join(filter(None, (identity(student.identifier.strip()), student.name)))
    where = f"export {student.row}, " + (f"form {target.row}" if target else "not paired")
    rows = [
        (
            line.item.source.called,
            line.item.cell(student.row),
            line.outcome.source.strip(),
            line.outcome.written or (line.outcome.was.strip() if line.outcome.was else ""),
            line.outcome.fate.label if line.outcome.fate else "",
            line.outcome.why.words if line.outcome.why else "",
        )
        for line in account.lines
    ]
    parts = [heading(who), f"  {where}", "", format_table(_HEADS, rows)]
    for total in account.totals:
        parts += ["", *_total(account, total)]
    return "\n".join(parts)


def _total(account: Account, total: ExplainedTotal) -> list[str]:
    rule, value = total.result.total.rule, total.result.values[account.student.row]
    if value.number is None:
        gives = f"can't be calculated: {value.reason}" if value.reason else "nothing counts, so there is none"
    else:
        exact, rounded = plain(shortest(value.number)), plain(rule.rounded(value.number))
        gives = exact if exact == rounded else f"{exact}, to {counted(rule.decimals, 'decimal')} {rounded}"
    lines = [f"{heading(rule.name)}: {gives}"]
    for step in total.steps:
        shown = "nothing" if step.value is None else plain(shortest(step.value))
        note = f"   ({step.note})" if step.note else ""
        lines.append(wrap(f"{step.words} = {shown}{note}", indent=2 + 2 * step.depth))
    return lines


def accounts_data(accounts: Sequence[Account]) -> list[dict[str, Any]]:
    """Return the same as data."""
    return [
        {
            "row": account.student.row.number,
            "to_row": account.target.row.number if account.target else None,
            "marks": [
                {
                    "item": line.item.source.called,
                    "place": line.item.cell(account.student.row),
                    "mark": line.outcome.source,
                    "before": line.outcome.was,
                    "written": line.outcome.written,
                    "fate": line.outcome.fate.value if line.outcome.fate else None,
                    "reason": line.outcome.why.words if line.outcome.why else "",
                }
                for line in account.lines
            ],
            "totals": [_total_data(account, total) for total in account.totals],
        }
        for account in accounts
    ]


def _total_data(account: Account, total: ExplainedTotal) -> dict[str, Any]:
    value = total.result.values[account.student.row]
    return {
        "name": total.result.total.rule.name,
        "exact": None if value.number is None else plain(shortest(value.number)),
        "held": value.reason,
        "steps": [
            {
                "depth": step.depth,
                "part": step.words,
                "value": None if step.value is None else plain(shortest(step.value)),
                "note": step.note,
            }
            for step in total.steps
        ],
    }
