"""Moments of time in texts, and what stands in their order."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from fractions import Fraction

from skarvin.core.texts.patterns import pattern

_DAY_FIRST = pattern(r"(\d{1,2})\.(\d{1,2})\.(\d{4})(?:,?\s+(\d{1,2}:\d\d(?::\d\d)?))?")


def in_time(texts: Sequence[str]) -> list[int] | None:
    """Return the places of texts in the order of the moments that they say.

    None if one can't be read, or two are equal.
    """
    moments = [read_moment(text) for text in texts]
    known = [moment for moment in moments if moment is not None]
    if len(set(known)) < len(texts):
        return None
    return [known.index(moment) for moment in sorted(known)]


def read_moment(text: str) -> datetime | None:
    """Return the moment that a text plainly is: ISO 8601, or day.month.year; slashes are read by nobody alike."""
    bare = text.strip()
    if match := _DAY_FIRST.fullmatch(bare):
        bare = f"{match[3]}-{match[2]:0>2}-{match[1]:0>2}" + (f" {match[4]:0>5}" if match[4] else "")
    try:
        moment = datetime.fromisoformat(bare)
    except ValueError:
        return None
    return moment.replace(tzinfo=None)


def day_of(moment: datetime) -> Fraction:
    """Return a moment as a number of days; a whole one is the beginning of a day."""
    return moment.toordinal() + Fraction(moment.hour * 3600 + moment.minute * 60 + moment.second, 86_400)


def day_text(day: Fraction) -> str:
    """Return a number of days as the moment that it is: 2026-03-01, or 2026-03-01T12:00."""
    moment = datetime.fromordinal(int(day)) + timedelta(seconds=round((day % 1) * 86_400))
    return f"{moment:%Y-%m-%d}" if day.denominator == 1 else f"{moment:%Y-%m-%dT%H:%M}"
