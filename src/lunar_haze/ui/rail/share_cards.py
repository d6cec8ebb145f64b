"""Cards of the share rail: a source, a folded group or the air, with the picture that it makes alone; the finish."""

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Group
from lunar_haze.core.sources.model import Source
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import tag
from lunar_haze.ui.rail.end_cards import END_CARDS
from lunar_haze.ui.rail.share_pictures import SharePicture, share_picture
from lunar_haze.ui.session.session import Session

CARD_WIDTH, CARD_HEIGHT = 128, 104
PICTURE_HEIGHT = 68
PIXELS_PER_STOP = 24.0
PIXELS_PER_KELVIN_STOP = 160.0
DRAG_START = 4
_TIP = (
    "drag up or down: dimmer in stops; left or right: warmer or cooler; Shift: fine; Ctrl: move the card; "
    "double-click: dimmer back to 0; N mute, O solo; right-click: groups and order; arrows do the same"
)


class Card(QWidget):
    """One source, the air or the finish. Drag up and down for stops, left and right for warmth."""

    chosen = Signal(str)
    #: Another card is to stand where this one was let go of: (what, horizontal position in the row).
    moved_to = Signal(str, float)
    asked = Signal(str, QPoint)

    def __init__(self, session: Session, bridge: RenderBridge, what: str) -> None:
        super().__init__()
        self.session, self.bridge, self.what = session, bridge, what
        self.image: SharePicture | None = None
        self._pressed: QPointF | None = None
        self._axis = ""
        self.setFixedSize(CARD_WIDTH, CARD_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._end = END_CARDS.get(what)
        self.setToolTip(_TIP if self._end is None else self._end.tip)
        self.name_itself()

    def name_itself(self) -> None:
        """Tell what it is to those who cannot see it."""
        source = self.source
        if source is None:
            self.setAccessibleName(self.what)
            return
        state = "muted, " if source.muted else "solo, " if source.alone else ""
        role = f"{source.role}, " if source.role else ""
        self.setAccessibleName(f"{source.name}, {role}{state}{source.dimmer_stops:+.1f} stops")

    @property
    def source(self) -> Source | None:
        return self.session.document.look.source(self.what)

    def forget(self) -> None:
        """Another shot or look is shown: do without a picture until there is one of it."""
        self.image = None

    def renew(self) -> None:
        """Make the card's picture again."""
        self.name_itself()
        if self._end is not None:
            self.image = self._end.picture(self.bridge, CARD_WIDTH)
        else:
            self.image = share_picture(self.bridge, [self.what], CARD_WIDTH) or self.image
        self.update()

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()
            self._axis = "place" if event.modifiers() & Qt.KeyboardModifier.ControlModifier else ""
            self.chosen.emit(self.what)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        self.asked.emit(self.what, event.globalPos())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        source = self.source
        if self._pressed is None or source is None:
            return
        delta = event.position() - self._pressed
        if self._axis == "place":
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        if not self._axis:
            if max(abs(delta.x()), abs(delta.y())) < DRAG_START:
                return
            self._axis = "level" if abs(delta.y()) >= abs(delta.x()) else "warmth"
        self._pressed = event.position()
        fine = 1 / 6 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        if self._axis == "level":
            self._dim(source, -delta.y() / PIXELS_PER_STOP * fine)
        else:
            self._warm(source, delta.x() / PIXELS_PER_KELVIN_STOP * fine)

    def _dim(self, source: Source, stops: float) -> None:
        moved = min(max(source.dimmer_stops + stops, -40.0), 20.0)
        edited = edits.change_source(self.session.document, self.what, dimmer_stops=moved)
        self.session.edit("dimmer", edited, f"dimmer {self.what}")

    def _warm(self, source: Source, octaves: float) -> None:
        kelvin = min(max(self.session.lamp_kelvin(source) * 2.0**octaves, 1000.0), 15000.0)
        edited = edits.change_source(self.session.document, self.what, kelvin=kelvin)
        self.session.edit("colour temperature", edited, f"warmth {self.what}")

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        key, source = event.key(), self.source
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.chosen.emit(self.what)
        elif plain and source is not None and key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._dim(source, 1 / 3 if key == Qt.Key.Key_Up else -1 / 3)
            self.session.seal()
        elif plain and source is not None and key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._warm(source, 1 / 12 if key == Qt.Key.Key_Right else -1 / 12)
            self.session.seal()
        else:
            super().keyPressEvent(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._axis == "place" and self._pressed is not None:
            self.unsetCursor()
            self.moved_to.emit(self.what, self.x() + event.position().x())
        self._pressed, self._axis = None, ""
        self.session.seal()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self.source is not None:
            document = edits.change_source(self.session.document, self.what, dimmer_stops=0.0)
            self.session.edit("dimmer reset", document)
            self.session.seal()

    # -- drawing --------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        source = self.source
        look = self.session.document.look
        active = self._end.is_active(look) if self._end is not None else source is None or source.id in look.active()
        paint_share(painter, self.image, active)
        if source is not None:
            paint_mark(painter, look.group(source.group))
        name = self.what if source is None else source.name
        painter.setFont(theme.font())
        painter.setPen(theme.qcolor(theme.TEXT if active else theme.DIM))
        metrics = painter.fontMetrics()
        painter.drawText(
            QRectF(6, PICTURE_HEIGHT + 3, CARD_WIDTH - 28, 16),
            Qt.AlignmentFlag.AlignVCenter,
            metrics.elidedText(name, Qt.TextElideMode.ElideRight, CARD_WIDTH - 30),
        )
        if source is not None:
            painter.fillRect(
                QRectF(CARD_WIDTH - 20, PICTURE_HEIGHT + 6, 14, 10), theme.qcolor(self.session.light_hex(source))
            )
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.qcolor(theme.DIM))
            row = QRectF(6, PICTURE_HEIGHT + 19, CARD_WIDTH - 12, 14)
            state = "muted" if source.muted else "solo" if source.alone else source.role
            painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, state)
            painter.setPen(theme.qcolor(theme.LIT if abs(source.dimmer_stops) > 1e-6 else theme.DIM))
            painter.drawText(
                row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{source.dimmer_stops:+.1f} stops"
            )
        elif self._end is not None:
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.qcolor(theme.DIM))
            row = QRectF(6, PICTURE_HEIGHT + 19, CARD_WIDTH - 12, 14)
            painter.drawText(row, Qt.AlignmentFlag.AlignVCenter, self._end.words(look))
        if self.session.chosen == self.what:
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 2))
            painter.drawRect(QRectF(1, 1, CARD_WIDTH - 2, CARD_HEIGHT - 2))
        elif self.hasFocus():
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 1))
            painter.drawRect(QRectF(0.5, 0.5, CARD_WIDTH - 1, CARD_HEIGHT - 1))


