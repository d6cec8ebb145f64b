"""The share rail: one card a source with the picture it makes alone; the row is a sum."""

import math

from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QHBoxLayout, QScrollArea, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.sources.gain import audible
from lunar_haze.core.sources.model import Source
from lunar_haze.ui import theme
from lunar_haze.ui.bridge import RenderBridge
from lunar_haze.ui.session import AIR, Session

CARD_WIDTH, CARD_HEIGHT = 128, 104
PICTURE_HEIGHT = 68
PIXELS_PER_STOP = 24.0
PIXELS_PER_KELVIN_STOP = 160.0
DRAG_START = 4


class Card(QWidget):
    """One source, or the air. Drag up and down for stops, left and right for warmth."""

    chosen = Signal(str)

    def __init__(self, session: Session, bridge: RenderBridge, what: str) -> None:
        super().__init__()
        self.session, self.bridge, self.what = session, bridge, what
        self.image: QImage | None = None
        self._pressed: QPointF | None = None
        self._axis = ""
        self.setFixedSize(CARD_WIDTH, CARD_HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        tip = "what the mist alone adds" if what == AIR else (
            "drag up or down: dimmer in stops; left or right: warmer or cooler; Shift: fine; "
            "double-click: dimmer back to 0; N mute, O alone"
        )  # fmt: skip
        self.setToolTip(tip)

    @property
    def source(self) -> Source | None:
        return self.session.document.look.source(self.what)

    def renew(self) -> None:
        """Make the card's picture again."""
        image = (
            self.bridge.air_image(CARD_WIDTH) if self.what == AIR else self.bridge.share_image(self.what, CARD_WIDTH)
        )
        if image is not None or self.what == AIR:
            self.image = image
        self.update()

    # -- hand -----------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._pressed = event.position()
            self._axis = ""
            self.chosen.emit(self.what)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        source = self.source
        if self._pressed is None or source is None:
            return
        delta = event.position() - self._pressed
        if not self._axis:
            if max(abs(delta.x()), abs(delta.y())) < DRAG_START:
                return
            self._axis = "level" if abs(delta.y()) >= abs(delta.x()) else "warmth"
        self._pressed = event.position()
        fine = 1 / 6 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        document = self.session.document
        if self._axis == "level":
            stops = min(max(source.dimmer_stops - delta.y() / PIXELS_PER_STOP * fine, -40.0), 20.0)
            self.session.edit(
                "dimmer", edits.change_source(document, self.what, dimmer_stops=stops), f"dimmer {self.what}"
            )
        else:
            kelvin = (source.kelvin or 6000.0) * 2.0 ** (delta.x() / PIXELS_PER_KELVIN_STOP * fine)
            kelvin = min(max(kelvin, 1000.0), 15000.0)
            self.session.edit("warmth", edits.change_source(document, self.what, kelvin=kelvin), f"warmth {self.what}")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._pressed = None
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
        frame = QRectF(0, 0, CARD_WIDTH, PICTURE_HEIGHT)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        painter.fillRect(frame, theme.qcolor("#000000"))
        source = self.source
        look = self.session.document.look
        any_alone = any(s.alone and not s.muted for s in look.sources)
        heard = source is None or audible(source, any_alone)
        if self.image is not None:
            size = self.image.size().scaled(CARD_WIDTH, PICTURE_HEIGHT, Qt.AspectRatioMode.KeepAspectRatioByExpanding)
            target = QRectF(
                (CARD_WIDTH - size.width()) / 2, (PICTURE_HEIGHT - size.height()) / 2, size.width(), size.height()
            )
            painter.setClipRect(frame)
            painter.setOpacity(1.0 if heard else 0.22)
            painter.drawImage(target, self.image)
            painter.setOpacity(1.0)
            painter.setClipping(False)
        name = "air" if source is None else source.name
        painter.setFont(theme.font())
        painter.setPen(theme.qcolor(theme.TEXT if heard else theme.DIM))
        metrics = painter.fontMetrics()
        painter.drawText(QRectF(6, PICTURE_HEIGHT + 3, CARD_WIDTH - 28, 16), Qt.AlignmentFlag.AlignVCenter,
                         metrics.elidedText(name, Qt.TextElideMode.ElideRight, CARD_WIDTH - 30))  # fmt: skip
        if source is not None:
            painter.fillRect(
                QRectF(CARD_WIDTH - 20, PICTURE_HEIGHT + 6, 14, 10), theme.qcolor(self.session.light_hex(source))
            )
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.qcolor(theme.DIM))
            row = QRectF(6, PICTURE_HEIGHT + 19, CARD_WIDTH - 12, 14)
            state = "muted" if source.muted else "alone" if source.alone else source.role
            painter.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, state)
            painter.setPen(theme.qcolor(theme.LIT if abs(source.dimmer_stops) > 1e-6 else theme.DIM))
            painter.drawText(
                row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{source.dimmer_stops:+.1f} stops"
            )
        else:
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.qcolor(theme.DIM))
            seen = look.medium.visibility_m
            text = "clear" if look.medium.is_clear or math.isinf(seen) else f"one sees {seen:,.0f} m"
            painter.drawText(QRectF(6, PICTURE_HEIGHT + 19, CARD_WIDTH - 12, 14), Qt.AlignmentFlag.AlignVCenter, text)
        if self.session.chosen == self.what:
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 2))
            painter.drawRect(QRectF(1, 1, CARD_WIDTH - 2, CARD_HEIGHT - 2))
        elif self.hasFocus():
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 1))
            painter.drawRect(QRectF(0.5, 0.5, CARD_WIDTH - 1, CARD_HEIGHT - 1))


