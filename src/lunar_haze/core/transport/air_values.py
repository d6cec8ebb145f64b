"""What the kernels of the live air hand to one another by name; compiled code takes these apart again."""

from typing import Any, NamedTuple


class Air(NamedTuple):
    """One medium before one lens: their rows, how far slices ``reach`` [m], and where they end [m] (slices + 1,)."""

    camera: Any
    medium: Any
    reach: Any
    ends: Any


class Slices(NamedTuple):
    """What every slice throws back, and the mist below it [m]: (rows, columns, slices) each."""

    scattered: Any
    below: Any


class Spotlight(NamedTuple):
    """A lamp or a sun, and its ways through the air.

    Its ``kind`` and row, and of `air_ways.Ways` the depths, ``glow`` (2,) and ``bed``: of a sun the mean intensity of
    scattered light by height: lowest [m], step [m], values [1/sr].
    """

    kind: Any
    row: Any
    way: Any
    glow: Any
    bed: Any


class Column(NamedTuple):
    """A ray's unit direction, and how many slices it sees."""

    dx: Any
    dy: Any
    dz: Any
    count: Any


class Cell(NamedTuple):
    """Where a ray lies in a grid of so many rows and columns."""

    y: Any
    x: Any
    rows: Any
    columns: Any


class Scratch(NamedTuple):
    """Memory to work in: a line of ways, what lies along a ray, and what comes of it."""

    line: Any
    along: Any
    value: Any


class Passing(NamedTuple):
    """How a ray passes a lamp.

    How far ``along`` it is nearest [m], how far ``apart`` it is there, that squared; the cosine at the lamp times
    the distance is ``e0 + e1 t``; the cosines between which a beam's edge lies.
    """

    along: Any
    apart: Any
    apart2: Any
    e0: Any
    e1: Any
    inner: Any
    outer: Any


class Pixels(NamedTuple):
    """Where pixels lie in the grid: the picture's size, unit ``directions`` (3, pixels), slice positions ``at``."""

    width: Any
    height: Any
    directions: Any
    at: Any


class Spotlights(NamedTuple):
    """Lamps and suns that are gathered at once: rows, colours (n, 3), glows (n, 2), beds (n, heights), where they lie.

    ``cores`` (n, 2) is where they lie in the picture; ``seen_at``, ``open_at`` and ``ways_at`` (n,) are the addresses
    of their looks, of what lies open to them (each rows, columns, slices) and of their ways.
    """

    rows: Any
    colours: Any
    glows: Any
    beds: Any
    cores: Any
    seen_at: Any
    open_at: Any
    ways_at: Any


class Change(NamedTuple):
    """Two media, ``before`` and ``after`` an edit, before one lens."""

    camera: Any
    before: Any
    after: Any


class Surfaces(NamedTuple):
    """Surfaces along rays (pixels,): depth [m], unit direction, and how much clearer the way to each becomes.

    ``column_change`` is how much clearer the column below it becomes; both are optical depths.
    """

    depth: Any
    dx: Any
    dy: Any
    dz: Any
    change: Any
    column_change: Any
