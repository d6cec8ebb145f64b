"""What the kernels of a path hand to one another by name: values of a few numbers, or of borrowed arrays.

Compiled code takes them apart again: they cost nothing there.
"""

from typing import Any, NamedTuple

from lunar_haze.core.transport.lights import LightArrays
from lunar_haze.core.transport.scene import SceneArrays


class Ray(NamedTuple):
    """Where a ray starts [m] and its unit direction."""

    ox: Any
    oy: Any
    oz: Any
    dx: Any
    dy: Any
    dz: Any


#: Columns of the active layers: the number of each one's source, the slot of its sums, and the row at which the picture
#: of its stars begins, -1 for none.
NUMBER, SLOT, STARS, ACTIVE_COLUMNS = 0, 1, 2, 3


class Setting(NamedTuple):
    """What paths go through, and whose light they look for.

    ``active`` (n, ACTIVE_COLUMNS) int64 lists the sources that take part; ``emphasis`` (n, 7) float32 what their light
    adds to the picture (see `importance`).
    """

    scene: SceneArrays
    lights: LightArrays
    active: Any
    emphasis: Any


class Layers(NamedTuple):
    """What passes are added to: pools of ``surface`` and ``air`` (slots, pixels, 3), and ``looks`` (pixels, LOOKS)."""

    surface: Any
    air: Any
    looks: Any


class Tiles(NamedTuple):
    """Tiles to be traced: their ``numbers`` (n,), the ``samples`` (n,) to take, and whose pixels they hold.

    ``pixels`` and ``starts`` are those of `view.pixel_tiles`.
    """

    pixels: Any
    starts: Any
    numbers: Any
    samples: Any


class Draw(NamedTuple):
    """Names the random numbers of one turn of a path: its ``seed``, the turn's ``base`` and the sample's ``index``."""

    seed: Any
    base: Any
    index: Any


class Carried(NamedTuple):
    """What a path carries when it leaves where it was.

    Its throughput rgb; the share of it, rgb, that was reflected as matte; ``pdf``, the density of its direction
    [1/sr], below zero behind a mirror and `onward.FROM_AIR` in the air; the object that it ``left``, -1 for none.
    """

    r: Any
    g: Any
    b: Any
    matte_r: Any
    matte_g: Any
    matte_b: Any
    pdf: Any
    left: Any


class End(NamedTuple):
    """Where a stretch of a path ends.

    The ``triangle``, -1 for the sky, at barycentric ``u``, ``v``; whether its ``front`` is met; how ``far`` it is [m],
    and the share of light that the air lets ``through`` on the way.
    """

    triangle: Any
    u: Any
    v: Any
    front: Any
    far: Any
    through: Any


class Spot(NamedTuple):
    """A point of a surface, a little off it [m], by how much, and the number of its object, -1 for none."""

    x: Any
    y: Any
    z: Any
    off: Any
    object: Any


class Facing(NamedTuple):
    """The geometric normal at a surface, facing the viewer, and the frame about its shading normal: a, b, n."""

    gx: Any
    gy: Any
    gz: Any
    ax: Any
    ay: Any
    az: Any
    bx: Any
    by: Any
    bz: Any
    nx: Any
    ny: Any
    nz: Any
