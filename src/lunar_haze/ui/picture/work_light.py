"""Work light: the place under plain grey light from the lens, to see by while a set is black.

It lies over the picture and is never part of it: nothing of it is measured, kept, handed off or written.
"""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QImage, QPainter, QPen

from lunar_haze.core.colour.spaces import luminance, srgb_encode
from lunar_haze.core.place.model import Place
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_overlays import Overlay, tag
from lunar_haze.ui.session.session import Session

#: Pixels across at the most: it is there to see by, not to be judged.
MOST_WIDE = 960
#: Light on what is seen edge-on, and on what faces the lens; how dark sky is; the least a surface reflects.
EDGE_ON, FACING, SKY_GREY, LEAST = 0.25, 0.75, 0.02, 0.08
#: Width of the hatched band round the picture, and how far its lines lie apart [pixels].
BAND, HATCH = 6.0, 9.0


def lit_plainly(
    place: Place, ground: NDArray[np.float32], material: NDArray[np.int32], towards: NDArray[np.float64]
) -> NDArray[np.uint8]:
    """Grey codes (h, w) of what the lens sees under plain light.

    ``ground`` (h, w, 3) are unit normals, ``material`` (h, w) numbers of materials, below zero for the sky;
    ``towards`` (h, w, 3) unit vectors along which the lens looks.
    """
    own = np.array([float(luminance(np.asarray(m.base_colour, float))) for m in place.materials])
    facing = np.abs((ground * towards).sum(-1))
    light = np.maximum(own, LEAST)[np.maximum(material, 0)] * (EDGE_ON + FACING * facing)
    light = np.where(material < 0, SKY_GREY, light)
    return np.round(255.0 * srgb_encode(np.clip(light, 0.0, 1.0))).astype(np.uint8)


class WorkLight(Overlay):
    """``on`` while the place is shown so."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self._session, self._bridge = session, bridge
        self.on = False
        self._image = QImage()
        bridge.shown.picture_changed.connect(self._renew)
        session.opened.connect(self.leave)

    def toggle(self) -> None:
        """Turn it on or off."""
        self.on = not self.on and self._session.is_open
        self._renew()
        if self.canvas is not None:
            self.canvas.update()

    def leave(self) -> bool:
        """Turn it off; False when it was."""
        was = self.on
        if was:
            self.toggle()
        return was

    def _renew(self) -> None:
        seen, place = self._bridge.lens.now(), self._session.place
        if not self.on or seen is None or place is None:
            self._image = QImage()
            return
        view, board = seen[0], self._bridge.lens.board
        assert board is not None
        step = -(-board.width // MOST_WIDE)
        ground, owner = board.ground[::step, ::step], board.owner[::step, ::step]
        rows, columns = np.mgrid[0 : board.height : step, 0 : board.width : step] + 0.5
        _origin, towards = view.camera.ray(columns, rows, board.width, board.height)
        grey = np.ascontiguousarray(lit_plainly(place, ground, owner[..., 1], towards))
        height, width = grey.shape
        self._image = QImage(grey.data, width, height, width, QImage.Format.Format_Grayscale8).copy()

    def paint(self, painter: QPainter) -> None:
        if not self.on or self.canvas is None:
            return
        frame = self.canvas.frame()
        if self._image.isNull():
            self._renew()
        if not self._image.isNull():
            painter.drawImage(frame, self._image)
        painter.save()
        painter.setClipRect(frame)
        # Hatched all round: no picture has such an edge.
        for band in (
            QRectF(frame.left(), frame.top(), frame.width(), BAND),
            QRectF(frame.left(), frame.bottom() - BAND, frame.width(), BAND),
            QRectF(frame.left(), frame.top(), BAND, frame.height()),
            QRectF(frame.right() - BAND, frame.top(), BAND, frame.height()),
        ):
            painter.setClipRect(band)
            painter.fillRect(band, theme.qcolor("#000000"))
            painter.setPen(QPen(theme.qcolor(theme.LIT), 2.0))
            along = band.left() - band.height()
            while along < band.right():
                painter.drawLine(QPointF(along, band.bottom()), QPointF(along + band.height(), band.top()))
                along += HATCH
        painter.restore()
        tag(painter, frame.adjusted(BAND, BAND, -BAND, -BAND), "work light: to see by, not part of the picture")
