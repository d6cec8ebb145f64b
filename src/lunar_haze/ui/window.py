"""The one window: header, picture, ribbon, rail, hour band; plan and facets beside."""

import json
import logging
from pathlib import Path

import attrs
from PySide6.QtCore import QByteArray, QEvent, QObject, Qt, QUrl
from PySide6.QtGui import QAction, QCloseEvent, QDesktopServices, QImage, QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMainWindow,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.picture.readings import metered_ev100
from lunar_haze.core.sources.model import Sky, Source
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.folders import cache_folder, log_path
from lunar_haze.ui import theme
from lunar_haze.ui.bridge import RenderBridge
from lunar_haze.ui.facets import Facets
from lunar_haze.ui.header import Header
from lunar_haze.ui.hour_band import HourBand
from lunar_haze.ui.keys import ACTS, Keys, KeySheet
from lunar_haze.ui.notices import Notices
from lunar_haze.ui.picture_view import PictureView
from lunar_haze.ui.plan_view import PlanView
from lunar_haze.ui.session import AIR, LENS, Session
from lunar_haze.ui.share_rail import ShareRail
from lunar_haze.ui.still_job import StillJob
from lunar_haze.ui.stop_ribbon import StopRibbon

log = logging.getLogger(__name__)

SIDE_WIDTH = 270
PLAN_HEIGHT = 230
STILL_PASSES = 256
SURROUNDS = {"black": "#000000", "dark": theme.SURROUND, "mid grey": "#777777"}
_PLACES = "Places and documents (*.haze *.glb *.gltf *.obj *.ply)"
_STILLS = {"PNG, 8 bits (*.png)": 8, "PNG, 16 bits (*.png)": 16, "OpenEXR with a layer for each source (*.exr)": 8}


