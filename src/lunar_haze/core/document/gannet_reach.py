"""The demo document: nine looks of Gannet Reach."""

from pathlib import Path

import attrs

from lunar_haze.core.air.medium import Bank, Medium, Patches
from lunar_haze.core.document.edits import under_heavens
from lunar_haze.core.document.files import save
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Cdl, Glow, Grade, Grain, Vignette, White
from lunar_haze.core.place.load import load_place
from lunar_haze.core.sky.clear_air import Atmosphere
from lunar_haze.core.sky.model import CLOUDS, ClearSky, Weather
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.model import MOON, Ball, Beam, Rectangle, Sky, Source, Sun, Surface


def _lamps(post: float, mast: float, lantern: float, loft: float) -> tuple[Source, ...]:
    """The practicals of the place at given dimmers in stops; below -20 they are muted."""
    given = (
        ("jetty lamps", "post lamp", 9000.0, post),
        ("mast lamp", "mast lamp", 7000.0, mast),
        ("hand lantern", "lantern flame", 24000.0, lantern),
        ("loft lantern", "loft flame", 24000.0, loft),
    )
    return tuple(
        Source(
            material.replace(" ", "-"), name, Surface(material), amount, "cd/m2", max(stops, -20.0),
            role="practical", muted=stops < -20,
        )
        for name, material, amount, stops in given
    )  # fmt: skip


def _daylight() -> tuple[Source, ...]:
    """Sun and sky as they really are at the look's moment."""
    return (
        Source("sun", "sun", Sun(), 1.0, "true", role="key"),
        Source("sky", "sky", Sky(), 1.0, "true", role="fill"),
    )


def _noon() -> Look:
    return Look(
        "clear noon", 12.6, sources=(*_daylight(), *_lamps(-99, -99, -99, -99)),
        medium=Medium(visibility_m=16000.0, fall_off_m=120.0), ev100=13.4,
        note="high sun, hard edges, everything told",
    )  # fmt: skip


def _broken() -> Look:
    return Look(
        "broken afternoon", 15.4, weather=Weather(clouds=CLOUDS["broken"]),
        sources=(*_daylight(), *_lamps(-99, -99, -99, -99)),
        medium=Medium(visibility_m=14000.0, fall_off_m=120.0), ev100=13.7, note="patches of sun walk over the marsh",
    )  # fmt: skip


def _golden() -> Look:
    sun, sky = _daylight()
    sun = attrs.evolve(sun, shape=Sun(diameter_deg=0.7))
    return Look(
        "golden hour", 18.55, sources=(sun, sky, *_lamps(1.5, 1.5, 1.0, -99)),
        medium=Medium(visibility_m=2400.0, fall_off_m=7.0, anisotropy=0.7, albedo=(0.98, 0.97, 0.95)), ev100=11.7,
        note="the last boat is late; sun low over the reach",
    )  # fmt: skip


def _blue() -> Look:
    return Look(
        "blue hour", 19.72, weather=Weather(clouds=CLOUDS["high thin"]),
        sources=(*_daylight(), *_lamps(-3.0, -2.5, -4.4, -99)),
        medium=Medium(visibility_m=900.0, fall_off_m=6.0, anisotropy=0.6), ev100=2.6,
        note="the sun just gone, lamps against the last light",
    )  # fmt: skip


def _moonlit() -> Look:
    night = ClearSky(-30.0, 290.0, 31.0, 318.0, 12.0, sidereal_deg=330.0,
                     weather=Weather(Atmosphere(visibility_km=18.0)))  # fmt: skip
    return Look(
        "moonlit mist", 23.2,
        sources=(
            Source("moon", "moon", Sun(31.0, 318.0, 0.52, False, "moon", 12.0, 30.0), 0.26, "lx", role="key",
                   gel=(0.70, 0.92, 1.50)),
            Source("sky", "night sky", Sky(night, follows_hour=False), 0.04, "lx", role="fill",
                   gel=(0.52, 0.86, 1.75)),
            *_lamps(-7.2, -7.0, -7.4, -99),
            Source("window", "ticket window", Ball((2.0, 6.4, 2.35), 0.08), 420.0, "lm", -6.6, 2350.0,
                   role="practical"),
            Source("rim", "bank glow", Beam((-40.0, 10.0, 3.0), (-24.4, 0.2, 2.2), 0.25, 34.0, 0.6), 1500.0, "lm",
                   -7.2, 5600.0, role="rim", gel=(0.75, 0.95, 1.25)),
        ),
        medium=Medium(visibility_m=130.0, base_m=0.4, fall_off_m=3.2, anisotropy=0.6, albedo=(0.96, 0.97, 0.98)),
        ev100=-1.3, note="mist on the marsh, three warm lamps, one who waits",
    )  # fmt: skip


