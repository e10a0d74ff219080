"""LTI over HTTP (1EdTech): Assignment and Grade Services 2.0, Names and Role Provisioning Services 2.0.

A course comes as the tables of a bundle of OneRoster, in which an item is called by its address, a person by the id
that the platform gives. A score is no record that can be put in its place: one that is sent later takes the place of
those before, so that it may be sent again.
"""

from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime, timedelta
from urllib.parse import urlsplit, urlunsplit

from skarvin.services.connection import Connection, Declined, Json
from skarvin.services.one_roster_rest import Record, Tables, tables_of
from skarvin.services.services_file import Service

_AGS, _NRPS = "https://purl.imsglobal.org/spec/lti-ags/scope", "https://purl.imsglobal.org/spec/lti-nrps/scope"
_READ = (f"{_AGS}/lineitem.readonly", f"{_AGS}/result.readonly", f"{_NRPS}/contextmembership.readonly")
_SEND = (f"{_AGS}/lineitem", f"{_AGS}/score")
_MEMBERS = "application/vnd.ims.lti-nrps.v2.membershipcontainer+json"
_ITEMS, _ITEM = "application/vnd.ims.lis.v2.lineitemcontainer+json", "application/vnd.ims.lis.v2.lineitem+json"
_RESULTS, _SCORE = "application/vnd.ims.lis.v2.resultcontainer+json", "application/vnd.ims.lis.v1.score+json"
_PROGRESS = {
    "fully graded": ("Completed", "FullyGraded"),
    "partially graded": ("Submitted", "Pending"),
    "submitted": ("Submitted", "Pending"),
    "not submitted": ("Initialized", "NotReady"),
}
"""How a state of OneRoster is said: the activity's progress, and the grading's."""
_CANNOT = 422
_LIMIT = {"limit": "500"}


def lti_scopes(*, is_sending: bool) -> str:
    """Return the scopes that are asked for."""
    return " ".join([*_READ, *(_SEND if is_sending else ())])


