"""A list, a history and a correction reach the student and the item that they are about, and nobody else."""

import csv
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin, edit
from skarvin.core.students.meant import Named, People, same_people

NAMES = ("Ann Lee", "Bo Rey", "Cy Fox", "Dee Gil", "Ed Ham", "Fi Ona")
SIGNED = ["M. Sá", "seen on paper"]


def files(folder: Path, numbers: tuple[str, ...], marks: tuple[str, ...], heading: str = "Knots,Rope") -> None:
    rows = zip(numbers, NAMES, marks, strict=False)
    (folder / "export.csv").write_text(
        f"Id,Name,{heading}\n" + "".join(f"{no},{name},{mark}\n" for no, name, mark in rows)
    )
    blank = "," * heading.count(",")
    (folder / "form.csv").write_text(
        f"Id,Name,{heading}\n" + "".join(f"{no},{name},{blank}\n" for no, name in zip(numbers, NAMES, strict=False))
    )


def drafted(skarvin: Skarvin) -> None:
    assert skarvin("draft", "export.csv", "form.csv").code == 0


def column(folder: Path, place: int) -> list[str]:
    with (folder / "form-import.csv").open(encoding="utf-8-sig", newline="") as lines:
        return [cells[place] for cells in csv.reader(lines)][1:]


def listed(folder: Path, name: str = "held.csv") -> list[list[str]]:
    with (folder / name).open(encoding="utf-8-sig", newline="") as lines:
        return list(csv.reader(lines))


def put(folder: Path, rows: list[list[str]], name: str = "held.csv") -> None:
    with (folder / name).open("w", encoding="utf-8", newline="") as lines:
        csv.writer(lines).writerows(rows)


IDENTIFIERS = st.text(alphabet="01aA-", min_size=1, max_size=4)


@given(people=st.lists(st.tuples(IDENTIFIERS, st.sampled_from(["", "Ann Lee", "Bo Rey"])), min_size=1, max_size=6),
       who=st.tuples(IDENTIFIERS, st.sampled_from(["", "Ann Lee", "Bo Rey"])))  # fmt: skip
def test_the_very_same_identifier_counts_first_and_a_likeness_never_reaches_two(
    people: list[tuple[str, str]], who: tuple[str, str]
) -> None:
    found = People(Named(*one) for one in people).meant(Named(*who))
    exact = [place for place, one in enumerate(people) if one[0] == who[0]]
    if exact:
        assert list(found) == exact
    else:
        assert len({people[place][0] for place in found}) <= 1
        assert all(people[place][0].casefold().lstrip("0") == who[0].casefold().lstrip("0") for place in found)
        assert all(who[1] in {"", people[place][1]} or not people[place][1] for place in found)


@given(st.lists(IDENTIFIERS, max_size=6), st.lists(IDENTIFIERS, max_size=6))
def test_what_is_known_of_one_goes_to_one(ours: list[str], theirs: list[str]) -> None:
    found = same_people(ours, theirs)
    assert len(set(found.values())) == len(found)
    assert all(found[key] == key for key in set(ours) & set(theirs))


@pytest.mark.parametrize("own", ["12", "0012"])
def test_a_correction_reaches_its_own_student_whatever_zeros_stand_in_front(
    tmp_path: Path, skarvin: Skarvin, own: str
) -> None:
    files(tmp_path, ("0012", "12", "0013", "0014", "0015"), ("1O,5", "1O,6", "7,7", "8,8", "9,9"))
    drafted(skarvin)
    assert skarvin("write").code == 1
    rows = listed(tmp_path)
    for row in rows[1:]:
        if row[1] == own:
            row[6:9] = [*SIGNED, "9.5"]
    put(tmp_path, rows)
    assert skarvin("write", "--replace").code == 1
    assert column(tmp_path, 2)[:2] == (["", "9.5"] if own == "12" else ["9.5", ""])
    edit(tmp_path / "export.csv", f"{own},{NAMES[own == '12']},1O", f"{own},{NAMES[own == '12']},3")
    assert skarvin("write", "--replace").code == 1, "the other one's mark still waits"
    assert column(tmp_path, 2)[:2] == (["", "3"] if own == "12" else ["3", ""])
    assert "no longer has the mark '1O'" in " ".join(skarvin("preview").out.split())


