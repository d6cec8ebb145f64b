"""Readings of a look without a window: rendered small, as lines or as JSON."""

from pathlib import Path
from typing import Any

import numpy as np

from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import ServiceError
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.picture.views import direct
from lunar_haze.core.place.load import load_place
from lunar_haze.core.plan.frames import frame_request, view_of
from lunar_haze.core.plan.shares import shares_of, subject_in
from lunar_haze.core.readings.look_reading import Readings, read
from lunar_haze.core.readings.shares import WIDTH
from lunar_haze.core.sky.ephemeris import heavens
from lunar_haze.service.still import compute

#: Under this height of the sun [deg] a look is a night.
NIGHT_DEG = -6.0


def readings_of(document: Document, shot: Shot, look: Look, size: tuple[int, int], passes: int) -> Readings:
    """Render a shot under a look and read it. Raises HazeError."""
    place = place_spec(document.place)
    request = frame_request(1, place, shot, look, size, passes, denoise=False)
    still = compute(request)
    if still is None:
        raise ServiceError("the picture was given up")
    step = max(round(size[0] / WIDTH), 1)
    objects = load_place(Path(document.place.path), document.place.scale, document.place.scene).objects
    subject = subject_in(still.owner, objects, shot.subject, step) if still.owner is not None else None
    small = {k: (block_mean(i.surface, step), block_mean(i.air, step)) for k, i in still.layers.items()}
    shares = shares_of(look, view_of(shot, size), place.key, small.get, subject)
    if shares is None:
        raise ServiceError("no source of this look gives light")
    screen = np.rint(direct(shares.picture * np.float32(shares.scale)) * 255).astype(np.uint8)
    night = heavens(look.date, look.hour_h, document.place.site).sun.altitude_deg < NIGHT_DEG
    return read(shares, screen, shot.latitude, night)


def as_facts(found: Readings) -> dict[str, Any]:
    """Readings as plain values, for JSON."""
    return {
        "levels": {
            "over": round(found.levels.over, 5),
            "under": round(found.levels.under, 5),
            "darkest_stops": round(found.levels.darkest, 3),
            "brightest_stops": round(found.levels.brightest, 3),
        },
        "key_to_fill": _rounded(found.ratios.key_to_fill),
        "rim_to_key": _rounded(found.ratios.rim_to_key),
        "subject_over_rest_stops": _rounded(found.ratios.subject_stops),
        "warm": _rounded(found.ratios.warm),
        "sources": [
            {"name": p.name, "of_subject": round(p.of_subject, 5), "of_frame": round(p.of_frame, 5)}
            for p in found.ratios.parts
        ],
        "outline": None
        if found.outline is None
        else {"stands_out": round(found.outline.stands_out, 4), "words": found.outline.words},
        "palette": {
            "relation": found.palette.relation,
            "colours": [
                {"srgb": [round(c, 4) for c in s.rgb], "area": round(s.area, 4)} for s in found.palette.swatches
            ],
        },
        "causes": [
            {"sentence": c.sentence, "kind": c.kind, "try": c.remedy.words if c.remedy else None} for c in found.causes
        ],
    }


def as_lines(found: Readings) -> list[str]:
    """Readings as a person reads them."""
    ratios, levels = found.ratios, found.levels
    lines = [c.sentence + (f" (try: {c.remedy.words})" if c.remedy else "") for c in found.causes]
    lines = lines or ["nothing stands out as wrong"]
    lines.append(
        f"light from {levels.darkest:+.1f} to {levels.brightest:+.1f} stops about mid grey; {levels.over:.1%} over and "
        f"{levels.under:.1%} under what the camera holds"
    )
    for text, value in (("key to fill", ratios.key_to_fill), ("rim to key", ratios.rim_to_key)):
        lines.append(f"{text} {value:.2f} : 1" if value is not None else f"{text}: there is no {text.split()[-1]}")
    if ratios.subject_stops is not None:
        lines.append(f"subject to background {ratios.subject_stops:+.2f} stops")
    if ratios.warm is not None:
        lines.append(f"warm light {ratios.warm:.0%}")
    if found.outline is not None:
        lines.append(f"the subject's outline {found.outline.words}: {found.outline.stands_out:.0%} of it stands out")
    lines.append(f"colours: {found.palette.relation}")
    width = max(len(p.name) for p in ratios.parts)
    lines += [f"{p.name:{width}}  subject {p.of_subject:6.1%}  frame {p.of_frame:6.1%}" for p in ratios.parts]
    return lines


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 4)
