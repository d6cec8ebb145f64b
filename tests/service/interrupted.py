"""Scripts of edits, cancels, size changes and kills for the render process's worker, and what they must end in."""

from pathlib import Path

import attrs
import numpy as np

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerSpec, Part, PlaceSpec, View
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sources.model import Ball, Disc, Sun
from lunar_haze.core.transport.frame import Frame
from lunar_haze.service.layer_cache import LayerCache
from lunar_haze.service.protocol import Balance, Failed, Published, Want
from lunar_haze.service.urgency import standings
from lunar_haze.service.worker import Worker

SIZE, OTHER_SIZES = (96, 54), ((64, 36), (48, 28))
#: Larger than a few bright paths, smaller than what the engine traces at a time.
TILE = 18
LEVELS = {Ball: 60.0, Disc: 40.0, Sun: 1.0}
MIST = Medium(visibility_m=60.0)
CAMERA = Camera((0.0, -9.0, 3.0), (0.0, 0.0, 0.8), 28.0)


def write_yard(path: Path) -> Path:
    """A floor with a wall across it, as a file that the worker opens."""
    lines = []
    for points in ([(-8, -8, 0), (8, -8, 0), (8, 8, 0), (-8, 8, 0)], [(-3, 2, 0), (1, 2, 0), (1, 2, 2), (-3, 2, 2)]):
        lines += [f"v {x} {y} {z}" for x, y, z in points]
    path.write_text("\n".join([*lines, "f 1 2 3 4", "f 5 6 7 8"]) + "\n")
    return path


class Ear:
    """The window's end of a channel: keeps what it is told; what fails is an error unless it ``may_fail``."""

    def __init__(self, may_fail: bool = False) -> None:
        self.heard: list = []
        self._may_fail = may_fail

    def send(self, message, descriptor=-1) -> None:
        assert self._may_fail or not isinstance(message, Failed), message
        self.heard.append(message)


class Bench:
    """A worker under a script; killed, it starts again with nothing but its cache on disk."""

    def __init__(self, place: PlaceSpec, cache: Path) -> None:
        self._place, self._cache, self._number = place, cache, 0
        self.kill()

    def kill(self) -> None:
        self.ear = Ear()
        self.worker = Worker(self.ear, LayerCache(self._cache))

    def request(
        self, shapes: list, medium: Medium, size: tuple[int, int], passes: int, part: Part | None = None
    ) -> FrameRequest:
        self._number += 1
        view = View(CAMERA, *size)
        specs = tuple(LayerSpec(self._place.key, view, shape, medium, 1) for shape in shapes)
        # About as much light from each, so that none is drawn so rarely that chance alone makes spots.
        levels = [LEVELS[type(shape)] for shape in shapes]
        gains = tuple(LayerGain(s.key(), (level,) * 3, (level,) * 3) for s, level in zip(specs, levels))
        return FrameRequest(self._number, self._place, view, medium, 1, specs, gains, passes, denoise=False, part=part)

    def want(self, request: FrameRequest) -> None:
        self.last = request
        self.worker.turn(Want(request))

    def steps(self, count: int) -> None:
        for _ in range(count):
            if self.worker.idle:
                return
            self.worker.turn(None)

    def finish(self) -> dict[str, tuple[np.ndarray, np.ndarray, int]]:
        """Layers as the window would show them at the end, and their passes, by key."""
        while not self.worker.idle:
            self.worker.turn(None)
        published = [e for e in self.ear.heard if isinstance(e, Published)][-1]
        board = self.worker.layout.board
        assert min(at.passes for at in published.layers) > 0
        return {
            at.key: (board.surface[at.slot].copy(), board.air[at.slot].copy(), at.passes) for at in published.layers
        }


def lamps() -> list:
    return [
        Ball((-1.5, 0.5, 2.0), 0.1), Disc((2.0, 1.0, 3.0), (0.0, 0.0, 0.0), 0.3), Sun(30.0, 150.0),
        Ball((0.5, -1.0, 1.2), 0.05),
    ]  # fmt: skip


