"""Small pictures: what a new hour, sky or view shows first, while the true ones are computed."""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import LayerImage, LayerSpec, View
from lunar_haze.core.picture.mix import Mixer, block_mean
from lunar_haze.core.sources.model import Sky, Sun
from lunar_haze.core.transport.denoise import denoise
from lunar_haze.core.transport.frame import Frame
from lunar_haze.service.job import Job

#: Pictures larger than this come small first, about this wide, under a sky of so many rows.
FROM_PIXELS, WIDTH, SKY_ROWS = 60_000, 96, 48
#: Where a lamp alone has moved, its picture is this many times smaller at first.
LAMP_STEP = 2


def small_first(job: Job, missing: list[str]) -> bool:
    """Whether a small picture is worth its time."""
    return bool(missing) and job.frame.pixels > FROM_PIXELS


def _step(job: Job, missing: dict[str, LayerSpec]) -> int:
    """How many times smaller: much for a new sky or a new view, little for a lamp that moves."""
    far = any(isinstance(spec.shape, (Sun, Sky)) for spec in missing.values())
    if far or len(missing) * 2 > len(job.keys):
        return max(round(job.request.view.width / WIDTH), 2)
    return LAMP_STEP


class SmallPictures:
    """Computes them; the frame of a view is kept while the view stays, since its guides serve every hour."""

    def __init__(self) -> None:
        self._frame: Frame | None = None

    def clear(self) -> None:
        """Forget the place."""
        self._frame = None

    def _frame_of(self, job: Job, step: int) -> Frame:
        view = job.request.view
        small = View(view.camera, max(view.width // step, 8), max(view.height // step, 8))
        if self._frame is None or self._frame.place is not job.frame.place or self._frame.view != small:
            self._frame = Frame(job.frame.place, small, 1 << 24, sky_rows=SKY_ROWS)
            self._frame.add_guides(2)
        return self._frame

    def of(self, job: Job, present: dict[str, LayerImage]) -> tuple[list[LayerImage], NDArray[np.float32] | None]:
        """Small layers that the job lacks and that are heard, and the small mix freed of grain, if that is wanted.

        ``present`` are the layers that are there already, at full size.
        """
        request = job.request
        missing = {
            k: s
            for k, s in zip(job.keys, request.layers)
            if job.weight(k) > 0.0 and job.frame.sums[k].passes == 0 and k not in job.live
        }
        if not missing:
            return [], None
        step = _step(job, missing)
        frame = self._frame_of(job, step)
        view = frame.view
        keys = frame.want([attrs.evolve(s, view=view) for s in missing.values()])
        known = job.emphasis
        frame.trace(keys, emphasis={small: known[key] for key, small in zip(missing, keys) if key in known})
        images = [attrs.evolve(frame.image(small), key=key) for key, small in zip(missing, keys)]
        if not request.denoise:
            return images, None
        rest = [present[k] for k in job.keys if k not in missing and k in present and job.weight(k) > 0.0]
        mixer = Mixer()
        mixer.set_layers([*images, *(_reduced(image, step, view) for image in rest)])
        picture = mixer.picture(job.gains)
        return images, None if picture is None else denoise(picture, *frame.guide_images())


def _reduced(image: LayerImage, step: int, view: View) -> LayerImage:
    surface, air = (block_mean(part, step)[: view.height, : view.width] for part in (image.surface, image.air))
    return attrs.evolve(image, surface=surface, air=air)
