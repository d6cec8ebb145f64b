"""Facets of a lamp's shape: its kind, size, cone, gate and cut-out, its measured lobe, its rig, its reach."""

import math
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import attrs
from PySide6.QtWidgets import QFileDialog, QLabel, QPushButton

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.solve.placing import distance_to_aim
from lunar_haze.core.sources.cutouts import KINDS, CutOut, pattern
from lunar_haze.core.sources.distribution import lumens, read_ies
from lunar_haze.core.sources.model import (
    ARRANGEMENTS,
    MOST_MEMBERS,
    Ball,
    Beam,
    Disc,
    Photometric,
    Rectangle,
    Rig,
    Source,
    Tube,
)
from lunar_haze.ui.choice import Choice
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    from lunar_haze.ui.facets import Facets

LAMP_KINDS = {
    "ball": Ball, "tube": Tube, "disc": Disc, "rectangle": Rectangle, "beam": Beam, "measured": Photometric,
    "rig": Rig,
}  # fmt: skip
#: A reach well past this [m] has none.
FREE_BEYOND_M = 900.0
_PICTURES = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff)"


def become(shape: Any, kind: type) -> Any:
    """A lamp as another kind, where it stands; a rig is made of the lamp that was there."""
    if kind is Rig:
        return Rig(position=shape.position, aim=shape.aim, lamp=shape)
    if isinstance(shape, Rig) and isinstance(shape.lamp, kind):
        return attrs.evolve(shape.lamp, position=shape.position, aim=shape.aim)
    return kind(position=shape.position, aim=shape.aim)


class CutOutFacets:
    """Wells of a cut-out, for a beam's gate or a card; ``write`` lays another one or None."""

    def __init__(
        self, facets: "Facets", read: Callable[[], CutOut | None], write: Callable[[CutOut | None], Document]
    ) -> None:
        self._facets, self._read, self._write = facets, read, write

    def fill(self) -> None:
        """A choice of patterns, and the numbers of the one that is there."""
        choice = Choice()
        choice.setAccessibleName("cut-out")
        choice.setToolTip("a pattern that breaks the light")
        choice.addItems(["no cut-out", *KINDS])
        choice.textActivated.connect(self.choose)
        self._facets.on_refresh(lambda: choice.setCurrentText(self._read().kind if self._read() else "no cut-out"))
        self._facets.row(QLabel("cut-out"), choice)
        now = self._read()
        if now is None:
            return

        def field(name: str) -> Callable[[], float]:
            return lambda: float(getattr(self._read() or CutOut(), name))

        def change(name: str) -> Callable[[float], Document]:
            return lambda v: self._write(attrs.evolve(self._read() or CutOut(), **{name: v}))

        well = self._facets.well
        if now.kind == "picture":
            file = QPushButton(Path(now.path).name or "choose a picture ...")
            file.setToolTip("light passes where the picture is bright")
            file.clicked.connect(self._ask_picture)
            self._facets.row(file)
        else:
            well("how many", Well("how many across", "", 1.0, 30.0, 8.0, ratio=True, floor=0.5, ceiling=64.0),
                 field("scale"), change("scale"))  # fmt: skip
            well("open", Well("open", "", 0.05, 0.95, 0.5, floor=0.0, ceiling=1.0, tip="share that light passes"),
                 field("open_share"), change("open_share"))  # fmt: skip
            well("turned", Well("turned", "°", -90.0, 90.0, 0.0), field("turn_deg"), change("turn_deg"))
            if now.kind in ("leaves", "branches", "ragged holes"):
                well("seed", Well("seed", "", 0.0, 40.0, 1.0, floor=0.0, ceiling=1e6),
                     field("seed"), lambda v: change("seed")(round(v)))  # fmt: skip

    def choose(self, kind: str) -> None:
        """Lay a pattern of a kind, or none."""
        if kind == "picture":
            self._ask_picture()
            return
        cut = None if kind == "no cut-out" else attrs.evolve(self._read() or CutOut(), kind=kind, path="")
        self._lay(cut)

    def _lay(self, cut: CutOut | None) -> None:
        session = self._facets.session
        try:
            if cut is not None:
                pattern(cut)
        except HazeError as error:
            session.said.emit(str(error), True)
            self._facets.refresh()
            return
        session.edit("cut-out", self._write(cut))
        session.seal()

    def _ask_picture(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self._facets.window(), "a picture as cut-out", "", _PICTURES)
        if name:
            self.use_picture(Path(name))
        else:
            self._facets.refresh()

    def use_picture(self, path: Path) -> None:
        """Let a picture be the pattern."""
        self._lay(attrs.evolve(self._read() or CutOut(), kind="picture", path=str(path.resolve())))