def play(bench: Bench, seed: int, events: int = 30, passes: int = 12) -> dict[str, tuple[np.ndarray, np.ndarray, int]]:
    """A random script, which ends with the request of an undisturbed run; what that leaves on the board."""
    rng = np.random.default_rng(seed)
    shapes, medium, size = lamps(), MIST, SIZE
    bench.want(bench.request(shapes, medium, size, passes))
    for _ in range(events):
        # Few tiles at a time, so that passes are broken off anywhere, and steps enough to finish some.
        bench.worker._tiles_at_once = int(rng.integers(1, 12))
        bench.steps(int(rng.choice([0, 1, 2, 3, 5, 9, 40])))
        act = rng.choice(
            ["move", "back", "fewer", "size", "air", "balance", "again", "kill", "part"],
            p=[0.25, 0.15, 0.1, 0.1, 0.1, 0.1, 0.05, 0.05, 0.1],
        )
        part = None
        if act == "move":
            x, y = rng.uniform(-2, 2, 2)
            shapes = [*shapes[:3], attrs.evolve(shapes[-1], position=(float(x), float(y), 1.2))]
        elif act == "back":
            shapes, medium, size = lamps(), MIST, SIZE
        elif act == "fewer":
            shapes = [lamps()[i] for i in sorted(rng.choice(4, int(rng.integers(1, 4)), replace=False))]
        elif act == "size":
            size = OTHER_SIZES[int(rng.integers(2))] if rng.random() < 0.5 else SIZE
        elif act == "air":
            medium = Medium(visibility_m=float(rng.choice([20.0, 60.0, 200.0])))
        elif act == "balance":
            factor = float(rng.choice([0.5, 2.0]))
            gains = tuple(attrs.evolve(g, surface=tuple(factor * c for c in g.surface)) for g in bench.last.gains)
            bench.worker.turn(Balance(1, gains, bool(rng.random() < 0.5)))
            continue
        elif act == "kill":
            bench.kill()
        elif act == "part":
            left, top = (float(v) for v in rng.uniform(0, 0.7, 2))
            part = left, top, left + 0.3, top + 0.3
        if not isinstance(shapes[-1], Ball):
            shapes = lamps()
        bench.want(bench.request(shapes, medium, size, passes, part))
    bench.want(bench.request(lamps(), MIST, SIZE, passes))
    return bench.finish()


def tile_means(picture: np.ndarray) -> np.ndarray:
    """Means of a picture (H, W, 3) over square tiles."""
    height, width = picture.shape[0] // TILE, picture.shape[1] // TILE
    cut = picture[: height * TILE, : width * TILE].astype(np.float64)
    return cut.reshape(height, TILE, width, TILE, 3).mean((1, 3, 4))


@attrs.frozen(eq=False)
class Undisturbed:
    """Tile means of a layer's parts, and the spread of a single pass about them."""

    mean: np.ndarray
    sigma: np.ndarray
    passes: int


def undisturbed(place, passes: int = 256) -> dict[int, Undisturbed]:
    """What a run that nothing disturbs gives, by the lamp's number."""
    view = View(CAMERA, *SIZE)
    specs = [LayerSpec("undisturbed", view, shape, MIST, 1) for shape in lamps()]
    frame = Frame(place, view)
    frame.add_guides(1)
    keys = frame.want(specs)
    sums: dict[str, list] = {key: [np.zeros(())] for key in keys}
    gains = tuple(LayerGain(k, (LEVELS[type(s.shape)],) * 3, (LEVELS[type(s.shape)],) * 3) for k, s in zip(keys, specs))
    emphasis = None
    for _ in range(passes):
        frame.trace(keys, emphasis=emphasis)
        emphasis = emphasis or {key: s.emphasis for key, s in standings(frame, gains).items()}
        for key in keys:
            parts = frame.sums_of(frame.sums[key])
            sums[key].append(np.stack([tile_means(part.reshape(SIZE[1], SIZE[0], 3)) for part in parts]))
    found = {}
    for n, key in enumerate(keys):
        each = np.diff(np.stack([np.zeros_like(sums[key][1]), *sums[key][1:]]), axis=0)
        found[n] = Undisturbed(each.mean(0), each.std(0, ddof=1), passes)
    return found


def worst(layers: dict, reference: dict[int, Undisturbed], bench: Bench) -> tuple[float, float]:
    """The largest z-score of a tile, and of a whole layer's light the largest z-score."""
    tile, whole = 0.0, 0.0
    for n, spec in enumerate(bench.last.layers):
        surface, air, passes = layers[spec.key()]
        parts, honest = np.stack([tile_means(surface), tile_means(air)]), reference[n]
        # A tile that a rare bright path may reach has shown less than its spread: a share of the mean is allowed for.
        variance = (honest.sigma**2 + (0.05 * honest.mean) ** 2) * (1 / passes + 1 / honest.passes) + 1e-24
        tile = max(tile, float((np.abs(parts - honest.mean) / np.sqrt(variance)).max()))
        off = np.abs((parts - honest.mean).sum((1, 2))) / np.sqrt(variance.sum((1, 2)))
        whole = max(whole, float(off.max()))
    return tile, whole
