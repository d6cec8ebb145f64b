"""The cue strip: the shot's frames with their keys, playing, and what can be done with keys."""

from collections.abc import Callable

import attrs
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QLabel, QMenu, QToolButton, QVBoxLayout, QWidget

from lunar_haze.core.document.cue_edits import eased, in_bounds, pasted, repeated, stretched, varied
from lunar_haze.core.document.cues import (
    cue_of,
    cues_of,
    facet_of,
    with_cue,
    with_key,
    without_cue,
)
from lunar_haze.core.document.model import Cue
from lunar_haze.core.document.rows import CAMERA, DAY, facets_of, targets_of
from lunar_haze.core.document.source_rows import GEL
from lunar_haze.core.errors import HazeError
from lunar_haze.core.units.curve import EASINGS, Key
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.session.chosen import HAND_OFF
from lunar_haze.ui.session.keyed import Keyed, gel_keys, keys_of
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.time.cue_band import CueBand, Spot
from lunar_haze.ui.time.player import Player

HEIGHT = 78


class CueStrip(QWidget):
    """Shows and changes what happens over the frames of the shot on screen."""

    def __init__(self, session: Session, player: Player) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.band = CueBand(session)
        self._copied: dict[tuple[str, str, tuple[int, ...]], tuple[Key, ...]] = {}
        self.play_button = self._tool("play", "play the shot in the picture, or stop (Space)", player.toggle)
        self.key_button = self._tool("key ...", "set a key of a number of what is chosen, at this frame", self._ask_key)
        self.loop_button = self._tool("loop", "loop: play on from the first frame", self._take_loop)
        self.loop_button.setCheckable(True)
        self.loop_button.setChecked(True)
        self.told = QLabel()
        self.told.setProperty("quiet", True)
        self.told.setAccessibleName("frame and rate")
        self.told.setWordWrap(True)
        top, side = QHBoxLayout(), QVBoxLayout()
        for button in (self.play_button, self.loop_button):
            top.addWidget(button)
        side.setContentsMargins(6, 3, 6, 3)
        side.setSpacing(2)
        side.addLayout(top)
        side.addWidget(self.key_button)
        side.addWidget(self.told)
        holder = QWidget()
        holder.setLayout(side)
        holder.setFixedWidth(136)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.band, 1)
        row.addWidget(holder)
        self.setFixedHeight(HEIGHT)
        self.band.asked.connect(lambda at: self.menu().popup(at))
        self.band.stepped.connect(player.step)
        player.moved.connect(self._played)
        player.changed.connect(self._player_changed)
        session.changed.connect(self.refresh)
        session.opened.connect(self._opened)
        self.refresh()

    @staticmethod
    def _tool(text: str, tip: str, act: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.setSizePolicy(button.sizePolicy().Policy.Expanding, button.sizePolicy().Policy.Fixed)
        button.clicked.connect(lambda: act())
        return button

    def refresh(self) -> None:
        """Show the shot's frames as they are now."""
        self.setEnabled(self.session.is_open)
        if self.session.is_open and not self.player.is_playing:
            self.told.setText(self._standing(self.session.document.shot.frame))

    def _standing(self, frame: int) -> str:
        shot = self.session.document.shot
        return f"{(frame - shot.first_frame) / shot.rate:.2f} s, {shot.rate:g} fps"

    def _opened(self) -> None:
        self._take_span(None)
        self.band.choose(frozenset())

    def _played(self, frame: int) -> None:
        self.band.played = frame
        words = self.player.tally.words()
        self.told.setText(words or self._standing(frame))
        self.told.setToolTip(words)
        self.band.update()

    def _player_changed(self) -> None:
        playing = self.player.is_playing
        self.play_button.setText("stop" if playing else "play")
        # What is told of frames that go by may take two lines.
        self.key_button.setVisible(not playing)
        if not playing:
            self.band.played = None
            self.refresh()
        self.band.update()

    def _take_loop(self) -> None:
        self.player.loops = self.loop_button.isChecked()

    # -- keys -----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.matches(QKeySequence.StandardKey.Delete) and self.band.chosen:
            self.delete()
        elif event.matches(QKeySequence.StandardKey.Copy) and self.band.chosen:
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste) and self._copied:
            self.paste()
        elif event.matches(QKeySequence.StandardKey.SelectAll):
            self.band.choose(frozenset(Spot(c.name, k.frame) for c in self.band.shown() for k in c.keys))
        else:
            super().keyPressEvent(event)

    def _chosen(self) -> dict[tuple[str, str, tuple[int, ...]], tuple[Cue, list[float]]]:
        """The cues that have chosen keys, and the frames of those keys."""
        found: dict[tuple[str, str, tuple[int, ...]], tuple[Cue, list[float]]] = {}
        for cue in cues_of(self.session.document):
            frames = [spot.frame for spot in self.band.chosen if spot.cue == cue.name]
            if frames:
                found[cue.name] = (cue, sorted(frames))
        return found

    def _change(self, label: str, change: Callable[[Cue, list[float]], Cue]) -> None:
        """Change the cues whose keys are chosen, as one act; what cannot be is told."""
        document = self.session.document
        try:
            for cue, frames in self._chosen().values():
                document = with_cue(document, in_bounds(document, change(cue, frames)))
        except HazeError as error:
            self.session.said.emit(str(error), True)
            return
        self.session.act(label, document)

    def delete(self) -> None:
        """Delete the chosen keys; a number without keys is steady."""

        def without(cue: Cue, frames: list[float]) -> Cue:
            return attrs.evolve(cue, keys=tuple(key for key in cue.keys if key.frame not in frames))

        self._change("delete keys", without)

    def ease(self, easing: str) -> None:
        """Let the chosen keys be reached and left in another way."""
        self._change(f"{easing} keys", lambda cue, frames: eased(cue, frames, easing))

    def copy(self) -> None:
        """Copy the chosen keys, each under its number."""
        self._copied = {
            name: tuple(key for key in cue.keys if key.frame in frames)
            for name, (cue, frames) in self._chosen().items()
        }

    def paste(self) -> None:
        """Lay the copied keys on their numbers again, the first of them at the frame on screen."""
        document, at = self.session.document, self.session.document.shot.frame
        begins = min(keys[0].frame for keys in self._copied.values())
        for name, keys in self._copied.items():
            begin = at + keys[0].frame - begins
            if cue_of(document, *name) is None and facet_of(document, *name) is not None:
                document = with_key(document, name[0], name[1], keys[0].value, name[2], begin)
            cue = cue_of(document, *name)
            if cue is not None:
                document = with_cue(document, pasted(cue, keys, begin))
        self.session.act("paste keys", document)

    # -- menus ----------------------------------------------------------------------------------------

    def menu(self) -> QMenu:
        """What can be done with the chosen keys, and with the frames."""
        menu = QMenu(self)
        chosen = self._chosen()
        many = any(len(frames) > 1 for _cue, frames in chosen.values())
        ways = menu.addMenu("easing")
        ways.setEnabled(bool(chosen))
        for easing in EASINGS:
            ways.addAction(easing, lambda e=easing: self.ease(e))
        for text, act, on in (
            ("copy keys", self.copy, bool(chosen)),
            ("paste keys here", self.paste, bool(self._copied)),
            ("delete keys", self.delete, bool(chosen)),
            ("stretch ...", self.ask_stretch, many),
            ("repeat ...", self.ask_repeat, many),
            ("randomise ...", self.ask_vary, bool(chosen)),
        ):
            menu.addAction(text, act).setEnabled(on)
        menu.addSeparator()
        menu.addMenu(self.key_menu("set a key of"))
        steady = menu.addMenu("steady again")
        for cue in self.band.shown():
            steady.addAction(self.name_of(cue), lambda c=cue: self._steady(c))
        steady.setEnabled(bool(self.band.shown()))
        menu.addSeparator()
        frame = self.session.document.shot.frame
        menu.addAction(f"play from frame {frame} on", lambda: self._span(frame, None))
        menu.addAction(f"play as far as frame {frame}", lambda: self._span(None, frame))
        menu.addAction("play all frames", lambda: self._take_span(None)).setEnabled(self.band.span is not None)
        return menu

    def name_of(self, cue: Cue) -> str:
        """What a cue is called: the thing and its number."""
        whose = next((name for name, target in targets_of(self.session.document).items() if target == cue.target), "")
        return f"{whose}: {cue.row}" if whose else cue.row

    def _steady(self, cue: Cue) -> None:
        self.session.act(f"steady {cue.row}", without_cue(self.session.document, cue))

    def _span(self, first: int | None, last: int | None) -> None:
        shot = self.session.document.shot
        begin, end = self.band.span or (shot.first_frame, shot.last_frame)
        begin, end = begin if first is None else first, end if last is None else last
        self._take_span((begin, end) if begin < end else None)

    def _take_span(self, span: tuple[int, int] | None) -> None:
        self.band.span = self.player.span = span
        self.band.update()

    def _ask_key(self) -> None:
        self.key_menu("set a key of").popup(self.key_button.mapToGlobal(QPoint(0, 0)))

    def key_menu(self, title: str) -> QMenu:
        """The numbers of what is chosen, the exposure and the hour, to set a key of at the frame on screen."""
        menu = QMenu(title, self)
        session, document = self.session, self.session.document
        chosen = session.chosen if session.is_anything_chosen and session.chosen != HAND_OFF else ""
        for target in dict.fromkeys(t for t in (chosen, CAMERA, DAY) if t):
            bank, mask = session.chosen_bank, session.chosen_mask
            sub: dict[str, QMenu] = {}
            whose = next((name for name, t in targets_of(document).items() if t == target), target)
            own = menu if target == chosen else menu.addMenu(whose)
            gel = gel_keys(session, target)
            if gel is not None:
                own.addAction(GEL, lambda k=gel: self._set_key(k))
            for facet in facets_of(document, target, bank, mask).values():
                keyed = keys_of(session, target, facet)
                if keyed is not None:
                    if facet.section not in sub:
                        sub[facet.section] = own if target == DAY else own.addMenu(facet.section)
                    sub[facet.section].addAction(facet.row.label, lambda k=keyed: self._set_key(k))
        return menu

    def _set_key(self, keyed: Keyed) -> None:
        keyed.set()
        frame = float(self.session.document.shot.frame)
        self.band.choose(frozenset(Spot(cue.name, frame) for cue in keyed.cues))

    # -- ranges ---------------------------------------------------------------------------------------

    def ask_stretch(self) -> None:
        """Ask how much longer the chosen range is to take."""
        factor = Well("times as long", "", 0.25, 4.0, 1.0, ratio=True, floor=0.01, ceiling=1000.0)

        def stretch() -> None:
            self._change("stretch", lambda cue, frames: stretched(cue, frames[0], frames[-1], factor.value))

        RangeDialog("stretch", [factor], stretch, self).open()

    def ask_repeat(self) -> None:
        """Ask how often the chosen range is to come again."""
        times = Well("times more", "", 1.0, 20.0, 1.0, floor=1.0, ceiling=1000.0)
        times.whole = True

        def repeat() -> None:
            self._change("repeat", lambda cue, frames: repeated(cue, frames[0], frames[-1], round(times.value)))

        RangeDialog("repeat", [times], repeat, self).open()

    def ask_vary(self) -> None:
        """Ask how far the chosen keys are to lie elsewhere by chance."""
        share = Well("numbers by", "%", 0.0, 100.0, 15.0, floor=0.0, ceiling=1000.0, tip="of the range that they span")
        frames_by = Well("frames by", "", 0.0, 10.0, 1.0, floor=0.0, ceiling=1000.0)
        seed = Well("seed", "", 1.0, 40.0, 1.0, floor=0.0, ceiling=9999.0)
        frames_by.whole = seed.whole = True

        def vary() -> None:
            self._change(
                "randomise",
                lambda cue, frames: varied(
                    cue, frames[0], frames[-1], share.value / 100.0, frames_by.value, round(seed.value)
                ),
            )

        RangeDialog("randomise", [share, frames_by, seed], vary, self).open()


class RangeDialog(QDialog):
    """Asks for a few numbers, then acts."""

    def __init__(self, title: str, wells: list[Well], act: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        column = QVBoxLayout(self)
        for well in wells:
            well.setMinimumWidth(240)
            column.addWidget(well)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(act)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
