"""What lies under the plan's marks: the drawn place, and the light that falls on it.

Drawing and light are made aside. Each source's light is kept per unit of it, as layers are: dimmers and colours are
mixed here and now.
"""

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage
from scipy.ndimage import zoom

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.colour.spaces import hex_to_acescg, luminance
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.plan_map import Sheet
from lunar_haze.core.readings.own_exposure import own_stops
from lunar_haze.core.solve.plan_light import light_on_ground
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Source
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image
from lunar_haze.ui.plan.plan_drawing import Drawing, draw
from lunar_haze.ui.session.session import Session

#: Pixels of the plan from one point whose light is worked out to the next.
STEP = 4
#: Sources' light that is remembered.
MOST_KEPT = 200
#: Decades of isolux lines: 1, 2 and 5 of each [lx].
LINES_LX = tuple(step * 10.0**decade for decade in range(-3, 6) for step in (1, 2, 5))

_Key = tuple[Sheet, Shape, Medium]


class PlanGround(QObject):
    """``renewed`` when there is something new to paint."""

    renewed = Signal()
    _drawn = Signal(object, object)
    _lit = Signal(object, object)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self._session, self._bridge = session, bridge
        #: Whether the light that falls is shown, and lines of equal illuminance.
        self.shows_light, self.shows_lines = True, False
        self.drawing: Drawing | None = None
        #: By how many stops the ground's light is exposed otherwise than the picture, so that it can be seen.
        self.stops = 0
        self._of: Place | None = None
        self._wanted: Sheet | None = None
        self._working = False
        self._light: dict[_Key, NDArray[np.float64]] = {}
        self._image: QImage | None = None
        self._drawn.connect(self._take_drawing)
        self._lit.connect(self._take_light)
        session.place_ready.connect(self._forget)
        session.changed.connect(self._changed)

    def _forget(self) -> None:
        self.drawing, self._light, self._image = None, {}, None

    def _changed(self) -> None:
        self._image = None
        self._go_on()

    def restyle(self) -> None:
        """Paint anew: what is shown has been chosen otherwise."""
        self._changed()

    # -- making ---------------------------------------------------------------------------------

    def want(self, sheet: Sheet) -> None:
        """Ask for a sheet; the one there is serves until it is here."""
        self._wanted = sheet
        self._go_on()

    def _go_on(self) -> None:
        """Begin with what is still to be made, one thing at a time."""
        place, wanted = self._session.place, self._wanted
        if self._working or place is None or wanted is None or not self._session.is_open:
            return
        if self.drawing is None or self.drawing.sheet is not wanted:
            self._working = True
            self._session.aside.then(lambda: draw(place, wanted), lambda found: self._drawn.emit(place, found))
            return
        missing = next((s for s in self._sources() if self._key(s) not in self._light), None)
        if missing is not None:
            self._make_light(missing, self.drawing, place)

    def _sources(self) -> list[Source]:
        """Those whose light is shown: active, and seen from above."""
        if not (self.shows_light or self.shows_lines) or self._wanted is None or self._wanted.side != "above":
            return []
        look = self._session.document.look
        active = look.active()
        return [s for s in look.balanced() if s.id in active]

    def _key(self, source: Source) -> _Key:
        assert self.drawing is not None
        return self.drawing.sheet, source.shape, self._session.document.look.medium

    def _make_light(self, source: Source, drawing: Drawing, place: Place) -> None:
        key = self._key(source)

        def make() -> NDArray[np.float64]:
            points, there = _points(drawing)
            light = np.zeros(there.shape)
            light[there] = light_on_ground(source.shape, points, self._session.index(), place, key[2])
            return light

        self._working = True
        self._session.aside.then(make, lambda found: self._lit.emit(key, found))

    def _take_drawing(self, place: Place, drawing: Drawing | None) -> None:
        self._working = False
        if drawing is None:
            return  # the log tells why; the next edit tries again
        if place is self._session.place:
            self.drawing, self._image = drawing, None
            self._light = {k: v for k, v in self._light.items() if k[0] is drawing.sheet}
            self.renewed.emit()
        self._go_on()

    def _take_light(self, key: _Key, light: NDArray[np.float64] | None) -> None:
        self._working = False
        if light is None:
            return
        while len(self._light) >= MOST_KEPT:
            del self._light[next(iter(self._light))]
        self._light[key] = light
        self._image = None
        self.renewed.emit()
        self._go_on()

    # -- showing --------------------------------------------------------------------------------

    def illuminance(self) -> NDArray[np.float64] | None:
        """Light (h, w, 3) [lx, ACEScg] on level ground as far as it is known; None when it is not shown."""
        if self.drawing is None or not self._sources():
            return None
        total: NDArray[np.float64] | None = None
        for source in self._sources():
            light = self._light.get(self._key(source))
            if light is None:
                continue
            rgb = hex_to_acescg(self._session.light_hex(source))
            rgb = rgb / max(float(luminance(rgb)), 1e-6)
            amount = canonical(source.shape, source.amount, source.unit, self._session.atmosphere)
            part = light[..., None] * (rgb * amount * 2.0**source.dimmer_stops)
            total = part if total is None else total + part
        return total

    def image(self) -> QImage | None:
        """The drawing with its light; None before the first is made."""
        if self._image is None and self.drawing is not None:
            self._image = self._painted(self.drawing)
        return self._image

    def _painted(self, drawing: Drawing) -> QImage:
        shade = np.repeat(drawing.shade[..., None], 3, 2) * 255.0
        lines = None
        self.stops = 0
        light = self.illuminance()
        if light is not None:
            height, width = drawing.shade.shape
            scale = (height / light.shape[0], width / light.shape[1], 1)
            large = np.maximum(zoom(light, scale, order=1, grid_mode=True, mode="nearest")[:height, :width], 0.0)
            if self.shows_lines:
                lines = _isolux(luminance(large))
            if self.shows_light:
                radiance = large * (0.08 + drawing.reflectance[..., None]) / math.pi
                radiance *= 1.0 - 0.5 * drawing.covered[..., None]
                exposure = self._bridge.shown.exposure()
                self.stops = own_stops(radiance, exposure) or 0
                shown = radiance.astype(np.float32)
                lit = self._bridge.shown.screen.table.show(shown, exposure * 2.0**self.stops)
                shade = 255.0 - (255.0 - 0.7 * shade) * (255.0 - lit[..., :3]) / 255.0
        if lines is not None:
            shade[lines] = 0.35 * shade[lines] + 0.65 * 215.0
        pixels = np.full((*drawing.shade.shape, 4), 255, np.uint8)
        pixels[..., :3] = np.clip(shade, 0, 255)
        return as_image(pixels)


def _points(drawing: Drawing) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    """Points (n, 3) [m] of the drawing's ground, every few pixels, and where in that grid there is any ground."""
    sheet = drawing.sheet
    ground = drawing.ground[STEP // 2 :: STEP, STEP // 2 :: STEP]
    rows, columns = np.mgrid[0 : ground.shape[0], 0 : ground.shape[1]] * STEP + STEP // 2 + 0.5
    x = (columns - sheet.width / 2) * sheet.metres_per_pixel + sheet.centre[0]
    y = (sheet.height / 2 - rows) * sheet.metres_per_pixel + sheet.centre[1]
    there = np.isfinite(ground)
    return np.stack([x[there], y[there], ground[there].astype(float)], 1), there


def _isolux(lux: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Where illuminance (h, w) crosses one of `LINES_LX`."""
    band = np.digitize(lux, LINES_LX)
    down, along = np.diff(band, axis=0, prepend=band[:1]), np.diff(band, axis=1, prepend=band[:, :1])
    crossed: NDArray[np.bool_] = (down != 0) | (along != 0)
    return crossed
