"""Pull and push against the stand-in, with the faults that services have."""

import json
import os
import random
import re
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path

import httpx
import pytest

from conftest import Skarvin
from one_roster import bundle_texts, put_bundle, read_bundle
from skarvin.core.findings import Refused
from skarvin.demo.faults import FAULTS
from skarvin.demo.service import School, Service, tidewrack
from skarvin.services.connection import Connection, Declined, _json, _wait_of, _why
from skarvin.services.lti_rest import CourseService
from skarvin.services.one_roster_rest import ClassService, as_record, quoted
from skarvin.services.pushing import is_same
from skarvin.services.services_file import Service as Service_

SECRET = "sEcReT-of-the-yard"  # noqa: S105 - none
Start = Callable[..., Service]


@pytest.fixture
def start(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Start]:
    """Start stand-ins, which end with the test; the person knows each as `yard`."""
    running: list[Service] = []
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("SKARVIN_SECRET_YARD", SECRET)
    monkeypatch.setattr("skarvin.services.connection._FIRST_PAUSE", 0.001)

    def begin(school: School, *fail: str, every: int = 10, version: str = "1.2", seed: int = 1) -> Service:
        service = Service(school, fail, every, seed)
        running.append(service)
        threading.Thread(target=service.serve_forever, daemon=True).start()
        known(tmp_path, service.address, version)
        return service

    yield begin
    for service in running:
        service.shutdown()
        service.server_close()


def known(folder: Path, address: str, version: str = "1.2") -> None:
    file = folder / "config" / "skarvin" / "services.toml"
    file.parent.mkdir(parents=True, exist_ok=True)
    lines = [f'address = "{address}"', f'token = "{address}/token"', 'client = "skarvin"', f'version = "{version}"']
    file.write_text("\n".join(["[yard]", *lines, ""]), encoding="utf-8")


def marks_of(students: int, titles: list[str], seed: int = 3) -> tuple[str, dict[tuple[str, str], float]]:
    """Return an export, and what the service must say in the end: by item and student."""
    chance, rows = random.Random(seed), []
    wanted: dict[tuple[str, str], float] = {}
    for number in range(1, students + 1):
        marks = [chance.choice([7, 9.5, 12, 20, 0]) for _ in titles]
        rows.append(",".join(map(str, (4700 + number, *marks))))
        wanted |= {(f"i-{at}", f"u-{number:05}"): float(mark) for at, mark in enumerate(marks, 1)}
    heads = ",".join(["No", *(f"{title} (out of 20)" for title in titles)])
    return "\n".join([heads, *rows, ""]), wanted


def there(school: School) -> dict[tuple[str, str], float]:
    return {
        (one["lineItem"]["sourcedId"], one["student"]["sourcedId"]): one["score"] for one in school.results.values()
    }


def written(
    folder: Path, skarvin: Skarvin, students: int = 12, items: int = 3, form: str = "yard.zip"
) -> dict[tuple[str, str], float]:
    """Pull a class and write marks for it; return what the service must say in the end."""
    titles = ["Knots", "Lofting", "Planking", *(f"Task {number}" for number in range(4, items + 1))][:items]
    text, wanted = marks_of(students, titles)
    (folder / "marks.csv").write_text(text, encoding="utf-8")
    pulled = skarvin("pull", "yard", "--to", form)
    assert pulled.code == 0, pulled.err
    assert skarvin("draft", "marks.csv", form).code == 0
    run = skarvin("write")
    assert run.code == 0, run.out + run.err
    assert "Next: skarvin push" in run.out
    assert "Next: skarvin push" in skarvin().out
    return wanted


