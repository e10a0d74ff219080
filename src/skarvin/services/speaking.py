"""A service as it is spoken to, whatever standard it speaks."""

import gc
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Protocol

from skarvin.services.connection import Connection, by_secret, by_signature
from skarvin.services.lti_rest import CourseService, lti_scopes
from skarvin.services.one_roster_rest import ClassService, Record, Tables, scopes_of
from skarvin.services.services_file import Service


class Speaker(Protocol):
    """What every service can do."""

    @property
    def version(self) -> str:
        """The version of OneRoster whose tables it gives."""

    def pull(self, asked: str) -> Tables:
        """Return a class as the tables of a bundle."""

    def now(self, classes: Iterable[str]) -> Iterator[Record]:
        """Yield the results of classes as they are now."""

    def send(self, kind: str, record: Mapping[str, str]) -> None:
        """Send an item or a result."""


@contextmanager
def speaking_to(name: str, service: Service, secret: str, *, is_sending: bool = False) -> Iterator[Speaker]:
    """Speak to a service; the connection ends with the block.

    Raises:
        Declined: the service says no.
        Refused: it can't be reached, or its answer can't be meant.
    """
    scopes = lti_scopes(is_sending=is_sending) if service.is_lti else scopes_of(service.version, is_sending=is_sending)
    grant = by_signature if service.is_lti else by_secret
    gc.freeze()
    gc.enable()  # a request and its answer refer to each other: thousands of them would stay
    with Connection(name, service, secret, scopes, grant) as connection:
        yield CourseService(connection, service) if service.is_lti else ClassService(connection, service.version)


def joined(classes: Iterable[Tables]) -> Tables:
    """Return the tables of several classes as one bundle's; whoever is in two of them is in it once."""
    found: dict[str, dict[str, Record]] = {}
    for tables in classes:
        for name, records in tables.items():
            found.setdefault(name, {}).update((one["sourcedId"], one) for one in records)
    return {name: [*records.values()] for name, records in found.items()}
