"""Which services a person knows: `services.toml` in the configuration folder; a secret never stands in a file.

```
[yard]
address = "https://site.tidewrack.example"
token = "https://site.tidewrack.example/token"
client = "skarvin"
version = "1.2"
```
"""

import os
import re
import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Literal
from urllib.parse import urlsplit

import msgspec

from skarvin.core.findings import Finding, Misused, Place, Unreadable, listing

FILE = "services.toml"
_OWN = frozenset({"localhost", "127.0.0.1", "::1"})
"""This machine, which may be spoken to without encryption."""


class Service(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """Where a service is, and as whom it is asked.

    Attributes:
        token: where it hands tokens out (OAuth 2.0, RFC 6749, 4.4).
        client: the client's id.
        address: of OneRoster: what its paths begin with.
        version: of OneRoster.
        members: of LTI: where the members of a course are (Names and Role Provisioning).
        items: of LTI: where its line items are (Assignment and Grade Services).
        key_id: of LTI: which of the client's keys signs.
    """

    token: str
    client: str
    address: str = ""
    version: Literal["1.1", "1.2"] = "1.2"
    members: str = ""
    items: str = ""
    key_id: str = ""

    @property
    def is_lti(self) -> bool:
        """Whether it speaks LTI: it says where members and items are."""
        return bool(self.members and self.items)

    @property
    def addresses(self) -> tuple[str, ...]:
        """Whom it asks."""
        return (self.token, self.members, self.items) if self.is_lti else (self.token, self.address)


def services_path(folder: Path) -> Path:
    """Return where services are written down: in a folder, or in the file that SKARVIN_SERVICES names."""
    return Path(os.environ.get("SKARVIN_SERVICES") or folder / FILE)


def read_services(folder: Path) -> Mapping[str, Service]:
    """Return the services of a person, by their names.

    Raises:
        Unreadable: the file can't be understood, or a service is to be spoken to without encryption.
    """
    file = services_path(folder)
    try:
        text = file.read_text(encoding="utf-8-sig")
        told = msgspec.convert(tomllib.loads(text), dict[str, Service])
    except FileNotFoundError:
        return {}
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        mend = "Each service is a table: token, client, and address; or, of LTI, members and items."
        raise Unreadable(Finding("services", f"this can't be understood: {error}", Place(file), mend)) from None
    for name, service in told.items():
        for address in service.addresses:
            parts = urlsplit(address)
            if parts.scheme != "https" and not (parts.scheme == "http" and parts.hostname in _OWN):
                what = f"'{name}' would be spoken to without encryption"
                raise Unreadable(Finding("no-tls", what, Place(file), "Write an address that begins with https://."))
    return told


def find_service(folder: Path, name: str) -> Service:
    """Return a service by its name.

    Raises:
        Misused: there is none of that name.
    """
    known = read_services(folder)
    if name not in known:
        there = f"Known: {listing(sorted(known), 12)}." if known else f"Write it down in {services_path(folder)}."
        raise Misused(Finding("no-such-service", f"there is no service '{name}'", None, there))
    return known[name]


def secret_of(name: str) -> str:
    """Return the secret of a service: from the environment, or from the platform's keyring.

    Raises:
        Misused: there is none.
    """
    variable = "SKARVIN_SECRET_" + re.sub(r"\W", "_", name).upper()
    if secret := os.environ.get(variable, ""):
        return secret
    import keyring  # noqa: PLC0415 - most commands ask no service
    from keyring.errors import KeyringError  # noqa: PLC0415

    try:
        secret = keyring.get_password("skarvin", name) or ""
    except KeyringError:
        secret = ""
    if not secret:
        mend = f"Keep it with: keyring set skarvin {name}; or set {variable}."
        raise Misused(Finding("no-secret", f"there is no secret for the service '{name}'", None, mend))
    return secret
