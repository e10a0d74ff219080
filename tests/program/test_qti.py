"""Results of QTI as an export, for answers and for scores."""

import csv
import io
import json
import zipfile
from pathlib import Path

import pytest

from conftest import Skarvin
from qti import NAMESPACES, ItemResult, result_of
from skarvin.core.grid import qti_results

FORM = "No;Q1;Q2;Scarf joint [4]\n47;;;\n48;;;\n49;;;\n"
CANDIDATES = {"0047": ("B", ("A", "C"), "1", "3.5"), "0048": ("A", ("C",), "0", "4"), "0049": ("", ("C", "A"), "", "0")}


def items(one: str, several: tuple[str, ...], score: str, other: str) -> list[ItemResult]:
    return [
        ItemResult("Q1", [one] if one else [], ["B"], score, "1"),
        ItemResult("Q2", several, ["A", "C"], "1", "1"),
        ItemResult("Scarf joint", [], [], other, "4.0"),
    ]


def texts(version: str = "2.1") -> dict[str, str]:
    return {f"{name}.xml": result_of(name, items(*said), version) for name, said in CANDIDATES.items()}


def put(path: Path, files: dict[str, str]) -> None:
    """Write results as a folder, or as an archive where the name has an ending."""
    if path.suffix:
        with zipfile.ZipFile(path, "w") as archive:
            for name, text in files.items():
                archive.writestr(f"results/{name}", text)
        return
    path.mkdir()
    for name, text in files.items():
        (path / name).write_text(text, encoding="utf-8")


@pytest.mark.parametrize("name", ["results", "results.zip"])
@pytest.mark.parametrize("version", NAMESPACES)
def test_answers_and_scores_move_and_the_key_comes_with_them(
    tmp_path: Path, skarvin: Skarvin, name: str, version: str
) -> None:
    put(tmp_path / name, texts(version))
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    run = skarvin("draft", name, "form.csv")
    assert run.code == 0, run.err
    assert f'key = "{name}"' in (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    written = skarvin("write")
    assert written.code == 0, written.out + written.err
    rows = list(csv.reader(io.StringIO((tmp_path / "form-import.csv").read_text(encoding="utf-8")), delimiter=";"))
    assert rows[1:] == [["47", "B", "AC", "3.5"], ["48", "A", "C", "4"], ["49", "", "AC", "0"]]
    ledger = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))
    assert {one["to"]: one["right"] for one in ledger["answers"]["questions"]} == {"Q1": ["B"], "Q2": ["AC"]}
    assert ledger["second_look"]["marks_looked_up"] == 15
    assert ledger["files"]["answer_key"]["sha256"] == ledger["files"]["export"]["sha256"]
    assert "not confirmed" in skarvin().out
    assert "changed" not in skarvin().out


def test_of_several_attempts_each_is_a_row_in_their_order(tmp_path: Path, skarvin: Skarvin) -> None:
    attempts = [
        ItemResult("Knots", ["C"], ["C"], "7", "10", "2"),
        ItemResult("Knots", ["A"], ["C"], "2", "10", "1", "pendingResponseProcessing"),
        ItemResult("Splices", [], [], "5", "10"),
    ]
    put(tmp_path / "results", {"a.xml": result_of("0047", attempts), "b.xml": result_of("0048", attempts[:1])})
    (tmp_path / "form.csv").write_text("No;Knots [10];Splices [10]\n47;;\n48;;\n", encoding="utf-8")
    assert skarvin("draft", "results", "form.csv", "--use", "Knots (out of 10)=item").code == 0
    out = skarvin("look", "results", "--all").out
    assert "2 candidates, 2 items and 3 attempts" in out
    assert "1 attempt isn't final: a.xml" in out
    file = tmp_path / "transfer.toml"
    for rule, expected in (("latest", "7"), ("first", "2"), ("highest", "7")):
        text = file.read_text(encoding="utf-8")
        for old in ("hold", "agree", "latest", "first"):
            text = text.replace(f'repeated = "{old}"', f'repeated = "{rule}"')
        text = text.replace('repeated_by = ""', 'repeated_by = "datestamp"')
        file.write_text(text, encoding="utf-8")
        run = skarvin("write", "--replace")
        assert run.code == 0, run.out + run.err
        rows = (tmp_path / "form-import.csv").read_text(encoding="utf-8").split("\n")
        assert rows[1] == f"47;{expected};5"
        assert rows[2] == "48;7;"
        (tmp_path / "skarvin-history.db").unlink()


BOMB = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><assessmentResult>&b;&b;</assessmentResult>'
OUTSIDE = '<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/hostname">]><assessmentResult><context sourcedId="&a;"/>'
HOSTILE = {
    "cut": (result_of("0047", items(*CANDIDATES["0047"]))[:-80], "can't be read"),
    "bomb": (BOMB, "doesn't say which candidate"),
    "outside": (OUTSIDE, "can't be read"),
    "nobody": (result_of("", []), "doesn't say which candidate"),
    "other": (result_of("0047", []).replace("assessmentResult", "assessmentResultReport"), "no result of a candidate"),
    "namespace": (result_of("0050", []).replace("imsqti_result_v2p1", "unheard_of"), "namespace"),
    "maximum": (result_of("0050", [ItemResult("Q1", [], [], "1", "5")]), "'Q1' is out of 1 and 5"),
    "solution": (
        result_of("0050", [ItemResult("Q1", ["A"], ["A"], "1", "1")]),
        "responses to Q1 answer",
    ),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_cannot_be_read_is_told_by_its_file_and_the_others_are_read(
    tmp_path: Path, skarvin: Skarvin, name: str
) -> None:
    text, said = HOSTILE[name]
    put(tmp_path / "results", texts() | {"x.xml": text})
    run = skarvin("look", "results", "--json")
    assert run.code == 0, run.err
    assert said in run.out
    assert ("x.xml" in run.out) is (name not in {"maximum", "solution"})  # these are of several files
    assert json.loads(run.out)["students"] >= 3
    (tmp_path / "alone.xml").write_text(text, encoding="utf-8")
    alone = skarvin("look", "alone.xml")
    assert alone.code in {0, 3}
    assert "fault:" not in alone.err


@pytest.mark.parametrize("slip", ["_values", "_outcomes"])
def test_a_slip_of_what_reads_results_is_found_when_they_are_read_again(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, slip: str
) -> None:
    put(tmp_path / "results", texts())
    (tmp_path / "form.csv").write_text(FORM, encoding="utf-8")
    assert skarvin("draft", "results", "form.csv").code == 0
    right = qti_results._outcomes  # noqa: SLF001 - what is made to slip
    wrong = (lambda *_: "C") if slip == "_values" else (lambda one: right(one) | {"SCORE": "0.75"})
    monkeypatch.setattr(qti_results, slip, wrong)
    run = skarvin("write")
    assert run.code == 4
    assert "the export says" in run.err
    assert not (tmp_path / "form-import.csv").exists()
