"""Which export goes to which form."""

from pathlib import Path

import pytest

from skarvin.core.plan.drafting.class_files import ClassFile, fit_files

NONE = "no form has its students, and none alone is named like it"
ALIKE = "named alike, and several have its students"


def of(name: str, numbers: str = "", keys: str = "", sheet: str | None = None) -> ClassFile:
    return ClassFile(Path(name), sheet, (frozenset(numbers), frozenset(keys)), frozenset(), frozenset())


@pytest.mark.parametrize(
    ("forms", "chosen", "because"),
    [
        ([of("a.csv", "1234", "wxyz"), of("b.csv", "56")], 0, "4 students in both"),
        ([of("a.csv", "12567890"), of("b.csv", "56")], 0, "2 students in both"),
        ([of("a.csv", "1567"), of("b.csv", "56")], None, NONE),
        ([of("a.csv", "1234"), of("b.csv", "1567")], 0, "4 students in both"),
        ([of("a.csv", "1234"), of("b.csv", "1256")], None, "its students are in a.csv and b.csv"),
        ([of("a.csv", "1234"), of("keel.csv", "1256")], 1, ALIKE),
        ([of("keel.csv", "1234"), of("keel.xlsx", "1256")], None, "its students are in keel.csv and keel.xlsx"),
        ([of("all.zip", "1234", sheet="Keel"), of("all.zip", "1256", sheet="Mast")], 0, ALIKE),
        ([of("keel.csv", "7"), of("mast.csv", "8")], 0, "named alike"),
    ],
)
def test_a_class_goes_where_its_students_are_or_where_one_alone_is_named_like_it(
    forms: list[ClassFile], chosen: int | None, because: str
) -> None:
    (fit,) = fit_files([of("keel.csv", "1234", "wxyz")], forms)
    assert fit.form == (None if chosen is None else forms[chosen])
    assert fit.because == because
