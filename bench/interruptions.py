"""Random scripts of edits, cancels, size changes and kills: ``python bench/interruptions.py [SCRIPTS]``.

Prints how far final layers lie from those of an undisturbed run, as z-scores of tiles and of whole layers, and the
case of forty edits of one lamp at 960x540.
"""

import sys
import tempfile
import time
from pathlib import Path

import attrs
import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]

from tests.service import interrupted

from lunar_haze.core.document.files import load
from lunar_haze.core.document.model import PlaceRef
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.protocol import Want
from lunar_haze.service.worker import Worker
from page import tell


def scripts(count: int) -> list[tuple[str, str, str]]:
    """z-scores over ``count`` scripts of thirty events."""
    folder = Path(tempfile.mkdtemp())
    path = interrupted.write_yard(folder / "yard.obj")
    spec = place_spec(PlaceRef(str(path)))
    place = PackedPlace(load_place(path))
    reference = interrupted.undisturbed(place)
    place.close()
    tiles, layers = [], []
    for seed in range(count):
        bench = interrupted.Bench(spec, folder / f"cache{seed}")
        tile, whole = interrupted.worst(interrupted.play(bench, seed), reference, bench)
        bench.kill()
        tiles.append(tile)
        layers.append(whole)
        if seed % 25 == 24:
            print(f"  {seed + 1} scripts: worst tile {max(tiles):.2f}, worst layer {max(layers):.2f}", flush=True)
    return [
        (f"{count} scripts of 30 events at 96x54: worst z of a tile", f"{max(tiles):.2f}", "below 5.5"),
        (f"{count} scripts of 30 events at 96x54: worst z of a layer", f"{max(layers):.2f}", "below 5"),
    ]


def forty_edits() -> list[tuple[str, str, str]]:
    """The untouched moon of *moonlit mist* while one lamp is moved forty times, 0.2 s apart, at 960x540."""
    document, _ = load(ROOT / "demo" / "gannet-reach.haze")
    spec, shot = place_spec(document.place), document.shot_named("Landing")
    look = document.look_named("moonlit mist")
    moon = next(s for s in look.sources if s.name == "moon")
    levels = {}
    for edits in (0, 40):
        worker = Worker(interrupted.Ear(), LayerCache(Path(tempfile.mkdtemp())))
        for number in range(edits + 1):
            at = (-22.0 + 0.05 * number, 1.0, 2.0) if number < edits else (-20.0, 1.0, 2.0)
            lamp = Source("moved", "moved", Ball(at, 0.1), 400.0, "lm")
            changed = attrs.evolve(look, sources=(moon, lamp))
            worker.turn(Want(frame_request(number, spec, shot, changed, (960, 540), 8, denoise=False)))
            until = time.monotonic() + 0.2
            while not worker.idle and (number == edits or time.monotonic() < until):
                worker.turn(None)
        job = worker._job
        image = job.frame.image(job.keys[0])
        levels[edits] = [np.float64(p).mean() for p in (image.surface, image.air)]
    off = max(abs(b / a - 1) for a, b in zip(levels[0], levels[40]))
    return [("forty edits of one lamp at 960x540: the moon's layer is off by", f"{off:.2%}", "below 1 %")]


if __name__ == "__main__":
    rows = [*forty_edits(), *scripts(int(sys.argv[1]) if len(sys.argv) > 1 else 500)]
    tell("Interruptions", "Made by `.venv/bin/python bench/interruptions.py`.", rows)