class Window(QMainWindow):
    """Wires session, service and regions together; holds the acts."""

    def __init__(self, session: Session, backend: RenderBackend, state_folder: Path) -> None:
        super().__init__()
        self.session = session
        self._state_folder = state_folder
        self.bridge = RenderBridge(session, backend)
        self.keys = Keys(state_folder / "keys.json")
        self.actions_by_name = self._make_actions()
        self.still: StillJob | None = None
        self._copied: Source | None = None
        self._pin_images: dict[str, QImage] = {}

        self.header = Header(session, self.actions_by_name)
        self.picture = PictureView(session, self.bridge)
        self.ribbon = StopRibbon(self.bridge)
        self.rail = ShareRail(session, self.bridge)
        self.hour = HourBand(session, self.bridge)
        self.plan = PlanView(session)
        self.facets = Facets(session)
        self.notices = Notices(self.picture)
        self._stop_still = QToolButton(self.header)
        self._lay_out()
        self._fill_menu()

        self.header.pin_image = self._pin_image
        self.header.on_pin = self._pin_act
        session.said.connect(self.notices.say)
        self.bridge.said.connect(self.notices.say)
        self.bridge.progress.connect(self._progressed)
        session.changed.connect(self._refresh_acts)
        session.opened.connect(self._opened)
        self.ribbon.pointed.connect(self.picture.isolate)
        self.picture.dropped.connect(lambda path: self.open_path(Path(path)))
        self.setWindowTitle("Lunar Haze")
        QApplication.instance().installEventFilter(self)
        self._restore_geometry()
        self._refresh_acts()

    # -- building -------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        middle = QWidget()
        outer = QVBoxLayout(middle)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.header)
        body = QHBoxLayout()
        body.setSpacing(1)
        self._main = QVBoxLayout()
        self._main.setSpacing(1)
        for widget, stretch in ((self.picture, 1), (self.ribbon, 0), (self.rail, 0), (self.hour, 0)):
            self._main.addWidget(widget, stretch)
        self._side_box = QWidget()
        self._side_box.setFixedWidth(SIDE_WIDTH)
        self._side = QVBoxLayout(self._side_box)
        self._side.setContentsMargins(0, 0, 0, 0)
        self._side.setSpacing(1)
        self.plan.setFixedHeight(PLAN_HEIGHT)
        self._side.addWidget(self.plan)
        self._side.addWidget(self.facets, 1)
        body.addLayout(self._main, 1)
        body.addWidget(self._side_box)
        outer.addLayout(body, 1)
        middle.setStyleSheet(f"QWidget#middle {{ background: {theme.EDGE}; }}")
        middle.setObjectName("middle")
        self.setCentralWidget(middle)
        self._stop_still.setText("stop")
        self._stop_still.setToolTip("stop writing the still")
        self._stop_still.hide()
        self._stop_still.clicked.connect(lambda: self.still and self.still.stop())
        self.header.layout().insertWidget(self.header.layout().indexOf(self.header.status) + 1, self._stop_still)
        self._swapped = False

    def _make_actions(self) -> dict[str, QAction]:
        handlers = {
            "open": self.ask_open, "save": self.save, "save-as": self.ask_save, "undo": self.session.undo,
            "redo": self.session.redo, "hand-off": self.ask_still, "quit": self.close, "pin": self.pin,
            "wipe": self.toggle_wipe, "black": self.start_from_black, "exposure": self.set_exposure_from_picture,
            "mute": lambda: self._toggle("muted", "mute"), "alone": lambda: self._toggle("alone", "alone"),
            "up": lambda: self._nudge(1 / 3), "down": lambda: self._nudge(-1 / 3),
            "later": lambda: self._step_hour(1 / 6), "earlier": lambda: self._step_hour(-1 / 6),
            "remove": self.remove_chosen, "copy": self.copy, "paste": self.paste,
            "left": lambda: self._move_card(-1), "right": lambda: self._move_card(1),
            "swap": self.swap, "whole": self.toggle_whole, "keys": self.show_keys,
        }  # fmt: skip
        made = {}
        for act in ACTS:
            action = QAction(act.text, self)
            action.setShortcut(self.keys.key(act))
            action.triggered.connect(lambda _checked=False, h=handlers[act.name]: h())
            self._tell_key(action)
            self.addAction(action)
            made[act.name] = action
        return made

    @staticmethod
    def _tell_key(action: QAction) -> None:
        key = action.shortcut().toString()
        action.setToolTip(f"{action.text()} ({key})" if key else action.text())

    def _rekey(self) -> None:
        for act in ACTS:
            action = self.actions_by_name[act.name]
            action.setShortcut(self.keys.key(act))
            self._tell_key(action)

    def _fill_menu(self) -> None:
        menu = self.header.menu
        for name in ("open", "save", "save-as"):
            menu.addAction(self.actions_by_name[name])
        self._recent = menu.addMenu("opened lately")
        self._recent.aboutToShow.connect(self._fill_recent)
        menu.addAction("place: scale ...", self.ask_scale)
        menu.addSeparator()
        menu.addAction("new look from this one ...", self.ask_look)
        menu.addAction("new shot from this one ...", self.ask_shot)
        menu.addSeparator()
        for name in ("black", "exposure", "wipe", "copy", "paste", "remove", "swap", "whole"):
            menu.addAction(self.actions_by_name[name])
        surround = menu.addMenu("surround")
        for name in SURROUNDS:
            surround.addAction(name, lambda n=name: self._set_surround(n))
        menu.addSeparator()
        menu.addAction(self.actions_by_name["keys"])
        menu.addAction("help: show the log", lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(log_path()))))
        menu.addAction(self.actions_by_name["quit"])

    def _fill_recent(self) -> None:
        self._recent.clear()
        for path in self.session.recent():
            self._recent.addAction(str(path), lambda p=path: self.open_path(p))
        if self._recent.isEmpty():
            self._recent.addAction("none yet").setEnabled(False)

    def _refresh_acts(self) -> None:
        is_open = self.session.is_open
        history = self.session.history
        for name, label in (("undo", history.undo_label), ("redo", history.redo_label)):
            action = self.actions_by_name[name]
            action.setEnabled(label is not None)
            key = action.shortcut().toString()
            action.setToolTip(f"{name} {label or ''} ({key})")
        for name in ("save", "save-as", "hand-off", "pin", "black", "exposure", "wipe", "later", "earlier", "paste"):
            self.actions_by_name[name].setEnabled(is_open)

    # -- files ----------------------------------------------------------------------------------

    def _dare(self, act: object) -> bool:
        """Do something that may fail, and tell the artist if it does."""
        try:
            act()
        except HazeError as error:
            self.notices.say(str(error), True)
            return False
        except Exception:
            log.exception("an act failed")
            self.notices.say(f"that went wrong and should not; nothing was changed; {log_path()} tells what", True)
            return False
        return True

    def open_path(self, path: Path, scale: float | None = None) -> bool:
        """Open a document or a place; what was open stays if that fails."""
        return self._dare(lambda: self.session.open_path(path, scale))

    def ask_open(self) -> None:
        folder = str(self.session.path.parent) if self.session.path else str(Path.home())
        name, _kind = QFileDialog.getOpenFileName(self, "open", folder, _PLACES)
        if name:
            self.open_path(Path(name))

    def save(self) -> bool:
        if self.session.path is None:
            return self.ask_save()
        return self._dare(self.session.save)

    def ask_save(self) -> bool:
        start = self.session.path or Path(self.session.document.place.path).with_suffix(".haze")
        name, _kind = QFileDialog.getSaveFileName(self, "save", str(start), "Lunar Haze (*.haze)")
        return bool(name) and self._dare(lambda: self.session.save(Path(name)))

    def ask_scale(self) -> None:
        factor, good = QInputDialog.getDouble(self, "scale of the place", "multiply all lengths by", 1.0, 1e-4, 1e4, 4)
        if good and factor != 1.0:
            self._dare(lambda: self.session.rescale_place(factor))

    def ask_look(self) -> None:
        name, good = QInputDialog.getText(self, "new look", "name of the look", text=self.session.document.current_look)
        if good and name.strip():
            self._edit(f"look {name.strip()}", edits.add_look(self.session.document, name.strip()))

    def ask_shot(self) -> None:
        name, good = QInputDialog.getText(self, "new shot", "name of the shot", text=self.session.document.current_shot)
        if good and name.strip():
            self._edit(f"shot {name.strip()}", edits.add_shot(self.session.document, name.strip()))

    def ask_still(self) -> None:
        document = self.session.document
        folder = self.session.path.parent if self.session.path else Path.home()
        name = f"{document.current_shot} {document.current_look}.png".replace("/", "-")
        chosen, kind = QFileDialog.getSaveFileName(self, "write a still", str(folder / name), ";;".join(_STILLS))
        if chosen:
            path = Path(chosen)
            if not path.suffix:
                path = path.with_suffix(".exr" if "exr" in kind else ".png")
            self.write_still(path, _STILLS.get(kind, 8))

    def write_still(
        self, path: Path, bits: int = 8, size: tuple[int, int] | None = None, passes: int = STILL_PASSES,
        backend: RenderBackend | None = None,
    ) -> None:  # fmt: skip
        """Write the shot under the look to ``path`` in the background."""
        if self.still is not None:
            self.notices.say("a still is being written; stop it or wait for it", False)
            return
        document = self.session.document
        shot = document.shot
        self.still = StillJob(
            path, self.session.place_spec, shot, document.look, size or (shot.frame_width, shot.frame_height), passes,
            bits, backend,
        )  # fmt: skip
        self.still.progress.connect(lambda done, total: self.header.status.setText(f"still {done} of {total} passes"))
        self.still.ended.connect(self._still_ended)
        self._stop_still.show()
        self.still.start()

    def _still_ended(self, text: str, is_problem: bool) -> None:
        self.still = None
        self._stop_still.hide()
        self.header.status.setText("")
        self.notices.say(text, is_problem)

    # -- acts -----------------------------------------------------------------------------------

    def _edit(self, label: str, document: Document) -> None:
        self.session.edit(label, document)
        self.session.seal()

    def start_from_black(self) -> None:
        """Silence everything that gives light."""
        if self.session.is_open:
            self._edit("start from black", edits.start_from_black(self.session.document))
            self.notices.say("everything is silenced; choose a card and press N to bring it up", False)

    def set_exposure_from_picture(self) -> None:
        """Set the locked exposure by metering the picture once."""
        picture = self.bridge.picture
        ev100 = None if picture is None else metered_ev100(picture)
        if ev100 is None:
            self.notices.say("the picture is black; there is nothing to meter", False)
            return
        self._edit("exposure from picture", edits.change_look(self.session.document, ev100=round(ev100, 2), stops=0.0))

    def _toggle(self, field: str, label: str) -> None:
        source = self.session.chosen_source
        if source is not None:
            self.session.act_on_source(label, **{field: not getattr(source, field)})

    def _nudge(self, stops: float) -> None:
        source = self.session.chosen_source
        if source is not None:
            self.session.act_on_source("dimmer", dimmer_stops=round(source.dimmer_stops + stops, 4))

    def _step_hour(self, hours: float) -> None:
        if self.session.is_open:
            self.hour.set_hour(self.session.document.look.hour_h + hours)

    def remove_chosen(self) -> None:
        """Take the chosen source away."""
        source = self.session.chosen_source
        if source is not None:
            self._edit(f"take {source.name} away", edits.remove_source(self.session.document, source.id))

    def copy(self) -> None:
        self._copied = self.session.chosen_source or self._copied

    def paste(self) -> None:
        if self._copied is not None and self.session.is_open:
            fresh = attrs.evolve(self._copied, id=edits.new_id())
            self._edit(f"paste {fresh.name}", edits.add_source(self.session.document, fresh))
            self.session.choose(fresh.id)

    def _move_card(self, by: int) -> None:
        ids = [s.id for s in self.session.document.look.sources] if self.session.is_open else []
        if self.session.chosen in ids:
            index = ids.index(self.session.chosen) + by
            self._edit("order of the cards", edits.move_source(self.session.document, self.session.chosen, index))

    # -- pins -----------------------------------------------------------------------------------

    def pin(self) -> None:
        """Keep this state, and its picture for comparing."""
        if not self.session.is_open:
            return
        document = edits.add_pin(self.session.document)
        pin = document.pins[-1]
        image = self.bridge.image
        if not image.isNull():
            self._pin_images[pin.id] = image
            folder = cache_folder() / "pins"
            folder.mkdir(parents=True, exist_ok=True)
            image.save(str(folder / f"{pin.id}.png"))
        self._compare_with(pin.id)
        self._edit(f"pin {pin.name}", document)
        self.header.renew_pins()
        self.notices.say(f"pinned {pin.name}; hold B to see it, W wipes against it", False)

    def _pin_image(self, pin_id: str) -> QImage | None:
        if pin_id not in self._pin_images:
            image = QImage(str(cache_folder() / "pins" / f"{pin_id}.png"))
            if not image.isNull():
                self._pin_images[pin_id] = image
        return self._pin_images.get(pin_id)

    def _compare_with(self, pin_id: str) -> None:
        self.picture.before = self._pin_image(pin_id)
        self.header.before_pin = pin_id
        self.picture.update()

    def _pin_act(self, act: str, pin_id: str) -> None:
        pin = next((p for p in self.session.document.pins if p.id == pin_id), None)
        if pin is None:
            return
        if act == "return":
            self._edit(f"return to {pin.name}", edits.return_to_pin(self.session.document, pin_id))
        elif act == "remove":
            self._edit(f"take pin {pin.name} away", edits.remove_pin(self.session.document, pin_id))
        else:
            self._compare_with(pin_id)
            self.header.renew_pins()
            if self.picture.before is None:
                self.notices.say("this pin has no picture yet; return to it and pin it again", False)

    def toggle_wipe(self) -> None:
        """Wipe between now and the pin."""
        if self.picture.before is None:
            self.notices.say("pin a state first (P), then wipe against it", False)
            return
        self.picture.wiping = not self.picture.wiping
        self.picture.update()

    # -- views ----------------------------------------------------------------------------------

    def swap(self) -> None:
        """Let plan and picture change places."""
        self._swapped = not self._swapped
        large, small = (self.plan, self.picture) if self._swapped else (self.picture, self.plan)
        for widget in (self.plan, self.picture):
            widget.setMinimumSize(200, 112)
            widget.setMaximumHeight(16777215)
            widget.setMinimumHeight(112)
        self._main.insertWidget(0, large, 1)
        self._side.insertWidget(0, small)
        small.setFixedHeight(PLAN_HEIGHT if small is self.plan else SIDE_WIDTH * 9 // 16)
        for widget in (large, small):
            widget.show()

    def toggle_whole(self) -> None:
        """The picture takes the window, or gives room again."""
        show = self._side_box.isHidden()
        for widget in (self._side_box, self.ribbon, self.rail, self.hour, self.header):
            widget.setVisible(show)

    def show_keys(self) -> None:
        KeySheet(self.keys, self._rekey, self).open()

    def _set_surround(self, name: str) -> None:
        self.picture.surround = SURROUNDS[name]
        self.picture.update()

    def _progressed(self, what: str, share: float) -> None:
        if self.still is None:
            self.header.status.setText(f"{what} {share:.0%}" if what and share else what)

    def _opened(self) -> None:
        self.picture.before = None
        self.picture.wiping = False
        self.picture.reset_view()
        pins = self.session.document.pins
        if pins:
            self._compare_with(pins[-1].id)

    # -- keys that are held or name places ----------------------------------------------------------

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and isinstance(event, QKeyEvent):
            typing = isinstance(watched, QLineEdit) or isinstance(QApplication.focusWidget(), QLineEdit)
            if not typing and self.isActiveWindow() and self._place_key(event):
                return True
        return False

    def _place_key(self, event: QKeyEvent) -> bool:
        pressed = event.type() == QEvent.Type.KeyPress
        if event.key() == Qt.Key.Key_B and not event.modifiers():
            if not event.isAutoRepeat() and self.picture.before is not None:
                self.picture.show_before = pressed
                self.picture.update()
            return True
        if not pressed or event.modifiers() or not self.session.is_open:
            return False
        sources = self.session.document.look.sources
        if event.key() == Qt.Key.Key_0:
            sky = next((s for s in sources if isinstance(s.shape, Sky)), None)
            if sky is not None:
                self.session.choose(sky.id)
            return True
        number = event.key() - Qt.Key.Key_1
        if 0 <= number < 9:
            if number < len(sources):
                self.session.choose(sources[number].id)
            elif number == len(sources):
                self.session.choose(AIR)
            return True
        if event.key() == Qt.Key.Key_Escape:
            self.session.choose(LENS if self.session.chosen != LENS else "")
            return True
        return False

    # -- window state -----------------------------------------------------------------------------

    @property
    def _geometry_file(self) -> Path:
        return self._state_folder / "window.json"

    def _restore_geometry(self) -> None:
        self.resize(1280, 800)
        try:
            kept = json.loads(self._geometry_file.read_text())
            self.restoreGeometry(QByteArray.fromHex(kept["geometry"].encode()))
            self.picture.surround = SURROUNDS.get(kept.get("surround", "dark"), theme.SURROUND)
        except (OSError, ValueError, KeyError, AttributeError, TypeError):
            pass  # first start, or a damaged file: the default size serves

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        surround = next((n for n, c in SURROUNDS.items() if c == self.picture.surround), "dark")
        state = {"geometry": bytes(self.saveGeometry().toHex()).decode(), "surround": surround}
        try:
            self._state_folder.mkdir(parents=True, exist_ok=True)
            self._geometry_file.write_text(json.dumps(state))
        except OSError as error:
            log.warning("the window's state is not kept: %s", error)
        QApplication.instance().removeEventFilter(self)
        if self.still is not None:
            self.still.stop()
            self.still.wait()
        # Unsaved work lies in the autosave and comes back by itself at the next opening.
        self.session.close()
        self.bridge.close()
        event.accept()
