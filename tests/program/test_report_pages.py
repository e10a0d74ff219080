"""The reports as pages: figures with words beside them, causes grouped, long lists folded, nothing fetched."""

import json
import re
from html.parser import HTMLParser
from pathlib import Path

import pytest

from conftest import Skarvin, edit, lay_out
from skarvin.core.transfer.settling import settle_transfer
from skarvin.reports.figure_data import item_spreads

MARKED = """
[[item]]
from = "C"
to = "C"
from_out_of = 100
to_out_of = 15
[[item]]
from = "D"
to = "D"
from_out_of = 10
to_out_of = 10
scale = "craft"
[scale.craft.bands]
master = 80
mate = 50
boy = 0
"""


def lay_out_class(folder: Path, students: int = 30) -> None:
    """Lay out a class of which a mark in seven can't be read, and the last two students aren't in the form."""
    rows = [
        f"{1000 + one},Deckhand {chr(65 + one % 26)}{one},{'1O' if one % 7 == 3 else 40 + one % 60},{one % 10}\n"
        for one in range(students)
    ]
    form = [f"{1000 + one},Deckhand {chr(65 + one % 26)}{one},{one % 3 or ''},\n" for one in range(students - 2)]
    lay_out(folder, "Id,Name,Lofting,Knots\n" + "".join(rows), "Id,Name,Lofting,Knots\n" + "".join(form), MARKED)


