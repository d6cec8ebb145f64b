"""The day strip: 24 hours painted by the true sky of the date and place, to be dragged through.

The heights of sun and moon run over it as two lines, what happens that day stands as ticks with
names on approach, looks of that date as small flags. Date and place are set at its right end.
"""

import datetime as dt
import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QContextMenuEvent, QImage, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QMenu, QToolButton, QVBoxLayout, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.day import day_band
from lunar_haze.core.sky.ephemeris import Event, Site, events, heavens
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.kept_drawing import KeptDrawing
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.screen import as_image
from lunar_haze.ui.session.session import Session

COLUMNS, ROWS = 144, 8
HEIGHT, LABELS = 60, 16
#: Within this many pixels of an event its name shows.
NEAR_EVENT = 26


def place_text(site: Site) -> str:
    """A site in a few characters."""
    north = f"{abs(site.latitude_deg):.1f}° {'N' if site.latitude_deg >= 0 else 'S'}"
    return f"{north} {abs(site.longitude_deg):.1f}° {'E' if site.longitude_deg >= 0 else 'W'}"


def clock(hour_h: float) -> str:
    """An hour as hh:mm."""
    hours, minutes = divmod(round(hour_h * 60) % 1440, 60)
    return f"{hours:02d}:{minutes:02d}"


class DayStrip(QWidget):
    """Shows and sets the hour, date and site of the current look."""

    _painted = Signal(object, object)

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session = session
        self.band = DayBand(session)
        self.date = QLineEdit()
        self.date.setAccessibleName("date")
        self.date.setToolTip("date of the sun, moon and stars, such as 2024-08-21")
        self.date.setFixedSize(124, 24)
        self.date.editingFinished.connect(self._date_typed)
        # Whether it was taken or refused: the next key is no part of a date.
        self.date.returnPressed.connect(self.band.setFocus)
        self.site = QToolButton()
        self.site.setAccessibleName("location")
        self.site.setToolTip("where the place lies on earth, its clock, and which way is north")
        self.site.setFixedSize(124, 24)
        self.site.clicked.connect(self.ask_site)
        side = QVBoxLayout()
        side.setContentsMargins(6, 4, 6, 4)
        side.setSpacing(4)
        side.addWidget(self.date)
        side.addWidget(self.site)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.band, 1)
        row.addLayout(side)
        self.setFixedHeight(HEIGHT)
        self._bridge = bridge
        self._wanted: tuple[str, Site, Atmosphere] | None = None
        self._making = False
        self._painted.connect(self._take)
        # Painted once the window stands: it takes a moment that nobody need wait for.
        self._later = QTimer(self, singleShot=True, interval=400)
        self._later.timeout.connect(self._paint_band)
        session.changed.connect(self.refresh)
        self.refresh()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        QPainter(self).fillRect(self.rect(), theme.qcolor(theme.PANEL))

    # -- painting the sky ---------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the look's date and place; paint the sky again when they are new."""
        self.setEnabled(self.session.is_open)
        if not self.session.is_open:
            return
        look, site = self.session.document.look, self.session.document.place.site
        if not self.date.hasFocus():
            self.date.setText(look.date)
        self.site.setText(place_text(site))
        wanted = (look.date, site, look.weather.atmosphere)
        if wanted != self._wanted:
            self._wanted = wanted
            self._later.start()
        self.band.update()

    def _paint_band(self) -> None:
        if self._making or self._wanted is None:
            return
        self._making = True
        wanted = self._wanted

        self.session.aside.then(lambda: day_band(*wanted, ROWS, COLUMNS), lambda band: self._painted.emit(wanted, band))

    def _take(self, wanted: object, band: np.ndarray | None) -> None:
        self._making = False
        if band is None:
            return  # the log tells why; another day may do
        self.band.image = as_image(self._bridge.shown.screen.table.show(band, 1.0))
        self.band.update()
        if wanted != self._wanted:
            self._later.start()

    # -- hand ----------------------------------------------------------------------------------

    def set_hour(self, hour_h: float, merge: str = "hour") -> None:
        """Give the current look an hour [h]; beyond midnight the date goes along."""
        self.band.set_hour(hour_h, merge)

    def step_event(self, forward: bool) -> None:
        """Go to the next event of the day, or to the one before."""
        if not self.session.is_open:
            return
        look, site = self.session.document.look, self.session.document.place.site
        slack = 1 / 240
        hours = [e.hour_h for e in events(look.day, site)]
        ahead = [h for h in hours if (h > look.clock_h + slack if forward else h < look.clock_h - slack)]
        if ahead:
            self.set_hour(min(ahead) if forward else max(ahead), "")
            return
        # On to the next day's first, or the day before's last.
        day = (dt.date.fromisoformat(look.date) + dt.timedelta(days=1 if forward else -1)).isoformat()
        others = [e.hour_h for e in events(day, site)]
        if others:
            self.set_hour(min(others) + 24.0 if forward else max(others) - 24.0, "")

    def _date_typed(self) -> None:
        text = self.date.text().strip()
        if not self.session.is_open or text == self.session.document.look.date:
            return
        try:
            heavens(text, 12.0, self.session.document.place.site)
        except SkyError as error:
            self.session.said.emit(str(error), True)
            self.date.setText(self.session.document.look.date)
            return
        self.session.edit("date", edits.change_heavens(self.session.document, date=text))
        self.session.seal()

    def ask_site(self) -> None:
        """Open the wells of the site."""
        if self.session.is_open:
            SiteDialog(self.session, self).open()


