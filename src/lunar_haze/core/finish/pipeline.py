"""From the light of a picture to the screen: all steps of a finish in their order.

`Finisher` serves the live picture: light is finished by compiled kernels, and grade, table and view lie in one table.
`finished` serves stills, without a shortcut. Both take light in cd/m2 and the camera's exposure.
"""

import os
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.finish import grain
from lunar_haze.core.finish.grade import coupled_nodes, graded, per_channel
from lunar_haze.core.finish.model import Cdl, Finish, Grade, TableFile
from lunar_haze.core.finish.scene_light import in_light
from lunar_haze.core.finish.tables import content_of, graded_by, shown_by
from lunar_haze.core.picture.display import DisplayTable, axis, bake, grid_of
from lunar_haze.core.picture.views import FALSE_COLOUR, FALSE_COLOURS, SRGB, USUAL_VIEW, VIEWS, direct, false_step
from lunar_haze.core.units.photometry import MID_GREY

#: How false colour is kept in a table on its way to the screen: so many code values a stop, black at so many stops.
_CODES_A_STOP, _LOWEST_STOP = 12.0, -12.0


#: A still goes through grade and view by so many rows at a time.
_ROWS = 32


def _threads() -> int:
    return os.cpu_count() or 1


def finished(
    picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float, screen: str = SRGB
) -> NDArray[np.float32]:
    """A still (h, w, 3) in [0, 1] as a screen shows it, of light (h, w, 3) ACEScg [cd/m2]; ``scale`` is the exposure.

    Raises PictureError when the finish's table is gone or damaged.
    """
    finish = finish.in_force
    light = in_light(picture, finish, scale, tan_half_width)
    shown = np.empty(light.shape, np.float32)

    def to_screen(start: int) -> None:
        rows = slice(start, start + _ROWS)
        exposed = graded_by(graded(light[rows] * np.float32(scale), finish.grade, finish.cdl), finish.table)
        shown[rows] = grain.grained_signal(
            shown_by(direct(exposed, finish.view, screen), finish.table), finish.grain, start, len(light)
        )

    # On as many threads as there are processors: NumPy and OpenColorIO both let go of the interpreter.
    with ThreadPoolExecutor(_threads()) as pool:
        list(pool.map(to_screen, range(0, len(light), _ROWS)))
    return shown


@attrs.frozen
class _Curves:
    """What of a finish lies in the display table; ``content`` is what the grading table's file holds now."""

    view: str
    grade: Grade
    cdl: Cdl
    table: TableFile | None
    content: str = ""

    @property
    def is_plain(self) -> bool:
        """Whether the view alone lies in it."""
        return (self.grade, self.cdl) == (Grade(), Cdl()) and (self.table is None or not self.table.path)


class Finisher:
    """Finishes live pictures, and keeps what it needs from one to the next; ``cache`` is a folder for views."""

    def __init__(self, cache: Path | None = None) -> None:
        self._cache = cache
        self._views: dict[str, DisplayTable] = {}
        self._curves: _Curves | None = None
        self._table: DisplayTable | None = None

    def view(self, name: str) -> DisplayTable:
        """A view alone, ready to be applied; that of false colour gives code values that stand for stops."""
        if name not in self._views:
            if VIEWS[name].is_false_colour:
                self._views[name] = DisplayTable(_stops_table(grid_of(axis(), axis(), axis())))
            else:
                self._views[name] = DisplayTable(bake(self._cache, name))
        return self._views[name]

    def show(
        self, picture: NDArray[np.float32], finish: Finish, scale: float, tan_half_width: float, dither: bool = True
    ) -> NDArray[np.uint8]:
        """Screen pixels (h, w, 4) uint8, blue first, of light (h, w, 3) ACEScg [cd/m2] under a finish and exposure.

        Raises PictureError when the finish's table is gone or damaged.
        """
        finish = finish.in_force
        light = in_light(picture, finish, scale, tan_half_width, is_quick=True)
        curves = _Curves(finish.view, finish.grade, finish.cdl, finish.table, content_of(finish.table))
        table = self._table_of(curves)
        is_false = VIEWS[finish.view].is_false_colour
        codes = table.show(light, scale, dither and not is_false)
        if is_false:
            return _FALSE_SCREEN[codes[..., 0]]
        return grain.grained(codes, finish.grain)

    def _table_of(self, curves: _Curves) -> DisplayTable:
        if curves.is_plain:
            return self.view(curves.view)
        if curves != self._curves or self._table is None:
            edge = axis().astype(np.float32)
            edges = per_channel(np.repeat(edge[:, None], 3, 1), curves.grade, curves.cdl).astype(np.float32)

            def graded_nodes(red: NDArray) -> NDArray:
                nodes = coupled_nodes(grid_of(red, edges[:, 1], edges[:, 2]), curves.grade, curves.cdl)
                return graded_by(nodes, curves.table).astype(np.float32)

            with ThreadPoolExecutor(_threads()) as pool:
                nodes = np.concatenate(list(pool.map(graded_nodes, np.array_split(edges[:, 0], _threads()))))
            is_false = VIEWS[curves.view].is_false_colour
            seen = _stops_table(nodes) if is_false else shown_by(self.view(curves.view).values(nodes), curves.table)
            self._table, self._curves = DisplayTable(seen), curves
        return self._table


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


def plain_view(finish: Finish) -> str:
    """The view for small pictures of shares, which are no place for false colour."""
    return USUAL_VIEW if finish.view == FALSE_COLOUR else finish.view
