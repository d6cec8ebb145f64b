"""The finish of a look: what becomes of its light on the way to the picture, as one frozen value.

Steps stand in a fixed order: masks, floating dust, stars, ghosts, glow and halation, night by eye, white balance,
vignette (in scene light); exposure and contrast, toe and shoulder, CDL, split tone, colour suppression, table (on
exposed light); view; grain. What they are is declared in `steps`. A step at its usual numbers is off and costs
nothing. Sizes are shares of the frame's height, so that a finish does not change with the picture's size.
"""

import attrs

from lunar_haze.core.finish.mask_model import Mask
from lunar_haze.core.finish.steps import FINISH_ROWS, STEPS, put_step
from lunar_haze.core.finish.suppress import Suppression
from lunar_haze.core.finish.values import (
    Aperture,
    Cdl,
    Dust,
    Glow,
    Grade,
    Grain,
    Halation,
    TableFile,
    Vignette,
    White,
)
from lunar_haze.core.picture.views import USUAL_VIEW


@attrs.frozen
class Finish:
    """All steps; ``masks`` come first. ``night`` is how much of the night is seen by the eye rather than by a camera,
    ``acuity`` and ``dark_noise`` how much of what the dark does to it, in [0, 1]; ``star`` and ``ghosts`` how strong
    these are, 1 as the lens has them; ``white_follows`` keeps the white balance in step with the key light; ``view``
    the name of the view (`lunar_haze.core.picture.views`). ``muted`` leaves all but the view out, ``off`` some of the
    STEPS by name.
    """

    glow: Glow = Glow()
    night: float = 0.0
    white: White = White()
    vignette: Vignette = Vignette()
    grade: Grade = Grade()
    cdl: Cdl = Cdl()
    table: TableFile | None = None
    view: str = USUAL_VIEW
    grain: Grain = Grain()
    muted: bool = False
    masks: tuple[Mask, ...] = ()
    star: float = 0.0
    ghosts: float = 0.0
    aperture: Aperture = Aperture()
    halation: Halation = Halation()
    acuity: float = 0.0
    dark_noise: float = 0.0
    off: tuple[str, ...] = ()
    white_follows: bool = False
    dust: Dust = Dust()
    suppression: Suppression = Suppression()

    @property
    def in_force(self) -> "Finish":
        """The finish as it is applied: without its steps when it is muted, or without those that are off."""
        if self.muted:
            return Finish(view=self.view)
        if not self.off:
            return self
        found = attrs.evolve(self, off=())
        for step in STEPS:
            if step.name in self.off:
                found = put_step(found, _PLAIN, step)
        return found

    @property
    def masks_at_work(self) -> tuple[Mask, ...]:
        """The masks that change something now; those that are alone, where there are any."""
        masks = self.in_force.masks
        chosen = [mask for mask in masks if mask.alone and not mask.muted] or masks
        return tuple(mask for mask in chosen if mask.is_at_work)


#: Every step at its usual numbers.
_PLAIN = Finish()


def between(one: Finish, two: Finish, share: float) -> Finish:
    """A finish between two: every number of its rows goes evenly, ratios by factors; the rest is the nearer one's."""
    near = one if share < 0.5 else two
    for each in FINISH_ROWS:
        a, b = each.read(one), each.read(two)
        mixed = a * (b / a) ** share if each.ratio and min(a, b) > 0 else a + (b - a) * share
        near = each.write(near, mixed)
    return near
