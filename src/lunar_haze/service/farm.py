"""Frames of a sequence on other machines, by Dask: ``dask scheduler`` and ``dask worker`` with this package installed.

What a document needs, the place's files and all it is lit with, travels by content: a worker gets each file once. A
frame comes back as the bytes of its files, which are the same as those that this machine would have made.
"""

import hashlib
import json
import logging
import os
import pickle
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path, PurePosixPath
from typing import Any

import attrs

from lunar_haze.core.document.files import from_json, holders_of_paths, to_json, write_atomically
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import HandOffError, HazeError, ServiceError, os_reason
from lunar_haze.core.layers.engine import engine_version
from lunar_haze.core.place.files import files_of
from lunar_haze.core.plan.sequence import FramePlan, planned_frames
from lunar_haze.core.units.content import content_digest
from lunar_haze.service.sequence import FrameMaker, SequenceSpec

log = logging.getLogger(__name__)

#: How long a scheduler may take to answer [s], and how often a frame may lose its worker.
PATIENCE_S, MOST_LOSSES = 10.0, 100
#: How often it is looked for frames that are done [s].
LOOK_S = 0.1
#: A place may refer to files so many folders above its own.
_UP = PurePosixPath("a/b/c/d/e/f")


@attrs.frozen
class Parcel:
    """A sequence as it travels: its values, the document's text, and the files it needs, name by digest."""

    values: bytes
    text: str
    files: tuple[tuple[str, str], ...]
    engine: str

    @property
    def name(self) -> str:
        """Name of all that is in it."""
        return hashlib.blake2b(pickle.dumps(self), digest_size=16).hexdigest()


def parcel_of(spec: SequenceSpec) -> tuple[Parcel, dict[str, Path]]:
    """A sequence ready to travel, and where its files lie here, by digest. Raises HandOffError for one that is gone."""
    data = json.loads(to_json(attrs.evolve(spec.document, pins=(), extra=()), None))
    place = Path(spec.document.place.path)
    named: dict[str, Path] = {}
    for path in files_of(place):
        named[os.path.normpath(_UP / os.path.relpath(path, place.parent))] = path
    for number, holder in enumerate(holders_of_paths(data)):
        path = Path(holder["path"])
        if path == place:
            holder["path"] = str(_UP / place.name)
        elif path.is_file():
            holder["path"] = f"lit/{number}/{path.name}"
            named[holder["path"]] = path
    here: dict[str, Path] = {}
    files: list[tuple[str, str]] = []
    for name, path in named.items():
        try:
            digest = content_digest(path)
        except (OSError, ValueError) as error:
            # What is missing here is missing there, and said so by what needs it.
            log.warning("%s does not travel: %s", path, error)
            continue
        files.append((name, digest))
        here[digest] = path
    rest = attrs.evolve(spec, document=Document(), output=Path(spec.output.name))
    return Parcel(pickle.dumps(rest), json.dumps(data), tuple(sorted(files)), engine_version()), here


class _Bench:
    """What a worker keeps of the sequence that it works at: its files, its plans, its render process."""

    def __init__(self, parcel: Parcel, blobs: dict[str, bytes]) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="lunar-haze-")
        root = Path(self._folder.name)
        for name, digest in parcel.files:
            path = root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(blobs[digest])
        document, _notes = from_json(parcel.text, root, "a sequence")
        values: SequenceSpec = pickle.loads(parcel.values)
        out = root / "out"
        out.mkdir()
        self.spec = attrs.evolve(values, document=document, output=out / values.output)
        place = place_spec(document.place)
        spec = self.spec
        plans = planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise)
        self.plans = {plan.frame: plan for plan in plans}
        self._maker = FrameMaker(spec, place)

    def make(self, frame: int) -> dict[str, bytes]:
        folder = self.spec.folder
        folder.mkdir(exist_ok=True)
        self._maker.make(self.plans[frame], self.spec.path_of(frame), lambda: False)
        made = {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}
        for name in made:
            (folder / name).unlink()
        return made

    def close(self) -> None:
        self._maker.close()
        self._folder.cleanup()


