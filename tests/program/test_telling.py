"""What a person reads: where a mark is, what comes first and last, and numbers that mean what they say."""

import json
import re
from pathlib import Path

import pytest

from conftest import Skarvin, edit, lay_out

EXPORT = """\
No,Name,Knots (out of 10),Loft (out of 20),Extra (out of 10),Knots: remark
101,Kim Nour,8.256,19.36,3,
102,Reyes Luz,12,exempt,4,
103,Sá Ana,7*,10.5,5,
104,Roy Abir,6,8,6,
x1,Lund Ida,5,5,7,
"""
FORM = (
    "No;Name;Knots [10];Loft [20] (not counted)\n101;Kim Nour;9;\n102;Reyes Luz;;\n103;Sá Ana;7;\n"
    "104;Roy Abir;6.5;x\n105;Lund Isa;;\n"
)
RULES = """\
[students]
minimum_paired_percent = 0
[marks]
ignore_flags = ["*"]
[statuses]
exempt = ""
[scale.loft.bands]
good = 97
fair = 50
poor = 0
[[item]]
from = "C"
to = "C"
decimals = 1
existing = "{existing}"
[[item]]
from = "D"
to = "D"
scale = "loft"
decimals = 0
any_column = true
"""


def words(text: str) -> str:
    return " ".join(text.split())


@pytest.fixture
def told(tmp_path: Path) -> Path:
    lay_out(tmp_path, EXPORT, FORM, RULES.format(existing="replace"))
    return tmp_path


@pytest.mark.parametrize(
    ("title", "row"),
    [
        ("Lower than before", "Kim Nour Knots C2 9 8.3"),
        ("Replaced", "Roy Abir Knots C5 6.5 6"),
        ("Rounded, by at most", "Kim Nour Knots C2 8.256 8.3"),
        ("Sent as a blank", "Reyes Luz Loft D3 exempt"),
        ("Close to a boundary", "Kim Nour Loft D2 96.8 percent is 'fair'; rounded first to 97, it would be 'good'"),
        ("Held: 3 marks", "Reyes Luz Knots C3 12 12 is above the maximum 10"),
    ],
)
@pytest.mark.usefixtures("told")
def test_whatever_is_said_of_a_mark_says_student_item_and_place(skarvin: Skarvin, title: str, row: str) -> None:
    out = skarvin("preview", "--all").out
    assert title in out
    assert row in words(out), out


def test_kept_and_flagged_marks_say_where_they_are(told: Path, skarvin: Skarvin) -> None:
    edit(told / "transfer.toml", 'existing = "replace"', 'existing = "keep"')
    out = words(skarvin("preview").out)
    assert "Kept as the form has them: 2 marks" in out
    assert "Roy Abir Knots C5 6.5 6" in out
    edit(told / "form.csv", "103;Sá Ana;7;", "103;Sá Ana;;")
    assert "Sá Ana Knots C4 7* '*' after the mark was ignored" in words(skarvin("preview").out)


@pytest.mark.usefixtures("told")
def test_rounding_is_one_line_unless_all_is_asked_for(skarvin: Skarvin) -> None:
    assert "Rounded: 1 mark, by at most 0.044; --all lists it" in skarvin("preview").out
    assert "Kim Nour" not in skarvin("preview").out.split("Rounded")[1].split("\n\n")[0]


def test_an_item_left_out_shows_the_marks_of_the_one_student_who_is_moved(told: Path, skarvin: Skarvin) -> None:
    assert "Extra E2" not in words(skarvin("preview").out).replace("Kim Nour ", "")
    edit(told / "transfer.toml", "[students]", '[students]\nonly = ["101"]')
    out = words(skarvin("preview").out)
    assert "Not sent, since the item is left out: 1 mark" in out
    assert "Kim Nour Extra E2 3 the item is not in the transfer" in out


@pytest.mark.usefixtures("told")
def test_a_target_item_that_does_not_count_is_remarked_on(skarvin: Skarvin) -> None:
    assert "Not counted towards the form's total: 'Loft'." in words(skarvin("preview").out)


@pytest.mark.usefixtures("told")
def test_preview_says_first_and_last_what_matters_and_counts_nothing_twice(skarvin: Skarvin) -> None:
    lines = [line for line in skarvin("preview").out.splitlines() if line.strip()]
    decide = "To decide: 1 student, 1 mark; 2 more marks wait for that student."
    assert lines[1].startswith("All 15 entries accounted for: ")
    assert decide in words("\n".join(lines[1:5]))
    last = words("\n".join(lines[-9:]))
    assert decide in last
    assert "1 student to confirm: skarvin students --decide" in last
    assert '1 mark (C3): above = "allow" or "cap"' in last
    assert last.endswith("Decide and preview again; or go on without what is held. Next: skarvin write")


def test_each_next_step_names_the_line_of_the_transfer_that_rules_it(told: Path, skarvin: Skarvin) -> None:
    edit(told / "transfer.toml", "[marks]", '[marks]\nabove = "hold"')
    number = (told / "transfer.toml").read_text().splitlines().index('above = "hold"') + 1
    assert f"(transfer.toml, line {number})" in words(skarvin("write").out)
    edit(told / "transfer.toml", 'above = "hold"', 'above = "cap"')  # and it helps
    assert "is above the maximum" not in skarvin("preview").out


