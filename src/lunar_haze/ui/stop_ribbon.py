"""The stop ribbon: the picture's light in whole stops round the exposure, one cell a stop."""

from PySide6.QtCore import QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from lunar_haze.core.picture.readings import RIBBON_HIGH, RIBBON_LOW, Ribbon, ribbon
from lunar_haze.ui import theme
from lunar_haze.ui.bridge import RenderBridge

EDGE_CELL = 84


class StopRibbon(QWidget):
    """Pointing at a cell shows where in the picture that stop lies: ``pointed`` (stop, or None)."""

    pointed = Signal(object)

    def __init__(self, bridge: RenderBridge) -> None:
        super().__init__()
        self.bridge = bridge
        self.reading: Ribbon | None = None
        self._under: int | None = None
        self.setFixedHeight(24)
        self.setMouseTracking(True)
        self.setToolTip("the picture's light in stops round mid grey; point at a cell to see where it lies")
        self._reading = QTimer(self, singleShot=True, interval=60)
        self._reading.timeout.connect(self._read)
        bridge.picture_changed.connect(self._reading.start)

    def _read(self) -> None:
        if self.bridge.picture is not None:
            self.reading = ribbon(self.bridge.picture[::2, ::2], self.bridge.exposure())
            self.update()

    def _cells(self) -> list[tuple[int, QRectF]]:
        count = RIBBON_HIGH - RIBBON_LOW + 1
        width = (self.width() - 2 * EDGE_CELL) / count
        return [
            (RIBBON_LOW + i, QRectF(EDGE_CELL + i * width + 1, 2, width - 2, self.height() - 4)) for i in range(count)
        ]

    def mouseMoveEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        under = next((stop for stop, cell in self._cells() if cell.contains(event.position())), None)
        if under != self._under:
            self._under = under
            self.pointed.emit(under)
            self.update()

    def leaveEvent(self, event: object) -> None:  # noqa: N802
        self._under = None
        self.pointed.emit(None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.qcolor(theme.PANEL))
        painter.setFont(theme.font(theme.SMALL))
        for stop, cell in self._cells():
            painter.fillRect(cell, theme.qcolor(theme.WELL))
            if self.reading is not None:
                share = float(self.reading.cells[stop - RIBBON_LOW])
                # The label keeps the upper half to itself.
                height = (cell.height() - 12) * min(share / 0.3, 1.0)
                grey = int(min(max(118 * 2.0 ** (stop * 0.32), 44), 236))
                fill = QRectF(cell.left(), cell.bottom() - height, cell.width(), height)
                painter.fillRect(fill, theme.qcolor(f"#{grey:02x}{grey:02x}{grey:02x}"))
            lit = stop == self._under
            painter.setPen(theme.qcolor(theme.LIT if lit else theme.TEXT if stop == 0 else theme.DIM))
            painter.drawText(
                cell, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignHCenter, "grey" if stop == 0 else f"{stop:+d}"
            )
        if self.reading is not None:
            left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
            for share, text, start, align in (
                (self.reading.below, "crushed", 4, left),
                (self.reading.above, "clipped", self.width() - EDGE_CELL + 2, right),
            ):
                area = QRectF(start, 0, EDGE_CELL - 6, self.height())
                painter.setPen(theme.qcolor(theme.WARN if share > 0.02 else theme.DIM))
                shown = f"{text} {share:.0%}" if share >= 0.005 else text
                painter.drawText(area, align | Qt.AlignmentFlag.AlignVCenter, shown)
