"""OneRoster over HTTP (1EdTech, 1.1 and 1.2): its paths, its scopes, and its records as those of the CSV files."""

from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from typing import Any, NamedTuple
from urllib.parse import quote

from skarvin.core.findings import Finding, Misused, listing
from skarvin.services.connection import Connection, Declined, Json

Record = dict[str, str]
Tables = dict[str, list[Record]]
_PURL = "https://purl.imsglobal.org/spec/or"
_BASES = {
    "1.1": ("/ims/oneroster/v1p1", "/ims/oneroster/v1p1", "v1p1"),
    "1.2": ("/ims/oneroster/rostering/v1p2", "/ims/oneroster/gradebook/v1p2", "v1p2"),
}
_REFERENCES = {
    "class": "classSourcedId",
    "student": "studentSourcedId",
    "lineItem": "lineItemSourcedId",
    "category": "categorySourcedId",
    "gradingPeriod": "gradingPeriodSourcedId",
    "school": "schoolSourcedId",
    "academicSession": "gradingPeriodSourcedId",
    "course": "courseSourcedId",
    "primaryOrg": "primaryOrgSourcedId",
}
"""How the CSV files call what a record refers to."""
_TYPES = {
    "studentSourcedId": ("student", "user", "/users/"),
    "lineItemSourcedId": ("lineItem", "lineItem", "/lineItems/"),
    "classSourcedId": ("class", "class", "/classes/"),
    "categorySourcedId": ("category", "category", "/categories/"),
    "gradingPeriodSourcedId": ("gradingPeriod", "academicSession", "/academicSessions/"),
    "schoolSourcedId": ("school", "org", "/schools/"),
}
_COMPARED = "sourcedId,lineItem,student,scoreStatus,score,comment"
"""The fields of a result by which it is seen whether somebody changed it."""
_NUMBERS = frozenset({"score", "resultValueMin", "resultValueMax"})
_TRUTHS = frozenset({"inProgress", "incomplete", "late", "missing"})
_MOST = 20


class Paths(NamedTuple):
    """Where a version of the standard has its rosters, and its results."""

    rosters: str
    results: str


def paths_of(version: str) -> Paths:
    """Return the paths of a version."""
    return Paths(*_BASES[version][:2])


def scopes_of(version: str, *, is_sending: bool) -> str:
    """Return the scopes that are asked for."""
    short = _BASES[version][2]
    names = ["roster-core.readonly", "gradebook.readonly"]
    names += ["gradebook.createput", "gradebook.delete"] if is_sending else []
    return " ".join(f"{_PURL}/{short}/scope/{name}" for name in names)


class ClassService:
    """A service that speaks OneRoster, asked over a connection."""

    def __init__(self, connection: Connection, version: str) -> None:
        self._connection, self._paths, self.version = connection, paths_of(version), version

    def pull(self, asked: str) -> Tables:
        """Return a class as the tables of a bundle: users, enrollments, classes, items, results.

        Raises:
            Misused: there is no such class, or there are several.
        """
        school_class = self._find(asked)
        at = f"{self._paths.rosters}/classes/{quoted(school_class['sourcedId'])}"
        there = f"{self._paths.results}/classes/{quoted(school_class['sourcedId'])}"
        users = self._records(f"{at}/students", "users")
        items = self._records(f"{there}/lineItems", "lineItems")
        for item in items:
            item.setdefault("classSourcedId", school_class["sourcedId"])
        return tables_of(school_class, users, items, self._records(f"{there}/results", "results"))

    def now(self, classes: Iterable[str]) -> Iterator[Record]:
        """Yield the results of some classes as they are now."""
        for one in classes:
            at = f"{self._paths.results}/classes/{quoted(one)}/results"
            fields = _COMPARED + (",textScore" if self.version != "1.1" else "")
            try:
                yield from self._records(at, "results", {"fields": fields})
            except Declined:  # whoever can't choose fields gives all
                yield from self._records(at, "results")

    def send(self, kind: str, record: Mapping[str, str]) -> None:
        """Send an item or a result: put in its place, or deleted where its status says so.

        Raises:
            Declined: the service says no.
        """
        at = f"{self._paths.results}/{kind}s/{quoted(record['sourcedId'])}"
        if record.get("status") == "tobedeleted":
            self._connection.delete(at)
        else:
            self._connection.put(at, {kind: as_json(record, self._connection.get_address(), self._paths)})

    def _records(self, path: str, name: str, params: Mapping[str, str] | None = None) -> list[Record]:
        return [as_record(one) for one in self._connection.pages(path, name, params)]

    def _classes(self, asked: str) -> list[Record]:
        """Return the classes that have a title; all of them where none has, or the service can't filter."""
        at = f"{self._paths.rosters}/classes"
        if asked and "'" not in asked:
            with suppress(Declined):
                if found := self._records(at, "classes", {"filter": f"title='{asked.strip()}'"}):
                    return found
        return self._records(at, "classes")

    def _find(self, asked: str) -> Record:
        """Return a class by its sourcedId, its code or its title; the only one there is where none is asked for."""
        known = self._classes(asked)
        found = known if not asked else [one for one in known if one["sourcedId"] == asked.strip()]
        folded, names = asked.strip().casefold(), ("title", "classCode")
        found = found or [one for one in known if folded in {one.get(name, "").casefold() for name in names}]
        if len(found) == 1:
            return found[0]
        there = [f"'{one.get('title', '')}' ({one['sourcedId']})" for one in found or known]
        what = f"{len(found)} classes are called '{asked}'" if found and asked else f"there is no class '{asked}'"
        what = what if asked else f"there are {len(known)} classes"
        raise Misused(Finding("no-such-class", what, None, f"Name one with --class: {listing(there, _MOST)}."))


