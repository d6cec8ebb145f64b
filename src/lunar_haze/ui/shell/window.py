"""The one window: header, picture, ribbon, rail, day strip; plan and facets beside."""

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QByteArray, QPoint, Qt, QThread, QUrl
from PySide6.QtGui import QCloseEvent, QDesktopServices, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMainWindow,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lunar_haze.core.document.rows import AIR
from lunar_haze.core.solve.watch import Finding
from lunar_haze.service.client import RenderBackend
from lunar_haze.service.compiling import SENTENCE
from lunar_haze.service.folders import log_path
from lunar_haze.service.settings import read_settings, write_settings
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.notices import Notices
from lunar_haze.ui.base.panes import Panes
from lunar_haze.ui.facets.column import Folds
from lunar_haze.ui.facets.facets import SHUT_AT_FIRST, Facets
from lunar_haze.ui.handoff.hand_off import HandOff
from lunar_haze.ui.handoff.hand_off_sheet import HandOffSheet
from lunar_haze.ui.picture.air_guide import air_words
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.line_overlay import LineOverlay
from lunar_haze.ui.picture.mask_brush import MaskBrush
from lunar_haze.ui.picture.mask_overlay import MaskOverlay
from lunar_haze.ui.picture.picture_view import PictureView
from lunar_haze.ui.picture.stop_ribbon import StopRibbon
from lunar_haze.ui.plan.plan_view import PlanView
from lunar_haze.ui.rail.share_rail import ShareRail
from lunar_haze.ui.readings.pins import Pins
from lunar_haze.ui.session.chosen import HAND_OFF
from lunar_haze.ui.session.file_watch import FileWatch
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.about import AboutSheet
from lunar_haze.ui.shell.actions import Actions
from lunar_haze.ui.shell.adding import Adding
from lunar_haze.ui.shell.assistant import Assistant, WatchSheet
from lunar_haze.ui.shell.bare_keys import BareKeys
from lunar_haze.ui.shell.beside import Beside
from lunar_haze.ui.shell.exposing import Exposing
from lunar_haze.ui.shell.file_acts import FileActs
from lunar_haze.ui.shell.file_kinds import FileKinds
from lunar_haze.ui.shell.finder import Finder, everything
from lunar_haze.ui.shell.handlers import handlers_of
from lunar_haze.ui.shell.header import Header
from lunar_haze.ui.shell.keys import Keys, KeySheet
from lunar_haze.ui.shell.look_acts import LookActs
from lunar_haze.ui.shell.main_menu import RECENT, SURROUND, fill_menu, fill_recent
from lunar_haze.ui.shell.manual import Manual
from lunar_haze.ui.shell.memory_sheet import MemorySheet
from lunar_haze.ui.time.cue_strip import CueStrip
from lunar_haze.ui.time.day_strip import DayStrip
from lunar_haze.ui.time.player import Player

SURROUNDS = {"black": "#000000", "dark": theme.SURROUND, "mid grey": "#777777"}


#: What a right click on a card offers, by the names of the acts.
CARD_ACTS = ("mute", "alone", "copy", "paste", "duplicate", "left", "right", "remove")


