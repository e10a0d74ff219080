"""With --mask no output of any command shows a name, a number or a fragment of one."""

import csv
import json
import re
import unicodedata
from collections.abc import Callable, Iterator
from pathlib import Path
from random import Random

import pytest

from conftest import Skarvin, lay_out, shared_demo
from skarvin.core.layout.columns import MAY_BE_PERSONAL, PERSONAL, Use
from skarvin.reports.masker import Masker
from skarvin.reports.masking import hidden, masking

HARMLESS = frozenset({"practice", "apprentice", "registry", "workshop", "mast", "keel", "rudder", "sail", "marked"})
"""Words that the demo's rows have where names stand, and that name nobody, or also stand for something else."""
WHO = re.compile(
    r"name|learner no|registry no|reg\. no|apprentice$|workshop no|student|boarder|candidate|e-mail|pupil|policy|berth",
    re.IGNORECASE,
)


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = shared_demo(tmp_path_factory)
    sent = (folder / "registry-form-import.csv").read_bytes()
    (folder / "back.csv").write_bytes(sent.replace(b"\r\n", b"\n") if b"\r" in sent else sent.replace(b"\n", b"\r\n"))
    return folder


def rows_of(file: Path) -> Iterator[dict[str, str]]:
    """Yield a file's rows by plain means, whatever stands between its cells."""
    data = file.read_bytes()
    text = data.decode("utf-16") if data[:2] == b"\xff\xfe" else data.decode("utf-8-sig")
    lines = text.splitlines()
    first = next(place for place, line in enumerate(lines) if WHO.search(line))
    sign = max(",;\t", key=lines[first].count)
    yield from csv.DictReader(lines[first:], delimiter=sign)


def identities(folder: Path) -> set[str]:
    """Return every word of a name and every number that the demo's files give people."""
    found: set[str] = set()
    names = ["workshop-marks.csv", "registry-form.csv", "quiz/quiz-answers.csv", "quiz/answer-form.csv"]
    names += ["final/final-form.csv", "weeks/workshop-week-1.csv", "weeks/registry-week-2.csv"]
    for name in (*names, "weeks/registry-overview-1.txt"):
        for row in rows_of(folder / name):
            for heading, text in row.items():
                if heading and text and WHO.search(heading):
                    found |= set(re.findall(r"[^\W_]{3,}", text))
    found = {word for word in found if word.casefold() not in HARMLESS}
    assert len(found) > 120
    return {word for word in found if not word.isdecimal() or len(word) > 3}


COMMANDS = [
    (".", "look workshop-marks.csv registry-form.csv"),
    (".", "look workshop-marks.csv --json"),
    (".", "students --all"),
    (".", "students --json"),
    (".", "preview --all"),
    (".", "preview --json"),
    (".", "preview --why 0097738"),
    (".", "preview --why 0097738 --json"),
    (".", "write --replace --workbook --into masked"),
    (".", "write --replace --into masked-2 --json"),
    (".", "confirm back.csv --replace --into masked"),
    (".", "confirm back.csv --replace --into masked --json"),
    (".", "history --export masked.csv --replace"),
    (".", "history --json"),
    (".", "history --student 0097738"),
    (".", "history --student 0097738 --json"),
    (".", "roster workshop-marks.csv --form roster-form.csv --replace"),
    ("final", "preview --all"),
    ("final", "write --replace --into masked"),
    ("quiz", "preview --all"),
    ("quiz", "write --replace --into masked --json"),
    ("harbour", "preview --all"),
    ("insurer", "write --replace --into masked --json"),
    ("essays", "preview --all"),
    ("watch", "write --replace --into masked"),
    ("weeks", "preview --all"),
    ("weeks", "write --replace --into masked"),
    ("weeks", "confirm registry-overview-2.txt --replace --into masked"),
    ("weeks", "history"),
]
PAGES = ("report.html", "report.xlsx", "-confirm.html", "-confirm.json", "-confirm.csv", "roster-report.html")
"""What of the files that are written is to be shown; others are for the target, or prove what was sent."""