class SiteDialog(QDialog):
    """Latitude, longitude, height, clock and north of the place; answers at once, undo takes it back."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("location")
        column = QVBoxLayout(self)
        site = session.document.place.site
        self.wells: dict[str, Well] = {}
        for field, well in (
            ("latitude_deg", Well("north", "°", -70.0, 70.0, 52.0, floor=-90.0, ceiling=90.0, tip="below 0 south")),
            ("longitude_deg", Well("east", "°", -180.0, 180.0, 0.0, floor=-180.0, ceiling=180.0, tip="below 0 west")),
            ("altitude_m", Well("above the sea", "m", 0.0, 3000.0, 0.0, floor=0.0, ceiling=6000.0)),
            ("utc_offset_h", Well("clock ahead of UTC", "h", -12.0, 14.0, 0.0, floor=-12.0, ceiling=14.0)),
            (
                "north_deg",
                Well(
                    "true north lies at",
                    "°",
                    -180.0,
                    180.0,
                    0.0,
                    floor=-360.0,
                    ceiling=360.0,
                    tip="bearing in the place's own axes",
                ),
            ),
        ):
            well.setMinimumWidth(260)
            well.set_value(getattr(site, field))

            def moved(value: float, name: str = field) -> None:
                edited: Document = edits.change_site(session.document, **{name: value})
                session.edit("location", edited, f"site {name}")

            well.moved.connect(moved)
            well.settled.connect(session.seal)
            column.addWidget(well)
            self.wells[field] = well


class DayBand(QWidget):
    """The painted day itself."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.image: QImage | None = None
        self._heights = KeptDrawing()
        self._dragging = False
        self._pointer: float | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("hour of the day")
        self.setToolTip("drag to change the hour, finer with Shift; , and . step ten minutes, ; and ' to events")
        self.setCursor(Qt.CursorShape.SizeHorCursor)

    def _x(self, hour_h: float) -> float:
        return hour_h / 24.0 * self.width()

    def set_hour(self, hour_h: float, merge: str = "hour") -> None:
        """Give the current look an hour [h]; edits that share ``merge`` are one step of undo."""
        if self.session.is_open:
            self.session.edit("hour", edits.set_hour(self.session.document, hour_h), merge)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:  # noqa: N802
        if self.session.is_open:
            self.menu().popup(event.globalPos())

    def menu(self) -> QMenu:
        """The day's events and the hours of the other looks, to go to."""
        menu = QMenu(self)
        document = self.session.document
        for found in events(document.look.day, document.place.site):
            menu.addAction(f"{found.name}, {clock(found.hour_h)}", lambda h=found.hour_h: self._go(h))
        others = [k for k in document.looks if k.name != document.current_look]
        hours = menu.addMenu("hour of another look")
        hours.setEnabled(bool(others))
        for look in others:
            hours.addAction(f"{look.name}, {clock(look.hour_h)}", lambda h=look.hour_h: self._go(h))
        return menu

    def _go(self, hour_h: float) -> None:
        self.set_hour(hour_h)
        self.session.seal()

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() != Qt.MouseButton.LeftButton:
            return
        self._dragging = self.session.is_open
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._pointer = event.position().x()
        if self._dragging:
            share = min(max(event.position().x() / max(self.width(), 1), 0.0), 0.99999)
            minutes = 1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 5
            self.set_hour(min(round(share * 1440 / minutes) * minutes, 1439) / 60.0)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        self._dragging = False
        self.session.seal()

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._pointer = None
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:  # noqa: N802
        if self.hasFocus() and self.session.is_open:
            self.set_hour(self.session.document.look.hour_h + event.angleDelta().y() / 120 / 6)

    # -- drawing --------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        band = QRectF(0, 0, self.width(), self.height() - LABELS)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        if self.image is not None:
            painter.drawImage(band, self.image)
        if not self.session.is_open:
            return
        look, site = self.session.document.look, self.session.document.place.site
        date = look.day
        self._heights.draw(self, painter, (date, site), lambda own: self._paint_heights(own, band, date, site))
        self._paint_hours(painter, band)
        self._paint_flags(painter, band)
        self._paint_events(painter, band, events(look.day, site))

    def _paint_heights(self, painter: QPainter, band: QRectF, date: str, site: Site) -> None:
        horizon = band.height() * 0.62
        painter.setPen(QPen(theme.qcolor("#000000", 0.35), 1))
        painter.drawLine(QPointF(0, horizon), QPointF(self.width(), horizon))
        for body, colour in (("moon", theme.MOON), ("sun", theme.LIT)):
            path = self._height_line(date, site, body, horizon, band.height())
            painter.setPen(QPen(theme.qcolor("#101010", 0.55), 2.6))
            painter.drawPath(path)
            painter.setPen(QPen(theme.qcolor(colour), 1.2))
            painter.drawPath(path)

    def _height_line(self, date: str, site: Site, body: str, horizon: float, height: float) -> QPainterPath:
        path = QPainterPath()
        for step in range(97):
            altitude = getattr(heavens(date, step / 4, site), body).altitude_deg
            y = horizon - math.copysign(abs(altitude) ** 0.8, altitude) * height / 62
            point = QPointF(self._x(step / 4), min(max(y, 2), height - 2))
            path.lineTo(point) if step else path.moveTo(point)
        return path

    def _paint_hours(self, painter: QPainter, band: QRectF) -> None:
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.qcolor(theme.DIM))
        for hour in range(0, 25, 2):
            x = self._x(hour)
            painter.drawLine(QPointF(x, band.bottom()), QPointF(x, band.bottom() + 3))
            if 0 < hour < 24:
                painter.drawText(QRectF(x - 20, band.bottom() + 2, 40, 14), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}")

    def _paint_flags(self, painter: QPainter, band: QRectF) -> None:
        document = self.session.document
        # The present look's hour is written over the others' flags.
        for look in sorted(document.looks, key=lambda k: k.name == document.current_look):
            current = look.name == document.current_look
            if not current and look.date != document.look.date:
                continue
            x = self._x(look.clock_h)
            painter.setPen(QPen(theme.qcolor("#101010", 0.7), 4 if current else 3))
            painter.drawLine(QPointF(x, 0), QPointF(x, band.bottom()))
            painter.setPen(QPen(theme.qcolor(theme.TEXT if current else theme.CHOSEN), 2 if current else 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, band.bottom()))
            if current:
                left = x + 6 if x < self.width() - 60 else x - 46
                self._outlined(painter, QPointF(left, 16), clock(look.hour_h), theme.TITLE, True)

    def _paint_events(self, painter: QPainter, band: QRectF, today: tuple[Event, ...]) -> None:
        nearest = None
        for event in today:
            x = self._x(event.hour_h)
            painter.setPen(QPen(theme.qcolor("#000000", 0.6), 3))
            painter.drawLine(QPointF(x, band.bottom() - 6), QPointF(x, band.bottom()))
            painter.setPen(QPen(theme.qcolor(theme.MOON if event.name.startswith("moon") else theme.LIT), 1))
            painter.drawLine(QPointF(x, band.bottom() - 6), QPointF(x, band.bottom()))
            if self._pointer is not None and abs(x - self._pointer) < NEAR_EVENT:
                apart = abs(x - self._pointer)
                if nearest is None or apart < nearest[0]:
                    nearest = (apart, event)
        if nearest is not None:
            event = nearest[1]
            text = f"{event.name} {clock(event.hour_h)}"
            painter.setFont(theme.font(theme.SMALL))
            width = painter.fontMetrics().horizontalAdvance(text)
            x = min(max(self._x(event.hour_h) - width / 2, 4), self.width() - width - 4)
            self._outlined(painter, QPointF(x, band.bottom() - 9), text, theme.SMALL, False)

    def _outlined(self, painter: QPainter, at: QPointF, text: str, size: int, bold: bool) -> None:
        painter.setFont(theme.font(size, bold=bold))
        painter.setPen(theme.qcolor("#000000", 0.8))
        for dx, dy in ((1, 1), (-1, 1), (1, -1), (-1, -1)):
            painter.drawText(at + QPointF(dx, dy), text)
        painter.setPen(theme.qcolor("#f4f2ec"))
        painter.drawText(at, text)
