"""A stand-in for a service that speaks OneRoster 1.1 and 1.2, on this machine alone: Tidewrack's classes, in memory.

Faults are made where they are asked for: `fail` says which, `every` how often. It is for trying out and for tests, and
keeps no secret.
"""

import json
import random
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, ClassVar
from urllib.parse import parse_qs, unquote, urlsplit

CLIENT, SECRET = "skarvin", "tidewrack"
_PATHS = ("/lti", "/ims/oneroster/v1p1", "/ims/oneroster/rostering/v1p2", "/ims/oneroster/gradebook/v1p2")
_PLURALS = {"results": "result", "lineItems": "lineItem", "classes": "class"}
_SLOW = 0.2
Json = dict[str, Any]


class School:
    """What a service knows: classes, their students, items and results; and how often each was written."""

    def __init__(self, classes: Sequence[Json], students: Mapping[str, Sequence[Json]], items: Sequence[Json]) -> None:
        self.classes = {one["sourcedId"]: one for one in classes}
        self.students = students
        self.lineItems = {one["sourcedId"]: dict(one) for one in items}
        self.results: dict[str, Json] = {}
        self.writes: list[tuple[str, str]] = []
        self.page = 200
        self.lock = threading.Lock()

    def of_class(self, sourced_id: str, what: str) -> list[Json]:
        """Return the students, items or results of a class."""
        if what == "students":
            return list(self.students.get(sourced_id, []))
        items = {one: item for one, item in self.lineItems.items() if item["class"]["sourcedId"] == sourced_id}
        if what == "lineItems":
            return list(items.values())
        return [one for one in self.results.values() if one["lineItem"]["sourcedId"] in items]


def tidewrack(students: int = 30, items: int = 3) -> School:
    """Return the school of the demo: the crew that builds the keel, with a quiz that has marks already."""
    names = ["Adébáyọ̀ Olú", "Lin Mei", "Ó Briain Pip", "Çelik Yağmur", "Søren Ida", "Núñez José", "Kowalska Ewa"]
    people = [
        {
            "sourcedId": f"u-{number:05}",
            "enabledUser": True,
            "username": f"crew{number}",
            "userIds": [{"type": "yard", "identifier": f"Y-{number:05}"}],
            "familyName": names[number % len(names)].rpartition(" ")[0],
            "givenName": f"{names[number % len(names)].rpartition(' ')[2]} {number}",
            "identifier": f"{4700 + number:06}",
            "role": "student",
        }
        for number in range(1, students + 1)
    ]
    titles = ["Knots", "Lofting", "Planking", *(f"Task {number}" for number in range(4, items + 1))][:items]
    return School(
        [
            {
                "sourcedId": "c-keel",
                "title": "Keel crew",
                "classCode": "KC",
                "classType": "scheduled",
                "status": "active",
            }
        ],
        {"c-keel": people},
        [
            {
                "sourcedId": f"i-{number}",
                "title": title,
                "class": {"sourcedId": "c-keel", "type": "class"},
                "category": {"sourcedId": "k-1", "type": "category"},
                "assignDate": "2026-09-01T00:00:00.000Z",
                "dueDate": "2026-10-01T00:00:00.000Z",
                "resultValueMin": 0.0,
                "resultValueMax": 20.0,
                "status": "active",
            }
            for number, title in enumerate(titles, 1)
        ],
    )


