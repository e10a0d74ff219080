"""A connection to a service: tokens, pages, patience. Answers are bounded; no other host than the service's is asked.

429 and 503 wait as they are told (RFC 9110, 10.2.3); other faults of the service, and connections that are cut, are
tried again with growing pauses of which a part is chance.
"""

import random
import secrets
import time
from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from functools import cache
from ssl import SSLContext
from typing import Any, NamedTuple, Self
from urllib.parse import urljoin, urlsplit

import httpx
import msgspec

from skarvin.core.findings import Finding, Misused, Refused
from skarvin.services.services_file import Service

MOST_BYTES = 50_000_000
"""A larger answer can't be a page of results."""
MOST_TRIES = 7
_PAGE, _MOST_PAGES = 500, 100_000
_FIRST_PAUSE, _LONGEST_PAUSE, _LONGEST_WAIT = 0.25, 30.0, 600.0
_TIMEOUT = httpx.Timeout(60.0, connect=15.0)
_WHOLE = 300.0
"""An answer that takes longer than this is given up."""
_BUSY = frozenset({429, 503})
_UNAUTHORISED, _SERVER, _WRONG, _REDIRECT = 401, 500, 400, 300
_SHOWN = 200
Json = dict[str, Any]


Grant = Callable[[Service, str], tuple[dict[str, str], httpx.Auth | None]]
_JSON = "application/json"


class Answer(NamedTuple):
    """What a service said: the status, the body as data, where the next page is, and why it declined."""

    status: int
    data: Json
    next: str
    why: str


class Declined(Exception):
    """The service said no: its status, and its words."""

    def __init__(self, status: int, why: str) -> None:
        super().__init__(why)
        self.status, self.why = status, why


