"""Exposure as a camera has it: f-stop, shutter time and ISO as one triple that moves EV100.

``EV100 = log2(N^2 / t) - log2(ISO / 100)`` (ISO 2720:1974). The look keeps EV100, f-stop and ISO; the shutter time is
what follows from them, so that nothing but a hand ever changes the exposure.
"""

import math
from typing import Any

import attrs

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document, Look
from lunar_haze.core.place.camera import LEAST_F_NUMBER
from lunar_haze.core.sky.ephemeris import Site
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.model import MOON, Sky, Source, Sun
from lunar_haze.core.units.photometry import MID_GREY, ev100_of_luminance
from lunar_haze.core.units.row import Row, row, under

#: A street at night under its lamps, whose ground has about 1 cd/m2.
NIGHT_EV100 = 3.0
#: The two numbers that a look keeps beside its EV100.
EXPOSED_ROWS = (
    row("f-stop", "f-stop", "f_stop", "", 1.0, 22.0, 2.8, ratio=True, floor=0.5, ceiling=128.0,
        tip="opens or closes the aperture: the picture gets brighter or darker, and the blur of what is out of focus "
            "goes along unless the lens is a pinhole"),
    row("ISO", "ISO", "iso", "", 50.0, 25_600.0, 800.0, ratio=True, floor=1.0, ceiling=1e7,
        tip="how much the sensor makes of the light: double it and the picture is one stop brighter"),
)  # fmt: skip


def f_stop(document: Document) -> float:
    """The f-stop that exposes: the lens's, or that of the look where the lens is a pinhole."""
    lens = document.shot.seen_from.f_number
    return max(lens, LEAST_F_NUMBER) if lens > 0 else document.look.f_stop


def shutter_s(document: Document) -> float:
    """The shutter time [s] that f-stop, ISO and EV100 leave."""
    return float(f_stop(document) ** 2 * 2.0**-document.look.ev100 / (document.look.iso / 100.0))


def _moved(look: Look, stops_brighter: float, **changes: Any) -> Look:
    return attrs.evolve(look, ev100=look.ev100 - stops_brighter, **changes)


def _with_f_stop(document: Document, value: float) -> Document:
    brighter = 2.0 * math.log2(f_stop(document) / value)
    changed = edits.with_look(document, _moved(document.look, brighter, f_stop=value))
    camera = document.shot.seen_from
    return edits.change_camera(changed, attrs.evolve(camera, f_number=value)) if camera.f_number > 0 else changed


def _with_iso(document: Document, value: float) -> Document:
    return edits.with_look(document, _moved(document.look, math.log2(value / document.look.iso), iso=value))


def _with_shutter(document: Document, value: float) -> Document:
    return edits.with_look(document, _moved(document.look, math.log2(value / shutter_s(document))))


#: The triple as rows of a document.
TRIPLE_ROWS = under(
    "exposure as a camera",
    attrs.evolve(EXPOSED_ROWS[0], read=f_stop, write=_with_f_stop),
    Row(
        "shutter", "shutter time", "s", 1 / 2000, 8.0, 1 / 50, shutter_s, _with_shutter, floor=1e-6, ceiling=1e5,
        ratio=True, tip="how long the sensor is lit: type 1/50 s; twice as long is one stop brighter",
    ),
    attrs.evolve(EXPOSED_ROWS[1], read=lambda d: d.look.iso, write=_with_iso),
)  # fmt: skip


def hour_ev100(look: Look, site: Site) -> float:
    """EV100 at which ground of mid grey under the natural light of a look's hour and weather lies on mid grey.

    Not under `NIGHT_EV100`: a night is lit by lamps, and exposed for them.
    """
    level = 0.0
    for body in (Sun(), MOON, Sky()):
        shape = edits.under_heavens(Source("", "", body, 1.0, "true"), look, site).shape
        light = canonical(shape, 1.0, "true", look.weather.atmosphere)
        if isinstance(shape, Sun):
            light *= max(math.sin(math.radians(shape.altitude_deg)), 0.0)
        level += light
    luminance = MID_GREY * level / math.pi
    return max(round(ev100_of_luminance(luminance), 1), NIGHT_EV100)


def placed_at(document: Document, luminance_cd_m2: float, stops: float) -> Document:
    """The document exposed so that a luminance [cd/m2] lies so many stops over mid grey; black changes nothing."""
    if not luminance_cd_m2 > 0:
        return document
    look = document.look
    ev100 = ev100_of_luminance(luminance_cd_m2) + look.stops - stops
    return edits.with_look(document, attrs.evolve(look, ev100=round(ev100, 4)))
