"""The demo document: four looks of Gannet Reach."""

from pathlib import Path

import attrs

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.edits import at_hour
from lunar_haze.core.document.files import save
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.place.load import load_place
from lunar_haze.core.sources.model import Ball, Beam, Rectangle, Sky, Source, Sun, Surface


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


def _noon() -> Look:
    hour = 12.6
    sources = (Source("sun", "sun", Sun(), role="key"), Source("sky", "sky", Sky(), role="fill"))
    return Look(
        "clear noon", hour, (*(at_hour(s, hour) for s in sources), *_lamps(-99, -99, -99, -99)),
        Medium(visibility_m=16000.0, fall_off_m=120.0), ev100=13.5, note="high sun, hard edges, everything told",
    )  # fmt: skip


def _golden() -> Look:
    hour = 18.27
    sources = (Source("sun", "sun", Sun(diameter_deg=0.7), role="key"), Source("sky", "sky", Sky(), role="fill"))
    return Look(
        "golden hour", hour, (*(at_hour(s, hour) for s in sources), *_lamps(1.5, 1.5, 1.0, -99)),
        Medium(visibility_m=1900.0, fall_off_m=8.0, anisotropy=0.7, albedo=(0.98, 0.97, 0.95)), ev100=12.4,
        note="the last boat is late; sun low over the reach",
    )  # fmt: skip


def _moonlit() -> Look:
    return Look(
        "moonlit mist", 23.2,
        (
            Source("moon", "moon", Sun(31.0, 318.0, 0.52, follows_hour=False), 0.26, "lx", kelvin=4400.0, role="key",
                   gel=(0.80, 0.95, 1.22)),
            Source("sky", "night sky", Sky(-12.0, 290.0, follows_hour=False), 0.04, "lx", role="fill",
                   gel=(0.72, 0.98, 1.18)),
            *_lamps(-7.2, -7.0, -7.4, -99),
            Source("window", "ticket window", Ball((2.0, 6.4, 2.35), 0.08), 420.0, "lm", -6.6, 2350.0,
                   role="practical"),
            Source("rim", "bank glow", Beam((-40.0, 10.0, 3.0), (-24.4, 0.2, 2.2), 0.25, 34.0, 0.6), 1500.0, "lm",
                   -7.2, 5600.0, role="rim", gel=(0.75, 0.95, 1.25)),
        ),
        Medium(visibility_m=130.0, base_m=0.4, fall_off_m=3.2, anisotropy=0.6, albedo=(0.96, 0.97, 0.98)),
        ev100=-1.3, note="mist on the marsh, three warm lamps, one who waits",
    )  # fmt: skip


def _loft() -> Look:
    hour = 16.75
    sources = (
        Source("sun", "sun", Sun(19.0, 262.0, 0.53, follows_hour=False), 66000.0, "lx", kelvin=3900.0, role="key"),
        Source("sky", "sky", Sky(19.0, 262.0, follows_hour=False), 8400.0, "lx", -0.7, role="fill"),
    )
    return Look(
        "loft shafts", hour,
        (*sources, *_lamps(-99, -99, -99, 1.0),
         Source("bounce", "roof bounce", Rectangle((2.2, 7.0, 5.9), (1.6, 7.0, 3.1), 2.2, 1.4), 900.0, "lm",
                kelvin=4800.0, role="bounce", air_factor=0.0)),
        Medium(visibility_m=120.0, base_m=0.0, fall_off_m=60.0, top_m=6.4, anisotropy=0.68), ev100=10.9,
        note="dust in the net loft, sun through the slats",
    )  # fmt: skip


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
    looks = (_noon(), _golden(), _moonlit(), _loft())
    return Document(PlaceRef(str(place_path.resolve())), shots, looks, (), "Landing", "golden hour")


if __name__ == "__main__":
    import sys

    target = Path(sys.argv[2])
    save(demo_document(Path(sys.argv[1])), target)