class GroupCard(QWidget):
    """A folded group: the sum of its sources. Drag up and down for stops; a click unfolds it."""

    def __init__(self, session: Session, bridge: RenderBridge, name: str) -> None:
        super().__init__()
        self.session, self.bridge, self.name = session, bridge, name
        self.image: SharePicture | None = None
        self._pressed: QPointF | None = None
        self._moved = False
        self.setFixedSize(CARD_WIDTH, CARD_HEIGHT)
        self.setAccessibleName(f"group {name}")
        self.setToolTip("drag up or down: dimmer of the group; click: show its sources; right-click: mute, solo")

    def forget(self) -> None:
        """Another shot or look is shown: do without a picture until there is one of it."""
        self.image = None

    def renew(self) -> None:
        """Make the card's picture again."""
        members = [s.id for s in self.session.document.look.sources if s.group == self.name]
        self.image = share_picture(self.bridge, members, CARD_WIDTH)
        self.update()

    def _change(self, label: str, **changes: object) -> None:
        self.session.edit(label, edits.change_group(self.session.document, self.name, **changes), f"group {self.name}")

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed, self._moved = event.position(), False
        elif event.button() == Qt.MouseButton.RightButton:
            group = self.session.document.look.group(self.name)
            menu = QMenu(self)
            for words, field in (("mute", "muted"), ("solo", "alone")):
                action = menu.addAction(words, lambda f=field: self.toggle(f))
                action.setCheckable(True)
                action.setChecked(getattr(group, field))
            colours = menu.addMenu("colour")
            for word in (*theme.MARKS, ""):
                colours.addAction(word or "none", lambda w=word: self.mark(w))
            menu.addAction("show its sources", lambda: self.toggle("folded"))
            menu.popup(event.globalPosition().toPoint())

    def toggle(self, field: str) -> None:
        """Turn one of the group's switches."""
        group = self.session.document.look.group(self.name)
        self._change(f"{field} group", **{field: not getattr(group, field)})
        self.session.seal()

    def mark(self, colour: str) -> None:
        """Give the group's cards a mark of that colour, or none."""
        self._change("colour of the group", colour=colour)
        self.session.seal()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        group = self.session.document.look.group(self.name)
        if self._pressed is None or group is None:
            return
        delta = event.position() - self._pressed
        if not self._moved and abs(delta.y()) < DRAG_START:
            return
        self._moved = True
        self._pressed = event.position()
        fine = 1 / 6 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        stops = min(max(group.dimmer_stops - delta.y() / PIXELS_PER_STOP * fine, -40.0), 20.0)
        self._change("group dimmer", dimmer_stops=stops)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._pressed is not None and not self._moved:
            self.toggle("folded")
        self._pressed = None
        self.session.seal()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        group = self.session.document.look.group(self.name)
        if group is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        paint_share(painter, self.image, not group.muted)
        paint_mark(painter, group)
        count = sum(s.group == self.name for s in self.session.document.look.sources)
        painter.setFont(theme.font())
        painter.setPen(theme.qcolor(theme.TEXT))
        painter.drawText(
            QRectF(6, PICTURE_HEIGHT + 3, CARD_WIDTH - 12, 16), Qt.AlignmentFlag.AlignVCenter, f"{self.name} ({count})"
        )
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.qcolor(theme.DIM))
        row = QRectF(6, PICTURE_HEIGHT + 19, CARD_WIDTH - 12, 14)
        state = "muted" if group.muted else "solo" if group.alone else "group"
        painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, state)
        painter.setPen(theme.qcolor(theme.LIT if abs(group.dimmer_stops) > 1e-6 else theme.DIM))
        painter.drawText(
            row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{group.dimmer_stops:+.1f} stops"
        )
        # Cards that lie under it.
        painter.setPen(QPen(theme.qcolor(theme.EDGE), 1))
        for step in (2, 5):
            painter.drawLine(QPointF(CARD_WIDTH - step, 2), QPointF(CARD_WIDTH - step, PICTURE_HEIGHT - 2))


