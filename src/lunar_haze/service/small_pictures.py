"""Small pictures: what a new hour, sky or view shows first, while the true ones are computed."""

import time

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerImage, LayerSpec, View
from lunar_haze.core.picture.mix import Mixer, block_mean, enlarge
from lunar_haze.core.sources.model import Sky, Sun
from lunar_haze.core.transport.denoise import denoise
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.upsample import lay_out
from lunar_haze.service.job import Job

#: Pictures larger than this come small first, about this wide, under a sky of so many rows.
FROM_PIXELS, WIDTH, SKY_ROWS = 60_000, 96, 48
#: Passes of a small picture of a new sky or view when the hand has rested: as many as fit in the seconds. One is
#: what a moving hand gets.
RESTED_PASSES, RESTED_SECONDS = 16, 0.06
#: How wide the picture is that layers of few passes are freed of grain in first.
KNOWN_WIDTH = 320
#: Where a lamp alone has moved, its picture is this many times smaller at first.
LAMP_STEP = 2


def small_first(job: Job, missing: list[str]) -> bool:
    """Whether a small picture is worth its time."""
    return bool(missing) and job.frame.pixels > FROM_PIXELS


def is_far(job: Job, missing: dict[str, LayerSpec]) -> bool:
    """Whether much of the picture is another: a new sky or a new view, not a lamp that moves."""
    far = any(isinstance(spec.shape, (Sun, Sky)) for spec in missing.values())
    return far or len(missing) * 2 > len(job.keys)


def _step(job: Job, missing: dict[str, LayerSpec]) -> int:
    """How many times smaller: much for a new sky or a new view, little for a lamp that moves."""
    if is_far(job, missing):
        return max(round(job.request.view.width / WIDTH), 2)
    return LAMP_STEP


class SmallPictures:
    """Computes them; the frame of a view is kept while the view stays, since its guides serve every hour."""

    def __init__(self) -> None:
        self._frame: Frame | None = None
        #: The edges that a frame's lens sees through some air.
        self._edges: tuple[Frame, Medium, tuple[NDArray, NDArray, NDArray]] | None = None

    def clear(self) -> None:
        """Forget the place."""
        self._frame, self._edges = None, None

    def _frame_of(self, job: Job, step: int) -> Frame:
        view = job.request.view
        small = View(view.camera, max(view.width // step, 8), max(view.height // step, 8))
        if self._frame is None or self._frame.place is not job.frame.place or self._frame.view != small:
            self._frame = Frame(job.frame.place, small, 1 << 24, sky_rows=SKY_ROWS)
            self._frame.add_guides(2)
        return self._frame

    def of(
        self, job: Job, present: dict[str, LayerImage], rested: bool = False
    ) -> tuple[list[LayerImage], NDArray[np.float32] | None]:
        """Small layers that the job lacks and that are active, and the mix freed of grain, if that is wanted.

        ``present`` are the layers that are there already, at full size. The mix is of full size as well, laid out
        along the edges that the lens sees. ``rested`` takes more passes: nobody waits for the next.
        """
        request = job.request
        missing = {k: s for k, s in job.missing().items() if job.weight(k) > 0.0 and k not in job.live}
        if not missing:
            return [], None
        step = _step(job, missing)
        frame = self._frame_of(job, step)
        view = frame.view
        keys = frame.want([attrs.evolve(s, view=view) for s in missing.values()])
        known = job.emphasis
        emphasis = {small: known[key] for key, small in zip(missing, keys) if key in known}
        until = time.perf_counter() + RESTED_SECONDS
        for _ in range(RESTED_PASSES if rested else 1):
            frame.trace(keys, emphasis=emphasis)
            if time.perf_counter() > until:
                break
        images = [attrs.evolve(frame.image(small), key=key) for key, small in zip(missing, keys)]
        if not request.denoise:
            return images, None
        rest = [present[k] for k in job.keys if k not in missing and k in present and job.weight(k) > 0.0]
        mixer = Mixer()
        mixer.set_layers([*images, *(_reduced(image, step, view) for image in rest)])
        picture = mixer.picture(job.gains)
        if picture is None:
            return images, None
        out = np.empty((request.view.height, request.view.width, 3), np.float32)
        if rested or not is_far(job, missing):
            self._lay(job, frame, picture, out)
        else:
            # A hand that scrubs through the day waits for each: soft, but at once.
            enlarge(denoise(picture, *frame.guide_images(job.request.medium)), out)
        return images, out

    def _lay(self, job: Job, frame: Frame, picture: NDArray[np.float32], out: NDArray[np.float32]) -> None:
        """A small picture freed of grain and laid out large."""
        medium = job.request.medium
        if self._edges is None or self._edges[0] is not job.frame or self._edges[1] != medium:
            # Edges are told by the first looks already; later ones add nothing to them.
            self._edges = job.frame, medium, job.frame.edge_guides(medium)
        guides = frame.edge_guides(medium)
        lay_out(denoise(picture, *frame.guide_images(medium)), guides, self._edges[2], out)

    def cleaned(self, job: Job, image: LayerImage) -> LayerImage:
        """A small layer freed of grain by itself, where that is wanted and takes less time than its first pass."""
        if not job.request.denoise or self._frame is None or image.surface.shape[1] > 2 * WIDTH:
            return image
        guides = self._frame.guide_images(job.request.medium)
        return attrs.evolve(image, surface=denoise(image.surface, *guides), air=denoise(image.air, *guides))

    def of_known(self, job: Job) -> NDArray[np.float32] | None:
        """The mix of layers that are all there, of full size, freed of grain at once; the true one takes longer."""
        step = max(round(job.request.view.width / KNOWN_WIDTH), 1)
        frame = self._frame_of(job, step)
        active = [k for k in job.keys if job.weight(k) > 0.0]
        mixer = Mixer()
        mixer.set_layers([_reduced(job.frame.image(key), step, frame.view) for key in active])
        picture = mixer.picture(job.gains)
        if picture is None:
            return None
        out = np.empty((job.request.view.height, job.request.view.width, 3), np.float32)
        self._lay(job, frame, picture, out)
        return out


def _reduced(image: LayerImage, step: int, view: View) -> LayerImage:
    surface, air = (block_mean(part, step)[: view.height, : view.width] for part in (image.surface, image.air))
    return attrs.evolve(image, surface=surface, air=air)