@pytest.mark.parametrize("version", ["1.1", "1.2"])
def test_a_class_comes_goes_is_confirmed_and_taken_back(
    tmp_path: Path, skarvin: Skarvin, start: Start, version: str
) -> None:
    school = tidewrack(12)
    old = {
        "sourcedId": "r-old",
        "scoreStatus": "fully graded",
        "score": 3.0,
        "comment": "neat",
        "scoreDate": "2026-11-01",
    }
    school.results["r-old"] = old | {"lineItem": {"sourcedId": "i-1"}, "student": {"sourcedId": "u-00002"}}
    start(school, version=version)
    wanted = written(tmp_path, skarvin)
    unasked = skarvin("push")
    assert (unasked.code, school.writes) == (2, [])
    run = skarvin("push", "--yes")
    assert run.code == 0, run.out + run.err
    assert there(school) == wanted
    assert school.results["r-old"]["comment"] == "neat"
    assert max(Counter(school.writes).values()) == 1
    assert "have arrived" in run.out
    again = skarvin("push", "--yes")
    assert "nothing to send" in again.out
    assert len(school.writes) == len(wanted)
    lost = next(key for key in school.results if key != "r-old")
    del school.results[lost]
    assert "1 sent" in skarvin("push", "--yes").out
    assert there(school) == wanted
    back = skarvin("push", "--undo", "--yes")
    assert back.code == 0, back.err
    assert there(school) == {("i-1", "u-00002"): 3.0}
    assert school.results["r-old"]["comment"] == "neat"
    for path in tmp_path.rglob("*"):
        assert not path.is_file() or SECRET.encode() not in path.read_bytes()
    assert SECRET not in run.out + run.err


@pytest.mark.parametrize("fault", [one for one in FAULTS if one not in {"link", "html"}])
def test_whatever_fails_each_result_is_there_once_and_none_is_lost(
    tmp_path: Path, skarvin: Skarvin, start: Start, fault: str
) -> None:
    school = tidewrack(250 if fault == "moving" else 20)
    service = start(school, fault, every=6)
    wanted = written(tmp_path, skarvin, len(school.students["c-keel"]), 3)
    before = service.requests
    run = skarvin("push", "--yes")
    assert run.code == 0, run.out + run.err
    assert there(school) == wanted
    assert len(school.results) == len(wanted)
    assert service.requests - before > len(wanted)
    back = skarvin("push", "--undo", "--yes")
    assert back.code == 0, back.out + back.err
    assert school.results == {}


def test_few_requests_are_made_where_one_in_ten_fails(tmp_path: Path, skarvin: Skarvin, start: Start) -> None:
    school = tidewrack(150)
    service = start(school, *(one for one in FAULTS if one not in {"link", "html", "slow"}), every=10)
    wanted = written(tmp_path, skarvin, 150, 3)
    service.requests = 0
    run = skarvin("push", "--yes")
    assert run.code == 0, run.err
    assert there(school) == wanted
    assert service.requests <= 1.2 * len(wanted)


@pytest.mark.parametrize(("fault", "says"), [("link", "another host, 'elsewhere.example'"), ("html", "502")])
def test_what_cannot_be_trusted_is_refused_and_nothing_is_lost(
    tmp_path: Path, skarvin: Skarvin, start: Start, fault: str, says: str
) -> None:
    start(tidewrack(300), fault, every=1)
    run = skarvin("pull", "yard")
    assert run.code == 4
    assert says in run.err
    assert list(tmp_path.glob("*.zip")) == []


def test_what_changed_there_meanwhile_is_held_and_what_is_declined_too(
    tmp_path: Path, skarvin: Skarvin, start: Start
) -> None:
    school = tidewrack(6)
    start(school)
    wanted = written(tmp_path, skarvin, 6)
    changed = {"sourcedId": "by-hand", "scoreStatus": "fully graded", "score": 1.0}
    sent = json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8"))
    assert sent["fates"]["sent"] == len(wanted)
    (mine,) = [
        one
        for one in read_bundle(tmp_path / "yard-import.zip")["results"]
        if (one["lineItemSourcedId"], one["studentSourcedId"]) == ("i-2", "u-00003")
    ]
    references = {"lineItem": {"sourcedId": "i-2"}, "student": {"sourcedId": "u-00003"}}
    school.results[mine["sourcedId"]] = changed | references | {"sourcedId": mine["sourcedId"]}
    school.students = {"c-keel": school.students["c-keel"][:5]}
    run = skarvin("push", "--yes")
    assert run.code == 1
    assert school.results[mine["sourcedId"]]["score"] == 1.0
    assert "1 held: changed there meanwhile" in run.out
    assert "3 held: the service said no" in run.out
    assert "422: refused: invaliddata" in run.out
    gone = {(item, who) for item, who in wanted if who == "u-00006"}
    assert there(school) == {key: mark for key, mark in wanted.items() if key not in gone} | {("i-2", "u-00003"): 1.0}