def _bank() -> Look:
    sun, sky = _daylight()
    return Look(
        "bank at dawn", 6.35, sources=(sun, sky, *_lamps(-0.5, -0.5, -1.5, -99)),
        medium=Medium(visibility_m=1500.0, fall_off_m=5.0, droplet_um=10.0, albedo=(0.97, 0.97, 0.97),
                      multiple=1.0,
                      banks=(Bank("over the water", "ellipsoid", (-44.0, 34.0, 1.5), (110.0, 42.0, 9.0), 12.0, 22.0,
                                  0.9),
                             Bank("at the jetty", "ellipsoid", (-27.0, 7.0, 0.4), (30.0, 9.0, 2.6), 20.0, 14.0, 0.9)),
                      patches=Patches(0.6, 8.0, 2.5, 0.6, 240.0, 2)),
        ev100=12.2, note="a bank comes in over the water as the sun gets up",
    )  # fmt: skip


def _starry() -> Look:
    sources = (
        Source("moon", "moon", MOON, 1.0, "true", role="key"),
        Source("sky", "sky", Sky(), 1.0, "true", role="fill"),
    )
    return Look(
        "starry night", 23.4, "2024-08-05", Weather(town_cd_m2=0.0009, town_azimuth_deg=285.0, softness_deg=6.0),
        sources=(*sources, *_lamps(-12.0, -13.0, -12.0, -99)),
        medium=Medium(visibility_m=9000.0, fall_off_m=30.0), ev100=-7.2, note="no moon; the town over the water",
    )  # fmt: skip


def _loft() -> Look:
    sources = (
        Source("sun", "sun", Sun(19.0, 262.0, 0.53, follows_hour=False), 66000.0, "lx", kelvin=3900.0, role="key"),
        Source("sky", "sky", Sky(ClearSky(19.0, 262.0), follows_hour=False), 8400.0, "lx", -0.7, role="fill"),
    )
    return Look(
        "loft shafts", 16.75,
        sources=(
            *sources, *_lamps(-99, -99, -99, 1.0),
            Source("bounce", "roof bounce", Rectangle((2.2, 7.0, 5.9), (1.6, 7.0, 3.1), 2.2, 1.4), 900.0, "lm",
                   kelvin=4800.0, role="bounce", air_factor=0.0),
        ),
        medium=Medium(visibility_m=120.0, base_m=0.0, fall_off_m=60.0, top_m=6.4, anisotropy=0.68), ev100=10.9,
        note="dust in the net loft, sun through the slats",
    )  # fmt: skip


def _lamplit() -> Look:
    """Set up from black: warm against cool, a rim, a glow behind, leaves on the planks, life in the eyes."""
    figure = (-24.35, 0.09, 2.03)
    night = ClearSky(-30.0, 290.0, 31.0, 318.0, 12.0, sidereal_deg=330.0,
                     weather=Weather(Atmosphere(visibility_km=18.0)))  # fmt: skip
    leaves = CutOut("leaves", 5.0, 0.5, seed=4)
    return Look(
        "lamplit wait", 23.2,
        sources=(
            Source("sky", "night sky", Sky(night, follows_hour=False), 0.04, "lx", -0.4, role="background",
                   gel=(0.52, 0.86, 1.75)),
            *_lamps(-7.2, -7.0, -7.2, -99),
            Source("oil", "oil lamp, low", Ball((-22.6, -1.7, 1.3), 0.05, aim=figure, reach_m=14.0), 0.45, "lx",
                   kelvin=1950.0, role="key", holds_level=True),
            Source("cool", "cool side", Rectangle((-22.6, 3.9, 3.9), figure, 1.6, 1.2), 0.30, "lx",
                   kelvin=9500.0, role="kicker", holds_level=True, air_factor=0.0),
            Source("rim", "rim", Beam((-25.7, 3.0, 4.5), (-24.35, 0.09, 2.5), 0.06, 34.0, 0.5), 2.4, "lx",
                   kelvin=6200.0, role="rim", holds_level=True, air_factor=0.25),
            Source("glow", "glow behind", Ball((-26.1, 1.33, 1.77), 0.08, aim=figure), 1.2, "lx",
                   kelvin=3000.0, role="background", matte=0.0, highlights=0.0),
            Source("leaves", "leaves on the planks",
                   Beam((-21.4, -0.4, 5.6), (-24.6, 0.3, 0.7), 0.02, 30.0, 0.15, cutout=leaves, gate_m=2.4), 0.9, "lx",
                   kelvin=4300.0, role="background", air_factor=0.4),
            Source("eyes", "eye light", Ball((-22.89, 0.19, 3.58), 0.07, aim=(-24.26, 0.09, 2.78)), 0.12, "lx",
                   kelvin=5000.0, role="kicker", matte=0.1, air_factor=0.0, holds_level=True),
        ),
        cards=(Card("flag", "off the post", (-22.9, 2.6, 3.3), (-22.6, 3.9, 3.9), 0.7, 0.5),),
        medium=Medium(visibility_m=150.0, base_m=0.4, fall_off_m=3.2, anisotropy=0.6, albedo=(0.96, 0.97, 0.98)),
        ev100=-1.1, note="from black: warm against cool, a rim, a glow in the mist, life in the eyes",
    )  # fmt: skip


