"""A column of days is compared alike in whatever way it is written, and slips keep their places."""

from collections.abc import Callable
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import Skarvin
from skarvin.core.texts.days import as_far_as_both, comparable_days, is_day_together

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
WAYS: dict[str, Callable[[date], str]] = {
    "2004-11-26": lambda day: f"{day:%Y-%m-%d}",
    "2004/11/26 00:00": lambda day: f"{day:%Y/%m/%d} 00:00",
    "20041126": lambda day: f"{day:%Y%m%d}",
    "26112004": lambda day: f"{day:%d%m%Y}",
    "041126": lambda day: f"{day:%y%m%d}",
    "26.11.2004": lambda day: f"{day:%d.%m.%Y}",
    "26/11/04": lambda day: f"{day:%d/%m/%y}",
    "11/26/2004": lambda day: f"{day:%m/%d/%Y}",
    "26 Nov 2004": lambda day: f"{day.day} {MONTHS[day.month - 1]} {day.year}",
    "Nov 26, 2004": lambda day: f"{MONTHS[day.month - 1]} {day.day}, {day.year}",
}
"""Ways in which a school writes days; the months by hand, since what the platform gives depends on its language."""
SHORT = {"041126", "26/11/04"}
days = st.lists(st.dates(date(1931, 1, 1), date(2019, 12, 31)), min_size=1, max_size=12)


@given(days, st.sampled_from(sorted(WAYS)))
def test_days_are_compared_alike_in_whatever_way_a_column_has_them(some: list[date], way: str) -> None:
    plain = [*some, date(2004, 11, 26), date(2005, 12, 30), date(1999, 1, 31), date(2013, 2, 28)]
    assert comparable_days([WAYS[way](day) for day in plain]) == [
        f"{day:{'%y' if way in SHORT else '%Y'}-%m-%d}" for day in plain
    ]


@given(days)
def test_where_day_and_month_cannot_be_told_a_day_stays_as_it_stands(some: list[date]) -> None:
    unclear = [f"{day.day % 12 + 1:02}/{day.month:02}/{day.year}" for day in some]
    assert comparable_days([*unclear, "", "x"]) == [*unclear, "", "x"]
    assert comparable_days([*unclear, "13/12/2004"])[0] != unclear[0]


@pytest.mark.parametrize(
    ("text", "told"),
    [("20041231", 1), ("20041331", 0), ("31122004", 1), ("20043112", 0), ("18991231", 0), ("311204", 1), ("041231", 1),
     ("321304", 0), ("19000101", 1), ("20000100", 0), ("2004123", 0), ("4444", 0), ("", 0)],
)  # fmt: skip
def test_which_run_of_digits_may_be_a_day(text: str, told: int) -> None:
    assert is_day_together(text) == bool(told)


def test_days_are_compared_as_far_as_both_say_them() -> None:
    assert as_far_as_both("04-11-26", "2004-11-26") == ("04-11-26", "04-11-26")
    assert as_far_as_both("2004-11-26", "1904-11-26") == ("2004-11-26", "1904-11-26")
    assert as_far_as_both("26/11", "2004-11-26") == ("26/11", "04-11-26")


def test_a_slip_keeps_its_place() -> None:
    assert comparable_days(["26/11/2004", "26/45/2004", "30.12.05"]) == ["2004-11-26", "2004-45-26", "05-12-30"]
    assert comparable_days(["20041126", "20049926"]) == ["2004-11-26", "2004-99-26"]
    assert comparable_days(["26 Nov 2004", "26 45 2004"]) == ["2004-11-26", "2004-45-26"]
    assert comparable_days(["Nov 26, 2004", "4/5/2004"]) == ["2004-11-26", "2004-04-05"]


@pytest.mark.parametrize("way", sorted(WAYS))
def test_students_of_equal_names_are_told_by_days_in_whatever_way_both_files_write_them(
    tmp_path: Path, skarvin: Skarvin, way: str
) -> None:
    born = [date(2004, 11, 26), date(2005, 12, 30), date(2004, 1, 31), date(2003, 2, 28), date(2005, 7, 19)]
    names = ["Ana Silva", "Ana Silva", "Bo Larsen", "Chidi Obi", "Dita Novak"]
    lines = [f'{name},"{WAYS[way](day)}",{place}' for place, (name, day) in enumerate(zip(names, born, strict=True), 3)]
    (tmp_path / "export.csv").write_text("Name,Date of birth,Knots\n" + "\n".join(lines) + "\n", encoding="utf-8")
    form = [f"{name},{day:%Y-%m-%d},\n" for name, day in reversed(list(zip(names, born, strict=True)))]
    (tmp_path / "form.csv").write_text("Student,Born,Knots\n" + "".join(form), encoding="utf-8")
    drafted = skarvin("draft", "export.csv", "form.csv", "--use", "Knots=item", "--form-use", "Born=birth date")
    assert drafted.code == 0, drafted.err
    assert skarvin("write").code in {0, 1}
    written = (tmp_path / "form-import.csv").read_text(encoding="utf-8-sig").split()
    assert [line.rpartition(",")[2] for line in written[1:] if "," in line] == ["7", "6", "5", "4", "3"]


@pytest.mark.parametrize(
    ("ours", "theirs", "numbers", "is_paired"),
    [
        ("2004-11-26", "2004-11-26", "", True), ("2004-11-26", "", "", True), ("", "2004-11-26", "", True),
        ("", "", "", True), ("2004-11-26", "2003-02-28", "", False), ("2004-11-26", "2004-11-26", "Id", True),
        ("2004-11-26", "", "Id", False), ("", "", "Id", False),
    ],
)  # fmt: skip
def test_a_full_name_pairs_where_nothing_could_back_it_and_nothing_speaks_against_it(  # noqa: PLR0913 - a table
    tmp_path: Path, skarvin: Skarvin, ours: str, theirs: str, numbers: str, is_paired: bool
) -> None:
    others = [("Bo Larsen", "2003-02-03", "71"), ("Chidi Obi", "2003-05-06", "72"), ("Dita Novak", "2004-07-08", "73")]

    def table(born: str, mark: str) -> str:
        rows = [*others, ("Ana Silva", born, "")]
        head = f"{numbers and 'Id,'}Student,Birth date,Knots\n"
        return head + "".join(f"{number + ',' if numbers else ''}{who},{day},{mark}\n" for who, day, number in rows)

    (tmp_path / "export.csv").write_text(table(ours, "7"), encoding="utf-8")
    (tmp_path / "form.csv").write_text(table(theirs, ""), encoding="utf-8")
    assert skarvin("draft", "export.csv", "form.csv", "--use", "Knots=item").code == 0
    assert skarvin("write").code == int(not is_paired)
    sent = (tmp_path / "form-import.csv").read_text(encoding="utf-8-sig").split()
    assert sum(line.endswith(",7") for line in sent) == 3 + is_paired
