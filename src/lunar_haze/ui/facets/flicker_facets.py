"""Facets of a source's flicker: its kind, its numbers, and what becomes of it."""

from collections.abc import Callable
from pathlib import Path

import attrs
import numpy as np
from PySide6.QtWidgets import QFileDialog

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.cue_edits import baked
from lunar_haze.core.errors import HazeError
from lunar_haze.core.sources.flicker import STEADY, flicker_light
from lunar_haze.core.sources.flicker_kinds import flicker_kind_of, flicker_kinds
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import Source
from lunar_haze.core.sources.screen_video import FilmedScreen
from lunar_haze.core.sources.storms import Storm
from lunar_haze.core.units.photometry import MID_GREY
from lunar_haze.service.video import VIDEO_SUFFIXES
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.screen_film import FilmReading

#: The range of a flash is read from a picture so many times smaller.
STEP = 4


class FlickerFacets:
    """Fills a section of a column with the flicker of a source."""

    def __init__(self, column: Column, source_id: str, now: Callable[[], Source], bridge: RenderBridge) -> None:
        self._column, self._session, self._id, self._now = column, column.session, source_id, now
        self._bridge = bridge
        column.keep(self)

    def fill(self) -> None:
        """The kind, its rows, bake."""
        column, flicker = self._column, self._now().flicker
        aimed = kind_of(self._now().shape).aimed
        kinds = [k for k in flicker_kinds() if aimed or not k.value().turns]
        choice = column.choice(
            "flicker of the source",
            "; ".join(f"{k.name}: {k.tip}" for k in kinds),
            [k.name for k in kinds],
            self._take,
            lambda: flicker_kind_of(self._now().flicker).name,
        )
        column.lay(choice)
        if isinstance(flicker, FilmedScreen):
            self._fill_film()
        column.rows_of("flicker")
        if isinstance(flicker, Storm):
            column.lay(column.button("flash now", "the first flash comes at the frame on screen", self._flash_now))
            words = column.words("")
            words.setAccessibleName("range of the flash")
            column.on_refresh(lambda: words.setText(self._range()))
        if flicker != STEADY and not flicker.turns:
            column.lay(
                column.button("bake to keys", "a key of dimmer and gel at every frame, to be moved by hand", self._bake)
            )

    def _range(self) -> str:
        """What range the flash asks of the camera, in words; "" while its light is not known."""
        source, shot, bridge = self._now(), self._session.document.shot, self._bridge
        steady = attrs.evolve(source, flicker=STEADY, muted=False)
        found = bridge.light.mix.part(bridge.gains.lone((steady,)), bridge.gains.present(), STEP)
        if found is None or not isinstance(source.flicker, Storm):
            return ""
        whole, total = (part @ LUMINANCE_WEIGHTS for part in found)
        at = max(source.flicker.at_s, 0.0)
        share = float(flicker_light(attrs.evolve(source.flicker, at_s=at), at, shot.open_s, 6000.0)[0])
        now = 0.0 if source.muted else float(flicker_light(source.flicker, shot.seconds, shot.open_s, 6000.0)[0])
        rest = np.maximum(total - now * whole, 1e-9)
        flash = rest + share * whole
        rises = float(np.log2(np.median(flash / rest)))
        top = float(np.log2(max(np.quantile(flash, 0.98) * bridge.shown.exposure() / MID_GREY, 1e-9)))
        past = top - shot.latitude.high
        held = f", {past:.1f} past what the camera holds" if past > 0.05 else ""
        return f"at its flash the picture rises by {rises:.1f} stops; its brightest lies {top:+.1f} from grey{held}"

    def _fill_film(self) -> None:
        column = self._column
        words = column.words("")
        words.setAccessibleName("film of the screen")

        def told() -> str:
            film = self._now().flicker
            if not isinstance(film, FilmedScreen) or not film.series:
                return "no film yet: the screen burns steadily until one is chosen"
            return f"{film.name}: {len(film.series):,} frames, {film.length_s:.1f} s, then again from the start"

        column.on_refresh(lambda: words.setText(told()))
        column.lay(column.button("video ...", "the film that the screen shows", self.ask_film))

    def ask_film(self) -> None:
        """Ask for the film that the screen shows."""
        session = self._session
        folder = str(session.path.parent) if session.path else str(Path.home())
        kinds = f"videos ({' '.join(f'*{s} *{s.upper()}' for s in VIDEO_SUFFIXES)})"
        name, _kind = QFileDialog.getOpenFileName(
            self._column.window(), "the film that the screen shows", folder, kinds
        )
        if name:
            FilmReading(session, self._id, Path(name))

    def _take(self, name: str) -> None:
        kind = next(k for k in flicker_kinds() if k.name == name)
        if kind.value is not type(self._now().flicker):
            self._session.act_on_source("flicker", flicker=kind.value())

    def _flash_now(self) -> None:
        flicker = self._now().flicker
        if isinstance(flicker, Storm):
            at = self._session.document.shot.seconds
            self._session.act_on_source("flash now", flicker=attrs.evolve(flicker, at_s=at))

    def _bake(self) -> None:
        try:
            self._session.act("bake to keys", baked(self._session.document, self._id))
        except HazeError as error:
            self._session.said.emit(str(error), True)
