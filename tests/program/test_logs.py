"""A log, with a line for each mark: the same as a table of the same marks, and each mark keeps its line."""

import csv
import json
import random
from pathlib import Path

import pytest

from conftest import Skarvin, column, edit
from skarvin.reports import mark_lines

ITEMS = {"Knots": 10, "Lofting": 100, "Caulking": 20, "Rigging": 50}
HEADINGS = ("Apprentice no", "Name", "Activity", "Attempt", "Result", "Out of", "Given on")
FORM = "Registry no;Name;Knots [10];Lofting [15];Caulking [20]\n"
NAMES = ("Ó Murchú, Síle", "D'Angelo, Chiara", "Tanaka, Hiroshi", "Nwosu, Ada", "Berg, Kjell", "Haddad, Layla")


def write_rows(file: Path, rows: list[list[str]]) -> None:
    with file.open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)


def log_line(who: int, item: str, mark: str, attempt: int = 1, day: str = "2026-10-01") -> list[str]:
    return [f"{4107 + who}", NAMES[who], item, str(attempt), mark, str(ITEMS[item]), day]


def lay_out_form(folder: Path) -> None:
    rows = "".join(f"{4107 + who};{name.partition(',')[0]};;;\n" for who, name in enumerate(NAMES))
    (folder / "form.csv").write_text(FORM + rows, encoding="utf-8")


def answered(skarvin: Skarvin, *exports: str) -> str:
    """Draft a transfer, and answer what it asks."""
    Path("transfer.toml").unlink(missing_ok=True)
    said = skarvin("draft", *exports, "form.csv")
    assert said.code == 0, said.err
    text = Path("transfer.toml").read_text(encoding="utf-8")
    Path("transfer.toml").write_text(text.replace('= "?"', "= false"), encoding="utf-8")
    return said.out


@pytest.mark.parametrize("seed", range(6))
def test_a_log_gives_what_a_table_of_the_same_marks_gives(tmp_path: Path, skarvin: Skarvin, seed: int) -> None:
    rng = random.Random(seed)
    lay_out_form(tmp_path)
    marks = {
        (who, item): rng.choice([f"{rng.randint(0, ITEMS[item] - 1)}.5"] * 8 + ["absent", "5O"])
        for who in range(len(NAMES))
        for item in ITEMS
        if rng.random() < 0.8
    }
    table = [[*HEADINGS[:2], *(f"{item} (out of {top})" for item, top in ITEMS.items())]]
    table += [
        [f"{4107 + who}", name, *(marks.get((who, item), "") for item in ITEMS)] for who, name in enumerate(NAMES)
    ]
    lines = [log_line(who, item, mark) for (who, item), mark in marks.items()]
    lines += [log_line(who, "Knots", "") for who in range(len(NAMES)) if (who, "Knots") not in marks]
    rng.shuffle(lines)
    for line in lines:  # what stands around a number or a title makes nobody another, and no other item
        line[0], line[2] = (rng.choice(["{}", " {}", "{} "]).format(line[place]) for place in (0, 2))
    write_rows(tmp_path / "export.csv", table)
    answered(skarvin, "export.csv")
    assert skarvin("write", "--plain").code <= 1
    expected = (tmp_path / "form-import.csv").read_bytes()
    again = [list(HEADINGS), *lines] if seed % 2 else []
    write_rows(tmp_path / "export.csv", [list(HEADINGS), *lines, *again])
    for made in [*tmp_path.glob("form-*"), *tmp_path.glob("*.db"), tmp_path / "held.csv"]:
        made.unlink(missing_ok=True)
    assert "Knots" in answered(skarvin, "export.csv")
    said = skarvin("write", "--plain", "--replace")
    assert said.code <= 1, said.err
    assert (tmp_path / "form-import.csv").read_bytes() == expected
    told = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))
    listed = [mark for mark in told["marks"]["list"] if mark["column"]]
    assert {mark["column"] for mark in listed} == {"E"}
    places = [mark.get("mark_row", mark["row"]) for mark in listed]
    assert sorted(places) == [at for at in range(2, len(lines) + len(again) + 2) if not again or at != len(lines) + 2]
    for mark, place in zip(listed, places, strict=True):
        assert [*lines, *again][place - 2][4] == mark["mark"]
    assert told["rows"]["source"]["students"] == len({line[0].strip() for line in lines}) * (1 + seed % 2)
    assert told["rows"]["source"]["students"] + told["rows"]["source"]["further_marks"] == len(lines) * (1 + seed % 2)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", 0)
        assert skarvin("write", "--plain", "--replace").code == said.code
    assert (tmp_path / "form-import.csv").read_bytes() == expected
    coded = [one for one in coded_marks(tmp_path) if one[0]]
    assert sorted((row, mark) for row, _, mark in coded) == sorted(
        (place, mark["mark"]) for mark, place in zip(listed, places, strict=True)
    )
    assert {letters for _, letters, _ in coded} == {"E"}


