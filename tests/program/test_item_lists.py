"""A list of items says what codes mean: of a log, of columns, of a form, in any order and language."""

from pathlib import Path

import pytest

from conftest import Skarvin, column

CODES = {"HUL-01": "Hull planking", "SAI-02": "Sail making", "KEE-01": "Keel laying"}
TOPS = {"HUL-01": 10, "SAI-02": 20, "KEE-01": 40}
MARKS = {"HUL-01": [8, 7, 5], "SAI-02": [18, 17, 15], "KEE-01": [40, 20, 10]}


def lay_out_list(folder: Path, order: str) -> None:
    if order == "codes first":
        rows = [f"{code};{title};{TOPS[code]}" for code, title in CODES.items()]
        (folder / "items.csv").write_text("\n".join(["Code;Titel;Max", *rows, ""]), encoding="utf-8")
        return
    rows = [f"{title}\t{TOPS[code]}\t{code}\tveneen osa {number}" for number, (code, title) in enumerate(CODES.items())]
    (folder / "items.csv").write_text(
        "\n".join(["Otsikko\tMax points\tKoodi\tKuvaus", *rows[::-1], ""]), encoding="utf-8"
    )


@pytest.mark.parametrize("order", ["codes first", "titles first"])
@pytest.mark.parametrize(
    ("shape", "codes_in"), [("log", "export"), ("table", "export"), ("log", "form"), ("table", "form")]
)
def test_codes_and_titles_meet_by_a_list(
    tmp_path: Path, skarvin: Skarvin, order: str, shape: str, codes_in: str
) -> None:
    mine, other = (CODES.__getitem__, str) if codes_in == "form" else (str, CODES.__getitem__)
    if shape == "log":
        lines = [f"{n + 1},{mine(code)},{mark}" for code, marks in MARKS.items() for n, mark in enumerate(marks)]
        export = ["Apprentice no,Activity,Result", *lines]
    else:
        lines = [f"{n + 1}," + ",".join(str(marks[n]) for marks in MARKS.values()) for n in range(3)]
        export = ["Apprentice no," + ",".join(map(mine, MARKS)), *lines]
    (tmp_path / "export.csv").write_text("\n".join([*export, ""]), encoding="utf-8")
    form = ["Apprentice no", *(f"{other(code)} (out of 10)" for code in ("KEE-01", "HUL-01", "SAI-02"))]
    (tmp_path / "form.csv").write_text("\n".join([";".join(form), "1;;;", "2;;;", "3;;;", ""]), encoding="utf-8")
    lay_out_list(tmp_path, order)
    drafted = skarvin("draft", "export.csv", "form.csv", "--item-list", "items.csv")
    assert (drafted.code, "question" in drafted.out) == (0, False), drafted.out + drafted.err
    assert skarvin("write").code == 0
    sent = {code: [f"{mark * 10 / TOPS[code]:g}" for mark in marks] for code, marks in MARKS.items()}
    assert [column(tmp_path, place) for place in (1, 2, 3)] == [sent[code] for code in ("KEE-01", "HUL-01", "SAI-02")]


def test_what_the_list_does_not_have_is_told(tmp_path: Path, skarvin: Skarvin) -> None:
    lines = [f"{n},{code},{n + 3}" for code in ("HUL-01", "SAI-02", "XX-9") for n in (1, 2, 3)]
    (tmp_path / "export.csv").write_text("\n".join(["Apprentice no,Activity,Result", *lines, ""]), encoding="utf-8")
    (tmp_path / "form.csv").write_text("Apprentice no,Hull planking,Sail making\n1,,\n2,,\n3,,\n", encoding="utf-8")
    lay_out_list(tmp_path, "codes first")
    told = skarvin("draft", "export.csv", "form.csv", "--item-list", "items.csv", "--missing-maximum", "same").out
    assert "items.csv doesn't have 'XX-9'." in told
    transfer = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    assert "# 'Sail making' by the list: equal titles" in transfer
    (tmp_path / "items.csv").write_text("Code,Title\nA-1,Bow\nA-2,Stern\n", encoding="utf-8")
    refused = skarvin("draft", "export.csv", "form.csv", "--item-list", "items.csv", "--transfer", "other.toml")
    assert (refused.code, "with a title for each beside it" in refused.err) == (3, True)
