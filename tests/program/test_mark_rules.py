"""Marks of every kind through the built program."""

import json
from pathlib import Path

import openpyxl
import pytest

from conftest import Skarvin, column, edit, lay_out

NUMBERS = ["001", "002", "003", "004", "005", "006"]


def moved(folder: Path, skarvin: Skarvin, marks: list[str], rules: str, held: list[str] | None = None) -> list[str]:
    """Move marks out of one column into another by some rules, and return what the target's column says then."""
    quoted = ['"' + mark.replace('"', '""') + '"' for mark in marks]
    export = "".join(f"{number},{mark}\n" for number, mark in zip(NUMBERS, quoted, strict=False))
    form = "".join(f"{number};{mark}\n" for number, mark in zip(NUMBERS, held or [""] * len(marks), strict=False))
    lay_out(folder, f"No,Knots\n{export}", f"No;Knots\n{form}", rules)
    assert skarvin("write", "--replace").code in {0, 1}
    return column(folder, 1)


def item(*lines: str) -> str:
    return "\n".join(['[[item]]\nfrom = "B"\nto = "B"', *lines, ""])


COPY = ('words = "copy"', 'scale = "craft"', "from_out_of = 100")
CRAFT = "[scale.craft]\nround_first = {first}\n[scale.craft.bands]\nMaster = 70\nLearner = 0\n"
LINES = '[scale.sixths.lines]\n"0" = 1\n"60" = 4\n"100" = 6\n'
POINTS = '[scale.points]\nmeasure = "points"\n[scale.points.lines]\n"12" = 5\n"10" = 0\n'
SIXTHS = ('scale = "sixths"', "from_out_of = 100", "to_out_of = 6")
SIGNS = '[scale.signs]\nmeasure = "points"\n[scale.signs.values]\n"++" = 2\n"+" = 1\no = 0\n"-" = -1\n"--" = -2\n'
STATUSES = '[statuses]\nabsent = "ABS"\nexempt = ""\n"not handed in" = 0\n'


@pytest.mark.parametrize(
    ("marks", "rules", "gives"),
    [
        (["17", " 17.50 ", "8/20", "50%"], item("from_out_of = 20", "to_out_of = 20"), ["17", "17.50", "8", "10"]),
        (["17½", "17 1/3"], item(), ["17.5", "17.33"]),
        (["30", "0"], item("from_out_of = 40", "weight = 15"), ["11.25", "0"]),
        (["30", "10"], item("from_out_of = 40", "to_out_of = 100", 'to_suffix = "%"', "decimals = 0"), ["75%", "25%"]),
        (["30", "7"], item("from_out_of = 40", 'to_suffix = "%"'), ["75%", "17.5%"]),
        (["30", ""], item("from_out_of = 40", 'to_suffix = "%"', 'blank = "zero"'), ["75%", "0%"]),
        (["75%", "62.5 %"], item("from_out_of = 40", "to_out_of = 40"), ["30", "25"]),
        (["1.005", "2.5"], item('rounding = "none"', "decimals = 1"), ["", "2.5"]),
        (["2.5", "3.5"], item('rounding = "half even"', "decimals = 0"), ["2", "4"]),
        (["7.24", "7.25", "7.75"], item("step = 0.5"), ["7", "7.5", "8"]),
        (["7.1", "12.5", "0"], item("step = 5", 'rounding = "down"'), ["5", "10", "0"]),
        (["7.125", "7.1"], item("step = 0.125", 'rounding = "none"'), ["7.125", ""]),
        (["7.2", "7.3"], "[marks]\nstep = 0.25\n" + item('to_zeros = "fill"'), ["7.25", "7.25"]),
        (["0", "30", "60", "80", "100"], LINES + item(*SIXTHS, "step = 0.25"), ["1", "2.5", "4", "5", "6"]),
        (["40", "41", "45%"], LINES + item(*SIXTHS, "decimals = 3"), ["3", "3.05", "3.25"]),
        (["9", "10", "12", "13"], POINTS + item('scale = "points"'), ["", "0", "5", ""]),
        (["++", "+", "o", "-", "–", "− −"], SIGNS + item('scale = "signs"'), ["2", "1", "0", "-1", "-1", "-2"]),
        (["17,5", "18"], item('decimal_separator = ","', 'to_decimal_separator = ","'), ["17,5", "18"]),
        (["18*", "18 late", "7 *"], "[marks]\nset_aside = ['*']\n" + item(), ["18", "", "7"]),
        (["-", "–", "0"], item('dash = "blank"', 'blank = "code"', 'blank_code = "NA"'), ["NA", "NA", "0"]),
        (["absent", "EXEMPT", "not  handed in", "ill"], STATUSES + item(), ["ABS", "", "0", ""]),
        (["absent", "exempt", "ill"], STATUSES + item("statuses = { absent = 0, ill = 'M' }"), ["0", "", "M"]),
        (["B+", "Not yet", "7", "1O", "-", "ill"], item('words = "copy"'), ["B+", "Not yet", "7", "", "", ""]),
        (["B+", "High", "=A1", "12"], CRAFT.format(first="true") + item(*COPY), ["B+", "High", "", "Learner"]),
        (["absent", "exempt", "7"], STATUSES + item("statuses = { Absent = false }"), ["", "", "7"]),
        (["2.5", "2.1"], item('rounding = "up"', "decimals = 0"), ["3", "3"]),
        (["2.5", "2.9"], item('rounding = "down"', "decimals = 0"), ["2", "2"]),
        (["17,5", "18.5"], item(), ["", "18.5"]),
    ],
)  # fmt: skip
def test_a_mark_is_converted_by_its_rules(
    tmp_path: Path, skarvin: Skarvin, marks: list[str], rules: str, gives: list[str]
) -> None:
    assert moved(tmp_path, skarvin, marks, rules) == gives