#: What becomes of the light of a look, by its name: warm and cool drawn apart, some glow, corners that fall off.
FINISHES = {
    "golden hour": Finish(
        glow=Glow(0.08, 1.3),
        grade=Grade(
            exposure=0.1, contrast=1.08, shoulder=0.2, split=0.22, shadows=(0.40, 0.46, 0.62), lights=(0.66, 0.53, 0.40)
        ),
        vignette=Vignette(-0.3),
    ),
    "blue hour": Finish(
        glow=Glow(0.12, 0.9),
        white=White(5600.0),
        grade=Grade(
            exposure=0.1,
            contrast=1.08,
            toe=0.1,
            shoulder=0.15,
            split=0.2,
            shadows=(0.40, 0.46, 0.64),
            lights=(0.62, 0.53, 0.44),
        ),
        vignette=Vignette(-0.3),
    ),
    "moonlit mist": Finish(glow=Glow(0.12, 1.1), night=0.3, grade=Grade(contrast=1.08), vignette=Vignette(-0.45)),
    "lamplit wait": Finish(
        glow=Glow(0.12, 0.8),
        grade=Grade(contrast=1.06, shoulder=0.3, split=0.25, shadows=(0.40, 0.47, 0.60), lights=(0.66, 0.53, 0.38)),
        vignette=Vignette(-0.6),
        grain=Grain(1.6, 2.0),
    ),
    "bank at dawn": Finish(
        glow=Glow(0.10, 2.0),
        grade=Grade(
            exposure=0.15,
            contrast=1.06,
            toe=0.05,
            shoulder=0.12,
            split=0.15,
            shadows=(0.42, 0.48, 0.62),
            lights=(0.60, 0.55, 0.48),
        ),
        cdl=Cdl(saturation=1.06),
        vignette=Vignette(-0.2),
    ),
    "loft shafts": Finish(
        glow=Glow(0.07, 1.2),
        grade=Grade(
            exposure=0.15,
            contrast=1.1,
            shoulder=0.25,
            split=0.15,
            shadows=(0.42, 0.48, 0.60),
            lights=(0.62, 0.54, 0.44),
        ),
        vignette=Vignette(-0.3),
    ),
}


def demo_document(place_path: Path) -> Document:
    """The demo document over a built place."""
    place = load_place(place_path)
    shots = tuple(Shot(c.name, c.camera) for c in place.cameras)
    aims = {"Landing": 21.0, "Waiting": 4.3, "Loft": 5.9}
    shots = tuple(
        attrs.evolve(
            s,
            camera=s.camera.aimed_at(aims[s.name]),
            subject=("waiting figure",) if s.name == "Waiting" else (),
        )
        for s in shots
    )
    reference = PlaceRef(str(place_path.resolve()))
    drafts = (_noon(), _broken(), _bank(), _golden(), _blue(), _moonlit(), _lamplit(), _starry(), _loft())
    looks = tuple(
        attrs.evolve(
            k,
            sources=tuple(under_heavens(s, k, reference.site) for s in k.sources),
            finish=FINISHES.get(k.name, k.finish),
        )
        for k in drafts
    )
    return Document(reference, shots, looks, (), "Landing", "golden hour")


if __name__ == "__main__":
    import sys

    target = Path(sys.argv[2])
    save(demo_document(Path(sys.argv[1])), target)
