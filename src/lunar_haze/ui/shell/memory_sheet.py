"""What memory is taken, and how much of it layers may take."""

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QWidget,
)

from lunar_haze.service.folders import cache_folder
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.memory import (
    LEAST,
    automatic_limit,
    choose_limit,
    chosen_limit,
    limit_in_force,
    machine,
    process_bytes,
)
from lunar_haze.ui.picture.bridge import RenderBridge

_GB = 1e9
_RENEWED_MS = 1000


def told(size: int) -> str:
    """A number of bytes in GB or MB."""
    return f"{size / _GB:.1f} GB" if size >= _GB else f"{size / 1e6:.0f} MB"


class MemorySheet(QDialog):
    """Figures are renewed every second; what is changed is in force at once and kept."""

    def __init__(self, bridge: RenderBridge, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle("memory")
        self._bridge = bridge
        self._cache = LayerCache(cache_folder() / "layers")
        rows = QFormLayout(self)
        self._figures = {name: QLabel() for name in ("machine", "this window", "rendering")}
        for name, label in self._figures.items():
            rows.addRow(name, label)

        self.limit = QDoubleSpinBox(suffix=" GB", decimals=1, singleStep=0.5)
        self.limit.setRange(round(LEAST / _GB, 1), max(machine().total / _GB, 1.0))
        self.limit.setAccessibleName("layers in memory, at most")
        self.limit.setToolTip("layers that are kept here come back at once with an undo, a pin or another shot")
        self.automatic = QCheckBox(f"automatic ({told(automatic_limit())})")
        self.limit.setValue(limit_in_force() / _GB)
        self.automatic.setChecked(chosen_limit() is None)
        self.limit.setEnabled(not self.automatic.isChecked())
        self.limit.valueChanged.connect(self._choose)
        self.automatic.toggled.connect(self._choose)
        line = QHBoxLayout()
        line.addWidget(self.limit)
        line.addWidget(self.automatic)
        rows.addRow("layers in memory, at most", line)

        self.on_disk = QLabel()
        empty = QPushButton("delete them")
        empty.setToolTip("they are rendered again when they are needed; nothing else is lost")
        empty.clicked.connect(self._empty)
        line = QHBoxLayout()
        line.addWidget(self.on_disk, 1)
        line.addWidget(empty)
        rows.addRow("layers on disk", line)
        note = QLabel("while the machine runs short, layers that are only kept for later give way by themselves")
        note.setWordWrap(True)
        note.setProperty("quiet", True)
        rows.addRow(note)
        timer = QTimer(self, interval=_RENEWED_MS)
        timer.timeout.connect(self._renew)
        timer.start()
        self._renew()

    def _choose(self) -> None:
        limit = None if self.automatic.isChecked() else round(self.limit.value() * _GB)
        self.limit.setEnabled(limit is not None)
        choose_limit(limit)
        self._bridge.keep_within(limit or automatic_limit())

    def _empty(self) -> None:
        self._cache.clear()
        self._renew()

    def _renew(self) -> None:
        state = machine()
        self._figures["machine"].setText(f"{told(state.total)}, {told(state.available)} of it free")
        self._figures["this window"].setText(told(process_bytes()))
        number = self._bridge.process_id
        self._figures["rendering"].setText(told(process_bytes(number)) if number else "not running")
        self.on_disk.setText(f"{told(self._cache.bytes_on_disk)} of at most {told(self._cache.limit_bytes)}")
