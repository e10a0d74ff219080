"""Answers through the built program."""

import json
from pathlib import Path

import pytest

from conftest import Skarvin, column, edit, lay_out

QUESTIONS = "Answer 1: Which plank is first?,Points 1,Answer 2: How wide?,Points 2,Answer 3: Is it dry?,Points 3"
EXPORT = f"""\
No,{QUESTIONS},Answer 4: What holds?,Answer 5: Old?
01,B  because it bends,1,"1.160,5 mm",1,Yes,1,Trunnels,A
02,A;C,0,160 mm,0,no,1,Trunels,B
03,no answer,0,,,FALSE,0,copper  rivets,A
04,F,0,wide,0,perhaps,0,,B
Difficulty,,0.25,,0.5,,0.5,,
"""
FORM = (
    "Candidate no;1. How wide?;2. Which plank is first?;3. Is it dry?;4. What holds?\n01;;;;\n02;;;;\n03;;;;\n04;;;;\n"
)
KEY = """\
question,text,code,right
Which plank is first?,,A,no
Which plank is first?,,B,yes
Which plank is first?,,C,no
How wide?,,"1160,5",yes
Is it dry?,,T,yes
What holds?,Trunnels,A,yes
What holds?,Copper rivets,B,no
"""


@pytest.fixture
def quiz(tmp_path: Path, skarvin: Skarvin) -> Path:
    (tmp_path / "quiz.csv").write_text(EXPORT, encoding="utf-8")
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    (tmp_path / "key.csv").write_text(KEY, encoding="utf-8")
    assert skarvin("draft", "quiz.csv", "form.csv", "--key", "key.csv").code == 0
    edit(tmp_path / "transfer.toml", 'choose = "one"', 'choose = "several"')
    return tmp_path


def test_a_quiz_becomes_an_answer_file(quiz: Path, skarvin: Skarvin) -> None:
    plan = (quiz / "transfer.toml").read_text(encoding="utf-8")
    for line in ('kind = "number"', 'units = ["mm"]', 'kind = "true or false"', "with another number", 'to = ""'):
        assert line in plan
    assert skarvin("write").code == 1
    assert [column(quiz, place) for place in (1, 2, 3, 4)] == [
        ["1160.5", "160", "", ""],
        ["B", "AC", "", ""],
        ["T", "F", "F", ""],
        ["A", "", "B", ""],
    ]
    out = " ".join(skarvin("preview").out.split())
    for said in (
        "The questions have another order in the form: 1->2, 2->1",
        "Never seen by 1 student: 'Answer 2: How wide?'; the target is left as it is",
        "'F': the question doesn't offer F (it offers A B C)",
        "'Trunels' is not in the key (perhaps A, 93% alike)",
        "The export and the key differ on 1 of ",
        "02 Answer 3: Is it dry? F right wrong",
    ):
        assert said in out
    data = json.loads(skarvin("preview", "--json").out)["answers"]
    assert data["differ_from_the_key"] == [{"row": 3, "column": "F", "answer": "F", "export_says": "right"}]
    assert [one["moved"] for one in data["questions"]] == ["1->2", "2->1", "", "", ""]


@pytest.mark.parametrize(
    ("old", "new", "place", "gives"),
    [
        ('write = "as offered"', 'write = "numbers"', 2, ["2", "13", "", ""]),
        ('case = "upper"', 'case = "lower"', 2, ["b", "ac", "", ""]),
        ('between = ""', 'between = ";"', 2, ["B", "A;C", "", ""]),
        ("width = 0", "width = 2", 2, ["B ", "A C ", "", ""]),
        ('blank = "leave"', 'blank = "code"', 2, ["B", "AC", "X", ""]),
        ('unseen = "leave"', 'unseen = "code"', 1, ["1160.5", "160", "N", ""]),
        ('true = "T"', 'true = "1"', 3, ["1", "F", "F", ""]),
        ("not_seen = []", 'not_seen = ["no answer"]', 2, ["B", "AC", "", ""]),
    ],
)
def test_an_answer_is_written_as_the_target_wants_it(  # noqa: PLR0913 - a table's columns
    quiz: Path, skarvin: Skarvin, old: str, new: str, place: int, gives: list[str]
) -> None:
    plan = quiz / "transfer.toml"
    edit(plan, old, new)
    for code, what, text in (("blank_code", "blank", "X"), ("unseen_code", "unseen", "N")):
        if old.startswith(f"{what} ="):
            edit(plan, f'{code} = ""', f'{code} = "{text}"')
    skarvin("write")
    assert column(quiz, place) == gives


def test_a_dropped_question_has_its_line_in_the_report(quiz: Path, skarvin: Skarvin) -> None:
    plan = quiz / "transfer.toml"
    edit(plan, "# dropped = true", "dropped = true")
    skarvin("write")
    assert "Dropped, so that no answer is sent: &#39;Answer 5: Old?&#39;" in (quiz / "report.html").read_text(
        encoding="utf-8"
    )
    edit(plan, 'to = "4. What holds?"', 'to = "4. What holds?"\ndropped = true')
    refused = skarvin("preview")
    assert (refused.code, "a dropped question goes nowhere" in refused.err) == (3, True)


