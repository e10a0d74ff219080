"""Writes a bundle of OneRoster CSV: `manifest.csv`, and tables with the headings of the standard."""

import csv
import io
import zipfile
from collections.abc import Mapping, Sequence
from datetime import datetime

Record = Mapping[str, str]
_FIRST = "sourcedId status dateLastModified"
_HEADINGS = {
    "users": "enabledUser orgSourcedIds role username userIds givenName familyName middleName identifier email sms "
    "phone agentSourcedIds grades password",
    "classes": "title grades courseSourcedId classCode classType location schoolSourcedId termSourcedIds subjects "
    "subjectCodes periods",
    "enrollments": "classSourcedId schoolSourcedId userSourcedId role primary beginDate endDate",
    "lineItems": "title description assignDate dueDate classSourcedId categorySourcedId gradingPeriodSourcedId "
    "resultValueMin resultValueMax",
    "results": "lineItemSourcedId studentSourcedId scoreStatus score scoreDate comment",
}
_OF_1_2 = {
    "users": "enabledUser username userIds givenName familyName middleName identifier email sms phone agentSourcedIds "
    "grades password userMasterIdentifier resourceSourcedIds preferredGivenName preferredMiddleName "
    "preferredFamilyName primaryOrgSourcedId pronouns",
    "lineItems": f"{_HEADINGS['lineItems']} schoolSourcedId",
    "results": f"{_HEADINGS['results']} textScore classSourcedId inProgress incomplete late missing",
}
_FILES = {
    "1.1": "academicSessions categories classes classResources courses courseResources demographics enrollments "
    "lineItems orgs resources results users",
    "1.2": "academicSessions categories classes classResources courses courseResources demographics enrollments "
    "lineItems lineItemLearningObjectiveIds lineItemScoreScales orgs resources resultLearningObjectiveIds "
    "resultScoreScales results roles scoreScales userProfiles userResources users",
}
"""Those that a manifest names."""


def bundle_bytes(  # noqa: PLR0913 - what a bundle is made of
    version: str,
    tables: Mapping[str, Sequence[Record]],
    moment: datetime,
    *,
    is_delta: bool = False,
    headings: Mapping[str, Sequence[str]] | None = None,
    source: str = "Skarvin",
) -> bytes:
    """Return an archive with a bundle.

    Args:
        version: of the standard.
        tables: the records of each file.
        moment: when it is made.
        is_delta: whether its files have only what changes.
        headings: for files of which they are known, the headings in their order; what is missing stands behind.
        source: the name of the system that it is from.
    """
    mode = "delta" if is_delta else "bulk"
    lines = [("propertyName", "value"), ("manifest.version", "1.0"), ("oneroster.version", version)]
    lines += [(f"file.{name}", mode if name in tables else "absent") for name in _FILES[version].split()]
    texts = {"manifest": _csv([*lines, ("source.systemName", source)])}
    for name, records in tables.items():
        heads = [*(headings or {}).get(name, ())]
        heads += [head for head in usual_headings(version, name) if head not in heads]
        texts[name] = _csv([heads, *([record.get(head, "") for head in heads] for record in records)])
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w") as archive:
        for name, text in texts.items():
            entry = zipfile.ZipInfo(f"{name}.csv", moment.timetuple()[:6])
            entry.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(entry, text)
    return data.getvalue()


def usual_headings(version: str, name: str) -> list[str]:
    """Return the headings of a file by the standard."""
    more = _OF_1_2.get(name, _HEADINGS[name]) if version != "1.1" else _HEADINGS[name]
    return f"{_FIRST} {more}".split()


def _csv(rows: Sequence[Sequence[str]]) -> str:
    text = io.StringIO(newline="")
    csv.writer(text).writerows(rows)
    return text.getvalue()
