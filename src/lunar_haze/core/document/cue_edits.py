"""Edits of cues over a range of frames: keys moved, eased, copied, stretched, repeated, varied by chance, baked."""

import math
from collections.abc import Iterable

import attrs
import numpy as np

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import cue_of, facet_of, with_cue, with_key
from lunar_haze.core.document.model import Cue, Document
from lunar_haze.core.errors import DocumentError
from lunar_haze.core.sources.flicker import STEADY, flicker_light
from lunar_haze.core.sources.gain import lamp_kelvin
from lunar_haze.core.units.curve import LINEAR, RECIPROCAL, THERE_AND_BACK, Key, scale_in_force

#: No curve has more keys.
MOST_KEYS = 5000
#: How dark a source without light is as a dimmer [stops].
_DARK_STOPS = -40.0


def merged(keys: Iterable[Key]) -> tuple[Key, ...]:
    """Keys in order; of those at one frame the last stays. Raises DocumentError for too many."""
    found = {key.frame: key for key in keys}
    if len(found) > MOST_KEYS:
        raise DocumentError(f"{len(found):,} keys are too many for one number; {MOST_KEYS:,} is the most")
    return tuple(found[frame] for frame in sorted(found))


def within(cue: Cue, first: float, last: float) -> tuple[Key, ...]:
    """The keys of a cue from one frame to another, both included."""
    return tuple(key for key in cue.keys if first <= key.frame <= last)


def _rest(cue: Cue, first: float, last: float) -> tuple[Key, ...]:
    return tuple(key for key in cue.keys if not first <= key.frame <= last)


def moved(cue: Cue, frames: Iterable[float], by: float) -> Cue:
    """A cue with the keys at some frames moved along by whole frames; keys that they land on give way."""
    chosen = set(frames)
    rest = [key for key in cue.keys if key.frame not in chosen]
    along = [attrs.evolve(key, frame=key.frame + round(by)) for key in cue.keys if key.frame in chosen]
    return attrs.evolve(cue, keys=merged([*rest, *along]))


def eased(cue: Cue, frames: Iterable[float], easing: str) -> Cue:
    """A cue with the keys at some frames reached and left by another easing (see `curve`)."""
    chosen = set(frames)
    return attrs.evolve(
        cue, keys=tuple(attrs.evolve(k, into=easing, out=easing) if k.frame in chosen else k for k in cue.keys)
    )


def pasted(cue: Cue, keys: tuple[Key, ...], at: float) -> Cue:
    """A cue with copied keys laid on it, the first of them at a frame."""
    along = at - keys[0].frame if keys else 0.0
    return attrs.evolve(cue, keys=merged([*cue.keys, *(attrs.evolve(k, frame=k.frame + along) for k in keys)]))


def stretched(cue: Cue, first: float, last: float, factor: float) -> Cue:
    """A cue whose keys from one frame to another take ``factor`` times as long, on whole frames; later ones make room.

    Raises DocumentError for a factor that is none.
    """
    if not (math.isfinite(factor) and factor > 0.0):
        raise DocumentError(f"nothing can be stretched to {factor:g} times its length")
    longer = (last - first) * (factor - 1.0)

    def put(key: Key) -> Key:
        if key.frame < first:
            return key
        along = first + (key.frame - first) * factor if key.frame <= last else key.frame + longer
        return attrs.evolve(key, frame=float(round(along)))

    return attrs.evolve(cue, keys=merged(put(key) for key in cue.keys))


def repeated(cue: Cue, first: float, last: float, times: int) -> Cue:
    """A cue whose keys from one frame to another come ``times`` more, one round after the other.

    A round is as long as the range: where its first and last key are alike they meet. Keys in the way give way.
    """
    keys, length = within(cue, first, last), last - first
    if not keys or length <= 0 or times <= 0:
        return cue
    if len(keys) * times > MOST_KEYS:
        raise DocumentError(f"{len(keys) * times:,} keys are too many for one number; {MOST_KEYS:,} is the most")
    ahead = [attrs.evolve(k, frame=k.frame + length * (n + 1)) for n in range(times) for k in keys]
    kept = [key for key in cue.keys if key.frame <= last or key.frame > last + length * times]
    return attrs.evolve(cue, keys=merged([*kept, *ahead]))


