"""What program this is, its version, and whose work it stands on."""

from importlib import metadata
from importlib.resources import files
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from lunar_haze import __version__


def licences() -> list[tuple[str, str, str]]:
    """Name, version and licence of every package that the program needs, as the packages tell them."""
    found = {}
    for needed in metadata.requires("lunar-haze") or ():
        if "extra ==" in needed:
            continue
        name = needed.split(";")[0].split(" ")[0].split("=")[0].split(">")[0].split("<")[0].split("[")[0].strip()
        try:
            told: Any = metadata.metadata(name)
        except metadata.PackageNotFoundError:
            continue
        licence = told.get("License-Expression") or _short(told.get("License")) or _classified(told)
        found[name.lower()] = (told.get("Name", name), told.get("Version", ""), licence or "see the package")
    return [found[name] for name in sorted(found)]


def _short(text: str | None) -> str:
    line = (text or "").strip().splitlines()[0] if (text or "").strip() else ""
    return line if len(line) <= 60 else ""


def _classified(told: Any) -> str:
    marks = [c for c in told.get_all("Classifier") or () if c.startswith("License ::")]
    return ", ".join(c.split(" :: ")[-1] for c in marks)


class AboutSheet(QDialog):
    """Version and licences."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("about Lunar Haze")
        self.resize(520, 460)
        rows = QVBoxLayout(self)
        title = QLabel(f"Lunar Haze {__version__}")
        title.setProperty("title", True)
        rows.addWidget(title)
        words = QLabel("Light, weather and hour for a modelled place. It runs on this machine alone and sends nothing.")
        words.setWordWrap(True)
        rows.addWidget(words)
        self.list = QPlainTextEdit()
        self.list.setReadOnly(True)
        self.list.setAccessibleName("licences")
        lines = [f"{name} {version}: {licence}" for name, version, licence in licences()]
        font = Path(str(files("lunar_haze"))) / "resources" / "fonts" / "OFL.txt"
        lines += ["", "Karla (the typeface): SIL Open Font License 1.1", str(font)]
        self.list.setPlainText("\n".join(lines))
        rows.addWidget(self.list, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        rows.addWidget(buttons)