def test_a_push_that_is_killed_goes_on_where_it_was(tmp_path: Path, skarvin: Skarvin, start: Start) -> None:
    """The program is killed at chance moments, in a process of its own, until it comes to its end."""
    school = tidewrack(60)
    start(school, "lost", "slow", every=12)
    wanted = written(tmp_path, skarvin, 60)
    chance, kills = random.Random(5), 0
    for _ in range(40):
        process = subprocess.Popen(
            [sys.executable, "-m", "skarvin", "push", "--yes"],
            cwd=tmp_path,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            env=os.environ | {"XDG_CONFIG_HOME": str(tmp_path / "config")},
        )
        until, before = time.monotonic() + 60, len(school.writes)
        while process.poll() is None and time.monotonic() < until and kills < 4:
            if len(school.writes) > before + chance.randrange(1, 30):
                process.send_signal(signal.SIGKILL)
                kills += 1
                break
            time.sleep(0.001)
        out = process.communicate()
        if process.returncode == 0:
            break
        assert process.returncode == -signal.SIGKILL, out[1].decode()
    assert kills == 4
    assert there(school) == wanted
    assert len(school.results) == len(wanted)


@pytest.fixture
def lti(tmp_path: Path, start: Start, monkeypatch: pytest.MonkeyPatch) -> Callable[..., School]:
    """Start a stand-in that is spoken to by LTI, with a key of one's own."""
    from cryptography.hazmat.primitives import serialization as forms  # noqa: PLC0415 - for LTI alone
    from cryptography.hazmat.primitives.asymmetric import rsa  # noqa: PLC0415

    key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
    pem = key.private_bytes(forms.Encoding.PEM, forms.PrivateFormat.PKCS8, forms.NoEncryption()).decode()
    monkeypatch.setenv("SKARVIN_SECRET_YARD", pem)

    def begin(students: int, *fail: str) -> School:
        school = tidewrack(students)
        service = start(school, *fail, every=5)
        public = key.public_key().public_bytes(forms.Encoding.PEM, forms.PublicFormat.SubjectPublicKeyInfo)
        service.public_key = public.decode()
        at = service.address
        lines = [f'members = "{at}/lti/c-keel/members"', f'items = "{at}/lti/c-keel/lineitems"']
        lines += [f'token = "{at}/token"', 'client = "skarvin"', 'key_id = "one"']
        file = tmp_path / "config" / "skarvin" / "services.toml"
        file.write_text("\n".join(["[yard]", *lines, ""]), encoding="utf-8")
        return school

    return begin


@pytest.mark.parametrize("fault", ["", "lost", "expired", "cut"])
def test_a_course_comes_and_goes_by_lti(
    tmp_path: Path, skarvin: Skarvin, lti: Callable[..., School], fault: str
) -> None:
    school = lti(8, *filter(None, [fault]))
    wanted = written(tmp_path, skarvin, 8)
    file = tmp_path / "transfer.toml"
    text = file.read_text(encoding="utf-8").replace("{ delta = true }", "{ new_items = true }")
    file.write_text(text.replace('to = "Planking (out of 20)"', 'to = "Rigging"'), encoding="utf-8")
    assert skarvin("write", "--replace").code == 0
    run = skarvin("push", "--yes")
    assert run.code == 0, run.out + run.err
    (new,) = school.lineItems.keys() - {"i-1", "i-2", "i-3"}
    wanted = {(new if one == "i-3" else one, who): mark for (one, who), mark in wanted.items()}
    assert there(school) == wanted
    enrolled = read_bundle(tmp_path / "yard.zip")["enrollments"]
    assert Counter(one["role"] for one in enrolled) == {"student": 8, "teacher": 1}
    assert "have arrived" in run.out
    again = skarvin("push", "--yes")
    assert again.code == 0, again.err
    assert len(school.lineItems) == 4
    back = skarvin("push", "--undo", "--yes")
    assert back.code == 0, back.out + back.err
    assert {mark for key, mark in there(school).items() if key[0] != new} == {None}
    assert new not in school.lineItems


def test_what_lti_cannot_say_is_held_and_a_key_that_is_none_is_named(
    tmp_path: Path, skarvin: Skarvin, lti: Callable[..., School], monkeypatch: pytest.MonkeyPatch
) -> None:
    lti(3)
    assert skarvin("pull", "yard", "--to", "yard.zip").code == 0
    (tmp_path / "marks.csv").write_text("No,Knots (out of 20)\n4701,exempt\n4702,abs\n4703,9\n", encoding="utf-8")
    assert skarvin("draft", "marks.csv", "yard.zip", "--status", "abs=not submitted").code == 0
    assert skarvin("write").code == 0
    run = skarvin("push", "--yes")
    assert run.code == 1
    assert "no score that says 'exempt'" in run.out
    assert "2 sent" in run.out
    monkeypatch.setenv("SKARVIN_SECRET_YARD", "no key")
    assert "isn't a private key" in skarvin("pull", "yard", "--to", "other.zip").err