@pytest.mark.parametrize(("where", "command"), COMMANDS)
def test_no_command_shows_anybody_of_the_demo(
    demo: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, where: str, command: str
) -> None:
    folder = demo / where
    before = {path: path.stat().st_mtime_ns for path in folder.rglob("*") if path.is_file()}
    monkeypatch.chdir(folder)
    run = skarvin(*command.split(), "--mask")
    said = run.out + run.err
    assert run.code in {0, 1}, said
    for path in folder.rglob("*"):
        if path.is_file() and path.name.endswith(PAGES) and path.stat().st_mtime_ns != before.get(path):
            said += readable(path)
    if "masked.csv" in command:
        said += (folder / "masked.csv").read_text(encoding="utf-8-sig")
    words = set(re.findall(r"[^\W_]{3,}", said))
    assert not sorted(words & identities(demo))
    assert re.search(r"~[a-z2-7]{8}", said) or "history" in command or "--json" in command


def readable(path: Path) -> str:
    """Return what a file says; of a workbook what is in its cells."""
    if path.suffix != ".xlsx":
        return path.read_text(encoding="utf-8-sig")
    import openpyxl  # noqa: PLC0415 - few files are workbooks

    sheets = openpyxl.load_workbook(path).worksheets
    return "\n".join(str(cell) for sheet in sheets for row in sheet.iter_rows(values_only=True) for cell in row if cell)


