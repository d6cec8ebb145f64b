"""Computes pictures to the end and waits for them: stills, sequences, scripts and render machines."""

import queue
from collections.abc import Callable, Iterator
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import ServiceError
from lunar_haze.core.finish.dust import dusted
from lunar_haze.core.handoff.deliver import deliver, source_layers
from lunar_haze.core.handoff.mask_scene import under_masks
from lunar_haze.core.layers.model import FrameRequest, LayerImage, Looked, Part
from lunar_haze.core.layers.motes import LitMotes
from lunar_haze.core.picture.mix import Mixer
from lunar_haze.core.picture.views import SRGB
from lunar_haze.service.client import RenderBackend, RenderClient, images_on
from lunar_haze.service.protocol import (
    Cleaned,
    Denoised,
    DenoiseThis,
    Event,
    Failed,
    Finished,
    Incomplete,
    Lost,
    MotesLit,
    Preparing,
    Published,
    Restarted,
    ShareLooked,
)


@attrs.frozen(eq=False)
class Still:
    """A finished picture: ``beauty`` as summed, ``clean`` as denoised (or None), and its layers.

    Pictures are (H, W, 3) float32 ACEScg [cd/m2]; ``layers`` hold unit layers by key.
    ``problems`` are reasons why sources stay dark, by the key of their layer (see `Incomplete`); ``owner`` (H, W) are
    the numbers of the objects that the lens sees, ``distance`` (H, W) how far they are [m]; ``motes`` are those of dust
    and their light. Of a share of a frame's work ``looked`` tells which pixels it has: the others are empty.
    """

    beauty: NDArray[np.float32]
    clean: NDArray[np.float32] | None
    layers: dict[str, LayerImage]
    problems: dict[str, str] = attrs.Factory(dict)
    owner: NDArray[np.int32] | None = None
    distance: NDArray[np.float32] | None = None
    motes: LitMotes | None = None
    looked: Looked | None = None

    @property
    def seen(self) -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Object numbers and distances as the lens sees them, where they are known."""
        return None if self.owner is None or self.distance is None else (self.owner, self.distance)


class StillMaker:
    """Makes stills one after the other in one render process, which keeps the layers that they share."""

    def __init__(self, backend: RenderBackend | None = None, cache: Path | None = None) -> None:
        self._events: queue.SimpleQueue[Event] = queue.SimpleQueue()
        self._client = backend or RenderClient(cache)
        #: How often the render process had to be started again.
        self.restarts = 0
        self._client.start(self._events.put)

    def close(self) -> None:
        """End the render process."""
        self._client.close()

    def still(
        self,
        request: FrameRequest,
        progress: Callable[[str, int, int], None] = lambda what, done, total: None,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> Still | None:
        """The still of a request, whose id no request before had; None when cancelled.

        ``progress`` gets what is being done, passes done and passes in all. Raises ServiceError.
        """
        self._client.want(request)
        published: Published | None = None
        problems: dict[str, str] = {}
        motes: LitMotes | None = None
        looked: Looked | None = None
        for event in self._answers(request.id, cancelled):
            if isinstance(event, Preparing):
                progress(event.what, 0, request.passes)
            elif isinstance(event, Published):
                published = event
                progress("rendering", event.passes, event.target)
            elif isinstance(event, Cleaned):
                progress("denoised", event.passes, request.passes)
            elif isinstance(event, Incomplete):
                problems.update(event.problems)
            elif isinstance(event, MotesLit):
                motes = event.lit
            elif isinstance(event, ShareLooked):
                looked = event.looked
            elif isinstance(event, Finished):
                return attrs.evolve(self._made(request, published, problems), motes=motes, looked=looked)
        return None

    def denoised(self, message: DenoiseThis) -> NDArray[np.float32]:
        """A picture that was put together elsewhere, denoised. Raises ServiceError."""
        self._client.denoise(message)
        return next(event.picture for event in self._answers(message.request_id) if isinstance(event, Denoised))

    def _answers(self, request_id: int, cancelled: Callable[[], bool] = lambda: False) -> Iterator[Event]:
        """What is said of a request as it comes, until ``cancelled`` says so. Raises ServiceError where it failed."""
        while not cancelled():
            try:
                event = self._events.get(timeout=0.2)
            except queue.Empty:
                continue
            if getattr(event, "request_id", request_id) not in (request_id, -1):
                continue
            if isinstance(event, (Failed, Lost)):
                raise ServiceError(event.reason)
            if isinstance(event, Restarted):
                self.restarts += 1
            yield event

    def _made(self, request: FrameRequest, published: Published | None, problems: dict[str, str]) -> Still:
        board = self._client.board
        images = [
            attrs.evolve(i, surface=i.surface.copy(), air=i.air.copy())
            for i in (images_on(board, published) if published and board else [])
        ]
        mixer = Mixer()
        mixer.set_layers(images)
        beauty = mixer.picture(request.gains)
        if beauty is None:
            beauty = np.zeros((request.view.height, request.view.width, 3), np.float32)
        whole = request.share is None
        clean = board.clean.copy() if request.denoise and whole and board is not None else None
        owner = board.owner[..., 0].copy() if board is not None else None
        distance = board.depth.copy() if board is not None else None
        return Still(beauty, clean, {i.key: i for i in images}, problems, owner, distance)


def compute(
    request: FrameRequest,
    progress: Callable[[str, int, int], None] = lambda what, done, total: None,
    cancelled: Callable[[], bool] = lambda: False,
    backend: RenderBackend | None = None,
    cache: Path | None = None,
) -> Still | None:
    """Make one still in a render process of its own; None when cancelled (see `StillMaker.still`)."""
    maker = StillMaker(backend, cache)
    try:
        return maker.still(request, progress, cancelled)
    finally:
        maker.close()


def hand_over(
    still: Still,
    request: FrameRequest,
    path: Path,
    shot: Shot,
    look: Look,
    with_layers: bool,
    bits: int = 8,
    part: Part | None = None,
    screen: str = SRGB,
) -> tuple[Path, ...]:
    """Write a computed still of a shot under a look, or a part of its frame; says which files that made.

    Raises HandOffError, and PictureError for a grading table that is gone.
    """
    view, place = request.view, request.place
    layers = source_layers(look, view, place.key, still.layers) if with_layers else {}
    masked = under_masks(look, shot, view, place, still.beauty, still.seen, still.layers)

    def over(picture: NDArray[np.float32]) -> NDArray[np.float32]:
        picture = masked(picture)
        if still.motes is None or still.distance is None:
            return picture
        return dusted(picture, look.finish, view.camera, still.motes, request.gains, still.distance)

    return deliver(path, shot, look, still.beauty, still.clean, layers, bits, part, screen, over)
