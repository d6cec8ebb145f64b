"""Facets of a chosen source: name and role, amount, colour, what it acts on, where it stands."""

from typing import TYPE_CHECKING

import attrs
import numpy as np
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel, QLineEdit, QMenu, QSizePolicy, QToolButton, QWidget

from lunar_haze.core.colour.ottosson2020 import hue_turned
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.solve.placing import bearing_and_height, distance_to_aim, following, orbited
from lunar_haze.core.sources.amounts import units_of
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.model import AIMED, PLACED, ROLES, Rig, Sky, Source, Sun, Surface, Touches
from lunar_haze.ui.choice import Choice
from lunar_haze.ui.lamp_facets import LampFacets
from lunar_haze.ui.sky_facets import SkyFacets
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    from lunar_haze.ui.facets import Facets

_UNIT_RANGE = {
    "lm": (1.0, 50_000.0), "cd": (0.1, 20_000.0), "cd/m2": (1.0, 1e6), "lx": (0.01, 1e5), "true": (0.05, 20.0),
}  # fmt: skip
TOUCH_WORDS = {"all": "lights everything", "only": "lights only", "but": "lights all but"}


def levelled(rgb: np.ndarray) -> tuple[float, float, float]:
    """A colour as a gel that keeps the level: brought to luminance one."""
    r, g, b = (np.asarray(rgb, float) / max(float(np.asarray(rgb) @ LUMINANCE_WEIGHTS), 1e-3)).tolist()
    return r, g, b


