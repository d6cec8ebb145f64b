"""Finishes to begin with: eight moods, each a whole finish that is changed from there."""

import attrs

from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Cdl, Glow, Grade, Grain, Vignette, White

#: By the names that are chosen.
SHELF: dict[str, Finish] = {
    "soft dusk": Finish(
        glow=Glow(0.10, 1.2),
        grade=Grade(contrast=0.94, shoulder=0.35, split=0.35, shadows=(0.40, 0.46, 0.66), lights=(0.68, 0.52, 0.38)),
        vignette=Vignette(stops=-0.3),
    ),
    "cold night": Finish(
        white=White(4700.0),
        grade=Grade(exposure=-0.2, contrast=1.12, toe=-0.15),
        cdl=Cdl(saturation=0.82),
        vignette=Vignette(stops=-0.5),
    ),
    "lamplight": Finish(
        glow=Glow(0.14, 0.8),
        white=White(6900.0, -0.002),
        grade=Grade(contrast=1.04, shoulder=0.4, toe=0.15),
    ),
    "night by eye": Finish(night=0.9, grade=Grade(contrast=1.06, exposure=0.2), glow=Glow(0.06, 1.0)),
    "salt mist": Finish(
        glow=Glow(0.16, 2.0), grade=Grade(contrast=0.84, toe=0.35, shoulder=0.2), cdl=Cdl(saturation=0.85)
    ),
    "hard steel": Finish(
        white=White(5500.0),
        grade=Grade(contrast=1.22, shoulder=0.1),
        cdl=Cdl(saturation=0.6),
        vignette=Vignette(stops=-0.35),
    ),
    "old print": Finish(
        grade=Grade(
            contrast=0.95, toe=0.5, shoulder=0.55, split=0.55, shadows=(0.42, 0.52, 0.52), lights=(0.66, 0.56, 0.40)
        ),
        cdl=Cdl(saturation=0.8),
        grain=Grain(6.0, 2.2),
    ),
    "storm": Finish(
        white=White(5600.0, 0.004),
        grade=Grade(exposure=-0.35, contrast=1.25, toe=-0.1, shoulder=0.2),
        cdl=Cdl(saturation=0.75),
        vignette=Vignette(stops=-0.9),
        grain=Grain(2.5, 2.0),
    ),
}


def begun_with(name: str, before: Finish) -> Finish:
    """A finish of the shelf under the view, with the table and the masks that there were before."""
    return attrs.evolve(SHELF[name], view=before.view, table=before.table, masks=before.masks)


def name_of(finish: Finish) -> str:
    """The name under which a finish stands on the shelf, "" for none."""
    return next((name for name in SHELF if begun_with(name, finish) == attrs.evolve(finish, muted=False)), "")
