"""Puts a computed still together with its look and writes it in the form that is asked for."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.errors import HandOffError
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.pipeline import finished
from lunar_haze.core.finish.values import Cdl
from lunar_haze.core.handoff.finish_file import not_in_a_table, write_cdl, write_cube
from lunar_haze.core.handoff.source_light import source_light
from lunar_haze.core.handoff.stills import layer_name, write_exr, write_png, write_tiff
from lunar_haze.core.layers.model import LayerImage, Part, View, pixels_of
from lunar_haze.core.picture.views import SRGB
from lunar_haze.core.plan.frames import planned_sources
from lunar_haze.core.units.photometry import exposure_scale

STILL_FORMATS = (".png", ".exr", ".tif", ".tiff")


def check_output(path: Path) -> None:
    """Raise HandOffError early when a still could never be written to ``path``."""
    if path.suffix.lower() not in STILL_FORMATS:
        raise HandOffError(f"{path.name} has no kind of still in its name; use one of {', '.join(STILL_FORMATS)}")
    if not path.resolve().parent.is_dir():
        raise HandOffError(f"{path.parent} is not a folder that exists; make it first")


def source_layers(look: Look, view: View, place_key: str, layers: dict[str, LayerImage]) -> dict[str, NDArray]:
    """Each active source's part of the picture by its EXR name; in this order they add up to the beauty.

    In mist a source has two: what surfaces give back, and what the air does (``NAME_air``). ``view`` has the moment of
    the picture. Raises HandOffError where a layer is missing.
    """
    named: dict[str, NDArray] = {}
    taken: set[str] = set()
    for source in planned_sources(look):
        light = source_light(look, source, view, place_key, layers)
        if light is None:
            continue
        name = layer_name(source.name, taken)
        if look.medium.is_clear:
            named[name] = light.whole
        else:
            named[name] = light.surface
            named[layer_name(f"{source.name}_air", taken)] = light.air
    return named


def fitted_to(layers: dict[str, NDArray], picture: NDArray[np.float32]) -> dict[str, NDArray]:
    """Layers that add up to about a picture (h, w, 3), each pixel changed in proportion so that they add up to it."""
    if not layers:
        return layers
    total = np.sum(list(layers.values()), axis=0)
    factor = np.where(total > 0.0, picture / np.maximum(total, 1e-30), 1.0).astype(np.float32)
    # Where no layer has light, the brightest takes what there is.
    brightest = max(layers, key=lambda name: float(layers[name].sum()))
    found = {name: layer * factor for name, layer in layers.items()}
    found[brightest] = found[brightest] + np.where(total > 0.0, 0.0, picture).astype(np.float32)
    return found


def _clock(hour_h: float) -> str:
    minutes = round(hour_h * 60) % 1440
    return f"{minutes // 60:02d}:{minutes % 60:02d} local time"


def deliver(
    path: Path,
    shot: Shot,
    look: Look,
    beauty: NDArray[np.float32],
    clean: NDArray[np.float32] | None,
    layers: dict[str, NDArray[np.float32]],
    bits: int = 8,
    part: Part | None = None,
    screen: str = SRGB,
    masked: Callable[[NDArray[np.float32]], NDArray[np.float32]] = lambda picture: picture,
    beside: Path | None = None,
) -> tuple[Path, ...]:
    """Write a still, or a part of its frame; says which files that made.

    PNG and TIFF (16 bits) take the denoised picture through masks and dust (``masked``, see `under_masks`), exposure
    and finish. EXR holds scene light, denoised where there is a denoised picture: layers are fitted to it, so that they
    add up to what is written; a finish goes along in files beside it, or lies in the file ``beside`` already. A part
    lies in its frame: a darkened corner stays where it is. Raises HandOffError, and PictureError for a grading table
    that is gone. ``beauty``, ``clean`` and ``layers`` are (h, w, 3) float32 ACEScg [cd/m2].
    """
    check_output(path)

    def cut(picture: NDArray) -> NDArray:
        if part is None:
            return picture
        left, top, right, bottom = pixels_of(part, picture.shape[1], picture.shape[0])
        return np.ascontiguousarray(picture[top:bottom, left:right])

    if path.suffix.lower() != ".exr":
        picture, scale = beauty if clean is None else clean, exposure_scale(look.ev100, look.stops)
        shown = finished(masked(picture), look.finish, scale, shot.seen_from.tan_half_width, screen)
        if path.suffix.lower() == ".png":
            write_png(path, cut(shown), bits, screen)
        else:
            write_tiff(path, cut(shown))
        return (path,)
    layers = {name: cut(layer) for name, layer in layers.items()}
    picture = cut(beauty if clean is None else clean)
    if clean is not None:
        layers = fitted_to(layers, picture)
    notes = {
        "lunarHazeShot": shot.name,
        "lunarHazeLook": look.name,
        "lunarHazeExposure": f"EV100 {look.ev100:g} {look.stops:+g} stops",
        "lunarHazeTime": f"{look.day} {_clock(look.hour_h)}",
        "lunarHazeFrame": f"{shot.frame} of {shot.first_frame} to {shot.last_frame}",
        "lunarHazeDenoised": "no" if clean is None else "yes",
    }
    finish = look.finish.in_force
    if finish == Finish():
        write_exr(path, picture, layers, notes)
        return (path,)
    left_out = not_in_a_table(finish)
    cube = beside or finish_path(path)
    told = "beside it as .cube" + (f", without {', '.join(left_out)}" if left_out else "")
    write_exr(path, picture, layers, notes | {"lunarHazeFinish": told})
    return (path,) if beside is not None else (path, *write_finish(cube, look))


def finish_path(path: Path) -> Path:
    """Where the table of a finish lies beside a still."""
    return path.with_name(f"{path.stem}.finish.cube")


def finish_files(cube: Path, look: Look) -> tuple[Path, ...]:
    """The files that tell the finish of a look beside stills of bare light, none where it has none."""
    finish = look.finish.in_force
    if finish == Finish():
        return ()
    return (cube,) if finish.cdl == Cdl() else (cube, cube.with_suffix(".cdl"))


def write_finish(cube: Path, look: Look) -> tuple[Path, ...]:
    """Write the files that tell the finish of a look. Raises HandOffError, and PictureError where a table is gone."""
    finish, files = look.finish.in_force, finish_files(cube, look)
    if not files:
        return ()
    write_cube(cube, finish, look.name, exposure_scale(look.ev100, look.stops))
    if len(files) == 1:
        return files
    cdl = files[1]
    write_cdl(cdl, finish.cdl, look.name)
    return (cube, cdl)
