"""The hour band: the 24 hours painted by the sky, the sun's height as a line; drag to change the hour."""

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer
from PySide6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.sky.gradient import sky_map
from lunar_haze.core.sky.hours import sky_illuminance_lx, sun_at_hour
from lunar_haze.ui import theme
from lunar_haze.ui.bridge import RenderBridge, as_image
from lunar_haze.ui.session import Session

COLUMNS = 144
ROWS = 8


def band_picture() -> np.ndarray:
    """The sky's colours over the day (ROWS, COLUMNS, 3): zenith above, horizon below; bright at noon."""
    band = np.zeros((ROWS, COLUMNS, 3), np.float32)
    for column in range(COLUMNS):
        sun = sun_at_hour((column + 0.5) * 24.0 / COLUMNS)
        altitude = max(sun.altitude_deg, -18.0)
        sky = sky_map(round(altitude, 1), 180.0, 16, 16)[1:8]
        rows = sky.mean(axis=1)
        level = sky_illuminance_lx(altitude)
        # Days are told from nights, but the range of a camera would leave nights black.
        shown = 0.42 * (level / 12000.0) ** 0.2
        rows = rows / max(float(rows.mean()), 1e-12) * shown
        at = np.linspace(0, len(rows) - 1, ROWS)
        for row in range(ROWS):
            band[row, column] = rows[round(float(at[row]))]
    return band


class HourBand(QWidget):
    """Shows and sets the hour of the current look; looks stand on it as small flags."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self._image = None
        self._dragging = False
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("hour of the day")
        self.setToolTip("drag to change the hour; , and . step ten minutes")
        self.setCursor(Qt.CursorShape.SizeHorCursor)
        session.changed.connect(self.update)
        # Painted once the window stands: it takes a moment that nobody need wait for.
        QTimer.singleShot(400, self, self._paint_band)

    def _paint_band(self) -> None:
        self._image = as_image(self.bridge.table.show(band_picture(), 1.0))
        self.update()

    def _x(self, hour: float) -> float:
        return hour / 24.0 * self.width()

    def set_hour(self, hour: float, merge: str = "hour") -> None:
        """Give the current look an hour [h]."""
        if self.session.is_open:
            self.session.edit("hour", edits.set_hour(self.session.document, hour), merge)

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = True
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if self._dragging:
            share = min(max(event.position().x() / max(self.width(), 1), 0.0), 0.99999)
            minutes = 1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 5
            self.set_hour(round(share * 1440 / minutes) * minutes / 60.0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = False
        self.session.seal()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        if self.hasFocus() and self.session.is_open:
            self.set_hour(self.session.document.look.hour_h + event.angleDelta().y() / 120 / 6)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        band = QRectF(0, 0, self.width(), self.height() - 16)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        if self._image is not None:
            painter.drawImage(band, self._image)
        # The sun's height: the horizon lies two thirds down.
        horizon = band.height() * 0.66
        path = QPainterPath()
        for step in range(97):
            altitude = sun_at_hour(step / 4).altitude_deg
            y = horizon - math.copysign(abs(altitude) ** 0.8, altitude) * band.height() / 52
            point = QPointF(self._x(step / 4), min(max(y, 2), band.height() - 2))
            path.lineTo(point) if step else path.moveTo(point)
        painter.setPen(QPen(theme.qcolor("#000000", 0.35), 1))
        painter.drawLine(QPointF(0, horizon), QPointF(self.width(), horizon))
        painter.setPen(QPen(theme.qcolor("#101010", 0.55), 2.6))
        painter.drawPath(path)
        painter.setPen(QPen(theme.qcolor(theme.LIT), 1.2))
        painter.drawPath(path)
        painter.setFont(theme.font(theme.SMALL))
        for hour in range(0, 25, 2):
            painter.setPen(theme.qcolor(theme.DIM))
            x = self._x(hour)
            painter.drawLine(QPointF(x, band.bottom()), QPointF(x, band.bottom() + 3))
            if 0 < hour < 24:
                painter.drawText(QRectF(x - 20, band.bottom() + 2, 40, 14), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}")
        if not self.session.is_open:
            return
        document = self.session.document
        for look in document.looks:
            x = self._x(look.hour_h)
            current = look.name == document.current_look
            painter.setPen(QPen(theme.qcolor("#101010", 0.7), 4 if current else 3))
            painter.drawLine(QPointF(x, 0), QPointF(x, band.bottom()))
            painter.setPen(QPen(theme.qcolor(theme.TEXT if current else theme.CHOSEN), 2 if current else 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, band.bottom()))
            if current:
                hours, minutes = divmod(round(look.hour_h * 60) % 1440, 60)
                text = f"{hours:02d}:{minutes:02d}"
                left = x + 6 if x < self.width() - 60 else x - 46
                painter.setPen(theme.qcolor("#000000", 0.8))
                painter.setFont(theme.font(theme.TITLE, bold=True))
                painter.drawText(QPointF(left + 1, 17), text)
                painter.setPen(theme.qcolor("#f4f2ec"))
                painter.drawText(QPointF(left, 16), text)
