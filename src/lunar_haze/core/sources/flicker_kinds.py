"""The kinds of flicker: how a source's light changes by itself over time; each declared once, beside its value class.

A flicker has a seed and no memory: the light of any moment is known without that of the moments before. What is drawn
by chance is drawn in blocks of time, each from the seed and its own number.
"""

import functools
from collections.abc import Callable
from typing import Any, TypeVar

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.units.kinds import Kinds
from lunar_haze.core.units.row import Row, row

T = TypeVar("T", bound=type)
#: So often the light is looked at while the shutter is open, unless a kind knows its mean.
LOOKS = 48
SEED = row("flicker seed", "seed", "seed", "", 1.0, 40.0, 1.0, whole=True, floor=0.0, ceiling=9999.0,
           tip="another course of the same kind")  # fmt: skip


@attrs.frozen
class Flicker:
    """Base of all kinds: steady light."""

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        """Factor (n, 3) on the source's ACEScg light at moments (n,) [s]; ``kelvin`` is its lamp's temperature."""
        return np.ones((len(seconds), 3))

    def exposed(self, second: float, open_s: float, kelvin: float) -> NDArray[np.float64]:
        """Mean factor (3,) while a shutter is open for ``open_s`` [s] from a moment [s]."""
        moments = second + (np.arange(LOOKS) + 0.5) / LOOKS * open_s
        return np.asarray(self.light(moments, kelvin).mean(0))

    def turned_deg(self, second: float) -> float:
        """How far the source has turned about the vertical by a moment [degrees, clockwise from above]."""
        return 0.0

    @property
    def turns(self) -> bool:
        """Whether it moves its source."""
        return False


@attrs.frozen(eq=False)
class FlickerKind:
    """``name`` is the trade's own, ``tag`` stands for it in files, ``tip`` says what it is for."""

    value: type[Flicker]
    name: str
    tag: str
    tip: str
    rows: tuple[Row, ...]


_KINDS: Kinds[FlickerKind] = Kinds("flicker")


def flicker_kind(name: str, tip: str, rows: tuple[Row, ...] = ()) -> Callable[[T], T]:
    """Declares a kind of flicker by the class of its values (see `FlickerKind`)."""

    def declare(value: T) -> T:
        _KINDS.declare(FlickerKind(value, name, name.replace(" ", ""), tip, rows))
        return value

    return declare


def flicker_kinds() -> tuple[FlickerKind, ...]:
    """All kinds, in the order they are offered."""
    return tuple(_KINDS.values())


def flicker_kind_of(value: Any) -> FlickerKind:
    """The kind of a flicker."""
    return _KINDS[type(value)]


def flicker_tagged(tag: str) -> FlickerKind:
    """The kind that a file's tag stands for. Raises ValueError."""
    return _KINDS.tagged(tag)


flicker_kind("steady", "as it burns by itself")(Flicker)


def drawn(seed: int, block: int, what: str) -> np.random.Generator:
    """Chance that belongs to a block of time of a flicker."""
    return np.random.default_rng((seed, block + (1 << 20), *what.encode()))


@attrs.frozen(eq=False)
class Course:
    """Levels that hold from one moment to the next within a block: ``times`` (n,) [s] from its start, the first 0."""

    times: NDArray[np.float64]
    levels: NDArray[np.float64]

    @staticmethod
    def of_switch(times: list[float], levels: list[float], ends_s: float) -> "Course":
        """A switch that is on (1) or off (0): what comes at ``ends_s`` or later is left out, and it is on from then."""
        kept = [(time, level) for time, level in zip(times, levels) if time < ends_s]
        if kept[-1][1] == 0.0:
            kept.append((ends_s, 1.0))
        return Course(*(np.array(part) for part in zip(*kept)))

    def part_at(self, seconds: NDArray) -> NDArray[np.intp]:
        """Which of its levels (m,) holds at moments of the block."""
        return np.searchsorted(self.times, seconds, "right") - 1


def by_blocks(seconds: NDArray, block_s: float, value: Callable[[int, NDArray], NDArray]) -> NDArray[np.float64]:
    """What blocks of time give at moments (n,) [s]: ``value`` is asked for a block's number and moments within it."""
    seconds = np.asarray(seconds, float)
    numbers = np.floor(seconds / block_s).astype(int)
    parts = {int(n): value(int(n), seconds[numbers == n] - n * block_s) for n in np.unique(numbers)}
    first = next(iter(parts.values()))
    found = np.empty((len(seconds), *first.shape[1:]))
    for number, part in parts.items():
        found[numbers == number] = part
    return found


kept = functools.lru_cache(maxsize=256)