_bench: tuple[str, _Bench] | None = None
_one_at_a_time = threading.Lock()


def make_frame(parcel: Parcel, frame: int, *blobs: bytes) -> dict[str, bytes]:
    """A frame's files by name, made here; ``blobs`` are the parcel's files in the order of its digests.

    Raises ServiceError on a worker of another version.
    """
    global _bench
    if parcel.engine != engine_version():
        raise ServiceError("a worker has another version of the program; install the same everywhere")
    with _one_at_a_time:
        if _bench is None or _bench[0] != parcel.name:
            if _bench is not None:
                _bench[1].close()
                _bench = None
            digests = sorted({digest for _name, digest in parcel.files})
            _bench = (parcel.name, _Bench(parcel, dict(zip(digests, blobs))))
        return _bench[1].make(frame)


class Farm:
    """The workers of a scheduler at an address such as ``tcp://HOST:8786``, for `sequence.run`."""

    def __init__(self, address: str) -> None:
        self._address = address

    def __call__(
        self,
        spec: SequenceSpec,
        due: list[FramePlan],
        one_done: Callable[[FramePlan], None],
        stopped: Callable[[], bool],
    ) -> None:
        """Have frames made and write them as they come. Raises ServiceError."""
        from distributed import Client

        try:
            client = Client(self._address, timeout=PATIENCE_S, set_as_default=False)
        except (OSError, ValueError, TimeoutError) as error:
            raise ServiceError(
                f"no scheduler answers at {self._address} ({type(error).__name__}); start one with “dask scheduler”"
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

        def ask(plan: FramePlan) -> Any:
            nonlocal asked
            asked += 1
            name = f"frame-{parcel.name}-{plan.frame}-{os.getpid()}-{asked}"
            return client.submit(make_frame, parcel, plan.frame, *blobs, key=name, pure=False)

        waiting = {ask(plan): (plan, 0) for plan in due if not stopped()}
        while waiting and not stopped():
            _wait_a_moment(client)
            for future in [f for f in waiting if f.done()]:
                plan, losses = waiting.pop(future)
                files = _taken(future)
                if files is not None:
                    _write(spec, files)
                    one_done(plan)
                    continue
                if losses >= MOST_LOSSES:
                    raise ServiceError(f"frame {plan.frame} lost its worker {losses} times; see the workers' logs")
                if any(blob.status != "finished" for blob in blobs):
                    # The worker that held a file is gone with it.
                    blobs = self._sent(client, here, stopped)
                waiting[ask(plan)] = (plan, losses + 1)
        for future in waiting:
            future.cancel(force=True)

    @staticmethod
    def _sent(client: Any, here: dict[str, Path], stopped: Callable[[], bool]) -> list[Any]:
        """Files on their way to workers, by their digests in order; waits for a first worker.

        They are held as long as frames are due: workers get them from one another.
        """
        while not stopped():
            if client.scheduler_info()["workers"]:
                try:
                    named = {f"lunar-haze-{digest}-{time.monotonic_ns()}": here[digest] for digest in sorted(here)}
                    sent = client.scatter({name: path.read_bytes() for name, path in named.items()})
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


def _taken(future: Any) -> dict[str, bytes] | None:
    """What a task made, None where its worker was lost. Raises HazeError for what the worker says went wrong."""
    from distributed import KilledWorker
    from distributed.comm import CommClosedError

    try:
        return future.result(timeout=PATIENCE_S)
    except (KilledWorker, CommClosedError, TimeoutError):
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


def _write(spec: SequenceSpec, files: dict[str, bytes]) -> None:
    for name, data in files.items():
        try:
            write_atomically(spec.folder / name, data)
        except OSError as error:
            raise HandOffError(f"{spec.folder / name} cannot be written: {os_reason(error)}") from error
