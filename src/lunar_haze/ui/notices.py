"""What the program says: one line over the picture's lower edge; problems stay until they are sent away."""

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from lunar_haze.ui import theme

SHOWN_MS = 5000


class Notices(QWidget):
    """Lies over ``host``; several problems queue up."""

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        self._host = host
        self._waiting: list[tuple[str, bool]] = []
        self._is_problem = False
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 6, 6)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(self.label, 1)
        self._close = QToolButton()
        self._close.setText("understood")
        self._close.clicked.connect(self._next)
        row.addWidget(self._close)
        self._timer = QTimer(self, singleShot=True, interval=SHOWN_MS)
        self._timer.timeout.connect(self._next)
        host.installEventFilter(self)
        self.hide()

    @property
    def text(self) -> str:
        """The sentence on screen, empty when there is none."""
        return self.label.text() if self.isVisibleTo(self._host) else ""

    def say(self, text: str, is_problem: bool = False) -> None:
        """Say something; a problem waits for its turn and stays, anything else replaces its like."""
        if self.isVisibleTo(self._host) and self._is_problem:
            if (text, is_problem) not in self._waiting and text != self.label.text():
                self._waiting.append((text, is_problem))
            return
        self._show(text, is_problem)

    def _show(self, text: str, is_problem: bool) -> None:
        self._is_problem = is_problem
        self.label.setText(text)
        edge = theme.WARN if is_problem else theme.EDGE
        self.setStyleSheet(f"Notices {{ background: #202020; border-top: 1px solid {edge}; }}")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._close.setVisible(is_problem)
        self._place()
        self.show()
        self.raise_()
        if is_problem:
            self._timer.stop()
        else:
            self._timer.start()

    def _next(self) -> None:
        self.hide()
        if self._waiting:
            self._show(*self._waiting.pop(0))

    def _place(self) -> None:
        height = max(self.label.heightForWidth(self._host.width() - 120) + 14, 32)
        self.setGeometry(0, self._host.height() - height - 2, self._host.width(), height)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.Resize:
            self._place()
        return False
