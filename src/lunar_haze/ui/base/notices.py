"""What the program says: one line over the picture's lower edge, the newest at once; problems are kept in a list."""

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QToolButton, QWidget

from lunar_haze.ui.base import theme

SHOWN_MS = 5000
#: Problems that the list keeps.
KEPT = 50


class Notices(QWidget):
    """Lies over ``host``. Nothing that is said holds up what is said next."""

    def __init__(self, host: QWidget) -> None:
        super().__init__(host)
        self._host = host
        #: Problems that nobody has dismissed yet, the oldest first.
        self.kept: list[str] = []
        self._act: Callable[[], None] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 6, 6)
        self.label = QLabel()
        self.label.setWordWrap(True)
        self.label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        row.addWidget(self.label, 1)
        self._offer, self._more, self._close = QToolButton(), QToolButton(), QToolButton()
        self._offer.clicked.connect(self._take_offer)
        self._more.setAccessibleName("earlier notices")
        self._more.clicked.connect(self._show_kept)
        self._close.setText("dismiss")
        self._close.clicked.connect(self._dismiss)
        for button in (self._offer, self._more, self._close):
            row.addWidget(button)
        self._timer = QTimer(self, singleShot=True, interval=SHOWN_MS)
        self._timer.timeout.connect(self._passed)
        host.installEventFilter(self)
        self.hide()

    @property
    def text(self) -> str:
        """The sentence on screen, empty when there is none."""
        return self.label.text() if self.isVisibleTo(self._host) else ""

    def say(self, text: str, is_problem: bool = False, offer: str = "", act: Callable[[], None] | None = None) -> None:
        """Say something at once; a problem stays until it is dismissed, anything else for a while.

        ``offer`` names an ``act`` that helps.
        """
        if is_problem:
            self.kept = [*(k for k in self.kept if k != text), text][-KEPT:]
        self._act = act
        self._offer.setText(offer)
        self._show(text, is_problem)

    def _show(self, text: str, is_problem: bool) -> None:
        self.label.setText(text)
        edge = theme.WARN if is_problem else theme.EDGE
        self.setStyleSheet(f"Notices {{ background: #202020; border-top: 1px solid {edge}; }}")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._close.setVisible(is_problem)
        self._offer.setVisible(self._act is not None)
        others = len([k for k in self.kept if k != text])
        self._more.setText(f"{others} more")
        self._more.setVisible(others > 0)
        self._place()
        self.show()
        self.raise_()
        if is_problem:
            self._timer.stop()
        else:
            self._timer.start()

    def _passed(self) -> None:
        """What passes by is over: a problem that is still there comes back."""
        self._act = None
        if self.kept:
            self._show(self.kept[-1], True)
        else:
            self.hide()

    def _dismiss(self) -> None:
        self.kept = [k for k in self.kept if k != self.label.text()]
        self._passed()

    def _take_offer(self) -> None:
        act, self._act = self._act, None
        self._dismiss()
        if act is not None:
            act()

    def _show_kept(self) -> None:
        menu = QMenu(self)
        for text in reversed(self.kept):
            menu.addAction(text, lambda text=text: self._show(text, True))
        menu.addSeparator()
        menu.addAction("dismiss all", self._dismiss_all)
        menu.popup(self._more.mapToGlobal(self._more.rect().topLeft()))

    def _dismiss_all(self) -> None:
        self.kept = []
        self._passed()

    def _place(self) -> None:
        height = max(self.label.heightForWidth(self._host.width() - 220) + 14, 32)
        self.setGeometry(0, self._host.height() - height - 2, self._host.width(), height)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() == QEvent.Type.Resize:
            self._place()
        return False
