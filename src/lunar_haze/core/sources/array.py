"""Lamps that are one source: alike and arranged, or many of a colour that are computed together."""

import math

import attrs
import numpy as np

from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.facing import Vec3, facing_frame
from lunar_haze.core.sources.kinds import Shape, SourceKind, kind_of, source_kind
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.units.row import Row, row

ARRANGEMENTS = ("ring", "row", "grid")
MOST_MEMBERS = 64


def _extent(name: str, path: str) -> Row:
    return row(f"array's {name}", f"array's {name}", path, "m", 0.1, 12.0, 1.0, ratio=True, floor=0.01, ceiling=500.0,
               tip="from its first lamp to its last")  # fmt: skip


@source_kind(
    "array", is_lamp=False,
    rows=(
        row("lamps", "lamps", "count", "", 1.0, 24.0, 8.0, whole=True, floor=1.0, ceiling=float(MOST_MEMBERS),
            tip="how many lamps share the level"),
        _extent("width", "width_m"), _extent("height", "height_m"),
        row("array turned", "array rotation", "turn_deg", "°", -90.0, 90.0, 0.0, tip="about the way it faces"),
    ),
)  # fmt: skip
@attrs.frozen
class LampArray(Shape):
    """``count`` lamps alike, arranged in the plane that faces ``aim``, as one source.

    A ring has the diameter ``width_m``, a row that length, a grid that width and ``height_m``.
    Lamps that ``converge`` all face the aim, others face the same way.
    """

    position: Vec3 = (0.0, 0.0, 3.0)
    aim: Vec3 = (0.0, 0.0, 0.0)
    lamp: Lamp = Ball(radius_m=0.03)
    arrangement: str = "ring"
    count: int = 8
    width_m: float = 1.0
    height_m: float = 0.6
    turn_deg: float = 0.0
    converge: bool = True

    def plain(self) -> "LampArray":
        return self if self.arrangement == "grid" else attrs.evolve(self, height_m=LampArray().height_m)

    def members(self) -> tuple[Lamp, ...]:
        """The lamps, each where it stands."""
        side, up, _axis = facing_frame(self.position, self.aim, self.turn_deg)
        found = []
        for x, y in self._spots():
            offset = side * x + up * y
            aim = np.asarray(self.aim) + (0.0 if self.converge else offset)
            where = tuple((np.asarray(self.position) + offset).tolist())
            found.append(self.lamp.moved(position=where, aim=tuple(aim.tolist())))
        return tuple(found)

    def _spots(self) -> list[tuple[float, float]]:
        count = min(max(self.count, 1), MOST_MEMBERS)
        if self.arrangement == "ring":
            angles = [2 * math.pi * i / count for i in range(count)]
            return [(self.width_m / 2 * math.cos(a), self.width_m / 2 * math.sin(a)) for a in angles]
        columns = count if self.arrangement == "row" else max(round(math.sqrt(count * self.width_m / self.height_m)), 1)
        rows = math.ceil(count / columns)

        def place(i: int, n: int, extent: float) -> float:
            return extent * (i / (n - 1) - 0.5) if n > 1 else 0.0

        return [
            (place(i % columns, min(columns, count), self.width_m), place(i // columns, rows, self.height_m))
            for i in range(count)
        ]


@source_kind("crowd of lamps", placed=False, is_lamp=False, in_files=False)
@attrs.frozen
class Crowd(Shape):
    """Many lamps of one colour that are computed as one: each with its share of the light they give together."""

    lamps: tuple[Lamp, ...]
    shares: tuple[float, ...]


Placed = Lamp | LampArray


def lamps_of(shape: Placed | Crowd) -> tuple[Lamp, ...]:
    """The lamps that a shape is made of, each where it stands; a lamp is made of itself."""
    if isinstance(shape, Crowd):
        return shape.lamps
    return shape.members() if isinstance(shape, LampArray) else (shape,)


def lamp_of(shape: Placed) -> Lamp:
    """A lamp, or the one that an array is made of."""
    return shape.lamp if isinstance(shape, LampArray) else shape


def moved(shape: Placed, position: Vec3 | None = None, aim: Vec3 | None = None) -> Placed:
    """A shape that stands elsewhere, or aims elsewhere; None leaves either as it is."""
    changes = {"position": position or shape.position, "aim": aim or shape.aim}
    return attrs.evolve(shape, **changes)  # type: ignore[arg-type]  # attrs does not take a union apart


def with_lamp(shape: Placed, lamp: Lamp) -> Placed:
    """A shape made of another lamp: itself, or the array of it."""
    return attrs.evolve(shape, lamp=lamp) if isinstance(shape, LampArray) else lamp


def as_kind(shape: Placed, kind: SourceKind) -> Placed:
    """A lamp as another kind, where it stands; an array is made of the lamp that was there."""
    if kind.value is LampArray:
        return shape if isinstance(shape, LampArray) else LampArray(shape.position, shape.aim, shape)
    lamp = lamp_of(shape)
    return (lamp if kind_of(lamp) is kind else kind.value()).moved(position=shape.position, aim=shape.aim)