@pytest.mark.parametrize(
    ("mark", "says"),
    [
        *(
            ("1O", "unreadable mark '1O' (perhaps 10)"),
            ("O", "unreadable mark 'O' (perhaps 0)"),
            ("1.2.3", "two decimal separators"),
            ("B+", "is a letter"),
        ),
        *(("1,500", "perhaps 1500 with a thousands separator"), ("5-Oct", "a date, perhaps once 5/10")),
        *(("5 Kasım", "a date, perhaps once 5/11"), ("5. März", "(a date)"), ("Οκτ 5", "(a date)")),
        ("5-knots", "unreadable mark '5-knots'"),
        *(("absent", "a status without a code"), ("18 late", "has 'late' after it (perhaps 18)"), ("–", "a dash")),
        *(("-1", "below zero"), ("25", "above the maximum 20"), ("8/10", "out of 10, the item out of 20")),
    ],
)
def test_what_is_unclear_is_held_with_its_place(tmp_path: Path, skarvin: Skarvin, mark: str, says: str) -> None:
    assert moved(tmp_path, skarvin, [mark, "7"], item("from_out_of = 20", "to_out_of = 20")) == ["", "7"]
    shown = json.loads(skarvin("preview", "--json").out)["marks"]["list"]
    (held,) = [one for one in shown if one["fate"] == "held"]
    assert (held["row"], held["column"]) == (2, "B")
    assert says in held["reason"]
    assert says.split("(", maxsplit=1)[0].strip() in " ".join(skarvin("preview").out.split())


@pytest.mark.parametrize(
    ("statuses", "says", "line"),
    [
        ('[statuses]\nabsent = "?"\n' + item(), "what is sent for 'absent' is to be written", 9),
        (item('statuses = { absent = "?" }'), "what is sent for 'absent' is to be written", 11),
        ("[statuses]\nabsent = true\n" + item(), "true isn't a code; false holds the status", 9),
    ],
)
def test_a_status_whose_code_is_open_or_none_is_told_with_its_line(
    tmp_path: Path, skarvin: Skarvin, statuses: str, says: str, line: int
) -> None:
    lay_out(tmp_path, "No,Knots\n001,7\n", "No;Knots\n001;\n", statuses)
    refused = skarvin("preview")
    assert refused.code in {3, 4}
    assert says in refused.err
    assert f"line {line}" in refused.err


