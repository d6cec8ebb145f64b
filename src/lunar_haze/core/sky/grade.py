"""Bends the colours of a map while each colour keeps its luminance."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.sky.model import SkyGrade


def bent(radiance: NDArray, grade: SkyGrade, hue_deg: float = 0.0) -> NDArray:
    """``radiance`` (..., 3) with saturation, warmth, a held-back colour and a turn of hue; never negative."""
    if grade == SkyGrade() and hue_deg == 0.0:
        return radiance
    level = radiance @ LUMINANCE_WEIGHTS
    colour = radiance
    if grade.warmth_mired:
        there = kelvin_to_acescg(1e6 / np.clip(1e6 / 6000.0 + grade.warmth_mired, 67.0, 900.0))
        colour = colour * (there / kelvin_to_acescg(6000.0))
    if hue_deg:
        colour = colour @ _hue_turn(hue_deg).T
    if grade.hold_share > 0.0:
        # What a pixel has of the picked colour beyond grey is taken back by the share.
        hold = np.asarray(grade.hold, float)
        hold = hold / max(float(hold @ LUMINANCE_WEIGHTS), 1e-6) - 1.0
        size = float(hold @ hold)
        if size > 1e-9:
            excess = colour / np.maximum(colour @ LUMINANCE_WEIGHTS, 1e-30)[..., None] - 1.0
            amount = np.maximum(excess @ hold / size, 0.0)
            mine = (colour @ LUMINANCE_WEIGHTS)[..., None]
            colour = colour - grade.hold_share * mine * amount[..., None] * hold
    if grade.saturation != 1.0:
        grey = (colour @ LUMINANCE_WEIGHTS)[..., None]
        colour = grey + grade.saturation * (colour - grey)
    return _as_bright(colour, level)


def _hue_turn(degrees: float) -> NDArray[np.float64]:
    """Rotation (3, 3) of ACEScg about the grey axis."""
    a = np.radians(degrees)
    axis = np.ones(3) / np.sqrt(3.0)
    cross = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    return np.cos(a) * np.eye(3) + np.sin(a) * cross + (1 - np.cos(a)) * np.outer(axis, axis)


def _as_bright(colour: NDArray, level: NDArray) -> NDArray:
    """Colours moved towards grey until no channel is negative, and brought to the luminance ``level``."""
    grey = (colour @ LUMINANCE_WEIGHTS)[..., None]
    lowest = colour.min(-1, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        keep = np.where(lowest < 0, grey / (grey - lowest), 1.0)
    colour = grey + (colour - grey) * np.clip(np.nan_to_num(keep), 0.0, 1.0)
    # A colour turned so far that no light is left in it becomes grey.
    lit = grey > 1e-3 * level[..., None]
    return np.where(lit, np.maximum(colour, 0.0) * (level[..., None] / np.where(lit, grey, 1.0)), level[..., None])