class Window(QMainWindow):
    """Wires session, service and regions together; holds the acts."""

    def __init__(self, session: Session, backend: RenderBackend, state_folder: Path) -> None:
        super().__init__()
        self.session = session
        self.state_folder = state_folder
        self.bridge = RenderBridge(session, backend)
        self._file_watch = FileWatch(session)
        self.keys = Keys(state_folder / "keys.json")

        self.picture = PictureView(session, self.bridge)
        self.picture.lay_over(MaskOverlay(session, self.bridge.light.masks))
        self.picture.lay_over(MaskBrush(session))
        self.notices = Notices(self.picture)
        self.hour = DayStrip(session, self.bridge)
        self.player = Player(session, self.bridge)
        self.cue_strip = CueStrip(session, self.player)
        self.acts = LookActs(session, self.notices.say, self.hour.set_hour, self)
        self.exposing = Exposing(session, self.bridge)
        self._actions = Actions(self, self.keys, handlers_of(self))
        self.actions_by_name = self._actions.by_name
        self.pins = Pins(session, self.bridge, self.picture, self.notices.say)
        self.header = Header(session, self.actions_by_name, self.pins)
        self.ribbon = StopRibbon(session, self.bridge)
        self.rail = ShareRail(session, self.bridge)
        self.rail.acts = [self.actions_by_name[name] for name in CARD_ACTS]
        self.plan = PlanView(session, self.bridge)
        self.facets = Facets(session, Folds(state_folder / "sections.json", SHUT_AT_FIRST), self.bridge)
        session.tried.picture = lambda: self.bridge.shown.image
        session.tried.renewed.connect(self.facets.update_wells)
        self.facets.air_words = lambda: air_words(self.bridge)
        self.bridge.light.refined.connect(self._renew_air_words)
        self.assistant = Assistant(session)
        self.adding = Adding(session, self.acts, self.assistant, self.picture.acts, self.picture)
        self.beside = Beside(session, self.bridge, self.picture, self.plan, self.pins, self.player)
        self.second, self.balance = self.beside.second, self.beside.balance
        session.measured = self.balance.measured
        self.hand_off = HandOff(session, self.header.status, self.header)
        self.sheet = HandOffSheet(session, self.bridge, self.hand_off, state_folder / "hand_off.json")
        self.facets.fill_hand_off = self.sheet.fill
        self.bridge.asking.part_changed.connect(self._renew_sheet)
        self.sheet.sequences.changed.connect(self._renew_sheet)
        self.files = FileActs(session, self.hand_off, self.notices.say, self)
        self._lay_out()
        self._fill_menu()

        session.said.connect(self.notices.say)
        self.bridge.said.connect(self.notices.say)
        self.bridge.lost.connect(lambda reason: self.notices.say(reason, True, "try again", self.bridge.try_again))
        self.bridge.progress.connect(self._progressed)
        session.changed.connect(self._refresh_acts)
        session.opened.connect(self._opened)
        self.assistant.found.connect(self._show_findings)
        self.ribbon.pointed.connect(self.picture.isolate)
        self.ribbon.opened.connect(self.picture.give_height)
        places = (self.picture, self.plan, self.rail, self.ribbon, self.hour, self.cue_strip)
        self._actions.act_in(*places)
        self._bare_keys = BareKeys(
            session, self.picture, self.player, self.panes, self._play, self.toggle_whole,
            (self.adding, self.beside, self.assistant, self.picture.work_light),
            (self.adding, self.balance, self.assistant), self.notices.say,
            places,
            self.second,
        )  # fmt: skip
        self.picture.take_ghost = self._bare_keys.take_proposed
        self.picture.put_at = self.adding.put_at
        self.plan.put_on_ground = self.adding.put_on_ground
        self.plan.wants_line, self.plan.drawn_line = (lambda: self.adding.wants_line), self.adding.put_on_line
        self.picture.lay_over(LineOverlay(self.bridge, lambda: self.adding.wants_line, self.adding.put_between))
        self.plan.asked.connect(self._ask_at_plan)
        self.file_kinds = FileKinds(session, self.files.open_path, self.beside.reference.use, self)
        self.setAcceptDrops(True)
        self.setWindowIcon(theme.window_icon())
        self._leaving = False
        self._size_before = self.size()
        self._manual: Manual | None = None
        self.picture.setFocus()
        self._restore_geometry()
        self._refresh_acts()

    def leave_at_once(self) -> None:
        """Close without asking, everything kept: the system is going down."""
        self._leaving = True
        self.close()

    # -- files let fall -------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:  # noqa: N802
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:  # noqa: N802
        path = next((url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()), "")
        if path:
            event.acceptProposedAction()
            self.file_kinds.drop(Path(path), self.mapToGlobal(event.position().toPoint()))

    # -- building -------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        middle = QWidget()
        outer = QVBoxLayout(middle)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        outer.addWidget(self.header)
        self.add_button = QToolButton()
        # Not the action's own button: it would take its long words whenever the action changes.
        self.add_button.clicked.connect(self.actions_by_name["add"].trigger)
        self.add_button.setToolTip(self.actions_by_name["add"].toolTip())
        self.add_button.setIcon(theme.icon("plus"))
        self.add_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.add_button.setText("add")
        self.add_button.setAccessibleName("add to the look")
        self.add_button.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        row = QHBoxLayout()
        row.setSpacing(1)
        row.addWidget(self.add_button)
        row.addWidget(self.rail, 1)
        rail_row = QWidget()
        rail_row.setLayout(row)
        row.setContentsMargins(0, 0, 0, 0)
        strips = [self.ribbon, rail_row, self.hour, self.cue_strip]
        self.panes = Panes(self.picture, strips, self.second, self.facets)
        self.panes.show_strip(self.cue_strip, False)
        self.second.changed.connect(self.panes.see)
        outer.addWidget(self.panes, 1)
        middle.setStyleSheet(f"QWidget#middle {{ background: {theme.EDGE}; }}")
        middle.setObjectName("middle")
        self.setCentralWidget(middle)
        self.header.put_beside_status(self.hand_off.stop_button)

    def _fill_menu(self) -> None:
        asks: dict[str, Callable[[], object]] = {
            "revert to saved": self.files.revert,
            "place: scale ...": self.files.ask_scale,
            "place: scene ...": self.files.ask_scene,
            "hand-off: write the sky ...": self.hand_off.ask_sky,
            "memory ...": lambda: MemorySheet(self.bridge, self).open(),
            "help: show the log": lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(log_path()))),
            "about Lunar Haze ...": lambda: AboutSheet(self).open(),
        }
        menus = fill_menu(self.header.menu, self.actions_by_name, asks)
        recent = menus[RECENT]
        recent.aboutToShow.connect(lambda: fill_recent(recent, self.session.recent.paths(), self.files.open_path))
        for name in SURROUNDS:
            menus[SURROUND].addAction(name, lambda n=name: self._set_surround(n))

    def _refresh_acts(self) -> None:
        is_open = self.session.is_open
        history = self.session.history
        for name, label in (("undo", history.undo_label), ("redo", history.redo_label)):
            action = self.actions_by_name[name]
            action.setEnabled(label is not None)
            key = action.shortcut().toString()
            action.setToolTip(f"{name} {label or ''} ({key})")
        for name in (
            "save",
            "save-as",
            "hand-off",
            "again",
            "part",
            "pin",
            "add",
            "black",
            "exposure",
            "wipe",
            "later",
            "earlier",
            "paste",
        ):
            self.actions_by_name[name].setEnabled(is_open)
        self._name_itself()

    def _name_itself(self) -> None:
        """The window's title: the document, whether it is changed, and what program this is."""
        if not self.session.is_open:
            self.setWindowTitle("Lunar Haze")
            return
        name = self.session.path.name if self.session.path is not None else "not saved yet"
        self.setWindowTitle(f"{name}[*] – Lunar Haze")
        self.setWindowModified(not self.session.history.is_saved)

    # -- acts -----------------------------------------------------------------------------------

    def propose(self, role: str) -> None:
        """Show a proposal; the picture gets the keyboard, so that Return takes it."""
        self.picture.setFocus()
        self.assistant.propose(role)

    def _show_findings(self, findings: tuple[Finding, ...]) -> None:
        if findings:
            self.watch_sheet = WatchSheet(self.assistant, self)
            self.watch_sheet.show()

    # -- views ----------------------------------------------------------------------------------

    def swap(self) -> None:
        """Let plan and picture change places."""
        self.panes.swap()

    def toggle_readings(self) -> None:
        """Let the readings stand beside the picture, or the plan again."""
        self.second.show_view("plan" if self.second.name == "readings" else "readings")

    def toggle_frames(self) -> None:
        """Show the frames of the shot under the day, or hide them."""
        self.panes.show_strip(self.cue_strip, self.cue_strip.isHidden())
        self.player.ahead.look_ahead(not self.cue_strip.isHidden())

    def _play(self) -> None:
        if self.cue_strip.isHidden():
            self.toggle_frames()
        self.player.toggle()

    def toggle_whole(self) -> None:
        """The picture takes the screen, or gives room again."""
        alone = not self.panes.is_picture_alone
        if alone:
            self._size_before = self.size()
        self.panes.show_all(not alone)
        self.header.setVisible(not alone)
        self.setWindowState(
            self.windowState() | Qt.WindowState.WindowFullScreen
            if alone
            else self.windowState() & ~Qt.WindowState.WindowFullScreen
        )
        if not alone and not self.isMaximized():
            # Not every window system gives a window its own size back.
            self.resize(self._size_before)

    def show_manual(self, page: str = "") -> None:
        """Open the manual in a window beside this one, at one of its pages or where it was left."""
        if self._manual is None:
            self._manual = Manual()
        if page:
            self._manual.open_page(page)
        self._manual.show()
        self._manual.raise_()

    def open_finder(self) -> None:
        """Open the line that finds whatever has a name."""
        self.finder = Finder(everything(self), self)
        self.finder.popup()

    def show_keys(self) -> None:
        KeySheet(self.keys, self._actions.rekey, self).open()

    def _set_surround(self, name: str) -> None:
        self.picture.surround = SURROUNDS[name]
        self.picture.update()

    def _progressed(self, what: str, share: float) -> None:
        if self.hand_off.still is None:
            under_way = bool(what) and share < 1.0
            self.header.status.setText(f"{what} {share:.0%}" if under_way and share else what if under_way else "")

    def say_compiling(self, begins: bool) -> None:
        """Tell that a kernel is being compiled, on whichever thread: if it is the window's own, at once."""
        self.bridge.progress.emit(SENTENCE if begins else "", 0.0 if begins else 1.0)
        if begins and QThread.currentThread() is self.thread():
            for widget in (self.picture, self.header):
                widget.repaint()

    def _renew_air_words(self) -> None:
        if self.session.chosen == AIR:
            self.facets.refresh()

    def _renew_sheet(self) -> None:
        if self.session.chosen == HAND_OFF:
            self.facets.rebuild()

    def _opened(self) -> None:
        self.picture.before = None
        self.picture.wiping = False
        self.picture.reset_view()
        pins = self.session.document.pins
        if pins:
            self.pins.compare_with(pins[-1].id)

    # -- keys that are held or name places ----------------------------------------------------------

    # Keys reach the window when nothing that has the keyboard takes them: editors, lists, menus and wells come first.

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if not self._bare_keys.take(event, True):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if not self._bare_keys.take(event, False):
            super().keyReleaseEvent(event)

    def ask_add(self) -> None:
        """Open the menu of everything that can be added, over its button."""
        self.adding.menu().popup(self.add_button.mapToGlobal(QPoint(0, 0)))

    def _ask_at_plan(self, at: QPoint) -> None:
        """The menu of a right click in the plan: what can be added, and how the plan is seen."""
        menu = self.adding.menu()
        self.plan.offered(menu)
        menu.popup(at)

    # -- window state -----------------------------------------------------------------------------

    @property
    def _geometry_file(self) -> Path:
        return self.state_folder / "window.json"

    def _restore_geometry(self) -> None:
        room = self.screen().availableSize()
        self.resize(min(1280, room.width()), min(800, room.height()))
        kept = read_settings(self._geometry_file)
        if isinstance(kept, dict):
            self.restoreGeometry(QByteArray.fromHex(str(kept.get("geometry", "")).encode()))
            self.picture.surround = SURROUNDS.get(str(kept.get("surround")), theme.SURROUND)
            self.panes.restore(kept)

    def closeEvent(self, event: QCloseEvent) -> None:  # noqa: N802
        if not self._leaving and not self.files.may_leave():
            event.ignore()
            return
        surround = next((n for n, c in SURROUNDS.items() if c == self.picture.surround), "dark")
        state = {"geometry": self.saveGeometry().toHex().toStdString(), "surround": surround} | self.panes.state()
        write_settings(self._geometry_file, state)
        self.player.close()
        self.sheet.sequences.close()
        self.hand_off.close()
        if self._manual is not None:
            self._manual.close()
        # Unsaved work lies in the journal and comes back by itself at the next opening.
        self.session.close()
        self.bridge.close()
        event.accept()