def coded_marks(folder: Path) -> list[tuple[int, str, str]]:
    """Return row and column in the export, and the text, of each mark in the file beside the ledger."""
    marks = json.loads((folder / "ledger.json").read_bytes())["marks"]
    found = []
    for line in (folder / "ledger-marks.jsonl").read_text(encoding="utf-8").splitlines():
        _, _, digits, rows = json.loads(line)
        codes = [int(digits[at : at + marks["digits"]], 16) for at in range(0, len(digits), marks["digits"])]
        for row, code, (letters, _) in zip(rows, codes, marks["columns"], strict=True):
            found.append((row, letters, marks["outcomes"][code]["mark"]))
    return found


@pytest.mark.parametrize("blank", ["", " ", "\u00a0"])
def test_where_a_line_has_no_mark_its_status_stands_for_it(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, blank: str
) -> None:
    lines = [[*log_line(who, "Knots", blank if who % 2 else "7.5"), "absent" if who % 2 else ""] for who in range(6)]
    write_rows(tmp_path / "export.csv", [[*HEADINGS, "State"], *lines])
    (tmp_path / "form.csv").write_text("Registry no;Knots [10]\n4107;\n4108;\n4109;\n", encoding="utf-8")
    uses = ("Activity=item title", "Result=mark", "Out of=maximum", "State=status", "Given on=comment")
    told = [word for use in uses for word in ("--use", use)]
    assert skarvin("draft", "export.csv", "form.csv", *told, "--status", "absent=ABS").code == 0
    assert skarvin("write", "--plain").code <= 1
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert written == ["4107;7.5", "4108;ABS", "4109;7.5"]
    listed = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))["marks"]["list"]
    assert [(mark["column"], mark["mark"]) for mark in listed[:2]] == [("E", "7.5"), ("H", "absent")]
    monkeypatch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", 0)
    again = skarvin("write", "--plain", "--replace")
    assert again.code <= 1, again.err


