"""How clean a moved dimmer is: what is shown at once against a long render. ``python bench/rebalance.py``.

Four looks at 480x270 after 1 and 4 passes; the strongest source three stops down, up, alone, and from black. The rows
give the root of the mean square of what differs from a picture of many passes, in code values of 255: of the layers as
they are summed, of their change laid on the denoised picture, of what is shown (`core/picture/rebalance`), and of a
fresh denoising. With arguments it prints and writes nothing.
"""

import sys
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.page import tell

from lunar_haze.core.document.files import load
from lunar_haze.core.layers.model import LayerGain, View
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.rebalance import Rebalance
from lunar_haze.core.picture.views import direct
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import air_before, gains, layers_of
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.transport.denoise import denoise
from lunar_haze.core.transport.frame import Frame
from lunar_haze.core.transport.scene import PackedPlace
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.service.folders import sky_folder

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"
TEXT = (
    "`python bench/rebalance.py`: what is shown at once when a dimmer moves, against a render of many passes: root of the "
    "mean square of what differs, in code values of 255, over four looks at 480x270."
)
LOOKS = (("golden hour", "Landing"), ("moonlit mist", "Landing"), ("lamplit wait", "Waiting"), ("loft shafts", "Loft"))
SIZE, LONG = (480, 270), 96


def mixed(images, told):
    total = np.zeros((SIZE[1], SIZE[0], 3), np.float32)
    for gain in told:
        if gain.key in images:
            total += images[gain.key][0] * np.float32(gain.surface) + images[gain.key][1] * np.float32(gain.air)
    return total


def times(told, factor):
    return tuple(
        LayerGain(g.key, tuple(c * factor(g.key) for c in g.surface), tuple(c * factor(g.key) for c in g.air))
        for g in told
    )


def main() -> None:
    keep_tables_in(sky_folder())
    document = load(DEMO)[0]
    place = PackedPlace(load_place(Path(document.place.path)))
    passes_of = (1, 4)
    found: dict[tuple[str, int, str], list[float]] = {}
    took: list[float] = []
    for name, shot_name in LOOKS:
        look = document.look_named(name)
        shot = next((s for s in document.shots if s.name == shot_name), document.shots[0])
        view = View(shot.seen_from, *SIZE)
        medium = air_before(look.medium, view)
        specs = list(dict.fromkeys(s for one in look.balanced() for s in layers_of(one, look, view, "bench")))
        told = gains(look, view, "bench")

        def traced(passes: int) -> tuple[dict, Frame]:
            frame = Frame(place, view)
            frame.add_guides(4)
            keys = frame.want(specs)
            for _ in range(passes):
                frame.trace(keys)
            return {key: (frame.image(key).surface, frame.image(key).air) for key in keys}, frame

        truth, frame_of_truth = traced(LONG)
        guides = frame_of_truth.guide_images(medium)
        scale = exposure_scale(look.ev100, look.stops)
        strongest = max((g for g in told if g.key in truth), key=lambda g: float(mixed(truth, (g,)).mean())).key
        cases = {
            "-3 stops": (told, times(told, lambda k: 0.125 if k == strongest else 1.0)),
            "+3 stops": (told, times(told, lambda k: 8.0 if k == strongest else 1.0)),
            "alone": (told, times(told, lambda k: 1.0 if k == strongest else 0.0)),
            "from black": (times(told, lambda k: 0.0), told),
        }
        for passes in passes_of:
            images, frame = traced(passes)
            here = frame.guide_images(medium)
            halves = [block_mean(guide, 2) for guide in here]
            small, whole = (
                {
                    key: tuple(
                        denoise(block_mean(part, step), *of) if part.any() else block_mean(part, step) for part in parts
                    )
                    for key, parts in images.items()
                }
                for step, of in ((2, halves), (1, here))
            )
            for case, (before, after) in cases.items():
                true = direct(denoise(mixed(truth, after), *guides, "high") * np.float32(scale))

                def off(picture, true=true, scale=scale) -> float:
                    return float(np.sqrt(np.mean((direct(picture * np.float32(scale)) - true) ** 2)) * 255.0)

                clean = denoise(mixed(images, before), *here)
                shown = np.empty_like(clean)
                began = time.perf_counter()
                # What the picture does not show is denoised at full size by the render process.
                unseen = {gain.key for gain in before if gain.is_silent}
                Rebalance(clean, before, small, {k: v for k, v in whole.items() if k in unseen}).to(after, shown)
                took.append(time.perf_counter() - began)
                laid = clean + mixed(images, after) - mixed(images, before)
                for way, picture in (
                    ("as summed", mixed(images, after)), ("change laid on", np.maximum(laid, 0.0)), ("shown", shown),
                    ("denoised anew", denoise(mixed(images, after), *here)),
                ):  # fmt: skip
                    found.setdefault((case, passes, way), []).append(off(picture))
    rows = []
    ways = ("as summed", "change laid on", "shown", "denoised anew")
    for case, passes in dict.fromkeys((case, passes) for case, passes, _way in found):
        four = [float(np.mean(found[case, passes, way])) for way in ways]
        rows.append((f"{case}, {passes} passes", *(f"{v:.1f}" for v in four), f"{four[2] / four[3]:.2f}"))
    rows.append((f"to be shown at {SIZE[0]}x{SIZE[1]} [ms]", "", "", f"{1000 * float(np.median(took)):.1f}", "", ""))
    tell("A moved dimmer", TEXT, rows, ("what", *ways, "shown / anew"))


if __name__ == "__main__":
    main()
