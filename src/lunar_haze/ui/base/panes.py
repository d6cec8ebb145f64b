"""How the window is shared out: picture and strips, the second view and the column beside; all borders are dragged."""

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QSplitter, QSplitterHandle, QVBoxLayout, QWidget

#: Widths of the column [px]: the least, the most, and to begin with; the second view's height to begin with.
LEAST, MOST, USUAL = 240, 520, 296
SECOND_HEIGHT = 230
#: How far an arrow key moves a border [px].
KEY_STEP = 16


class _Border(QSplitterHandle):
    """A border that takes the keyboard: arrows move it."""

    def __init__(self, way: Qt.Orientation, splitter: QSplitter) -> None:
        super().__init__(way, splitter)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        less, more = (
            (Qt.Key.Key_Left, Qt.Key.Key_Right)
            if self.orientation() == Qt.Orientation.Horizontal
            else (Qt.Key.Key_Up, Qt.Key.Key_Down)
        )
        if event.key() not in (less, more):
            super().keyPressEvent(event)
            return
        at = self.pos().x() if self.orientation() == Qt.Orientation.Horizontal else self.pos().y()
        self.moveSplitter(at + (KEY_STEP if event.key() == more else -KEY_STEP))


class _Shared(QSplitter):
    def __init__(self, way: Qt.Orientation, name: str) -> None:
        self._name = name
        super().__init__(way)
        self.setChildrenCollapsible(False)
        self.setHandleWidth(5)

    def createHandle(self) -> QSplitterHandle:  # noqa: N802
        border = _Border(self.orientation(), self)
        border.setAccessibleName(self._name)
        border.setToolTip(self._name)
        return border


class Panes(_Shared):
    """The picture over its strips at the left; the plan over the facets at the right, or the two views swapped."""

    def __init__(self, picture: QWidget, strips: list[QWidget], plan: QWidget, facets: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, "width of the column")
        self._picture, self._plan, self._strips = picture, plan, strips
        self.is_swapped = False
        #: The strips that are done without.
        self._hidden: set[QWidget] = set()
        self._seen, self._heights = (
            "plan",
            {
                "readings": 430,
                "variations": 300,
                "reference": 300,
                "pins": 400,
                "frames": 430,
            },
        )
        main = QWidget()
        self._main = QVBoxLayout(main)
        self._main.setContentsMargins(0, 0, 0, 0)
        self._main.setSpacing(1)
        self._main.addWidget(picture, 1)
        for strip in strips:
            self._main.addWidget(strip)
        self.side = _Shared(Qt.Orientation.Vertical, "height of the second view")
        # A splitter takes its bounds from its widgets, whatever it is given itself.
        facets.setMinimumWidth(LEAST)
        facets.setMaximumWidth(MOST)
        self.side.addWidget(plan)
        self.side.addWidget(facets)
        self.addWidget(main)
        self.addWidget(self.side)
        self.setStretchFactor(0, 1)
        self.setStretchFactor(1, 0)
        self.side.setStretchFactor(0, 0)
        self.side.setStretchFactor(1, 1)
        self.setSizes([1280 - USUAL, USUAL])
        self.side.setSizes([SECOND_HEIGHT, 500])

    def see(self, name: str) -> None:
        """Give the second view the height that it had when it showed this last."""
        heights = self.side.sizes()
        if name != self._seen and heights[0] > 0:
            self._heights[self._seen] = heights[0]
            self._seen = name
            wanted = self._heights.get(name, SECOND_HEIGHT)
            self.side.setSizes([wanted, max(sum(heights) - wanted, 1)])

    def swap(self) -> None:
        """Let the second view and the picture change places."""
        self.is_swapped = not self.is_swapped
        large, small = (self._plan, self._picture) if self.is_swapped else (self._picture, self._plan)
        heights = self.side.sizes()
        for view in (large, small):
            view.setMinimumSize(200, 112)
        self._main.insertWidget(0, large, 1)
        self.side.insertWidget(0, small)
        self.side.setSizes(heights)
        for view in (large, small):
            view.show()

    @property
    def is_picture_alone(self) -> bool:
        """Whether all but the large view is hidden."""
        return self.side.isHidden()

    def show_strip(self, strip: QWidget, on: bool) -> None:
        """Show one of the strips, or do without it."""
        self._hidden = (self._hidden | {strip}) - ({strip} if on else set())
        strip.setVisible(on)

    def show_all(self, on: bool) -> None:
        """Show everything but the strips that are done without, or the large view alone."""
        for widget in (self.side, *self._strips):
            widget.setVisible(on and widget not in self._hidden)

    def state(self) -> dict[str, Any]:
        """Sizes, for the next time."""
        return {"column": self.sizes()[1], "second view": self.side.sizes()[0]}

    def restore(self, kept: dict[str, Any]) -> None:
        """Sizes of another time; what is no size is left as it is."""
        column, second = kept.get("column"), kept.get("second view")
        if isinstance(column, int) and LEAST <= column <= MOST:
            self.setSizes([max(self.width() - column, 1), column])
        if isinstance(second, int) and 80 <= second <= 2000:
            self.side.setSizes([second, max(self.side.height() - second, 1)])
