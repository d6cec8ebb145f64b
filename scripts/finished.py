"""Makes docs/screenshots/finished.png: looks before and after their finish, a night by a camera and by the eye, and the
edge of a mask: ``python scripts/finished.py [OUT.png]``.
"""

import sys
import tempfile
from pathlib import Path

import attrs
from PIL import Image, ImageDraw, ImageFont

from lunar_haze.core.document.files import load
from lunar_haze.core.document.model import Document
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.finish.mask_model import Mask, Region
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Aperture, Glow, Halation
from lunar_haze.core.layers.model import FrameRequest
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.folders import sky_folder
from lunar_haze.service.still import Still, StillMaker, hand_over

ROOT = Path(__file__).resolve().parents[1]
SIZE, PASSES = (640, 360), 48
#: What is cut out of the picture of a mask's edge, to be enlarged.
CUT = (420, 62, 580, 152)


def shown(document: Document, request: FrameRequest, still: Still, finish: Finish) -> Image.Image:
    """A still under a finish, as it is handed on."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "still.png"
        hand_over(still, request, path, document.shot, attrs.evolve(document.look, finish=finish), False)
        return Image.open(path).convert("RGB")


def main() -> None:
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "screenshots" / "finished.png"
    keep_tables_in(sky_folder())
    demo, _ = load(ROOT / "demo" / "gannet-reach.haze")
    font = ImageFont.truetype(str(ROOT / "src/lunar_haze/resources/fonts/Karla-Regular.otf"), 15)
    maker, tiles = StillMaker(), []

    def pair(number: int, shot: str, look: str, *finishes: tuple[str, Finish], box: tuple | None = None) -> None:
        document = attrs.evolve(demo, current_shot=shot, current_look=look)
        request = frame_request(
            number, place_spec(document.place), document.shot, document.look, SIZE, PASSES, True, live=False
        )
        still = maker.still(request)
        assert still is not None
        for words, finish in finishes:
            tile = shown(document, request, still, finish)
            if box is not None:
                tile = tile.crop(box).resize(SIZE, Image.Resampling.NEAREST)
            ImageDraw.Draw(tile).text((8, 4), words, "#f4f2ec", font, stroke_width=1, stroke_fill="#101010")
            tiles.append(tile)

    looks = {look.name: look for look in demo.looks}
    pair(1, "Landing", "golden hour", ("golden hour, no finish", Finish()),
         ("its finish", looks["golden hour"].finish))  # fmt: skip
    lamps = attrs.evolve(
        looks["lamplit wait"].finish, star=1.5, ghosts=4.0, halation=Halation(0.12, 1.5), aperture=Aperture(11.0, 6.0)
    )
    pair(2, "Waiting", "lamplit wait", ("lamplit wait, no finish", Finish()),
         ("its finish, with starburst, ghosts and halation", lamps))  # fmt: skip
    pair(3, "Waiting", "moonlit mist", ("moonlit mist, a camera's night", Finish()),
         ("by the eye: colour, acuity and noise", Finish(Glow(0.06), 0.9, acuity=1.0, dark_noise=0.3)))  # fmt: skip
    mask = Mask("hut", "hut", (Region("objects", objects=("ticket hut", "signal mast")),), stops=-2.5)
    pair(4, "Landing", "golden hour", ("hut and mast against the sky, enlarged", Finish()),
         ("two and a half stops down under a mask: no fringe", Finish(masks=(mask,))), box=CUT)  # fmt: skip
    maker.close()
    sheet = Image.new("RGB", (2 * SIZE[0], len(tiles) // 2 * SIZE[1]))
    for number, tile in enumerate(tiles):
        sheet.paste(tile, (number % 2 * SIZE[0], number // 2 * SIZE[1]))
    sheet.save(out, optimize=True)


if __name__ == "__main__":
    main()
