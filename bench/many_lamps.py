"""What many lamps cost: the time to equal noise of the mixed picture, from one lamp to 64."""

import time

import attrs
import numpy as np

from lunar_haze.core.document.model import Document
from lunar_haze.core.layers.model import LayerGain, LayerSpec, View
from lunar_haze.core.sources.model import Ball
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.service.urgency import standings

COUNTS = (1, 4, 16, 64)
SIZE = (320, 180)
PASSES = 12


def _cost(place: PackedPlace, document: Document, count: int) -> tuple[float, float]:
    """(seconds a pass, variance of a pass's mix over its squared mean) of lamps along the jetty in mist."""
    shot = document.shot_named("Landing")
    mist = document.look_named("moonlit mist").medium
    view = View(shot.camera, *SIZE)
    frame = Frame(place, view)
    # The same stretch whatever their number, so that each picture is lit alike.
    lamps = [Ball((-22.0 + 20.0 * (i + 0.5) / count, 1.2 if i % 2 else -1.2, 2.8), 0.1) for i in range(count)]
    keys = frame.want([LayerSpec("bench", view, lamp, mist, 2) for lamp in lamps])
    gains = tuple(LayerGain(k, (1 / count,) * 3, (1 / count,) * 3) for k in keys)
    for _ in range(2):
        frame.trace(keys)
    emphasis = {k: s.emphasis for k, s in standings(frame, gains).items()}

    def mixed() -> np.ndarray:
        total = np.zeros((SIZE[1], SIZE[0]), np.float64)
        for key in keys:
            image = frame.image(key)
            total += (image.surface + image.air)[..., 1] / count * image.passes
        return total

    before, passes = mixed(), []
    started = time.perf_counter()
    taken = 0.0
    for _ in range(PASSES):
        started = time.perf_counter()
        frame.trace(keys, emphasis=emphasis)
        taken += time.perf_counter() - started
        now = mixed()
        passes.append(now - before)
        before = now
    stack = np.stack(passes)
    mean = stack.mean(0)
    # The rare brightest pixels would decide alone: each counts for ten at the most.
    noise = np.minimum(stack.var(0, ddof=1) / np.maximum(mean, 0.02 * mean.mean()) ** 2, 10.0).mean()
    return taken / PASSES, float(noise)


def many_lamps(place: PackedPlace, document: Document) -> list[tuple[str, str, str]]:
    """Rows of the table: each number of lamps, and what 64 cost over one."""
    costs = {count: _cost(place, document, count) for count in COUNTS}
    one = costs[1][0] * costs[1][1]
    rows = [
        (
            f"{count} lamps in mist, {SIZE[0]}x{SIZE[1]}: a pass; noise; time to equal noise over one lamp's",
            f"{seconds:.2f} s; {noise:.2f}; {seconds * noise / one:.1f}",
            "at most 8" if count == COUNTS[-1] else "",
        )
        for count, (seconds, noise) in costs.items()
    ]
    return rows


if __name__ == "__main__":
    from pathlib import Path

    from lunar_haze.core.document.files import load
    from lunar_haze.core.place.load import load_place

    found, _notes = load(Path(__file__).parents[1] / "demo" / "gannet-reach.haze")
    for row in many_lamps(PackedPlace(load_place(Path(found.place.path))), attrs.evolve(found)):
        print(row)