def test_one_person_has_one_code_wherever_named_and_short_numbers_are_hidden_too(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    rules = '[[item]]\nfrom = "C"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'
    export = "Id,Name,Knots\n7,Lin Ng,12\n12,Bo O'Hara-Li,6\n15,Ana Wu,1O\n"
    lay_out(tmp_path, export, "Id,Name,Knots\n7,Lin Ng,\n12,Bo O'Hara-Li,\n", rules)
    shown = skarvin("preview", "--all", "--mask").out
    assert not re.findall(r"\bNg\b|O'Hara|\bLi\b|\bWu\b|\b15\b", shown)
    data = json.loads(skarvin("preview", "--json", "--mask").out)
    assert {one["identifier"][0] for one in data["students"]["in_form"]} == {"~"}
    codes = {one["name"] for one in data["students"]["in_form"]}
    assert len(codes & set(re.findall(r"~\w{8}", shown))) == 2
    assert {mark["mark"] for mark in data["marks"]["list"]} == {"12", "6", "1O"}
    plain = skarvin("preview", "--json").out
    assert '"identifier": "7"' in plain
    assert skarvin("write", "--mask").code == 1
    assert "Lin Ng" not in (tmp_path / "report.html").read_text(encoding="utf-8")
    assert "Lin Ng" in (tmp_path / "ledger.json").read_text(encoding="utf-8")  # it proves what was sent


def test_a_masker_hides_names_in_sentences_and_leaves_the_rest() -> None:
    masker = Masker(["Ó Murchú, Síle", "S-0412", "sile.om@tidewrack.example", "Mark Row", "de Wit, An"])
    with masking(masker):
        said = hidden("row 5: same name as Ó Murchú, Síle (S-0412), or SÍLE; sile.om writes; mark 12 of the row")
    assert not re.findall("Murch|SÍLE|Síle|0412|sile", said)
    assert said.startswith("row 5: same name as ~")
    assert said.endswith("writes; mark 12 of the row")
    assert hidden("Ó Murchú, Síle") == "Ó Murchú, Síle"
    with masking(Masker(["Ng, Lin", "Jörg Müller", "STU-0077", "STU-0078"])):
        said = hidden("see Ng, or NG; Mueller, MÜLLER, Joerg; 77 in 20 minutes, wing, STU 9")
    assert re.sub("~[a-z2-7]{8}", "~", said) == "see ~, or ~; ~, ~, ~; 77 in 20 minutes, wing, STU 9"


NUMBERS = ("1715310", "2725320", "3735330", "4745340", "5755350", "6765360")
MASKED = (
    *("look export.csv", "look export.csv form.csv --all", "look export.csv --json", "preview --all"),
    *("preview --json", f"preview --why {NUMBERS[0]}", f"preview --why {NUMBERS[0]} --json", "write --replace"),
    *("write --workbook --json --replace", "students", "students --all", "students --json", "history"),
    *("history --all", f"history --student {NUMBERS[1]}", f"history --student {NUMBERS[1]} --json"),
    *("confirm back.csv --replace", "confirm back.csv --replace --json"),
    "roster export.csv --form form.csv --to roster.csv --replace",
)
FOLDINGS: dict[str, Callable[[str], str]] = {
    "as it is": str,
    "capitals": str.upper,
    "small": str.casefold,
    "decomposed": lambda text: unicodedata.normalize("NFD", text),
    "plain": lambda text: bare(text, keep=" "),
    "blank inside": lambda text: f"{text[:3]} {text[3:]}",
    "dash inside": lambda text: f"{text[:2]}-{text[2:]}",
    "dots": lambda text: text.replace(" ", "."),
    "the last word": lambda text: text.split()[-1],
    "the first word, capitals": lambda text: text.split()[0].upper(),
    "turned": lambda text: ", ".join(reversed(text.split(" ", 1))),
    "glued": lambda text: f"x{text.replace(' ', '')}9",
}


def bare(text: str, keep: str = "") -> str:
    """Return a text's letters and digits without case and accents, by plain means."""
    signs = (sign for sign in unicodedata.normalize("NFKD", text).casefold() if sign.isalnum() or sign in keep)
    return "".join(signs)


def rare_class(seed: int) -> list[str]:
    """Return names of letters that stand so in no other text, with accents, of three letters up."""
    random = Random(seed)

    def word(least: int) -> str:
        signs = "".join(random.choice("qxzvjkwy") + random.choice("uoöüúűō") for _ in range(4))
        return signs[: random.randint(least, 8)].capitalize()

    return [f"{word(3)} {word(6)}" for _ in NUMBERS]


@pytest.mark.parametrize("seed", range(3))
def test_no_masked_output_holds_an_identity_in_any_folding(tmp_path: Path, skarvin: Skarvin, seed: int) -> None:
    random, names = Random(seed), rare_class(seed)

    def told(often: float) -> str:
        if random.random() > often:
            return ""
        fold = random.choice(list(FOLDINGS.values()))
        return fold(random.choice(names) if random.random() < 0.8 else random.choice(NUMBERS))

    told_of = [(name, told(0.3) or random.randint(1, 10), told(0.8), told(0.4)) for name in names]
    rows = [(number, *told) for number, told in zip(NUMBERS, told_of, strict=True)]
    rows += [(f"{NUMBERS[2]}9", names[0], 4, "", ""), ("", names[1].upper(), 5, "", "")]
    ours = [*[*zip(NUMBERS, names, strict=True)][1:], ("8785380", "Jūxq Vozűk")]
    given = [("Id", "Name", "Knots", "Remark", "Late"), *rows]
    asked = [("Id", "Name", "Knots", "Remarks"), *((*one, told(0.2), told(0.2)) for one in ours)]
    for name, lines in (("export.csv", given), ("form.csv", asked)):
        with (tmp_path / name).open("w", encoding="utf-8", newline="") as opened:
            csv.writer(opened).writerows(lines)
    drafted = skarvin("draft", "export.csv", "form.csv", "--use", "Knots=item")
    assert drafted.code == 0, drafted.err
    rules = '\n[[comment]]\nfrom = "Remark"\nto = "Remarks"\nof = "Knots"\n'
    with (tmp_path / "transfer.toml").open("a", encoding="utf-8") as file:
        file.write(rules)
    assert skarvin("write").code == 1
    back = (tmp_path / "form-import.csv").read_text(encoding="utf-8")
    (tmp_path / "back.csv").write_text(f"{back}9795390,Wűxq Zōvyk,7,\n", encoding="utf-8")
    others = ("Jūxq Vozűk", "Wűxq Zōvyk")
    parts = {bare(part) for name in (*names, *others) for part in name.split()} | {*NUMBERS, "8785380", "9795390"}
    for command in MASKED:
        run = skarvin(*command.split(), "--mask")
        assert run.code in {0, 1}, (command, run.err)
        assert held(run.out + run.err, parts) == [], command
        for page in PAGES[:2] if command.startswith("write") else ():
            assert not (tmp_path / page).exists() or held(readable(tmp_path / page), parts) == [], (command, page)
    assert skarvin("history", "--export", "kept.csv").code == 0
    kept = (tmp_path / "kept.csv").read_text(encoding="utf-8-sig")
    names_alone = {part for part in parts if part.isalpha()}
    assert held(kept, names_alone) == [], "an export of the history holds no names"


def held(said: str, parts: set[str]) -> list[str]:
    """Return which identities a text holds, codes apart; a number also with signs between its digits."""
    said = re.sub(r"~[a-z2-7]{8}", "~", said)
    folded = bare(said)
    names = [part for part in parts if part.isalpha() and part in folded]
    return names + [part for part in parts if part.isdecimal() and re.search("[ .-]?".join(part), said)]


def test_whatever_a_column_may_hold_is_personal_unless_it_is_known_to_tell_nobody() -> None:
    told = {"section", "leaving year", "item", "total", "answer", "result of an answer"}
    told |= {"item title", "mark", "maximum", "status"}
    doubtful = {"comment", "system data", "other"}
    assert {use.value for use in Use} - {use.value for use in MAY_BE_PERSONAL} == told
    assert {use.value for use in MAY_BE_PERSONAL - PERSONAL} == doubtful


def test_people_who_are_named_like_the_programs_own_words_change_no_key_of_its_data(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    people = ("Max Sum", "Min Rule", "Mark Count", "Cell Source", "Fates Because")
    rows = "".join(f"77{place}1,{name},{place}\n" for place, name in enumerate(people, 1))
    (tmp_path / "export.csv").write_text(f"Id,Name,Knots\n{rows}")
    (tmp_path / "form.csv").write_text("Id,Name,Knots\n" + re.sub(r",\d\n", ",\n", rows))
    assert skarvin("draft", "export.csv", "form.csv").code == 0

    def keys(data: object) -> object:
        if isinstance(data, dict):
            return {name: keys(one) for name, one in data.items()}
        return [keys(one) for one in data] if isinstance(data, list) else None

    for command in ("look export.csv", "preview", "students", "write"):
        plain = json.loads(skarvin(*command.split(), "--json", *(["--replace"] if command == "write" else [])).out)
        again = ["--replace"] if command == "write" else []
        masked = json.loads(skarvin(*command.split(), "--json", "--mask", *again).out)
        if command != "write":  # the second write knows of the first
            assert keys(masked) == keys(plain), command
        assert set(masked) >= set(plain), command
    assert "smallest  median  largest" in skarvin("look", "export.csv", "--mask").out


def test_what_stands_in_place_of_a_mark_may_be_a_name_and_is_not_quoted(tmp_path: Path, skarvin: Skarvin) -> None:
    """A name, a number with a blank in it, letters that were taken apart: none of them is in what may be shown."""
    odd = ("Sørby Ida", "20 13", "A\u030asa Vik", "see Ng")
    rows = "".join(f"{2011 + at},Pupil {'ABCDEF'[at]}ox,{mark}\n" for at, mark in enumerate((*odd, "7", "8")))
    form = "".join(f"{2011 + at},Pupil {'ABCDEF'[at]}ox,\n" for at in range(6))
    rules = '[[item]]\nfrom = "C"\nto = "C"\nfrom_out_of = 10\nto_out_of = 10\n'
    lay_out(tmp_path, f"Id,Name,Knots\n{rows}", f"Id,Name,Knots\n{form}", rules)
    shown = skarvin("preview", "--mask")
    written = skarvin("write", "--mask")
    page = (tmp_path / "report.html").read_text(encoding="utf-8")
    for text in (*odd, "Sørby", "Vik", "Pupil", "Aox", "2011"):
        for where in (shown.out, written.out, page):
            assert text not in where, text
    assert "only report.html may be shown to others" in written.err
    assert "Sørby Ida" in skarvin("preview").out


def alike(shown: str) -> str:
    """Return what is shown without times and fingerprints, the reasons of an item in one order."""
    shown = re.sub(r"[0-9a-f]{64}|\d\d:\d\d(:\d\d)?", "", shown)
    return re.sub(r"\d+ (held|left out): [^.]*", lambda found: "; ".join(sorted(found[0].split("; "))), shown)


def test_neither_a_place_nor_the_order_of_rows_tells_who_is_who(tmp_path: Path, skarvin: Skarvin) -> None:
    """Classes that differ in nothing but the order of their rows look the same with --mask."""
    marks = ("7", "1O", "1l", "7.55", "", "5", "3", "7")
    people = [
        (f"41{at}7{at}", f"{name}ax Qui{name}t", mark)
        for at, (name, mark) in enumerate(zip("BCDFGHJK", marks, strict=True))
    ]
    rules = '[[item]]\nfrom = "Q1"\nto = "Exam B1"\nfrom_out_of = 10\nto_out_of = 10\ndecimals = 1\n'
    shown: list[list[str]] = []
    for order in (people, people[::-1], people[3:] + people[:3]):
        rows = "".join(f"{number},{name},{mark}\n" for number, name, mark in order)
        before = {"3": "4"}
        form = "".join(f"{number},{name},{before.get(mark, '')}\n" for number, name, mark in (*order[2:], *order[:2]))
        lay_out(tmp_path, f"Id,Name,Q1\n{rows}9999,Nob Ody,3\n", f"Id,Name,Exam B1\n{form}9998,Lef Tover,\n", rules)
        screens = [skarvin("preview", "--all", "--mask").out.partition("Sample rows")[0]]
        data = json.loads(skarvin("preview", "--json", "--mask").out)
        pairs = data["students"]["pairs"]
        assert {one["row"][0] for one in (*pairs, *data["marks"]["list"])} == {"~"}
        assert [one["row"] for one in pairs] == sorted(one["row"] for one in pairs)
        assert {one["to_row"] for one in pairs} <= {one["row"] for one in data["students"]["in_form"]}
        written = skarvin("write", "--mask", "--workbook", "--replace")
        assert written.code == 1, written.err
        screens += [written.out, readable(tmp_path / "report.html"), readable(tmp_path / "report.xlsx")]
        back = (tmp_path / "form-import.csv").read_text(encoding="utf-8").replace(",7\n", ",6\n")
        (tmp_path / "back.csv").write_text(back, encoding="utf-8")
        screens.append(skarvin("confirm", "back.csv", "--replace", "--mask").out)
        screens += [readable(tmp_path / f"back-confirm.{kind}") for kind in ("html", "csv")]
        shown.append([alike(one) for one in screens])
        (tmp_path / "skarvin-history.db").unlink()
    assert "Q1:" in shown[0][0]
    assert "Q1" in shown[0][2]
    assert "Exam B1" in shown[0][2]
    for one, other, third in zip(*shown, strict=True):
        assert one == other
        assert one == third
    assert not re.findall(r"[Rr]ows? \d|\b[BC][2-9]\b", "".join(shown[0]))