class SourceFacets:
    """Fills a facets column for one chosen source."""

    def __init__(self, facets: "Facets", source_id: str) -> None:
        self._facets = facets
        self._session = facets.session
        self._id = source_id
        self._last = self._session.chosen_source

    def _now(self) -> Source:
        # While a source is being taken away its facets may be asked once more.
        self._last = self._session.document.look.source(self._id) or self._last
        return self._last

    def _changed(self, **changes: object) -> Document:
        return edits.change_source(self._session.document, self._id, **changes)

    def _shaped(self, **changes: object) -> Document:
        return edits.change_shape(self._session.document, self._id, **changes)

    def fill(self) -> None:
        """All facets, in the order of use."""
        kind = type(self._now().shape)
        self._fill_names()
        self._fill_amount()
        self._fill_colour()
        self._facets.section("shape and place")
        if kind is Sun:
            SkyFacets(self._facets, self._id).fill_sun()
        elif kind is Sky:
            SkyFacets(self._facets, self._id).fill_sky()
        elif kind in PLACED:
            LampFacets(self._facets, self._id, self._now, self._shaped).fill()
            self._fill_place()
        else:
            self._facets.row(
                self._facets.check(
                    "the lens sees it glow", "off: it lights, but looks dark", lambda: self._now().shape.seen,
                    lambda on: self._shaped(seen=on),
                )
            )  # fmt: skip
        self._fill_acts_on()

    def _fill_names(self) -> None:
        name = QLineEdit()
        name.setAccessibleName("name of the source")
        name.setToolTip("name it by what it does")
        name.editingFinished.connect(
            lambda: name.text().strip() and self._session.act_on_source("name", name=name.text().strip())
        )
        role = Choice()
        role.setAccessibleName("role of the source")
        role.setToolTip("what the source is for")
        role.addItems(["no role", *ROLES])
        role.textActivated.connect(
            lambda text: self._session.act_on_source("role", role="" if text == "no role" else text)
        )
        role.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._facets.row(name, role, self._facet_menu())

        def show() -> None:
            if not name.hasFocus():
                name.setText(self._now().name)
                name.setCursorPosition(0)
            role.setCurrentText(self._now().role or "no role")

        self._facets.on_refresh(show)

    def _facet_menu(self) -> QToolButton:
        """Copy this source's facets, or lay a copied one's facet by facet."""
        button = QToolButton()
        button.setText("≡")
        button.setToolTip("copy this source, or paste one facet of the copied one")
        button.setAccessibleName("copy and paste facets")
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(button)
        button.setMenu(menu)

        def fill() -> None:
            menu.clear()
            menu.addAction("copy this source", lambda: setattr(self._session, "copied", self._now()))
            copied = self._session.copied
            for facet in edits.FACETS if copied is not None else ():
                menu.addAction(f"paste {facet} of {copied.name}", lambda f=facet: self.paste_facet(f))

        menu.aboutToShow.connect(fill)
        return button

    def paste_facet(self, facet: str) -> None:
        """Lay one facet of the copied source on this one."""
        copied = self._session.copied
        if copied is None:
            return
        try:
            self._session.act(f"paste {facet}", edits.paste_facet(self._session.document, self._id, copied, facet))
        except HazeError as error:
            self._session.said.emit(str(error), True)

    def _fill_amount(self) -> None:
        unit = self._now().unit
        low, high = _UNIT_RANGE[unit]
        if isinstance(self._now().shape, Sun) and unit == "lx":
            high = 130_000.0
        well = self._facets.well
        self._facets.section("level")
        well("amount", Well("level", unit, low, high, self._now().amount, ratio=True, floor=0.0,
                            ceiling=edits.AMOUNT_MAX),
             lambda: self._now().amount, lambda v: self._changed(amount=v))  # fmt: skip
        units = units_of(self._now().shape)
        tools: list[QWidget] = []
        if len(units) > 1:
            choice = Choice()
            choice.setAccessibleName("unit of the amount")
            choice.setToolTip("the same light in another unit")
            choice.addItems(units)
            choice.setCurrentText(unit)

            def retell(text: str) -> None:
                self._session.act("unit", edits.change_unit(self._session.document, self._id, text))
                self._facets.rebuild()

            choice.textActivated.connect(retell)
            tools = [QLabel("unit"), choice]
        if isinstance(self._now().shape, PLACED):
            tools.append(
                self._facets.check(
                    "hold level", "what it delivers at its aim stays while it moves, grows or mist comes between",
                    lambda: self._now().holds_level, lambda on: self._changed(holds_level=on),
                )
            )  # fmt: skip
        if tools:
            self._facets.row(*tools)
        well("dimmer", Well("dimmer", "stops", -10.0, 6.0, 0.0, floor=-40.0, ceiling=20.0),
             lambda: self._now().dimmer_stops, lambda v: self._changed(dimmer_stops=v))  # fmt: skip

    # -- colour -----------------------------------------------------------------------------------

    def _fill_colour(self) -> None:
        well, session = self._facets.well, self._session
        self._facets.section("colour")
        kelvin = Well("colour temperature", "K", 1800.0, 12000.0, 6000.0, ratio=True, floor=1000.0, ceiling=15000.0)
        well("warmth", kelvin,
             lambda: session.lamp_kelvin(self._now()), lambda v: self._changed(kelvin=v))  # fmt: skip
        well("tint", Well("tint", "", -0.05, 0.05, 0.0, floor=-0.1, ceiling=0.1,
                          tip="toward green above 0, magenta below"),
             lambda: self._now().tint_duv,
             lambda v: self._changed(tint_duv=v, kelvin=session.lamp_kelvin(self._now())))  # fmt: skip

        def gel(colour: QColor) -> None:
            session.act_on_source("gel", gel=levelled(hex_to_acescg(colour.name())))

        chip = self._facets.chip("gel laid over the lamp", gel)
        light = QLabel()
        light.setFixedSize(44, 20)
        light.setToolTip("the light's true colour")
        self._facets.row(QLabel("gel"), chip, QLabel("light"), light, self._colour_menu())

        def show() -> None:
            chip.set_colour(acescg_to_hex(self._now().gel))
            light.setStyleSheet(f"background: {session.light_hex(self._now())};")

        self._facets.on_refresh(show)

    def _colour_menu(self) -> QToolButton:
        button = QToolButton()
        button.setText("take")
        button.setToolTip("take the colour from another source, its complement or neighbour, a material, the picture")
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(button)
        button.setMenu(menu)

        def fill() -> None:
            menu.clear()
            menu.addAction("the picture: click there", lambda: self._session.pick(self.take_colour, "pick a colour"))
            others = [s for s in self._session.document.look.sources if s.id != self._id][:40]
            for words, turn in (("as", 0.0), ("complement of", 180.0), ("neighbour of", 30.0), ("neighbour of", -30.0)):
                sub = menu.addMenu(f"{words} ... {'' if not turn or turn == 180.0 else f'{turn:+.0f}°'}")
                for other in others:
                    sub.addAction(other.name, lambda o=other, t=turn: self.colour_from(o, t))
            materials = menu.addMenu("a material")
            place = self._session.place
            for material in place.materials if place is not None else ():
                materials.addAction(
                    material.name,
                    lambda m=material: self.take_colour(np.array(m.emissive if m.glows else m.base_colour)),
                )

        menu.aboutToShow.connect(fill)
        return button

    def take_colour(self, rgb: np.ndarray) -> None:
        """Let the light have a colour (ACEScg), whatever its lamp is."""
        if float(np.max(rgb)) <= 0.0:
            self._session.said.emit("that is black; pick something that is lit", False)
            return
        lamp = source_colour(attrs.evolve(self._now(), gel=(1.0, 1.0, 1.0)), self._session.atmosphere)
        self._session.act("colour", self._changed(gel=levelled(np.maximum(rgb, 1e-4) / np.maximum(lamp, 1e-4))))

    def colour_from(self, other: Source, turn_deg: float = 0.0) -> None:
        """The colour of another source, its hue turned."""
        rgb = source_colour(other, self._session.atmosphere)
        if isinstance(other.shape, (Sky, Surface)):
            rgb = hex_to_acescg(self._session.light_hex(other))
        self.take_colour(hue_turned(rgb, turn_deg) if turn_deg else rgb)

    # -- place ------------------------------------------------------------------------------------

    def _fill_place(self) -> None:
        well = self._facets.well
        shape = self._now().shape

        def orbit(**changes: float) -> Document:
            now = self._now().shape
            bearing, altitude = bearing_and_height(now)
            told = {"bearing_deg": bearing, "altitude_deg": altitude, "distance_m": distance_to_aim(now)} | changes
            return edits.reshape(self._session.document, self._id, orbited(now, **told))

        well("azimuth", Well("azimuth", "°", 0.0, 360.0, 180.0, tip="bearing, as its aim sees it"),
             lambda: bearing_and_height(self._now().shape)[0],
             lambda v: orbit(bearing_deg=v % 360.0))  # fmt: skip
        well("elevation", Well("elevation", "°", -30.0, 90.0, 35.0, floor=-90.0, ceiling=90.0),
             lambda: bearing_and_height(self._now().shape)[1], lambda v: orbit(altitude_deg=v))  # fmt: skip
        well("distance", Well("distance", "m", 0.3, 40.0, 3.0, ratio=True, floor=0.05, ceiling=1e4),
             lambda: distance_to_aim(self._now().shape), lambda v: orbit(distance_m=v))  # fmt: skip
        self._facets.row(
            self._facets.check(
                "aims at the subject", "turns to the shot's subject, and stays turned to it",
                lambda: self._now().aims_at_subject, self._follow_subject,
            )
        )  # fmt: skip
        for group, field, kinds in (("position", "position", PLACED), ("target", "aim", AIMED)):
            if isinstance(shape, kinds):
                for axis, label in enumerate(("east", "north", "up")):
                    self._facets.vector_well(group, field, axis, label, self._now, self._shaped)

    def _follow_subject(self, on: bool) -> Document:
        document = self._changed(aims_at_subject=on)
        place = self._session.place
        return following(document, place) if on and place is not None else document

    # -- acts on ------------------------------------------------------------------------------------

    def _fill_acts_on(self) -> None:
        well = self._facets.well
        self._facets.section("acts on")
        for label, field, tip in (
            ("matte", "matte", "how much it adds to matte shading"),
            ("highlights", "highlights", "how much it adds to shine; 0 for a fill that nobody sees"),
            ("shows in air", "air_factor", "how much it shows in the mist"),
        ):
            well(label, Well(label, "", 0.0, 2.0, 1.0, floor=0.0, ceiling=100.0, tip=tip),
                 lambda f=field: getattr(self._now(), f), lambda v, f=field: self._changed(**{f: v}))  # fmt: skip
        if isinstance(self._now().shape, PLACED):
            self._facets.row(
                self._facets.check("the lens sees the lamp", "show the lamp itself, as a lit shape", self._lamp_seen,
                            self._show_lamp)
            )  # fmt: skip
        mode = Choice()
        mode.setAccessibleName("which objects it lights")
        mode.setToolTip("light everything, only some objects, or all but some")
        mode.addItems(list(TOUCH_WORDS.values()))
        mode.activated.connect(lambda i: self._set_touches(mode=list(TOUCH_WORDS)[i]))
        objects = QToolButton()
        objects.setToolTip("which objects")
        objects.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(objects)
        objects.setMenu(menu)
        menu.aboutToShow.connect(lambda: self._fill_objects(menu))
        self._facets.row(mode, objects)

        def show() -> None:
            touches = self._now().touches
            mode.setCurrentIndex(list(TOUCH_WORDS).index(touches.mode))
            objects.setEnabled(touches.mode != "all")
            objects.setText(f"{len(touches.objects)} objects" if touches.mode != "all" else "objects")

        self._facets.on_refresh(show)

    def _lamp_seen(self) -> bool:
        shape = self._now().shape
        return shape.lamp.seen if isinstance(shape, Rig) else shape.seen

    def _show_lamp(self, on: bool) -> Document:
        shape = self._now().shape
        if isinstance(shape, Rig):
            return self._shaped(lamp=attrs.evolve(shape.lamp, seen=on))
        return self._shaped(seen=on)

    def _set_touches(self, **changes: object) -> None:
        touches = attrs.evolve(self._now().touches, **changes)
        if touches.mode != "all" and not touches.objects:
            touches = attrs.evolve(touches, objects=self._session.document.shot.subject)
        self._session.act("what it lights", self._changed(touches=touches if touches.mode != "all" else Touches()))

    def _fill_objects(self, menu: QMenu) -> None:
        menu.clear()
        place = self._session.place
        chosen = self._now().touches.objects
        for name in place.objects if place is not None else ():
            action = menu.addAction(name)
            action.setCheckable(True)
            action.setChecked(name in chosen)
            action.triggered.connect(lambda on, n=name: self.touch_object(n, on))

    def touch_object(self, name: str, on: bool) -> None:
        """Put an object on the source's list, or take it off."""
        rest = tuple(n for n in self._now().touches.objects if n != name)
        self._set_touches(objects=(*rest, name) if on else rest)