def paint_mark(painter: QPainter, group: Group | None) -> None:
    """The mark of a group's colour, along the lower edge of a card's picture."""
    if group is not None and group.colour in theme.MARKS:
        painter.fillRect(QRectF(0, PICTURE_HEIGHT - 3, CARD_WIDTH, 3), theme.qcolor(theme.MARKS[group.colour]))


def paint_share(painter: QPainter, shown: SharePicture | None, active: bool) -> None:
    """The picture of a card, dim when it is not active, with what its exposure differs by."""
    frame = QRectF(0, 0, CARD_WIDTH, PICTURE_HEIGHT)
    painter.fillRect(frame, theme.qcolor("#000000"))
    if shown is None:
        return
    size = shown.image.size().scaled(CARD_WIDTH, PICTURE_HEIGHT, Qt.AspectRatioMode.KeepAspectRatioByExpanding)
    target = QRectF((CARD_WIDTH - size.width()) / 2, (PICTURE_HEIGHT - size.height()) / 2, size.width(), size.height())
    painter.setClipRect(frame)
    painter.setOpacity(1.0 if active else 0.22)
    painter.drawImage(target, shown.image)
    painter.setOpacity(1.0)
    painter.setClipping(False)
    if shown.words and active:
        tag(painter, frame, shown.words)