def test_a_correction_survives_a_spreadsheet_that_takes_zeros_away(tmp_path: Path, skarvin: Skarvin) -> None:
    files(tmp_path, ("0012", "0013", "0014", "0015"), ("1O,5", "6,6", "7,7", "8,8"))
    drafted(skarvin)
    assert skarvin("write").code == 1
    rows = listed(tmp_path)
    rows[1][1], rows[1][6:9] = "12", [*SIGNED, "9.5"]
    put(tmp_path, rows)
    assert skarvin("write", "--replace").code == 0
    assert column(tmp_path, 2)[0] == "9.5"


def test_of_two_columns_of_one_title_a_correction_reaches_its_own(tmp_path: Path, skarvin: Skarvin) -> None:
    marks = ("1O,1O", "5,6", "7,5", "8,8")
    files(tmp_path, ("2012", "2013", "2014", "2015"), marks, heading="Quiz,Quiz")
    edit(tmp_path / "form.csv", "Quiz,Quiz", "Quiz A,Quiz B")
    drafted(skarvin)
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    items = "".join(f'[[item]]\nfrom = "{ours}"\nto = "Quiz {theirs}"\n' for ours, theirs in ("CA", "DB"))
    (tmp_path / "transfer.toml").write_text(text[: text.index("[[item]]")] + items, encoding="utf-8")
    assert skarvin("write").code == 1
    rows = listed(tmp_path)
    rows[1][6:9] = [*SIGNED, "9.5"]
    put(tmp_path, rows)
    assert skarvin("write", "--replace").code == 1
    assert (column(tmp_path, 2)[0], column(tmp_path, 3)[0]) == ("9.5", "")
    edit(tmp_path / "export.csv", "Ann Lee,1O,1O", "Ann Lee,3,1O")
    assert skarvin("write", "--replace").code == 1
    assert (column(tmp_path, 2)[0], column(tmp_path, 3)[0]) == ("3", "")


def test_two_lines_that_contradict_each_other_are_an_error_with_both_places(tmp_path: Path, skarvin: Skarvin) -> None:
    files(tmp_path, ("0012", "0013", "0014", "0015"), ("1O,5", "6,6", "7,7", "8,8"))
    drafted(skarvin)
    assert skarvin("write").code == 1
    rows = listed(tmp_path)
    first = [*rows[1][:6], *SIGNED, "9"]
    put(tmp_path, [rows[0], first, ["", "12", *first[2:8], "8"]])
    before = (tmp_path / "held.csv").read_bytes()
    said = skarvin("write", "--replace")
    assert said.code == 3
    assert "held.csv, row 3" in said.err
    assert "row 2 says '9', and this row '8'" in said.err
    assert (tmp_path / "held.csv").read_bytes() == before, "neither is lost"


def test_two_decisions_about_one_student_are_an_error_with_both_places(tmp_path: Path, skarvin: Skarvin) -> None:
    files(tmp_path, ("2012", "2013", "2014", "2015"), ("4,5", "6,6", "7,7", "8,8"))
    edit(tmp_path / "form.csv", "2012,Ann Lee", "2112,Anne Lee")
    drafted(skarvin)
    skarvin("students")
    rows = listed(tmp_path, "pairings.csv")
    at = rows[0].index("decision")
    one, other = list(rows[1]), list(rows[1])
    one[at], other[at], other[rows[0].index("row")] = "2112", "none", "row 9"
    put(tmp_path, [rows[0], one, other], "pairings.csv")
    said = skarvin("preview")
    assert said.code == 3
    assert "pairings.csv, row 3" in said.err
    assert "row 2 of pairings.csv says '2112', and this row 'none'" in said.err
    put(tmp_path, [rows[0], one, [*one]], "pairings.csv")
    assert skarvin("preview").code == 0


