"""The picture: shown, panned, zoomed; lamps pulled in it; a slip of acts on every surface."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.picture.readings import stops_of
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.plan.frames import fitted_size
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.choice import HOME
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.enlarged import enlarged
from lunar_haze.ui.picture.part_overlay import PartOverlay
from lunar_haze.ui.picture.picture_handles import Handles
from lunar_haze.ui.picture.picture_overlays import Overlay, tag
from lunar_haze.ui.picture.seen import Seen
from lunar_haze.ui.picture.surface_acts import SurfaceActs
from lunar_haze.ui.picture.work_light import WorkLight
from lunar_haze.ui.session.session import Session

WIPE_REACH = 6.0
#: How far an arrow key moves the reticle, as a share of the picture; with Shift a tenth of it.
RETICLE_STEP = 0.01
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}
_FINE = Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier
#: What lies over a picture that waits for its light, and what stands where there is none yet.
VEIL, NOT_YET = QColor(96, 96, 96, 110), QColor(72, 72, 72)
EMPTY = "drop a place (.glb, .gltf, .obj, .ply) or a document (.haze) here\n\nCtrl+O opens one"


class PictureView(QWidget):
    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self.acts = SurfaceActs(session, bridge, self.to_picture)
        self.zoom, self.offset = 1.0, QPointF(0, 0)
        self.before: QImage | None = None
        self.show_before = False
        self.wiping = False
        self.wipe_at = 0.5
        self.progress = ("", 0.0)
        #: Takes a proposal that is shown; says whether there was one.
        self.take_ghost: Callable[[], bool] = lambda: False
        #: Puts what is being added where a click is; says whether anything is being added.
        self.put_at: Callable[[Seen | None, NDArray[np.float64]], bool] = lambda seen, direction: False
        self.surround = theme.SURROUND
        self.isolated: int | None = None
        self.isolated_image: QImage | None = None
        self._open_slip: QMenu | None = None
        self._pressed: QPointF | None = None
        self._gesture = ""
        self._lent = 0
        self.overlays: list[Overlay] = []
        self._holding: Overlay | None = None
        #: Where the keyboard points in the picture, in [0, 1]; None until arrows have moved it.
        self.reticle: QPointF | None = None
        self.work_light = WorkLight(session, bridge)
        self.lay_over(self.work_light)
        self.handles = Handles(session, bridge)
        self.lay_over(self.handles)
        self.part = PartOverlay(bridge)
        self.lay_over(self.part)
        self.acts.part_about = self.part.take_about
        self.setMinimumSize(480, 270)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("picture")
        self.setObjectName(HOME)
        bridge.shown.picture_changed.connect(self._renewed)
        bridge.shown.frame_shown.connect(self.update)
        bridge.progress.connect(self._progressed)
        session.changed.connect(self.update)
        session.chosen_changed.connect(self.update)

    def lay_over(self, overlay: Overlay) -> None:
        """Let something lie over the picture, above what lies there already."""
        overlay.canvas = self
        self.overlays.append(overlay)

    # -- geometry -------------------------------------------------------------------------------

    def frame(self) -> QRectF:
        """Where the picture lies in the widget."""
        if not self.session.is_open:
            return QRectF(self.rect())
        fitted = fitted_size(self.session.document.shot, self.width(), self.height())
        width, height = (side * self.zoom for side in fitted)
        left, top = (self.width() - width) / 2 + self.offset.x(), (self.height() - height) / 2 + self.offset.y()
        if self.zoom == 1.0:
            # Whole pixels: a live picture of this very size is shown as it is, neither softened nor drawn out.
            left, top = float(round(left)), float(round(top))
        return QRectF(left, top, width, height)

    def to_picture(self, at: QPointF) -> tuple[float, float]:
        """Widget position to picture position in [0, 1]."""
        frame = self.frame()
        return (at.x() - frame.left()) / frame.width(), (at.y() - frame.top()) / frame.height()

    def project(self, point: tuple[float, float, float]) -> QPointF | None:
        """Widget position of a point in the place; None behind the lens."""
        frame = self.frame()
        x, y, depth = self.session.document.shot.seen_from.project(np.array(point), frame.width(), frame.height())
        if not depth > 0 or not np.isfinite((x, y)).all() or max(abs(x), abs(y)) > 1e6:
            return None
        return QPointF(frame.left() + x, frame.top() + y)

    def resizeEvent(self, event: QResizeEvent) -> None:  # noqa: N802
        self._tell_area()

    def give_height(self, height: int) -> None:
        """Lend so many pixels of height for a while: the picture is shown smaller, and no ray is asked for."""
        self._lent = height

    def _tell_area(self) -> None:
        ratio = self.devicePixelRatioF()
        self.bridge.asking.set_area(int(self.width() * ratio), int((self.height() + self._lent) * ratio))

    def reset_view(self) -> None:
        """The whole picture again."""
        self.zoom, self.offset = 1.0, QPointF(0, 0)
        self.update()

    # -- news -----------------------------------------------------------------------------------

    def _renewed(self) -> None:
        if self.isolated is not None:
            self.isolate(self.isolated)
        self.update()

    def _progressed(self, what: str, share: float) -> None:
        self.progress = (what, share)
        self.update()

    def isolate(self, stop: int | None) -> None:
        """Show the parts of the picture that lie at one stop, the rest recedes; None shows all."""
        self.isolated, self.isolated_image = stop, None
        picture = self.bridge.shown.picture
        if stop is not None and picture is not None:
            inside = np.floor(stops_of(picture, self.bridge.shown.exposure()) + 0.5) == stop
            self.isolated_image = self._receding(picture, inside)
        self.update()

    def point_out(self, where: NDArray[np.bool_] | None) -> None:
        """Let the rest of the picture recede behind a part (h, w) of it, of any size; None shows all."""
        self.isolated, self.isolated_image = None, None
        picture = self.bridge.shown.picture
        if where is not None and picture is not None:
            inside = enlarged(where, *picture.shape[:2])
            self.isolated_image = self._receding(picture, inside)
        self.update()

    def _receding(self, picture: NDArray[np.float32], inside: NDArray[np.bool_]) -> QImage:
        dimmed = np.where(inside[..., None], picture, picture * np.float32(0.06))
        return self.bridge.shown.screen.image(dimmed)

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._pressed = event.position()
        self._gesture = ""
        if not self.session.is_open:
            return
        button, modifiers = event.button(), event.modifiers()
        if (
            self.wiping
            and button == Qt.MouseButton.LeftButton
            and abs(event.position().x() - self._wipe_x()) < WIPE_REACH
        ):
            self._gesture = "wipe"
        elif button == Qt.MouseButton.LeftButton and self._offered(event):
            self._gesture = "overlay"
        elif button in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._gesture = "pan"
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            # Alt with the mouse belongs to the window manager.
            self._gesture = "orbit"

    def _offered(self, event: QMouseEvent) -> bool:
        """Whether something over the picture takes a press; the topmost is asked first."""
        self._holding = next((o for o in reversed(self.overlays) if o.press(event)), None)
        return self._holding is not None

    def _pointer(self, at: QPointF) -> Qt.CursorShape:
        if self.wiping and abs(at.x() - self._wipe_x()) < WIPE_REACH:
            return Qt.CursorShape.SizeHorCursor
        if self.session.is_open:
            for overlay in reversed(self.overlays):
                cursor = overlay.hover(at)
                if cursor is not None:
                    return cursor
        return Qt.CursorShape.CrossCursor

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        at = event.position()
        if self._pressed is None:
            self.setCursor(self._pointer(at))
            return
        delta = at - self._pressed
        if self._gesture == "wipe":
            frame = self.frame()
            self.wipe_at = min(max((at.x() - frame.left()) / frame.width(), 0.02), 0.98)
            self.update()
        elif self._gesture == "overlay" and self._holding is not None:
            self._holding.drag(event)
        elif self._gesture == "pan":
            self.offset += delta
            self._pressed = at
            self.update()
        elif self._gesture == "orbit":
            self._pressed = at
            self._move_camera(lambda camera: camera.orbited(-delta.x() * 0.3, delta.y() * 0.3), "orbit")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        pressed, self._pressed = self._pressed, None
        gesture, self._gesture = self._gesture, ""
        if gesture == "overlay" and self._holding is not None:
            self._holding.release(event)
            self._holding = None
        self.session.seal()
        if pressed is None or gesture in ("wipe", "overlay", "orbit"):
            return
        still = (event.position() - pressed).manhattanLength() < 4
        if still and event.button() == Qt.MouseButton.LeftButton and self.session.is_open:
            self._clicked(event.position())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self.reset_view()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        turns = event.angleDelta().y() / 120.0
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self._move_camera(lambda camera: camera.dollied(0.9**turns), "dolly")
            return
        zoom = min(max(self.zoom * 1.15**turns, 1.0), 16.0)
        at = event.position()
        x, y = self.to_picture(at)
        self.zoom = zoom
        frame = self.frame()
        # What lies under the pointer stays there; the whole picture lies on whole pixels, half of one away.
        self.offset += at - frame.topLeft() - QPointF(x * frame.width(), y * frame.height())
        if zoom == 1.0:
            self.offset = QPointF(0, 0)
        self.update()

    def _move_camera(self, move: Callable[[Camera], Camera], label: str) -> None:
        if not self.session.is_open:
            return
        shot = self.session.document.shot
        if shot.locked:
            self.session.said.emit(f"the camera of {shot.name} is locked; unlock it beside the shot's name", False)
            return
        self.session.edit(label, edits.change_camera(self.session.document, move(shot.seen_from)), label)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.take_ghost():
            return
        if self.session.is_open and any(overlay.key(event) for overlay in reversed(self.overlays)):
            return
        if event.key() in (Qt.Key.Key_Menu, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._clicked(self.pointed_at())
        elif event.key() in _ARROWS and not event.modifiers() & ~_FINE:
            self._move_reticle(event)
        elif event.key() == Qt.Key.Key_Home:
            self.reticle = None
            self.reset_view()
        else:
            super().keyPressEvent(event)

    def pointed_at(self) -> QPointF:
        """Widget position of the reticle: the picture's middle until arrows have moved it."""
        at, frame = self.reticle or QPointF(0.5, 0.5), self.frame()
        return QPointF(frame.left() + at.x() * frame.width(), frame.top() + at.y() * frame.height())

    def _move_reticle(self, event: QKeyEvent) -> None:
        step = RETICLE_STEP * (0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0)
        along, down = _ARROWS[Qt.Key(event.key())]
        at = self.reticle or QPointF(0.5, 0.5)
        self.reticle = QPointF(min(max(at.x() + along * step, 0.0), 0.999), min(max(at.y() + down * step, 0.0), 0.999))
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:  # noqa: N802
        super().focusOutEvent(event)
        self.update()

    # -- acts on what is seen ---------------------------------------------------------------------

    def _clicked(self, at: QPointF) -> None:
        if not all(0.0 <= part <= 1.0 for part in self.to_picture(at)):
            return  # beside the picture there is nothing
        if self.session.picking is not None:
            take, self.session.picking = self.session.picking, None
            colour = self.acts.colour_at(at)
            if colour is not None:
                take(colour)
            return
        seen = self.bridge.lens.seen_at(*self.to_picture(at))
        if self.put_at(seen, self._direction(at)):
            return
        slip = self.slip(at, seen)
        if slip is not None:
            self._open_slip = slip
            slip.popup(self.mapToGlobal(at.toPoint()))

    def _direction(self, at: QPointF) -> NDArray[np.float64]:
        """Where the lens looks at a position (3,)."""
        x, y = self.to_picture(at)
        width, height = self.bridge.asking.size()
        _origin, direction = self.session.document.shot.seen_from.ray(x * width, y * height, width, height)
        return direction

    def slip(self, at: QPointF, seen: Seen | None) -> QMenu | None:
        """The slip of acts for a position in the picture."""
        return self.acts.slip(self, at, seen)

    # -- drawing --------------------------------------------------------------------------------

    def _wipe_x(self) -> float:
        frame = self.frame()
        return frame.left() + frame.width() * self.wipe_at

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.surround))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self.zoom < 4)
        if not self.session.is_open:
            painter.setPen(theme.qcolor(theme.DIM))
            painter.setFont(theme.font(theme.TITLE))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, EMPTY)
            return
        frame = self.frame()
        image = self.isolated_image or self.bridge.shown.image
        if self.show_before and self.before is not None:
            painter.drawImage(frame, self.before)
            tag(painter, frame, "before")
        elif not image.isNull():
            painter.drawImage(frame, image)
            if self.bridge.shown.waits:
                # It is of this look, and not as it is now.
                painter.fillRect(frame, VEIL)
            if self.wiping and self.before is not None:
                self._paint_wipe(painter, frame)
        else:
            painter.fillRect(frame, NOT_YET)
            painter.setPen(theme.qcolor(theme.TEXT))
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, self.progress[0] or "waiting for the picture")
        if not self.show_before:
            for overlay in self.overlays:
                overlay.paint(painter)
            self._paint_reticle(painter)
            if self.session.proposal is not None:
                tag(painter, frame, f"proposed: {self.session.proposal.label}. Return takes it, Esc leaves it")
            if not image.isNull() and self.bridge.shown.passes == 0:
                tag(painter, frame, "waiting for the picture" if self.bridge.shown.waits else "preview")
        what, share = self.progress
        if what:
            painter.fillRect(QRectF(0, self.height() - 2, self.width() * share, 2), theme.qcolor(theme.LIT))

    def _paint_reticle(self, painter: QPainter) -> None:
        if self.reticle is None or not self.hasFocus():
            return
        at = self.pointed_at()
        for width, pen in ((3.0, theme.qcolor("#000000", 0.65)), (1.2, theme.qcolor(theme.TEXT))):
            painter.setPen(QPen(pen, width))
            for along, down in _ARROWS.values():
                away = QPointF(along, down)
                painter.drawLine(at + away * 4, at + away * 12)

    def _paint_wipe(self, painter: QPainter, frame: QRectF) -> None:
        x = self._wipe_x()
        painter.save()
        painter.setClipRect(QRectF(frame.left(), frame.top(), x - frame.left(), frame.height()))
        if self.before is not None:
            painter.drawImage(frame, self.before)
        painter.restore()
        painter.setPen(QPen(theme.qcolor("#000000", 0.6), 3))
        painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
        painter.setPen(QPen(theme.qcolor(theme.TEXT), 1))
        painter.drawLine(QPointF(x, frame.top()), QPointF(x, frame.bottom()))
        tag(painter, frame, "pin")
