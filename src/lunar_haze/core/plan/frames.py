"""From a document to the layers its picture needs: a pure function."""

import numpy as np

from lunar_haze.core.document.model import Look, Shot
from lunar_haze.core.layers.model import FrameRequest, LayerGain, LayerSpec, PlaceSpec, View
from lunar_haze.core.sources.gain import audible, source_gain
from lunar_haze.core.sources.model import Source


def fitted_size(shot: Shot, width: int, height: int) -> tuple[int, int]:
    """Largest even size in ``width`` x ``height`` with the shot's proportions."""
    scale = min(width / shot.frame_width, height / shot.frame_height)
    return max(int(shot.frame_width * scale) // 2 * 2, 16), max(int(shot.frame_height * scale) // 2 * 2, 16)


def layer_of(source: Source, look: Look, view: View, place_key: str) -> LayerSpec:
    """What decides the layer of one source of a look."""
    return LayerSpec(place_key, view, source.shape, look.medium, look.bounces)


def wanted(look: Look) -> list[Source]:
    """Sources whose layers are worth computing, the ones that are heard first."""
    any_alone = any(s.alone and not s.muted for s in look.sources)
    heard = [s for s in look.sources if audible(s, any_alone)]
    return heard + [s for s in look.sources if not s.muted and s not in heard]


def gains(look: Look, view: View, place_key: str) -> tuple[LayerGain, ...]:
    """Mix factors of every layer of a look; sources that share a layer add up, silent ones are zero."""
    any_alone = any(s.alone and not s.muted for s in look.sources)
    total: dict[str, list[np.ndarray]] = {}
    for source in look.sources:
        key = layer_of(source, look, view, place_key).key()
        gain = source_gain(source).astype(np.float64) * audible(source, any_alone)
        surface, air = total.setdefault(key, [np.zeros(3), np.zeros(3)])
        surface += gain
        air += gain * source.air_factor
    return tuple(LayerGain(key, tuple(surface.tolist()), tuple(air.tolist())) for key, (surface, air) in total.items())


def frame_request(
    request_id: int,
    place: PlaceSpec,
    shot: Shot,
    look: Look,
    size: tuple[int, int],
    passes: int = 64,
    denoise: bool = True,
    live: bool = True,
) -> FrameRequest:
    """The request whose layers and gains make the picture of ``shot`` under ``look``."""
    view = View(shot.camera, *size)
    layers: dict[str, LayerSpec] = {}
    for source in wanted(look):
        spec = layer_of(source, look, view, place.key)
        layers.setdefault(spec.key(), spec)
    return FrameRequest(
        request_id, place, view, look.medium, look.bounces, tuple(layers.values()),
        gains(look, view, place.key), passes, denoise, live,
    )  # fmt: skip
