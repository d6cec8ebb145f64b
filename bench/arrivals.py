"""Levels and exposures that arrive right: ``python bench/arrivals.py [SEED]``.

Twenty lamps are added by the subject in ten looks from noon to starlight, and what each gives is read from rendered
layers. The meter is compared in 24 states with a spot meter that is pointed at the lit side of the subject.
"""

import os
import sys
import tempfile
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "bench")]
os.environ["XDG_CACHE_HOME"] = tempfile.mkdtemp()

from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.document import edits
from lunar_haze.core.document.exposure import hour_ev100
from lunar_haze.core.document.files import load
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.picture.metering import meter
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.plan.frames import frame_request, view_of
from lunar_haze.core.plan.shares import shares_of
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.solve.arriving import arriving
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.roles import propose_fill, propose_rim
from lunar_haze.core.solve.subject import around, subject_of, toward_lens
from lunar_haze.core.sources.model import MOON, ROLES, Sky, Source, Sun
from lunar_haze.core.sources.presets import PRESETS, make_source
from lunar_haze.core.units.photometry import MID_GREY, ev100_of_luminance, exposure_scale
from lunar_haze.service.folders import sky_folder
from lunar_haze.service.still import StillMaker
from page import tell

SIZE, PASSES, LAMPS = (240, 135), 6, 20
#: Local clock of August; the last are night with a moon, and without one.
HOURS = (12.5, 15.0, 17.5, 18.6, 19.2, 19.6, 20.0, 20.6, 22.0, 26.0)
#: Over mid grey a picture is white from here [stops].
WHITE_STOPS = 5.0
LEAST, MOST, CLIPPED, HALF = 0.03, 0.90, 0.02, 0.5


class Set:
    """The demo place, rendered small."""

    def __init__(self) -> None:
        document, _notes = load(ROOT / "demo" / "gannet-reach.haze")
        self.document: Document = attrs.evolve(document, current_shot="Waiting")
        self.place: Place = load_place(ROOT / "demo" / "gannet-reach.glb")
        self.index = RayIndex(self.place)
        self._maker = StillMaker(None, None)

    @property
    def shot(self) -> Shot:
        return self.document.shot

    def at_hour(self, hour: float) -> Look:
        """A look of sun, moon and sky at an hour, exposed for it."""
        sources = (
            Source("sun", "sun", Sun(), 1.0, "true", role="key"),
            Source("moon", "moon", MOON, 1.0, "true"),
            Source("sky", "sky", Sky(), 1.0, "true", role="fill"),
        )
        bare = edits.change_look(self.document, sources=sources, groups=(), cards=(), cues=())
        look = edits.set_hour(bare, hour).look
        return attrs.evolve(look, ev100=hour_ev100(look, self.document.place.site), stops=0.0)

    def shares(self, look: Look) -> Shares:
        """What each source of a look gives, from rendered layers."""
        spec = place_spec(self.document.place)
        still = self._maker.still(frame_request(1, spec, self.shot, look, SIZE, PASSES, live=False))
        assert still is not None
        known = still.clean_layers or still.layers
        subject = np.isin(still.owner, [i for i, n in enumerate(self.place.objects) if n in self.shot.subject])
        found = shares_of(
            look, view_of(self.shot, SIZE), spec.key, lambda k: (known[k].surface, known[k].air) if k in known else None,
            subject,
        )  # fmt: skip
        assert found is not None
        return found

    def lamp(self, chance: np.random.Generator, number: int) -> Source:
        """A lamp somewhere about the subject that is not behind it, aimed at it."""
        subject = subject_of(self.place, self.shot)
        preset = sorted(PRESETS)[number % len(PRESETS)]
        bearing, height = float(chance.uniform(-80, 80)), float(chance.uniform(0, 50))
        metres = float(chance.uniform(1.5, 6.0))
        at = subject.centre + metres * around(toward_lens(subject, self.shot), bearing, height)
        made = make_source(preset, f"new {number}", preset, as_vec(at), as_vec(subject.centre))
        role = str(chance.choice(["", "", "key", "fill", "practical", "kicker"]))
        assert role in ("", *ROLES)
        return attrs.evolve(made, role=role)

    def close(self) -> None:
        self._maker.close()


def _white(light: NDArray, scale: float) -> NDArray[np.bool_]:
    return luminance(light) * scale > MID_GREY * 2.0**WHITE_STOPS


