"""Facets of suns, moons and skies: hour or by hand, haze, clouds, panorama, the bend of colours."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import attrs
from numpy.typing import NDArray
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QFileDialog, QLabel, QPushButton, QWidget

from lunar_haze.core.colour.spaces import acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.photographs import sun_of_panorama, with_photograph
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.clear_air import CLEAR_KM
from lunar_haze.core.sky.model import CLOUDS, Bend, ClearSky, CloudLayer, Gradient, Panorama, Weather
from lunar_haze.core.sky.panorama import file_digest, lobe_bearing, lobe_in, lobe_light, read_panorama
from lunar_haze.core.sources.model import Sky, Source, Sun
from lunar_haze.ui.choice import Choice
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    from lunar_haze.ui.facets import Facets

KINDS = {"the sky of the hour": ClearSky, "a photograph": Panorama, "two colours": Gradient}
_PANORAMAS = "Panoramas (*.exr *.hdr *.png *.jpg *.jpeg *.tif *.tiff)"


class SkyFacets:
    """Fills a facets column for one chosen sun, moon or sky."""

    def __init__(self, facets: "Facets", source_id: str) -> None:
        self._facets = facets
        self._session = facets.session
        self._id = source_id

    @property
    def _source(self) -> Source:
        return self._session.document.look.source(self._id)

    def _shaped(self, **changes: object) -> Document:
        return edits.change_shape(self._session.document, self._id, **changes)

    def _row(self, *widgets: QWidget) -> None:
        self._facets.row(*widgets)

    # -- sun and moon ---------------------------------------------------------------------------

    def fill_sun(self) -> None:
        """Direction and size of a sun or a moon."""
        well = self._facets.well
        self._follow_box()

        def shape() -> Sun:
            return self._source.shape

        well("height", Well("height", "°", -18.0, 90.0, 35.0, floor=-90.0, ceiling=90.0),
             lambda: shape().altitude_deg, lambda v: self._shaped(altitude_deg=v, follows_hour=False))  # fmt: skip
        well("bearing", Well("bearing", "°", 0.0, 360.0, 180.0),
             lambda: shape().azimuth_deg,
             lambda v: self._shaped(azimuth_deg=v % 360.0, follows_hour=False))  # fmt: skip
        well("size", Well("size", "°", 0.3, 10.0, 0.53, ratio=True, floor=0.1, ceiling=45.0, tip="larger is softer"),
             lambda: shape().diameter_deg, lambda v: self._shaped(diameter_deg=v))  # fmt: skip
        if shape().body == "moon":
            well("phase", Well("phase", "°", 0.0, 180.0, 0.0, floor=0.0, ceiling=180.0, tip="0 full, 90 half, 180 new"),
                 lambda: shape().phase_deg, lambda v: self._shaped(phase_deg=v, follows_hour=False))  # fmt: skip

    def _follow_box(self) -> None:
        def follow(on: bool) -> Document:
            document = self._shaped(follows_hour=on)
            if not on:
                return document
            look, site = document.look, document.place.site
            settled = edits.under_heavens(look.source(self._id), look, site)
            return edits.change_source(document, self._id, shape=settled.shape)

        self._row(self._facets.check(
            "follows the hour", "off: set by hand, where the story wants it",
            lambda: self._source.shape.follows_hour, follow,
        ))  # fmt: skip

    # -- sky ------------------------------------------------------------------------------------

    def fill_sky(self) -> None:
        """What the dome is, what it does, and its bend."""
        kind = Choice()
        kind.setAccessibleName("kind of sky")
        kind.setToolTip("what stands as the sky")
        kind.addItems(list(KINDS))
        kind.textActivated.connect(self._choose_kind)
        names = {k: n for n, k in KINDS.items()}
        self._facets.on_refresh(lambda: kind.setCurrentText(names[type(self._source.shape.dome)]))
        self._row(kind)
        for field, text, tip in (
            ("lights", "lights the place", "whether it gives light by itself"),
            ("seen", "the lens sees it", "off: another sky may stand behind the picture"),
            ("bounces", "seen in bounced light", "whether reflections and bounces find it"),
        ):
            box = self._facets.check(
                text, tip, lambda f=field: getattr(self._source.shape, f), lambda on, f=field: self._shaped(**{f: on})
            )
            self._row(box)
        dome = self._source.shape.dome
        if isinstance(dome, ClearSky):
            self._fill_moment()
        elif isinstance(dome, Panorama):
            self._fill_panorama()
        else:
            self._fill_colours()
        if not isinstance(dome, Gradient):
            self._fill_bend()

    def _choose_kind(self, text: str) -> None:
        wanted = KINDS[text]
        shape = self._source.shape
        if isinstance(shape.dome, wanted):
            return
        if wanted is Panorama:
            self._ask_panorama()
            return
        dome: object = Gradient()
        if wanted is ClearSky:
            look, site = self._session.document.look, self._session.document.place.site
            dome = edits.sky_of(look, site)
        amount = {"amount": 1.0, "unit": "true"} if wanted is ClearSky else {"amount": 5000.0, "unit": "lx"}
        changed = attrs.evolve(shape, dome=dome, follows_hour=wanted is ClearSky)
        self._session.act(text, edits.change_source(self._session.document, self._id, shape=changed, **amount))

    # The weather of a sky that follows the hour is the look's; that of one set by hand its own.

    def _weather(self) -> Weather:
        shape: Sky = self._source.shape
        return self._session.document.look.weather if shape.follows_hour else shape.dome.weather

    def _change_weather(self, **changes: object) -> Document:
        weather = attrs.evolve(self._weather(), **changes)
        if self._source.shape.follows_hour:
            return edits.change_heavens(self._session.document, weather=weather)
        return self._change_dome(weather=weather)

    def _change_dome(self, **changes: object) -> Document:
        return self._shaped(dome=attrs.evolve(self._source.shape.dome, **changes))

    def _fill_moment(self) -> None:
        well = self._facets.well
        self._follow_box()
        if not self._source.shape.follows_hour:
            for label, field, low, high in (("sun's height", "sun_altitude_deg", -18.0, 90.0),
                                            ("sun's bearing", "sun_azimuth_deg", 0.0, 360.0)):  # fmt: skip
                well(label, Well(label, "°", low, high, high / 2), lambda f=field: getattr(self._source.shape.dome, f),
                     lambda v, f=field: self._change_dome(**{f: v}))  # fmt: skip
        self._facets.section("haze")

        def air(**changes: object) -> Document:
            return self._change_weather(atmosphere=attrs.evolve(self._weather().atmosphere, **changes))

        well("haze", Well("visibility", "km", 2.0, 120.0, CLEAR_KM, ratio=True, floor=1.0, ceiling=300.0,
                          tip="how far the day lets one see: less greys the sky and eats its glow"),
             lambda: self._weather().atmosphere.visibility_km, lambda v: air(visibility_km=v))  # fmt: skip
        self._colour("haze's colour", lambda: self._weather().atmosphere.haze_colour,
                     lambda rgb: air(haze_colour=rgb))  # fmt: skip
        well("ground", Well("ground albedo", "", 0.0, 0.9, 0.2, floor=0.0, ceiling=1.0,
                            tip="albedo of the land around: snow 0.8, marsh 0.2, water 0.06"),
             lambda: self._weather().atmosphere.ground_albedo, lambda v: air(ground_albedo=v))  # fmt: skip
        self._facets.section("clouds and night")
        self._fill_clouds()
        well("town", Well("light dome", "cd/m2", 0.0, 0.05, 0.0, floor=0.0, ceiling=100.0),
             lambda: self._weather().town_cd_m2, lambda v: self._change_weather(town_cd_m2=v))  # fmt: skip
        well("town's bearing", Well("town's bearing", "°", 0.0, 360.0, 90.0),
             lambda: self._weather().town_azimuth_deg,
             lambda v: self._change_weather(town_azimuth_deg=v % 360.0))  # fmt: skip
        well("stars", Well("stars", "", 0.0, 4.0, 1.0, floor=0.0, ceiling=100.0),
             lambda: self._weather().stars, lambda v: self._change_weather(stars=v))  # fmt: skip

    def _fill_clouds(self) -> None:
        choice = Choice()
        choice.setAccessibleName("clouds")
        choice.setToolTip("weather to begin with")
        choice.addItems([*CLOUDS, "custom"])

        def choose(text: str) -> None:
            if text in CLOUDS:
                self._session.act(f"clouds: {text}", self._change_weather(clouds=CLOUDS[text]))

        choice.textActivated.connect(choose)

        def show() -> None:
            now = self._weather().clouds
            choice.setCurrentText(next((n for n, layers in CLOUDS.items() if layers == now), "custom"))

        self._facets.on_refresh(show)
        self._row(QLabel("clouds"), choice)

        def layer() -> CloudLayer:
            layers = self._weather().clouds
            return layers[0] if layers else CloudLayer(cover=0.0)

        def change(field: str, value: float) -> Document:
            layers = self._weather().clouds or (CloudLayer(cover=0.0),)
            return self._change_weather(clouds=(attrs.evolve(layers[0], **{field: value}), *layers[1:]))

        for field, made in (
            ("cover", Well("cover", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0)),
            ("height_m", Well("base", "m", 200.0, 10000.0, 1800.0, ratio=True, floor=50.0, ceiling=15000.0)),
            ("depth", Well("thickness", "", 0.2, 100.0, 12.0, ratio=True, floor=0.01, ceiling=1000.0)),
            ("drift_m", Well("drift", "m", -4000.0, 4000.0, 0.0, tip="how far the wind has carried them")),
            ("wind_deg", Well("wind from", "°", 0.0, 360.0, 270.0, tip="where the wind that carries them comes from")),
        ):
            self._facets.well(
                f"cloud {field}", made, lambda f=field: getattr(layer(), f), lambda v, f=field: change(f, v)
            )

    def _fill_bend(self) -> None:
        well = self._facets.well
        self._facets.section("sky grade")

        # A photograph is bent by itself, the sky of a moment with its weather.
        photograph = isinstance(self._source.shape.dome, Panorama)
        change = self._change_dome if photograph else self._change_weather

        def holder() -> Panorama | Weather:
            return self._source.shape.dome if photograph else self._weather()

        def now() -> Bend:
            return holder().bend

        def bend(**changes: object) -> Document:
            return change(bend=attrs.evolve(now(), **changes))

        well("saturation", Well("saturation", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0),
             lambda: now().saturation, lambda v: bend(saturation=v))  # fmt: skip
        well("warmer", Well("warmer", "mired", -100.0, 200.0, 0.0, floor=-100.0, ceiling=700.0, tip="cooler below 0"),
             lambda: now().warmth_mired, lambda v: bend(warmth_mired=v))  # fmt: skip
        self._colour("colour to suppress", lambda: now().hold, lambda rgb: bend(hold=rgb))
        pick = QPushButton("pick it in the picture")
        pick.setToolTip("the next click in the picture gives the colour that is held back")
        pick.clicked.connect(self._pick_hold)
        self._row(pick)
        suppress = Well("suppress colour", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0, tip="how much of it goes")
        well("suppress colour", suppress,
             lambda: now().hold_share, lambda v: bend(hold_share=v))  # fmt: skip
        well("horizon", Well("horizon's softness", "°", 0.0, 20.0, 3.0, floor=0.0, ceiling=60.0),
             lambda: holder().softness_deg, lambda v: change(softness_deg=v))  # fmt: skip

    def _pick_hold(self) -> None:
        def take(rgb: NDArray) -> None:
            if rgb.max() > 0:
                document = edits.hold_back(self._session.document, self._id, tuple((rgb / rgb.max()).tolist()))
                self._session.act("colour to suppress", document)

        self._session.pick(take, "the colour to suppress")

    def _colour(self, text: str, read: Callable[[], tuple], write: Callable[[tuple], Document]) -> None:
        def picked(colour: QColor) -> None:
            self._session.act(text, write(tuple(hex_to_acescg(colour.name()).tolist())))

        chip = self._facets.chip(text, picked)
        self._facets.on_refresh(lambda: chip.set_colour(acescg_to_hex(read())))
        self._row(QLabel(text), chip)

    def _fill_colours(self) -> None:
        for text, field in (("zenith", "zenith"), ("horizon", "horizon")):
            self._colour(
                text, lambda f=field: getattr(self._source.shape.dome, f),
                lambda rgb, f=field: self._change_dome(**{f: rgb}),
            )  # fmt: skip

    # -- panorama -------------------------------------------------------------------------------

    def _ask_panorama(self) -> None:
        folder = str(self._session.path.parent) if self._session.path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self._facets.window(), "a photographed sky", folder, _PANORAMAS)
        if name:
            self.use_panorama(Path(name))

    def use_panorama(self, path: Path) -> None:
        """Let a photograph stand as this sky; what is odd about it is told."""
        try:
            photograph = read_panorama(path)
        except SkyError as error:
            self._session.said.emit(str(error), True)
            self._facets.refresh()
            return
        dome = Panorama(str(path.resolve()), file_digest(path), photograph.encoding)
        document = self._session.document
        sources = with_photograph(document.look.sources, self._id, dome, photograph.level_lx)
        self._session.act("a photographed sky", edits.change_look(document, sources=sources))
        for remark in photograph.remarks:
            self._session.said.emit(f"{path.name}: {remark}", True)
        self._session.said.emit(f"{path.name}: {photograph.level_remark}", False)

    def _fill_panorama(self) -> None:
        well = self._facets.well

        def dome() -> Panorama:
            return self._source.shape.dome

        change = self._change_dome
        file = QPushButton(Path(dome().path).name)
        file.setToolTip("choose another photograph")
        file.clicked.connect(self._ask_panorama)
        encoding = Choice()
        encoding.setAccessibleName("encoding of the photograph")
        encoding.setToolTip("linear light, or encoded for a display: the wrong one turns a dusk white")
        encoding.addItems(["linear", "display"])
        encoding.textActivated.connect(lambda text: self._session.act("encoding", change(encoding=text)))
        self._facets.on_refresh(lambda: encoding.setCurrentText(dome().encoding))
        self._row(file, encoding)
        for label, field, low, high in (("turn", "turn_deg", -180.0, 180.0), ("tilt", "tilt_deg", -45.0, 45.0),
                                        ("hue", "hue_deg", -60.0, 60.0)):  # fmt: skip
            well(label, Well(label, "°", low, high, 0.0), lambda f=field: getattr(dome(), f),
                 lambda v, f=field: change(**{f: v}))  # fmt: skip
        spot = QLabel()
        spot.setWordWrap(True)
        spot.setProperty("quiet", True)

        def show_spot() -> None:
            try:
                altitude, azimuth = lobe_bearing(dome())
                lobe = lobe_in(dome())
            except SkyError as error:
                spot.setText(str(error))
                take.setEnabled(False)
                return
            what = "its own sun" if lobe.is_sun else "its brightest light, which is no sun,"
            size = "" if lobe.is_sun else f", {lobe.diameter_deg:.0f}° wide"
            where = f"{altitude:.0f}° high, bearing {azimuth:.0f}°{size}"
            spot.setText(f"{what} stands {where}; {lobe.share:.1%} of the light")
            take.setEnabled(lobe.is_sun and not dome().without_sun)

        self._row(spot)
        take = QPushButton("take its sun out as a source")
        take.setToolTip("a source of its own: sharp shadows, its own level")
        take.clicked.connect(self.take_sun_out)
        self._facets.on_refresh(show_spot)
        self._row(take)

    def take_sun_out(self) -> None:
        """Leave the photograph's bright lobe out of the sky and add it as a sun that gives the same light."""
        source = self._source
        dome: Panorama = source.shape.dome
        sun, sky = sun_of_panorama(source, lobe_bearing(dome), lobe_light(dome))
        document = edits.change_source(
            self._session.document, source.id, shape=sky.shape, amount=sky.amount, unit=sky.unit
        )
        self._session.act("sun out of the sky", edits.add_source(document, sun))
