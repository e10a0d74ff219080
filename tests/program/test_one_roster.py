"""Bundles of OneRoster CSV as exports, rosters and targets, made and judged by the standard alone."""

import csv
import io
import json
import re
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path

import pytest

from conftest import Skarvin
from one_roster import Rows, bundle_texts, faults_of, put_bundle, read_bundle, taken_in
from skarvin.core.grid.one_roster import RosterGrid, class_names
from skarvin.core.grid.read import ReadAs, read_grid
from skarvin.core.grid.roster_writing import bundle_bytes

PEOPLE = (
    ("u-1", "Olú", "Adébáyọ̀", "004711"),
    ("u-2", "Mei", "Lin", "004712"),
    ("u-3", "Pip", "Ó Briain", "004713"),
    ("u-4", "Zed", "Mast", "004714"),
    ("t-1", "Ann", "Keel", "T1"),
    ("u-9", "Ida", "Gone", "004719"),
)
CLASSES = (("c-1", "Keel crew", "KC"), ("c-2", "Mast crew", "MC"))
ENROLLED = (("c-1", "u-1"), ("c-1", "u-2"), ("c-1", "u-3"), ("c-2", "u-4"), ("c-2", "u-3"), ("c-1", "u-9"))
ITEMS = (("i-1", "Knots", "c-1", "20.0"), ("i-2", "Lofting", "c-1", "50"), ("i-3", "Knots", "c-2", "20.0"))
RESULTS = (
    ("i-1", "u-1", "fully graded", "17.5"),
    ("i-1", "u-2", "exempt", ""),
    ("i-1", "u-3", "not submitted", "0"),
    ("i-2", "u-1", "fully graded", "44"),
    ("i-3", "u-4", "fully graded", "11"),
)


def users(people: Iterable[tuple[str, str, str, str]] = PEOPLE) -> list[dict[str, str]]:
    return [
        {
            "sourcedId": one,
            "enabledUser": "false" if one == "u-9" else "true",
            "role": "teacher" if one[0] == "t" else "student",
            "username": f"{given.lower()}.{one}",
            "userIds": f"{{LDAP:{one}x}},{{SIS:S-{number}}}",
            "givenName": given,
            "familyName": family,
            "identifier": number,
            "password": "hunter2",
        }
        for one, given, family, number in people
    ]


def tables(results: Iterable[tuple[str, ...]] = RESULTS) -> dict[str, Rows]:
    """Return a school of two classes."""
    enrolled = [(where, who, "student") for where, who in ENROLLED] + [("c-1", "t-1", "teacher")]
    return {
        "users": users(),
        "classes": [{"sourcedId": one, "title": title, "classCode": code} for one, title, code in CLASSES],
        "enrollments": [
            {"sourcedId": f"e-{at}", "classSourcedId": where, "userSourcedId": who, "role": role}
            for at, (where, who, role) in enumerate(enrolled)
        ],
        "categories": [{"sourcedId": "k-1", "title": "Practice"}],
        "lineItems": [
            {
                "sourcedId": one,
                "title": title,
                "classSourcedId": where,
                "categorySourcedId": "k-1",
                "gradingPeriodSourcedId": "p-1",
                "assignDate": "2026-09-01",
                "dueDate": "2026-10-01",
                "resultValueMin": "0",
                "resultValueMax": most,
            }
            for one, title, where, most in ITEMS
        ],
        "results": [
            {
                "sourcedId": f"r-{at}",
                "lineItemSourcedId": item,
                "studentSourcedId": who,
                "scoreStatus": status,
                "score": score,
                "scoreDate": "2026-11-20",
                "comment": "neat" if at == 0 else "",
                **dict(zip(("textScore", "late", "missing", "dateLastModified"), more, strict=False)),
            }
            for at, (item, who, status, score, *more) in enumerate(results)
        ],
    }


FORM = "Registry no,Name,Knots [20],Lofting [50]\n" + "".join(
    f'{number.lstrip("0")},"{family}, {given}",,\n' for one, given, family, number in PEOPLE if one != "t-1"
)
ANSWERS = {'exempt = "?"': 'exempt = "EX"', '"not submitted" = "?"': '"not submitted" = 0'}


def drafted(folder: Path, skarvin: Skarvin, *words: str, **answers: str) -> str:
    run = skarvin("draft", *words)
    assert run.code == 0, run.err
    file = folder / "transfer.toml"
    text = file.read_text(encoding="utf-8")
    for old, new in (ANSWERS | {key.replace("__", " "): value for key, value in answers.items()}).items():
        text = text.replace(old, new)
    file.write_text(text, encoding="utf-8")
    return text


def rows(file: Path) -> list[list[str]]:
    return list(csv.reader(io.StringIO(file.read_text(encoding="utf-8-sig"))))