def test_a_large_log_tells_no_line_of_a_mark_that_stands_in_none(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    write_rows(tmp_path / "export.csv", [list(HEADINGS), *(log_line(who, "Knots", "7.5") for who in range(6))])
    (tmp_path / "form.csv").write_text("Registry no;Knots [10];Safety\n4107;;\n4108;;\n4109;;\n", encoding="utf-8")
    uses = ("Activity=item title", "Result=mark", "Out of=maximum")
    assert skarvin("draft", "export.csv", "form.csv", *(word for use in uses for word in ("--use", use))).code == 0
    with (tmp_path / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[constant]]\nmark = "1"\nto = "Safety"\n')
    monkeypatch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", 0)
    assert skarvin("write", "--plain").code <= 1
    lines = (tmp_path / "ledger-marks.jsonl").read_text(encoding="utf-8").splitlines()
    assert sorted(json.loads(line)[3] for line in lines)[:2] == [[2, 0], [3, 0]]


@pytest.mark.parametrize("wrong", [0, 1, 2])
def test_a_line_that_is_told_wrongly_of_a_large_log_withdraws_the_file(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, wrong: int
) -> None:
    """None is wrong, one is, or one is left out where there is a mark: then it isn't looked up."""
    lines = [log_line(who, item, f"{who}.5") for who in range(6) for item in ITEMS]
    write_rows(tmp_path / "export.csv", [list(HEADINGS), *lines])
    lay_out_form(tmp_path)
    answered(skarvin, "export.csv")
    monkeypatch.setattr("skarvin.core.transfer.settling.LISTED_WHOLE", 0)
    real = mark_lines._whereabouts  # noqa: SLF001
    told = {0: b"[3,", 1: b"[8,", 2: b"[0,"}[wrong]
    monkeypatch.setattr(
        mark_lines, "_whereabouts", lambda settled: lambda who: real(settled)(who).replace(b"[2,", told)
    )
    said = skarvin("write", "--plain")
    if wrong == 1:
        assert said.code == 4
        assert "export.csv, row 8, column E: the export says '1.5' here, and the ledger '0.5'" in said.err
        assert not (tmp_path / "form-import.csv").exists()
    else:
        assert said.code <= 1, said.err
        looked_up = json.loads((tmp_path / "ledger.json").read_bytes())["second_look"]["marks_looked_up"]
        assert looked_up == len(lines) - (wrong == 2)


AGAIN = [
    log_line(0, "Knots", "8"),
    log_line(1, "Knots", "5", 2, "2026-10-03"),
    log_line(1, "Knots", "7", 1, "2026-10-02"),
    log_line(1, "Knots", "6", 3, "2026-10-01"),
    log_line(2, "Knots", "4"),
    log_line(2, "Knots", "4", 2, "2026-10-09"),
    *(log_line(who, item, "9") for who in range(3) for item in ("Lofting", "Caulking")),
]


@pytest.mark.parametrize(
    ("rules", "sent", "told"),
    [
        (("agree", ""), ["8", "", "4"], "row 5 of the same student says"),
        (("highest", ""), ["8", "7", "4"], ""),
        (("first", ""), ["8", "5", "4"], ""),
        (("latest", ""), ["8", "6", "4"], ""),
        (("latest", "Attempt"), ["8", "6", "4"], ""),
        (("latest", "Given on"), ["8", "5", "4"], ""),
        (("first", "Given on"), ["8", "6", "4"], ""),
        (("first", "Attempt"), ["8", "7", "4"], ""),
    ],
)
def test_of_several_lines_of_one_student_and_item_one_counts_by_rule(
    tmp_path: Path, skarvin: Skarvin, rules: tuple[str, str], sent: list[str], told: str
) -> None:
    rule, by = rules
    lay_out_form(tmp_path)
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *AGAIN])
    answered(skarvin, "log.csv")
    edit(tmp_path / "transfer.toml", 'repeated = "agree"', f'repeated = "{rule}"')
    edit(tmp_path / "transfer.toml", 'repeated_by = ""', f'repeated_by = "{by}"')
    assert told in skarvin("preview").out
    assert skarvin("write", "--plain").code <= 1
    rows = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:4]
    assert [row.split(";")[2] for row in rows] == sent
    assert [row.split(";")[4] for row in rows] == ["9", "9", "9"], "what isn't given again goes"


@pytest.mark.parametrize(("others", "titled"), [(("10", " 10 "), "Knots (out of 10)"), (("10", "12"), "Knots")])
def test_an_item_of_a_log_has_a_maximum_that_all_its_lines_say(
    tmp_path: Path, skarvin: Skarvin, others: tuple[str, str], titled: str
) -> None:
    lines = [log_line(who, item, f"{who}.5") for who in range(6) for item in ITEMS]
    for line in lines:
        if line[2] == "Knots":
            line[5] = others[line[0] == "4108"]
    write_rows(tmp_path / "export.csv", [list(HEADINGS), *lines])
    lay_out_form(tmp_path)
    uses = "Out of=maximum", "Activity=item title", "Result=mark"
    drafted = skarvin("draft", "export.csv", "form.csv", *(part for use in uses for part in ("--use", use)))
    assert drafted.code == 0, drafted.err
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert f'from = "{titled}"' in text
    assert 'from = "Lofting (out of 100)"' in text


def test_marks_whose_order_cannot_be_told_are_refused_with_their_lines(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_form(tmp_path)
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *AGAIN, log_line(0, "Knots", "3")])
    answered(skarvin, "log.csv")
    edit(tmp_path / "transfer.toml", 'repeated_by = ""', 'repeated_by = "Given on"')
    said = skarvin("preview")
    assert said.code == 3
    assert "row 2, column G: of 2 marks of one student and item it can't be told which came first" in said.err
    edit(tmp_path / "transfer.toml", 'repeated_by = "Given on"', 'repeated_by = ""')
    assert skarvin("preview").code <= 1


