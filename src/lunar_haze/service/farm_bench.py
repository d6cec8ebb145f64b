"""What a worker of a farm does: frames, and shares of frames, of the sequence that it is sent."""

import tempfile
import threading
from pathlib import Path

from lunar_haze.core.errors import ServiceError
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.layers.model import Share
from lunar_haze.core.plan.sequence import planned_frames
from lunar_haze.service.parcel import Parcel, unpacked
from lunar_haze.service.sequence import FrameMaker
from lunar_haze.service.still import Still
from lunar_haze.service.still_share import StillShare, share_of


class _Bench:
    """What a worker keeps of the sequence that it works at: its files, its plans, its render process."""

    def __init__(self, parcel: Parcel, blobs: dict[str, bytes]) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="lunar-haze-")
        try:
            self.spec, place = unpacked(parcel, blobs, Path(self._folder.name))
        except ServiceError:
            self._folder.cleanup()
            raise
        spec = self.spec
        plans = planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise)
        self.plans = {plan.frame: plan for plan in plans}
        self._maker = FrameMaker(spec, place)

    def make(self, frame: int) -> bytes:
        """The bytes of a frame's still."""
        return self._written(frame, self._still(frame, None))

    def share(self, frame: int, share: Share) -> StillShare:
        """A share of a frame's work."""
        spec = self.spec
        return share_of(self._still(frame, share), spec.layers or bool(self.plans[frame].look.finish.masks_at_work))

    def join(self, frame: int, shares: list[StillShare]) -> bytes:
        """The still of a frame whose shares are done."""
        return self._written(frame, self._maker.joined(self.plans[frame], shares))

    def _still(self, frame: int, share: Share | None) -> Still:
        still = self._maker.still(self.plans[frame], lambda: False, share)
        assert still is not None
        return still

    def _written(self, frame: int, still: Still) -> bytes:
        path = self.spec.path_of(frame)
        self._maker.hand_over(self.plans[frame], still, path)
        made = path.read_bytes()
        path.unlink()
        return made

    def close(self) -> None:
        self._maker.close()
        self._folder.cleanup()


_bench: tuple[str, _Bench] | None = None
_one_at_a_time = threading.Lock()


def make_frame(parcel: Parcel, frame: int, *blobs: bytes) -> bytes:
    """A frame's still, made here; ``blobs`` are the parcel's files in the order of its digests.

    Raises ServiceError on a worker of another version.
    """
    with _one_at_a_time:
        return _bench_for(parcel, blobs).make(frame)


def make_share(parcel: Parcel, frame: int, share: Share, *blobs: bytes) -> StillShare:
    """A share of a frame's work, made here (see `make_frame`)."""
    with _one_at_a_time:
        return _bench_for(parcel, blobs).share(frame, share)


def join_shares(parcel: Parcel, frame: int, shares: list[StillShare], *blobs: bytes) -> bytes:
    """The still of a frame whose shares are done (see `make_frame`)."""
    with _one_at_a_time:
        return _bench_for(parcel, blobs).join(frame, shares)


def _bench_for(parcel: Parcel, blobs: tuple[bytes, ...]) -> _Bench:
    """The bench of a sequence, which takes the place of another's."""
    global _bench
    if parcel.engine != engine_version():
        raise ServiceError("a worker has another version of the program; install the same everywhere")
    if _bench is None or _bench[0] != parcel.name:
        if _bench is not None:
            _bench[1].close()
            _bench = None
        digests = sorted({digest for _name, digest in parcel.files})
        _bench = (parcel.name, _Bench(parcel, dict(zip(digests, blobs))))
    return _bench[1]
