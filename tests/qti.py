"""Results of QTI for tests, written by the standard alone."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple
from xml.sax.saxutils import escape, quoteattr

NAMESPACES = {
    "2.1": "http://www.imsglobal.org/xsd/imsqti_result_v2p1",
    "2.2": "http://www.imsglobal.org/xsd/imsqti_result_v2p2",
    "3.0": "http://www.imsglobal.org/xsd/imsqtiasi_v3p0",
}


class ItemResult(NamedTuple):
    """What is said of an item: the answers, the right ones, the score; in which attempt."""

    name: str
    answers: Sequence[str] = ()
    right: Sequence[str] = ()
    score: str = ""
    out_of: str = ""
    attempt: str = ""
    status: str = "final"


def result_of(
    candidate: str, items: Sequence[ItemResult], version: str = "2.1", total: Mapping[str, str] | None = None
) -> str:
    """Return the text of one candidate's results."""
    test = "".join(_outcome(name, text) for name, text in (total or {}).items())
    said = "".join(map(_item, items))
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<assessmentResult xmlns="{NAMESPACES[version]}">'
        f"<context sourcedId={quoteattr(candidate)}/>"
        f'<testResult identifier="yard" datestamp="2026-11-20T10:00:00">{test}</testResult>{said}</assessmentResult>'
    )


def _item(one: ItemResult) -> str:
    attempt = f' sequenceIndex="{one.attempt}"' if one.attempt else ""
    stamp = f"2026-11-2{one.attempt or 0}T10:00:00"
    right = f"<correctResponse>{_values(one.right)}</correctResponse>" if one.right else ""
    kind = "multiple" if len(one.right) > 1 else "single"
    response = (
        f'<responseVariable identifier="RESPONSE" cardinality="{kind}" baseType="identifier">{right}'
        f"<candidateResponse>{_values(one.answers)}</candidateResponse></responseVariable>"
    )
    outcomes = _outcome("SCORE", one.score) + _outcome("MAXSCORE", one.out_of)
    return (
        f'<itemResult identifier={quoteattr(one.name)}{attempt} datestamp="{stamp}" sessionStatus="{one.status}">'
        f'<responseVariable identifier="numAttempts" cardinality="single" baseType="integer"/>'
        f"{response}{outcomes}</itemResult>"
    )


def _outcome(name: str, text: str) -> str:
    value = f"<value>{escape(text)}</value>" if text else ""
    return f'<outcomeVariable identifier="{name}" cardinality="single" baseType="float">{value}</outcomeVariable>'


def _values(texts: Sequence[str]) -> str:
    return "".join(f"<value>{escape(text)}</value>" for text in texts)