@pytest.mark.parametrize(
    ("key", "says"),
    [
        ("question\nWhich?\n", "the answer key has no column with the right answers; it has: 'question'"),
        ("code,right\nA,yes\n", "no column that names or numbers the questions; it has: 'code' and 'right'"),
        ("question,text,code,right\nWhich?,A,A,maybe\n", "'maybe' says neither right nor wrong"),
        ("question,text,code\nWhich?,oak,A\nWhich?,Oak,B\n", "'Oak' is met twice, with two codes"),
    ],
)
def test_a_key_that_cannot_be_meant_is_refused(quiz: Path, skarvin: Skarvin, key: str, says: str) -> None:
    (quiz / "key.csv").write_text(key, encoding="utf-8")
    refused = skarvin("preview")
    assert (refused.code, says in refused.err) == (3, True)


def test_a_form_without_students_gets_a_row_for_each(tmp_path: Path, skarvin: Skarvin) -> None:
    export = 'No,Name,Crew,Answer 1\n01,"Ó Murchú, Síle",Keel,B\n02,"Kim, Min-jun",Mast,C\n02,Kim,Mast,C\n,Who,Mast,A\n'
    (tmp_path / "quiz.csv").write_text(export + '03,"=Evil, Ann",Keel,"b. ""oak"""\n', encoding="utf-8")
    form = "Answers\r\n\r\nCandidate no;Family name;Given name;Class;Q1;Größe"
    (tmp_path / "form.csv").write_bytes(form.encode("cp1252"))
    drafted = skarvin("draft", "quiz.csv", "form.csv")
    assert "a row is made for each of the export's" in " ".join(drafted.out.split())
    edit(tmp_path / "transfer.toml", "leave_out = []", 'leave_out = ["02"]')
    edit(tmp_path / "transfer.toml", "minimum_paired_percent = 50", "minimum_paired_percent = 10")
    run = skarvin("write")
    assert run.code == 1
    assert "1 row is added to the form, one a student, with 1 cell filled" in " ".join(run.out.split())
    expected = form + "\r\n01;Ó Murchú;Síle;Keel;B;"
    assert (tmp_path / "form-import.csv").read_bytes() == expected.encode("cp1252")
    assert (tmp_path / "form-restore.csv").read_bytes() == form.encode("cp1252")
    assert json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))["target"]["rows_added"] == 1


def test_letters_stand_for_numbered_labels(tmp_path: Path, skarvin: Skarvin) -> None:
    rules = '[answers]\nwrite = "letters"\n[[answer]]\nfrom = "B"\nto = "B"\nlabels = "1234"\n'
    lay_out(tmp_path, "No,Answer 1\n01,3) ash\n02,1; 4\n03,5\n", "No;Q1\n01;\n02;\n03;\n", rules)
    assert skarvin("write").code == 1
    assert column(tmp_path, 1) == ["C", "AD", ""]


def test_a_draft_looks_at_all_answers_of_a_question(tmp_path: Path, skarvin: Skarvin) -> None:
    answers = ["B because it bends,C;A", "A plank,A", "C it is dry,A;B", "B) both,"]
    rows = "".join(f"0{number},{answer}\n" for number, answer in enumerate(answers, 1))
    (tmp_path / "quiz.csv").write_text(f"No,Q1 Response,Q2 Response\n{rows}Std. dev.,,\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("No;1;2\n01;;\n02;;\n03;;\n04;;\n", encoding="utf-8")
    (tmp_path / "key.csv").write_text("question,code,right\nQ1,B,yes\nQ1,C,no\nQ1,A,no\n2,A,yes\n2,C,yes\n2,B,no\n")
    skarvin("draft", "quiz.csv", "form.csv", "--key", "key.csv")
    plan = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert """to = '"1"'""" in plan
    assert "one_blank = true                           # each of its answers begins with a label" in plan
    assert 'label_order = "as offered"                 # 1 answer has its labels in another order' in plan
    assert skarvin("write").code == 0
    assert [column(tmp_path, place) for place in (1, 2)] == [["B", "A", "C", "B"], ["AC", "A", "AB", ""]]
    out = " ".join(skarvin("preview").out.split())
    assert "several in the order in which they are offered" in out
    assert "one blank behind a label is enough" in out
    assert "Not in the key" not in out


def test_questions_without_numbers_meet_by_what_they_ask(tmp_path: Path, skarvin: Skarvin) -> None:
    (tmp_path / "quiz.csv").write_text("No,Which plank?,How dry?\n01,b) oak,A\n02,A) ash,C\n", encoding="utf-8")
    (tmp_path / "form.csv").write_text("Candidate no;How dry?;Which plank?\n01;;\n02;;\n", encoding="utf-8")
    skarvin("draft", "quiz.csv", "form.csv")
    assert skarvin("write").code == 0
    assert [column(tmp_path, place) for place in (1, 2)] == [["A", "C"], ["B", "A"]]