REFUSED = (
    ('address = "http://elsewhere.example"', "without encryption"),
    ("address = 1", "can't be understood"),
    ('colour = "red"', "can't be understood"),
    ('version = "3"', "can't be understood"),
)


@pytest.mark.parametrize(("line", "says"), REFUSED)
def test_a_service_is_written_down_as_it_must_be(
    tmp_path: Path, skarvin: Skarvin, monkeypatch: pytest.MonkeyPatch, line: str, says: str
) -> None:
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("SKARVIN_SECRET_YARD", SECRET)
    known(tmp_path, "http://127.0.0.1:9")
    file = tmp_path / "config" / "skarvin" / "services.toml"
    key = line.partition(" ")[0]
    text = re.sub(rf"^{key} = .*\n", "", file.read_text(encoding="utf-8"), flags=re.MULTILINE)
    file.write_text(f"{text}\n{line}\n", encoding="utf-8")
    run = skarvin("pull", "yard")
    assert (run.code, says in run.err) == (3, True), run.err
    unknown = skarvin("pull", "elsewhere")
    assert unknown.code in {2, 3}


def test_who_is_asked_without_a_secret_or_is_not_there_says_how_to_go_on(
    tmp_path: Path, skarvin: Skarvin, start: Start, monkeypatch: pytest.MonkeyPatch
) -> None:
    start(tidewrack(3))
    wrong = skarvin("pull", "yard", "--class", "Mast crew")
    assert (wrong.code, "'Keel crew' (c-keel)" in wrong.err) == (2, True)
    known(tmp_path, "http://127.0.0.1:9")
    monkeypatch.setattr("skarvin.services.connection.MOST_TRIES", 2)
    gone = skarvin("pull", "yard")
    assert (gone.code, "can't be reached" in gone.err) == (4, True)
    monkeypatch.delenv("SKARVIN_SECRET_YARD")
    monkeypatch.setenv("PYTHON_KEYRING_BACKEND", "keyring.backends.fail.Keyring")
    secret = skarvin("pull", "yard")
    assert (secret.code, "keyring set skarvin yard" in secret.err) == (2, True)
    assert skarvin("pull", "barn").code == 2
    assert "writes no results" in skarvin("push").err or skarvin("push").code in {2, 3}


def test_a_name_may_say_restore(tmp_path: Path, skarvin: Skarvin, start: Start) -> None:
    school = tidewrack(3)
    start(school)
    wanted = written(tmp_path, skarvin, 3, form="a-restore-b.zip")
    assert skarvin("push", "--yes").code == 0
    assert there(school) == wanted
    assert skarvin("push", "--undo", "--yes").code == 0
    assert school.results == {}


def test_answers_are_read_with_care() -> None:
    assert _json(b"") == ({}, True)
    assert _json(b"[1]") == ({"": [1]}, True)
    assert _json(b"1") == ({}, False)
    assert _json(b"<html>") == ({}, False)
    assert _json(b'{"a":' * 100_000) == ({}, False)
    assert _json(b'{"a": 1, "a": 2}')[1]
    assert _json(b'{"score": 1e999}') in [({}, False), ({"score": float("inf")}, True)]
    assert _wait_of("3") == 3
    assert _wait_of("99999") == 600
    assert _wait_of("Mon, 30 Nov 2020 10:00:00 GMT") == 0
    assert _wait_of("soon") is None
    assert "\n" not in _why({"imsx_description": "a\nb" * 500})
    assert len(_why({"imsx_description": "a\nb" * 500})) <= 200
    assert quoted("../x\ny") == "..%2Fx%0Ay"
    assert quoted("..") == "%2E%2E"
    said = as_record({"sourcedId": "1", "score": 7.0, "student": {"sourcedId": "u"}, "late": True, "strange": {"a": 1}})
    assert said == {"sourcedId": "1", "score": "7", "studentSourcedId": "u", "late": "true"}
    assert is_same({"score": "7.0", "scoreStatus": "fully graded"}, {"score": "7", "scoreStatus": "fully graded"})
    assert not is_same({"score": "7"}, {"score": "7", "comment": "x"})
    assert not is_same({"score": "7"}, None)
    assert is_same(None, None)


