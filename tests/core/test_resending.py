"""The transfer that sends again: all rules of the first one, and what it needs besides."""

import tomllib

from skarvin.core.plan.resending import Resend, resend_text

FIRST = """version = 1
[source]
file = "export.csv" # the export
[target]
identifier = "No"
file = "form.csv"
[since]
send = "new"
sent_file = "x.csv"
[students]
names = "pair"
earlier_pairings = [
  "autumn.csv",
  "winter.csv",
]
[[item]]
from = "A"
"""


def test_a_form_of_the_same_shape_takes_the_forms_place() -> None:
    text = resend_text(FIRST, Resend(ledger="ledger.json", form='fresh "x".csv', pairings="pairings.csv"))
    made, first = tomllib.loads(text), tomllib.loads(FIRST)
    assert made["target"] == {"identifier": "No", "file": 'fresh "x".csv'}
    assert made["since"] == {"sent_ledger": "ledger.json", "send": "missing"}
    assert made["students"]["earlier_pairings"] == ["autumn.csv", "winter.csv", "pairings.csv"]
    assert {key: made[key] for key in ("version", "source", "item")} == {
        key: first[key] for key in ("version", "source", "item")
    }
    assert "# the export" in text


def test_another_shape_is_named_with_what_a_person_said_of_it() -> None:
    since = Resend(ledger="l.json", target_now="now.txt", pair="A=No", items=("B=Knots", 'C="D"'))
    made = tomllib.loads(resend_text(FIRST, since))
    assert made["target"]["file"] == "form.csv"
    assert made["since"] == {
        "sent_ledger": "l.json",
        "target_now": "now.txt",
        "target_now_pair": "A=No",
        "target_now_items": ["B=Knots", 'C="D"'],
        "send": "missing",
    }


def test_keys_and_tables_that_are_not_there_are_made() -> None:
    bare = 'version = 1\n[source]\nfile = "e.csv"\n[target]\nidentifier = "A"\n[since]\nsend = "new"'
    made = tomllib.loads(resend_text(bare, Resend(ledger="l.json", form="f.csv", pairings="p.csv")))
    assert made["target"] == {"file": "f.csv", "identifier": "A"}
    assert made["students"] == {"earlier_pairings": ["p.csv"]}
