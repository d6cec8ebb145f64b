"""What can be asked of a picture: a reading with a wanted value, as it is typed and as it is told."""

import math
import re

import attrs

from lunar_haze.core.errors import HazeError

KINDS = ("key to fill", "rim to key", "subject", "subject level", "warm", "share")


class AskError(HazeError):
    """An ask that is none: a sentence to show."""


@attrs.frozen
class Ask:
    """A reading with a wanted value.

    ``kind`` is one of KINDS; ``value`` a ratio (key to fill, rim to key), stops (subject to background; subject level
    about mid grey) or a share in [0, 1] (warm; a source's share of the subject, ``source_id``).
    """

    kind: str
    value: float
    source_id: str = ""

    @property
    def words(self) -> str:
        """What is asked for, as it is told."""
        if self.kind in ("key to fill", "rim to key"):
            return f"{self.kind} {self.value:.3g} : 1"
        if self.kind in ("warm", "share"):
            return f"{self.kind} {self.value:.0%}"
        return f"{self.kind} {self.value:+.2g} stops"


_RATIO = re.compile(r"^\s*(?P<a>[\d.,]+)\s*(?::|to|/)\s*(?P<b>[\d.,]+)\s*$")
_STOPS = re.compile(
    r"^\s*(?P<n>[+−-]?[\d.,]+)\s*(?:stops?|ev)?\s*(?P<way>under|over|below|above)?(?:\s+the\s+\w+)?\s*$", re.I
)
_SHARE = re.compile(r"^\s*(?:warm|cool)?\s*(?P<n>[\d.,]+)\s*(?P<unit>%)?\s*(?:warm)?\s*$", re.I)


def parse_ask(kind: str, text: str, source_id: str = "") -> Ask:
    """An ask as a person types it: ``4:1``, ``-2 stops``, ``3 stops under``, ``60 %``. Raises AskError."""
    if kind in ("key to fill", "rim to key"):
        match = _RATIO.match(text)
        number = _SHARE.match(text) if match is None else None
        if match is not None and _number(match["b"]) > 0:
            value = _number(match["a"]) / _number(match["b"])
        elif number is not None and not number["unit"]:
            value = _number(number["n"])
        else:
            raise AskError(f"“{text}” is no ratio; type one as 4:1")
        least = 1.0 if kind == "key to fill" else 0.0
        if not least < value <= 1e4:
            more = "more than 1:1, since fill counts on both sides" if least else "more than 0:1"
            raise AskError(f"“{text}” cannot be: {kind} is {more}, and at most 10000:1")
        return Ask(kind, value)
    if kind in ("subject", "subject level"):
        found = _STOPS.match(text)
        if found is None:
            raise AskError(f"“{text}” is no number of stops; type one as -2 stops, or 2 stops under")
        stops = _number(found["n"]) * (-1.0 if (found["way"] or "").lower() in ("under", "below") else 1.0)
        if abs(stops) > 20:
            raise AskError(f"“{text}” cannot be: between -20 and +20 stops")
        return Ask(kind, stops)
    share = _SHARE.match(text)
    if share is None:
        raise AskError(f"“{text}” is no share; type one as 60 %")
    value = _number(share["n"]) / (100.0 if share["unit"] or _number(share["n"]) > 1.0 else 1.0)
    if not 0.0 < value < 1.0:
        raise AskError(f"“{text}” cannot be: a share lies between 0 % and 100 %, both left out")
    if text.strip().lower().startswith("cool"):
        value = 1.0 - value
    return Ask(kind, value, source_id)


def _number(text: str) -> float:
    try:
        value = float(text.replace("−", "-").replace(",", "."))
    except ValueError as error:
        raise AskError(f"“{text}” is no number") from error
    if not math.isfinite(value):
        raise AskError(f"“{text}” is no number that can be used")
    return value


@attrs.frozen
class Freedom:
    """How far one source may move when asks are met: its dimmer [stops, low to high; None for as far as dimmers go],
    and its colour temperature [mired, cooler to warmer; None where it stays].
    """

    stops: tuple[float, float] | None = None
    mired: tuple[float, float] | None = None

    @property
    def words(self) -> str:
        """As it is told and typed."""
        told = [
            _span_words(span, unit) for span, unit in ((self.stops, "stops"), (self.mired, "mired")) if span is not None
        ]
        return ", ".join(told) or FREE


#: A source that may move its dimmer as far as dimmers go, and keeps its colour.
FREE = "free"

_SPAN = re.compile(
    r"^\s*(?:(?:±|\+-|\+/-)?\s*(?P<both>[\d.]+)|(?P<low>[+−-]?[\d.]+)\s*(?:to|\.\.+|–)\s*(?P<high>[+−-]?[\d.]+))"
    r"\s*(?P<unit>stops?|mired)?\s*$",
    re.I,
)
#: The widest spans that mean anything.
_MOST = {"stops": 20.0, "mired": 300.0}


def parse_freedom(text: str) -> Freedom:
    """How far a source may move, as typed: ``free``, ``±1 stop``, ``-2 to +1 stops``, ``1 stop, 40 mired``.

    Raises AskError.
    """
    if text.strip().lower() in ("", FREE):
        return Freedom()
    spans: dict[str, tuple[float, float]] = {}
    for part in text.split(","):
        found = _SPAN.match(part)
        if found is None:
            raise AskError(f"“{part.strip()}” is no span; type one as ±1 stop, -2 to +1 stops, or 1 stop, 40 mired")
        unit = "mired" if (found["unit"] or "").lower() == "mired" else "stops"
        if found["both"] is not None:
            low, high = -_number(found["both"]), _number(found["both"])
        else:
            low, high = _number(found["low"]), _number(found["high"])
        if not low <= 0.0 <= high:
            raise AskError(f"“{part.strip()}” leaves out where the source is now; let the span reach over 0")
        if max(-low, high) > _MOST[unit]:
            raise AskError(f"“{part.strip()}” is too wide; at most ±{_MOST[unit]:.0f} {unit}")
        if unit in spans:
            raise AskError(f"“{text.strip()}” has two spans in {unit}; keep one")
        spans[unit] = low, high
    return Freedom(spans.get("stops"), spans.get("mired"))


def _span_words(span: tuple[float, float], unit: str) -> str:
    low, high = span
    name = "stop" if unit == "stops" and max(-low, high) == 1.0 and low == -high else unit
    return f"±{high:g} {name}" if low == -high else f"{low:+g} to {high:+g} {name}"
