"""A first document for a place that was just imported, and the key of its file."""

import hashlib
import math
import os
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.document.edits import under_heavens
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.model import Document, Look, PlaceRef, Shot
from lunar_haze.core.errors import PlaceError, os_reason
from lunar_haze.core.layers.model import PlaceSpec
from lunar_haze.core.place.camera import SENSOR_WIDTH_MM, Camera
from lunar_haze.core.place.files import files_of
from lunar_haze.core.place.model import Place, PlaceLight, emissive_luminance
from lunar_haze.core.sky.lat_long import bearing_of
from lunar_haze.core.sky.refracted_light import true_elevation_deg
from lunar_haze.core.sources.gain import NEUTRAL_KELVIN
from lunar_haze.core.sources.kinds import Shape
from lunar_haze.core.sources.model import Ball, Beam, Sky, Source, Sun, Surface
from lunar_haze.core.units.content import content_digest, digest_or_none


def place_spec(reference: PlaceRef) -> PlaceSpec:
    """Name of a place by what the files hold that it is read from: its own, and those it refers to.

    Raises PlaceError with a sentence to show.
    """
    path = Path(reference.path)
    digest = hashlib.blake2b(repr((reference.scale, reference.scene)).encode(), digest_size=16)
    try:
        digest.update(content_digest(path).encode())
    except (OSError, ValueError) as error:
        reason = os_reason(error) if isinstance(error, OSError) else str(error)
        raise PlaceError(f"the place {path} cannot be read ({reason}); put it back beside the document") from error
    for beside in files_of(path)[1:]:
        # One that is missing counts as such: the place looks different when it is back.
        digest.update(f"{os.path.relpath(beside, path.parent)} {digest_or_none(beside)}".encode())
    return PlaceSpec(str(path), reference.scale, digest.hexdigest(), reference.scene)


def glowing_sources(place: Place) -> tuple[Source, ...]:
    """One source for each glowing material of a place, at the luminance the file gives it."""
    return tuple(
        Source(new_id(), m.name, Surface(m.name), emissive_luminance(m), "cd/m2", role="practical")
        for m in place.glowing_materials()
    )


def sources_of_lights(place: Place) -> tuple[Source, ...]:
    """The lights that came with a place's file as sources."""
    return tuple(_source_of(light) for light in place.lights)


def _source_of(light: PlaceLight) -> Source:
    x, y, z = (p + d * 4.0 for p, d in zip(light.position, light.direction))
    aim, reach = (x, y, z), light.range_m if light.range_m > 0 else math.inf
    unit = "cd"
    shape: Shape
    if light.kind == "sun":
        altitude, azimuth = bearing_of(-np.array(light.direction))
        unit, shape = "lx", Sun(true_elevation_deg(altitude), azimuth, follows_hour=False)
    elif light.kind == "spot":
        inner, outer = light.inner_deg, min(max(light.outer_deg, light.inner_deg + 0.1), 85.0)
        half = (inner + outer) / 2
        shape = Beam(light.position, aim, cone_deg=2 * half, edge=(outer - inner) / half, reach_m=reach)
    else:
        shape = Ball(light.position, aim=aim, reach_m=reach)
    # With a lamp colour of its own a light keeps the file's colour, and nothing of the air's.
    gel = np.array(light.colour) / kelvin_to_acescg(NEUTRAL_KELVIN)
    return Source(
        new_id(),
        light.name,
        shape,
        light.intensity,
        unit,
        kelvin=NEUTRAL_KELVIN,
        gel=tuple(gel.tolist()),
        role="key" if light.kind == "sun" else "practical",
    )


def establishing_camera(place: Place) -> Camera:
    """A camera that sees the whole place from the south-east, for places that bring none."""
    low, high = (bound.astype(float) for bound in place.bounds)
    centre = (low + high) / 2
    forward = np.array([-0.7, 0.9, -0.35])
    forward /= np.linalg.norm(forward)
    side = np.cross(forward, (0.0, 0.0, 1.0))
    side /= np.linalg.norm(side)
    up = np.cross(side, forward)
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    focal_mm = 28.0
    half_width = SENSOR_WIDTH_MM / 2 / focal_mm
    half_height = half_width * 9 / 16
    # As near as all corners stay within the frame's four sides, in the frame's own axes about the middle.
    offset = corners - centre
    x, y, z = offset @ side, offset @ up, offset @ forward

    def sides(across: NDArray, half: float) -> tuple[float, float]:
        """(where the eye stands across, how far along it may be) for two opposite sides of the frame."""
        low, high = float((across - half * z).max()), float((across + half * z).min())
        return (low + high) / 2, (high - low) / (2 * half)

    (right, near_x), (above, near_y) = sides(x, half_width / 1.04), sides(y, half_height / 1.04)
    position = centre + right * side + above * up + min(near_x, near_y) * forward
    position[2] = max(position[2], low[2] + 1.7)
    aim = position + forward * max(float((centre - position) @ forward), 1.0)
    return Camera(tuple(position.tolist()), tuple(aim.tolist()), focal_mm)


def new_document(path: Path, place: Place, scale: float = 1.0, hour_h: float = 10.0, scene: str = "") -> Document:
    """A document with the place's cameras as shots and one look of plain daylight, with the lights of its file."""
    shots = tuple(Shot(c.name, c.camera) for c in place.cameras) or (
        Shot("Overview", establishing_camera(place), locked=False),
    )
    sources = (
        Source(new_id(), "sun", Sun(), 1.0, "true", role="key"),
        Source(new_id(), "sky", Sky(), 1.0, "true", role="fill"),
        *glowing_sources(place),
        *sources_of_lights(place),
    )
    reference = PlaceRef(str(Path(path).resolve()), scale, scene=scene)
    look = Look("daylight", hour_h, sources=sources, ev100=14.0)
    look = attrs.evolve(look, sources=tuple(under_heavens(s, look, reference.site) for s in sources))
    return Document(reference, shots, (look,), (), shots[0].name, look.name)
