"""What several exports give is what the rule says of each item by itself, worked out by hand."""

from pathlib import Path
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st

from conftest import NOW
from skarvin.core.transfer.carry_out import write_transfer
from skarvin.core.transfer.outputs import outputs_for
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.filing import Filing

marks = st.sampled_from(["", "", "3", "3.0", "7", "9"])
PLAN = """\
version = 1
[source]
file = "0.csv"
identifier = "A"
{exports}
[target]
file = "form.csv"
identifier = "A"
[students]
minimum_paired_percent = 0
repeated = "{rule}"
[[item]]
from = "Knots"
to = "Knots"
"""


def by_hand(texts: list[str], rule: str) -> str:
    """Return what the form's cell says: the mark that counts, or nothing."""
    there = [text for text in texts if text]
    if not there:
        return ""
    if rule == "agree":
        return there[0] if len(set(map(float, there))) == 1 else ""
    return {"first": there[0], "latest": there[-1], "highest": max(there, key=float)}[rule]


@given(
    st.lists(st.tuples(marks, marks, marks), min_size=1, max_size=5),
    st.sampled_from(["agree", "first", "latest", "highest"]),
    st.permutations(["No", "Knots", "Crew"]),
)
def test_each_mark_that_counts_is_the_one_that_the_rule_names(
    students: list[tuple[str, str, str]], rule: str, order: list[str]
) -> None:
    with TemporaryDirectory() as name:
        folder = Path(name)
        for file in range(3):
            heads = ["No", "Knots", "Crew"] if not file else order
            lines = [",".join(heads)]
            for number, texts in enumerate(students):
                cells = {"No": f"00{number}", "Knots": texts[file], "Crew": "Keel"}
                lines.append(",".join(cells[head] for head in heads))
            (folder / f"{file}.csv").write_text("\n".join(lines), encoding="utf-8")
        form = "".join(f"00{number};\n" for number in range(len(students)))
        (folder / "form.csv").write_text(f"No;Knots\n{form}", encoding="utf-8")
        exports = "".join(f'[[export]]\nfile = "{file}.csv"\nidentifier = "No"\n' for file in (1, 2))
        (folder / "transfer.toml").write_text(PLAN.format(exports=exports, rule=rule), encoding="utf-8")
        settled = settle_transfer(folder / "transfer.toml")
        outputs = outputs_for(settled, folder)
        write_transfer(settled, outputs, Filing(NOW), replace_existing=False)
        written = outputs.imports[0].read_text(encoding="utf-8").splitlines()[1:]
        found = [line.partition(";")[2] for line in written]
        expected = [by_hand(list(texts), rule) for texts in students]
        if rule == "highest":  # of equal ones any may stand
            found, expected = ([text.removesuffix(".0") for text in side] for side in (found, expected))
        assert found == expected
