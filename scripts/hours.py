"""Makes docs/screenshots/hours.png, *Landing* at twelve hours of its day: ``python scripts/hours.py [OUT.png]``."""

import sys
from pathlib import Path

import attrs
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.picture.display import DisplayTable, bake
from lunar_haze.core.picture.metering import meter
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.service.folders import cache_folder, sky_folder
from lunar_haze.service.still import compute

ROOT = Path(__file__).resolve().parents[1]
#: hour -> stops that the picture is kept under its meter, so that dusk looks like dusk and night like night
HOURS = {4.2: -1.6, 4.8: -0.9, 5.3: -0.4, 7.0: 0.0, 10.0: 0.2, 13.0: 0.2, 16.5: 0.1, 18.3: -0.2, 19.0: -0.6,
         19.45: -1.0, 19.85: -1.6, 21.5: -2.6}  # fmt: skip
SIZE, COLUMNS, PASSES = (400, 225), 3, 24


def main() -> None:
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs" / "screenshots" / "hours.png"
    keep_tables_in(sky_folder())
    document, _ = load(ROOT / "demo" / "gannet-reach.haze")
    document = attrs.evolve(document, current_look="golden hour")
    document = edits.change_look(document, medium=Medium(visibility_m=6000.0, fall_off_m=14.0, anisotropy=0.6))
    table = DisplayTable(bake(cache_folder()))
    font = ImageFont.truetype(str(ROOT / "src/lunar_haze/resources/fonts/Karla-Regular.otf"), 15)
    rows = -(-len(HOURS) // COLUMNS)
    sheet = Image.new("RGB", (COLUMNS * SIZE[0], rows * SIZE[1]))
    for number, (hour, stops) in enumerate(HOURS.items()):
        look = edits.set_hour(document, hour).look
        lamps = -6.5 if hour > 20.5 else -3.0 if hour < 4.9 or hour > 19.3 else 0.0
        sources = tuple(
            attrs.evolve(s, dimmer_stops=lamps, muted=s.muted or lamps == 0.0) if s.role == "practical" else s
            for s in look.sources
        )
        look = attrs.evolve(look, sources=sources)
        spec, shot = place_spec(document.place), document.shot_named("Landing")
        request = frame_request(1, spec, shot, look, SIZE, PASSES, live=False)
        still = compute(request, lambda *told: None)
        picture = still.clean if still.clean is not None else still.beauty
        found = meter(picture)
        ev100 = found.ev100 if found else 0.0
        pixels = table.show(np.ascontiguousarray(picture, np.float32), exposure_scale(ev100, stops))[..., 2::-1]
        tile = Image.fromarray(np.ascontiguousarray(pixels))
        clock = f"{int(hour):02d}:{round(hour % 1 * 60):02d}"
        ImageDraw.Draw(tile).text((8, 4), clock, "#f4f2ec", font, stroke_width=1, stroke_fill="#101010")
        sheet.paste(tile, (number % COLUMNS * SIZE[0], number // COLUMNS * SIZE[1]))
        print(f"{hour:.2f} h: EV100 {ev100:.1f} {stops:+.1f}", flush=True)
    sheet.save(out)


if __name__ == "__main__":
    main()
