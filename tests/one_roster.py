"""Bundles of OneRoster CSV for tests: written by the standard, and judged by it, without a line of the program's."""

import csv
import io
import re
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path

FIRST = ("sourcedId", "status", "dateLastModified")
HEADINGS: dict[str, dict[str, str]] = {
    "1.1": {
        "orgs": "name type identifier parentSourcedId",
        "academicSessions": "title type startDate endDate parentSourcedId schoolYear",
        "courses": "schoolYearSourcedId title courseCode grades orgSourcedId subjects subjectCodes",
        "classes": "title grades courseSourcedId classCode classType location schoolSourcedId termSourcedIds subjects "
        "subjectCodes periods",
        "users": "enabledUser orgSourcedIds role username userIds givenName familyName middleName identifier email sms "
        "phone agentSourcedIds grades password",
        "enrollments": "classSourcedId schoolSourcedId userSourcedId role primary beginDate endDate",
        "categories": "title",
        "lineItems": "title description assignDate dueDate classSourcedId categorySourcedId gradingPeriodSourcedId "
        "resultValueMin resultValueMax",
        "results": "lineItemSourcedId studentSourcedId scoreStatus score scoreDate comment",
    }
}
HEADINGS["1.2"] = HEADINGS["1.1"] | {
    "users": "enabledUser username userIds givenName familyName middleName identifier email sms phone agentSourcedIds "
    "grades password userMasterIdentifier resourceSourcedIds preferredGivenName preferredMiddleName "
    "preferredFamilyName primaryOrgSourcedId pronouns",
    "roles": "userSourcedId roleType role beginDate endDate orgSourcedId userProfileSourcedId",
    "categories": "title weight",
    "lineItems": HEADINGS["1.1"]["lineItems"] + " schoolSourcedId",
    "results": HEADINGS["1.1"]["results"] + " textScore classSourcedId inProgress incomplete late missing",
}
STATUSES = {"exempt", "fully graded", "not submitted", "partially graded", "submitted"}
MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d\.\d{3}Z")
Rows = Sequence[Mapping[str, str]]


def headings(version: str, name: str) -> list[str]:
    """Return the headings of a file."""
    return [*FIRST, *HEADINGS[version][name].split()]


def bundle_texts(tables: Mapping[str, Rows], version: str = "1.1", mode: str = "bulk") -> dict[str, str]:
    """Return the texts of a bundle's files by their names."""
    found = {
        f"{name}.csv": _text([headings(version, name), *_cells(version, name, rows)]) for name, rows in tables.items()
    }
    lines = [["propertyName", "value"], ["manifest.version", "1.0"], ["oneroster.version", version]]
    lines += [[f"file.{name}", mode if name in tables else "absent"] for name in HEADINGS[version]]
    return {"manifest.csv": _text([*lines, ["source.systemName", "Tidewrack"]]), **found}


def _cells(version: str, name: str, rows: Rows) -> list[list[str]]:
    return [[row.get(head, "") for head in headings(version, name)] for row in rows]


def _text(rows: Sequence[Sequence[str]]) -> str:
    text = io.StringIO()
    csv.writer(text).writerows(rows)
    return text.getvalue()


def put_bundle(path: Path, texts: Mapping[str, str | bytes]) -> Path:
    """Write a bundle as an archive, or as a folder where its name has no ending."""
    data = {name: text.encode() if isinstance(text, str) else text for name, text in texts.items()}
    if path.suffix:
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in data.items():
                archive.writestr(name, content)
        return path
    path.mkdir()
    for name, content in data.items():
        (path / name).write_bytes(content)
    return path


def read_bundle(path: Path) -> dict[str, list[dict[str, str]]]:
    """Return the records of each file of a bundle."""
    with zipfile.ZipFile(path) as archive:
        texts = {name: archive.read(name).decode() for name in archive.namelist()}
    return {name.removesuffix(".csv"): [*csv.DictReader(io.StringIO(text, newline=""))] for name, text in texts.items()}


def taken_in(target: Mapping[str, str], bundle: Path) -> dict[str, str]:
    """Return a target's bundle after it took another one in, as the standard has it."""
    tables = read_bundle(bundle)
    manifest = {row["propertyName"]: row["value"] for row in tables.pop("manifest")}
    texts = dict(target)
    for name, rows in tables.items():
        text = texts.get(f"{name}.csv", _text([headings(manifest["oneroster.version"], name)]))
        heads, *old = csv.reader(io.StringIO(text, newline=""))
        is_bulk = manifest[f"file.{name}"] == "bulk"
        known = {} if is_bulk else {cells[0]: dict(zip(heads, cells, strict=True)) for cells in old}
        for row in rows:
            if row["status"] == "tobedeleted":
                known.pop(row["sourcedId"])
            else:
                known[row["sourcedId"]] = {**row, "status": "", "dateLastModified": ""}
        texts[f"{name}.csv"] = _text([heads, *([row[head] for head in heads] for row in known.values())])
    return texts


def faults_of(path: Path, known: Sequence[str] = ()) -> list[str]:
    """Return what in a bundle isn't as the standard has it; `known` are the items that the target has."""
    tables = read_bundle(path)
    manifest = {row["propertyName"]: row["value"] for row in tables.pop("manifest")}
    version = manifest["oneroster.version"]
    faults = [] if manifest["manifest.version"] == "1.0" else ["manifest.version"]
    for name in HEADINGS[version]:
        mode = manifest[f"file.{name}"]
        faults += [f"{name}: {mode}"] if (mode == "absent") == (name in tables) else []
        ids = [row["sourcedId"] for row in tables.get(name, [])]
        faults += [f"{name}: sourcedId twice"] if len(set(ids)) < len(ids) else []
        faults += [f"{name}: sourcedId '{one}'" for one in ids if not 0 < len(one) <= 255]
        for row in tables.get(name, []):
            faults += [f"{name}: {list(row)}"] if list(row) != headings(version, name) else []
            told = (row["status"], row["dateLastModified"])
            is_right = told == ("", "") if mode == "bulk" else told[0] in {"active", "tobedeleted"}
            faults += [] if is_right and (mode == "bulk" or MOMENT.fullmatch(told[1])) else [f"{name}: {told}"]
    items = {row["sourcedId"] for row in tables.get("lineItems", [])} | set(known)
    for row in tables.get("results", []):
        faults += [f"status '{row['scoreStatus']}'"] if row["scoreStatus"] not in STATUSES else []
        faults += [f"score '{row['score']}'"] if not re.fullmatch(r"(\d+(\.\d+)?)?", row["score"]) else []
        faults += [f"day '{row['scoreDate']}'"] if not re.fullmatch(r"\d{4}-\d\d-\d\d", row["scoreDate"]) else []
        faults += [f"item '{row['lineItemSourcedId']}'"] if items and row["lineItemSourcedId"] not in items else []
    for row in tables.get("lineItems", []):
        dates = (row["assignDate"], row["dueDate"])
        faults += [f"dates {dates}"] if not all(re.fullmatch(r"\d{4}-\d\d-\d\d", one) for one in dates) else []
        for bound in (row["resultValueMin"], row["resultValueMax"]):
            faults += [] if re.fullmatch(r"\d+(\.\d+)?", bound) else [f"bound '{bound}'"]
    return faults