def test_what_a_platform_says_of_people_and_scores_is_read_as_it_is_meant() -> None:
    from skarvin.services.lti_rest import _below, _is_learner, _rescaled, _user  # noqa: PLC0415 - of this test alone

    assert _user({"user_id": "7", "name": "Síle Ó Murchú", "status": "Inactive"})["enabledUser"] == "false"
    told = _user({"user_id": "7", "name": "Síle Ó Murchú"})
    assert (told["givenName"], told["familyName"], told["enabledUser"]) == ("Síle Ó", "Murchú", "true")
    assert _user({"user_id": "7", "name": "x y", "family_name": "Lin", "given_name": "Mei"})["familyName"] == "Lin"
    assert _is_learner({"roles": ["http://purl.imsglobal.org/vocab/lis/v2/membership#Learner"]})
    assert not _is_learner({"roles": ["http://purl.imsglobal.org/vocab/lis/v2/membership#Instructor"]})
    assert not _is_learner({"roles": "Learner"})
    assert _rescaled({"resultScore": 0.5, "resultMaximum": 1}, "20") == "10"
    assert _rescaled({"resultScore": 7.5, "resultMaximum": 20}, "20") == "7.5"
    assert _rescaled({"resultScore": 0}, "20") == "0"
    assert _rescaled({"resultScore": None}, "20") == ""
    assert _below("https://a.example/items/1?of=2", "scores") == "https://a.example/items/1/scores?of=2"


def test_only_the_file_that_the_ledger_vouches_for_is_pushed(tmp_path: Path, skarvin: Skarvin, start: Start) -> None:
    school = tidewrack(4)
    start(school)
    written(tmp_path, skarvin, 4)
    file = tmp_path / "yard-import.zip"
    whole = file.read_bytes()
    file.write_bytes(whole + b"\0")
    changed = skarvin("push", "--yes")
    assert (changed.code, "vouches" in changed.err, school.writes) == (4, True, [])
    text = (tmp_path / "transfer.toml").read_text(encoding="utf-8")
    (tmp_path / "transfer.toml").write_text(text.replace("delta = true", "delta = false"), encoding="utf-8")
    assert skarvin("write", "--replace").code == 0
    bulk = skarvin("push", "--yes")
    assert (bulk.code, "delta = true" in bulk.err, school.writes) == (4, True, [])


Answer = tuple[int, object, dict[str, str]]
CLIENT = httpx.Client


def connected(
    monkeypatch: pytest.MonkeyPatch, answers: Callable[[httpx.Request], Answer]
) -> tuple[Connection, list[float]]:
    """Return a connection whose service answers as it is told, and how long it pauses."""

    def answer(request: httpx.Request) -> httpx.Response:
        if request.url.path == "/token":
            return httpx.Response(200, json={"access_token": "t"})
        status, data, headers = answers(request)
        return httpx.Response(status, json=data, headers=headers)

    transport = httpx.MockTransport(answer)
    monkeypatch.setattr("skarvin.services.connection.httpx.Client", lambda **more: CLIENT(transport=transport, **more))
    pauses: list[float] = []
    service = Service_(token="https://a.example/token", client="c", address="https://a.example")  # noqa: S106 - none
    return Connection("yard", service, "s", "scope", pause=pauses.append), pauses


def test_pages_are_read_once_each_and_never_in_a_circle(monkeypatch: pytest.MonkeyPatch) -> None:
    def pages(request: httpx.Request) -> Answer:
        at = int(request.url.params["offset"])
        records = [{"sourcedId": str(number)} for number in range(max(0, at - 1), at + 2)]
        link = {"Link": f'<https://a.example/x?offset={at + 2}>; rel="next"'} if at < 4 else {}
        return 200, {"results": records}, link

    connection, _ = connected(monkeypatch, pages)
    assert [one["sourcedId"] for one in connection.pages("/x", "results")] == ["0", "1", "2", "3", "4", "5"]
    circle = {"Link": '<https://a.example/x?offset=0>; rel="next"'}
    connection, _ = connected(monkeypatch, lambda _: (200, {"results": [{"sourcedId": "1"}]}, circle))
    with pytest.raises(Refused, match="in a circle"):
        list(connection.pages("/x", "results"))
    connection, _ = connected(monkeypatch, lambda _: (200, {"others": []}, {}))
    with pytest.raises(Refused, match="no list 'results'"):
        list(connection.pages("/x", "results"))