class LampFacets:
    """Fills a facets column with the shape of one lamp."""

    def __init__(
        self, facets: "Facets", source_id: str, now: Callable[[], Source], shaped: Callable[..., Document]
    ) -> None:
        self._facets, self._id = facets, source_id
        self._session = facets.session
        self._source, self._shaped = now, shaped

    @property
    def _shape(self) -> Any:
        return self._source().shape

    def _lamp(self) -> Any:
        return self._shape.lamp if isinstance(self._shape, Rig) else self._shape

    def _change(self, **changes: object) -> Document:
        """A change of the lamp, or of each lamp of a rig."""
        if isinstance(self._shape, Rig):
            return self._shaped(lamp=attrs.evolve(self._shape.lamp, **changes))
        return self._shaped(**changes)

    def fill(self) -> None:
        """The kind, and what it has."""
        kind = Choice()
        kind.setAccessibleName("kind of lamp")
        kind.setToolTip("the same lamp as another kind; it stays where it stands")
        kind.addItems(list(LAMP_KINDS))
        kind.textActivated.connect(self.choose_kind)
        names = {k: n for n, k in LAMP_KINDS.items()}
        self._facets.on_refresh(lambda: kind.setCurrentText(names.get(type(self._shape), "")))
        self._facets.row(kind)
        if isinstance(self._shape, Rig):
            self._fill_rig()
        self._fill_size()
        if isinstance(self._lamp(), Beam):
            self._fill_gate()
        if isinstance(self._lamp(), Photometric):
            self._fill_measured()
        self._facets.well(
            "reach", Well("reach", "m", 0.5, 300.0, math.inf, ratio=True, floor=0.05,
                          tip="where its light ends; past the right end it has none", endless="no end"),
            lambda: self._lamp().reach_m,
            lambda v: self._change(reach_m=math.inf if v > FREE_BEYOND_M else v),
        )  # fmt: skip

    def choose_kind(self, name: str) -> None:
        """Make the lamp another kind."""
        wanted = LAMP_KINDS[name]
        if not isinstance(self._shape, wanted):
            shape = become(self._shape, wanted)
            self._session.act(f"made a {name}", edits.reshape(self._session.document, self._id, shape))

    def _number(
        self, label: str, field: str, low: float, high: float, reset: float, unit: str = "m", **how: object
    ) -> None:
        self._facets.well(
            label, Well(label, unit, low, high, reset, **how), lambda: getattr(self._lamp(), field),
            lambda v: self._change(**{field: v}),
        )  # fmt: skip

    def _fill_size(self) -> None:
        lamp = self._lamp()
        if isinstance(lamp, (Ball, Tube, Disc, Beam, Photometric)):
            self._number("radius", "radius_m", 0.005, 3.0, 0.05, ratio=True, floor=0.001, ceiling=100.0,
                         tip="larger is softer")  # fmt: skip
        if isinstance(lamp, Tube):
            self._number("length", "length_m", 0.1, 6.0, 1.2, ratio=True, floor=0.01, ceiling=200.0)
            self._number("lies along", "bearing_deg", 0.0, 360.0, 90.0, "°")
            self._number("tilted", "tilt_deg", -90.0, 90.0, 0.0, "°", floor=-90.0, ceiling=90.0)
        if isinstance(lamp, Rectangle):
            for label, field in (("width", "width_m"), ("height", "height_m")):
                self._number(label, field, 0.05, 6.0, 1.0, ratio=True, floor=0.005, ceiling=100.0)
        if isinstance(lamp, Beam):
            self._number("cone", "cone_deg", 4.0, 120.0, 40.0, "°", ratio=True, floor=0.5, ceiling=170.0)
            self._number("edge", "edge", 0.0, 1.0, 0.35, "", floor=0.0, ceiling=1.0, tip="0 hard, 1 soft")

    def _fill_gate(self) -> None:
        for i, side in enumerate(("left", "right", "lower", "upper")):

            def write(value: float, i: int = i) -> Document:
                shutters = list(self._lamp().shutters)
                shutters[i] = value
                return self._change(shutters=tuple(shutters))

            self._facets.well(
                f"{side} shutter", Well(f"{side} shutter", "", 0.0, 2.0, 0.0, floor=0.0, ceiling=2.0,
                                        tip="share of the cone that it covers: 1 is half"),
                lambda i=i: self._lamp().shutters[i], write,
            )  # fmt: skip
        self._number("gate", "gate_m", 0.1, 10.0, 0.5, ratio=True, floor=0.01, ceiling=1e4,
                     tip="how far before the lens shutters and cut-out stand: nearer is softer")  # fmt: skip
        CutOutFacets(self._facets, lambda: self._lamp().cutout, self._lay_cutout).fill()

    def _lay_cutout(self, cut: CutOut | None) -> Document:
        """A cut-out in the gate; the first one moves the gate out, to where a lens of this size leaves it legible."""
        lamp = self._lamp()
        legible = 0.4 * distance_to_aim(self._shape)
        if cut is not None and lamp.cutout is None and lamp.gate_m < legible:
            return self._change(cutout=cut, gate_m=round(legible, 2))
        return self._change(cutout=cut)

    def _fill_measured(self) -> None:
        distribution = self._lamp().distribution
        file = QPushButton(f"{distribution.name}: {lumens(distribution):,.0f} lm")
        file.setToolTip("choose the lamp's IES file")
        file.clicked.connect(self._ask_distribution)
        self._facets.row(file)
        self._number("turned", "turn_deg", -180.0, 180.0, 0.0, "°")

    def _ask_distribution(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(
            self._facets.window(), "a measured lamp", "", "Measured lamps (*.ies *.IES)"
        )
        if name:
            self.use_distribution(Path(name))

    def use_distribution(self, path: Path) -> None:
        """Let a measured lamp's file tell how the light leaves, and how much of it."""
        try:
            distribution, notes = read_ies(path)
        except HazeError as error:
            self._session.said.emit(str(error), True)
            return
        document = self._change(distribution=distribution)
        document = edits.change_source(document, self._id, amount=lumens(distribution), unit="lm")
        self._session.act("a measured lamp", document)
        for note in notes:
            self._session.said.emit(note, False)

    def _fill_rig(self) -> None:
        arrangement = Choice()
        arrangement.setAccessibleName("arrangement of the rig")
        arrangement.setToolTip("how its lamps are arranged")
        arrangement.addItems(ARRANGEMENTS)
        arrangement.textActivated.connect(lambda text: self._session.act("rig", self._shaped(arrangement=text)))
        self._facets.on_refresh(lambda: arrangement.setCurrentText(self._shape.arrangement))
        together = self._facets.check(
            "all face the aim", "off: they all face the same way", lambda: self._shape.converge,
            lambda on: self._shaped(converge=on),
        )  # fmt: skip
        lamp = Choice()
        lamp.setAccessibleName("lamps of the rig")
        lamp.addItems([name for name in LAMP_KINDS if name != "rig"])
        names = {k: n for n, k in LAMP_KINDS.items()}
        lamp.textActivated.connect(lambda text: self._session.act("rig", self._shaped(lamp=LAMP_KINDS[text]())))
        self._facets.on_refresh(lambda: lamp.setCurrentText(names[type(self._shape.lamp)]))
        self._facets.row(arrangement, lamp)
        self._facets.row(together)
        well = self._facets.well
        well("lamps", Well("lamps", "", 1.0, 24.0, 8.0, floor=1.0, ceiling=float(MOST_MEMBERS)),
             lambda: float(self._shape.count), lambda v: self._shaped(count=round(v)))  # fmt: skip
        for label, field in (("rig's width", "width_m"), ("rig's height", "height_m")):
            well(label, Well(label, "m", 0.1, 12.0, 1.0, ratio=True, floor=0.01, ceiling=500.0),
                 lambda f=field: getattr(self._shape, f), lambda v, f=field: self._shaped(**{f: v}))  # fmt: skip
        well("rig turned", Well("rig turned", "°", -90.0, 90.0, 0.0), lambda: self._shape.turn_deg,
             lambda v: self._shaped(turn_deg=v))  # fmt: skip
