"""What can be seen beside the picture: the plan, readings, a reference, variations, pins; and what belongs to them."""

from PySide6.QtCore import QObject
from PySide6.QtGui import QImage

from lunar_haze.ui.base.second_view import SecondView, View
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_view import PictureView
from lunar_haze.ui.plan.plan_view import PlanView
from lunar_haze.ui.readings.balance import Balance
from lunar_haze.ui.readings.history_view import HistoryView
from lunar_haze.ui.readings.marker_overlay import MarkerOverlay, Markers
from lunar_haze.ui.readings.painting import Brush, Painting
from lunar_haze.ui.readings.pins import Pins
from lunar_haze.ui.readings.pins_view import PinsView
from lunar_haze.ui.readings.readings_view import ReadingsView
from lunar_haze.ui.readings.reference_view import ReferenceView
from lunar_haze.ui.readings.variations_view import VariationsView
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.time.frames_view import FramesView
from lunar_haze.ui.time.player import Player


class Beside(QObject):
    """Builds the views of the second view and ties them to the picture."""

    def __init__(
        self,
        session: Session,
        bridge: RenderBridge,
        picture: PictureView,
        plan: PlanView,
        pins: Pins,
        player: Player,
    ) -> None:
        super().__init__()
        self._session, self._picture = session, picture
        self.balance = Balance(session, bridge)
        self.markers = Markers(session, bridge)
        self.painting = Painting(session, self.balance)
        self.readings = ReadingsView(session, self.balance, self.markers, self.painting)
        self.readings.pointed.connect(picture.point_out)
        self.reference = ReferenceView(session, bridge, self.balance)
        self.reference.wiped.connect(self._wipe_against)
        self.variations = VariationsView(session, bridge, self.balance)
        self.pins_view = PinsView(session, bridge, self.balance, pins)
        self.frames = FramesView(session, bridge, player)
        self.marker_overlay = MarkerOverlay(self.markers)
        picture.lay_over(self.marker_overlay)
        self.brush = Brush(self.painting)
        picture.lay_over(self.brush)
        picture.acts.mark = self.markers.add
        self.markers.pointed.connect(lambda _id: picture.update())
        self.history = HistoryView(session)
        self.second = SecondView(
            (
                View("plan", plan, "the place from above, and where its light falls"),
                View("readings", self.readings, "what the picture measures, and what would help (R)", self._read),
                View("reference", self.reference, "the picture that this look is to come near to"),
                View("variations", self.variations, "other balances of the same light, side by side", self._vary),
                View("frames", self.frames, "small pictures of the shot's frames, renewed when the look rests",
                     self.frames.watch),
                View("pins", self.pins_view, "two kept states side by side, what differs, and blends of both",
                     self.pins_view.watch),
                View("history", self.history, "what was done, act by act; a click goes back to there, or forward again",
                     self.history.watch),
            )
        )  # fmt: skip

    def _wipe_against(self, image: QImage) -> None:
        self._picture.before, self._picture.wiping = image, True
        self._picture.update()

    def _read(self, is_seen: bool) -> None:
        self.balance.watch(is_seen)
        if not is_seen:
            self.painting.pick_up("")

    def _vary(self, is_seen: bool) -> None:
        if is_seen and not self.variations.found and self._session.is_open:
            self.variations.make()

    def leave(self) -> bool:
        """Leave the balance that is proposed, then the brush; False when there is neither."""
        if self.balance.leave():
            return True
        if not self.painting.kind:
            return False
        self.painting.put_away()
        return True