def test_a_service_that_cannot_filter_or_choose_fields_is_asked_for_all(monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str] = []

    def answers(request: httpx.Request) -> Answer:
        asked.append(request.url.query.decode())
        if "filter" in request.url.params or "fields" in request.url.params:
            return 400, {"error": "no"}, {}
        kind = request.url.path.rpartition("/")[2]
        records = {"classes": [{"sourcedId": "c", "title": "Keel crew"}], "results": [{"sourcedId": "r"}]}
        return 200, {"users" if kind == "students" else kind: records.get(kind, [])}, {}

    connection, _ = connected(monkeypatch, answers)
    service = ClassService(connection, "1.2")
    assert [one["sourcedId"] for one in service.pull("Keel crew")["classes"]] == ["c"]
    assert [one["sourcedId"] for one in service.now(["c"])] == ["r"]
    assert any("filter=title%3D%27Keel" in one for one in asked)
    assert any("fields=sourcedId" in one for one in asked)


def test_who_is_busy_is_waited_for_and_what_is_gone_is_deleted(monkeypatch: pytest.MonkeyPatch) -> None:
    said: list[Answer] = [(503, {}, {"Retry-After": "7"}), (500, {}, {}), (201, {}, {})]
    connection, pauses = connected(monkeypatch, lambda _: said.pop(0))
    connection.put("/x", {})
    assert pauses[0] == 7
    assert 0 < pauses[1] <= 0.5
    connection, _ = connected(monkeypatch, lambda _: (404, {}, {}))
    connection.delete("/x")
    for status in (403, 409):
        connection, pauses = connected(monkeypatch, lambda _, status=status: (status, {"error": "no"}, {}))  # type: ignore[misc]
        with pytest.raises(Declined, match="no"):
            connection.delete("/x")
        assert pauses == []
    connection, pauses = connected(monkeypatch, lambda _: (401, {}, {}))
    with pytest.raises(Declined):
        connection.put("/x", {})
    assert pauses == []
    connection, pauses = connected(monkeypatch, lambda _: (500, {}, {}))
    with pytest.raises(Refused, match="7 times"):
        connection.put("/x", {})
    assert len(pauses) == 6
    assert all(before / 2 <= after for before, after in pairwise(pauses))
    connection, _ = connected(monkeypatch, lambda _: (302, {}, {"Location": "https://b.example/"}))
    with pytest.raises(Refused, match="sends elsewhere"):
        connection.put("/x", {})
    monkeypatch.setattr("skarvin.services.connection.MOST_BYTES", 100)
    connection, _ = connected(monkeypatch, lambda _: (200, {"results": [{"sourcedId": "x" * 200}]}, {}))
    with pytest.raises(Refused, match="more than"):
        list(connection.pages("/x", "results"))


def test_a_score_is_always_later_than_the_one_before(monkeypatch: pytest.MonkeyPatch) -> None:
    connection, _ = connected(monkeypatch, lambda _: (200, [], {}))
    course = CourseService(connection, Service_(token="", client=""))
    course._last = datetime(2999, 1, 1, tzinfo=UTC)  # noqa: SLF001 - a clock that is behind
    moments = [course._moment() for _ in range(3)]  # noqa: SLF001
    assert moments == sorted(set(moments))


def test_the_demo_walks_from_a_service_and_back_to_it(tmp_path: Path) -> None:
    command = [sys.executable, "-m", "skarvin", "demo", "tidewrack", "--part", "service"]
    subprocess.run(command, cwd=tmp_path, check=True, capture_output=True)
    folder = tmp_path / "tidewrack" / "service"
    assert len(read_bundle(folder / "yard-import-fresh.zip")["results"]) == 90
    assert read_bundle(folder / "yard-restore-fresh.zip")["results"] == []
    assert "tidewrack\n" not in (folder / "services.toml").read_text(encoding="utf-8")


