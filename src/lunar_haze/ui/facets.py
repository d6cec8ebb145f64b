"""The facets of what is chosen: a source, the air or the lens; few numbers, in the order of use."""

import math
from collections.abc import Callable

import attrs
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QColorDialog,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS, acescg_to_hex, hex_to_acescg
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.sources.amounts import units_of
from lunar_haze.core.sources.model import (
    AIMED,
    PLACED,
    ROLES,
    Ball,
    Beam,
    Disc,
    Rectangle,
    Sky,
    Sun,
)  # fmt: skip
from lunar_haze.ui import theme
from lunar_haze.ui.session import AIR, LENS, Session
from lunar_haze.ui.well import Well

#: What a well that clears the air snaps to, beyond its range.
CLEAR_BEYOND_M = 60_000.0
_UNIT_RANGE = {"lm": (1.0, 50_000.0), "cd": (0.1, 20_000.0), "cd/m2": (1.0, 1e6), "lx": (0.01, 1e5)}


class Chip(QWidget):
    """A patch of colour that opens the colour chooser."""

    def __init__(self, tip: str, picked: Callable[[QColor], None]) -> None:
        super().__init__()
        self.colour = QColor("#ffffff")
        self._picked = picked
        self.setFixedSize(44, 20)
        self.setToolTip(tip)
        self.setAccessibleName(tip)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def set_colour(self, text: str) -> None:
        self.colour = QColor(text)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.colour)
        painter.setPen(theme.qcolor(theme.CHOSEN if self.hasFocus() else theme.EDGE))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.choose()

    def keyPressEvent(self, event: object) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.choose()
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Ask for a colour."""
        options = QColorDialog.ColorDialogOption.DontUseNativeDialog
        colour = QColorDialog.getColor(self.colour, self.window(), self.toolTip(), options)
        if colour.isValid():
            self._picked(colour)


class Facets(QScrollArea):
    """Rebuilt when something else is chosen; refreshed, signals blocked, when values change."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.wells: dict[str, Well] = {}
        self._refreshers: list[Callable[[], None]] = []
        self._shown: object = None
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        session.chosen_changed.connect(self._rebuild)
        session.changed.connect(self.refresh)
        session.place_ready.connect(self._rebuild)

    # -- making ---------------------------------------------------------------------------------

    def _rebuild(self) -> None:
        self.wells.clear()
        self._refreshers.clear()
        body = QWidget()
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(12, 10, 12, 10)
        self._column.setSpacing(4)
        session = self.session
        source = session.chosen_source
        self._shown = (session.chosen, type(source.shape) if source else None)
        if not session.is_open:
            self._words("no place is open")
        elif session.chosen == AIR:
            self._air()
        elif session.chosen == LENS:
            self._lens()
        elif source is not None:
            self._source()
        else:
            self._words(
                "Choose a card under the picture, a mark in the plan, or a lamp in the picture.\n\n"
                "Click a surface to put a source there."
            )
        self._column.addStretch(1)
        # A well may be in the midst of telling of its change: it goes once that is done.
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        self.setWidget(body)
        self.refresh()

    def _words(self, text: str) -> None:
        label = QLabel(text)
        label.setWordWrap(True)
        label.setProperty("quiet", True)
        self._column.addWidget(label)

    def _title(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("title", True)
        self._column.addWidget(label)

    def _section(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("quiet", True)
        label.setContentsMargins(0, 6, 0, 0)
        self._column.addWidget(label)

    def _well(self, name: str, well: Well, read: Callable[[], float], write: Callable[[float], Document]) -> None:
        """Bind a well to the document both ways; a gesture is one step of undo."""
        session = self.session

        def moved(value: float) -> None:
            session.edit(name, write(value), f"{name} {session.chosen}")

        well.moved.connect(moved)
        well.settled.connect(session.seal)
        self._refreshers.append(lambda: well.set_value(read()))
        self.wells[name] = well
        self._column.addWidget(well)

    def refresh(self) -> None:
        """Show the values as they are now."""
        source = self.session.chosen_source
        if self._shown != (self.session.chosen, type(source.shape) if source else None):
            self._rebuild()
            return
        for refresher in self._refreshers:
            refresher()

    def _row(self, *widgets: QWidget) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        for widget in widgets:
            row.addWidget(widget)
        self._column.addLayout(row)

    # -- a source -------------------------------------------------------------------------------

    def _source(self) -> None:
        session = self.session
        chosen = session.chosen
        kind = type(session.chosen_source.shape)

        def now():
            return session.document.look.source(chosen) or session.chosen_source

        def changed(**changes: object) -> Document:
            return edits.change_source(session.document, chosen, **changes)

        def shaped(**changes: object) -> Document:
            return edits.change_shape(session.document, chosen, **changes)

        name = QLineEdit()
        name.setAccessibleName("name of the source")
        name.setToolTip("name it by what it does")
        name.editingFinished.connect(
            lambda: name.text().strip() and session.act_on_source("name", name=name.text().strip())
        )
        role = QComboBox()
        role.setAccessibleName("role of the source")
        role.setToolTip("what the source is for")
        role.addItems(["no role", *ROLES])
        role.textActivated.connect(lambda text: session.act_on_source("role", role="" if text == "no role" else text))
        role.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self._row(name, role)

        def show_names() -> None:
            if not name.hasFocus():
                name.setText(now().name)
            role.setCurrentText(now().role or "no role")

        self._refreshers.append(show_names)

        unit = now().unit
        low, high = _UNIT_RANGE[unit]
        if kind is Sun:
            high = 130_000.0
        self._section("amount")
        self._well(
            "amount", Well("amount", unit, low, high, now().amount, ratio=True, floor=0.0, ceiling=edits.AMOUNT_MAX),
            lambda: now().amount, lambda v: changed(amount=v),
        )  # fmt: skip
        units = units_of(now().shape)
        if len(units) > 1:
            choice = QComboBox()
            choice.setAccessibleName("unit of the amount")
            choice.setToolTip("the same light told in another unit")
            choice.addItems(units)
            choice.setCurrentText(unit)

            def retell(text: str) -> None:
                session.edit("unit", edits.change_unit(session.document, chosen, text))
                session.seal()
                self._rebuild()

            choice.textActivated.connect(retell)
            self._row(QLabel("told in"), choice)
        self._well(
            "dimmer", Well("dimmer", "stops", -10.0, 6.0, 0.0, floor=-40.0, ceiling=20.0),
            lambda: now().dimmer_stops, lambda v: changed(dimmer_stops=v),
        )  # fmt: skip
        self._section("colour")
        self._well(
            "warmth", Well("warmth", "K", 1800.0, 12000.0, 6000.0, ratio=True, floor=1000.0, ceiling=15000.0),
            lambda: now().kelvin or 6000.0, lambda v: changed(kelvin=v),
        )  # fmt: skip
        self._well(
            "tint", Well("tint", "", -0.05, 0.05, 0.0, floor=-0.1, ceiling=0.1, tip="toward green above 0, magenta below"),
            lambda: now().tint_duv, lambda v: changed(tint_duv=v, kelvin=now().kelvin or 6000.0),
        )  # fmt: skip

        def gel(colour: QColor) -> None:
            rgb = hex_to_acescg(colour.name())
            # A gel keeps the level: its colour is brought to luminance one.
            session.act_on_source("gel", gel=tuple((rgb / max(float(rgb @ LUMINANCE_WEIGHTS), 1e-3)).tolist()))

        chip = Chip("gel laid over the lamp", gel)
        light = QLabel()
        light.setFixedSize(44, 20)
        light.setToolTip("the light's true colour")
        self._row(QLabel("gel"), chip, QLabel("light"), light)

        def show_colours() -> None:
            chip.set_colour(acescg_to_hex(now().gel))
            light.setStyleSheet(f"background: {self.session.light_hex(now())};")

        self._refreshers.append(show_colours)

        self._section("shape and place")
        if kind is Sun:
            self._well("height", Well("height", "°", -5.0, 90.0, 35.0, floor=-18.0, ceiling=90.0),
                       lambda: now().shape.altitude_deg, lambda v: shaped(altitude_deg=v, follows_hour=False))  # fmt: skip
            self._well("bearing", Well("bearing", "°", 0.0, 360.0, 180.0),
                       lambda: now().shape.azimuth_deg, lambda v: shaped(azimuth_deg=v % 360.0, follows_hour=False))  # fmt: skip
            self._well("size", Well("size", "°", 0.3, 10.0, 0.53, ratio=True, floor=0.1, ceiling=45.0, tip="larger is softer"),
                       lambda: now().shape.diameter_deg, lambda v: shaped(diameter_deg=v))  # fmt: skip
        if kind is Sky:
            self._well("sun's height", Well("sun's height", "°", -18.0, 90.0, 35.0, floor=-18.0, ceiling=90.0),
                       lambda: now().shape.sun_altitude_deg, lambda v: shaped(sun_altitude_deg=v, follows_hour=False))  # fmt: skip
            self._well("sun's bearing", Well("sun's bearing", "°", 0.0, 360.0, 180.0),
                       lambda: now().shape.sun_azimuth_deg, lambda v: shaped(sun_azimuth_deg=v % 360.0, follows_hour=False))  # fmt: skip
        if kind in (Ball, Disc, Beam):
            self._well("radius", Well("radius", "m", 0.005, 3.0, 0.05, ratio=True, floor=0.001, ceiling=100.0, tip="larger is softer"),
                       lambda: now().shape.radius_m, lambda v: shaped(radius_m=v))  # fmt: skip
        if kind is Rectangle:
            for label, field in (("width", "width_m"), ("height", "height_m")):
                self._well(label, Well(label, "m", 0.05, 6.0, 1.0, ratio=True, floor=0.005, ceiling=100.0),
                           lambda f=field: getattr(now().shape, f), lambda v, f=field: shaped(**{f: v}))  # fmt: skip
        if kind is Beam:
            self._well("cone", Well("cone", "°", 4.0, 120.0, 40.0, ratio=True, floor=0.5, ceiling=170.0),
                       lambda: now().shape.cone_deg, lambda v: shaped(cone_deg=v))  # fmt: skip
            self._well("edge", Well("edge", "", 0.0, 1.0, 0.35, floor=0.0, ceiling=1.0, tip="0 hard, 1 soft"),
                       lambda: now().shape.edge, lambda v: shaped(edge=v))  # fmt: skip
        for group, field, kinds in (("stands at", "position", PLACED), ("aims at", "aim", AIMED)):
            if kind in kinds:
                for axis, label in enumerate(("east", "north", "up")):
                    self._vector_well(group, field, axis, label, now, shaped)
        self._section("in the air")
        self._well("shows in air", Well("shows in air", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=100.0, tip="how much it shows in the mist"),
                   lambda: now().air_factor, lambda v: changed(air_factor=v))  # fmt: skip

    def _vector_well(
        self, group: str, field: str, axis: int, label: str, now: Callable, shaped: Callable[..., Document]
    ) -> None:
        def read() -> float:
            return getattr(now().shape, field)[axis]

        def write(value: float) -> Document:
            vector = list(getattr(now().shape, field))
            vector[axis] = value
            return shaped(**{field: tuple(vector)})

        start = read()
        well = Well(f"{group}, {label}", "m", start - 10.0, start + 10.0, start, floor=-1e5, ceiling=1e5)
        self._well(f"{group} {label}", well, read, write)

    # -- air and lens ---------------------------------------------------------------------------

    def _air(self) -> None:
        session = self.session

        def medium():
            return session.document.look.medium

        def changed(**changes: object) -> Document:
            return edits.change_medium(session.document, **changes)

        self._title("air")
        self._well(
            "one sees", Well("one sees", "m", 8.0, 40_000.0, math.inf, ratio=True, floor=0.5,
                             tip="how far the mist lets one see; past the right end the air is clear"),
            lambda: medium().visibility_m, lambda v: changed(visibility_m=math.inf if v > CLEAR_BEYOND_M else v),
        )  # fmt: skip
        self._well("lies up to", Well("lies up to", "m", -2.0, 20.0, 0.0, tip="height below which the mist is full"),
                   lambda: medium().base_m, lambda v: changed(base_m=v))  # fmt: skip
        self._well("thins over", Well("thins over", "m", 0.5, 300.0, 12.0, ratio=True, floor=0.05, ceiling=1e5,
                                      tip="height in which it falls to a third"),
                   lambda: medium().fall_off_m, lambda v: changed(fall_off_m=v))  # fmt: skip
        self._well("ends at", Well("ends at", "m", 2.0, 1000.0, 400.0, ratio=True, floor=0.1, ceiling=1e5,
                                   tip="height above which there is no mist"),
                   lambda: medium().top_m, lambda v: changed(top_m=v))  # fmt: skip
        self._well("throws on", Well("throws on", "", -0.9, 0.95, 0.55, floor=-0.95, ceiling=0.95,
                                     tip="anisotropy: above 0 light is thrown onward, against the lens it makes shafts"),
                   lambda: medium().anisotropy, lambda v: changed(anisotropy=v))  # fmt: skip
        self._section("colour of the mist (what it scatters)")
        for axis, label in enumerate(("red", "green", "blue")):

            def write(value: float, axis: int = axis) -> Document:
                albedo = list(medium().albedo)
                albedo[axis] = value
                return changed(albedo=tuple(albedo))

            self._well(label, Well(label, "", 0.0, 1.0, 0.97, floor=0.0, ceiling=1.0),
                       lambda axis=axis: medium().albedo[axis], write)  # fmt: skip

    def _lens(self) -> None:
        session = self.session
        document = session.document

        def camera():
            return session.document.shot.camera

        self._title(f"lens of {document.shot.name}")
        self._section("exposure, locked until you change it")
        self._well("exposure", Well("exposure", "EV", -6.0, 18.0, document.look.ev100, floor=-20.0, ceiling=30.0, tip="EV at ISO 100"),
                   lambda: session.document.look.ev100, lambda v: edits.change_look(session.document, ev100=v))  # fmt: skip
        self._well("brighter by", Well("brighter by", "stops", -5.0, 5.0, 0.0, floor=-20.0, ceiling=20.0),
                   lambda: session.document.look.stops, lambda v: edits.change_look(session.document, stops=v))  # fmt: skip
        self._section("camera" + (", locked" if document.shot.locked else ""))

        def lens(**changes: object) -> Document:
            return edits.change_shot(session.document, camera=attrs.evolve(camera(), **changes))

        self._well("focal length", Well("focal length", "", 14.0, 135.0, 35.0, ratio=True, floor=6.0, ceiling=1200.0, tip="in mm on a 36 mm wide sensor"),
                   lambda: camera().focal_mm, lambda v: lens(focal_mm=v))  # fmt: skip
        for group, field in (("stands at", "position"), ("looks at", "aim")):
            for axis, label in enumerate(("east", "north", "up")):
                self._vector_well(group, field, axis, label, lambda: _Lens(camera()), lens)
        for name, well in self.wells.items():
            if document.shot.locked and name not in ("exposure", "brighter by"):
                well.setEnabled(False)
                well.setToolTip("the camera is locked; unlock it beside the shot's name")
        self._section("bounced light")
        self._well("bounces", Well("bounces", "", 0.0, 4.0, 2.0, floor=0.0, ceiling=4.0),
                   lambda: float(session.document.look.bounces), lambda v: edits.change_look(session.document, bounces=round(v)))  # fmt: skip


@attrs.frozen
class _Lens:
    """Gives a camera the face of a source, for the wells of positions."""

    shape: object
