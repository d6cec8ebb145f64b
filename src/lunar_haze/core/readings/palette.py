"""The colours that make a picture: five to eight, by area and by pull, in a steady order, and how they stand together.

The picture's pixels are parted by lightness into six equal groups, whose means do not jump when a dimmer moves, and
what stands out by its colour is found apart from them: small accents would drown in a mean.
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.ottosson2020 import oklab_to_acescg
from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, srgb_encode

GROUPS, ACCENTS = 6, 2
#: Colourfulness from which a colour has a hue that counts.
COLOURED = 0.025
#: How far an accent lies from the mean of its group, and the least share of the picture that it has.
APART, LEAST = 0.07, 0.0015


@attrs.frozen(eq=False)
class Swatch:
    """One colour of a picture: sRGB in [0, 1], Oklab, its share of the area, its pull on the eye, where it lies."""

    rgb: tuple[float, float, float]
    lab: tuple[float, float, float]
    area: float
    pull: float
    where: NDArray[np.bool_]

    @property
    def hue_deg(self) -> float:
        """Hue in Oklab."""
        return math.degrees(math.atan2(self.lab[2], self.lab[1])) % 360.0

    @property
    def chroma(self) -> float:
        """Colourfulness in Oklab."""
        return math.hypot(self.lab[1], self.lab[2])


@attrs.frozen(eq=False)
class Palette:
    """Swatches, dark to light, then accents; and the relation that their hues stand in, in words."""

    swatches: tuple[Swatch, ...]
    relation: str


def palette(screen: NDArray) -> Palette:
    """The palette of a picture as the screen shows it (h, w, 3), in Oklab; swatches lie in every second pixel of it."""
    screen = screen[::2, ::2]
    lab = screen.reshape(-1, 3)
    order = np.argsort(lab[:, 0], kind="stable")
    mean = lab.mean(0)
    swatches: list[Swatch] = []
    accents: list[Swatch] = []
    for group in np.array_split(order, GROUPS):
        base = np.median(lab[group], axis=0)
        away = np.hypot(lab[group, 1] - base[1], lab[group, 2] - base[2])
        is_accent = away > APART
        rest = group[~is_accent] if (~is_accent).any() else group
        swatches.append(_swatch(rest, lab, mean, screen.shape[:2]))
        accents += _accents(group[is_accent], lab, mean, screen.shape[:2])
    accents = sorted(_merged(accents), key=lambda s: -s.pull)[:ACCENTS]
    found = tuple(swatches + sorted(accents, key=lambda s: s.hue_deg))
    return Palette(found, relation(found))


def _swatch(members: NDArray, lab: NDArray, mean: NDArray, shape: tuple[int, ...]) -> Swatch:
    colour = lab[members].mean(0)
    area = len(members) / len(lab)
    where = np.zeros(len(lab), bool)
    where[members] = True
    apart = float(np.sqrt((colour[0] - mean[0]) ** 2 + 4 * ((colour[1:] - mean[1:]) ** 2).sum()))
    return Swatch(_as_srgb(colour), tuple(colour.tolist()), area, math.sqrt(area) * apart, where.reshape(shape))


def _as_srgb(colour: NDArray) -> tuple[float, float, float]:
    r, g, b = np.clip(srgb_encode(np.clip(oklab_to_acescg(colour) @ ACESCG_TO_SRGB.T, 0.0, 1.0)), 0.0, 1.0).tolist()
    return r, g, b


def _accents(members: NDArray, lab: NDArray, mean: NDArray, shape: tuple[int, ...]) -> list[Swatch]:
    """What stands out in a group, by the third of the circle of hues that it lies in."""
    if len(members) < LEAST * len(lab):
        return []
    hue = np.arctan2(lab[members, 2], lab[members, 1])
    sector = np.floor((hue + math.pi) / (2 * math.pi / 3 + 1e-9)).astype(int)
    return [
        _swatch(members[sector == s], lab, mean, shape) for s in range(3) if (sector == s).sum() >= LEAST * len(lab)
    ]


def _merged(accents: list[Swatch]) -> list[Swatch]:
    """Accents of nearly one colour as one: the one that pulls most, with all their areas."""
    kept: list[Swatch] = []
    for accent in sorted(accents, key=lambda s: -s.pull):
        near = next((k for k in kept if math.dist(k.lab[1:], accent.lab[1:]) < APART), None)
        if near is None:
            kept.append(accent)
        else:
            area = near.area + accent.area
            pull = near.pull * math.sqrt(area / max(near.area, 1e-9))
            kept[kept.index(near)] = attrs.evolve(near, area=area, pull=pull, where=near.where | accent.where)
    return kept


def relation(swatches: tuple[Swatch, ...]) -> str:
    """How the hues of a palette stand together, in plain words."""
    coloured = [s for s in swatches if s.chroma >= COLOURED]
    if not coloured:
        return "greys"
    weights = np.array([s.chroma * math.sqrt(s.area) for s in coloured])
    angles = np.radians([s.hue_deg for s in coloured])
    lead = coloured[int(np.argmax(weights))]
    apart = np.abs((np.degrees(angles) - lead.hue_deg + 180.0) % 360.0 - 180.0)
    far = apart > 120.0
    beside = (apart > 30.0) & (apart <= 75.0)
    between = (apart > 75.0) & (apart <= 120.0)
    total = weights.sum()
    if (apart <= 30.0).all():
        return f"one hue ({hue_word(lead.hue_deg)})"
    if far.any() and weights[far].sum() >= 0.1 * total:
        other = coloured[int(np.argmax(np.where(far, weights, 0)))]
        kind = "opposed" if weights[far].sum() >= 0.25 * total else "one hue and an accent against it"
        return f"{kind}: {hue_word(lead.hue_deg)} and {hue_word(other.hue_deg)}"
    if far.any():
        other = coloured[int(np.argmax(np.where(far, weights, 0)))]
        return f"one hue ({hue_word(lead.hue_deg)}) and an accent ({hue_word(other.hue_deg)})"
    if between.any():
        other = coloured[int(np.argmax(np.where(between, weights, 0)))]
        return f"two hues a third of the circle apart: {hue_word(lead.hue_deg)} and {hue_word(other.hue_deg)}"
    if beside.any():
        other = coloured[int(np.argmax(np.where(beside, weights, 0)))]
        return f"neighbours: {hue_word(lead.hue_deg)} and {hue_word(other.hue_deg)}"
    return f"one hue ({hue_word(lead.hue_deg)})"


#: Hues of Oklab from which a word holds [deg].
_WORDS = (
    (15.0, "pink"), (45.0, "red"), (75.0, "orange"), (110.0, "yellow"), (130.0, "yellow green"), (165.0, "green"),
    (200.0, "cyan green"), (230.0, "cyan"), (275.0, "blue"), (310.0, "violet"), (345.0, "magenta"), (360.0, "pink"),
)  # fmt: skip


def hue_word(hue_deg: float) -> str:
    """A plain word for a hue of Oklab."""
    return next(word for upto, word in _WORDS if hue_deg % 360.0 < upto)


def hue_circle(lab: NDArray, cells: int = 64, most: float = 0.2) -> NDArray[np.float32]:
    """How much of a picture (h, w, 3) in Oklab lies at each hue and colourfulness: (cells, cells) shares of it.

    Grey is in the middle, ``most`` of colourfulness at the rim; the first axis is b upwards (row 0 is yellow), the
    second a to the right (red).
    """
    a, b = lab[..., 1].ravel(), lab[..., 2].ravel()
    reach = np.maximum(np.hypot(a, b) / most, 1.0)
    column = np.clip(((a / reach / most + 1.0) / 2.0 * cells).astype(np.int64), 0, cells - 1)
    row = np.clip(((1.0 - b / reach / most) / 2.0 * cells).astype(np.int64), 0, cells - 1)
    counts = np.bincount(row * cells + column, minlength=cells * cells).reshape(cells, cells)
    return (counts / a.size).astype(np.float32)
