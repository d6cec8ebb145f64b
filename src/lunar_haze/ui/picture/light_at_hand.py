"""The light at hand: layers as the service has told them, mixed here and now, with what lies over them."""

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.finish.glow import layer_scatter
from lunar_haze.core.layers.model import FrameRequest, LayerImage, View
from lunar_haze.core.layers.motes import LitMotes
from lunar_haze.core.picture.frame_mix import Mixed
from lunar_haze.service.board import Board
from lunar_haze.service.client import images_on
from lunar_haze.service.protocol import Cleaned, Published, Smoothed
from lunar_haze.ui.picture.gains_now import GainsNow
from lunar_haze.ui.picture.lens import Lens
from lunar_haze.ui.picture.live_dust import LiveDust
from lunar_haze.ui.picture.live_masks import LiveMasks
from lunar_haze.ui.picture.live_mix import LiveMix
from lunar_haze.ui.picture.over_light import OverLight
from lunar_haze.ui.session.session import Session


class LightAtHand(QObject):
    """Signals: ``refined`` when layers are new, ``complete`` when none is missing any longer, ``denoised`` when some
    are denoised by themselves, ``renewed`` when the picture should be mixed again.

    ``picture`` is the light (h, w, 3) [cd/m2] that was mixed last, without what lies over it; None before there is any.
    """

    refined = Signal()
    complete = Signal()
    denoised = Signal()
    renewed = Signal()

    def __init__(self, session: Session, gains: GainsNow, lens: Lens) -> None:
        super().__init__()
        self._session, self._gains, self._lens = session, gains, lens
        self.mix = LiveMix()
        self.picture: NDArray[np.float32] | None = None
        self.masks = LiveMasks(session, self._seen)
        self.masks.renewed.connect(self.renewed)
        self.dust = LiveDust(self._seen)

    def forget(self) -> None:
        """Nothing is known any longer."""
        self.mix.forget()
        self.picture = None

    def begin(self, request: FrameRequest, is_same_view: bool) -> None:
        """Another request is asked for: what it does not share is dropped."""
        if not is_same_view:
            self.masks.forget()
        if not is_same_view or request.motes is None:
            self.dust.take(None)

    def drop_picture(self) -> None:
        """Another look or shot was chosen: its light is not at hand yet."""
        self.picture = None
        self.mix.drop_clean()

    # -- what the service tells -----------------------------------------------------------------------

    def take_layers(self, event: Published, board: Board) -> None:
        """Layers are new, or farther than before."""
        active = {g.key for g in self._gains.shown() if not g.is_silent}
        self.mix.set_layers(images_on(board, event), active)
        # Without some of its light the picture would be dark for a moment: the old one stays that long.
        if active <= self.mix.images.keys():
            self.complete.emit()
        self.refined.emit()

    def take_clean(self, event: Cleaned, board: Board) -> None:
        """A picture is denoised."""
        made_with = self._gains.made_with(event.mix_id)
        if made_with is None or self._lens.view is None or board.clean.shape[1] != self._lens.view.width:
            return
        self.mix.set_clean(board.clean.copy(), made_with, event.passes)
        self.complete.emit()

    def take_small(self, event: Smoothed, board: Board) -> None:
        """Some layers are denoised by themselves."""
        small, whole = (
            {at.key: (room[at.slot, 0], room[at.slot, 1]) for at in layers}
            for room, layers in ((board.small, event.layers), (board.whole, event.whole))
        )
        self.mix.set_denoised(small, whole)
        self.denoised.emit()
        if self.mix.clean_gains and self.mix.clean_gains != self._gains.shown():
            self.renewed.emit()

    def take_motes(self, lit: LitMotes | None) -> None:
        """The motes of the present picture are lit."""
        self.dust.take(lit)
        self.renewed.emit()

    # -- what is mixed --------------------------------------------------------------------------------

    def mixed(self, size: tuple[int, int]) -> tuple[Mixed, int] | None:
        """The light as it stands of a picture of a size [px] and its passes, 0 with stand-ins; None before any."""
        scatter = layer_scatter(self._session.shown_look.finish, size[1])
        mixed, passes = self.mix.picture(self._gains.shown(), scatter)
        if mixed is None:
            return None
        self.picture = mixed.light
        return mixed, max(passes, 0)

    def layer(self, key: str) -> LayerImage | None:
        """A layer of the present picture as it is so far; None when it is not known."""
        return self.mix.images.get(key)

    def over_light(self, look: Look, shot: Shot, size: tuple[int, int]) -> OverLight:
        """What lays masks and dust of a look at the frame of a shot on light of a size (h, w), on any thread."""
        shown = look is self._session.shown_look and shot is self._session.document.shot
        now = self._gains.shown() if shown else self._gains.of(look, shot)
        masks = self.masks.now(
            look,
            size,
            lambda source_id: self._gains.parts_of(source_id, look, shot, self.mix.images),
            lambda: self.mix.beauty(now),
        )
        return OverLight(size, masks, self.dust.now(look, shot.seconds, size, now))

    def _seen(self) -> tuple[View, NDArray[np.int32], NDArray[np.float32]] | None:
        return None if self.picture is None else self._lens.now()
