"""Drafts the transfer that sends again what is missing in the target, from the one that sent it."""

from collections.abc import Sequence

import msgspec

from skarvin.core.plan.drafting.toml import line, listed, quoted
from skarvin.core.plan.lines import find_line
from skarvin.core.texts.patterns import pattern
from skarvin.core.texts.toml_text import TomlFault, load_toml

_HEADER = pattern(r"\s*\[")
_NOTE = """\
# Sends again only what an earlier write sent and the target doesn't have; marks that somebody corrected there stay.
"""


class Resend(msgspec.Struct, frozen=True, kw_only=True):
    """What a transfer that sends again needs besides what the first one says.

    Attributes:
        ledger: the ledger of the write.
        form: a fresh export that is of the form's own shape, to be filled; blank where there is none.
        target_now: a fresh export of another shape; blank where the form is one.
        pair: the columns that pair its students, if a person said so.
        items: which of its columns is which item, as far as a person said so.
        pairings: the decisions about the first transfer; blank where there are none.
    """

    ledger: str
    form: str = ""
    target_now: str = ""
    pair: str = ""
    items: Sequence[str] = ()
    pairings: str = ""


def resend_text(text: str, resend: Resend) -> str:
    """Return the text of the transfer that sends again what is missing; all other rules are those of `text`."""
    text = _without_since(text)
    if resend.form:
        text = _with_key(text, "target", "file", quoted(resend.form))
    if resend.pairings:
        earlier = load_toml(text).get("students", {}).get("earlier_pairings", [])
        value = f"[{', '.join(map(quoted, [*earlier, resend.pairings]))}]"
        text = _with_key(text, "students", "earlier_pairings", value)
    since = [
        line("sent_ledger", quoted(resend.ledger), "what was sent"),
        *([line("target_now", quoted(resend.target_now), "what the target has now")] if resend.target_now else []),
        *([line("target_now_pair", quoted(resend.pair))] if resend.target_now and resend.pair else []),
        *([line("target_now_items", listed(list(resend.items)))] if resend.target_now and resend.items else []),
        line("send", quoted("missing"), 'only what is missing; "new and missing" sends later corrections, too'),
    ]
    return f"{text.rstrip()}\n\n{_NOTE}[since]\n" + "\n".join(since) + "\n"


def _without_since(text: str) -> str:
    """Return a transfer without its table [since]."""
    at = find_line(text, "since")
    if at is None:
        return text
    lines = text.splitlines(keepends=True)
    end = next((number for number in range(at, len(lines)) if _HEADER.match(lines[number])), len(lines))
    return "".join([*lines[: at - 1], *lines[end:]])


def _with_key(text: str, table: str, key: str, value: str) -> str:
    """Return a transfer with another value for a key, whose own may run over several lines."""
    lines = text.splitlines(keepends=True)
    header, at = find_line(text, table), find_line(text, table, key)
    if header is None or at is None:
        return f"{text.rstrip()}\n\n[{table}]\n{key} = {value}\n"
    if at == header:
        return "".join([*lines[:header], f"{key} = {value}\n", *lines[header:]])
    end = at
    while not _is_whole("".join(lines[at - 1 : end])) and end < len(lines):
        end += 1
    return "".join([*lines[: at - 1], f"{key} = {value}\n", *lines[end:]])


def _is_whole(text: str) -> bool:
    try:
        load_toml(text)
    except TomlFault:
        return False
    return True
