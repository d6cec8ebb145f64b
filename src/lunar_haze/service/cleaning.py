"""Denoising in the render process: the mix of a request as a whole, and the small pictures of its layers one by one."""

import numpy as np

from lunar_haze.core.picture.mix import Mixer, block_mean
from lunar_haze.core.transport.denoise import StoppedError, denoise
from lunar_haze.core.transport.live import LiveAir
from lunar_haze.service.board_layout import BoardLayout
from lunar_haze.service.channel import Channel
from lunar_haze.service.inbox import Inbox
from lunar_haze.service.job import Job
from lunar_haze.service.protocol import Cleaned, Smoothed

#: Passes after which the layers' small pictures are denoised each by itself; once more at the end.
SMOOTHED = (1, 8)
#: How well a picture is denoised that is to be handed on.
FINAL_QUALITY = "high"


class Cleaning:
    """Denoises what lies on the board, and tells the window; a new message in the inbox comes before it."""

    def __init__(self, channel: Channel, inbox: Inbox, layout: BoardLayout, live: LiveAir) -> None:
        self._channel, self._inbox, self._layout, self._live = channel, inbox, layout, live

    def smooth(self, job: Job) -> None:
        """A layer's small picture denoised by itself: by those the window balances a clean picture anew."""
        key = job.smooth_due[0]
        (image,) = self._layout.images([key]) or (None,)
        if image is None or image.passes < 1 or self._layout.is_smooth(key):
            job.smooth_due.pop(0)
            return
        albedo, normal = (block_mean(guide, 2) for guide in job.frame.guide_images(job.request.medium))
        parts = [block_mean(part, 2) for part in (image.surface, image.air)]
        try:
            clean = [denoise(part, albedo, normal, stop=lambda: self._inbox.has_want) for part in parts]
        except StoppedError:
            return
        job.smooth_due.pop(0)
        self._layout.lay_smooth(key, *clean)
        self._channel.send(Smoothed(job.request.id, self._layout.smooth_layers(job.keys)))

    def clean(self, job: Job) -> None:
        """The mix of a request denoised; from time to time its layers' small pictures become due after it."""
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
            # Whoever moves a hand meanwhile must not wait for it.
            clean = denoise(picture, *job.frame.guide_images(job.request.medium), quality, lambda: self._inbox.has_more)
        except StoppedError:
            job.clean_due = True
            return
        board.clean[...] = clean
        if job.request.live and not job.live:
            if passes in SMOOTHED or job.finished:
                lit = [key for key in job.keys if job.passes(key)]
                job.smooth_due = sorted(lit, key=job.weight, reverse=True)
            self._live.remember(job.frame, *job.balanced(), clean)
        self._channel.send(Cleaned(job.request.id, mix_id, passes))
