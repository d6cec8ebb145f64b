"""The light on motes of dust before the lens, layer by layer: kept while the view stays."""

from lunar_haze.core.layers.motes import LitMotes, floating
from lunar_haze.core.transport.mote_light import mote_light
from lunar_haze.service.job import Job


class MoteLights:
    """The motes lit last."""

    def __init__(self) -> None:
        #: Of what view they are, and they.
        self._last: tuple[object, LitMotes] | None = None

    def lit(self, job: Job) -> LitMotes:
        """The motes that the lens of a job sees, each layer's light on them; none is asked twice."""
        motes, view = job.request.motes, job.request.view
        assert motes is not None
        about = (job.request.place, view.camera, view.width / view.height, motes)
        if self._last is None or self._last[0] != about:
            self._last = about, LitMotes(floating(motes, view.camera, view.width / view.height), {})
        where, light = self._last[1]
        due = {key: spec for key, spec in zip(job.keys, job.request.layers) if key not in light}
        light.update(zip(due, mote_light(job.frame, list(due.values()), where.at)))
        return LitMotes(where, {key: light[key] for key in job.keys})
