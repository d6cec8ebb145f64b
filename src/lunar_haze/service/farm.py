"""Frames of a sequence on other machines, by Dask: a scheduler and workers that hold one farm's keys.

What a document needs, the place's files and all it is lit with, travels by content: a worker gets each file once. A
frame comes back as the bytes of its files, which are the same as those that this machine would have made. Where there
are more workers than frames the work of a frame is shared out (`still_share`).
"""

import logging
import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lunar_haze.core.errors import HandOffError, HazeError, ServiceError, os_reason
from lunar_haze.core.plan.sequence import FramePlan
from lunar_haze.core.units.written import put_bytes
from lunar_haze.service.farm_bench import join_shares, make_frame, make_share
from lunar_haze.service.farm_keys import have_farm, security, usual_folder
from lunar_haze.service.parcel import parcel_of
from lunar_haze.service.sequence import SequenceSpec

log = logging.getLogger(__name__)

#: How long a scheduler may take to answer [s], and how often a frame may lose its worker.
PATIENCE_S, MOST_LOSSES = 10.0, 20
#: How often it is looked for frames that are done [s].
LOOK_S = 0.1
#: A share of a frame has so many pixels at the least.
LEAST_PIXELS = 1 << 14


def shares_of(frames: int, workers: int, most: int) -> list[int]:
    """Into how many shares the work of each of so many frames is cut, ``most`` at the most.

    Whole frames as long as every worker has one; the rest are cut so that none stands idle meanwhile.
    """
    rest = frames % workers if workers else 0
    cut = min(-(-workers // rest), most) if rest else 1
    return [1] * (frames - rest) + [cut] * rest


def most_shares(size: tuple[int, int]) -> int:
    """How many shares the work of a frame of a size [px] is worth: each has some tiles of it at the least."""
    return max(size[0] * size[1] // LEAST_PIXELS, 1)


class Farm:
    """The workers of a scheduler at an address such as ``tls://HOST:8786``, for `sequence.run`.

    ``keys`` is the folder of the farm's keys (see `farm_keys`); a scheduler at ``tcp://`` has none.
    """

    def __init__(self, address: str, keys: Path | None = None) -> None:
        self._address, self._keys = address, keys

    @property
    def is_protected(self) -> bool:
        """Whether only those who hold the farm's keys take part, and nobody else reads along."""
        return self._address.startswith("tls://")

    def __call__(
        self,
        spec: SequenceSpec,
        due: list[FramePlan],
        one_done: Callable[[FramePlan], None],
        stopped: Callable[[], bool],
    ) -> None:
        """Have frames made and write them as they come. Raises ServiceError."""
        have_farm()
        from distributed import Client

        shown = security(self._keys or usual_folder()) if self.is_protected else None
        try:
            client = Client(self._address, timeout=PATIENCE_S, set_as_default=False, security=shown)
        except (OSError, ValueError, TimeoutError) as error:
            raise ServiceError(
                f"no scheduler answers at {self._address} ({type(error).__name__}); start one with “lunar-haze farm "
                "scheduler”, with the keys that are used here"
            ) from error
        try:
            self._work(client, spec, due, one_done, stopped)
        finally:
            client.close(timeout=2)

    def _work(
        self,
        client: Any,
        spec: SequenceSpec,
        due: list[FramePlan],
        one_done: Callable[[FramePlan], None],
        stopped: Callable[[], bool],
    ) -> None:
        parcel, here = parcel_of(spec)
        blobs = self._sent(client, here, stopped)
        asked = 0

        def ask(plan: FramePlan, shares: int) -> Any:
            nonlocal asked
            asked += 1
            name = f"{parcel.name}-{plan.frame}-{os.getpid()}-{asked}"
            if shares == 1:
                return client.submit(make_frame, parcel, plan.frame, *blobs, key=f"frame-{name}", pure=False)
            parts = [
                client.submit(make_share, parcel, plan.frame, (k, shares), *blobs, key=f"share-{name}-{k}", pure=False)
                for k in range(shares)
            ]
            return client.submit(join_shares, parcel, plan.frame, parts, *blobs, key=f"frame-{name}", pure=False)

        shares = shares_of(len(due), len(client.nthreads()), most_shares(spec.size))
        waiting = {ask(plan, count): (plan, count, 0) for plan, count in zip(due, shares) if not stopped()}
        while waiting and not stopped():
            _wait_a_moment(client)
            for future in [f for f in waiting if f.done()]:
                plan, count, losses = waiting[future]
                try:
                    still = _taken(future)
                except TimeoutError:
                    # It is made, and on its way: a slow line is no lost worker.
                    continue
                del waiting[future]
                if still is not None:
                    _write(spec.path_of(plan.frame), still)
                    one_done(plan)
                    continue
                if losses >= MOST_LOSSES:
                    raise ServiceError(f"frame {plan.frame} lost its worker {losses} times; see the workers' logs")
                if any(blob.status != "finished" for blob in blobs):
                    # The worker that held a file is gone with it.
                    blobs = self._sent(client, here, stopped)
                waiting[ask(plan, count)] = (plan, count, losses + 1)
        for future in waiting:
            future.cancel(force=True)

    @staticmethod
    def _sent(client: Any, here: dict[str, bytes], stopped: Callable[[], bool]) -> list[Any]:
        """Files on their way to workers, by their digests in order; waits for a first worker.

        They are held as long as frames are due: workers get them from one another.
        """
        while not stopped():
            if client.scheduler_info()["workers"]:
                try:
                    named = {f"lunar-haze-{digest}-{time.monotonic_ns()}": here[digest] for digest in sorted(here)}
                    sent = client.scatter(named)
                    return [sent[name] for name in named]
                except TimeoutError:
                    pass  # the worker is gone again
            _wait_a_moment(client)
        return []


def _wait_a_moment(client: Any) -> None:
    """Let the workers work. Raises ServiceError where the scheduler is gone."""
    if client.status not in ("running", "connecting"):
        raise ServiceError("the scheduler is gone; frames that are done stay: start it and run this again")
    time.sleep(LOOK_S)


def _taken(future: Any) -> bytes | None:
    """The still that a task made, None where its worker was lost.

    Raises HazeError for what the worker says went wrong, and TimeoutError for what is made and not here yet.
    """
    from distributed import KilledWorker
    from distributed.comm import CommClosedError

    try:
        made = future.result(timeout=PATIENCE_S)
    except (KilledWorker, CommClosedError):
        return None
    except TimeoutError:
        if future.status == "finished":
            raise
        return None
    except HazeError:
        raise
    except ModuleNotFoundError as error:
        raise ServiceError("a worker does not have this program; install it in the workers' environment") from error
    except Exception as error:
        if future.status in ("cancelled", "lost"):
            return None
        log.exception("a worker failed")
        raise ServiceError(f"a worker failed: {error}") from error
    if type(made) is not bytes:
        raise ServiceError(f"a worker sent {type(made).__name__} for a frame; see to it that all run this program")
    return made


def _write(path: Path, still: bytes) -> None:
    """Put a frame where it belongs: a worker has no say in that. Raises HandOffError."""
    try:
        put_bytes(path, still)
    except OSError as error:
        raise HandOffError(f"{path} cannot be written: {os_reason(error)}") from error