def test_what_was_sent_to_one_is_not_taken_for_sent_to_another(tmp_path: Path, skarvin: Skarvin) -> None:
    files(tmp_path, ("ab1", "cd2", "ef3", "gh4"), ("4,5", "6,6", "7,7", "8,8"))
    drafted(skarvin)
    assert skarvin("write").code == 0
    form = (tmp_path / "form-import.csv").read_text(encoding="utf-8-sig")
    files(tmp_path, ("ab1", "cd2", "ef3", "gh4", "AB1"), ("4,5", "6,6", "7,7", "8,8", "4,5"))
    (tmp_path / "form.csv").write_text(form.rstrip("\n") + "\nAB1,Ed Ham,,\n")
    assert skarvin("preview").code == 0
    fates = json.loads(skarvin("preview", "--json").out)["fates"]
    assert fates["sent"] == 2, "AB1 has got nothing yet"
    assert fates["same"] == 8


@pytest.mark.parametrize("what", ["nothing", "item renamed", "new number", "history lost", "history empty"])
def test_a_correction_in_the_target_is_kept_whatever_is_called_otherwise_since(
    tmp_path: Path, skarvin: Skarvin, what: str
) -> None:
    files(tmp_path, ("2012", "2013", "2014", "2015"), ("4,5", "6,6", "7,7", "8,8"))
    drafted(skarvin)
    assert skarvin("write").code == 0
    form = (tmp_path / "form-import.csv").read_text(encoding="utf-8-sig").replace("Ann Lee,4", "Ann Lee,9")
    (tmp_path / "form.csv").write_text(form)
    if what == "item renamed":
        edit(tmp_path / "form.csv", "Knots", "Knots and bends")
        edit(tmp_path / "transfer.toml", 'to = "Knots"', 'to = "Knots and bends"')
    elif what == "new number":
        edit(tmp_path / "form.csv", "2012", "3012")
        edit(tmp_path / "export.csv", "2012", "3012")
    elif what == "history lost":
        (tmp_path / "skarvin-history.db").unlink()
    elif what == "history empty":
        (tmp_path / "skarvin-history.db").write_bytes(b"")
    text = " ".join(skarvin("preview").out.split())
    assert "7 same, 1 kept. Nothing new is sent." in text
    assert "1 corrected in the target" in text
    assert "corrected in the target: kept" in text


def test_another_item_in_the_place_of_one_that_was_sent_is_not_taken_for_it(tmp_path: Path, skarvin: Skarvin) -> None:
    files(tmp_path, ("2012", "2013", "2014", "2015"), ("4,5", "6,6", "7,7", "8,8"))
    drafted(skarvin)
    assert skarvin("write").code == 0
    edit(tmp_path / "transfer.toml", 'to = "Knots"', 'to = "Sails"')
    (tmp_path / "form.csv").write_text(
        "Id,Name,Sails,Rope\n2012,Ann Lee,1,5\n2013,Bo Rey,2,6\n2014,Cy Fox,3,7\n2015,Dee Gil,8,8\n"
    )
    assert "3 replaced, 5 same" in " ".join(skarvin("preview").out.split())


@pytest.mark.parametrize("kind", ["number", "name", "other column"])
def test_students_whose_identifiers_cross_wait_whatever_stands_around_them(
    tmp_path: Path, skarvin: Skarvin, kind: str
) -> None:
    logins, theirs = [f"S-{1001 + at}" for at in range(6)], [f"{1001 + at}@tidewrack.example" for at in range(6)]
    told = {"number": [str(70001 + at) for at in range(6)], "name": list(NAMES), "other column": logins}[kind]
    crossed = [told[1], told[0], *told[2:]]
    head = {"number": "Student number", "name": "Name", "other column": "Key"}[kind]
    ours = zip(logins, told, range(6), strict=True)
    (tmp_path / "export.csv").write_text(f"Login,{head},Knots\n" + "".join(f"{a},{b},{c}\n" for a, b, c in ours))
    rows = zip(theirs, crossed, strict=True)
    (tmp_path / "form.csv").write_text(f"Login,{head},Knots\n" + "".join(f"{a},{b},\n" for a, b in rows))
    drafted(skarvin)
    text = " ".join(skarvin("preview").out.split())
    assert "4 sent, 2 held" in text
    assert "To decide: 2 students; 2 marks wait for those students" in text
    assert "is that of form row 2, and the other way round" in text
    (tmp_path / "form.csv").write_text(
        f"Login,{head},Knots\n" + "".join(f"{a},{b},\n" for a, b in zip(theirs, told, strict=True))
    )
    assert "6 sent" in skarvin("preview").out