class Service(ThreadingHTTPServer):
    """The stand-in, on a port of this machine.

    Args:
        school: what it knows.
        fail: the faults that it makes.
        every: one request in so many fails.
        seed: what chance begins with.
        port: where it listens; any free one if 0.
    """

    daemon_threads = True

    def __init__(self, school: School, fail: Sequence[str] = (), every: int = 10, seed: int = 1, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.school, self.fail, self.every = school, tuple(fail), every
        self.chance = random.Random(seed)  # noqa: S311 - no secret
        self.public_key = ""
        self.tokens: set[str] = set()
        self.used: set[str] = set()
        self.requests = 0

    @property
    def address(self) -> str:
        """What its paths begin with."""
        return f"http://127.0.0.1:{self.server_address[1]}"

    def is_signed(self, assertion: str) -> bool:
        """Tell whether a client proved by its key who it is."""
        import jwt  # noqa: PLC0415 - where LTI is tried out

        try:
            claims = jwt.decode(assertion, self.public_key, ["RS256"], audience=f"{self.address}/token")
        except jwt.PyJWTError:
            return False
        return {"iss", "sub", "jti", "iat", "exp"} <= claims.keys() and claims["iss"] == claims["sub"] == CLIENT

    def fault(self) -> str:
        """Return the fault that this request meets; blank for none."""
        with self.school.lock:
            self.requests += 1
            return self.chance.choice(self.fail) if self.fail and self.chance.randrange(self.every) == 0 else ""

    def handle_error(self, request: Any, client_address: Any) -> None:  # noqa: ANN401 - the library's
        """Say nothing of connections that were cut: that is one of the faults."""


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    wbufsize = 1 << 16  # an answer goes out as one: in two, it waits for the other side's receipt
    server: Service
    _SHORT: ClassVar[Mapping[str, str]] = {"GET": "read", "PUT": "write", "DELETE": "delete"}

    def log_message(self, format: str, *args: object) -> None:  # noqa: A002 - the library's name
        """Write nothing: addresses have identifiers."""

    def do_POST(self) -> None:
        if self.path != "/token":
            self._serve(self._posted)
            return
        form = parse_qs(self._body().decode())
        is_known = self.headers.get("Authorization", "").startswith("Basic ")
        if is_known or self.server.is_signed(form.get("client_assertion", [""])[0]):
            with self.server.school.lock:
                token = f"t{self.server.chance.getrandbits(64):x}"
                self.server.tokens.add(token)
            self._say(200, {"access_token": token, "token_type": "Bearer", "expires_in": 3600})
        else:
            self._say(401, {"error": "invalid_client"})

    def do_GET(self) -> None:
        self._serve(self._read)

    def do_PUT(self) -> None:
        self._serve(self._write)

    def do_DELETE(self) -> None:
        self._serve(self._delete)

    def _serve(self, act: Callable[[list[str], bytes], tuple[int, Json]]) -> None:
        """Answer a request, with the fault that it meets."""
        body, fault = self._body(), self.server.fault()
        token = self.headers.get("Authorization", "").removeprefix("Bearer ")
        is_good = token in self.server.tokens
        if fault == "expired" and token in self.server.used:  # one that was just handed out is good
            self.server.tokens.discard(token)
            is_good = False
        self.server.used.add(token)
        if not is_good:
            self._say(401, _failure("unauthorisedrequest"))
        elif fault in {"busy", "error"}:
            self._say(429 if fault == "busy" else 500, _failure("server_busy"), {"Retry-After": "0"})
        elif fault == "html":
            self._send(502, b"<html><body>Bad gateway</body></html>", {"Content-Type": "text/html"})
        elif fault == "cut" and self.command == "GET":
            self._cut()
        else:
            path = next((path for path in _PATHS if self.path.startswith(path)), None)
            parts = urlsplit(self.path).path.removeprefix(path or "").strip("/").split("/")
            with self.server.school.lock:
                status, data = act([*map(unquote, parts)], body) if path else (404, _failure("unknownobject"))
            if fault in {"lost", "cut"}:
                self._cut()
                return
            if fault == "slow":
                time.sleep(_SLOW)
            self._paged(status, data, fault)

    def _read(self, parts: list[str], body: bytes) -> tuple[int, Json]:  # noqa: ARG002 - as the others
        school = self.server.school
        match parts:
            case ["classes"]:
                return 200, {"classes": list(school.classes.values())}
            case ["classes", one, "students" | "lineItems" | "results" as what] if one in school.classes:
                return 200, {"users" if what == "students" else what: school.of_class(one, what)}
            case [one, *rest] if one in school.classes:
                return self._read_lti(one, rest)
            case ["results" | "lineItems" as what, one] if one in getattr(school, what):
                return 200, {_PLURALS[what]: getattr(school, what)[one]}
        return 404, _failure("unknownobject")

    def _read_lti(self, of: str, parts: list[str]) -> tuple[int, Json]:
        school, base = self.server.school, f"{self.server.address}/lti/{of}/lineitems"
        match parts:
            case ["members"]:
                return 200, {
                    "members": [*map(_member, school.students[of]), {"user_id": "t-1", "roles": ["#Instructor"]}]
                }
            case ["lineitems"]:
                return 200, {"": [_line_item(one, base) for one in school.of_class(of, "lineItems")]}
            case ["lineitems", item, "results"] if item in school.lineItems:
                own = [one for one in school.of_class(of, "results") if one["lineItem"]["sourcedId"] == item]
                return 200, {"": [_result(one, school.lineItems[item]) for one in own]}
        return 404, _failure("unknownobject")

    def _posted(self, parts: list[str], body: bytes) -> tuple[int, Json]:
        school, said = self.server.school, json.loads(body)
        match parts:
            case [of, "lineitems"] if of in school.classes:
                name = f"lti-{len(school.lineItems)}"
                known = {"sourcedId": name, "title": said["label"], "class": {"sourcedId": of}}
                school.lineItems[name] = known | {
                    "resultValueMax": said["scoreMaximum"],
                    "resourceId": said["resourceId"],
                }
                return 201, _line_item(school.lineItems[name], f"{self.server.address}/lti/{of}/lineitems")
            case [_, "lineitems", item, "scores"] if item in school.lineItems:
                key, moment = f"{said['userId']}@{item}", said["timestamp"]
                if moment <= school.results.get(key, {}).get("timestamp", ""):
                    return 409, _failure("not later")
                school.writes.append(("results", key))
                references = {"lineItem": {"sourcedId": item}, "student": {"sourcedId": said["userId"]}}
                score = {"score": said.get("scoreGiven"), "comment": said.get("comment", ""), "timestamp": moment}
                school.results[key] = {"sourcedId": key, **references, **score}
                return 200, {}
        return 404, _failure("unknownobject")

    def _write(self, parts: list[str], body: bytes) -> tuple[int, Json]:
        school = self.server.school
        try:
            record = json.loads(body)[_PLURALS[parts[0]]]
        except (ValueError, KeyError, TypeError):
            return 422, _failure("invaliddata")
        if len(parts) < 2 or record.get("sourcedId") != parts[1]:  # noqa: PLR2004 - what, and which
            return 422, _failure("invaliddata")
        if parts[0] == "results":
            item, student = record.get("lineItem", {}).get("sourcedId"), record.get("student", {}).get("sourcedId")
            people = {one["sourcedId"] for some in school.students.values() for one in some}
            if item not in school.lineItems or student not in people:
                return 422, _failure("invaliddata")
        getattr(school, parts[0])[parts[1]] = record
        school.writes.append((parts[0], parts[1]))
        return 201, {}

    def _delete(self, parts: list[str], body: bytes) -> tuple[int, Json]:  # noqa: ARG002
        kind = "lineItems" if "lineitems" in parts else parts[0]
        there = getattr(self.server.school, kind, {}).pop(parts[-1], None)
        return (404, _failure("unknownobject")) if there is None else (204, {})

    def _paged(self, status: int, data: Json, fault: str) -> None:
        """Answer with a page of a list, and where the next one is."""
        name, records = next(iter(data.items()), ("", None))
        asked = parse_qs(urlsplit(self.path).query)
        if status != 200 or not isinstance(records, list) or "limit" not in asked:  # noqa: PLR2004
            self._say(status, data)
            return
        limit, offset = min(int(asked["limit"][0]), self.server.school.page), int(asked.get("offset", ["0"])[0])
        records = _chosen(records, asked)
        first = max(0, offset - 1) if fault == "moving" else offset
        headers = {"X-Total-Count": str(len(records))}
        if offset + limit < len(records):
            host = "http://elsewhere.example" if fault == "link" else self.server.address
            path = urlsplit(self.path).path
            headers["Link"] = f'<{host}{path}?limit={limit}&offset={offset + limit}>; rel="next"'
        page = records[first : offset + limit]
        self._say(status, {name: page} if name else page, headers)

    def _body(self) -> bytes:
        return self.rfile.read(int(self.headers.get("Content-Length") or 0))

    def _say(self, status: int, data: Json | list[Json], headers: Mapping[str, str] | None = None) -> None:
        body = b"" if status == 204 else json.dumps(data).encode()  # noqa: PLR2004
        self._send(status, body, {"Content-Type": "application/json", **(headers or {})})

    def _send(self, status: int, body: bytes, headers: Mapping[str, str]) -> None:
        self.send_response(status)
        for name, text in headers.items():
            self.send_header(name, text)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def _cut(self) -> None:
        """End the connection in the middle of an answer."""
        self.send_response(200)
        self.send_header("Content-Length", "1000")
        self.end_headers()
        self.wfile.write(b'{"cut')
        self.wfile.flush()
        self.close_connection = True


def _chosen(records: list[Json], asked: Mapping[str, list[str]]) -> list[Json]:
    """Return the records that a filter by title leaves, with the fields that are asked for."""
    if title := asked.get("filter", [""])[0].removeprefix("title=").strip("'"):
        records = [one for one in records if one.get("title") == title]
    if fields := asked.get("fields", [""])[0]:
        records = [{name: one[name] for name in fields.split(",") if name in one} for one in records]
    return records


def _member(user: Json) -> Json:
    names = {"given_name": user["givenName"], "family_name": user["familyName"]}
    return {"user_id": user["sourcedId"], "lis_person_sourcedid": user["identifier"], "roles": ["#Learner"], **names}


def _line_item(item: Json, base: str) -> Json:
    said = {"id": f"{base}/{item['sourcedId']}", "label": item["title"], "scoreMaximum": item["resultValueMax"]}
    return said | ({"resourceId": item["resourceId"]} if "resourceId" in item else {})


def _result(result: Json, item: Json) -> Json:
    said = {"userId": result["student"]["sourcedId"], "resultMaximum": item["resultValueMax"]}
    return said | {"resultScore": result["score"], "comment": result.get("comment", "")}


def _failure(code: str) -> Json:
    return {
        "imsx_codeMajor": "failure",
        "imsx_severity": "error",
        "imsx_description": f"refused: {code}",
        "imsx_CodeMinor": {
            "imsx_codeMinorField": [{"imsx_codeMinorFieldName": "GUID", "imsx_codeMinorFieldValue": code}]
        },
    }
