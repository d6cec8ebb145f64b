"""Facets of suns, moons and skies: hour or by hand, haze, clouds, panorama, the grade of its colours."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel

from lunar_haze.core.colour.spaces import acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.photographs import lamp_of_panorama, odd_sun_remark, sun_of_panorama
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.kinds import Dome, sky_kind_of, sky_kinds
from lunar_haze.core.sky.lat_long import direction_of
from lunar_haze.core.sky.model import (
    CLOUDS,
    ClearSky,
    Gradient,
    Panorama,
    SkyGrade,
    Weather,
)
from lunar_haze.core.sky.panorama import has_sun, kind_guessed, lobe_bearing, lobe_in, lobe_light
from lunar_haze.core.sky.photograph_kinds import NAMES, named
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.model import Sky, Source, Sun
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.photographed_sky import ask_photograph, lay_photograph

_TAKE_SUN, _TAKE_LIGHT = "take its sun out as a source", "take its brightest light out as a source"


class SkyFacets:
    """Fills a facets column for one chosen sun, moon or sky."""

    def __init__(self, column: Column, source_id: str) -> None:
        self._column = column
        self._session = column.session
        column.keep(self)
        self._id = source_id

    @property
    def _source(self) -> Source:
        return self._session.document.look.expect(self._id)

    @property
    def _sky(self) -> Sky:
        shape = self._source.shape
        assert isinstance(shape, Sky)
        return shape

    @property
    def _body(self) -> Sky | Sun:
        shape = self._source.shape
        assert isinstance(shape, (Sky, Sun))
        return shape

    @property
    def _gradient(self) -> Gradient:
        dome = self._sky.dome
        assert isinstance(dome, Gradient)
        return dome

    @property
    def _photograph(self) -> Panorama:
        dome = self._sky.dome
        assert isinstance(dome, Panorama)
        return dome

    def _shaped(self, **changes: Any) -> Document:
        return edits.change_shape(self._session.document, self._id, **changes)

    # -- sun and moon ---------------------------------------------------------------------------

    def fill_sun(self) -> None:
        """Direction and size of a sun or a moon."""
        self._follow_box()
        self._column.rows_of("shape")
        sky = self._session.document.look.source(self._source.lobe_of)
        if sky is not None:
            self._column.words(f"taken out of {sky.name}: they turn together")
            self._column.lay(
                self._column.button("untie from the photograph", "each is turned by itself from then on", self._untie)
            )

    def _untie(self) -> None:
        self._session.act("untied", edits.change_source(self._session.document, self._id, lobe_of=""))

    def _follow_box(self) -> None:
        def follow(on: bool) -> Document:
            document = self._shaped(follows_hour=on)
            if not on:
                return document
            look, site = document.look, document.place.site
            settled = edits.under_heavens(look.expect(self._id), look, site)
            return edits.change_source(document, self._id, shape=settled.shape)

        self._column.lay(
            self._column.check(
                "follows the hour",
                "off: set by hand, where the story wants it",
                lambda: self._body.follows_hour,
                follow,
            )
        )

    # -- sky ------------------------------------------------------------------------------------

    def fill_sky(self) -> None:
        """What the dome is, what it does, and its grade."""
        names = [kind.name for kind in sky_kinds()]
        self._column.lay(
            self._column.choice(
                "kind of sky", "what the sky is", names, self._choose_kind, lambda: sky_kind_of(self._sky.dome).name
            )
        )
        for field, text, tip in (
            ("lights", "lights the place", "whether it gives light by itself"),
            ("seen", "the camera sees it", "off: another sky may stand behind the picture"),
            ("bounces", "seen in bounced light", "whether reflections and bounces find it"),
        ):
            self._switch(field, text, tip)
        dome = self._sky.dome
        if isinstance(dome, ClearSky):
            self._fill_moment()
            self._fill_grade()
        elif isinstance(dome, Panorama):
            self._fill_panorama()
            self._fill_grade()
        elif isinstance(dome, Gradient):
            self._fill_colours()
        else:
            for section in dict.fromkeys(row.section for row in sky_kind_of(dome).rows):
                self._column.rows_of(section)

    def _switch(self, field: str, text: str, tip: str) -> None:
        """A box for what the sky does or does not do."""
        self._column.lay(
            self._column.check(text, tip, lambda: getattr(self._sky, field), lambda on: self._shaped(**{field: on}))
        )

    def _choose_kind(self, text: str) -> None:
        kind = next(kind for kind in sky_kinds() if kind.name == text)
        shape, document = self._sky, self._session.document
        if isinstance(shape.dome, kind.value):
            return
        if kind.value is Panorama:
            self._ask_panorama()
            return
        follows = kind.value is ClearSky
        dome: Dome = edits.sky_of(document.look, document.place.site) if follows else kind.value()
        changed = attrs.evolve(shape, dome=dome, follows_hour=follows)
        document = edits.change_source(document, self._id, shape=changed, amount=kind.amount, unit=kind.unit)
        self._session.act(text, document)

    # The weather of a sky that follows the hour is the look's; that of one set by hand its own.

    def _weather(self) -> Weather:
        dome = self._sky.dome
        if self._sky.follows_hour or not isinstance(dome, ClearSky):
            return self._session.document.look.weather
        return dome.weather

    def _change_weather(self, **changes: Any) -> Document:
        weather = attrs.evolve(self._weather(), **changes)
        if self._sky.follows_hour:
            return edits.change_heavens(self._session.document, weather=weather)
        return self._change_dome(weather=weather)

    def _change_dome(self, **changes: Any) -> Document:
        dome: Any = self._sky.dome
        return self._shaped(dome=attrs.evolve(dome, **changes))

    def _fill_moment(self) -> None:
        column = self._column
        self._follow_box()
        column.rows_of("moment")
        column.section("haze")
        column.rows("haze")
        self._colour("haze's colour", lambda: self._weather().atmosphere.haze_colour, self._tint_haze)
        column.rows_of("haze")
        column.section("clouds")
        self._fill_clouds()
        column.section("night")
        column.rows_of("night")

    def _tint_haze(self, rgb: Vec3) -> Document:
        return self._change_weather(atmosphere=attrs.evolve(self._weather().atmosphere, haze_colour=rgb))

    def _fill_clouds(self) -> None:
        def choose(text: str) -> None:
            if text in CLOUDS:
                self._session.act(f"clouds: {text}", self._change_weather(clouds=CLOUDS[text]))

        def now() -> str:
            return next((n for n, layers in CLOUDS.items() if layers == self._weather().clouds), "custom")

        choice = self._column.choice("clouds", "weather to begin with", [*CLOUDS, "custom"], choose, now)
        self._column.lay(QLabel("clouds"), choice)
        self._column.rows_of("clouds")

    def _fill_grade(self) -> None:
        column = self._column
        column.section("sky grade")
        # A photograph is graded by itself, the sky of a moment with its weather.
        photograph = isinstance(self._sky.dome, Panorama)
        change = self._change_dome if photograph else self._change_weather

        def now() -> SkyGrade:
            dome = self._sky.dome
            return dome.grade if isinstance(dome, Panorama) else self._weather().grade

        column.rows("saturation", "warmer")
        self._colour("colour to suppress", lambda: now().hold, lambda rgb: change(grade=attrs.evolve(now(), hold=rgb)))
        column.lay(
            column.button(
                "pick it in the picture",
                "the next click in the picture gives the colour that is suppressed",
                self._pick_hold,
            )
        )
        column.rows_of("sky grade")

    def _pick_hold(self) -> None:
        def take(rgb: NDArray[np.floating]) -> None:
            if rgb.max() > 0:
                document = edits.hold_back(self._session.document, self._id, tuple((rgb / rgb.max()).tolist()))
                self._session.act("colour to suppress", document)

        self._session.pick(take, "the colour to suppress")

    def _colour(self, text: str, read: Callable[[], Vec3], write: Callable[[Vec3], Document]) -> None:
        def picked(colour: QColor) -> None:
            red, green, blue = hex_to_acescg(colour.name()).tolist()
            self._session.act(text, write((red, green, blue)))

        chip = self._column.chip(text, picked)
        self._column.on_refresh(lambda: chip.set_colour(acescg_to_hex(np.asarray(read()))))
        self._column.lay(QLabel(text), chip)

    def _fill_colours(self) -> None:
        for field in ("zenith", "horizon"):
            self._dome_colour(field)
        self._column.lay(
            self._column.check(
                "another colour below the horizon",
                "light from beneath: ground, water or snow that is not modelled",
                lambda: self._gradient.below is not None,
                lambda on: self._change_dome(below=self._gradient.horizon if on else None),
            )
        )
        self._colour(
            "below the horizon",
            lambda: self._gradient.below or self._gradient.horizon,
            lambda rgb: self._change_dome(below=rgb),
        )

    def _dome_colour(self, field: str) -> None:
        self._colour(field, lambda: getattr(self._sky.dome, field), lambda rgb: self._change_dome(**{field: rgb}))

    # -- panorama -------------------------------------------------------------------------------

    def _ask_panorama(self) -> None:
        path = ask_photograph(self._session, self._column.window())
        if path is not None:
            self.use_panorama(path)

    def use_panorama(self, path: Path) -> None:
        """Let a photograph stand as this sky."""
        if not lay_photograph(self._session, path, self._column.window(), self._id):
            self._column.refresh()

    def _fill_panorama(self) -> None:
        def dome() -> Panorama:
            return self._photograph

        change = self._change_dome
        self._column.lay(
            self._column.button(Path(dome().path).name, "choose another photograph", self._ask_panorama),
            self._column.choice(
                "encoding of the photograph",
                "linear light, or encoded for a display: the wrong one turns a dusk white",
                ["linear", "display"],
                lambda text: self._session.act("encoding", change(encoding=text)),
                lambda: dome().encoding,
            ),
        )
        self._column.lay(
            self._column.choice(
                "kind of the photograph",
                "what it is of: it gets the light that such a sky has",
                list(NAMES),
                lambda text: self._session.act("kind of the photograph", self._as_kind(text)),
                lambda: dome().sky_kind or self._guess(),
            )
        )
        self._column.rows_of("photograph")
        spot = self._column.words("")
        take = self._column.button(_TAKE_SUN, "a source of its own: its shadows, its own level", self.take_light_out)

        def show_spot() -> None:
            try:
                altitude, azimuth = lobe_bearing(dome())
                lobe, is_sun = lobe_in(dome()), has_sun(dome())
            except SkyError as error:
                spot.setText(str(error))
                take.setEnabled(False)
                return
            what = "its own sun" if is_sun else "its brightest light, which is no sun,"
            take.setText(_TAKE_SUN if is_sun else _TAKE_LIGHT)
            size = "" if is_sun else f", {lobe.diameter_deg:.0f}° wide"
            where = f"{altitude:.0f}° high, bearing {azimuth:.0f}°{size}"
            spot.setText(f"{what} stands {where}; {lobe.share:.1%} of the light")
            take.setEnabled((is_sun or lobe.is_source) and not dome().without_sun)

        self._column.on_refresh(show_spot)
        self._column.lay(take)

    def _guess(self) -> str:
        try:
            return kind_guessed(self._photograph)
        except SkyError:
            return NAMES[0]  # the photograph is gone, which is told elsewhere

    def _as_kind(self, name: str) -> Document:
        """The document with the photograph as one of another kind, with the light that such a sky has."""
        document = self._change_dome(sky_kind=name)
        return edits.change_source(document, self._id, amount=named(name).level_lx, unit="lx")

    def take_light_out(self) -> None:
        """Leave the photograph's brightest light out of the sky and add it as a source that gives the same light."""
        source, dome, document = self._source, self._photograph, self._session.document
        if has_sun(dome) or lobe_in(dome).is_disc:
            taken, sky = sun_of_panorama(source, lobe_bearing(dome), lobe_light(dome))
        else:
            towards = direction_of(*lobe_bearing(dome))
            aim = np.asarray(document.shot.seen_from.aim, float)
            taken, sky = lamp_of_panorama(source, towards, lobe_light(dome), aim)
        document = edits.change_source(document, source.id, shape=sky.shape, amount=sky.amount, unit=sky.unit)
        self._session.act("light out of the sky", edits.add_source(document, taken))
        remark = odd_sun_remark(dome) if has_sun(dome) else ""
        if remark:
            self._session.said.emit(f"{source.name}: {remark}", True)
