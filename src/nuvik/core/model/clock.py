"""Time as text: one place that writes and reads moments."""

from __future__ import annotations

from datetime import UTC, datetime


def now_text() -> str:
    """This moment as ISO 8601 in UTC, to the second."""
    return moment_text(datetime.now(UTC).timestamp())


def moment_text(timestamp: float) -> str:
    """A POSIX time as ISO 8601 in UTC, to the second; times no calendar can hold become the nearest it can."""
    try:
        moment = datetime.fromtimestamp(timestamp, UTC)
    except (OverflowError, ValueError, OSError):
        moment = datetime(1970, 1, 1, tzinfo=UTC) if timestamp < 0 else datetime(9999, 12, 31, tzinfo=UTC)
    return moment.replace(microsecond=0).isoformat().replace("+00:00", "Z")


def moment_or_none(timestamp: float | None) -> str | None:
    """As `moment_text`, for a time that may be missing."""
    return None if timestamp is None else moment_text(timestamp)


def moment_of(text: str) -> datetime:
    """The moment that an ISO 8601 text says. Raises ValueError."""
    return datetime.fromisoformat(text.replace("Z", "+00:00"))


def days_since(moment: str, now: datetime | None = None) -> float:
    """Days from an ISO 8601 moment to now; negative for one yet to come."""
    return ((now or datetime.now(UTC)) - moment_of(moment)).total_seconds() / 86_400


def ago(moment: str | None, now: datetime | None = None) -> str:
    """How long since, roughly: `today`, `5 days`, `7 weeks`, `14 months`, `3 years`."""
    if moment is None:
        return "never"
    days = days_since(moment, now)
    if days < 1:
        return "today"
    if days < 14:
        return f"{int(days)} day{'s' if int(days) != 1 else ''}"
    if days < 70:
        return f"{int(days / 7)} weeks"
    if days < 730:
        return f"{int(days / 30.44)} months"
    return f"{int(days / 365.25)} years"
