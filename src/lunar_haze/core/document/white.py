"""The finish's white balance in step with the key light, where that is wished."""

import attrs

from lunar_haze.core.document.edits import change_finish
from lunar_haze.core.document.model import Document
from lunar_haze.core.finish.values import COOLEST_K, HOTTEST_K
from lunar_haze.core.readings.ratios import KEYS


def white_kept(before: Document, after: Document) -> Document:
    """An edited document whose neutral has moved by as many mired as the key light's colour temperature has.

    As it is where the look does not ask for it, has no key, or where a hand was at the white balance itself; a key that
    changes over the frames takes nothing along. ``before`` is the document that the edit was done to.
    """
    if not after.looks or not before.looks or not after.look.finish.white_follows:
        return after
    there = (after.current_look, after.current_shot, after.shot.frame, after.look.finish.white)
    if there != (before.current_look, before.current_shot, before.shot.frame, before.look.finish.white):
        return after
    key = next((s for s in after.look.sources if s.role in KEYS and s.kelvin is not None), None)
    was = None if key is None else before.look.source(key.id)
    if key is None or was is None or was.kelvin is None or key.kelvin is None or key.kelvin == was.kelvin:
        return after
    white = after.look.finish.white
    mired = 1e6 / white.kelvin + 1e6 / key.kelvin - 1e6 / was.kelvin
    kelvin = min(max(1e6 / max(mired, 1e-3), COOLEST_K), HOTTEST_K)
    return change_finish(after, white=attrs.evolve(white, kelvin=round(kelvin, 1)))