@pytest.mark.parametrize(
    ("rules", "fate", "gives"),
    [
        ('blank = "leave"', "left out", ["9", "0"]),
        ('blank = "zero"', "changed", ["0", "0"]),
        ('blank = "clear"', "changed", ["", "0"]),
        ('blank = "code"\nblank_code = "NA"', "changed", ["NA", "0"]),
        ('blank = "hold"', "held", ["9", "0"]),
    ],
)
def test_a_blank_has_a_rule_and_a_zero_is_always_a_mark(
    tmp_path: Path, skarvin: Skarvin, rules: str, fate: str, gives: list[str]
) -> None:
    assert moved(tmp_path, skarvin, ["", "0"], item(rules), ["9", "9"]) == gives
    blank, zero = json.loads(skarvin("preview", "--json").out)["marks"]["list"]
    assert (blank["fate"], zero["fate"]) == (fate, "changed")
    assert skarvin("write", "--replace").code == (fate == "held")


@pytest.mark.parametrize(
    ("above", "gives", "says"),
    [
        ("hold", ["", "40"], "25 is above the maximum 20"),
        ("allow", ["50", "40"], "25"),
        ("cap", ["40", "40"], "25 was capped at the maximum 20"),
    ],
)
def test_a_mark_above_the_maximum_is_held_sent_or_cut(
    tmp_path: Path, skarvin: Skarvin, above: str, gives: list[str], says: str
) -> None:
    rules = item("from_out_of = 20", "to_out_of = 40", f'above = "{above}"')
    assert moved(tmp_path, skarvin, ["25", "20"], rules) == gives
    assert says in skarvin("preview").out + (tmp_path / "ledger.json").read_text(encoding="utf-8")


@pytest.mark.parametrize(("first", "word"), [("true", "Master"), ("false", "Learner")])
def test_a_mark_becomes_a_word_and_a_boundary_is_shown(tmp_path: Path, skarvin: Skarvin, first: str, word: str) -> None:
    rules = CRAFT.format(first=first) + item('scale = "craft"', "from_out_of = 100", "decimals = 0")
    assert moved(tmp_path, skarvin, ["69.5", "70", "12", "Master"], rules) == [word, "Master", "Learner", "Master"]
    out = " ".join(skarvin("preview").out.split())
    assert "Close to a boundary: 1" in out
    assert f"69.5 percent is '{word}'" in out
    assert ("banded after rounding to 0 decimals" in out) == (first == "true")
    assert f"69.5 percent is &#39;{word}&#39;" in (tmp_path / "report.html").read_text(encoding="utf-8")


