"""The JSON Schema by which editors complete the keys of `transfer.toml` and mark mistakes; it lies beside it."""

from importlib.resources import files

SCHEMA_NAME = "transfer.schema.json"
"""What the schema is called, here and beside a transfer."""


def schema_bytes() -> bytes:
    """Return the schema (https://json-schema.org, draft 7); docs/transfer_schema.py makes it from the plan's types."""
    return (files("skarvin.core.plan") / SCHEMA_NAME).read_bytes()
