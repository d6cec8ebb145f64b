"""Facets of a chosen source: name and role, level, colour, what it acts on, where it stands."""

from typing import Any

import attrs
import numpy as np
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel, QLineEdit, QMenu, QSizePolicy, QToolButton, QWidget

from lunar_haze.core.colour.ottosson2020 import hue_turned
from lunar_haze.core.colour.spaces import acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.light_colours import levelled, with_light_of
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.solve.placing import following
from lunar_haze.core.sources.amounts import units_of
from lunar_haze.core.sources.array import LampArray, Placed, lamp_of, with_lamp
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import ROLES, LightLinking, Sky, Source, Sun, Surface
from lunar_haze.core.units.quantity import shown_unit
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.flicker_facets import FlickerFacets
from lunar_haze.ui.facets.lamp_facets import LampFacets
from lunar_haze.ui.facets.sky_facets import SkyFacets
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.keyed import gel_keys

LINKING_WORDS = {"all": "lights everything", "only": "lights only", "but": "lights all but"}


class SourceFacets:
    """Fills a column for one chosen source."""

    def __init__(self, column: Column, source_id: str, bridge: RenderBridge) -> None:
        self._bridge = bridge
        self._column = column
        self._session = column.session
        column.keep(self)
        self._id = source_id
        self._last = self._session.document.look.expect(source_id)

    def _now(self) -> Source:
        # While a source is being deleted its facets may be asked once more.
        self._last = self._session.document.look.source(self._id) or self._last
        return self._last

    def _lamp(self) -> Placed:
        shape = self._now().shape
        assert isinstance(shape, Placed)
        return shape

    def _changed(self, **changes: object) -> Document:
        return edits.change_source(self._session.document, self._id, **changes)

    def _shaped(self, **changes: object) -> Document:
        return edits.change_shape(self._session.document, self._id, **changes)

    def fill(self) -> None:
        """All sections, in the same order for every source."""
        column, shape = self._column, self._now().shape
        self._fill_names()
        column.section("level")
        self._fill_level()
        column.section("colour")
        self._fill_colour()
        if isinstance(shape, Placed):
            column.section("place and aim")
            self._fill_place()
        column.section("shape")
        match shape:
            case Lamp() | LampArray():
                LampFacets(column, self._id, self._now, self._shaped).fill()
            case Sun():
                SkyFacets(column, self._id).fill_sun()
            case Sky():
                SkyFacets(column, self._id).fill_sky()
            case _:
                self._fill_glow()
        column.section("acts on")
        self._fill_acts_on()
        column.section("flicker")
        FlickerFacets(column, self._id, self._now, self._bridge).fill()

    def _fill_glow(self) -> None:
        self._column.rows_of("shape")
        if isinstance(self._now().shape, Surface):
            self._column.lay(
                self._column.check(
                    "the camera sees it glow",
                    "off: it lights, but looks dark",
                    self._is_seen_to_glow,
                    lambda on: self._shaped(seen=on),
                )
            )

    def _is_seen_to_glow(self) -> bool:
        shape = self._now().shape
        return isinstance(shape, Surface) and shape.seen

    def _fill_names(self) -> None:
        name = QLineEdit()
        name.setAccessibleName("name of the source")
        name.setToolTip("name it by what it does")

        def take_name() -> None:
            if name.text().strip():
                self._session.act_on_source("name", name=name.text().strip())

        name.editingFinished.connect(take_name)
        role = self._column.choice(
            "role of the source",
            "what the source is for",
            ["no role", *ROLES],
            lambda text: self._session.act_on_source("role", role="" if text == "no role" else text),
            lambda: self._now().role or "no role",
        )
        role.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._column.lay(name, role, self._facet_menu())

        def show() -> None:
            if not name.hasFocus():
                name.setText(self._now().name)
                name.setCursorPosition(0)

        self._column.on_refresh(show)

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
            if copied is None:
                return
            for facet in edits.FACETS:
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

    def _fill_level(self) -> None:
        column = self._column
        column.rows("level")
        units = units_of(self._now().shape)
        tools: list[QWidget] = []
        if len(units) > 1:
            shown = {shown_unit(unit): unit for unit in units}
            choice = column.choice(
                "unit of the level",
                "the same light in another unit; “x natural” is by what it gives by nature, whatever the hour",
                shown,
                lambda text: self._session.act(
                    "unit", edits.change_unit(self._session.document, self._id, shown[text])
                ),
                lambda: shown_unit(self._now().unit),
            )
            tools = [QLabel("unit"), choice]
        if isinstance(self._now().shape, Placed):
            tools.append(
                column.check(
                    "hold level",
                    "what it delivers at its aim stays while it moves, grows or mist comes between",
                    lambda: self._now().holds_level,
                    lambda on: self._changed(holds_level=on),
                )
            )
        if tools:
            column.lay(*tools)
        column.rows_of("level")

    # -- colour -----------------------------------------------------------------------------------

    def _fill_colour(self) -> None:
        session = self._session
        self._column.rows_of("colour")

        def gel(colour: QColor) -> None:
            session.act_on_source("gel", gel=levelled(hex_to_acescg(colour.name())))

        chip = self._column.chip("gel laid over the lamp", gel)
        chip.keys = gel_keys(session, self._id)
        light = QLabel()
        light.setFixedSize(44, 20)
        light.setToolTip("the light's true colour")
        self._column.lay(QLabel("gel"), chip, QLabel("light"), light, self._colour_menu())

        def show() -> None:
            chip.set_colour(acescg_to_hex(np.asarray(self._now().gel)))
            light.setStyleSheet(f"background: {session.light_hex(self._now())};")

        self._column.on_refresh(show)

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
        session = self._session
        session.act("colour", with_light_of(session.document, self._id, np.asarray(rgb), session.atmosphere))

    def colour_from(self, other: Source, turn_deg: float = 0.0) -> None:
        """The colour of another source, its hue turned."""
        rgb = source_colour(other, self._session.atmosphere)
        if isinstance(other.shape, (Sky, Surface)):
            rgb = hex_to_acescg(self._session.light_hex(other))
        self.take_colour(hue_turned(rgb, turn_deg) if turn_deg else rgb)

    # -- place ------------------------------------------------------------------------------------

    def _fill_place(self) -> None:
        self._column.rows("azimuth", "elevation", "distance")
        self._column.lay(
            self._column.check(
                "aims at the subject",
                "turns to the shot's subject, and stays turned to it",
                lambda: self._now().aims_at_subject,
                self._follow_subject,
            )
        )
        self._column.rows_of("place and aim")

    def _follow_subject(self, on: bool) -> Document:
        document = self._changed(aims_at_subject=on)
        place = self._session.place
        return following(document, place) if on and place is not None else document

    # -- acts on ------------------------------------------------------------------------------------

    def _fill_acts_on(self) -> None:
        self._column.rows_of("acts on")
        if isinstance(self._now().shape, Placed):
            self._column.lay(
                self._column.check(
                    "the camera sees the lamp",
                    "show the lamp itself, as a lit shape",
                    lambda: lamp_of(self._lamp()).seen,
                    self._show_lamp,
                )
            )
        modes = {words: mode for mode, words in LINKING_WORDS.items()}
        mode = self._column.choice(
            "which objects it lights",
            "light everything, only some objects, or all but some",
            modes,
            lambda words: self._set_linking(mode=modes[words]),
            lambda: LINKING_WORDS[self._now().linking.mode],
        )
        objects = QToolButton()
        objects.setToolTip("which objects")
        objects.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(objects)
        objects.setMenu(menu)
        menu.aboutToShow.connect(lambda: self._fill_objects(menu))
        self._column.lay(mode, objects)

        def show() -> None:
            linking = self._now().linking
            objects.setEnabled(linking.mode != "all")
            objects.setText(f"{len(linking.objects)} objects" if linking.mode != "all" else "objects")

        self._column.on_refresh(show)

    def _show_lamp(self, on: bool) -> Document:
        shape = self._lamp()
        return edits.reshape(self._session.document, self._id, with_lamp(shape, attrs.evolve(lamp_of(shape), seen=on)))

    def _set_linking(self, **changes: Any) -> None:
        linking = attrs.evolve(self._now().linking, **changes)
        if linking.mode != "all" and not linking.objects:
            linking = attrs.evolve(linking, objects=self._session.document.shot.subject)
        self._session.act("what it lights", self._changed(linking=linking if linking.mode != "all" else LightLinking()))

    def _fill_objects(self, menu: QMenu) -> None:
        menu.clear()
        place = self._session.place
        chosen = self._now().linking.objects
        for name in place.objects if place is not None else ():
            action = menu.addAction(name)
            action.setCheckable(True)
            action.setChecked(name in chosen)
            action.triggered.connect(lambda on, n=name: self.link_object(n, on))

    def link_object(self, name: str, on: bool) -> None:
        """Put an object on the source's list, or take it off."""
        rest = tuple(n for n in self._now().linking.objects if n != name)
        self._set_linking(objects=(*rest, name) if on else rest)
