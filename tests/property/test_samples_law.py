"""Composing the content of a sample gives the sample back, byte for byte, whatever its habits are."""

from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st

from conftest import NOW
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

PLAN = """\
version = 1
[source]
file = "export.csv"
identifier = "No"
[target]
file = "sample.csv"
identifier = "Candidate no"
sample = true
[marks]
words = "copy"
[statuses]
absent = "absent"
"""
names = st.sampled_from(["Ann Example", "Böhm, Jörg", 'Li "Lee" Example', "Ole; Example", "O'Neill", "Ngọc, Ánh"])
texts = st.sampled_from(["7", "7.50", "0", "12", "A", "absent", "good, mostly"])
habits = st.fixed_dictionaries(
    {
        "delimiter": st.sampled_from(",;\t"),
        "quotes": st.sampled_from(["where needed", "all", "names", "marks"]),
        "end": st.sampled_from(["\n", "\r\n"]),
        "mark": st.sampled_from(["", "\ufeff"]),
        "last": st.booleans(),
        "title": st.booleans(),
        "literal": st.sampled_from(["", "ok", "#"]),
        "closing": st.booleans(),
    }
)


def spelled(text: str, habits: dict[str, object], *, kind: str) -> str:
    """Return a cell as the sample spells it."""
    always = habits["quotes"] == "all" or habits["quotes"] == kind
    must = any(sign in text for sign in (str(habits["delimiter"]), '"'))
    return '"' + text.replace('"', '""') + '"' if always or must else text


@given(st.lists(st.tuples(names, texts, texts), min_size=2, max_size=5), habits)
def test_the_content_of_a_sample_gives_it_back(people: list[tuple[str, str, str]], habits: dict[str, object]) -> None:
    kinds = ["ids", "names", "marks", "marks", "literals"]
    heads = ["Candidate no", "Name", "Knots [20]", "Lofting [20]", "Sign"]
    rows = [[f"x{place}07", *person, str(habits["literal"])] for place, person in enumerate(people)]
    width = 5 if habits["literal"] else 4
    lines = [
        str(habits["delimiter"]).join(
            spelled(text, habits, kind=kind) for text, kind in zip(row[:width], kinds, strict=False)
        )
        for row in [heads, *rows]
    ]
    lines[:0] = ["Import of marks"] if habits["title"] else []
    lines += ["END" + str(habits["delimiter"]) * (width - 1)] if habits["closing"] else []
    end = str(habits["end"])
    sample = str(habits["mark"]) + end.join(lines) + (end if habits["last"] else "")
    quoted = [",".join('"' + text.replace('"', '""') + '"' for text in row[:4]) for row in rows]
    with TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "sample.csv").write_bytes(sample.encode())
        (folder / "export.csv").write_text("\n".join(["No,Name,Knots,Lofting", *quoted]), encoding="utf-8")
        items = "".join(f'[[item]]\nfrom = "{own}"\nto = "{own}"\nrescale = false\nabove = "allow"\n' for own in "CD")
        plan = PLAN + items
        (folder / "transfer.toml").write_text(plan, encoding="utf-8")
        settled = settle_transfer(folder / "transfer.toml")
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        assert outputs.imports[0].read_bytes().decode() == sample