class ShareRail(QScrollArea):
    """The row of cards, in the order of the look's sources, the air last."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self.cards: dict[str, Card] = {}
        self._row = QWidget()
        self._layout = QHBoxLayout(self._row)
        self._layout.setContentsMargins(4, 3, 4, 2)
        self._layout.setSpacing(4)
        self.setWidget(self._row)
        self.setWidgetResizable(True)
        self.setFixedHeight(CARD_HEIGHT + 13)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        # Pictures are renewed one card at a time, so that a full rail never holds up the window.
        self._due: list[str] = []
        self._renewing = QTimer(self, interval=15)
        self._renewing.timeout.connect(self._renew_one)
        session.changed.connect(self._changed)
        session.chosen_changed.connect(self._row.update)
        bridge.refined.connect(self._all_due)
        self._seen: tuple = ()

    def _order(self) -> list[str]:
        return [*(s.id for s in self.session.document.look.sources), AIR]

    def _changed(self) -> None:
        if not self.session.is_open:
            return
        order = self._order()
        if order != list(self.cards):
            self._lay_out(order)
        look = self.session.document.look
        exposure = (look.ev100, look.stops)
        for source in look.sources:
            if (source, exposure) not in self._seen:
                self._make_due(source.id)
        self._seen = tuple((s, exposure) for s in look.sources)
        self._make_due(AIR)
        self._row.update()
        for card in self.cards.values():
            card.update()

    def _lay_out(self, order: list[str]) -> None:
        while self._layout.count():
            self._layout.takeAt(0)
        old = self.cards
        self.cards = {}
        for what in order:
            card = old.pop(what, None)
            if card is None:
                card = Card(self.session, self.bridge, what)
                card.chosen.connect(self.session.choose)
            self.cards[what] = card
            self._layout.addWidget(card)
        self._layout.addStretch(1)
        for card in old.values():
            card.hide()
            card.deleteLater()
        self._all_due()

    def _all_due(self) -> None:
        for what in self.cards:
            self._make_due(what)

    def _make_due(self, what: str) -> None:
        if what not in self._due:
            self._due.append(what)
        if not self._renewing.isActive():
            self._renewing.start()

    def _renew_one(self) -> None:
        if not self._due:
            self._renewing.stop()
            return
        card = self.cards.get(self._due.pop(0))
        if card is not None:
            card.renew()