def test_what_is_taken_back_goes_again_with_the_items_that_were_declared(
    tmp_path: Path, skarvin: Skarvin, start: Start
) -> None:
    school = tidewrack(4)
    start(school)
    school.lineItems.pop("i-3")
    (tmp_path / "marks.csv").write_text(marks_of(4, ["Knots", "Planking"])[0], encoding="utf-8")
    skarvin("pull", "yard", "--to", "yard.zip")
    skarvin("draft", "marks.csv", "yard.zip")
    file = tmp_path / "transfer.toml"
    text = file.read_text(encoding="utf-8").replace("{ delta = true }", "{ delta = true, new_items = true }")
    file.write_text(text.replace('to = "?"', 'to = "Rigging"\nto_out_of = 20'), encoding="utf-8")
    assert skarvin("write").code == 0
    for _ in range(2):
        run = skarvin("push", "--yes")
        assert run.code == 0, run.out + run.err
        assert (len(school.results), len(school.lineItems)) == (8, 3)
        assert "(8 arrived)" in skarvin().out
        assert skarvin("push", "--undo", "--yes").code == 0
        assert (len(school.results), len(school.lineItems)) == (0, 2)
        assert "not confirmed" in skarvin().out
        assert "8 sent; not confirmed" in " ".join(skarvin("history").out.split())
        again = skarvin("preview")
        assert "8 sent" in again.out
        assert "isn't confirmed" in " ".join(again.out.split())
    kinds = [run["kind"] for run in json.loads(skarvin("history", "--json").out)["runs"]]
    assert kinds == ["write", *["push", "confirm", "undo"] * 2]
    shown = skarvin("history").out
    assert shown.count("9 sent") == 4
    assert skarvin("history", "--prune", "2999-01-01").code == 0
    assert "9 sent" in skarvin("history").out


def test_several_classes_go_at_once_and_are_read_back_together(tmp_path: Path, skarvin: Skarvin, start: Start) -> None:
    school = tidewrack(9)
    sail = {**school.classes["c-keel"], "sourcedId": "c-sail", "title": "Sail loft", "classCode": "SL"}
    people = school.students["c-keel"]
    school.classes["c-sail"] = sail
    school.students = {"c-keel": people[:5], "c-sail": people[4:]}
    item = {**school.lineItems["i-2"], "sourcedId": "i-s", "title": "Sewing", "class": {"sourcedId": "c-sail"}}
    school.lineItems = {"i-1": school.lineItems["i-1"], "i-s": item}
    start(school)
    tables: dict[str, dict[str, dict[str, str]]] = {}
    for name in ("Keel crew", "SL"):
        assert skarvin("pull", "yard", "--class", name, "--to", "one.zip", "--replace").code == 0
        for table, records in read_bundle(tmp_path / "one.zip").items():
            if table != "manifest":
                tables.setdefault(table, {}).update((one["sourcedId"], one) for one in records)
    put_bundle(
        tmp_path / "all.zip", bundle_texts({name: [*rows.values()] for name, rows in tables.items()}, version="1.2")
    )
    text, _ = marks_of(9, ["Knots", "Sewing"])
    rows = [line.split(",") for line in text.splitlines()]
    for at, row in enumerate(rows[1:]):
        row[1], row[2] = (row[1] if at < 5 else ""), (row[2] if at > 3 else "")
    (tmp_path / "marks.csv").write_text("\n".join(map(",".join, rows)) + "\n", encoding="utf-8")
    assert skarvin("draft", "marks.csv", "all.zip").code == 0
    assert skarvin("write").code == 0
    run = skarvin("push", "--service", "yard", "--yes")
    assert run.code == 0, run.out + run.err
    assert "All 10 marks that were sent have arrived" in run.out
    wanted = {
        ("i-1" if place == 1 else "i-s", f"u-{int(row[0]) - 4700:05}"): float(row[place])
        for row in rows[1:]
        for place in (1, 2)
        if row[place]
    }
    assert there(school) == wanted
    (fresh,) = tmp_path.glob("*-fresh.zip")
    sizes = {name: len(rows) for name, rows in read_bundle(fresh).items() if name != "manifest"}
    assert sizes == {"users": 9, "enrollments": 10, "classes": 2, "lineItems": 2, "results": 10}
    lost = next(key for key, one in school.results.items() if one["lineItem"]["sourcedId"] == "i-s")
    school.results[lost]["score"] = 19.5
    again = skarvin("push", "--service", "yard", "--yes")
    assert (again.code, "1 held: changed there meanwhile" in again.out) == (1, True)
