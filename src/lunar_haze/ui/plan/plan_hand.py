"""The hand on the plan: marks are pulled, groups moved and turned as one, the sheet slid, by mouse and by keys."""

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.moves import companions, middle_of, shifted, turned
from lunar_haze.core.sky.ephemeris import heavens
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.model import Sun
from lunar_haze.ui.plan.plan_drawing import moved_in
from lunar_haze.ui.plan.plan_marks import STRIP

if TYPE_CHECKING:
    from lunar_haze.ui.plan.plan_view import PlanView

REACH = 9.0
#: A press that moves less than this [px] is a click.
STILL = 4
#: How far a key moves a lamp [m].
KEY_STEP_M = 0.25
_ARROWS = {
    Qt.Key.Key_Left: (-1.0, 0.0),
    Qt.Key.Key_Right: (1.0, 0.0),
    Qt.Key.Key_Up: (0.0, 1.0),
    Qt.Key.Key_Down: (0.0, -1.0),
}


_KEYS = frozenset(
    {
        Qt.Key.Key_Plus,
        Qt.Key.Key_Equal,
        Qt.Key.Key_Minus,
        Qt.Key.Key_Home,
        Qt.Key.Key_PageUp,
        Qt.Key.Key_PageDown,
    }
)


class PlanHand:
    """What a press, a drag and a key do. A gesture is one step of undo."""

    def __init__(self, view: "PlanView") -> None:
        self._view, self._session = view, view.session
        self._gesture: tuple[str, str] | None = None
        self._last = self._pressed = QPointF()

    # -- mouse ----------------------------------------------------------------------------------

    def press(self, event: QMouseEvent) -> None:
        """Take hold of what is under the hand: a mark, a height, north, the cut, or the sheet."""
        view = self._view
        at = self._last = self._pressed = event.position()
        self._gesture = ("pan", "")
        if not self._session.is_open:
            return
        if view.wants_line() and view.side == "above" and at.x() <= view.width() - STRIP:
            self._gesture, view.line = ("line", ""), (at, at)
            return
        chosen = self._session.chosen_source
        if at.x() > view.width() - STRIP:
            if abs(at.y() - view.height_mark(view.cut_m)) < REACH and view.side == "above":
                self._gesture = ("cut", "")
            elif chosen is not None and isinstance(chosen.shape, Placed):
                self._gesture = ("height", chosen.id)
                self.move(event)
            return
        if view.side == "above" and (view.north_mark() - at).manhattanLength() < REACH:
            self._gesture = ("north", "")
            return
        for source_id, part, mark in view.marks():
            if (mark - at).manhattanLength() < REACH * 1.5:
                self._session.choose(source_id)
                self._gesture = (part, source_id)
                return

    def move(self, event: QMouseEvent) -> None:
        """Pull what is held. With Shift a lamp takes its aim along."""
        if self._gesture is None or not event.buttons():
            return
        part, source_id = self._gesture
        at, view = event.position(), self._view
        if part == "pan":
            view.pan(at - self._last)
        elif part == "line":
            view.line = self._pressed, at
            view.update()
        elif part == "cut":
            view.set_cut(view.height_at(at.y()))
        elif part == "north":
            edited = edits.change_site(self._session.document, north_deg=(self._bearing_at(at) + 180.0) % 360.0 - 180.0)
            self._session.edit("north", edited, "north")
        elif part in ("group", "turn"):
            self._pull_group(part, source_id, at)
        elif part in ("position", "aim"):
            along = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._pull(part, source_id, at, along)
        elif part == "height":
            self._lift(source_id, view.height_at(at.y()))
        elif part == "bearing":
            edited = self._turned_sun(self._session.document, source_id, self._bearing_at(at))
            self._session.edit("bearing", edited, f"bearing {source_id}")
        self._last = at

    def release(self, event: QMouseEvent) -> bool:
        """Let go; whether it was a click."""
        was, self._gesture = self._gesture, None
        self._session.seal()
        if was == ("line", ""):
            self._view.line = None
            self._view.drawn_line(self._view.to_ground(self._pressed), self._view.to_ground(event.position()))
            return False
        return (event.position() - self._pressed).manhattanLength() < STILL

    def _pull(self, part: str, source_id: str, at: QPointF, along: bool) -> None:
        document, view = self._session.document, self._view
        source, card = document.look.source(source_id), self._session.chosen_card
        holder = source.shape if source is not None else card
        if holder is None:
            return
        old = getattr(holder, part)
        spot = moved_in(view.side, old, *view.to_ground(at))
        if source is not None and along and part == "position":
            edited = shifted(document, (source_id,), np.subtract(spot, old))
        else:
            change = edits.change_shape if source is not None else edits.change_card
            edited = change(document, source_id, **{part: spot})
        self._session.edit("place of the lamp" if part == "position" else "aim", edited, f"plan {part} {source_id}")

    def _pull_group(self, part: str, source_id: str, at: QPointF) -> None:
        document, view = self._session.document, self._view
        together = companions(document.look, source_id)
        middle = middle_of(document.look, together)
        if part == "group":
            offset = np.zeros(3)
            offset[:2] = np.subtract(view.to_ground(at), view.to_ground(self._last))
            self._session.edit("move the group", shifted(document, together, offset), f"group {source_id}")
            return
        centre = view.to_screen(*view.flat(middle.tolist()))
        before, now = (math.degrees(math.atan2(p.x() - centre.x(), centre.y() - p.y())) for p in (self._last, at))
        self._session.edit("turn the group", turned(document, together, middle, now - before), f"turn {source_id}")

    def _lift(self, source_id: str, z: float) -> None:
        source = self._session.document.look.source(source_id)
        if source is not None and isinstance(source.shape, Placed):
            x, y, _z = source.shape.position
            edited = edits.change_shape(self._session.document, source_id, position=(x, y, z))
            self._session.edit("height", edited, f"height {source_id}")

    def _bearing_at(self, at: QPointF) -> float:
        """Bearing [deg] of a screen position from the plan's middle."""
        away = at - QPointF((self._view.width() - STRIP) / 2, self._view.height() / 2)
        return math.degrees(math.atan2(away.x(), -away.y())) % 360.0

    # -- keys -----------------------------------------------------------------------------------

    def means(self, event: QKeyEvent) -> bool:
        """Whether a key means something here."""
        if event.key() == Qt.Key.Key_C:
            return not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        return event.key() in _ARROWS or event.key() in _KEYS

    def key(self, event: QKeyEvent) -> bool:
        """Do what a key means here; whether it means anything."""
        if not self.means(event):
            return False
        view, key = self._view, event.key()
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            view.zoom(-1.0 if key == Qt.Key.Key_Minus else 1.0, QPointF(view.width() / 2, view.height() / 2))
        elif key == Qt.Key.Key_Home:
            view.show_all()
        elif key == Qt.Key.Key_C:
            top = view.strip_range()[1]
            view.set_cut((top if math.isinf(view.cut_m) else view.cut_m) + (0.5 if shift else -0.5))
        elif key in _ARROWS:
            self._step(_ARROWS[Qt.Key(key)], event.modifiers())
        else:
            source = self._session.chosen_source
            if source is not None and isinstance(source.shape, Placed):
                up = KEY_STEP_M if key == Qt.Key.Key_PageUp else -KEY_STEP_M
                self._lift(source.id, source.shape.position[2] + up)
        return True

    def _step(self, way: tuple[float, float], modifiers: Qt.KeyboardModifier) -> None:
        """Move the chosen lamp a step, its aim with Ctrl, both with Shift; without a lamp, the sheet."""
        view, source = self._view, self._session.chosen_source
        if source is None or not isinstance(source.shape, Placed):
            view.pan(QPointF(-way[0] * 24.0, way[1] * 24.0))
            return
        document, shape = self._session.document, source.shape
        offset = np.zeros(3)
        offset[:2] = np.array(way) * KEY_STEP_M
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            spot = tuple(float(v) for v in np.add(shape.aim, offset))
            self._session.edit("aim", edits.change_shape(document, source.id, aim=spot), f"plan aim {source.id}")
            return
        along = bool(modifiers & Qt.KeyboardModifier.ShiftModifier)
        edited = shifted(document, (source.id,), offset, along)
        self._session.edit("place of the lamp", edited, f"plan position {source.id}")

    def _turned_sun(self, document: Document, source_id: str, azimuth_deg: float) -> Document:
        """A sun turned to a bearing: one that follows the hour takes the hour along, one set by hand does not."""
        shape = document.look.expect(source_id).shape
        if not isinstance(shape, Sun) or not shape.follows_hour:
            return edits.change_shape(document, source_id, azimuth_deg=azimuth_deg)
        look, site = document.look, document.place.site
        body = "moon" if shape.body == "moon" else "sun"

        def apart(hour_h: float) -> float:
            there: float = getattr(heavens(look.day, hour_h, site), body).azimuth_deg
            return abs((there - azimuth_deg + 180.0) % 360.0 - 180.0)

        quarter = min((k / 4 for k in range(96)), key=apart)
        hour = min((quarter + k / 60 for k in range(-15, 16)), key=lambda h: apart(h % 24.0))
        return edits.set_hour(document, look.hour_h - look.clock_h + hour % 24.0)
