"""Patterns that break light: cut-outs in a beam's gate or on a card in space, drawn by code or from a picture.

A pattern is an image (SIZE, SIZE) float32 of how much light passes, 0 to 1, row 0 at the bottom.
"""

import functools
import math
from collections.abc import Callable
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter, map_coordinates

from lunar_haze.core.errors import SourceError
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.row import row, under

SIZE = 256
_LARGEST_PICTURE = 512 << 20
#: The kind that is read from a file: all others are drawn.
PICTURE = "picture"


@attrs.frozen
class CutOut:
    """One pattern: ``scale`` is how many times it repeats across, ``open_share`` how much of it is open.

    ``path`` names the picture of kind "picture", ``digest`` what that file holds: light passes where it is bright.
    """

    kind: str = "slats"
    scale: float = 8.0
    open_share: float = 0.5
    turn_deg: float = 0.0
    seed: int = 1
    path: str = ""
    digest: str = ""


#: Draws the image of a cut-out at places x, y (SIZE, SIZE) in [-0.5, 0.5] of it, before it is turned.
Drawn = Callable[[CutOut, NDArray, NDArray], NDArray]
_DRAWN: dict[str, Drawn] = {}


def drawn_as(name: str) -> Callable[[Drawn], Drawn]:
    """Declares a kind of cut-out by the function that draws it."""

    def declare(draw: Drawn) -> Drawn:
        _DRAWN[name] = draw
        return draw

    return declare


def kinds() -> tuple[str, ...]:
    """The names of all kinds, in the order of choice."""
    return (*_DRAWN, PICTURE)


CUTOUT_ROWS = under(
    "cut-out",
    row(
        "how many",
        "how many across",
        "scale",
        "",
        1.0,
        30.0,
        8.0,
        ratio=True,
        floor=0.5,
        ceiling=64.0,
        tip="more is finer",
        when=lambda cut: cut.kind not in (PICTURE, "window"),
    ),
    row(
        "transmission",
        "transmission",
        "open_share",
        "",
        0.05,
        0.95,
        0.5,
        floor=0.0,
        ceiling=1.0,
        tip="share of it that light passes",
        when=lambda cut: cut.kind != PICTURE,
    ),
    row(
        "cut-out turned",
        "rotation",
        "turn_deg",
        "°",
        -90.0,
        90.0,
        0.0,
        tip="about its middle",
        when=lambda cut: cut.kind != PICTURE,
    ),
    row(
        "cut-out seed",
        "seed",
        "seed",
        "",
        0.0,
        40.0,
        1.0,
        whole=True,
        floor=0.0,
        ceiling=1e6,
        tip="another pattern of the same kind",
        when=lambda cut: cut.kind in ("leaves", "branches", "ragged holes"),
    ),
)


def _grid_coordinates(turn_deg: float) -> tuple[NDArray, NDArray]:
    at = (np.arange(SIZE) + 0.5) / SIZE - 0.5
    x, y = np.meshgrid(at, at)
    c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    return c * x + s * y, c * y - s * x


def _gaps(along: NDArray, scale: float, open_share: float) -> NDArray:
    """Open gaps of a share of each period, antialiased over a texel; a bar stands in the middle of a period's end."""
    period = along * scale
    from_middle = np.abs(period - np.floor(period) - 0.5)
    return np.clip((open_share / 2 - from_middle) * SIZE / scale + 0.5, 0.0, 1.0)


def _at_share(field: NDArray, open_share: float, soft: float) -> NDArray:
    """Open where a field is lowest, over ``open_share`` of its area."""
    level = np.quantile(field, min(max(open_share, 0.0), 1.0))
    return np.clip((level - field) / max(soft, 1e-9) + 0.5, 0.0, 1.0)