class CourseService:
    """A platform that speaks LTI, asked over a connection."""

    version = "1.2"

    def __init__(self, connection: Connection, service: Service) -> None:
        self._connection, self._service = connection, service
        self._most: dict[str, str] = {}
        self._made: dict[str, str] = {}
        self._last = datetime.min.replace(tzinfo=UTC)

    def pull(self, asked: str) -> Tables:  # noqa: ARG002 - an address is that of one course
        """Return the course as the tables of a bundle."""
        users, others = [], set()
        for member in self._connection.listed(self._service.members, "members", "user_id", _LIMIT, _MEMBERS):
            user = _user(member)
            users.append(user)
            if not _is_learner(member):
                others.add(user["sourcedId"])
        course = {"sourcedId": self._service.items, "title": "course", "classType": "scheduled"}
        items = self._items()
        return tables_of(course, users, items, [*self._results(items)], others)

    def now(self, classes: Iterable[str]) -> Iterator[Record]:  # noqa: ARG002 - as above
        """Yield the results as they are now."""
        for result in self._results(self._items()):
            yield result
            for own in self._own_names(result["lineItemSourcedId"]):
                yield {**result, "lineItemSourcedId": own}

    def _own_names(self, item: str) -> list[str]:
        """Return what an item is called that was declared from here."""
        return [own for own, made in self._made.items() if made == item]

    def send(self, kind: str, record: Mapping[str, str]) -> None:
        """Send an item, or a score.

        Raises:
            Declined: the platform says no, or a score can't say this.
        """
        if kind == "lineItem":
            self._send_item(record)
        else:
            self._send_score(record)

    def _items(self) -> list[Record]:
        found = []
        for one in self._connection.listed(self._service.items, "", "id", _LIMIT, _ITEMS):
            item = {
                "sourcedId": str(one.get("id", "")),
                "title": str(one.get("label", "")),
                "classSourcedId": self._service.items,
                "resultValueMin": "0",
                "resultValueMax": _text(one.get("scoreMaximum", "")),
            }
            self._most[item["sourcedId"]] = item["resultValueMax"]
            if made := one.get("resourceId"):
                self._made[str(made)] = item["sourcedId"]
            found.append(item)
        return found

    def _results(self, items: Iterable[Record]) -> Iterator[Record]:
        for item in items:
            url = _below(item["sourcedId"], "results")
            for one in self._connection.listed(url, "", "userId", _LIMIT, _RESULTS):
                score = _rescaled(one, item["resultValueMax"])
                yield {
                    "sourcedId": _name(item["sourcedId"], str(one.get("userId", ""))),
                    "lineItemSourcedId": item["sourcedId"],
                    "studentSourcedId": str(one.get("userId", "")),
                    "scoreStatus": "fully graded" if score else "not submitted",
                    "score": score,
                    "comment": str(one.get("comment") or ""),
                    "classSourcedId": self._service.items,
                }

    def _send_item(self, record: Mapping[str, str]) -> None:
        """Declare an item, unless it is there: it is known by the id that was chosen for it."""
        if not self._made:
            self._items()
        at = self._made.get(record["sourcedId"])
        if record.get("status") == "tobedeleted":
            if at:
                self._connection.ask("DELETE", at, kind=_ITEM)
            return
        if at is None:
            said = {
                "label": record["title"],
                "scoreMaximum": float(record["resultValueMax"]),
                "resourceId": record["sourcedId"],
            }
            answer = self._connection.ask("POST", self._service.items, data=lambda: said, kind=_ITEM)
            self._made[record["sourcedId"]] = at = str(answer.data.get("id", ""))
        self._most[at] = record["resultValueMax"]

    def _send_score(self, record: Mapping[str, str]) -> None:
        if not self._most:
            self._items()
        item = self._made.get(record["lineItemSourcedId"], record["lineItemSourcedId"])
        is_gone = record.get("status") == "tobedeleted"
        if is_gone and item not in self._most:
            return  # its item is gone, and it with it
        status = "not submitted" if is_gone else record["scoreStatus"]
        if status not in _PROGRESS or record.get("textScore"):
            raise Declined(_CANNOT, f"LTI has no score that says '{record.get('textScore') or status}'")
        activity, grading = _PROGRESS[status]
        said: Json = {"userId": record["studentSourcedId"], "activityProgress": activity, "gradingProgress": grading}
        if record["score"] and not is_gone:
            said |= {"scoreGiven": float(record["score"]), "scoreMaximum": float(self._most.get(item) or 100)}
        if record.get("comment") and not is_gone:
            said["comment"] = record["comment"]
        url = _below(item, "scores")
        self._connection.ask("POST", url, data=lambda: said | {"timestamp": self._moment()}, kind=_SCORE)

    def _moment(self) -> str:
        """Return a moment later than any that was sent before."""
        self._last = max(datetime.now(UTC), self._last + timedelta(milliseconds=1))
        return self._last.isoformat(timespec="milliseconds").replace("+00:00", "Z")


def _user(member: Json) -> Record:
    family, given = (str(member.get(name) or "") for name in ("family_name", "given_name"))
    if not family and not given:
        given, _, family = str(member.get("name") or "").rpartition(" ")
    return {
        "sourcedId": str(member.get("user_id", "")),
        "enabledUser": str(member.get("status", "Active") == "Active").lower(),
        "givenName": given,
        "familyName": family,
        "identifier": str(member.get("lis_person_sourcedid") or ""),
        "email": str(member.get("email") or ""),
    }


def _is_learner(member: Json) -> bool:
    roles = member.get("roles")
    return any(
        str(one).rpartition("#")[2] in {"Learner", "Student"} for one in (roles if isinstance(roles, list) else [])
    )


def _below(item: str, what: str) -> str:
    """Return the address of what an item has: its path goes on, whatever it is asked with stays."""
    parts = urlsplit(item)
    return urlunsplit(parts._replace(path=f"{parts.path.rstrip('/')}/{what}"))


def _rescaled(result: Json, most: str) -> str:
    """Return a result's score out of its item's maximum."""
    score, own = result.get("resultScore"), result.get("resultMaximum") or most
    if score is None:
        return ""
    number = float(score)
    if own and most and float(own) != float(most):
        number = number * float(most) / float(own)
    return _text(number)


def _text(value: object) -> str:
    return str(int(value)) if isinstance(value, float) and value.is_integer() else str(value)


def _name(item: str, user: str) -> str:
    return f"{user}@{item}"