def tables_of(
    school_class: Record,
    users: Sequence[Record],
    items: Sequence[Record],
    results: Sequence[Record],
    others: Container[str] = (),
) -> Tables:
    """Return a class as the tables of a bundle; `others` are the users who aren't its students."""
    enrolled = [
        {
            "sourcedId": f"{school_class['sourcedId']}:{user['sourcedId']}",
            "classSourcedId": school_class["sourcedId"],
            "userSourcedId": user["sourcedId"],
            "role": "teacher" if user["sourcedId"] in others else "student",
        }
        for user in users
    ]
    plain = {"status": "", "dateLastModified": ""}
    named = {"users": users, "enrollments": enrolled, "classes": [school_class], "lineItems": items, "results": results}
    return {name: [{**record, **plain} for record in rows] for name, rows in named.items()}


def as_record(data: Json) -> Record:
    """Return a record of an answer as one of the CSV files."""
    found: Record = {}
    for name, value in data.items():
        if isinstance(value, dict) and name in _REFERENCES:
            found[_REFERENCES[name]] = str(value.get("sourcedId", ""))
        elif name == "userIds" and isinstance(value, list):
            pairs = [(one.get("type"), one.get("identifier")) for one in value if isinstance(one, dict)]
            found[name] = ",".join(f"{{{kind}:{text}}}" for kind, text in pairs)
        elif isinstance(value, bool):
            found[name] = str(value).lower()
        elif isinstance(value, str | int | float):
            found[name] = _text(value)
        elif isinstance(value, list) and all(isinstance(one, str) for one in value):
            found[name] = ",".join(value)
    found.setdefault("sourcedId", "")
    return found


def _text(value: str | float) -> str:
    """Return a value as text; a whole number without decimals."""
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


def as_json(record: Mapping[str, str], address: str, paths: Paths) -> Json:
    """Return a record of the CSV files as the standard sends it; what is blank isn't sent."""
    found: Json = {}
    for name, text in record.items():
        if name in _TYPES and text:
            called, kind, path = _TYPES[name]
            base = paths.results if called in {"lineItem", "category"} else paths.rosters
            found[called] = {"href": f"{address}{base}{path}{quoted(text)}", "sourcedId": text, "type": kind}
        elif text or name == "comment":
            found[name] = _value(name, text)
    return found


def _value(name: str, text: str) -> Any:  # noqa: ANN401 - a number, a truth or a text
    if name in _NUMBERS:
        number = float(text)
        return int(number) if number.is_integer() else number
    return text == "true" if name in _TRUTHS else text


def quoted(sourced_id: str) -> str:
    """Return a sourcedId as a part of a path: whatever stands in it, it leads nowhere else."""
    return quote(sourced_id, safe="").replace(".", "%2E") if set(sourced_id) <= {"."} else quote(sourced_id, safe="")