class Connection:
    """Speaks to one service.

    Args:
        name: what it is called.
        service: where it is.
        secret: the client's secret.
        scopes: what is asked for.
        grant: what is sent to prove who asks, as a form and as a heading.
        pause: waits for so many seconds.
    """

    def __init__(  # noqa: PLR0913 - whom to ask, as whom, and how
        self,
        name: str,
        service: Service,
        secret: str,
        scopes: str,
        grant: Grant | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> None:
        self._name, self._service, self._secret, self._scopes, self._pause = name, service, secret, scopes, pause
        self._grant = grant or by_secret
        self._client = httpx.Client(timeout=_TIMEOUT, follow_redirects=False, verify=_trusted())
        self._token = ""
        self.requests = 0

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def get_address(self) -> str:
        """Return what the service's paths begin with."""
        return self._service.address.rstrip("/")

    def pages(self, path: str, name: str, params: Mapping[str, str] | None = None) -> Iterator[Json]:
        """Yield the records of all pages of a list, which stands in answers under a name.

        Raises:
            Declined, Refused: as `listed`.
        """
        asked = {"limit": str(_PAGE), "offset": "0", **(params or {})}
        return self.listed(self._url(path), name, "sourcedId", asked)

    def listed(
        self, url: str, name: str, key: str, params: Mapping[str, str] | None = None, kind: str = _JSON
    ) -> Iterator[Json]:
        """Yield the records of all pages of a list; one that comes twice, as where the list changed, comes once.

        Args:
            url: its first page.
            name: what the list is called in an answer; blank where the answer is the list.
            key: the field by which records are told apart.
            params: what is asked for.
            kind: the media type of the answer.

        Raises:
            Declined: the service says no.
            Refused: it can't be reached, its answer can't be meant, or a page leads to another host, or in a circle.
        """
        first = url
        seen: set[str] = set()
        known: set[str] = set()
        answer = self.ask("GET", url, params=params, kind=kind)
        for _ in range(_MOST_PAGES):
            records = answer.data.get(name)
            if not isinstance(records, list):
                raise self._refused("answer", f"its answer has no list '{name}'")
            for record in records:
                if isinstance(record, dict) and (one := str(record.get(key, ""))) not in known:
                    known.add(one)
                    yield record
            if not answer.next or not records:
                return
            url = urljoin(url, answer.next)
            self._check_host(url, first)
            if url in seen:
                raise self._refused("circle", "its pages lead in a circle")
            seen.add(url)
            answer = self.ask("GET", url, kind=kind)
        raise self._refused("too-long", "its list has no end")

    def put(self, path: str, data: Json) -> None:
        """Put a record in its place; the same once more where it isn't known whether it arrived.

        Raises:
            Declined: the service says no.
            Refused: it can't be reached.
        """
        self.ask("PUT", self._url(path), data=lambda: data)

    def delete(self, path: str) -> None:
        """Delete a record; one that is gone already is deleted.

        Raises:
            Declined, Refused: as above.
        """
        try:
            self.ask("DELETE", self._url(path))
        except Declined as error:
            if error.status not in {404, 410}:
                raise

    def _url(self, path: str) -> str:
        return self._service.address.rstrip("/") + path

    def _check_host(self, url: str, first: str) -> None:
        asked, own = urlsplit(url), urlsplit(first)
        if (asked.scheme, asked.netloc) != (own.scheme, own.netloc):
            raise self._refused("other-host", f"it leads to another host, '{asked.netloc}'")

    def ask(
        self,
        method: str,
        url: str,
        *,
        params: Mapping[str, str] | None = None,
        data: Callable[[], Json] | None = None,
        kind: str = _JSON,
    ) -> Answer:
        """Return the answer to a request that may be repeated; `data` is made anew each time, `kind` its media type.

        Raises:
            Declined: the service says no.
            Refused: it can't be reached, or its answer can't be meant.
        """
        why, is_renewed = "", False
        for tries in range(MOST_TRIES):
            try:
                answer, wait = self._once(method, url, params, data() if data else None, kind)
            except httpx.TransportError as error:
                why, wait, is_renewed = f"it can't be reached: {_words(error)}", None, False
            else:
                if answer.status < _REDIRECT:
                    return answer
                if answer.status < _WRONG:
                    raise self._refused("redirect", "it sends elsewhere, which isn't followed")
                if answer.status == _UNAUTHORISED and not is_renewed:
                    self._token, is_renewed = "", True
                    continue
                if answer.status < _SERVER and answer.status not in _BUSY:
                    raise Declined(answer.status, answer.why)
                why, is_renewed = f"it says {answer.status}: {answer.why}", False
            if tries + 1 < MOST_TRIES:
                self._pause(_pause_of(tries) if wait is None else wait)
        raise self._refused("unreachable", f"{why} ({MOST_TRIES} times)")

    def _once(
        self, method: str, url: str, params: Mapping[str, str] | None, data: Json | None, kind: str
    ) -> tuple[Answer, float | None]:
        """Ask once; return the answer, and how long is to be waited, if it says that."""
        if not self._token:
            self._token = self._new_token()
        headers = {"Authorization": f"Bearer {self._token}", "Accept": kind}
        body = None if data is None else msgspec.json.encode(data)
        if body is not None:
            headers["Content-Type"] = kind
        request = self._client.build_request(method, url, params=params, headers=headers, content=body)
        return self._answer(request)

    def _answer(self, request: httpx.Request, auth: httpx.Auth | None = None) -> tuple[Answer, float | None]:
        self.requests += 1
        begun, blocks, size = time.monotonic(), [], 0
        response = self._client.send(request, auth=auth, stream=True)
        try:
            for block in response.iter_bytes():
                blocks.append(block)
                size += len(block)
                if size > MOST_BYTES:
                    raise self._refused("too-large", f"an answer has more than {MOST_BYTES // 1_000_000} MB")
                if time.monotonic() - begun > _WHOLE:
                    raise self._refused("too-slow", f"an answer took more than {_WHOLE:.0f} s")
        finally:
            response.close()
        data, is_json = _json(b"".join(blocks))
        if response.status_code < _REDIRECT and not is_json:
            raise self._refused("no-json", "its answer isn't what the standard has, but something else, such as a page")
        why = _why(data) or f"status {response.status_code}"
        link = response.links.get("next", {}).get("url", "")
        return Answer(response.status_code, data, link, why), _wait_of(response.headers.get("Retry-After", ""))

    def _new_token(self) -> str:
        """Return a token (RFC 6749, 4.4), which is kept in memory alone."""
        form, auth = self._grant(self._service, self._secret)
        request = self._client.build_request("POST", self._service.token, data=form | {"scope": self._scopes})
        answer, _ = self._answer(request, auth)
        token = answer.data.get("access_token")
        if answer.status >= _SERVER or answer.status in _BUSY:
            raise httpx.RemoteProtocolError(f"the token service says {answer.status}")
        if not isinstance(token, str) or not token:
            raise self._refused("no-token", f"it hands out no token: {answer.why}")
        return token

    def _refused(self, slug: str, what: str) -> Refused:
        mend = "What was done is kept; run the same command again to go on."
        return Refused(Finding(slug, f"the service '{self._name}': {what}", None, mend))


@cache
def _trusted() -> SSLContext:
    """Return whom a connection trusts; reading the certificates takes longer than many an answer."""
    return httpx.create_ssl_context()


def by_secret(service: Service, secret: str) -> tuple[dict[str, str], httpx.Auth | None]:
    """Return the grant of a client that has a secret (RFC 6749, 4.4)."""
    return {"grant_type": "client_credentials"}, httpx.BasicAuth(service.client, secret)


def by_signature(service: Service, key: str) -> tuple[dict[str, str], httpx.Auth | None]:
    """Return the grant of a client that has a key (RFC 7523, 2.2).

    Raises:
        Misused: the key is none of RSA.
    """
    import jwt  # noqa: PLC0415 - few services take signatures

    now = int(time.time())
    claims = {"iss": service.client, "sub": service.client, "aud": service.token, "iat": now, "exp": now + 300}
    headers = {"kid": service.key_id} if service.key_id else None
    try:
        signed = jwt.encode(claims | {"jti": secrets.token_urlsafe(16)}, key, algorithm="RS256", headers=headers)
    except (ValueError, TypeError, jwt.PyJWTError):
        mend = "Keep a private key (PEM) as the secret of the service."
        raise Misused(Finding("no-key", "the secret isn't a private key of RSA", None, mend)) from None
    kind = "urn:ietf:params:oauth:client-assertion-type:jwt-bearer"
    return {"grant_type": "client_credentials", "client_assertion_type": kind, "client_assertion": signed}, None


def _pause_of(tries: int) -> float:
    """Return how long is waited before it is tried again: longer each time, a part of it by chance (full jitter)."""
    longest: float = min(_LONGEST_PAUSE, _FIRST_PAUSE * 2.0**tries)
    return longest * (0.5 + random.random() / 2)  # noqa: S311 - no secret


def _wait_of(text: str) -> float | None:
    """Return how many seconds `Retry-After` says; None where it says nothing."""
    if text.strip().isdecimal():
        return min(float(text), _LONGEST_WAIT)
    try:
        until = parsedate_to_datetime(text)
    except (TypeError, ValueError):
        return None
    until = until if until.tzinfo else until.replace(tzinfo=UTC)
    return min(max((until - datetime.now(UTC)).total_seconds(), 0.0), _LONGEST_WAIT)


def _json(body: bytes) -> tuple[Json, bool]:
    """Return an answer's data, and whether it is such; an empty answer is."""
    if not body.strip():
        return {}, True
    try:
        data = msgspec.json.decode(body)
    except (msgspec.DecodeError, RecursionError, UnicodeDecodeError):
        return {}, False
    if isinstance(data, list):
        return {"": data}, True
    return (data, True) if isinstance(data, dict) else ({}, False)


def _why(data: Json) -> str:
    """Return what a service says of a fault, without line ends, and no longer than can be read."""
    said = [data.get(name) for name in ("imsx_description", "error_description", "error", "message")]
    minor = data.get("imsx_CodeMinor")
    fields = minor.get("imsx_codeMinorField") if isinstance(minor, dict) else None
    minors = [field for field in fields if isinstance(field, dict)] if isinstance(fields, list) else []
    said += [field.get("imsx_codeMinorFieldValue") for field in minors]
    text = "; ".join(dict.fromkeys(one for one in said if isinstance(one, str) and one.strip()))
    return " ".join("".join(sign if sign.isprintable() else " " for sign in text).split())[:_SHOWN]


def _words(error: httpx.TransportError) -> str:
    return str(error) or type(error).__name__
