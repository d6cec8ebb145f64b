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
from lunar_haze.core.plan.frames import view_of
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
    ``clean_layers`` are layers that were denoised each by itself, where they were asked for.
    """

    beauty: NDArray[np.float32]
    clean: NDArray[np.float32] | None
    layers: dict[str, LayerImage]
    problems: dict[str, str] = attrs.Factory(dict)
    owner: NDArray[np.int32] | None = None
    distance: NDArray[np.float32] | None = None
    motes: LitMotes | None = None
    looked: Looked | None = None
    clean_layers: dict[str, LayerImage] = attrs.Factory(dict)

    @property
    def seen(self) -> tuple[NDArray[np.int32], NDArray[np.float32]] | None:
        """Object numbers and distances as the lens sees them, where they are known."""
        return None if self.owner is None or self.distance is None else (self.owner, self.distance)


class StillMaker:
    """Makes stills one after the other in one render process, which keeps the layers that they share."""

    def __init__(self, backend: RenderBackend | None = None, cache: Path | None = None) -> None:
        self._events: queue.SimpleQueue[Event] = queue.SimpleQueue()
        self._client = backend or RenderClient(cache)
        self._asked = 0
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
        """The still of a request, which gets a number of its own; None when cancelled.

        ``progress`` gets what is being done, passes done and passes in all. Of a request that is ``looked`` the layers
        are denoised as well. Raises ServiceError.
        """
        self._asked += 1
        request = attrs.evolve(request, id=self._asked)
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
                still = attrs.evolve(self._made(request, published, problems), motes=motes, looked=looked)
                if looked is None or not request.looked:
                    return still
                shape = still.beauty.shape
                guides = looked.albedo.reshape(shape), looked.normal.reshape(shape)
                return self.with_clean_layers(still, *guides, progress, cancelled)
        return None

    def denoised(
        self, picture: NDArray[np.float32], albedo: NDArray[np.float32], normal: NDArray[np.float32]
    ) -> NDArray[np.float32]:
        """A picture (H, W, 3) that was put together elsewhere, denoised by its guides. Raises ServiceError."""
        self._asked += 1
        self._client.denoise(DenoiseThis(self._asked, picture, albedo, normal))
        return next(event.picture for event in self._answers(self._asked) if isinstance(event, Denoised))

    def with_clean_layers(
        self,
        still: Still,
        albedo: NDArray[np.float32],
        normal: NDArray[np.float32],
        progress: Callable[[str, int, int], None] = lambda what, done, total: None,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> Still | None:
        """A still with each of its layers denoised by itself, None when cancelled. Raises ServiceError."""
        clean: dict[str, LayerImage] = {}
        for number, (key, image) in enumerate(still.layers.items()):
            if cancelled():
                return None
            progress("denoising the layers", number, len(still.layers))
            surface, air = (
                self.denoised(part, albedo, normal) if part.any() else part for part in (image.surface, image.air)
            )
            clean[key] = attrs.evolve(image, surface=surface, air=air)
        return attrs.evolve(still, clean_layers=clean)

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
        layers = {image.key: image for image in images}
        beauty = _summed(layers, request, np.zeros((request.view.height, request.view.width, 3), np.float32))
        whole = request.share is None
        clean = board.clean.copy() if request.denoise and whole and board is not None else None
        owner = board.owner[..., 0].copy() if board is not None else None
        distance = board.depth.copy() if board is not None else None
        return Still(beauty, clean, layers, problems, owner, distance)


def asks_for_clean_layers(request: FrameRequest, look: Look, with_layers: bool) -> FrameRequest:
    """A still's request that has its layers denoised where they are handed on, or where a mask weighs one of them."""
    weighed = any(mask.source for mask in look.finish.masks_at_work)
    return attrs.evolve(request, looked=request.denoise and (with_layers or weighed))


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
    beside: Path | None = None,
) -> tuple[Path, ...]:
    """Write a computed still of a shot under a look, or a part of its frame; says which files that made.

    Its finish is written beside an EXR, or lies in the file ``beside`` already.

    Raises HandOffError, and PictureError for a grading table that is gone.
    """
    place = request.place
    # The request's own view has no moment, since layers that time does not change are the same at every frame.
    view = view_of(shot, (request.view.width, request.view.height))
    known = still.clean_layers or still.layers
    layers = source_layers(look, view, place.key, known) if with_layers else {}
    masked = under_masks(look, shot, view, place, _summed(known, request, still.beauty), still.seen, known)

    def over(picture: NDArray[np.float32]) -> NDArray[np.float32]:
        picture = masked(picture)
        if still.motes is None or still.distance is None:
            return picture
        return dusted(picture, look.finish, view.camera, still.motes, request.gains, still.distance)

    return deliver(path, shot, look, still.beauty, still.clean, layers, bits, part, screen, over, beside)


def _summed(layers: dict[str, LayerImage], request: FrameRequest, dark: NDArray[np.float32]) -> NDArray[np.float32]:
    """The sum of layers under the gains of a request; without any a picture like ``dark`` that has no light."""
    mixer = Mixer()
    mixer.set_layers(list(layers.values()))
    picture = mixer.picture(request.gains)
    return np.zeros_like(dark) if picture is None else picture