@pytest.mark.parametrize("name", ["site.zip", "site"])
@pytest.mark.parametrize("version", ["1.1", "1.2"])
def test_a_class_moves_from_a_bundle_into_a_form(tmp_path: Path, skarvin: Skarvin, name: str, version: str) -> None:
    put_bundle(tmp_path / name, bundle_texts(tables(), version))
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    drafted(tmp_path, skarvin, name, "form.csv", "--sheet", "keel crew")
    written = skarvin("write")
    assert written.code == 0, written.out + written.err
    assert [row[2:] for row in rows(tmp_path / "form-import.csv")] == [
        ["Knots [20]", "Lofting [50]"],
        *(["17.5", "44"], ["EX", ""], ["0", ""], ["", ""], ["", ""]),
    ]
    ledger = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))
    assert ledger["second_look"]["marks_looked_up"] == 4
    assert {(one["row"], one.get("mark_row"), one["mark"]) for one in ledger["marks"]["list"] if one["mark"]} == {
        (2, 2, "17.5"),
        (3, 3, "exempt"),
        (4, 4, "not submitted"),
        (2, 5, "44"),
    }
    told = skarvin("look", name).out
    assert "hunter2" not in told
    assert "(enrollments.csv" not in told
    assert "of the category 'Practice': 'Knots' and 'Lofting'." in told
    assert "1 user is disabled (users.csv, row 7)" in told
    assert "such as a teacher (users.csv, row 6)" in told
    (tmp_path / "back.csv").write_text(
        (tmp_path / "form-import.csv").read_text(encoding="utf-8") + "\n", encoding="utf-8"
    )
    assert skarvin("confirm", "back.csv").code == 0


def test_classes_are_read_by_title_code_or_id_and_items_called_alike_are_one(tmp_path: Path, skarvin: Skarvin) -> None:
    put_bundle(tmp_path / "site.zip", bundle_texts(tables()))
    for name in ("Mast crew", "mc", "c-2"):
        out = skarvin("look", "site.zip", "--sheet", name).out
        assert "2 students (Mast crew 2)" in out or "2 students" in out
        assert "Lofting" not in out
    whole = skarvin("look", "site.zip", "--json")
    data = json.loads(whole.out)
    assert [one["heading"] for one in data["columns"] if one["taken_for"] == "item"] == [
        "Knots (out of 20)",
        "Lofting (out of 50)",
    ]
    assert data["sections"] == {"Keel crew": 2, "Keel crew, Mast crew": 1, "Mast crew": 1}
    assert [one["taken_for"] for one in data["columns"] if one["heading"].startswith("userIds ")] == [
        "student number"
    ] * 2
    wrong = skarvin("look", "site.zip", "--sheet", "Rudder crew")
    assert wrong.code == 3
    assert "There are: 'Keel crew' (KC) and 'Mast crew' (MC)" in wrong.err
    twice = tables()
    twice["classes"] = [*twice["classes"], {"sourcedId": "c-3", "title": "Keel crew"}]
    put_bundle(tmp_path / "twice.zip", bundle_texts(twice))
    several = skarvin("look", "twice.zip", "--sheet", "Keel crew")
    assert several.code == 3
    assert "c-1 and c-3" in several.err
    assert skarvin("look", "twice.zip", "--sheet", "c-1").code == 0


DEPARTED = (
    (("i-1", "u-1", "partially graded", "9"), "1 result is said to be partial (results.csv, row 2)", "9"),
    (("i-1", "u-1", "exempt", "9"), "1 result is exempt and has a score (results.csv, row 2)", "exempt"),
    (("i-1", "u-1", "not submitted", "9"), "", "9 (not submitted)"),
    (("i-1", "u-1", "not submitted", "0.0"), "", "not submitted"),
    (("i-1", "u-1", "submitted", ""), "", "submitted"),
    (("i-1", "u-1", "fully graded", ""), "", ""),
    (("i-1", "u-1", "fully graded", "", "B+"), "", "B+"),
    (("i-1", "u-1", "fully graded", "", "", "", "true"), "", "missing"),
    (("i-1", "u-1", "fully graded", "8", "", "true"), "1 result is said to be late", "8"),
    (("i-8", "u-1", "fully graded", "8"), "1 result is of an item that isn't there", None),
    (("i-1", "t-1", "fully graded", "8"), "1 result is of somebody who isn't a student of the class", None),
    (("i-1", "u-77", "fully graded", "8"), "1 result is of a user who isn't there", None),
)


@pytest.mark.parametrize(("result", "said", "mark"), DEPARTED)
def test_what_a_result_says_is_the_mark_and_what_departs_is_told(
    tmp_path: Path, skarvin: Skarvin, result: tuple[str, ...], said: str, mark: str | None
) -> None:
    put_bundle(tmp_path / "site.zip", bundle_texts(tables([result, ("i-2", "u-2", "fully graded", "3")]), "1.2"))
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    skarvin("draft", "site.zip", "form.csv", "--sheet", "KC")
    text = re.sub(r'= "\?"', "= false", (tmp_path / "transfer.toml").read_text(encoding="utf-8"))
    (tmp_path / "transfer.toml").write_text(text, encoding="utf-8")
    run = skarvin("preview", "--json")
    if mark is None:
        assert said in skarvin("look", "site.zip").out
        return
    found = {one["mark"] for one in json.loads(run.out)["marks"]["list"]} if run.out else {"9", "8"}
    assert mark in {*found, ""} or mark in skarvin("look", "site.zip", "--sheet", "KC").out
    assert said in " ".join(skarvin("look", "site.zip").out.split())


