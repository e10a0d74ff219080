"""Small tables of words: names, kinds of marks, dates, lines of a plan, masks."""

from pathlib import Path

import pytest

from rows import row
from skarvin.core.gradebook import Student
from skarvin.core.grid.read import read_grid
from skarvin.core.layout.recognise import recognise
from skarvin.core.layout.restoring import restore
from skarvin.core.plan.lines import find_line
from skarvin.core.students.crosswalk import chain, make_crosswalk
from skarvin.core.students.evidence import Surroundings
from skarvin.core.students.identifiers import IdentifierRule
from skarvin.core.texts.mark_kinds import Kind, kind_of_mark
from skarvin.core.texts.moments import read_moment
from skarvin.core.texts.names import name_key, spread_key, words
from skarvin.reports import mask as masks

PLAN = """\
version = 1
[source]
file = "a"   # [target]
[[item]]
from = "x"
[[item]]
# to = "no"
"to" = "y"
[ marks ]
blank = "leave"
"""


@pytest.mark.parametrize(
    ("name", "folded"),
    [
        ("Ó Murchú, Síle", ("omurchu", "sile")),
        ("SØRENSEN Bjørk", ("sorensen", "bjork")),
        ("Weiß, Łucja", ("weiss", "lucja")),
        ("Þórr İnci ırmak", ("thorr", "inci", "irmak")),
        ("Mac Leod, Eilidh", ("macleod", "eilidh")),
        ("Nguyễn Thị Hương", ("nguyen", "thi", "huong")),
        ("  ", ()),
    ],
)
def test_a_name_is_folded_to_its_words(name: str, folded: tuple[str, ...]) -> None:
    assert words(name) == folded


def test_an_umlaut_may_be_written_as_two_letters() -> None:
    assert spread_key("Müller, Jörg") == name_key("Joerg Mueller")
    assert name_key("Müller") != name_key("Mueller")


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        *(("17", Kind.POINTS), ("17,5", Kind.POINTS), ("25/40", Kind.POINTS), ("62.5 %", Kind.PERCENT)),
        *(("B+", Kind.LETTER), ("merit", Kind.WORD), ("absent", Kind.STATUS), ("-", Kind.DASH), (" ", Kind.BLANK)),
        *(("see the note", Kind.TEXT), ("2026-03-04", Kind.TEXT), ("1O", Kind.TEXT), ("Sehrgut", Kind.WORD)),
    ],
)
def test_a_marks_kind_is_told_by_its_text(text: str, kind: Kind) -> None:
    assert kind_of_mark(text) is kind


@pytest.mark.parametrize(
    ("text", "moment"),
    [
        ("2026-03-04", "2026-03-04T00:00:00"),
        ("2026-03-04 05:06", "2026-03-04T05:06:00"),
        ("4.3.2026", "2026-03-04T00:00:00"),
        ("4.3.2026, 5:06", "2026-03-04T05:06:00"),
        ("3/4/2026", None),
        ("31.2.2026", None),
        ("", None),
    ],
)
def test_a_date_is_read_only_where_it_can_mean_one_day(text: str, moment: str | None) -> None:
    found = read_moment(text)
    assert (found.isoformat() if found else None) == moment


@pytest.mark.parametrize(
    ("table", "key", "index", "line"),
    [
        (None, "version", 0, 1),
        ("source", "file", 0, 3),
        ("item", "from", 0, 5),
        ("item", "to", 1, 8),
        ("item", None, 1, 6),
        ("item", "to", 0, 4),
        ("marks", "blank", 0, 10),
        ("target", "file", 0, None),
    ],
)
def test_a_line_of_a_plan_is_found(table: str | None, key: str | None, index: int, line: int | None) -> None:
    assert find_line(PLAN, table, key, index) == line


@pytest.mark.parametrize(
    ("text", "restored", "count"),
    [
        *(("104.0", "104", 1), ("104.00 ", "104", 1), ("10.40", "10.40", 0), ("007", "007", 0), ("120", "120", 0)),
        *(("10\u200b4", "104", 1), ("1\u00a004", "1 04", 1), ("\ufeff104.0", "104", 2), ("Łuk", "Łuk", 0)),
    ],
)
def test_an_identifier_is_restored_only_where_that_is_certain(text: str, restored: str, count: int) -> None:
    found, done = restore(text)
    assert (found.strip(), len(done)) == (restored, count)


def test_a_crosswalk_is_one_to_one_or_unclear() -> None:
    rule = IdentifierRule(ignore_case=True)
    first = make_crosswalk([("a", "1"), ("A ", "1"), ("b", "2"), ("b", "3"), ("c", "4"), ("d", "4"), ("e", "")], rule)
    assert (dict(first.known), set(first.unclear)) == ({"a": "1"}, {"b", "c", "d"})
    whole = chain([first, make_crosswalk([("1", "x"), ("9", "y")], rule)], rule)
    assert whole is not None
    assert dict(whole.known) == {"a": "x"}
    assert chain([], rule) is None


@pytest.mark.parametrize(
    ("one", "other", "says"),
    [
        (("Keel", ""), ("Mast", ""), "another section"),
        (("Keel", ""), ("keel", ""), ""),
        (("Keel", ""), ("1A", ""), ""),
        (("", "4.3.2008"), ("", "2008-03-04"), ""),
        (("", "4.3.2008"), ("", "2008-03-05"), "another birth date"),
        (("", ""), ("", "2008-03-05"), ""),
    ],
)
def test_sections_and_birth_dates_speak_against_a_pair_only_where_both_sides_know_them(
    one: tuple[str, str], other: tuple[str, str], says: str
) -> None:
    everyone = [Student(row(90), "x", "", "Keel"), Student(row(91), "y", "", "Mast")]
    surroundings = Surroundings(everyone, everyone)
    found = surroundings.contradiction(Student(row(1), "", "", *one), Student(row(2), "", "", *other))
    assert found.startswith(says) if says else not found


def test_a_mask_is_stable_for_its_owner_and_another_for_everybody_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    seen = []
    for user in ("one", "two"):
        monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / user))
        masks._key.cache_clear()  # noqa: SLF001
        seen.append((masks.mask("0012"), masks.mask(" 0012"), masks.mask("0013"), masks.mask("")))
    masks._key.cache_clear()  # noqa: SLF001
    assert seen[0][0] == seen[0][1] != seen[0][2]
    assert seen[0][0] != seen[1][0]
    assert seen[0][3] == ""
    assert (tmp_path / "one" / "skarvin" / "mask-key").stat().st_mode & 0o777 == 0o600


def test_ragged_rows_are_faults_and_lines_of_text_are_none(tmp_path: Path) -> None:
    (tmp_path / "x.csv").write_text("No,Knots,Loft\n1,2,3\n2,3\nSigned,,\nend\n3,4,5,\n4,5,6,7\n")
    layout = recognise(read_grid(tmp_path / "x.csv"))
    assert [finding.place.row_number for finding in layout.faults if finding.place] == [3, 7]
