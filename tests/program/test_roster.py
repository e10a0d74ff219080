"""Students alone: class lists become a roster import."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin, edit
from skarvin.core.rosters.casing import proper_case, spellings, split_name
from skarvin.core.rosters.usernames import BadTemplate, Collision, Person, build_usernames, check_template

KEEL = """\
Tidewrack

No,Name
001,"KIM, MIN-JUN"
002,"mcleod, eilidh"
003,"VAN DEN BERG,  JOOST"
004,"KIM, MIRA"
004,"KIM, MIRA"
006,"Diallo, Nour"
999,"Student, Practice"
"""
MAST = "Name,Class\nSíle Ó Murchú,Mast 1\nMARIA DE LA CRUZ,Mast 1\n"
FORM = (
    "Registry roster\r\nRegistry no;Login;Family name;Given name;Class;E-mail;Year\r\n006;mkim;Diallo;Nour;Rudder;;\r\n"
)
BUILD = ("--username", "{given 1}{family 7}", "--address", "{username}@tw.example", "--year", "2026")


@pytest.fixture
def lists(tmp_path: Path) -> Path:
    (tmp_path / "keel.csv").write_text(KEEL, encoding="utf-8")
    (tmp_path / "mast.csv").write_text(MAST, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8-sig", newline="")
    return tmp_path


def written(folder: Path) -> list[str]:
    data = (folder / "form-roster.csv").read_bytes()
    assert data.startswith(b"\xef\xbb\xbf")
    return data.decode("utf-8-sig").split("\r\n")


def test_class_lists_become_a_roster_in_the_forms_own_shape(lists: Path, skarvin: Skarvin) -> None:
    done = skarvin("roster", "keel.csv", "mast.csv", "--form", "form.csv", "--section", "Keel", *BUILD)
    assert done.code == 0
    assert written(lists) == [
        "Registry roster",
        "Registry no;Login;Family name;Given name;Class;E-mail;Year",
        "001;mkim2;Kim;Min-Jun;Keel;mkim2@tw.example;2026",
        "002;emcleod;McLeod;Eilidh;Keel;emcleod@tw.example;2026",
        "003;jvandenb;van den Berg;Joost;Keel;jvandenb@tw.example;2026",
        "004;mkim3;Kim;Mira;Keel;mkim3@tw.example;2026",
        ";somurchu;Ó Murchú;Síle;Mast 1;somurchu@tw.example;2026",
        ";mdelacru;de la Cruz;Maria;Mast 1;mdelacru@tw.example;2026",
        "",
    ]
    for said in (
        "1 already in the form",
        "1 again in the lists",
        "1 row isn't a student",
        "Usernames that collided: 2",
    ):
        assert said in done.out


def test_the_same_student_keeps_the_username_on_every_run(lists: Path, skarvin: Skarvin) -> None:
    skarvin("roster", "keel.csv", "--form", "form.csv", *BUILD)
    before = written(lists)
    edit(lists / "keel.csv", '001,"KIM', '000,"KIM, MAX"\n001,"KIM')
    refused = skarvin("roster", "keel.csv", "--form", "form.csv", *BUILD)
    assert refused.code == 4
    done = skarvin("roster", "keel.csv", "--form", "form.csv", "--replace", "--json", *BUILD)
    rows = {row[0]: row[1] for row in json.loads(done.out)["rows"]}
    assert {row.split(";")[0]: row.split(";")[1] for row in before[2:-1]}.items() <= rows.items()
    assert rows["000"] == "mkim4"


@pytest.mark.parametrize(("rule", "names"), [("longer", ["mikim", "mirkim"]), ("hold", [])])
def test_a_collision_is_settled_by_the_rule_and_always_told(
    lists: Path, skarvin: Skarvin, rule: str, names: list[str]
) -> None:
    edit(lists / "form.csv", "mkim", "mkim")
    done = skarvin("roster", "keel.csv", "--form", "form.csv", "--collisions", rule, "--json", *BUILD)
    data = json.loads(done.out)
    assert [row[1] for row in data["rows"] if row[2] == "Kim"] == names
    assert len(data["collided" if rule == "longer" else "held"]) == 2
    assert done.code == (rule == "hold")


def test_a_list_of_bare_names_and_spellings_of_ones_own(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "names.txt").write_text("deVries\n# a note\nXueFei\n")
    (tmp_path / "list.csv").write_text("Name,Crew\nDEVRIES ANKE,K\nWANG XUEFEI,K\n")
    (tmp_path / "form.csv").write_text("Family name,Given name\n")
    skarvin("roster", "list.csv", "--form", "form.csv", "--name-order", "family-first", "--spellings", "names.txt")
    assert (tmp_path / "form-roster.csv").read_text().splitlines()[1:] == ["deVries,Anke", "Wang,XueFei"]


def test_a_sign_before_each_number_is_set_aside(lists: Path, skarvin: Skarvin) -> None:
    text = (lists / "keel.csv").read_text(encoding="utf-8")
    (lists / "keel.csv").write_text(text.replace("\n00", "\n#00").replace("\n999", "\n#999"), encoding="utf-8")
    data = json.loads(skarvin("roster", "keel.csv", "--form", "form.csv", "--json").out)
    assert [row[0] for row in data["rows"]] == ["001", "002", "003", "004"]
    assert data["already"] == ["keel.csv, row 9"]


@pytest.mark.parametrize(
    ("arguments", "code", "says"),
    [
        (("--username", "{givn 1}"), 2, "there is no field 'givn'"),
        (("--username", "abc"), 2, "no field stands in braces"),
        (("--username", "{given}}"), 2, "a brace stands alone"),
        (("--spellings", "gone.txt"), 2, "can't be read"),
        (("--to", "keel.csv", "--replace"), 4, "is never written to"),
    ],
)
def test_what_a_roster_cannot_be_made_of_is_told(
    lists: Path, skarvin: Skarvin, arguments: tuple[str, ...], code: int, says: str
) -> None:
    done = skarvin("roster", "keel.csv", "--form", "form.csv", *arguments)
    assert (done.code, says in done.err) == (code, True)
    assert not (lists / "form-roster.csv").exists()


def test_a_name_that_the_forms_encoding_does_not_have_is_told_with_its_place(lists: Path, skarvin: Skarvin) -> None:
    (lists / "form.csv").write_bytes("Registry no;Given name;Family name\n1;Jörg;Müller\n".encode("cp1252"))
    edit(lists / "keel.csv", "Diallo, Nour", "Łęcka, Zoë")
    done = skarvin("roster", "keel.csv", "--form", "form.csv")
    assert (done.code, "row 9 of keel.csv can't be written" in done.err) == (4, True)
    assert not (lists / "form-roster.csv").exists()


@pytest.mark.parametrize(
    ("written_as", "proper"),
    [
        *(("O'ROURKE", "O'Rourke"), ("d'angelo", "D'Angelo"), ("SMITH-JONES", "Smith-Jones"), ("MCDONALD", "McDonald")),
        *(
            ("macdonald", "MacDonald"),
            ("MACHADO", "Machado"),
            ("DE LA CRUZ", "de la Cruz"),
            ("VAN DER BERG JR", "van der Berg Jr"),
        ),
        *(
            ("KING III", "King III"),
            ("MacLeod", "MacLeod"),
            ("deVries", "deVries"),
            ("strauß", "Strauß"),
            ("ÓLAFSDÓTTIR", "Ólafsdóttir"),
        ),
    ],
)
def test_a_name_is_written_as_a_careful_clerk_would(written_as: str, proper: str) -> None:
    assert proper_case(written_as) == proper
    assert proper_case(proper) == proper


@pytest.mark.parametrize(
    ("name", "family", "given"),
    [
        ("van den Berg, Joost", "van den Berg", "Joost"),
        ("Joost van den Berg", "van den Berg", "Joost"),
        ("Maria de la Cruz", "de la Cruz", "Maria"),
        ("Min-jun Kim", "Kim", "Min-jun"),
        ("Ana María Reyes", "Reyes", "Ana María"),
        ("John King Jr", "King Jr", "John"),
        ("Suharti", "Suharti", ""),
    ],
)
def test_a_name_is_split_at_the_comma_or_before_the_family(name: str, family: str, given: str) -> None:
    assert split_name(name) == (family, given)


def test_spellings_are_lines() -> None:
    assert spellings(["deVries", "", "# no", " XueFei "]) == {"devries": "deVries", "xuefei": "XueFei"}


people = st.lists(
    st.builds(
        Person,
        st.uuids().map(str),
        st.sampled_from(["Kim", "Łęcka", "O'Rourke", ""]),
        st.sampled_from(["Mira", "Max", "É"]),
    ),
    max_size=8,
    unique_by=lambda person: person.key,
)


@given(
    people,
    st.sampled_from(Collision),
    st.randoms(use_true_random=False),
    st.sets(st.sampled_from(["mkim", "mlecka", "T-mkim", "t-Mlecka"]), max_size=2),
    st.sampled_from(["{given 1}{family 6}", "T-{given 1}{family 6}"]),
)
def test_usernames_are_one_to_one_and_do_not_depend_on_the_order(
    someone: list[Person], rule: Collision, chance: object, taken: set[str], template: str
) -> None:
    built = build_usernames(someone, template, rule, taken, {})
    every = [name.lower() for name in (*built.names.values(), *taken)]
    assert len(set(every)) == len(every), "a system that doesn't tell case apart has each once"
    assert all(name.isascii() and name.removeprefix("T-").islower() for name in built.names.values())
    assert {*built.names, *built.held} == {person.key for person in someone}
    mixed = list(someone)
    chance.shuffle(mixed)  # type: ignore[attr-defined]
    assert build_usernames(mixed, template, rule, taken, {}) == built
    again = build_usernames(someone, template, rule, taken, built.names)
    assert again.names == built.names


def test_a_form_is_checked() -> None:
    check_template("{year 2}{initials}-{section}{number 3}")
    with pytest.raises(BadTemplate):
        check_template("{Given}")


def test_two_people_with_one_number_are_held_and_told(lists: Path, skarvin: Skarvin) -> None:
    edit(lists / "keel.csv", '002,"mcleod, eilidh"', '001,"MCLEOD, EILIDH"')
    done = skarvin("roster", "keel.csv", "--form", "form.csv", "--json")
    data = json.loads(done.out)
    assert (done.code, data["held_students"]) == (1, ["keel.csv, row 4", "keel.csv, row 5"])
    assert [row[0] for row in data["rows"]] == ["003", "004"]
    assert "Students held: 2" in skarvin("roster", "keel.csv", "--form", "form.csv", "--replace").out


def test_a_list_of_names_alone_becomes_a_roster_and_twice_is_once(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "crew.txt").write_text("Ada Okoro\nPer Lind\nYui Tanaka\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Name;Class\nPer Lind;Oak\n", encoding="utf-8")
    assert skarvin("roster", "crew.txt", "--form", "form.csv", "--add").code == 0
    lines = (tmp_path / "form-roster.csv").read_text(encoding="utf-8").splitlines()
    assert lines == ["Name;Class", "Per Lind;Oak", "Okoro, Ada;crew", "Tanaka, Yui;crew"]
