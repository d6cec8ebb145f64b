"""The manual that ships with the program, in a window of its own."""

from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QTextBrowser, QVBoxLayout, QWidget

FOLDER = Path(str(files("lunar_haze") / "resources" / "manual"))
#: Names of its pages.
PAGES = tuple(sorted(page.stem for page in FOLDER.glob("*.md") if page.stem != "index"))


class Manual(QWidget):
    """Pages with links between them; what leads elsewhere is opened by the system."""

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Lunar Haze: manual")
        self.resize(820, 760)
        rows = QVBoxLayout(self)
        buttons = QHBoxLayout()
        self.page = QTextBrowser()
        self.page.setAccessibleName("page of the manual")
        self.page.setOpenLinks(False)
        self.page.anchorClicked.connect(self._follow)
        for text, act in (("contents", self.home), ("back", self.page.backward)):
            button = QPushButton(text)
            button.clicked.connect(act)
            buttons.addWidget(button)
        buttons.addStretch(1)
        rows.addLayout(buttons)
        rows.addWidget(self.page)
        self.home()

    def home(self) -> None:
        """The contents."""
        self.page.setSource(QUrl.fromLocalFile(str(FOLDER / "index.md")))

    def open_page(self, name: str) -> None:
        """One of `PAGES`."""
        self.page.setSource(QUrl.fromLocalFile(str(FOLDER / f"{name}.md")))

    def _follow(self, link: QUrl) -> None:
        if link.scheme() in ("http", "https"):
            QDesktopServices.openUrl(link)
        else:
            self.page.setSource(self.page.source().resolved(link))
