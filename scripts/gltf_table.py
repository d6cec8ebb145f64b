"""Writes docs/gltf.md: each edge case, what a second reader says of it, what we do, and what the artist is told.

Beside it a picture of partly covering and clear surfaces, vertex colours and a texture transform, as drawn here and as
the standard asks: ``python scripts/gltf_table.py``.
"""

import logging
import sys
import tempfile
from pathlib import Path

import attrs
import numpy as np
import trimesh
from PIL import Image, ImageDraw

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.gltf_cases import CASES, write_case
from tests.places import lit, place_of, quad

from lunar_haze.core.colour.spaces import ACESCG_TO_SRGB, SRGB_TO_ACESCG, srgb_decode, srgb_encode
from lunar_haze.core.errors import PlaceError
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import Material, Texture
from lunar_haze.core.sky.model import Gradient
from lunar_haze.core.sources.model import Sky

SIZE = 128


def _said(triangles: int, bounds: np.ndarray) -> str:
    extent = " x ".join(f"{v:g}" for v in np.round(np.ptp(bounds, axis=0), 3) + 0.0)
    return f"{triangles} triangles, {extent} m"


def table() -> list[str]:
    """Lines of the table."""
    logging.disable(logging.CRITICAL)
    folder = Path(tempfile.mkdtemp())
    lines = ["| feature | a second reader (trimesh) | here | note to the artist |", "|---|---|---|---|"]
    for name in CASES:
        path = write_case(name, folder)
        try:
            theirs = trimesh.load_scene(str(path), process=False).to_geometry()
            corners = np.asarray(theirs.bounds)[:, [0, 2, 1]]
            second = _said(len(theirs.faces), corners)
        except Exception as error:  # it raises whatever its parsers raise
            second = f"refused ({type(error).__name__})"
        try:
            place = load_place(path)
            ours, notes = _said(len(place.triangles), np.array(place.bounds)), "; ".join(place.notes)
            lights = f", {len(place.lights)} lights" if place.lights else ""
        except PlaceError as error:
            ours, notes, lights = "refused", str(error), ""
        lines.append(f"| {name} | {second} | {ours}{lights} | {notes} |")
    return lines


def _drawn(*parts, textures: tuple = (), **changes) -> np.ndarray:
    """Parts seen straight from above under an even sky, as albedo in linear sRGB (SIZE, SIZE, 3)."""
    place = attrs.evolve(place_of(*parts, textures=textures), **changes)
    sky = Sky(Gradient((1.0, 1.0, 1.0), (1.0, 1.0, 1.0)))
    camera = Camera((0.0, -1e-3, 20.0), (0.0, 0.0, 0.0), 360.0)
    picture = lit(place, camera, sky, 96, size=(SIZE, SIZE)).surface
    return np.clip(picture * np.pi @ ACESCG_TO_SRGB.T, 0, 1)


def pictures() -> Image.Image:
    """Four features, as drawn here (above) and as the standard asks (below)."""
    checks = np.indices((8, 8)).sum(0) % 2
    board = Texture("board", np.dstack([np.where(np.kron(checks, np.ones((16, 16), int))[..., None] > 0, (230, 60, 40), (40, 90, 200)).astype(np.uint8), np.full((128, 128), 255, np.uint8)]), True)  # fmt: skip
    matte = Material("m", (1.0, 1.0, 1.0), 0.0, 1.0)
    ground = (quad([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)]), attrs.evolve(matte, base_texture=0))
    sheet = quad([(-0.6, -0.6, 0.02), (0.6, -0.6, 0.02), (0.6, 0.6, 0.02), (-0.6, 0.6, 0.02)])
    y, x = np.mgrid[0:SIZE, 0:SIZE] / (SIZE - 1) * 2 - 1
    flat = srgb_decode(board.pixels[..., :3] / 255.0)
    inside = (np.maximum(abs(x), abs(y)) < 0.6)[..., None]
    green = np.array([0.2, 0.8, 0.3])
    tint = tuple((SRGB_TO_ACESCG @ green).tolist())
    through = attrs.evolve(matte, name="sheet", base_colour=tint)
    corners = np.array([[255, 0, 0, 255], [255, 255, 0, 255], [0, 0, 255, 255], [0, 255, 0, 255]], np.uint8)
    u, v = (x + 1) / 2, (y + 1) / 2
    colours = srgb_decode(corners[:, :3] / 255.0)
    # Two triangles: each corner's colour by its barycentric weight.
    a, b, c, d = colours
    t = 1 - v
    first = a * (1 - u)[..., None] + b * (u - t)[..., None] + c * t[..., None]
    second = a * (1 - t)[..., None] + c * u[..., None] + d * (t - u)[..., None]
    ramp = np.where((u >= t)[..., None], first, second)
    turned = np.rot90(flat)
    uv = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
    rotated = np.stack([uv[:, 1], 1 - uv[:, 0]], 1).astype(np.float32)
    rows = [
        ("alpha blend 0.25", _drawn(ground, (sheet, attrs.evolve(through, blend=0.25)), textures=(board,)),
         np.where(inside, 0.25 * green + 0.75 * flat, flat)),
        ("transmission 0.5", _drawn(ground, (sheet, attrs.evolve(through, clear=0.5)), textures=(board,)),
         np.where(inside, 0.5 * green + 0.5 * green * green * flat, flat)),
        ("vertex colours", _drawn((ground[0], matte), colours=corners), ramp),
        ("texture turned by 90°", _drawn(ground, textures=(board,), uvs=rotated), turned),
    ]  # fmt: skip
    sheet_image = Image.new("RGB", (len(rows) * (SIZE + 12), 2 * SIZE + 40), "#202020")
    pen = ImageDraw.Draw(sheet_image)
    for column, (name, ours, asked) in enumerate(rows):
        for row, picture in enumerate((ours, asked)):
            codes = (srgb_encode(np.clip(picture, 0, 1)) * 255).round().astype(np.uint8)
            sheet_image.paste(Image.fromarray(codes), (column * (SIZE + 12) + 6, 18 + row * (SIZE + 16)))
        pen.text((column * (SIZE + 12) + 6, 4), name, "#dddddd")
        print(f"{name}: mean difference {np.abs(ours - asked).mean():.3f}")
    return sheet_image


if __name__ == "__main__":
    text = [
        "# glTF 2.0: what is read", "", "Made by `python scripts/gltf_table.py`.", "", *table(), "",
        "Refused in words: meshopt compression (export without it), and Draco where its library is not installed.", "",
        "As drawn here (above) and as the standard asks (below), under an even sky; where a sheet lets light through it also",
        "shades the ground and mirrors a little, which flat colours do not show:", "",
        "![surfaces that cover in part, let light through, are coloured by vertices and have turned textures](screenshots/gltf.png)", "",
    ]  # fmt: skip
    (ROOT / "docs" / "gltf.md").write_text("\n".join(text))
    pictures().save(ROOT / "docs" / "screenshots" / "gltf.png")