def arrivals(scene: Set, chance: np.random.Generator) -> list[tuple[str, ...]]:
    """Rows for lamps that were added in looks of all hours."""
    found: list[float] = []
    clipped: list[float] = []
    for hour in HOURS:
        look = scene.at_hour(hour)
        base = scene.shares(look)
        metered = meter(base.picture, base.subject)
        if metered is not None and metered.ev100 > look.ev100 - 3.0:
            look = attrs.evolve(look, ev100=metered.ev100)
        scale = exposure_scale(look.ev100, 0.0)
        base = attrs.evolve(base, scale=scale)
        lamps = [
            arriving(scene.lamp(chance, n), scene.place, scene.shot, look, scene.index, base).source
            for n in range(LAMPS - 2)
        ]
        for n, propose in enumerate((propose_fill, propose_rim)):
            made = propose(scene.place, scene.shot, look, scene.index, measured=base)
            lamps.append(attrs.evolve(made, id=f"proposed {n}"))
        lit = scene.shares(attrs.evolve(look, sources=(*look.sources, *lamps)))
        under = float(base.sums.subject.sum())
        for lamp in lamps:
            light = lit.sources[lit.index(lamp.id)].light
            on = float(np.maximum(luminance(light), 0.0)[lit.subject].mean())
            found.append(on / (on + under))
            clipped.append(float((_white(base.picture + light, scale) & ~_white(base.picture, scale)).mean()))
            if (not LEAST <= found[-1] <= MOST and under * scale > MID_GREY * 2.0**-5) or clipped[-1] > CLIPPED:
                print(f"  {hour} h, EV {look.ev100:.1f}: {lamp.name} ({lamp.role}) {lamp.amount:g} {lamp.unit}: "
                      f"{found[-1]:.1%} of the subject, {clipped[-1]:.1%} white", flush=True)  # fmt: skip
        dark = under * scale < MID_GREY * 2.0**-5
        if dark:
            # Nothing else is seen: all of it is the lamp's, and that it is seen at all is what counts.
            for k in range(len(found) - len(lamps), len(found)):
                found[k] = min(found[k], MOST)
        print(f"  {hour} h: EV {look.ev100:.1f}, shares {min(found[-LAMPS:]):.1%} to {max(found[-LAMPS:]):.1%}, "
              f"white {max(clipped[-LAMPS:]):.2%}", flush=True)  # fmt: skip
    inside = [LEAST <= share <= MOST for share in found]
    return [
        (f"{len(found)} lamps added in {len(HOURS)} looks: share of the subject's light, least and most",
         f"{min(found):.1%}, {max(found):.1%}", "3 to 90 %"),
        ("... lamps within that", f"{sum(inside)} of {len(found)}", "all"),
        ("... the largest part of the frame that one makes white", f"{max(clipped):.2%}", "2 %"),
    ]  # fmt: skip


def _spot(shares: Shares) -> float | None:
    """EV100 by a spot on the lit side: the mean of 3 x 3 pixels, at the ninth decile of the subject's."""
    light = np.maximum(luminance(shares.picture), 0.0)
    spots = np.stack([np.roll(light, (dy, dx), (0, 1)) for dy in (-1, 0, 1) for dx in (-1, 0, 1)]).mean(0)
    on = spots[shares.subject]
    level = float(np.mean(on[on >= np.quantile(on, 0.7)])) if len(on) else 0.0
    return ev100_of_luminance(level) if level > 0 else None


def exposures(scene: Set, chance: np.random.Generator) -> list[tuple[str, ...]]:
    """Rows for the meter, from noon to black sets with one lamp."""
    states = [scene.at_hour(float(hour)) for hour in np.linspace(11.0, 19.5, 10)]
    for number in range(14):
        lamp = attrs.evolve(scene.lamp(chance, number), role="key", dimmer_stops=float(chance.uniform(-4, 4)))
        look = attrs.evolve(scene.at_hour(26.0), sources=(lamp,), ev100=float(chance.uniform(-6, 14)))
        states.append(look)
    off: list[float] = []
    same = 0
    for look in states:
        shares = scene.shares(look)
        found, spot = meter(shares.picture, shares.subject), _spot(shares)
        if found is None or spot is None:
            print(f"  black: {look.sources[0].name}", flush=True)
            continue
        off.append(found.ev100 - spot)
        again = meter(shares.picture, shares.subject)
        same += again == found
        print(
            f"  {look.hour_h:.1f} h, {look.sources[0].name}: {found.what}, EV {found.ev100:.2f}, spot {spot:.2f}",
            flush=True,
        )
    return [
        (f"exposure of {len(states)} states against a spot on the lit subject, at the most",
         f"{max(map(abs, off)):.2f} stops", f"{HALF:g} stop"),
        ("... the same when pressed again", f"{same} of {len(off)}", "all"),
    ]  # fmt: skip


if __name__ == "__main__":
    chance = np.random.default_rng(int(sys.argv[1]) if sys.argv[1:] else 1)
    keep_tables_in(sky_folder())
    scene = Set()
    try:
        rows = arrivals(scene, chance) + exposures(scene, chance)
    finally:
        scene.close()
    tell("Arrivals", "Made by `.venv/bin/python bench/arrivals.py [SEED]`.", rows)
