"""What is drawn over the plan: the shot's wedge, marks of sources and cards, the sky's paths, scale and heights."""

import math
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF, QRadialGradient

from lunar_haze.core.air.banks import BANK_KINDS
from lunar_haze.core.air.medium import Bank
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.ephemeris import Site, heavens
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.panorama import lobe_bearing
from lunar_haze.core.sources.array import LampArray, Placed
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.sources.model import Sky, Source, Sun, is_aimed
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.picture_overlays import tag

if TYPE_CHECKING:
    from lunar_haze.ui.plan.plan_view import PlanView

#: Width of the strip of heights [px].
STRIP = 18
#: With more sources than this, pools of light are not drawn.
MOST_POOLS = 150


class PlanMarks:
    """Draws one picture of the plan's marks."""

    def __init__(self, view: "PlanView", painter: QPainter) -> None:
        self.view, self.painter = view, painter

    def wedge(self) -> None:
        """What the shot sees, from its camera."""
        camera = self.view.session.document.shot.seen_from
        forward = camera.axes()[2]
        heading = math.atan2(*self.view.flat(forward))
        shot = self.view.session.document.shot
        upright = 1.0 if self.view.side == "above" else shot.frame_height / shot.frame_width
        half = math.atan(camera.tan_half_width * upright)
        reach = 400 * self.view.metres_per_pixel
        stands = self.view.flat(camera.position)
        eye = self.view.to_screen(*stands)
        corners = [
            self.view.to_screen(stands[0] + reach * math.sin(a), stands[1] + reach * math.cos(a))
            for a in (heading - half, heading + half)
        ]
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(theme.qcolor(theme.TEXT, 0.07))
        self.painter.drawPolygon(QPolygonF([eye, *corners]))
        self.painter.setPen(QPen(theme.qcolor(theme.TEXT, 0.5), 1))
        for corner in corners:
            self.painter.drawLine(eye, corner)
        self.painter.setBrush(theme.qcolor(theme.TEXT))
        self.painter.drawEllipse(eye, 3, 3)

    def source(self, source: Source, active: bool) -> None:
        """A source's mark with its throw as a faint pool; the chosen one is ringed."""
        colour = theme.qcolor(self.view.session.light_hex(source), 1.0 if active else 0.35)
        chosen = source.id == self.view.session.chosen
        shape = source.shape
        match shape:
            case Sun():
                spots = self._sun_spots(source, shape, active)
            case Lamp() | LampArray():
                spots = self._lamp_spots(shape, colour, chosen)
            case _:
                spots = [self.view.to_screen(*self.view.flat(p)) for p in self.view.surface_places(source)]
        # Of hundreds of lamps the marks are enough.
        few = len(self.view.session.document.look.sources) <= MOST_POOLS
        for at in spots:
            if not few and not chosen:
                self.painter.fillRect(QRectF(at.x() - 1.5, at.y() - 1.5, 3, 3), colour)
                continue
            if active and not isinstance(shape, Sun) and not self.view.ground.shows_light:
                pool = QRadialGradient(at, 26)
                pool.setColorAt(0, theme.qcolor(self.view.session.light_hex(source), 0.34))
                pool.setColorAt(1, theme.qcolor(self.view.session.light_hex(source), 0.0))
                self.painter.setPen(Qt.PenStyle.NoPen)
                self.painter.setBrush(pool)
                self.painter.drawEllipse(at, 26, 26)
            self.painter.setPen(QPen(theme.qcolor("#000000", 0.8), 1))
            self.painter.setBrush(colour)
            self.painter.drawEllipse(at, 4.5, 4.5)
            if chosen:
                self.painter.setBrush(Qt.BrushStyle.NoBrush)
                self.painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 2))
                self.painter.drawEllipse(at, 8, 8)

    def _sun_spots(self, source: Source, sun: Sun, active: bool) -> list[QPointF]:
        """Where a sun stands on the rim, from above; a line tells from where it shines."""
        if self.view.side != "above":
            return []
        at = self.view.sun_mark(sun)
        middle = QPointF((self.view.width() - STRIP) / 2, self.view.height() / 2)
        faint = theme.qcolor(self.view.session.light_hex(source), 0.35 if active else 0.12)
        self.painter.setPen(QPen(faint, 1, Qt.PenStyle.DashLine))
        self.painter.drawLine(at, at + (middle - at) * 0.35)
        return [at]

    def _lamp_spots(self, lamp: Placed, colour: QColor, chosen: bool) -> list[QPointF]:
        """Where a lamp stands, with a line to its aim where it has a front."""
        spot = self.view.to_screen(*self.view.flat(lamp.position))
        if is_aimed(lamp):
            aim = self.view.to_screen(*self.view.flat(lamp.aim))
            self.painter.setPen(QPen(colour, 1))
            self.painter.drawLine(spot, aim)
            if chosen:
                self.painter.setBrush(Qt.BrushStyle.NoBrush)
                self.painter.drawEllipse(aim, 4, 4)
        return [spot]

    def card(self, card: Card) -> None:
        """A card in space."""
        corners = QPolygonF([self.view.to_screen(*self.view.flat(corner)) for corner in card.corners()])
        chosen = card.id == self.view.session.chosen
        self.painter.setBrush(theme.qcolor(theme.TEXT, 0.06 if card.muted else 0.25))
        self.painter.setPen(QPen(theme.qcolor(theme.CHOSEN if chosen else theme.TEXT, 0.9), 2 if chosen else 1.4))
        self.painter.drawPolygon(corners)

    def bank(self, bank: Bank, chosen: bool) -> None:
        """A bank of mist: its outline from where one looks, and its heart."""
        half = np.array(bank.size) / 2
        turn = math.radians(bank.turn_deg)
        c, s = math.cos(turn), math.sin(turn)
        kind = BANK_KINDS[bank.kind]
        round_ = kind.round_from_above if self.view.side == "above" else kind.round_from_beside
        around = np.linspace(0, 2 * math.pi, 49)
        ring = (
            np.stack([np.cos(around), np.sin(around)], 1) if round_ else np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        )

        def outline(share: float) -> QPolygonF:
            points = []
            for a, b in ring * share:
                # From the side the breadth of a turned bank is that of its shadow.
                across = (
                    abs(half[0] * c) + abs(half[1] * s)
                    if self.view.side in ("south", "north")
                    else abs(half[0] * s) + abs(half[1] * c)
                )
                local = (
                    (a * half[0] * c - b * half[1] * s, a * half[0] * s + b * half[1] * c, 0.0)
                    if self.view.side == "above"
                    else (a * across, a * across, b * half[2])
                )
                points.append(self.view.to_screen(*self.view.flat(np.add(bank.centre, local).tolist())))
            return QPolygonF(points)

        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(theme.qcolor(theme.TEXT, 0.10))
        self.painter.drawPolygon(outline(1.0 - 0.5 * bank.softness))
        self.painter.setBrush(theme.qcolor(theme.TEXT, 0.06))
        colour = theme.qcolor(theme.CHOSEN if chosen else theme.TEXT, 0.8 if chosen else 0.45)
        self.painter.setPen(QPen(colour, 1.2, Qt.PenStyle.DotLine))
        self.painter.drawPolygon(outline(1.0))

    def ghost(self, ghost: Source) -> None:
        """A proposal, dashed, until it is taken."""
        if not isinstance(ghost.shape, Placed):
            return
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.setPen(QPen(theme.qcolor(self.view.session.light_hex(ghost)), 1.4, Qt.PenStyle.DashLine))
        at, aim = (self.view.to_screen(*self.view.flat(p)) for p in (ghost.shape.position, ghost.shape.aim))
        self.painter.drawLine(at, aim)
        self.painter.drawEllipse(at, 7, 7)

    def line(self, start: QPointF, end: QPointF) -> None:
        """The line that is being drawn."""
        self.painter.setPen(QPen(theme.qcolor(theme.LIT), 1.6, Qt.PenStyle.DashLine))
        self.painter.drawLine(start, end)

    def _cut(self, x: float) -> None:
        """Where the plan is cut: a flag on the strip that is pulled."""
        y = min(max(self.view.height_mark(self.view.cut_m), 1.0), self.view.height() - 1.0)
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(theme.qcolor(theme.TEXT, 0.8))
        self.painter.drawPolygon(QPolygonF([QPointF(x, y), QPointF(x + 9, y - 5), QPointF(x + 9, y + 5)]))
        self.painter.drawRect(QRectF(x + 9, y - 0.7, STRIP - 9, 1.4))

    def group(self) -> None:
        """Where the chosen lamp's group is moved, and turned, as one."""
        spots = dict(self.view.group_marks())
        if not spots:
            return
        middle, turn = spots["group"], spots["turn"]
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, pen in ((3.2, theme.qcolor("#000000", 0.7)), (1.4, theme.qcolor(theme.CHOSEN))):
            self.painter.setPen(QPen(pen, width))
            self.painter.drawRect(QRectF(middle.x() - 6, middle.y() - 6, 12, 12))
            self.painter.drawLine(middle - QPointF(0, 6), turn + QPointF(0, 6))
            self.painter.drawArc(QRectF(turn.x() - 6, turn.y() - 6, 12, 12), 60 * 16, 300 * 16)

    def lobes(self) -> None:
        """Where a photographed sky has its own sun, on the rim."""
        for source in self.view.session.document.look.sources:
            dome = source.shape.dome if isinstance(source.shape, Sky) else None
            if not isinstance(dome, Panorama) or dome.without_sun:
                continue
            try:
                at = self.view.rim_point(*lobe_bearing(dome))
            except SkyError:
                continue
            self.painter.setBrush(Qt.BrushStyle.NoBrush)
            self.painter.setPen(QPen(theme.qcolor(theme.LIT), 1.4))
            self.painter.drawEllipse(at, 5, 5)
            for x, y in ((-9, 0), (9, 0), (0, -9), (0, 9)):
                self.painter.drawLine(at + QPointF(x, y) * 0.65, at + QPointF(x, y))

    def paths(self) -> None:
        """The ways of sun and moon over the day, along the rim."""
        look, site = self.view.session.document.look, self.view.session.document.place.site
        date = look.day
        self.view.rim.draw(self.view, self.painter, (date, site), lambda own: self._draw_paths(own, date, site))

    def _draw_paths(self, painter: QPainter, date: str, site: Site) -> None:
        for body, colour in (("moon", theme.MOON), ("sun", theme.LIT)):
            path, down = QPainterPath(), True
            for step in range(97):
                there = getattr(heavens(date, step / 4, site), body)
                point = self.view.rim_point(there.altitude_deg, there.azimuth_deg)
                up = there.altitude_deg > -0.8
                if up:
                    path.moveTo(point) if down else path.lineTo(point)
                down = not up
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.qcolor("#000000", 0.5), 2.4))
            painter.drawPath(path)
            painter.setPen(QPen(theme.qcolor(colour, 0.8), 1))
            painter.drawPath(path)

    def scale(self) -> None:
        """The scale bar, north, and from which side."""
        metres = next(
            m for m in (0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 5000) if m / self.view.metres_per_pixel > 36
        )
        length = metres / self.view.metres_per_pixel
        y = self.view.height() - 8
        self.painter.setPen(QPen(theme.qcolor(theme.TEXT, 0.8), 1))
        self.painter.drawLine(QPointF(8, y), QPointF(8 + length, y))
        self.painter.setFont(theme.font(theme.SMALL))
        self.painter.drawText(QPointF(8, y - 4), format_quantity(metres, "m").replace(".00", "").replace(".0", ""))
        if self.view.side == "above":
            north = self.view.north_mark()
            self.painter.drawText(QRectF(north.x() - 8, north.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, "N")
            if self.view.ground.stops:
                tag(self.painter, QRectF(self.view.rect()), f"light at {self.view.ground.stops:+d} stops")
        else:
            self.painter.drawText(QPointF(8, 16), f"from the {self.view.side}")

    def strip(self) -> None:
        """Heights beside the plan, with the chosen lamp's."""
        x = self.view.width() - STRIP
        self.painter.fillRect(QRectF(x, 0, STRIP, self.view.height()), theme.qcolor(theme.PANEL))
        _low, high = self.view.strip_range()
        self.painter.setPen(theme.qcolor(theme.EDGE))
        for metre in range(0, int(high) + 1, 2):
            y = self.view.height_mark(metre)
            self.painter.drawLine(QPointF(x, y), QPointF(x + 5, y))
        if self.view.side == "above":
            self._cut(x)
        source = self.view.session.chosen_source
        if source is None or not isinstance(source.shape, Placed):
            return
        z = source.shape.position[2]
        y = self.view.height_mark(z)
        self.painter.setPen(QPen(theme.qcolor(theme.LIT), 2))
        self.painter.drawLine(QPointF(x, y), QPointF(x + STRIP, y))
        self.painter.setFont(theme.font(theme.SMALL))
        self.painter.save()
        self.painter.translate(x + 14, min(max(y - 5, 34), self.view.height() - 4))
        self.painter.rotate(-90)
        self.painter.drawText(QPointF(0, 0), format_quantity(z, "m"))
        self.painter.restore()
