"""The picture: shown, panned, zoomed; lamps pulled in it; a slip of acts on every surface."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.picture.readings import stops_of
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.solve.placing import dragged
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import is_aimed
from lunar_haze.ui import theme
from lunar_haze.ui.balance import enlarged
from lunar_haze.ui.bridge import RenderBridge, Seen, as_image
from lunar_haze.ui.session import Session
from lunar_haze.ui.surface_acts import SurfaceActs

HANDLE_REACH = 9.0
WIPE_REACH = 6.0
EMPTY = "drop a place (.glb, .gltf, .obj, .ply) or a document (.haze) here\n\nCtrl+O opens one"


class PictureView(QWidget):
    """Signals: ``dropped`` (path) for a file let fall on it."""

    dropped = Signal(str)

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
        self.put_at: Callable[[Seen | None], bool] = lambda seen: False
        self.surround = theme.SURROUND
        self._isolated: int | None = None
        self._isolated_image: QImage | None = None
        self._open_slip: QMenu | None = None
        self._pressed: QPointF | None = None
        self._gesture = ""
        self._grip: tuple[str, float] | None = None
        self.setMinimumSize(480, 270)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("picture")
        bridge.picture_changed.connect(self._renewed)
        bridge.progress.connect(self._progressed)
        session.changed.connect(self.update)
        session.chosen_changed.connect(self.update)

    # -- geometry -------------------------------------------------------------------------------

    def frame(self) -> QRectF:
        """Where the picture lies in the widget."""
        if not self.session.is_open:
            return QRectF(self.rect())
        shot = self.session.document.shot
        scale = min(self.width() / shot.frame_width, self.height() / shot.frame_height) * self.zoom
        size = (shot.frame_width * scale, shot.frame_height * scale)
        return QRectF(
            (self.width() - size[0]) / 2 + self.offset.x(), (self.height() - size[1]) / 2 + self.offset.y(), *size
        )

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
        ratio = self.devicePixelRatioF()
        self.bridge.set_area(int(self.width() * ratio), int(self.height() * ratio))

    def reset_view(self) -> None:
        """The whole picture again."""
        self.zoom, self.offset = 1.0, QPointF(0, 0)
        self.update()

    # -- news -----------------------------------------------------------------------------------

    def _renewed(self) -> None:
        if self._isolated is not None:
            self.isolate(self._isolated)
        self.update()

    def _progressed(self, what: str, share: float) -> None:
        self.progress = (what, share)
        self.update()

    def isolate(self, stop: int | None) -> None:
        """Show the parts of the picture that lie at one stop, the rest recedes; None shows all."""
        self._isolated, self._isolated_image = stop, None
        picture = self.bridge.picture
        if stop is not None and picture is not None:
            inside = np.floor(stops_of(picture, self.bridge.exposure()) + 0.5) == stop
            self._isolated_image = self._receding(picture, inside)
        self.update()

    def point_out(self, where: NDArray[np.bool_] | None) -> None:
        """Let the rest of the picture recede behind a part (h, w) of it, of any size; None shows all."""
        self._isolated, self._isolated_image = None, None
        picture = self.bridge.picture
        if where is not None and picture is not None:
            inside = enlarged(where, *picture.shape[:2])
            self._isolated_image = self._receding(picture, inside)
        self.update()

    def _receding(self, picture: NDArray[np.float32], inside: NDArray[np.bool_]) -> QImage:
        dimmed = np.where(inside[..., None], picture, picture * np.float32(0.06))
        return as_image(self.bridge.table.show(dimmed, self.bridge.exposure()))

    # -- handles --------------------------------------------------------------------------------

    def _handled(self) -> Placed | Card | None:
        """What of the chosen can be pulled: a lamp's shape, or a card; None for anything else."""
        source = self.session.chosen_source
        if source is not None:
            return source.shape if isinstance(source.shape, Placed) else None
        return self.session.chosen_card

    def _handles(self) -> list[tuple[str, QPointF]]:
        handled = self._handled()
        found = []
        if handled is None:
            return []
        for part in ("position", "aim"):
            if part == "aim" and not (isinstance(handled, Card) or is_aimed(handled)):
                continue
            at = self.project(getattr(handled, part))
            if at is not None:
                found.append((part, at))
        return found

    def _handle_under(self, at: QPointF) -> str | None:
        for part, where in self._handles():
            if (where - at).manhattanLength() < HANDLE_REACH * 1.6:
                return part
        return None

    def _drag_handle(self, at: QPointF) -> None:
        """A lamp moves at its distance from its aim (a ball at that from the lens); an aim slides over what is seen."""
        if self._grip is None:
            return
        part, depth = self._grip
        x, y = self.to_picture(at)
        camera = self.session.document.shot.seen_from
        seen = self.bridge.seen_at(x, y) if part == "aim" else None
        handled = self._handled()
        # Any size of the frame's proportions will do for the ray.
        width, height = self.frame().width(), self.frame().height()
        origin, direction = camera.ray(x * width, y * height, width, height)
        if part == "position" and (isinstance(handled, Placed) and is_aimed(handled)):
            point = np.asarray(dragged(handled, origin, direction).position)
        elif seen is not None:
            point = seen.point
        else:
            point = origin + direction * (depth / float(direction @ camera.axes()[2]))
        change = edits.change_card if isinstance(handled, Card) else edits.change_shape
        document = change(self.session.document, self.session.chosen, **{part: tuple(point.tolist())})
        self.session.edit(
            "place of the lamp" if part == "position" else "aim", document, f"handle {part} {self.session.chosen}"
        )

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
        elif button == Qt.MouseButton.LeftButton and (part := self._handle_under(event.position())):
            point = np.array(getattr(self._handled(), part))
            depth = float(self.session.document.shot.seen_from.project(point, 1, 1)[2])
            self._gesture, self._grip = "handle", (part, depth)
        elif button in (Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._gesture = "pan"
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            # Alt with the mouse belongs to the window manager.
            self._gesture = "orbit"

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        at = event.position()
        if self._pressed is None:
            over_handle = self.session.is_open and self._handle_under(at)
            over_wipe = self.wiping and abs(at.x() - self._wipe_x()) < WIPE_REACH
            cursor = (
                Qt.CursorShape.SizeHorCursor
                if over_wipe
                else (Qt.CursorShape.SizeAllCursor if over_handle else Qt.CursorShape.CrossCursor)
            )
            self.setCursor(cursor)
            return
        delta = at - self._pressed
        if self._gesture == "wipe":
            frame = self.frame()
            self.wipe_at = min(max((at.x() - frame.left()) / frame.width(), 0.02), 0.98)
            self.update()
        elif self._gesture == "handle":
            self._drag_handle(at)
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
        self.session.seal()
        if pressed is None or gesture in ("wipe", "handle", "orbit"):
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
        at = event.position() - QPointF(self.width() / 2, self.height() / 2)
        self.offset = at - (at - self.offset) * (zoom / self.zoom)
        self.zoom = zoom
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
        if event.key() in (Qt.Key.Key_Menu, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._clicked(QPointF(self.width() / 2, self.height() / 2))
        elif event.key() == Qt.Key.Key_Home:
            self.reset_view()
        else:
            super().keyPressEvent(event)

    # -- acts on what is seen ---------------------------------------------------------------------

    def _clicked(self, at: QPointF) -> None:
        if self.session.picking is not None:
            take, self.session.picking = self.session.picking, None
            colour = self.acts.colour_at(at)
            if colour is not None:
                take(colour)
            return
        seen = self.bridge.seen_at(*self.to_picture(at))
        if self.put_at(seen):
            return
        slip = self.slip(at, seen)
        if slip is not None:
            self._open_slip = slip
            slip.popup(self.mapToGlobal(at.toPoint()))

    def slip(self, at: QPointF, seen: Seen | None) -> QMenu | None:
        """The slip of acts for a position in the picture."""
        return self.acts.slip(self, at, seen)

    # -- files let fall -------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if event.mimeData().hasUrls() and any(u.isLocalFile() for u in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.dropped.emit(url.toLocalFile())
                return

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
        image = self._isolated_image or self.bridge.image
        if self.show_before and self.before is not None:
            painter.drawImage(frame, self.before)
            self._tag(painter, frame, "before")
        elif not image.isNull():
            painter.drawImage(frame, image)
            if self.wiping and self.before is not None:
                self._paint_wipe(painter, frame)
        else:
            painter.setPen(theme.qcolor(theme.DIM))
            painter.drawText(frame, Qt.AlignmentFlag.AlignCenter, self.progress[0] or "black")
        if not self.show_before:
            self._paint_handles(painter)
            self._paint_ghost(painter)
            if self.session.proposal is not None:
                self._tag(painter, frame, f"proposed: {self.session.proposal.label}. Return takes it, Esc leaves it")
            if not image.isNull() and self.bridge.shown_passes == 0:
                self._tag(painter, frame, "preview")
        what, share = self.progress
        if what:
            painter.fillRect(QRectF(0, self.height() - 2, self.width() * share, 2), theme.qcolor(theme.LIT))

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
        self._tag(painter, frame, "pin")

    @staticmethod
    def _tag(painter: QPainter, frame: QRectF, text: str) -> None:
        painter.setFont(theme.font(theme.SMALL))
        box = QRectF(frame.left() + 8, frame.top() + 8, painter.fontMetrics().horizontalAdvance(text) + 14, 18)
        painter.fillRect(box, theme.qcolor("#000000", 0.55))
        painter.setPen(theme.qcolor(theme.TEXT))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_handles(self, painter: QPainter) -> None:
        source, card = self.session.chosen_source, self.session.chosen_card
        if source is not None:
            paint_handles(painter, dict(self._handles()), theme.qcolor(self.session.light_hex(source)))
        elif card is not None:
            self._paint_card(painter, card)
            paint_handles(painter, dict(self._handles()), theme.qcolor(theme.TEXT))

    def _paint_card(self, painter: QPainter, card: Card) -> None:
        corners = [at for at in map(self.project, card.corners()) if at is not None]
        if len(corners) == len(card.corners()):
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for width, pen in ((3.0, theme.qcolor("#000000", 0.6)), (1.2, theme.qcolor(theme.TEXT, 0.9))):
                painter.setPen(QPen(pen, width))
                painter.drawPolygon(QPolygonF(corners))

    def _paint_ghost(self, painter: QPainter) -> None:
        """A proposal, dashed, until it is taken or left."""
        ghost = self.session.ghost
        if ghost is None or not isinstance(ghost.shape, Placed):
            return
        at, aim = self.project(ghost.shape.position), self.project(ghost.shape.aim)
        colour = theme.qcolor(self.session.light_hex(ghost))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, pen in ((3.4, theme.qcolor("#000000", 0.6)), (1.4, colour)):
            painter.setPen(QPen(pen, width, Qt.PenStyle.DashLine))
            if at is not None and aim is not None:
                painter.drawLine(at, aim)
            for spot, size in ((at, 9.0), (aim, 5.0)):
                if spot is not None:
                    painter.drawEllipse(spot, size, size)
        self._tag(painter, self.frame(), f"{ghost.name} proposed: Return takes it, Esc leaves it")


def paint_handles(painter: QPainter, handles: dict[str, QPointF], colour: QColor) -> None:
    """Lines and dots of what is chosen, in its colour with a dark edge, legible on any picture."""
    if not handles:
        return
    for width, pen in ((4.0, theme.qcolor("#000000", 0.65)), (1.6, colour)):
        painter.setPen(QPen(pen, width))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if "position" in handles and "aim" in handles:
            painter.drawLine(handles["position"], handles["aim"])
        if "aim" in handles:
            at = handles["aim"]
            painter.drawEllipse(at, 6, 6)
            painter.drawLine(at - QPointF(10, 0), at - QPointF(3, 0))
            painter.drawLine(at + QPointF(3, 0), at + QPointF(10, 0))
        if "position" in handles:
            painter.drawEllipse(handles["position"], 6, 6)
    if "position" in handles:
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawEllipse(handles["position"], 3.2, 3.2)
