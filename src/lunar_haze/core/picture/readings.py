"""What the picture measures: its light in whole stops round mid grey, its mist and its shafts."""

import attrs
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter, uniform_filter

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.units.photometry import MID_GREY

#: Stops under and over mid grey that the ribbon tells apart.
RIBBON_LOW, RIBBON_HIGH = -9, 7


@attrs.frozen(eq=False)
class Ribbon:
    """Shares of the picture's area by stop: ``cells`` from RIBBON_LOW to RIBBON_HIGH, and what lies outside."""

    cells: NDArray[np.float64]
    below: float
    above: float


def stops_of(picture: NDArray, scale: float) -> NDArray[np.float32]:
    """Stops over mid grey (H, W) of light ``picture`` (H, W, 3) [cd/m2]; -inf where there is none.

    ``scale`` is the exposure factor, by which mid grey is 0.18.
    """
    with np.errstate(divide="ignore"):
        return np.log2(np.maximum(luminance(picture), 0.0) * np.float32(scale / MID_GREY))


def ribbon(picture: NDArray, scale: float) -> Ribbon:
    """The stop ribbon of a picture (H, W, 3) [cd/m2] under an exposure."""
    stops = np.floor(stops_of(picture, scale) + 0.5)
    total = stops.size
    inside = (stops >= RIBBON_LOW) & (stops <= RIBBON_HIGH)
    counts = np.bincount((stops[inside] - RIBBON_LOW).astype(int), minlength=RIBBON_HIGH - RIBBON_LOW + 1)
    return Ribbon(counts / total, float((stops < RIBBON_LOW).sum() / total), float((stops > RIBBON_HIGH).sum() / total))


@attrs.frozen
class AirReading:
    """What the mist does: its share of the light where it is read, and of whose light most of it is (name, share)."""

    share: float
    most: str
    most_share: float


def air_reading(
    parts: dict[str, tuple[NDArray, NDArray]], inside: NDArray[np.bool_] | None = None
) -> AirReading | None:
    """Reading of the mist over the pixels ``inside`` (all, without it); None where there is no light.

    ``parts`` are each source's surface and air part of the picture (H, W, 3), as mixed.
    """
    where = slice(None) if inside is None or not inside.any() else inside
    surface = {k: float(np.maximum(luminance(s)[where], 0).mean()) for k, (s, _a) in parts.items()}
    air = {k: float(np.maximum(luminance(a)[where], 0).mean()) for k, (_s, a) in parts.items()}
    mist, total = sum(air.values()), sum(air.values()) + sum(surface.values())
    if total <= 0.0:
        return None
    most = max(air, key=lambda k: air[k])
    return AirReading(mist / total, most, air[most] / mist if mist > 0 else 0.0)


def contrast_eaten(surface: NDArray, air: NDArray, inside: NDArray[np.bool_] | None = None) -> float:
    """Share of the contrast (deviation over mean) of ``surface`` (H, W, 3) that ``air`` over it takes, in [0, 1]."""
    where = slice(None) if inside is None else inside
    bare, seen = luminance(surface)[where], luminance(surface + air)[where]
    before, after = (float(x.std()) / max(float(x.mean()), 1e-30) for x in (bare, seen))
    return min(max(1.0 - after / before, 0.0), 1.0) if before > 0 else 0.0


@attrs.frozen
class Shafts:
    """Where shafts are strongest, in shares of width and height, and what share of the light they differ by there."""

    x: float
    y: float
    strength: float


def _without_specks(light: NDArray) -> NDArray:
    """Luminance (H, W) in which no pixel is brighter than the brightest about it: grain is, a shaft is not."""
    about = np.ones((3, 3), bool)
    about[1, 1] = False
    return np.minimum(light, maximum_filter(light, footprint=about))


def shafts(air: NDArray, picture: NDArray) -> Shafts | None:
    """Where airlight (H, W, 3) differs most from that beside it, against the picture's own light; None in the dark.

    At each pixel the dimmer of two pictures, as it is and with the airlight that lies beside, falls
    short of the brighter by a share; the strength is the mean of it round about.
    """
    light, total = (_without_specks(np.maximum(luminance(p), 0.0)) for p in (air, picture))
    size = max(light.shape[1] // 10, 3)
    # The filter's running sums leave a little less than nothing behind what is very bright.
    beside = np.maximum(uniform_filter(light, size), 0.0)
    if not total.max() > 0:
        return None
    brighter = np.maximum(total, total - light + beside) + 0.02 * total.mean()
    strength = uniform_filter(np.abs(light - beside) / brighter, size)
    row, column = np.unravel_index(int(strength.argmax()), strength.shape)
    return Shafts((column + 0.5) / light.shape[1], (row + 0.5) / light.shape[0], float(strength[row, column]))
