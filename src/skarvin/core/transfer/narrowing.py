"""Entries of the transfer that say who is moved and who isn't: one that meets nobody is told."""

from pathlib import Path

from skarvin.core.findings import Finding, Place, Refused, listing
from skarvin.core.gradebook import Gradebook
from skarvin.core.plan.lines import find_line
from skarvin.core.plan.plan import StudentsPlan
from skarvin.core.students.identifiers import IdentifierRule

_MEND = "Correct the line: identifiers are compared as [students] says, sections whatever their case."


def check_entries(
    students: StudentsPlan, source: Gradebook, rule: IdentifierRule, where: tuple[Path, str]
) -> tuple[Finding, ...]:
    """Return which entries of `only`, `leave_out` and `only_sections` are nobody's in the export.

    Raises:
        Refused: nobody is left to be moved, because no entry is anybody's.
    """
    file, text = where
    comparable = rule.comparer
    numbers = {comparable(student.identifier) for student in source.students}
    sections = {student.section.casefold(): student.section for student in source.students if student.section}
    unknown = {
        "only": [entry for entry in students.only if comparable(entry) not in numbers],
        "leave_out": [entry for entry in students.leave_out if comparable(entry) not in numbers],
        "only_sections": [entry for entry in students.only_sections if entry.casefold() not in sections],
    }
    found: dict[str, Finding] = {}
    for key, entries in unknown.items():
        if entries:
            isnt = "isn't" if len(entries) == 1 else "aren't"
            what = f"`{key}` lists {listing(entries, 12)}, which {isnt} in the export"
            known = (
                f" (its sections: {listing([*sections.values()], 12)})" if key == "only_sections" and sections else ""
            )
            place = Place(file, line=find_line(text, "students", key))
            found[key] = Finding("entry-of-nobody", what + known, place, _MEND)
    asked = {"only": students.only, "only_sections": students.only_sections}
    if nobody := [found[key] for key, entries in asked.items() if entries and len(unknown[key]) == len(entries)]:
        raise Refused(*nobody)
    return tuple(found.values())