def test_half_a_log_and_a_column_that_is_not_there_are_told(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_form(tmp_path)
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *AGAIN])
    said = skarvin("draft", "log.csv", "form.csv", "--use", "Activity=item title")
    assert (said.code, "nothing is known to be the mark" in said.err) == (3, True)
    said = skarvin("draft", "log.csv", "form.csv", "--use", "Activity=item title", "--use", "Result=mark")
    assert (said.code, "Lofting" in said.out) == (0, True)
    Path("transfer.toml").unlink()
    assert "no column 'Nowhere'" in skarvin("draft", "log.csv", "form.csv", "--use", "Nowhere=mark").err
    write_rows(
        tmp_path / "log.csv", [list(HEADINGS), *([*AGAIN[0][:2], f"Knot {at}", *AGAIN[0][3:]] for at in range(2_001))]
    )
    said = skarvin("draft", "log.csv", "form.csv", "--use", "Activity=item title", "--use", "Result=mark")
    assert (said.code, "row 1, column C: this column has 2,001 different titles" in said.err) == (3, True)


def test_a_log_is_joined_with_a_table_and_with_another_log(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_form(tmp_path)
    rows = [log_line(who, item, str(9 - who + (who == 2))) for who in range(4) for item in ("Knots", "Lofting")]
    rows[0][4] = "10"
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *rows])
    rows = [
        log_line(who, item, str(8 - who + (item == "Rigging") * who % 3))
        for who in range(6)
        for item in ("Caulking", "Rigging")
    ]
    write_rows(tmp_path / "other.csv", [["Extra", *HEADINGS], *(["x", *row] for row in rows)])
    answered(skarvin, "log.csv", "other.csv")
    said = skarvin("write", "--plain")
    assert said.code <= 1, said.err
    told = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))
    places = {(mark.get("export", 0), mark["column"]) for mark in told["marks"]["list"] if mark["mark"]}
    assert places == {(0, "E"), (1, "F")}
    rows_written = (tmp_path / "form-import.csv").read_text(encoding="utf-8").splitlines()[1:]
    assert [row.split(";")[2] for row in rows_written] == ["10", "8", "8", "6", "", ""]
    assert [row.split(";")[4] for row in rows_written] == ["8", "7", "6", "5", "4", "3"]


def test_a_fresh_export_may_be_a_log(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_form(tmp_path)
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *AGAIN])
    answered(skarvin, "log.csv")
    assert skarvin("write", "--plain").code <= 1
    fresh = [
        [f"{4107 + who}", item, "1.35" if item == "Lofting" else "9"] for who in range(3) for item in list(ITEMS)[1:3]
    ]
    write_rows(tmp_path / "fresh.csv", [["Registry no", "Test", "Points"], *fresh, ["4107", "Knots", "7"]])
    said = skarvin("confirm", "fresh.csv")
    assert "6 of 8 marks sent arrived" in said.out
    assert "C8" in said.out


def test_look_shows_a_log_as_a_table_and_other_files_as_they_are(tmp_path: Path, skarvin: Skarvin) -> None:
    write_rows(tmp_path / "log.csv", [list(HEADINGS), *AGAIN])
    said = " ".join(skarvin("look", "log.csv").out.split())
    assert "a line for each mark: 3 items by the titles in column C, 12 marks in column E" in said
    assert "blank row" not in said
    rows = [[f"{4107 + who}", NAMES[who], state, "9"] for who in range(6) for state in ("Begun", "Begun")]
    write_rows(tmp_path / "attempts.csv", [["No", "Name", "State", "Knots"], *rows])
    assert "a line for each mark" not in skarvin("look", "attempts.csv").out


