"""Test frames: small pictures of the shot's frames, the first, the middle, the last and where cues peak."""

from PySide6.QtCore import QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import cues_of
from lunar_haze.core.document.model import Document
from lunar_haze.core.plan.sequence import FramePlan
from lunar_haze.core.sources.storms import Storm
from lunar_haze.ui.base import theme
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.time.frames_ahead import RESTS_MS, TEST_FRAMES
from lunar_haze.ui.time.player import Player

#: So many frames are shown.
MOST = 12
CAPTION = 16


def frames_to_look_at(document: Document) -> tuple[int, ...]:
    """Frames of the shot on screen to look at: its ends and middle, where cues turn, where lightning strikes."""
    shot, look = document.shot, document.look
    first, last = shot.first_frame, max(shot.last_frame, shot.first_frame)
    found = {first, (first + last) // 2, last}
    for source in look.sources:
        if isinstance(source.flicker, Storm) and source.flicker.at_s >= 0.0:
            found.add(first + round(source.flicker.at_s * shot.rate))
    turns: dict[int, float] = {}
    for cue in cues_of(document):
        for before, key, after in zip(cue.keys, cue.keys[1:], cue.keys[2:]):
            bend = (key.value - before.value) * (after.value - key.value)
            if bend < 0.0:
                turns[round(key.frame)] = max(turns.get(round(key.frame), 0.0), abs(bend))
    found |= set(sorted(turns, key=lambda frame: -turns[frame])[: MOST - len(found)])
    return tuple(sorted(frame for frame in found if first <= frame <= last))


class _Small(QWidget):
    """One frame: its picture and number; a click goes there."""

    def __init__(self, view: "FramesView", plan: FramePlan) -> None:
        super().__init__()
        self._view, self.plan = view, plan
        self.image: QImage | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"frame {plan.frame}")
        self.setToolTip(f"go to frame {plan.frame}")
        size = plan.request.view
        self._ratio = size.height / size.width

    def hasHeightForWidth(self) -> bool:  # noqa: N802
        return True

    def heightForWidth(self, width: int) -> int:  # noqa: N802
        return int(width * self._ratio) + CAPTION

    def sizeHint(self) -> QSize:  # noqa: N802
        return QSize(200, self.heightForWidth(200))

    def resizeEvent(self, event: object) -> None:  # noqa: N802
        self.setFixedHeight(self.heightForWidth(self.width()))

    def mousePressEvent(self, event: QMouseEvent) -> None:  # noqa: N802
        if event.button() == Qt.MouseButton.LeftButton:
            self._view.go(self.plan.frame)

    def keyPressEvent(self, event: QKeyEvent) -> None:  # noqa: N802
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._view.go(self.plan.frame)
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:  # noqa: N802
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = QRectF(0, 0, self.width(), self.height() - CAPTION)
        if self.image is not None:
            painter.drawImage(area, self.image)
        else:
            painter.fillRect(area, theme.qcolor(theme.WELL))
            painter.setPen(theme.qcolor(theme.DIM))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "waiting for the picture")
        here = self._view.session.document.shot.frame == self.plan.frame
        if here or self.hasFocus():
            painter.setPen(QPen(theme.qcolor(theme.CHOSEN), 2))
            painter.drawRect(area.adjusted(1, 1, -1, -1))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.qcolor(theme.TEXT if here else theme.DIM))
        caption = QRectF(0, area.bottom(), self.width(), CAPTION)
        painter.drawText(caption, Qt.AlignmentFlag.AlignCenter, f"frame {self.plan.frame}")


class FramesView(QScrollArea):
    """Shows test frames while it is looked at, and has them made anew when the look rests."""

    def __init__(self, session: Session, bridge: RenderBridge, player: Player) -> None:
        super().__init__()
        self.session, self._bridge, self._player = session, bridge, player
        self._seen = False
        self._made_of: tuple[str, ...] = ()
        self.frames: list[_Small] = []
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("test frames")
        self._rests = QTimer(self, singleShot=True, interval=RESTS_MS)
        self._rests.timeout.connect(self.renew)
        session.changed.connect(self._edited)
        session.opened.connect(self._edited)
        player.ahead.renewed.connect(self._show)

    def watch(self, on: bool) -> None:
        """Make test frames from now on, or not."""
        self._seen = on
        if on:
            self.renew()

    def _edited(self) -> None:
        for frame in self.frames:
            frame.update()
        if self._seen:
            self._rests.start()

    def renew(self) -> None:
        """Have the frames of the look as it is now made."""
        if not self.session.is_open or self.session.place_spec is None or self._player.is_playing:
            return
        plans = self._player.ahead.plans(frames_to_look_at(self.session.document))
        names = tuple(plan.name for plan in plans)
        if names != self._made_of:
            self._made_of = names
            self._lay(plans)
        self._player.ahead.make(TEST_FRAMES, plans)
        self._show()

    def _lay(self, plans: list[FramePlan]) -> None:
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(6, 4, 6, 4)
        column.setSpacing(4)
        before = {frame.plan.frame: frame.image for frame in self.frames}
        self.frames = [_Small(self, plan) for plan in plans]
        for frame in self.frames:
            # What was there stays until the new one is made.
            frame.image = before.get(frame.plan.frame)
            column.addWidget(frame)
        column.addStretch(1)
        self.setWidget(body)

    def _show(self) -> None:
        for frame in self.frames:
            small = self._player.ahead.small(frame.plan)
            if small is not None:
                frame.image = self._bridge.shown.screen.image_of(small.light, frame.plan.look, frame.plan.shot)
                frame.update()

    def go(self, frame: int) -> None:
        """Go to a frame."""
        self.session.act("frame", edits.change_shot(self.session.document, frame=frame))
