"""Denoising in the render process: the mix of a request as a whole, and its layers one by one.

By its small pictures the window balances a denoised picture anew. A layer that the picture hardly shows is denoised at
full size as well: when it comes up, nothing that was on screen tells of its edges.
"""

import numpy as np

from lunar_haze.core.picture.mix import Mixer, block_mean
from lunar_haze.core.transport.denoise import StoppedError, denoise
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.service.board_layout import BoardLayout
from lunar_haze.service.channel import Channel
from lunar_haze.service.inbox import Inbox
from lunar_haze.service.job import Job
from lunar_haze.service.protocol import Cleaned, Smoothed
from lunar_haze.service.urgency import LEAST

#: Passes after which the layers are denoised each by itself; once more at the end.
SMOOTHED = (1, 8)
#: How well a picture is denoised that is to be handed on.
FINAL_QUALITY = "high"


class Cleaning:
    """Denoises what lies on the board, and tells the window; a new message in the inbox comes before it."""

    def __init__(self, channel: Channel, inbox: Inbox, layout: BoardLayout, live: LiveAir) -> None:
        self._channel, self._inbox, self._layout, self._live = channel, inbox, layout, live

    def smooth(self, job: Job) -> None:
        """A layer denoised by itself."""
        key, step = job.smooth_due[0]
        (image,) = self._layout.images([key]) or (None,)
        if image is None or image.passes < 1 or self._layout.is_smooth(key, step):
            job.smooth_due.pop(0)
            return
        albedo, normal = (block_mean(guide, step) for guide in job.frame.guide_images(job.request.medium))
        parts = [block_mean(part, step) for part in (image.surface, image.air)]
        try:
            clean = [
                denoise(part, albedo, normal, stop=lambda: self._inbox.has_want) if part.any() else part
                for part in parts
            ]
        except StoppedError:
            return
        job.smooth_due.pop(0)
        self._layout.lay_smooth(key, step, *clean)
        small, whole = (self._layout.smooth_layers(job.keys, of) for of in (2, 1))
        self._channel.send(Smoothed(job.request.id, small, whole))

    def clean(self, job: Job) -> None:
        """The mix of a request denoised; from time to time its layers become due one by one after it."""
        job.clean_due = False
        if job.frame.guides.passes < 3:
            job.frame.add_guides(2)
        if job.request.share is not None:
            return
        board = self._layout.board
        mixer = Mixer()
        mixer.set_layers(self._layout.images(job.keys))
        mix_id = job.mix_id
        picture = mixer.picture(job.gains)
        if picture is None:
            picture = np.zeros((board.height, board.width, 3), np.float32)
        passes = job.level()
        still = not job.request.live
        quality = FINAL_QUALITY if still else "balanced" if passes >= 8 else "fast"
        try:
            # Whoever moves a hand meanwhile must not wait for it; a still is denoised unless it is given up.
            stop = (lambda: self._inbox.has_want) if still else (lambda: self._inbox.has_more)
            clean = denoise(picture, *job.frame.guide_images(job.request.medium), quality, stop)
        except StoppedError:
            job.clean_due = True
            return
        board.clean[...] = clean
        if job.request.live and not job.live:
            if passes in SMOOTHED or job.finished:
                lit = [key for key in job.keys if job.passes(key)]
                lit.sort(key=job.weight, reverse=True)
                dim = [key for key in lit if job.weight(key) <= LEAST]
                job.smooth_due = [(key, 2) for key in lit] + [(key, 1) for key in dim]
            self._live.remember(job.frame, *job.balanced(), clean)
        self._channel.send(Cleaned(job.request.id, mix_id, passes))