@pytest.mark.parametrize(
    ("rule", "which", "sent"),
    [
        ("at most 60%", "highest", ["7", "6", "6"]),
        ("at most 60%", "latest", ["5", "6", "6"]),
        ("at most 8", "highest", ["7", "8", "8"]),
        ("-2", "highest", ["7", "8", "7"]),
        ("x0.5", "latest", ["2.5", "5", "4.5"]),
        ("at most 60%", "first", ["7", "3", "4"]),
    ],
)
def test_later_attempts_count_for_what_a_person_rules(
    tmp_path: Path, skarvin: Skarvin, rule: str, which: str, sent: list[str]
) -> None:
    """The second mark of each is 5, 10 and 9 of 10; one stands above the first in the file, and later by its date."""
    lines = ["1,Hull,7,10,2026-03-01", "1,Hull,5,10,2026-04-01", "2,Hull,10,10,2026-04-01", "2,Hull,3,10,2026-03-01"]
    lines += ["3,Hull,4,10,2026-03-01", "3,Hull,9,10,2026-05-01", *(f"{n},Sail,6,10,2026-03-01" for n in (1, 2, 3))]
    (tmp_path / "export.csv").write_text("\n".join(["Id,Task,Mark,Max,Date", *lines, ""]))
    (tmp_path / "form.csv").write_text("Id;Hull;Sail\n1;;\n2;;\n3;;\n")
    uses = "Id=student number", "Task=item title", "Mark=mark", "Max=maximum"
    options = [part for use in uses for part in ("--use", use)]
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same", *options).code == 0
    transfer = tmp_path / "transfer.toml"
    text = transfer.read_text(encoding="utf-8").replace(
        'repeated_by = ""', f'repeated_by = "Date"\nlater_attempts = "{rule}"'
    )
    transfer.write_text(text.replace('repeated = "agree"', f'repeated = "{which}"'), encoding="utf-8")
    run = skarvin("write")
    assert run.code == 0, run.out + run.err
    assert column(tmp_path, 1) == sent
    assert column(tmp_path, 2) == ["6", "6", "6"]
    shown = " ".join(skarvin("preview", "--all").out.split())
    assert which == "first" or f"attempt 2: {rule}" in shown
    transfer.write_text(transfer.read_text(encoding="utf-8").replace(rule, "half of it"), encoding="utf-8")
    assert "it is no rule" in skarvin("preview").err


def test_comments_of_a_log_travel_with_their_marks(tmp_path: Path, skarvin: Skarvin) -> None:
    lines = ["1,Hull,7,neat and square", "1,Sail,8,", "2,Hull,9,see me about the seam", '2,Sail,6,"late, but good"']
    lines += ["3,Hull,5,the plank is split", "3,Sail,4,"]
    (tmp_path / "export.csv").write_text("\n".join(["Id,Task,Mark,Comment", *lines, ""]))
    (tmp_path / "form.csv").write_text("Id;Hull;Remarks on Hull;Sail;Remarks on Sail\n1;;;;\n2;;;;\n3;;;;\n")
    uses = "Id=student number", "Task=item title", "Mark=mark", "Comment=comment"
    options = [part for use in uses for part in ("--use", use)]
    drafted = skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same", *options)
    assert drafted.code == 0, drafted.err
    transfer = tmp_path / "transfer.toml"
    comments = (f'\n[[comment]]\nfrom = "Comment on {item}"\nto = "Remarks on {item}"\n' for item in ("Hull", "Sail"))
    transfer.write_text(transfer.read_text(encoding="utf-8") + "".join(comments), encoding="utf-8")
    run = skarvin("write")
    assert run.code == 0, run.out + run.err
    assert column(tmp_path, 1) == ["7", "9", "5"]
    assert column(tmp_path, 2) == ["neat and square", "see me about the seam", "the plank is split"]
    assert column(tmp_path, 3) == ["8", "6", "4"]
    assert column(tmp_path, 4) == ["", "late, but good", ""]
    marks = json.loads((tmp_path / "ledger.json").read_bytes())["marks"]["list"]
    (one,) = [mark for mark in marks if mark.get("now") == "late, but good"]
    assert (one["row"], one["mark_row"], one["column"], one["to_row"]) == (4, 5, "D", 3)


def test_a_log_is_known_where_its_first_lines_are_of_as_many_students(tmp_path: Path, skarvin: Skarvin) -> None:
    """As exports are that stand in the order of items: all students' first item, then their second."""
    titles, people = ("Hull", "Sail", "Keel"), range(2_600)
    lines = [f"{100 + n},{title},{(n + place) % 11}" for place, title in enumerate(titles) for n in people]
    (tmp_path / "export.csv").write_text("\n".join(["Student number,Task,Mark", *lines, ""]))
    (tmp_path / "form.csv").write_text("\n".join(["Student number;Keel;Hull;Sail", *(f"{100 + n};;;" for n in people)]))
    assert skarvin("draft", "export.csv", "form.csv", "--missing-maximum", "same").code == 0
    assert skarvin("write").code in {0, 1}
    for place, title in ((1, 2), (2, 0), (3, 1)):
        assert column(tmp_path, place) == [str((n + title) % 11) for n in people]
