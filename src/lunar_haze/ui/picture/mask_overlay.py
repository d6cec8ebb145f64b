"""The chosen mask over the picture: its shape to be pulled, its cover hatched while a hand is at it."""

import math
import time
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPen, QTransform

from lunar_haze.core.document import mask_edits
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.live_masks import LiveMasks
from lunar_haze.ui.picture.picture_overlays import Canvas, Overlay
from lunar_haze.ui.session.session import Session

#: A handle is taken from so near [px].
REACH = 10.0
#: The least half axis that a hand pulls a region to, in frame heights.
LEAST = 0.01
#: The veil stays so long after a mask has changed [s]: under it nothing can be judged.
VEIL_S = 1.0


def chosen_region(session: Session) -> Region | None:
    """The region of a mask that the facets of the finish show, None while something else is chosen."""
    if not session.is_open or session.chosen != FINISH or not session.document.look.finish.masks:
        return None
    number, which = session.chosen_mask
    return session.document.look.finish.masks[number].regions[which]


def frame_place(canvas: Canvas, at: QPointF) -> tuple[float, float]:
    """A widget position in the frame: heights from its middle, right and down."""
    frame = canvas.frame()
    away = at - frame.center()
    return away.x() / frame.height(), away.y() / frame.height()


class MaskOverlay(Overlay):
    """Shown while the finish is chosen. The middle moves a region, its rim sizes it, the far handle turns a line."""

    def __init__(self, session: Session, masks: LiveMasks) -> None:
        super().__init__()
        self._session, self._masks = session, masks
        self._held = ""
        # It goes with the session: a window that is gone is not painted again.
        self._fading = QTimer(session, singleShot=True, interval=round(VEIL_S * 1000) + 30)
        self._fading.timeout.connect(self._again)
        self._seen: tuple[Region, ...] = ()
        self._until = 0.0

    def _region(self) -> Region | None:
        return chosen_region(self._session)

    # -- where things are -------------------------------------------------------------------------

    def _to_widget(self, region: Region, along: float, down: float) -> QPointF:
        """Widget position of a point on the region's own axes, in frame heights."""
        assert self.canvas is not None
        frame = self.canvas.frame()
        return frame.center() + QPointF(*region.from_own(along, down)) * frame.height()

    def handles(self) -> dict[str, QPointF]:
        """Where the handles of the chosen region are in the widget."""
        region = self._region()
        if region is None or self.canvas is None:
            return {}
        if region.kind == "ellipse":
            return {
                "middle": self._to_widget(region, 0.0, 0.0),
                "width": self._to_widget(region, region.width, 0.0),
                "height": self._to_widget(region, 0.0, region.height),
            }
        if region.kind == "line":
            return {
                "middle": self._to_widget(region, 0.0, 0.0),
                "turn": self._to_widget(region, 0.4, 0.0),
                "height": self._to_widget(region, 0.0, region.height),
            }
        return {}

    # -- hand -----------------------------------------------------------------------------------

    def _near(self, at: QPointF) -> str:
        found = {
            name: math.hypot(at.x() - place.x(), at.y() - place.y()) for name, place in self.handles().items()
        }  # fmt: skip
        name = min(found, key=lambda n: found[n], default="")
        return name if name and found[name] <= REACH else ""

    def press(self, event: QMouseEvent) -> bool:
        self._held = self._near(event.position())
        return bool(self._held)

    def drag(self, event: QMouseEvent) -> None:
        region = self._region()
        if region is None or self.canvas is None or not self._held:
            return
        x, y = frame_place(self.canvas, event.position())
        along, down = region.to_own(x, y)
        changes: dict[str, Any]
        if self._held == "middle":
            changes = {"x": round(x, 4), "y": round(y, 4)}
        elif self._held == "turn":
            changes = {"turn_deg": round(math.degrees(math.atan2(y - region.y, x - region.x)), 2)}
        else:
            length = along if self._held == "width" else down
            changes = {self._held: round(max(abs(length), LEAST), 4)}
        session = self._session
        document = mask_edits.change_region(session.document, *session.chosen_mask, **changes)
        session.edit("mask", document, f"mask {session.chosen_mask} {self._held}")

    def release(self, event: QMouseEvent) -> None:
        self._held = ""
        self._session.seal()
        if self.canvas is not None:
            self.canvas.update()

    def hover(self, at: QPointF) -> Qt.CursorShape | None:
        return Qt.CursorShape.SizeAllCursor if self._near(at) else None

    # -- drawing --------------------------------------------------------------------------------

    def paint(self, painter: QPainter) -> None:
        region = self._region()
        if region is None or self.canvas is None:
            return
        if self._held or self._is_fresh():
            self._paint_cover(painter)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        inner = 1.0 - region.feather
        for width, colour in ((3.0, theme.qcolor("#000000", 0.5)), (1.0, theme.qcolor(theme.LIT))):
            painter.setPen(QPen(colour, width))
            if region.kind == "ellipse":
                self._ellipse(painter, region, 1.0)
                if inner > 0.02:
                    painter.setPen(QPen(colour, width, Qt.PenStyle.DotLine))
                    self._ellipse(painter, region, inner)
            elif region.kind == "line":
                soft = region.height * region.feather / 2
                for down, style in (
                    (0.0, Qt.PenStyle.SolidLine), (-soft, Qt.PenStyle.DotLine), (soft, Qt.PenStyle.DotLine)
                ):  # fmt: skip
                    painter.setPen(QPen(colour, width, style))
                    painter.drawLine(self._to_widget(region, -3.0, down), self._to_widget(region, 3.0, down))
        for place in self.handles().values():
            painter.setPen(QPen(theme.qcolor("#000000", 0.7), 1))
            painter.setBrush(theme.qcolor(theme.LIT))
            painter.drawEllipse(place, 4.5, 4.5)

    def _ellipse(self, painter: QPainter, region: Region, share: float) -> None:
        assert self.canvas is not None
        frame = self.canvas.frame()
        painter.save()
        middle = self._to_widget(region, 0.0, 0.0)
        turned = QTransform().translate(middle.x(), middle.y()).rotate(region.turn_deg)
        painter.setTransform(turned, True)
        painter.drawEllipse(
            QPointF(0, 0), region.width * share * frame.height(), region.height * share * frame.height()
        )  # fmt: skip
        painter.restore()

    def _is_fresh(self) -> bool:
        """Whether where the mask lies has changed just now, or another mask has been chosen."""
        mask = self._session.document.look.finish.masks[self._session.chosen_mask[0]]
        now = time.monotonic()
        if mask.regions != self._seen:
            self._seen, self._until = mask.regions, now + VEIL_S
            self._fading.start()
        return now < self._until

    def _again(self) -> None:
        if self.canvas is not None:
            self.canvas.update()

    def _paint_cover(self, painter: QPainter) -> None:
        """A veil over what lies under the mask."""
        assert self.canvas is not None
        mask = self._session.document.look.finish.masks[self._session.chosen_mask[0]]
        cover = self._masks.cover(mask)
        if cover is None:
            return
        small = np.ascontiguousarray(cover[::2, ::2] * 90.0).astype(np.uint8)
        veil = np.zeros((*small.shape, 4), np.uint8)
        tint = theme.qcolor(theme.LIT)
        for channel, part in enumerate((tint.blue(), tint.green(), tint.red())):
            veil[..., channel] = small.astype(np.uint16) * part // 255
        veil[..., 3] = small
        height, width = small.shape
        image = QImage(veil.data, width, height, 4 * width, QImage.Format.Format_ARGB32_Premultiplied)
        painter.drawImage(self.canvas.frame(), image)
