"""The chosen mask over the picture: its shape to be pulled, its cover hatched while a hand is at it."""

import math
import time

import numpy as np
from PySide6.QtCore import QPointF, Qt, QTimer
from PySide6.QtGui import QImage, QMouseEvent, QPainter, QPen, QPolygonF

from lunar_haze.core.document import mask_edits
from lunar_haze.core.document.rows import FINISH
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.finish.regions import RegionKind, region_kinds
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.live_masks import LiveMasks
from lunar_haze.ui.picture.picture_overlays import Canvas, Overlay
from lunar_haze.ui.session.session import Session

#: A handle is taken from so near [px].
REACH = 10.0
#: The veil stays so long after a mask has changed [s]: under it nothing can be judged.
VEIL_S = 1.0


def chosen_region(session: Session) -> Region | None:
    """The region of a mask that the facets of the finish show, None while something else is chosen."""
    if not session.is_open or session.chosen != FINISH or not session.document.look.finish.masks:
        return None
    number, which = session.chosen_mask
    return session.document.look.finish.masks[number].regions[which]


def _kind(region: Region) -> RegionKind:
    return region_kinds()[region.kind]


def frame_place(canvas: Canvas, at: QPointF) -> tuple[float, float]:
    """A widget position in the frame: heights from its middle, right and down."""
    frame = canvas.frame()
    away = at - frame.center()
    return away.x() / frame.height(), away.y() / frame.height()


class MaskOverlay(Overlay):
    """Shown while the finish is chosen: the handles and outlines that the kind of the region has."""

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
        return {handle.name: self._to_widget(region, *handle.at(region)) for handle in _kind(region).handles}

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
        held = next(handle for handle in _kind(region).handles if handle.name == self._held)
        changes = held.pulled(region, *region.to_own(x, y), x, y)
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
        lines = [
            (QPolygonF([self._to_widget(region, *place) for place in line.places]), line.dotted)
            for line in _kind(region).outlines(region)
        ]
        for width, colour in ((3.0, theme.qcolor("#000000", 0.5)), (1.0, theme.qcolor(theme.LIT))):
            for line, dotted in lines:
                painter.setPen(QPen(colour, width, Qt.PenStyle.DotLine if dotted else Qt.PenStyle.SolidLine))
                painter.drawPolyline(line)
        for place in self.handles().values():
            painter.setPen(QPen(theme.qcolor("#000000", 0.7), 1))
            painter.setBrush(theme.qcolor(theme.LIT))
            painter.drawEllipse(place, 4.5, 4.5)

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
