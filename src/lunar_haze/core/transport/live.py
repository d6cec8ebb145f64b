"""Live answers to an edit of the air: kept looks into the air, and surfaces dimmed by the new mist."""

import time
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.layers.model import LayerGain, LayerSpec, digest
from lunar_haze.core.sources.array import Crowd
from lunar_haze.core.transport.air_grid import LightGrid, look_once, new_grid
from lunar_haze.core.transport.clean_base import stand_on
from lunar_haze.core.transport.frame import Frame, LayerSum, lit_of
from lunar_haze.core.transport.lights import pack_lights
from lunar_haze.core.transport.mirrors import Mirrors, change_mirrored, mirrors_of
from lunar_haze.core.transport.surfaces import FAR
from lunar_haze.core.transport.view_air import ViewAir, ViewPixels


@attrs.define(eq=False)
class _Base:
    """A picture free of grain, the active layers that it is of, and what the live way has for them."""

    frame: Frame
    specs: list[LayerSpec]
    gains: list[LayerGain]
    clean: NDArray[np.float32]
    parts: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    state: list[tuple[int, LayerSpec, int]] | None = None


def _heard(specs: list[LayerSpec], gains: list[LayerGain]) -> list[tuple[LayerSpec, LayerGain]]:
    return [(s, g) for s, g in zip(specs, gains) if not g.is_silent]


def _bare(specs: list[LayerSpec]) -> set[LayerSpec]:
    """Layers but for their medium."""
    return {attrs.evolve(s, medium=Medium()) for s in specs}