@drawn_as("slats")
def _slats(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    return _gaps(y, cut.scale, cut.open_share)


@drawn_as("window")
def _window(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    """Two panes by three, between bars; outside it is shut."""
    bars = 1.0 - cut.open_share
    inside = np.clip((0.45 - np.maximum(np.abs(x), np.abs(y) * 0.75)) * SIZE + 0.5, 0, 1)
    return np.asarray(inside * _gaps(x, 2.2, 1.0 - bars * 0.5) * _gaps(y, 3.0, 1.0 - bars * 0.5))


@drawn_as("leaves")
def _leaves(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    """Pointed ovals strewn till they cover what is to be covered."""
    random = np.random.default_rng(cut.seed)
    covered = np.zeros((SIZE, SIZE), bool)
    length = 1.0 / max(cut.scale, 1.0)
    for _ in range(4000):
        if covered.mean() >= 1.0 - cut.open_share:
            break
        cx, cy = random.uniform(-0.7, 0.7, 2)
        angle, size = random.uniform(0, math.pi), length * random.uniform(0.6, 1.3)
        along = (x - cx) * math.cos(angle) + (y - cy) * math.sin(angle)
        across = (y - cy) * math.cos(angle) - (x - cx) * math.sin(angle)
        inside = np.abs(along) < size / 2
        width = size * 0.24 * np.cos(np.clip(along / size, -0.5, 0.5) * math.pi)
        covered |= inside & (np.abs(across) < width)
    return 1.0 - gaussian_filter(covered.astype(float), 0.7)


@drawn_as("branches")
def _branches(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    """Forking limbs that thin towards their tips."""
    random = np.random.default_rng(cut.seed)
    nearest = np.full((SIZE, SIZE), np.inf)
    thickness = 0.05 * (1.0 - min(max(cut.open_share, 0.05), 0.98)) * 2

    def limb(px: float, py: float, angle: float, length: float, width: float, depth: int) -> None:
        qx, qy = px + length * math.cos(angle), py + length * math.sin(angle)
        dx, dy = qx - px, qy - py
        t = np.clip(((x - px) * dx + (y - py) * dy) / max(dx * dx + dy * dy, 1e-12), 0, 1)
        distance = np.hypot(x - px - t * dx, y - py - t * dy) - width * (1 - 0.4 * t)
        np.minimum(nearest, distance, out=nearest)
        if depth:
            for turn in (random.uniform(0.25, 0.7), -random.uniform(0.25, 0.7)):
                limb(qx, qy, angle + turn, length * random.uniform(0.62, 0.8), width * 0.6, depth - 1)

    for _ in range(max(round(cut.scale / 3), 1)):
        start = random.uniform(-0.5, 0.5)
        limb(start, -0.55, math.pi / 2 + random.uniform(-0.4, 0.4), random.uniform(0.25, 0.4), thickness, 5)
    return np.clip(nearest * SIZE + 0.5, 0.0, 1.0)


@drawn_as("grid")
def _grid(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    root = math.sqrt(min(max(cut.open_share, 0.0), 1.0))
    return _gaps(x, cut.scale, root) * _gaps(y, cut.scale, root)


@drawn_as("ragged holes")
def _ragged(cut: CutOut, x: NDArray, y: NDArray) -> NDArray:
    random = np.random.default_rng(cut.seed)
    field = np.zeros((SIZE, SIZE))
    for octave in range(4):
        cells = max(round(cut.scale * 2**octave), 2)
        # Room for its corners when it is turned; the pattern beyond is the same again.
        coarse = random.standard_normal((2 * cells, 2 * cells))
        field += 0.5**octave * map_coordinates(
            coarse, [(y + 1.0) * cells, (x + 1.0) * cells], order=3, mode="grid-wrap"
        )
    return _at_share(field, cut.open_share, 0.06)


def _picture(path: str) -> NDArray:
    from PIL import Image

    from lunar_haze.core.units.pictures import UNREADABLE, open_picture

    try:
        with open_picture(read_regular(Path(path), _LARGEST_PICTURE)) as image:
            grey = image.convert("L").resize((SIZE, SIZE), Image.Resampling.BOX)
    except FileNotFoundError as error:
        raise SourceError(f"the cut-out's picture {path} is not there; choose it again") from error
    except UNREADABLE as error:
        raise SourceError(f"{Path(path).name} cannot be read as a picture; use a PNG or JPEG for a cut-out") from error
    return np.asarray(grey, float)[::-1] / 255.0


@functools.lru_cache(maxsize=32)
def pattern(cut: CutOut) -> NDArray[np.float32]:
    """The image of a cut-out (SIZE, SIZE) float32 in [0, 1]. Raises SourceError for a picture that cannot be read."""
    if cut.kind == PICTURE:
        image = _picture(cut.path)
    else:
        held = attrs.evolve(cut, scale=min(max(cut.scale, 0.5), 64.0))
        image = _DRAWN[cut.kind](held, *_grid_coordinates(cut.turn_deg))
    return np.ascontiguousarray(image, np.float32)