def test_of_two_results_the_later_counts_and_where_that_is_not_known_both_wait(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    for scores, stamps, expected in (
        ("98", ("2026-11-02T00:00:00.000Z", "2026-11-01T00:00:00.000Z"), "9"),
        ("98", ("", ""), "9 and 8 (two results)"),
        ("99", ("", ""), "9"),
    ):
        told = zip(scores, stamps, strict=True)
        results = [("i-1", "u-1", "fully graded", score, "", "", "", stamp) for score, stamp in told]
        put_bundle(tmp_path / "site.zip", bundle_texts(tables(results), "1.2"))
        out = skarvin("look", "site.zip", "--sheet", "KC").out
        assert expected in out
        assert ("(two results)" in out) == ("(two results)" in expected)
        assert "1 result is of a student and an item that have one (results.csv, row 3)" in " ".join(out.split())


MARKS = """No,Name,Knots (out of 20),Lofting (out of 50),Rigging (out of 10),Note
4711,"Adébáyọ̀, Olú",18,44,7.5,well done
4712,"Lin, Mei",exempt,50,absent,
4713,"Ó Briain, Pip",12,13,9,
"""
NEW = """to = "Rigging"
from_out_of = 10
to_out_of = 10"""


def into_bundle(folder: Path, skarvin: Skarvin, version: str, how: str, target: dict[str, str]) -> None:
    put_bundle(folder / "registry.zip", target)
    (folder / "marks.csv").write_text(MARKS, encoding="utf-8")
    drafted(folder, skarvin, "marks.csv", "registry.zip", "--form-sheet", "KC")
    file = folder / "transfer.toml"
    text = file.read_text(encoding="utf-8").replace("{ delta = true }", f"{{ delta = {how}, new_items = true }}")
    text = text.replace('exempt = "exempt"', 'absent = "not submitted"\nexempt = "exempt"')
    text = re.sub(r'to = "" +# nothing in the form resembles it: left out', NEW, text)
    text = re.sub(
        r'# (\[\[comment\]\])\n# (from = "Note")\n# (to = .*)\n# existing = "keep" ',
        r'\1\n\2\n\3\nexisting = "add"',
        text,
    )
    file.write_text(text, encoding="utf-8")
    assert version


@pytest.mark.parametrize("how", ["true", "false"])
@pytest.mark.parametrize("version", ["1.1", "1.2"])
def test_a_class_moves_into_a_bundle_which_the_standard_finds_nothing_wrong_with(
    tmp_path: Path, skarvin: Skarvin, version: str, how: str
) -> None:
    target = bundle_texts(tables(), version)
    into_bundle(tmp_path, skarvin, version, how, target)
    written = skarvin("write")
    assert written.code == 0, written.out + written.err
    for name in ("registry-import.zip", "registry-restore.zip"):
        assert faults_of(tmp_path / name, [one[0] for one in ITEMS]) == []
    sent = read_bundle(tmp_path / "registry-import.zip")
    (new,) = [one for one in sent["lineItems"] if one["title"] == "Rigging"]
    assert (new["classSourcedId"], new["resultValueMax"], new["categorySourcedId"]) == ("c-1", "10", "k-1")
    said = {
        (one["lineItemSourcedId"], one["studentSourcedId"]): (one["scoreStatus"], one["score"], one["comment"])
        for one in sent["results"]
    }
    wanted = {
        ("i-1", "u-1"): ("fully graded", "18", "neat\nwell done"),
        ("i-1", "u-3"): ("fully graded", "12", ""),
        ("i-2", "u-2"): ("fully graded", "50", ""),
        ("i-2", "u-3"): ("fully graded", "13", ""),
        (new["sourcedId"], "u-1"): ("fully graded", "7.5", ""),
        (new["sourcedId"], "u-2"): ("not submitted", "", ""),
        (new["sourcedId"], "u-3"): ("fully graded", "9", ""),
    }
    others = {
        (item, who): (status, score, "neat" if at == 0 else "") for at, (item, who, status, score) in enumerate(RESULTS)
    }
    assert said == (wanted if how == "true" else others | wanted)
    assert {one["sourcedId"] for one in sent["results"] if one["lineItemSourcedId"] == "i-1"} >= {"r-0", "r-2"}
    after = taken_in(target, tmp_path / "registry-import.zip")
    put_bundle(tmp_path / "fresh.zip", after)
    confirmed = skarvin("confirm", "fresh.zip", "--sheet", "KC")
    assert confirmed.code == 0, confirmed.out
    assert "All 8 marks that were sent have arrived" in confirmed.out
    back = taken_in(after, tmp_path / "registry-restore.zip")
    assert known(back) == known(target)
    (tmp_path / "skarvin-history.db").unlink()
    again = skarvin("write", "--replace")
    assert again.code == 0, again.err
    assert {one["sourcedId"] for one in read_bundle(tmp_path / "registry-import.zip")["results"]} == {
        one["sourcedId"] for one in sent["results"]
    }


def known(texts: dict[str, str]) -> list[dict[str, str]]:
    found = [
        {k: v for k, v in row.items() if v} for row in csv.DictReader(io.StringIO(texts["results.csv"], newline=""))
    ]
    return sorted(found, key=lambda row: row["sourcedId"])


def test_only_what_is_new_goes_into_a_bundle_the_second_time(tmp_path: Path, skarvin: Skarvin) -> None:
    target = bundle_texts(tables())
    into_bundle(tmp_path, skarvin, "1.1", "true", target)
    assert skarvin("write").code == 0
    put_bundle(tmp_path / "registry.zip", taken_in(target, tmp_path / "registry-import.zip"))
    (tmp_path / "marks.csv").write_text(MARKS.replace(",12,13,9,", ",12,14,9,"), encoding="utf-8")
    run = skarvin("write", "--replace")
    assert run.code == 0, run.err
    (only,) = read_bundle(tmp_path / "registry-import.zip")["results"]
    assert (only["lineItemSourcedId"], only["studentSourcedId"], only["score"], only["status"]) == (
        "i-2",
        "u-3",
        "14",
        "active",
    )
    assert "file.lineItems,absent" in put_text(tmp_path / "registry-import.zip")


def put_text(path: Path) -> str:
    rows = read_bundle(path)["manifest"]
    return "\n".join(f"{row['propertyName']},{row['value']}" for row in rows)


def test_what_a_score_cannot_say_waits_and_an_item_is_declared_only_if_asked(tmp_path: Path, skarvin: Skarvin) -> None:
    marks = MARKS.replace("exempt", "B+")
    for version, code in (("1.1", 1), ("1.2", 0)):
        put_bundle(tmp_path / "registry.zip", bundle_texts(tables(), version))
        (tmp_path / "marks.csv").write_text(marks, encoding="utf-8")
        run = skarvin("draft", "marks.csv", "registry.zip", "--form-sheet", "KC", "--status", "absent=not submitted")
        assert run.code == 0, run.err
        file = tmp_path / "transfer.toml"
        text = file.read_text(encoding="utf-8").replace('words = "hold"', 'words = "copy"')
        file.write_text(text, encoding="utf-8")
        out = skarvin("write", "--replace")
        assert out.code == code, out.err
        if version == "1.1":
            assert "a score of OneRoster 1.1 is a number" in " ".join(skarvin("preview").out.split())
        else:
            assert "B+" in {one["textScore"] for one in read_bundle(tmp_path / "registry-import.zip")["results"]}
        file.write_text(re.sub(r'to = "" .*', NEW, text), encoding="utf-8")
        refused = skarvin("preview")
        assert refused.code == 3
        assert "no item 'Rigging'" in refused.err
        assert "new_items = true" in refused.err
        file.write_text(text.replace("results = ", "# results = "), encoding="utf-8")
        assert "Write results = { delta = true }" in skarvin("preview").err
        file.unlink()


HOSTILE: dict[str, tuple[dict[str, str | bytes | None], str]] = {
    "no users": ({"users.csv": None}, "no users.csv"),
    "no results": ({"results.csv": None}, "there is no results.csv"),
    "no items": ({"lineItems.csv": None}, "there is no lineItems.csv"),
    "no classes": ({"classes.csv": None, "enrollments.csv": None}, "there is no enrollments.csv"),
    "lying": (
        {"manifest.csv": "propertyName,value\noneroster.version,1.1\nfile.results,absent\nfile.orgs,bulk\n"},
        "absent",
    ),
    "version": ({"manifest.csv": "propertyName,value\noneroster.version,9\n"}, "version '9'; it is read as 1.1"),
    "later": ({"manifest.csv": "propertyName,value\noneroster.version,2.0\nfile.roles,bulk\n"}, "OneRoster 1.2 CSV"),
    "quote": ({"users.csv": 'sourcedId,status\n"a,b\n'}, "this is no CSV"),
    "blank": ({"results.csv": b""}, "the file is empty"),
    "bytes": (
        {"users.csv": bundle_texts(tables())["users.csv"].replace("ọ̀", "").encode("cp1252")},
        "the standard asks for UTF-8",
    ),
    "climbing": ({"users.csv": bundle_texts(tables())["users.csv"].replace("u-1", "../../u\n1")}, "isn't there"),
    "cut": ({"results.csv": bundle_texts(tables())["results.csv"][:-30]}, ""),
    "nul": ({"users.csv": b"sourcedId,status\n\0,a\n"}, "NUL"),
}


@pytest.mark.parametrize("name", HOSTILE)
@pytest.mark.parametrize("path", ["site.zip", "site"])
def test_no_bundle_ends_in_a_fault_and_what_can_be_read_is(
    tmp_path: Path, skarvin: Skarvin, name: str, path: str
) -> None:
    changed, said = HOSTILE[name]
    texts: dict[str, str | bytes] = {**bundle_texts(tables())}
    for file, content in changed.items():
        texts.pop(file)
        if content is not None:
            texts[file] = content
    put_bundle(tmp_path / path, texts)
    run = skarvin("look", path)
    assert run.code in {0, 3}
    assert said in " ".join((run.out + run.err).split())
    assert "Traceback" not in run.err
    assert "fault:" not in run.err


def test_a_cut_archive_is_named_and_a_bundle_lists_a_class_and_makes_a_roster(tmp_path: Path, skarvin: Skarvin) -> None:
    whole = put_bundle(tmp_path / "site.zip", bundle_texts(tables())).read_bytes()
    (tmp_path / "cut.zip").write_bytes(whole[: len(whole) // 2])
    assert skarvin("look", "cut.zip").code == 3
    (tmp_path / "marks.csv").write_text(MARKS.replace("exempt", "").replace("absent", ""), encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "marks.csv", "form.csv").code == 0
    with (tmp_path / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write('\n[[list]]\nfile = "site.zip"\nidentifier = "identifier"\n')
    listed = skarvin("preview")
    assert listed.code in {0, 1}, listed.err
    made = "Id,Family name,Given name\nX1,Doe,Jo\n"
    (tmp_path / "roster-form.csv").write_text(made, encoding="utf-8")
    roster = skarvin("roster", "site.zip", "--form", "roster-form.csv", "--to", "roster.csv")
    assert roster.code in {0, 1}, roster.err
    assert "Adébáyọ̀" in (tmp_path / "roster.csv").read_text(encoding="utf-8-sig")


def _changed(at: int, **fields: str) -> Callable[[list[dict[str, str]]], list[dict[str, str]]]:
    return lambda rows: [{**row, **fields} if place == at else row for place, row in enumerate(rows)]


SLIPS: dict[str, tuple[str, Callable[[list[dict[str, str]]], list[dict[str, str]]], str]] = {
    "another score": ("true", _changed(0, score="17"), "doesn't say '18'"),
    "another state": ("true", _changed(0, scoreStatus="submitted"), "doesn't say '18'"),
    "another student": ("true", _changed(0, studentSourcedId="u-4"), "nothing was sent for"),
    "another item": ("true", _changed(0, lineItemSourcedId="i-9"), "neither bundle has"),
    "another comment": ("true", _changed(0, comment="neat"), "a comment isn't"),
    "one is missing": ("true", lambda rows: rows[1:], "stands in no result"),
    "one stands twice": ("true", lambda rows: [*rows, {**rows[0], "sourcedId": "x"}], "stands in 2 results"),
    "one more": ("true", lambda rows: [*rows, {**rows[0], "studentSourcedId": "u-4"}], "nothing was sent for"),
    "a status of none": ("true", lambda rows: [{**row, "score": "0"} for row in rows], "doesn't say"),
    "another one changed": ("false", _changed(1, score="3"), "isn't as it was"),
    "another one is lost": (
        "false",
        lambda rows: [row for row in rows if row["sourcedId"] != "r-4"],
        "isn't there any more",
    ),
}


@pytest.mark.parametrize("slip", SLIPS)
def test_a_slip_of_what_writes_results_is_found_when_the_bundle_is_read_again(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, slip: str
) -> None:
    how, change, says = SLIPS[slip]

    def wrong(version: str, tables: dict[str, list[dict[str, str]]], *args: object, **more: object) -> bytes:
        return bundle_bytes(version, {**tables, "results": change(tables["results"])}, *args, **more)  # type: ignore[arg-type]

    into_bundle(tmp_path, skarvin, "1.1", how, bundle_texts(tables()))
    monkeypatch.setattr("skarvin.core.transfer.result_files.bundle_bytes", wrong)
    run = skarvin("write")
    assert run.code == 4
    assert says in run.err
    assert "withdrawn" in run.err
    assert list(tmp_path.glob("registry-*.zip")) == []


def test_who_left_and_items_called_alike_within_a_class_are_told_apart(tmp_path: Path, skarvin: Skarvin) -> None:
    school = tables()
    school["enrollments"] = [
        {**one, "endDate": {"u-1": "2026-06-30", "u-2": "2199-01-01"}.get(one["userSourcedId"], "")}
        for one in school["enrollments"]
    ]
    school["lineItems"] = [
        *school["lineItems"],
        {**school["lineItems"][0], "sourcedId": "i-4", "categorySourcedId": ""},
        {**school["lineItems"][0], "sourcedId": "i-5"},
        {**school["lineItems"][1], "sourcedId": "i-6", "title": " Lofting "},
    ]
    texts = bundle_texts(school)
    put_bundle(tmp_path / "site", texts)
    data = json.loads(skarvin("look", "site", "--sheet", "KC", "--json").out)
    assert data["students"] == 2
    assert "1 user left the class (users.csv, row 2)" in " ".join(one["what"] for one in data["oddities"])
    headings = [one["heading"] for one in data["columns"] if one["taken_for"] == "item"]
    assert headings == [
        "Knots (out of 20)",
        "Lofting (out of 50)",
        "Knots #2 (out of 20)",
        "Knots, Practice (out of 20)",
        "Lofting, Practice (out of 50)",
    ]


def test_a_blank_that_clears_deletes_a_result_and_each_class_has_its_own_item(tmp_path: Path, skarvin: Skarvin) -> None:
    for how, left in (("true", "tobedeleted"), ("false", None)):
        put_bundle(tmp_path / "registry.zip", bundle_texts(tables(), "1.2"))
        marks = "No,Knots (out of 20)\n4711,\n4712,7\n4714,8\n4713,6\n"
        (tmp_path / "marks.csv").write_text(marks, encoding="utf-8")
        run = skarvin("draft", "marks.csv", "registry.zip")
        assert run.code == 0, run.err
        file = tmp_path / "transfer.toml"
        text = file.read_text(encoding="utf-8").replace("{ delta = true }", f"{{ delta = {how} }}")
        file.write_text(text.replace('blank = "leave"', 'blank = "clear"'), encoding="utf-8")
        done = skarvin("write", "--replace")
        assert done.code == 0, done.out + done.err
        found = {
            (one["lineItemSourcedId"], one["studentSourcedId"]): (one["status"], one["score"], one["classSourcedId"])
            for one in read_bundle(tmp_path / "registry-import.zip")["results"]
        }
        assert found.get(("i-1", "u-1"), (None,))[0] == left
        active = "active" if how == "true" else ""
        assert found["i-3", "u-4"][:2] == (active, "8")
        assert found["i-1", "u-3"] == (active, "6", "")
        assert faults_of(tmp_path / "registry-import.zip", [one[0] for one in ITEMS]) == []
        file.unlink()
        (tmp_path / "skarvin-history.db").unlink()


def test_a_new_item_needs_a_maximum_and_a_new_result_of_1_2_says_its_class(tmp_path: Path, skarvin: Skarvin) -> None:
    into_bundle(tmp_path, skarvin, "1.2", "true", bundle_texts(tables([]), "1.2"))
    file = tmp_path / "transfer.toml"
    text = file.read_text(encoding="utf-8")
    file.write_text(text.replace("from_out_of = 10\nto_out_of = 10", ""), encoding="utf-8")
    run = skarvin("preview")
    assert (run.code, "the new item 'Rigging' has no maximum" in run.err) == (3, True), run.err
    file.write_text(text, encoding="utf-8")
    assert skarvin("write").code == 0
    assert {one["classSourcedId"] for one in read_bundle(tmp_path / "registry-import.zip")["results"]} == {"c-1"}


def test_at_a_terminal_a_bundle_shows_what_matters_and_counts_the_rest(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    put_bundle(tmp_path / "site.zip", bundle_texts(tables()))
    monkeypatch.setattr("skarvin.cli.look.is_brief", lambda **_: True)
    out = skarvin("look", "site.zip").out
    assert "familyName" in out
    assert "comment on Lofting" in out
    assert "enabledUser" not in out
    assert "... 12 more; --all shows them" in out


def test_bundles_meet_another_language_a_folder_of_transfers_masks_and_corrections(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    classes = {
        "KC": "Matrikel;Name;Knots (von 20)\n4711;Adébáyọ̀, Olú;18,5\n4712;Lin, Mei;1O\n4713;Ó Briain, Pip;krank\n",
        "MC": "Matrikel;Name;Knots (von 20)\n4714;Mast, Zed;12\n",
    }
    for name, text in classes.items():
        (tmp_path / name).mkdir()
        put_bundle(tmp_path / name / "registry.zip", bundle_texts(tables()))
        (tmp_path / name / "marks.csv").write_text(text, encoding="utf-8")
        monkeypatch.chdir(tmp_path / name)
        run = skarvin("draft", "marks.csv", "registry.zip", "--form-class", name, "--status", "krank=not submitted")
        assert run.code == 0, run.err
    monkeypatch.chdir(tmp_path)
    masked = skarvin("write", "--transfer", ".", "--mask")
    assert masked.code == 1, masked.err
    for page in tmp_path.rglob("*report.html"):
        assert not re.findall("Adébáyọ̀|Lin|Briain|471[1-4]", page.read_text(encoding="utf-8"))
    held = tmp_path / "KC" / "held.csv"
    (heads, line), rest = rows(held)[:2], rows(held)[2:]
    line[heads.index("By") :] = ["A. Keel", "typo", "10"]
    with held.open("w", encoding="utf-8-sig", newline="") as file:
        csv.writer(file).writerows([heads, line, *rest])
    corrected = skarvin("write", "--transfer", "KC/transfer.toml", "--replace")
    assert corrected.code == 0, corrected.out + corrected.err
    keel = read_bundle(tmp_path / "KC" / "registry-import.zip")["results"]
    found = {one["studentSourcedId"]: one["score"] for one in keel}
    assert found == {"u-1": "18.5", "u-2": "10"}
    (mast,) = read_bundle(tmp_path / "MC" / "registry-import.zip")["results"]
    assert (mast["sourcedId"], mast["score"]) == ("r-4", "12")


def test_a_new_result_never_goes_to_the_item_of_another_class(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Both classes have an item of one title: the second look holds each result against who is in which class."""

    def wrong(version: str, tables: dict[str, list[dict[str, str]]], *args: object, **more: object) -> bytes:
        (first, *rest) = tables["results"]
        moved = [{**first, "lineItemSourcedId": "i-3"}, *rest]
        return bundle_bytes(version, {**tables, "results": moved}, *args, **more)  # type: ignore[arg-type]

    into_bundle(tmp_path, skarvin, "1.1", "true", bundle_texts(tables([])))
    monkeypatch.setattr("skarvin.core.transfer.result_files.bundle_bytes", wrong)
    run = skarvin("write")
    assert run.code == 4
    assert "of a class that the student isn't in" in run.err


def test_a_bundle_of_another_make_is_filled_all_the_same(tmp_path: Path, skarvin: Skarvin) -> None:
    """Columns in another order, signs that a spreadsheet would run, no results yet, items called alike, in a folder."""
    school = tables([])
    school["users"] = [{**one, "sourcedId": f"@{one['sourcedId']}"} for one in school["users"]]
    school["enrollments"] = [{**one, "userSourcedId": f"@{one['userSourcedId']}"} for one in school["enrollments"]]
    titles = ("=Nœuds", "Traçage", "=Nœuds")
    school["lineItems"] = [{**one, "title": title} for one, title in zip(school["lineItems"], titles, strict=True)]
    school["lineItems"] = [
        *school["lineItems"],
        {**school["lineItems"][0], "sourcedId": "i-7", "categorySourcedId": ""},
    ]
    texts = bundle_texts(school, "1.2")
    found = list(csv.reader(io.StringIO(texts["users.csv"], newline="")))
    turned = io.StringIO()
    csv.writer(turned, lineterminator="\n").writerows(row[::-1] for row in found)
    texts["users.csv"] = "\ufeff" + turned.getvalue()
    del texts["results.csv"]
    put_bundle(tmp_path / "registre.zip", {f"export/{name}": text for name, text in texts.items()})
    marks = "Matricule;Nom;=Nœuds (sur 20);Traçage (sur 50)\n4711;Adébáyọ̀ Olú;17,5;44\n4712;Lin Mei;abs;\n"
    (tmp_path / "notes.csv").write_text(marks, encoding="utf-8")
    run = skarvin("draft", "notes.csv", "registre.zip", "--form-class", "c-1", "--status", "abs=not submitted")
    assert run.code == 0, run.err
    written = skarvin("write")
    assert written.code == 0, written.out + written.err
    sent = read_bundle(tmp_path / "registre-import.zip")["results"]
    assert {
        (one["lineItemSourcedId"], one["studentSourcedId"], one["score"] or one["scoreStatus"]) for one in sent
    } == {
        ("i-1", "@u-1", "17.5"),
        ("i-2", "@u-1", "44"),
        ("i-1", "@u-2", "not submitted"),
    }
    assert faults_of(tmp_path / "registre-import.zip", ["i-1", "i-2", "i-3", "i-7"]) == []


def test_each_class_of_a_bundle_is_moved_by_itself_into_a_folder_that_is_a_bundle(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    theirs = {
        **tables([]),
        "lineItems": [{**one, "sourcedId": f"y-{one['sourcedId']}"} for one in tables()["lineItems"]],
    }
    put_bundle(tmp_path / "site.zip", bundle_texts(tables(), "1.2"))
    put_bundle(tmp_path / "registry", bundle_texts(theirs, "1.2"))
    one = skarvin("draft", "site.zip", "registry", "--class", "KC", "--form-class", "KC")
    assert "site.zip -> registry" in one.out
    (tmp_path / "transfer.toml").unlink()
    each = skarvin("draft", "--each", "site.zip", "registry")
    assert each.code == 0, each.err
    assert "site.zip (Keel crew) -> registry (Keel crew): named alike, and several have its students" in each.out
    sheets = {}
    for file in sorted(tmp_path.glob("*.toml")):
        text = file.read_text(encoding="utf-8")
        for old, new in ANSWERS.items():
            text = text.replace(old, new.replace('"EX"', '"exempt"'))
        file.write_text(text, encoding="utf-8")
        sheets[file.stem] = re.findall('^sheet = "(.*)"', text, re.MULTILINE)
    assert sheets == {"registry-Keel-crew": ["Keel crew"] * 2, "registry-Mast-crew": ["Mast crew"] * 2}
    run = skarvin("write")
    assert run.code == 0, run.err
    sent = {
        file.parent.name: {(row["lineItemSourcedId"], row["studentSourcedId"], row["score"]) for row in made["results"]}
        for file in tmp_path.glob("*/*-import.zip")
        if (made := read_bundle(file))
    }
    keel = {("y-i-1", "u-1", "17.5"), ("y-i-1", "u-2", ""), ("y-i-1", "u-3", ""), ("y-i-2", "u-1", "44")}
    assert sent == {"registry-Keel-crew": keel, "registry-Mast-crew": {("y-i-3", "u-4", "11")}}


def test_bundles_of_a_class_each_lie_in_a_folder_beside_marks_of_each(tmp_path: Path, skarvin: Skarvin) -> None:
    for folder in ("marks", "pulled"):
        (tmp_path / folder).mkdir()
    for at, (class_, _, _) in enumerate(CLASSES):
        own = [number for who, _, _, number in PEOPLE if (class_, who) in ENROLLED and who != ("u-3", "u-9")[at]]
        text = "No,Knots (out of 20)\n" + "".join(f"{number},{at + 3}\n" for number in own)
        (tmp_path / "marks" / f"group{at}.csv").write_text(text, encoding="utf-8")
        put_bundle(
            tmp_path / "pulled" / ("yard-0.zip", "yard-1")[at],
            bundle_texts({**tables([]), "classes": [tables()["classes"][at]]}),
        )
    put_bundle(tmp_path / "pulled" / "photos.zip", {"boat.txt": "no class"})
    for name in ("yard-0-import", "yard-0-import-fresh", "yard-0-restore-fresh"):
        shutil.copy(tmp_path / "pulled" / "yard-0.zip", tmp_path / "pulled" / f"{name}.zip")
    done = skarvin("draft", "--each", "marks", "pulled")
    assert done.code == 0, done.err
    assert "2 students in both" in done.out
    assert sorted(file.name for file in tmp_path.rglob("*.toml")) == ["yard-0.toml", "yard-1.toml"]
    (tmp_path / "pulled" / "yard-2.zip").write_bytes((tmp_path / "pulled" / "yard-0.zip").read_bytes()[:90])
    assert "yard-2.zip: this" in skarvin("draft", "--each", "marks", "pulled").err


def test_a_file_that_cannot_be_read_stops_no_other_class(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    (tmp_path / "good.csv").write_text("No,Knots (out of 20)\n4711,3\n4712,4\n", encoding="utf-8")
    (tmp_path / "bad.csv").write_bytes(b"")
    run = skarvin("draft", "--each", "bad.csv", "good.csv", "form.csv")
    assert (run.code, "bad.csv" in run.err) == (3, True)
    assert [file.name for file in tmp_path.glob("*.toml")] == ["good.toml"]


def test_classes_called_alike_but_for_signs_have_a_transfer_each(tmp_path: Path, skarvin: Skarvin) -> None:
    classes = [{"sourcedId": one, "title": title} for one, title in (("c-1", "Crew A/b"), ("c-2", "crew a-B"))]
    put_bundle(tmp_path / "site.zip", bundle_texts({**tables(), "classes": classes}))
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    run = skarvin("draft", "--each", "site.zip", "form.csv")
    assert run.code == 0, run.err
    found = {
        file.name: re.findall('^sheet = "(.*)"', file.read_text(encoding="utf-8"), re.MULTILINE)
        for file in tmp_path.glob("*.toml")
    }
    assert found == {"site-Crew-A-b.toml": ["Crew A/b"], "site-crew-a-B-2.toml": ["crew a-B"]}


@pytest.mark.parametrize(
    ("titles", "codes", "names"),
    [
        (("Crew", "Mast"), ("A", "A"), ["Crew", "Mast"]),
        (("Crew", "crew"), ("A", "B"), ["A", "B"]),
        (("Crew", "B"), ("A", "B"), ["Crew", "B"]),
        (("Crew", "B"), ("B", "A"), ["c-1", "c-2"]),
        (("Crew", "Crew"), ("A", "a"), ["c-1", "c-2"]),
    ],
)
def test_a_class_goes_by_what_no_other_is_called(
    tmp_path: Path, titles: tuple[str, str], codes: tuple[str, str], names: list[str]
) -> None:
    classes = [{"sourcedId": f"c-{at + 1}", "title": titles[at], "classCode": codes[at]} for at in (0, 1)]
    put_bundle(tmp_path / "site.zip", bundle_texts({**tables(), "classes": classes}))
    assert class_names(read_grid(tmp_path / "site.zip")) == names
    for name, size in zip(names, (3, 2), strict=True):
        grid = read_grid(tmp_path / "site.zip", ReadAs(sheet=name))
        assert isinstance(grid, RosterGrid)
        assert len(grid.members) == size
