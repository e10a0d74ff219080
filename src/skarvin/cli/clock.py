"""When something is written."""

from datetime import datetime


def _now() -> datetime:
    return datetime.now().astimezone()


def moment() -> str:
    """Return the time in ISO 8601."""
    return _now().isoformat(timespec="seconds")


def day() -> str:
    """Return the day in ISO 8601."""
    return _now().date().isoformat()
