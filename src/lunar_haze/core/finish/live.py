"""From the light of a live picture to the screen, in as few passes over it as can be.

What needs a pixel's neighbours is done first; all else, the grade too, in one pass (`one_pass`) that ends in a table of
the view. A grade that stays as it is goes into that table: only a hand on the grade pays for it.
"""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish.grade import graded_nodes, live_tone
from lunar_haze.core.finish.grain import live_grains, width_px
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.one_pass import Shown, Tone, finish_rows
from lunar_haze.core.finish.scene_light import left_for_one_pass
from lunar_haze.core.finish.step import At
from lunar_haze.core.finish.steps import applied, plain_steps
from lunar_haze.core.finish.tables import content_of, graded_by, shown_by
from lunar_haze.core.finish.values import Cdl, Grade
from lunar_haze.core.picture.display import DisplayTable, axis, bake, grid_of, rounding_noise
from lunar_haze.core.picture.views import FALSE_COLOURS, VIEWS, false_step
from lunar_haze.core.units.photometry import MID_GREY

#: How false colour is kept in a table on its way to the screen: so many code values a stop, black at so many stops.
_CODES_A_STOP, _LOWEST_STOP = 12.0, -12.0
_NO_GRAIN = np.zeros((1, 1), np.float32)


class Finisher:
    """Finishes live pictures, and keeps what it needs from one to the next; ``cache`` is a folder for views."""

    def __init__(self, cache: Path | None = None) -> None:
        self._cache = cache
        self._views: dict[str, DisplayTable] = {}
        #: The view under steps on colours and a table from a file: what it was asked for, and all in one.
        self._tabled: tuple[tuple, DisplayTable] | None = None
        #: The last grade that was asked for with its table, and the two in one once it has been asked for again.
        self._asked: tuple[DisplayTable, Grade, Cdl] | None = None
        self._graded: DisplayTable | None = None

    def view(self, name: str) -> DisplayTable:
        """A view alone, ready to be applied; that of false colour gives code values that stand for stops."""
        if name not in self._views:
            if VIEWS[name].is_false_colour:
                self._views[name] = DisplayTable(_stops_table(grid_of(axis(), axis(), axis())))
            else:
                self._views[name] = DisplayTable(bake(self._cache, name))
        return self._views[name]

    def show(
        self,
        picture: NDArray[np.float32],
        finish: Finish,
        scale: float,
        tan_half_width: float,
        dither: bool = True,
        scattered: NDArray[np.float32] | None = None,
    ) -> NDArray[np.uint8]:
        """Screen pixels (h, w, 4) uint8, blue first, of light (h, w, 3) ACEScg [cd/m2] under a finish and exposure.

        ``scattered`` is what `glow.layer_scatter` makes of the picture, where that is known. Raises PictureError when
        the finish's table is gone or damaged.
        """
        finish = finish.in_force
        is_false = VIEWS[finish.view].is_false_colour
        dither &= not is_false
        light, glow, dark, balance = left_for_one_pass(picture, finish, scale, tan_half_width, scattered)
        table, tone = self._toned(finish)
        strength = 0.0 if is_false else finish.grain.strength
        if not (glow.share or dark.is_on or balance.is_on or tone.is_on or strength):
            codes = table.show(light, scale, dither)
        else:
            size = width_px(finish.grain, len(light))
            grains = live_grains(finish.grain.seed, size, *light.shape[:2]) if strength > 0.0 else _NO_GRAIN
            shown = Shown(table.flat, len(table.table), rounding_noise(dither), grains, np.float32(strength))
            codes = np.empty((*light.shape[:2], 4), np.uint8)
            exposed = np.ascontiguousarray(light, np.float32), np.float32(scale)
            finish_rows(*exposed, glow, *dark, balance, tone, shown, codes)
        return _FALSE_SCREEN[codes[..., 0]] if is_false else codes

    def _toned(self, finish: Finish) -> tuple[DisplayTable, Tone]:
        """The table of a finish, and what of its grade does not lie in it: all of it while a hand is on the grade."""
        table, tone = self._table_of(finish), live_tone(finish.grade, finish.cdl)
        # Colours that are pushed apart are cut off at black, each at a place of its own: too sharply for a table.
        if not tone.is_on or finish.cdl.saturation > 1.0 or VIEWS[finish.view].is_false_colour:
            return table, tone
        asked = (table, finish.grade, finish.cdl)
        if asked != self._asked:
            self._asked, self._graded = asked, None
            return table, tone
        if self._graded is None:
            self._graded = DisplayTable(table.values(graded_nodes(finish.grade, finish.cdl)))
        return self._graded, live_tone(Grade(), Cdl())

    def _table_of(self, finish: Finish) -> DisplayTable:
        view, steps = finish.view, plain_steps(At.COLOUR, finish)
        table = finish.table if finish.table is not None and finish.table.path else None
        if table is None and not steps:
            return self.view(view)
        asked = (view, steps, table, content_of(table) if table is not None else "")
        if self._tabled is None or self._tabled[0] != asked:
            nodes = applied(At.COLOUR, grid_of(axis(), axis(), axis()), finish)
            nodes = graded_by(nodes, table).astype(np.float32)
            is_false = VIEWS[view].is_false_colour
            seen = _stops_table(nodes) if is_false else shown_by(self.view(view).values(nodes), table)
            self._tabled = asked, DisplayTable(seen)
        return self._tabled[1]


def _stops_table(exposed: NDArray) -> NDArray[np.float32]:
    """Stops from mid grey of a table's nodes (N, N, N, 3), as grey code values in [0, 1] that can be blended."""
    level = np.maximum(exposed @ LUMINANCE_WEIGHTS.astype(np.float32), 1e-12)
    codes = (np.log2(level / MID_GREY) - _LOWEST_STOP) * _CODES_A_STOP
    return np.repeat(np.clip(codes / 255.0, 0.0, 1.0)[..., None], 3, -1).astype(np.float32)


def _false_screen() -> NDArray[np.uint8]:
    """Screen pixels (256, 4), blue first, by the code value that stands for stops."""
    steps = false_step(np.arange(256) / _CODES_A_STOP + _LOWEST_STOP)
    return np.concatenate([FALSE_COLOURS[steps][:, ::-1], np.full((256, 1), 255, np.uint8)], 1)


_FALSE_SCREEN = _false_screen()
