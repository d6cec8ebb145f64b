"""The gains of the live picture, in one place: of the look as it is now, those told, those a picture was made with."""

from collections.abc import Callable

import attrs

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerImage
from lunar_haze.core.plan.frames import gains, view_of
from lunar_haze.core.sources.model import Source
from lunar_haze.ui.session.session import Session


class GainsNow:
    """``size`` tells the size of the live picture [px]."""

    def __init__(self, session: Session, size: Callable[[], tuple[int, int]]) -> None:
        self._session, self._size = session, size
        self._request: FrameRequest | None = None
        #: The gains that were told last: what changes none of them, such as a finish, is no news to the service.
        self._told: tuple[LayerGain, ...] = ()
        self._mix_id = 0
        self._by_mix: dict[int, tuple[LayerGain, ...]] = {}

    # -- of looks ---------------------------------------------------------------------------------

    def of(self, look: Look, shot: Shot | None = None) -> tuple[LayerGain, ...]:
        """Gains of a look at the frame of a shot, that on screen if None, of layers in the air as it is on screen."""
        spec, on_screen = self._session.place_spec, self._session.document.shot
        if spec is None:
            return ()
        return gains(look, view_of(shot or on_screen, self._size()), spec.key, on_screen.seconds)

    def present(self) -> tuple[LayerGain, ...]:
        """Gains of the look as it is now."""
        return self.of(self._session.shown_look)

    def shown(self) -> tuple[LayerGain, ...]:
        """The present gains; those asked for last where the hand has moved on since then."""
        present = self.present()
        return self._request.gains if self._request is not None and not self.are_asked_for(present) else present

    def lone(self, sources: tuple[Source, ...]) -> tuple[LayerGain, ...]:
        """The gains of balanced sources as if they were alone."""
        return self.of(attrs.evolve(self._session.document.look, sources=sources, groups=()))

    def parts_of(
        self, source_id: str, look: Look, shot: Shot, images: dict[str, LayerImage]
    ) -> list[tuple[LayerImage, LayerGain]]:
        """The layers, and their gains, of what an active source of a look gives at the frame of a shot."""
        source = next((s for s in look.balanced() if s.id == source_id and s.id in look.active()), None)
        if source is None:
            return []
        alone = self.of(attrs.evolve(look, sources=(source,), groups=()), shot)
        return [(images[gain.key], gain) for gain in alone if gain.key in images]

    # -- told to the service ------------------------------------------------------------------------

    def begin(self, request: FrameRequest | None) -> None:
        """Begin anew with what a request holds; None when nothing is asked for."""
        self._request, self._mix_id = request, 0
        self._told = request.gains if request is not None else ()
        self._by_mix = {0: self._told} if request is not None else {}

    def are_asked_for(self, present: tuple[LayerGain, ...]) -> bool:
        """Whether the last request holds all layers that gains need."""
        asked = {spec.key() for spec in self._request.layers} if self._request is not None else set()
        return all(g.key in asked or g.is_silent for g in present)

    def tell(self, now: tuple[LayerGain, ...]) -> int | None:
        """The number under which gains are told; None where they were told before."""
        if now == self._told:
            return None
        self._told = now
        self._mix_id += 1
        return self._mix_id

    def settle(self) -> tuple[int, tuple[LayerGain, ...]]:
        """The present gains, of which a denoised picture is to be made, and the number under which they are told."""
        self._mix_id += 1
        present = self._by_mix[self._mix_id] = self.present()
        return self._mix_id, present

    def made_with(self, mix_id: int) -> tuple[LayerGain, ...] | None:
        """The gains that a denoised picture was made with; None when it was made for another request."""
        made_with = self._by_mix.get(mix_id)
        if made_with is not None:
            self._by_mix = {number: each for number, each in self._by_mix.items() if number >= mix_id}
        return made_with