def test_nothing_to_decide_says_only_what_is_next(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No,Knots\n1,5\n", "No;Knots\n1;\n", '[[item]]\nfrom = "B"\nto = "B"\n')
    out = skarvin("preview").out
    assert "To decide" not in out
    assert out.rstrip().endswith("Next: skarvin write")


def test_the_page_says_what_to_decide_and_how(told: Path, skarvin: Skarvin) -> None:
    skarvin("write")
    page = (told / "report.html").read_text(encoding="utf-8")
    for said in ("Reconciliation report", ">To decide</h2>", "skarvin students --decide", "Read-back check passed"):
        assert said in page
    for old in ("What became of the marks", "needs a person<", "Held because", "<td>template</td>", "the template"):
        assert old not in page


def test_rows_of_one_student_are_not_counted_as_students(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[students]\nrepeated = "highest"\n[[item]]\nfrom = "B"\nto = "B"\n'
    lay_out(tmp_path, "No,Knots\n1,5\n1,7\n2,4\n", "No;Knots\n1;\n2;\n", rules)
    assert "2 students paired by 'No' with 'No', in 3 rows" in skarvin("preview").out
    assert "Paired: 2 students, in 3 rows" in skarvin("students").out
    assert "3 rows of students" in skarvin("preview").out
    skarvin("write")
    assert "2 students are paired (in 3 rows)" in (tmp_path / "report.html").read_text(encoding="utf-8")


@pytest.mark.usefixtures("told")
def test_tables_keep_the_item_when_space_is_short(skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "80")
    out = skarvin("preview").out
    assert max(map(len, out.splitlines())) <= 80
    assert "student    item" in out
    assert words("12 is above the maximum 10") in words(out)  # the reason runs over, and isn't cut


def test_old_keys_of_a_transfer_are_read_and_both_are_refused(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[students]\nleast_paired = 0\n[marks]\nset_aside = ["*"]\ndecimal_sign = ","\n'
    rules += '[[item]]\nfrom = "B"\nto = "B"\nto_behind = "%"\nto_decimal_sign = ","\n'
    lay_out(tmp_path, 'No,Knots\n1,"7,5*"\n', "No;Knots\n1;\n", rules)
    assert skarvin("write").code == 0
    assert (tmp_path / "form-import.csv").read_text().endswith("1;7,5%\n")
    edit(tmp_path / "transfer.toml", "set_aside", "ignore_flags = []\nset_aside")
    run = skarvin("preview")
    assert (run.code, "line 12: 'set_aside' is now called 'ignore_flags'" in run.err) == (3, True), run.err


def test_errors_name_the_cause_and_the_columns(told: Path, skarvin: Skarvin) -> None:
    edit(told / "transfer.toml", 'from = "D"', 'from = "Splines"')
    assert "there is no column 'Splines'. Columns: No, Name, Knots (out of 10)" in skarvin("preview").err
    edit(told / "transfer.toml", "version = 1", "version = 2")
    assert "version 2 isn't supported. Write version = 1." in skarvin("preview").err


def _lists(text: str, list_of: str, cell: str) -> dict[str, tuple[int, list[str]]]:
    """Return each list of marks by its title: how many it says, and the cells of those that stand in it."""
    found = {}
    for titled in re.finditer(list_of, text):
        title = titled["title"].partition(",")[0]
        found[title] = int(titled["count"]), re.findall(cell, titled["rows"])
    return found


@pytest.mark.parametrize("existing", ["replace", "keep", "higher"])
def test_terminal_and_page_list_the_same_marks_and_as_many_as_the_ledger_has(
    told: Path, skarvin: Skarvin, existing: str
) -> None:
    edit(told / "transfer.toml", "replace", existing)
    edit(told / "form.csv", "104;Roy Abir;6.5", "104;Roy Abir;5.5")
    edit(told / "form.csv", "103;Sá Ana;7;", "103;Sá Ana;;")
    shown = skarvin("preview", "--all").out.split("\nSample rows")[0]
    assert skarvin("write").code == 1
    page = (told / "report.html").read_text(encoding="utf-8")
    page = page.partition('<div class="sign">')[0].partition("Close to a boundary")[2] + page.partition('id="items"')[2]
    ours = _lists(shown, r"\n(?P<title>[A-Z][^\n:]+): (?P<count>\d+) marks?\n(?P<rows>(?:.+\n)+)", r"  ([C-D]\d)  ")
    titled = r"(?s)<h3>(?P<title>[A-Z][^<:]+): (?P<count>\d+)</h3>(?P<rows>.*?)</table>"
    theirs = _lists(page, titled, r'<tr><td class="cell">(\w+)</td>')
    marks = json.loads((told / "ledger.json").read_text(encoding="utf-8"))["marks"]["list"]
    assert ours == {title: theirs[title] for title in ours}
    assert len(ours) >= (4 if existing == "replace" else 3)
    for title, fate in (("Replaced", "changed"), ("Kept as the form has them", "kept")):
        assert ours.get(title, (0, []))[0] == sum(mark["fate"] == fate for mark in marks), title


def test_the_sum_of_an_item_that_is_left_out_is_told_too(told: Path, skarvin: Skarvin) -> None:
    assert skarvin("write").code == 1
    items = json.loads((told / "ledger.json").read_text(encoding="utf-8"))["items"]
    extra = next(item for item in items if item["to"] is None)
    assert extra["source"] == {"count": 5, "sum": str(3 + 4 + 5 + 6 + 7)}


def test_what_rounding_makes_of_a_mark_that_stands_there_already_is_no_change(told: Path, skarvin: Skarvin) -> None:
    edit(told / "form.csv", "101;Kim Nour;9", "101;Kim Nour;8.3")
    assert "Rounded" not in skarvin("preview", "--all").out