class LiveAir:
    """Grids of what the air sees, by source and view, within a limit of memory."""

    def __init__(self, memory_bytes: int = 1 << 30) -> None:
        self._grids: dict[str, LightGrid] = {}
        self._reach: dict[str, float] = {}
        self._pixels: tuple[Frame, ViewPixels] | None = None
        self._mirrors: tuple[Frame, Mirrors] | None = None
        self._limit = memory_bytes
        self._base: _Base | None = None
        self._rooms: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
        #: Whether the last mixed answer was free of grain, as the picture that it stood on.
        self.stands_on_clean = False

    def clear(self) -> None:
        """Forget everything (another place)."""
        self._grids.clear()
        self._reach.clear()
        self._pixels = None
        self._mirrors = None
        self._base = None

    def _pixels_of(self, frame: Frame) -> ViewPixels:
        if self._pixels is None or self._pixels[0] is not frame:
            view, depth = frame.view, frame.guides.depth
            # Grids are shared by all sizes of a view, and so is how far their slices go: to the
            # farthest surface seen, within what air can matter for.
            name = digest((view.camera, view.width / view.height))
            if name not in self._reach:
                finite = depth[depth < FAR]
                far = float(np.quantile(finite, 0.995)) * 1.05 if finite.size else 200.0
                self._reach[name] = min(max(far, 4.0), 600.0)
            self._pixels = frame, ViewPixels(frame.camera, self._reach[name], depth)
        return self._pixels[1]

    def _mirrors_of(self, frame: Frame) -> Mirrors:
        if self._mirrors is None or self._mirrors[0] is not frame:
            self._mirrors = frame, mirrors_of(frame)
        return self._mirrors[1]

    def gather(
        self,
        frame: Frame,
        specs: list[LayerSpec],
        passes: int,
        budget_s: float,
        stop: Callable[[], bool] = lambda: False,
    ) -> None:
        """Add looks to the grids of ``specs`` that have fewer than ``passes``, for a while or until ``stop``."""
        until = time.perf_counter() + budget_s
        pixels = self._pixels_of(frame)
        lights = None
        # The least known first: an answer needs every source.
        keys = [spec.grid_key() for spec in specs]
        known = [self._grids[k].passes if k in self._grids else 0 for k in keys]
        for number in sorted(range(len(specs)), key=known.__getitem__):
            key = keys[number]
            if isinstance(specs[number].shape, Crowd):
                continue  # too many lamps to look at one by one
            grid = self._grids.get(key)
            if grid is not None and grid.passes >= passes:
                continue
            if lights is None:
                lights = pack_lights([lit_of(s) for s in specs], frame.place.place, frame.place.order, problems={})
            if grid is None:
                grid = self._grids[key] = new_grid(frame.arrays, lights, number)
                self._make_room(set(keys))
            look_once(grid, frame.arrays, frame.camera, float(pixels.reach), frame.guides.depth)
            if time.perf_counter() > until or stop():
                return

    def keep_within(self, memory_bytes: int) -> None:
        """Take no more than so many bytes from now on."""
        self._limit = memory_bytes
        self._make_room(set())

    def _make_room(self, keep: set[str]) -> None:
        while sum(g.memory_bytes for g in self._grids.values()) > self._limit:
            idle = next((k for k in self._grids if k not in keep), None)
            if idle is None:
                return
            del self._grids[idle]

    def answer(
        self, frame: Frame, missing: dict[str, LayerSpec], into: Callable[[str], tuple[NDArray, NDArray]]
    ) -> bool:
        """Stand-ins for layers of an edited medium; False, with nothing written, unless all can be answered.

        ``into`` gives the surface and air pictures (H, W, 3) float32 to write for a key.
        """
        specs = list(missing.values())
        known = self._known(frame, specs)
        if known is None:
            return False
        airs = {medium: ViewAir(self._pixels_of(frame), medium) for medium in {spec.medium for spec in specs}}
        for key, spec, (grid, base) in zip(missing, specs, known):
            surface, air = into(key)
            air[...] = 0
            airs[spec.medium].add_airlight(grid, frame.arrays, air.reshape(-1, 3))
            surface[...] = 0
            airs[spec.medium].dim(
                [grid],
                base.spec.medium,
                frame.surface_pool,
                np.array([base.slot]),
                np.full((1, 3), 1.0 / base.passes, np.float32),
                surface.reshape(-1, 3),
            )
        return True

    def remember(
        self, frame: Frame, specs: list[LayerSpec], gains: list[LayerGain], clean: NDArray[np.float32]
    ) -> None:
        """Let later answers stand on a picture of these layers that is free of grain (H, W, 3)."""
        active = _heard(specs, gains)
        if active:
            self._base = _Base(frame, [s for s, _g in active], [g for _s, g in active], clean.copy())

    def get_ready(self) -> None:
        """Work out ahead what the first answer to an edit would have to."""
        if self._base is not None:
            self._parts_of(self._base)

    def _parts_of(self, base: "_Base") -> tuple[NDArray, NDArray] | None:
        """Surfaces and air as the live way has them for a remembered picture."""
        known = self._known(base.frame, base.specs)
        if not known:
            return None
        # Made of the same sums as the answers, or the grain of the two would not be the same.
        state = [(grid.passes, layer.spec, layer.passes) for grid, layer in known]
        if base.parts is None or base.state != state:
            base.state, base.parts = state, (np.zeros_like(base.clean), np.zeros_like(base.clean))
            self._add_parts(base.frame, base.specs, base.gains, *base.parts)
        return base.parts

    def mixed_answer(self, frame: Frame, wanted: list[LayerSpec], gains: list[LayerGain], out: NDArray) -> bool:
        """The whole picture in an edited medium under ``gains``; False, with nothing written, when it cannot be told.

        Quicker than `answer`, since light is gathered before it is spread over pixels. What it does
        not follow, such as light from surfaces in the air, is as in the picture remembered last, and
        so is the grain: live answers say what has changed since then. ``out`` (H, W, 3).
        """
        active = _heard(wanted, gains)
        if self._rooms is None or self._rooms[0].shape != out.shape:
            self._rooms = np.empty(out.shape, np.float32), np.empty(out.shape, np.float32)
        surface, air = self._rooms
        surface[...], air[...] = 0, 0
        if not self._add_parts(frame, [s for s, _g in active], [g for _s, g in active], surface, air):
            return False
        base = self._base
        kin = base is not None and base.frame is frame and _bare(base.specs) == _bare([s for s, _g in active])
        before = self._parts_of(base) if base is not None and kin else None
        if base is None or before is None:
            np.add(surface, air, out=out)
        else:
            old_surface, old_air, new_surface, new_air = (part.ravel() for part in (*before, surface, air))
            stand_on(base.clean.ravel(), old_surface, old_air, new_surface, new_air, out.ravel())
            flat = [part.reshape(-1, 3) for part in (base.clean, before[1], air, out)]
            change_mirrored(self._mirrors_of(frame), *flat)
        self.stands_on_clean = before is not None
        return True

    def _add_parts(
        self, frame: Frame, specs: list[LayerSpec], gains: list[LayerGain], surface: NDArray, air: NDArray
    ) -> bool:
        """Add surfaces and airlight of active layers to two pictures (H, W, 3); False when they cannot be told."""
        known = self._known(frame, specs)
        if not known:
            return False
        grids, bases = zip(*known)
        view = ViewAir(self._pixels_of(frame), specs[0].medium)
        view.add_mixed(list(grids), np.array([g.air for g in gains], np.float32), frame.arrays, air.reshape(-1, 3))
        # Surfaces of one old medium at a time: what changed is the same for all of them.
        for medium in {base.spec.medium for base in bases}:
            mine = [n for n, base in enumerate(bases) if base.spec.medium == medium]
            view.dim(
                [grids[n] for n in mine],
                medium,
                frame.surface_pool,
                np.array([bases[n].slot for n in mine]),
                np.array([np.divide(gains[n].surface, bases[n].passes) for n in mine]),
                surface.reshape(-1, 3),
            )
        return True

    def lacks_looks(self, frame: Frame, specs: list[LayerSpec]) -> bool:
        """Whether nothing but looks is missing for `answer`."""
        unseen = [spec for spec in specs if spec.grid_key() not in self._grids]
        return bool(unseen) and all(self._refined(frame, spec) for spec in specs)

    def _known(self, frame: Frame, specs: list[LayerSpec]) -> list[tuple[LightGrid, LayerSum]] | None:
        """Looks and a refined layer for each of ``specs``; None unless there are both for all."""
        known = []
        for spec in specs:
            grid, base = self._grids.get(spec.grid_key()), self._refined(frame, spec)
            if grid is None or not grid.passes or base is None:
                return None
            frame.level_out(base)
            known.append((grid, base))
        return known

    @staticmethod
    def _refined(frame: Frame, spec: LayerSpec) -> LayerSum | None:
        """The best refined layer that differs from ``spec`` by its medium alone, the clearest first."""
        found = [s for s in frame.sums.values() if s.passes >= 1 and attrs.evolve(s.spec, medium=spec.medium) == spec]
        return max(found, key=lambda s: (min(s.passes, 8), s.spec.medium.visibility_m), default=None)