def varied(cue: Cue, first: float, last: float, share: float, frames: float, seed: int) -> Cue:
    """A cue whose keys from one frame to another lie elsewhere by chance, the same for the same ``seed``.

    Their numbers move by ``share`` of the range that they span (of themselves where they are all alike) as a standard
    deviation, and by up to ``frames`` to either side, never past a neighbour.
    """
    keys = within(cue, first, last)
    if not keys:
        return cue
    rng = np.random.default_rng(seed)
    scale = scale_in_force(keys, cue.scale)
    there, back = THERE_AND_BACK[scale]
    values = [there(key.value) for key in keys]
    span = max(values) - min(values) or abs(values[0]) or 1.0
    lowest = min(values) * 0.1 if scale == RECIPROCAL else -math.inf
    found, before = [], -math.inf
    for index, (key, value) in enumerate(zip(keys, values)):
        apart = round(float(rng.uniform(-frames, frames))) if frames > 0 else 0
        after = keys[index + 1].frame if index + 1 < len(keys) else last + 1
        frame = min(max(key.frame + apart, first, before + 1), last, after - 1)
        varied_value = back(max(value + share * span * float(rng.normal()), lowest))
        found.append(attrs.evolve(key, frame=frame, value=varied_value))
        before = frame
    return attrs.evolve(cue, keys=merged([*_rest(cue, first, last), *found]))


def in_bounds(document: Document, cue: Cue) -> Cue:
    """A cue whose numbers its row takes: those past its bounds lie on them."""
    facet = facet_of(document, *cue.name)
    if facet is None:
        return cue
    low, high = facet.row.floor, facet.row.ceiling
    return attrs.evolve(cue, keys=tuple(attrs.evolve(k, value=min(max(k.value, low), high)) for k in cue.keys))


def baked(document: Document, source_id: str) -> Document:
    """The document with a source's flicker as keys of its dimmer and colour at every frame of the shot, and no flicker.

    Raises DocumentError for a flicker that moves its source: that is no number.
    """
    source, shot = document.look.expect(source_id), document.shot
    if source.flicker.turns:
        raise DocumentError("a lamp that turns cannot be told by keys; key its azimuth instead")
    frames = range(shot.first_frame, shot.last_frame + 1)
    if len(frames) > MOST_KEYS:
        raise DocumentError(f"{len(frames):,} frames are too many for keys; {MOST_KEYS:,} is the most")
    kelvin = lamp_kelvin(source, document.look.weather.atmosphere)
    light = np.array(
        [flicker_light(source.flicker, (f - shot.first_frame) / shot.rate, shot.open_s, kelvin) for f in frames]
    )
    flickering = edits.change_source(document, source_id, flicker=STEADY)
    rows: dict[str, list[float]] = {}
    peak = np.maximum(light.max(1), 1e-30)
    level = light @ np.full(3, 1 / 3)
    rows["dimmer"] = [
        max(source.dimmer_stops + math.log2(v), _DARK_STOPS) if v > 1e-12 else _DARK_STOPS for v in level.tolist()
    ]
    if float(np.ptp(light / peak[:, None], axis=1).max()) > 1e-3:
        # Its colour goes along in the gel: whatever its flicker does to it.
        colours = np.where(level[:, None] > 1e-12, light / np.maximum(level[:, None], 1e-12), 1.0)
        for axis, name in enumerate(("gel red", "gel green", "gel blue")):
            rows[name] = (source.gel[axis] * colours[:, axis]).tolist()
    for row, values in rows.items():
        flickering = with_key(flickering, source_id, row, values[0], frame=float(frames[0]))
        cue = cue_of(flickering, source_id, row)
        assert cue is not None
        keys = merged([*cue.keys, *(Key(float(f), v, LINEAR, LINEAR) for f, v in zip(frames, values))])
        flickering = with_cue(flickering, attrs.evolve(cue, keys=keys))
    return flickering
