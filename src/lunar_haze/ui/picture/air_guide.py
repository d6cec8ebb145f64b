"""What the mist of the present picture does, measured and in words."""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.air.sight import metres_seen
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.readings import Shafts, air_reading, contrast_eaten, shafts
from lunar_haze.core.plan.frames import air_before, view_of
from lunar_haze.core.sources.model import Sun
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.picture.bridge import RenderBridge

#: From this share of mist in the light on a picture is washed out.
WASHED_OUT = 0.75
#: Shafts that differ less from the air beside them are not seen.
LEAST_SHAFTS = 0.02
#: Pixels that are read as one.
_STEP = 4


def sight_words(medium: Medium, bridge: RenderBridge) -> str:
    """The visibility from the lens where it points, on the level."""
    camera = bridge.session.document.shot.seen_from
    x, y, z = camera.axes()[2]
    level = math.hypot(x, y)
    towards = (x / level, y / level, 0.0) if level > 1e-3 else (x, y, z)
    far = metres_seen(medium, camera.position, towards)
    return "visibility from the lens " + ("through to the sky" if math.isinf(far) else format_quantity(far, "m"))


def place_words(found: Shafts) -> str:
    """Where in the picture shafts read best."""
    across = ("left", "middle", "right")[min(int(3 * found.x), 2)]
    down = ("upper", "", "lower")[min(int(3 * found.y), 2)]
    where = f"{down} {across}".strip() if across != "middle" or down else "very middle"
    return f"shafts read best in the {where}, where they are {found.strength:.0%} of the light"


def _parts(bridge: RenderBridge) -> dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]]:
    """Surface and air of every active source that is known, by its id, as mixed and in few pixels."""
    look = bridge.session.document.look
    found: dict[str, tuple[NDArray[np.float32], NDArray[np.float32]]] = {}
    for source in (s for s in look.balanced() if s.id in look.active()):
        for gain in bridge.gains.lone((source,)):
            image = bridge.light.layer(gain.key)
            if image is not None:
                surface = block_mean(image.surface, _STEP) * np.asarray(gain.surface, np.float32)
                air = block_mean(image.air, _STEP) * np.asarray(gain.air, np.float32)
                if source.id in found:
                    surface, air = found[source.id][0] + surface, found[source.id][1] + air
                found[source.id] = surface, air
    return found


def air_words(bridge: RenderBridge) -> str:
    """What the mist does to the subject, or to the whole picture, and the visibility in it."""
    document = bridge.session.document
    medium = air_before(document.look.medium, view_of(document.shot, bridge.asking.size()))
    if medium.is_clear:
        return "clear: nothing lies in the air"
    parts = _parts(bridge)
    if not parts:
        return sight_words(medium, bridge)  # the light of this mist is still on its way
    inside, what = bridge.lens.subject_mask(_STEP), "of the picture"
    if inside is not None:
        what = "where the subject is"
    reading = air_reading(parts, inside)
    if reading is None:
        return "the picture is black; nothing can be read"
    look = document.look
    most = look.expect(reading.most).name
    surface, air = (np.sum([part[n] for part in parts.values()], 0) for n in (0, 1))
    eaten = contrast_eaten(surface, air, inside)
    words = [
        sight_words(medium, bridge),
        f"mist gives {reading.share:.0%} of the light {what}, most of it from {most}, "
        f"and eats {eaten:.0%} of the contrast",
    ]
    suns = [part[1] for source_id, part in parts.items() if isinstance(look.expect(source_id).shape, Sun)]
    if suns:
        found = shafts(np.sum(suns, 0), surface + air)
        seen = found is not None and found.strength >= LEAST_SHAFTS
        words.append(place_words(found) if found is not None and seen else "the sun makes no shafts here")
    if reading.share > WASHED_OUT:
        words.append(f"it washes out ({most}: {reading.most_share:.0%}): see farther, or let that show less in the air")
    return "; ".join(words)