def test_a_number_among_words_is_held_unless_the_scale_has_it(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[scale.craft.values]\nMaster = 95\n"8" = 80\n' + item('scale = "craft"', "to_out_of = 10")
    assert moved(tmp_path, skarvin, ["Master", "11", "8", "7"], rules) == ["9.5", "", "8", ""]


def test_words_become_marks_and_words(tmp_path: Path, skarvin: Skarvin) -> None:
    scale = '[scale.craft.values]\nMaster = 95\n"A-" = 87.5\n[scale.craft.words]\nMaster = "Meister"\n'
    rules = scale + item('scale = "craft"', 'gives = "{}"', "to_out_of = 40")
    assert moved(tmp_path, skarvin, ["Master", "a-", "B"], rules.format("marks")) == ["38", "35", ""]
    assert moved(tmp_path, skarvin, ["Master", "a-", "B"], rules.format("words")) == ["Meister", "", ""]
    refused = skarvin("preview", "--transfer", "open.toml")
    (tmp_path / "open.toml").write_text(
        (tmp_path / "transfer.toml").read_text(encoding="utf-8").replace('gives = "words"\n', ""), encoding="utf-8"
    )
    refused = skarvin("preview", "--transfer", "open.toml")
    assert (refused.code, "the scale 'craft' goes both ways" in refused.err) == (3, True)


@pytest.mark.parametrize(
    ("scale", "line", "says"),
    [
        ("[scale.x.bands]\nPass = 50\n", 9, "a gap: a mark below 50 has no word"),
        ("[scale.x.bands]\nFail = 0\nPass = 50\nMerit = 50\n", 11, "an overlap: 'Pass' and 'Merit' both begin at 50"),
        ("[scale.x.bands]\nFail = [0, 49]\nPass = 50\n", 9, "a gap: between 49, where 'Fail' ends, and 50"),
        ('[scale.x]\nbands = { Fail = 0, "fail " = 20 }\n', 9, "is met twice"),
        ("[scale.x.values]\nA = 5\na = 6\n", 10, "'a' is met twice"),
        ('[scale.x.lines]\n"5" = 1\n', 9, "scale 'x': a line runs between two marks; there is one"),
        ('[scale.x.lines]\n"5" = 1\n"5.0" = 2\n', 9, "scale 'x': 5 is met twice"),
        ('[scale.x.lines]\nfive = 1\n"6" = 2\n', 9, "five: 'five' isn't a mark; write it as a number"),
        ('[scale.x.lines]\n"5" = nan\n"6" = 2\n', 9, "5: this isn't a mark"),
        ("[scale.x.values]\nA = inf\n", 9, "A: this isn't a mark"),
        ("[scale]\nround_first = true\n[scale.x.bands]\nPass = 0\n", 8, "'scale' should be a table"),
        ("[scale.x]\nmesure = 'points'\n", 9, "there is no key 'mesure'"),
        ("[scale.x]\nmeasure = 'pints'\n", 9, 'measure = "pints" is not one of the choices'),
        ("[scale.x.values]\nA = '?'\n", 9, "what 'A' stands for is to be written"),
        ("", 11, "there is no such scale (known: none)"),
    ],
)
def test_a_scale_that_cannot_be_meant_is_refused_with_its_line(
    tmp_path: Path, skarvin: Skarvin, scale: str, line: int, says: str
) -> None:
    lay_out(tmp_path, "No,Knots\n001,7\n", "No;Knots\n001;\n", scale + item('scale = "x"'))
    refused = skarvin("preview")
    assert refused.code in {3, 4}
    assert says in refused.err
    assert f"line {line}" in refused.err


@pytest.mark.parametrize(
    ("existing", "gives"),
    [
        ("replace", ["6", "6", "6", "6"]),
        ("keep", ["9", "6", "6", "4"]),
        ("only if blank", ["9", "6", "-", "4"]),
        ("higher", ["9", "6", "6", "6"]),
    ],
)
def test_the_targets_own_mark_has_a_say_and_what_goes_down_is_pointed_out(
    tmp_path: Path, skarvin: Skarvin, existing: str, gives: list[str]
) -> None:
    rules = item(f'existing = "{existing}"')
    assert moved(tmp_path, skarvin, ["6"] * 4, rules, ["9", "", "-", "4"]) == gives
    shown = skarvin("preview").out
    assert ("Lower than before: 1 mark" in shown) == (existing == "replace")
    report = (tmp_path / "report.html").read_text(encoding="utf-8")
    assert ("Lower than before: 1" in report) == (existing == "replace")


@pytest.mark.parametrize(
    ("existing", "gives"),
    [("replace", ["Learner", "Master", "Master"]), ("higher", ["Master", "Master", "Master"])],
)
def test_a_word_of_the_target_is_higher_or_lower_by_where_its_band_begins(
    tmp_path: Path, skarvin: Skarvin, existing: str, gives: list[str]
) -> None:
    rules = CRAFT.format(first="false") + item('scale = "craft"', "from_out_of = 100", f'existing = "{existing}"')
    assert moved(tmp_path, skarvin, ["12", "70", "90"], rules, ["Master", "Learner", "master"]) == gives
    out = skarvin("preview").out
    assert ("Lower than before: 1 mark" in out) == (existing == "replace")
    assert ("1 kept" in out) == (existing == "higher")


def test_rounding_is_counted_with_the_largest_change(tmp_path: Path, skarvin: Skarvin) -> None:
    moved(tmp_path, skarvin, ["1.26", "1.2", "1.249"], item("decimals = 1"))
    assert "Rounded: 2 marks, by at most 0.049" in skarvin("preview").out
    (one,) = json.loads(skarvin("preview", "--json").out)["items"]
    assert (one["rounded"], one["largest_change"]) == (2, "0.049")


def test_a_stated_mark_goes_to_the_paired_students_of_a_section(tmp_path: Path, skarvin: Skarvin) -> None:
    export = "No,Crew,Knots\n001,Keel,7\n002,Mast,8\n003,Keel,\n004,Keel,9\n"
    rules = '[[constant]]\nmark = "P"\nto = "Here"\nsections = ["keel"]\nmarked_in = "Knots"\n'
    lay_out(tmp_path, export, "No;Here\n001;\n002;\n003;\n", rules + "[students]\nleast_paired = 0\n")
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == ["P", "", ""]
    out = skarvin("preview").out
    assert "(4 exported, 4 constant): 1 sent" in " ".join(out.split())
    report = (tmp_path / "report.html").read_text(encoding="utf-8")
    for why in ("the student is in another section", "has no mark in", "the student isn&#39;t paired"):
        assert why in report


COMMENTS = '001,7,"So ""neat""!\r\nGo on 🙂"\n002,x,See me\n003,8,Well done\n004,9,=1+1\n'


@pytest.mark.parametrize(
    ("existing", "gives"),
    [
        ("keep", ['So "neat"!\r\nGo on 🙂', "", "Late", ""]),
        ("replace", ['So "neat"!\r\nGo on 🙂', "", "Well done", ""]),
        ("add", ['So "neat"!\r\nGo on 🙂', "", "Late\nWell done", ""]),
    ],
)
def test_comments_travel_whole_with_their_marks(
    tmp_path: Path, skarvin: Skarvin, existing: str, gives: list[str]
) -> None:
    rules = f'[[comment]]\nfrom = "C"\nto = "C"\nof = "B"\nexisting = "{existing}"\n'
    form = "No;Knots;Remarks\n001;;\n002;;\n003;;Late\n004;;\n"
    lay_out(tmp_path, f"No,Knots,Remarks\n{COMMENTS}", form, item() + rules)
    assert skarvin("write").code == 1
    assert column(tmp_path, 2) == gives
    why = {
        one["row"]: one.get("slug")
        for one in json.loads(skarvin("preview", "--json").out)["marks"]["list"]
        if one["column"] == "C"
    }
    assert why[3 if existing == "" else 4] in {None, "mark-held", "keep", ""}
    assert "would-run" in why.values()
    assert "mark-held" in why.values()
    (tmp_path / "form-import.csv").rename(tmp_path / "form.csv")
    assert json.loads(skarvin("preview", "--json").out)["fates"]["sent"] == 0


def test_a_comment_that_the_targets_encoding_cannot_hold_is_held(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out(tmp_path, "No,Remarks\n001,🙂\n002,gut\n", "", '[[comment]]\nfrom = "B"\nto = "B"\n')
    (tmp_path / "form.csv").write_bytes("No;Größe\n001;\n002;\n".encode("cp1252"))
    edit(tmp_path / "transfer.toml", 'file = "form.csv"', 'file = "form.csv"\nencoding = "cp1252"')
    assert skarvin("write").code == 1
    assert (tmp_path / "form-import.csv").read_bytes() == "No;Größe\n001;\n002;gut\n".encode("cp1252")
    assert "has no '🙂'" in skarvin("preview").out


def test_draft_proposes_what_the_marks_show(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "e.csv").write_text(
        "No,Knots (out of 20),Care (out of 5),Style,Feedback on Knots\n"
        '001,"17,5",sharp,Merit,good\n002,absent,blunt,Pass,\n003,12*,sharp,Pass,\n004,-,sharp,Merit,\n',
        encoding="utf-8",
    )
    (tmp_path / "f.csv").write_text(
        "No;Knots [20];Care [10];Style;Remarks\n001;;;;\n002;7,5;;;\n003;;;MERIT;\n004;;;;\n"
    )
    drafted = skarvin("draft", "e.csv", "f.csv")
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    for line in (
        'decimal_separator = ","',
        'to_decimal_separator = ","',
        'absent = "?"',
        '"*" (1 time)',
        "the export has 1",
    ):
        assert line in plan
    assert "[scale.care.values]" in plan
    assert 'sharp = "?"' in plan
    assert 'Merit = "MERIT"' in plan
    assert '# of = "Knots (out of 20)"' in plan
    assert "3 questions to answer" in drafted.out
    edit(tmp_path / "transfer.toml", 'absent = "?"', "absent = false")
    edit(tmp_path / "transfer.toml", 'sharp = "?"', "sharp = 90")
    edit(tmp_path / "transfer.toml", 'blunt = "?"', "blunt = 35")
    assert skarvin("write").code == 1
    assert column(tmp_path, 2, "f-import.csv") == ["9", "3,5", "9", "9"]  # the file speaks commas
    assert column(tmp_path, 3, "f-import.csv") == ["MERIT", "Pass", "Pass", "MERIT"]
    assert column(tmp_path, 1, "f-import.csv") == ["17,5", "7,5", "", ""]


@pytest.mark.parametrize(
    ("held", "rules", "gives"),
    [
        (["50%", "80%", ""], item("from_out_of = 40"), ["50%", "25%", "75%"]),
        (["50%", "80 %", ""], item("from_out_of = 40"), ["20", "10", "30"]),  # two ways of writing it are none
        (["50%", "80%", ""], item("from_out_of = 40", "to_out_of = 100"), ["50%", "25%", "75%"]),
        (["50%", "80%", ""], item("from_out_of = 40", "to_out_of = 20"), ["10", "5", "15"]),
        (["50%", "80", ""], item("from_out_of = 40", "to_out_of = 100"), ["50", "25", "75"]),
        (["50%", "80%", ""], '[marks]\nmissing_maximum = "same"\n' + item(), ["20", "10", "30"]),
    ],
)
def test_a_column_of_percents_is_filled_with_percents(
    tmp_path: Path, skarvin: Skarvin, held: list[str], rules: str, gives: list[str]
) -> None:
    assert moved(tmp_path, skarvin, ["20", "10", "30"], rules, held) == gives


def test_draft_takes_a_maximum_that_every_mark_states(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "e.csv").write_text('No,Knots,Planks,Tools\n01,"62,5 %",17½,9/10\n02,80%,39 1/3,7\n', encoding="utf-8")
    (tmp_path / "f.csv").write_text("No;Knots [8];Planks;Tools [5]\n01;;50%;\n02;;;\n")
    drafted = skarvin("draft", "e.csv", "f.csv")
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert "from_out_of = 100                          # as its marks have it" in plan
    assert "to_out_of = 100                            # as its marks have it" in plan
    assert "1 of its marks has a decimal comma" in plan
    assert "1 question to answer" in drafted.out
    edit(tmp_path / "transfer.toml", 'missing_maximum = "?"', "missing_maximum = 50")
    assert skarvin("write").code == 1
    assert [column(tmp_path, place, "f-import.csv") for place in (1, 2)] == [["5", "6.4"], ["35%", "78.67%"]]


def test_a_transfer_whose_items_are_all_left_out_says_so(tmp_path: Path, skarvin: Skarvin) -> None:
    assert moved(tmp_path, skarvin, ["7", "8"], '[[item]]\nfrom = "B"\nto = ""\n') == ["", ""]
    shown = skarvin("preview").out
    assert "2 left out. No item has a column of the form to go to." in " ".join(shown.split())
    assert "Rules" not in shown


def test_every_rule_of_an_item_is_said_in_words(tmp_path: Path, skarvin: Skarvin) -> None:
    lines = (
        "from_out_of = 20",
        "to_out_of = 40",
        "decimals = 1",
        'above = "cap"',
        'dash = "blank"',
        "ignore_flags = ['*']",
    )
    moved(tmp_path, skarvin, ["25", "7*", "-"], STATUSES + item(*lines, 'decimal_separator = ","', 'blank = "zero"'))
    said = " ".join(skarvin("preview").out.split())
    for words in (
        "rescaled from 20 to 40, at most 1 decimal, rounded half up",
        "marks above the maximum are capped",
        "decimal separator: comma in the export",
        "absent is sent as ABS, exempt is sent as a blank and not handed in is sent as 0",
        "a dash is a blank",
        "ignored flags: *",
        "a blank is sent as zero",
        "existing marks are replaced",
        "25 was capped at the maximum 20",
        "'*' after the mark was ignored",
    ):
        assert words in said
    (one,) = json.loads(skarvin("preview", "--json").out)["items"]
    assert "rescaled from 20 to 40" in one["rule"]["words"]


def test_draft_asks_for_the_bands_of_a_form_that_wants_words(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "e.csv").write_text("No,Knots (out of 20)\n001,17\n002,9\n003,20\n")
    (tmp_path / "f.csv").write_text("No;Knots\n001;\n002;Fail\n003;Pass\n")
    skarvin("draft", "e.csv", "f.csv")
    assert skarvin("preview").code == 4
    edit(tmp_path / "transfer.toml", 'Fail = "?"', "Fail = 0")
    edit(tmp_path / "transfer.toml", 'Pass = "?"', "Pass = 50")
    assert skarvin("write").code == 0
    assert column(tmp_path, 1, "f-import.csv") == ["Pass", "Fail", "Pass"]


def test_what_the_target_holds_stays_where_a_made_mark_or_its_comment_is_not_sent(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    export = "No,Crew,Knots,Remarks\n001,Keel,1O,good\n002,Keel,7,fine\n003,Mast,8,neat\n"
    form = "No;Twice;Here;Remarks;Knots\n001;9;X;old;\n002;9;X;old;\n003;9;X;old;\n"
    rules = (
        '[[total]]\nname = "Double"\nformula = "2 * Knots"\n[[item]]\nfrom = "Double"\nto = "Twice"\n'
        '[[item]]\nfrom = "Knots"\nto = "Knots"\n'
        '[[constant]]\nmark = "P"\nto = "Here"\nsections = ["Keel"]\nexisting = "replace"\n'
        '[[comment]]\nfrom = "Remarks"\nto = "Remarks"\nof = "Knots"\nexisting = "replace"\n'
    )
    lay_out(tmp_path, export, form, rules)
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == ["9", "14", "16"]
    assert column(tmp_path, 2) == ["P", "P", "X"]
    items = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))["items"]
    assert [one["target"]["before"]["sum"] for one in items if one["from"]["heading"] == "Double"] == ["27"]
    assert column(tmp_path, 3) == ["old", "fine", "neat"]


def test_a_comment_stays_where_the_targets_mark_is_kept(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = item('existing = "keep"') + '[[comment]]\nfrom = "Feedback on Knots"\nto = "C"\n'
    form = "No;Knots;Remarks\n001;9;\n002;;\n"
    lay_out(tmp_path, "No,Knots,Feedback on Knots\n001,7,one\n002,8,two\n", form, rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 2) == ["", "two"]
    assert "the target&#39;s mark is kept, so its comment" in (tmp_path / "report.html").read_text(encoding="utf-8")


@pytest.mark.parametrize(
    ("rules", "says"),
    [
        (item("weight = 15"), "a weight needs the item's maximum"),
        (item("weight = -15"), "-15 can't be a weight"),
        (item() + '[[comment]]\nfrom = "B"\nto = "B"\n', "'Knots' is used twice"),
        (item() + '[[constant]]\nmark = "P"\nto = "B"\n', "'Knots' is used twice"),
        (item() + '[[total]]\nname = "Knots"\nformula = "1"\n', "is a column of the export and a total"),
        ('[[comment]]\nfrom = "B"\nto = "B"\nof = "B"\n', "isn't an item of this transfer"),
        (item('decimal_separator = ";"'), 'decimal_separator = ";" is not one of the choices'),
    ],
)
def test_rules_that_cannot_be_meant_together_are_refused(
    tmp_path: Path, skarvin: Skarvin, rules: str, says: str
) -> None:
    rules = rules.replace('from = "B"', 'from = "Knots"')
    lay_out(tmp_path, "No,Knots\n001,7\n", "No;Knots\n001;\n", rules)
    refused = skarvin("preview")
    assert (refused.code, says in refused.err) == (3, True), refused.err


@pytest.mark.parametrize(
    ("marks", "rules", "gives"),
    [
        (["17,5", "18.5", "1,500", "1.500", "7"], item('decimal_separator = "either"'), ["17.5", "18.5", "", "", "7"]),
        (["17,5\u200b", "\u200e9", "8"], item('decimal_separator = "either"'), ["17.5", "9", "8"]),
        (["+7", "7 ½", "7½"], item(), ["", "7.5", "7.5"]),
        (["*18", "~ 17", "late 16"], '[marks]\nset_aside = ["*", "late"]\n' + item(), ["18", "", "16"]),
        (["7 of 10", "7of10", "9 / 10"], item("from_out_of = 10"), ["7", "", "9"]),
        (["7/10", "8/20"], item("from_out_of = 20", "to_out_of = 40"), ["", "16"]),
        (["7/10", "8/20"], item("from_out_of = 20", "to_out_of = 40", 'other_maximum = "rescale"'), ["28", "16"]),
        (
            ["B−", "B +", "b-", "A", "3"],
            "[scale.s.words]\n'A' = 'top'\n'B-' = 'low'\n'B+' = 'high'\n" + item('scale = "s"'),
            ["low", "high", "low", "top", ""],
        ),
    ],
)  # fmt: skip
def test_marks_of_strange_hands_are_read_or_held(
    tmp_path: Path, skarvin: Skarvin, marks: list[str], rules: str, gives: list[str]
) -> None:
    assert moved(tmp_path, skarvin, marks, rules) == gives


def test_what_nobody_sees_is_ignored_and_told(tmp_path: Path, skarvin: Skarvin) -> None:
    moved(tmp_path, skarvin, ["17\u200b", "\u2066abc\u2069"], item())
    told = (tmp_path / "ledger.json").read_text(encoding="utf-8")
    assert "characters that can't be seen, which were ignored" in told
    shown = " ".join(skarvin("preview").out.split())
    assert "1 mark has characters that can't be seen, which were ignored: B2" in shown


def test_the_stored_numbers_of_a_workbook_are_no_matter_of_its_decimal_sign(tmp_path: Path, skarvin: Skarvin) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in (["No", "Knots"], ["001", 45.5], ["002", "7,25"], ["003", 1.125], ["004", "1.500"]):
        sheet.append(row)
    book.save(tmp_path / "export.xlsx")
    lay_out(
        tmp_path, "No,Knots\n", "No;Knots\n001;\n002;\n003;\n004;\n", item('decimal_separator = ","', "decimals = 3")
    )
    edit(tmp_path / "transfer.toml", "export.csv", "export.xlsx")
    assert skarvin("write").code == 1
    assert column(tmp_path, 1, "form-import.csv") == ["45.5", "7.25", "1.125", ""]


@pytest.mark.parametrize(
    ("formula", "gives", "cut"),
    [
        (
            "at most 40 of ('Hull' + 'Sail')",
            ["40", "15", "40", "40"],
            "2 students (row 2: 45 became 40 and row 4: 41 became 40)",
        ),
        ("at least 20 of ('Hull' + 'Sail')", ["45", "20", "41", "40"], "1 student (row 3: 15 became 20"),
        ("'Hull' + at most 9 of 'Sail'", ["39", "15", "29", "29"], ""),
    ],
)
def test_what_a_limit_does_to_a_total_is_told_where_it_does_anything(
    tmp_path: Path, skarvin: Skarvin, formula: str, gives: list[str], cut: str
) -> None:
    rules = f'[[total]]\nname = "All"\nformula = "{formula}"\n[[item]]\nfrom = "All"\nto = "B"\n'
    lay_out(tmp_path, "No,Hull,Sail\n1,30,15\n2,10,5\n3,20,21\n4,20,20\n", "No;Sum\n1;\n2;\n3;\n4;\n", rules)
    assert skarvin("write").code == 0
    assert column(tmp_path, 1) == gives
    shown = " ".join(skarvin("preview").out.split())
    assert (f"A limit changed it for {cut}" in shown) is bool(cut)
    (total,) = json.loads((tmp_path / "ledger.json").read_bytes())["totals"]
    assert len([one for one in total["students"] if "before_limit" in one]) == cut.count("became")
    assert ("A limit changed it" in (tmp_path / "report.html").read_text(encoding="utf-8")) is bool(cut)