class Page(HTMLParser):
    """What a checker of accessibility looks at first."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.tags: list[tuple[str, dict[str, str | None]]] = []
        self.faults: list[str] = []
        self._open: list[str] = []
        self._heading = ""
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append((tag, dict(attrs)))
        if tag in {"th", "h1", "h2", "h3", "summary"}:
            self._open.append(tag)
            self._heading = ""
        if tag == "th" and "scope" not in dict(attrs):
            self.faults.append("a heading cell without a scope")

    def handle_data(self, data: str) -> None:
        self._heading += data

    def handle_endtag(self, tag: str) -> None:
        if self._open and tag == self._open[-1]:
            self._open.pop()
            if not self._heading.strip():
                self.faults.append(f"an empty {tag}")

    def all_of(self, tag: str) -> list[dict[str, str | None]]:
        return [attributes for name, attributes in self.tags if name == tag]


@pytest.fixture
def report(tmp_path: Path, skarvin: Skarvin) -> str:
    lay_out_class(tmp_path)
    run = skarvin("write")
    assert run.code == 1, run.err
    return (tmp_path / "report.html").read_text(encoding="utf-8")


@pytest.mark.figures
def test_each_figure_has_words_beside_it_that_say_the_same(report: str) -> None:
    figures = re.findall(r"<figure>(.*?)</figure>", report, re.DOTALL)
    assert [re.search(r"<h2>(.*?)</h2>", one)[1] for one in figures] == [  # type: ignore[index]
        "Where all marks went",
        "Spread of the marks before and after conversion",
    ]
    fates, spreads = figures
    assert "Where the 60 entries of 2 items went: 36 sent, 16 replaced, 8 held. Most are held in Lofting (6)." in fates
    drawn = re.findall(r"<text[^>]*>([^<]*)</text>", fates)
    assert {"sent 36", "replaced 16", "held 8", "Lofting", "Knots"} <= set(drawn)
    by_item = [int(number) for number in drawn if number.isdecimal()]
    assert {8, 16, 6, 28, 2} <= set(by_item)
    assert "Lofting: 24 marks, from 40 to 67, half of them up to 53.5 out of 100" in spreads
    assert "after conversion from 6 to 10.05, half of them up to 8.025 out of 15." in spreads
    assert "boundaries: boy from 0%, mate from 50%, master from 80%." in spreads
    assert {"boy", "mate", "master"} <= set(re.findall(r"<text[^>]*>([^<]*)</text>", spreads))


@pytest.mark.figures
def test_what_changed_most_is_drawn_where_marks_of_several_items_were_replaced(
    tmp_path: Path, skarvin: Skarvin
) -> None:
    lay_out_class(tmp_path)
    edit(tmp_path / "form.csv", "1000,Deckhand A0,,", "1000,Deckhand A0,,mate")
    assert skarvin("write").code == 1
    text = (tmp_path / "report.html").read_text(encoding="utf-8")
    assert "Lofting: 16 replaced (16 higher)." in text
    assert "Knots: 1 replaced (1 lower)." in text


@pytest.mark.figures
def test_a_plain_report_has_no_figure_and_all_the_rest(tmp_path: Path, skarvin: Skarvin, report: str) -> None:
    (tmp_path / "skarvin-history.db").unlink()
    assert skarvin("write", "--plain", "--into", "plain").code == 1
    plain = (tmp_path / "plain" / "report.html").read_text(encoding="utf-8")
    assert "<figure>" not in plain
    assert "<svg" not in plain
    without = re.sub(r"<svg class=\"patterns\".*?</svg>\s*|<figure>.*?</figure>\s*", "", report, flags=re.DOTALL)
    assert len(plain.split()) == pytest.approx(len(without.split()), abs=3)


@pytest.mark.figures
def test_a_page_is_whole_by_itself_and_made_for_readers_of_all_kinds(report: str) -> None:
    page = Page(report)
    assert page.faults == []
    assert len(page.all_of("main")) == 1
    assert not [one for one in page.all_of("div") if one.get("class") == "scroll" and one.get("tabindex") != "0"]
    assert not re.findall(r"(?:src|href)=\"(?!#)", report)
    assert "url(http" not in report
    assert "prefers-color-scheme: dark" in report
    assert "size: A4" in report
    hexes = set(re.findall(r"#[0-9a-f]{6}\b", re.sub(r"<style>.*?</style>", "", report, flags=re.DOTALL)))
    assert hexes == set(), "figures take their colours from the page"


def test_one_cause_is_one_line_and_long_lists_fold(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_class(tmp_path, 400)
    edit(tmp_path / "export.csv", "1003,Deckhand D3,1O", "1003,Deckhand D3,50")
    assert skarvin("write").code == 1
    text = (tmp_path / "report.html").read_text(encoding="utf-8")
    causes = re.findall(r'<details class="cause"( open)?><summary><strong>(.*?)</strong>', text)
    assert [(bool(is_open), what[:24]) for is_open, what in causes] == [
        (True, "2 students are missing f"),
        (False, "56 marks (C12, C19, C26,"),
    ]
    assert "<details><summary><strong>All marks in the import file</strong>" in text
    page = Page(text)
    assert page.faults == []


def test_a_registrar_finds_a_student_by_name_and_by_the_targets_number(report: str) -> None:
    rows = re.findall(r'<td class="id">(\d+)</td><th scope="row">(Deckhand \w+)</th>', report)
    assert len(rows) == 30
    names = [name for _, name in rows]
    assert names == sorted(names, key=str.casefold)


def test_what_a_registrar_asks_stands_first_and_what_a_coordinator_does_last(tmp_path: Path, skarvin: Skarvin) -> None:
    """The numbers are counted anew in the ledger that was written."""
    lay_out_class(tmp_path)
    edit(tmp_path / "transfer.toml", "version = 1\n", 'version = 1\n[about]\nclass = "10 <b>"\nby = "R. Öz"\n')
    (tmp_path / "export.csv").write_text((tmp_path / "export.csv").read_text().replace(",40,0", ",,0"))
    assert skarvin("write").code == 1
    page = (tmp_path / "report.html").read_text(encoding="utf-8")
    ledger = json.loads((tmp_path / "ledger.json").read_bytes())
    assert ledger["about"] == {"class": "10 <b>", "term": "", "by": "R. Öz"}
    order = ["10 &lt;b&gt; · R. Öz", 'class="verdict', "Left out: ", "Read-back check passed", 'id="decide"']
    order += ['id="totals"', 'class="sign"', 'id="items"', 'id="students"', 'id="coordinator"', "skarvin students"]
    places = [page.index(text) for text in order[:-1]]
    assert places == sorted(places)
    assert page.count('class="sign"') == 1
    assert "skarvin " not in page[: page.index('id="coordinator"')].partition("</style>")[2], "no word of the program"
    said = re.search(r"Left out: ([^<]*)", page)
    assert said
    assert sum(map(int, re.findall(r"(?:^|; )(\d+)", said[1]))) == ledger["fates"]["left out"] > 0


def test_a_spread_is_drawn_where_conversion_changed_it(tmp_path: Path, skarvin: Skarvin) -> None:
    lay_out_class(tmp_path)
    file = tmp_path / "transfer.toml"
    text = file.read_text(encoding="utf-8")
    for out_of, is_drawn in ((100, False), (50, True)):
        edit(tmp_path / "transfer.toml", text, f"{text.partition('[[item]]')[0]}[[item]]\n" + text.split("[[item]]")[1])
        edit(tmp_path / "transfer.toml", "to_out_of = 15", f"to_out_of = {out_of}")
        assert [one.title for one in item_spreads(settle_transfer(tmp_path / "transfer.toml"))] == [
            "Lofting"
        ] * is_drawn
        (tmp_path / "transfer.toml").write_text(text, encoding="utf-8")
    assert skarvin("preview").code in {0, 1}


@pytest.mark.figures
@pytest.mark.parametrize(("marks", "figures"), [(["7", "8"], 0), (["7", ""], 1)])
def test_a_figure_is_drawn_only_where_something_is_to_be_seen(
    tmp_path: Path, skarvin: Skarvin, marks: list[str], figures: int
) -> None:
    """Where all marks have one fate and stay as they are, no shares and no spread are to be seen."""
    export = "".join(f"{number},{mark}\n" for number, mark in enumerate(marks, 1))
    lay_out(tmp_path, f"No,Knots\n{export}", "No,Knots\n1,\n2,\n", '[[item]]\nfrom = "B"\nto = "B"\n')
    assert skarvin("write").code == 0
    assert (tmp_path / "report.html").read_text(encoding="utf-8").count("<figure") == figures
