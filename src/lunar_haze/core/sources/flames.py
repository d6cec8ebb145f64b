"""The flicker of flames.

A flame over a round base sheds vortices at a rate of 1.5 / sqrt(D) a second, D its diameter in metres, from candles to
fires of tens of metres (Cetegen and Ahmed 1993, Experiments on the periodic instability of buoyant plumes and pool
fires, Combustion and Flame 93). Over that line lies what turbulence makes, falling as the five-thirds power of
frequency (Kolmogorov 1941). Soot glows as a black body: brighter is hotter, by d ln L / d ln T = c2 / (lambda T).
"""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.colour.krystek1985 import kelvin_to_acescg
from lunar_haze.core.sources.flicker_kinds import SEED, Flicker, flicker_kind, kept
from lunar_haze.core.units.row import row

#: So many waves of equal strength make the course.
WAVES = 96
#: Half of the strength lies in the line, whose width is a sixth of its frequency; turbulence begins a quarter below it.
LINE_SHARE, LINE_WIDTH, TURBULENT_FROM = 0.5, 1 / 6, 1 / 4
#: The second radiation constant over the wavelength that the eye sees best [K].
C2_OVER_LAMBDA = 1.4387769e-2 / 555e-9
_LOWEST, _HIGHEST, _STEPS = 0.02, 40.0, 4000


def rate_hz(diameter_m: float) -> float:
    """How often a flame of a diameter [m] sheds vortices [Hz]."""
    return 1.5 / math.sqrt(diameter_m)


def spectrum(frequency_hz: NDArray, diameter_m: float) -> NDArray[np.float64]:
    """Power of the flicker at frequencies (n,) [Hz], a Hz, of total 1 from a fiftieth of the line to forty times it."""
    line_hz = rate_hz(diameter_m)

    def shape(f: NDArray) -> tuple[NDArray, NDArray]:
        half = line_hz * LINE_WIDTH / 2
        line = half**2 / ((f - line_hz) ** 2 + half**2) * np.where(f < 3 * line_hz, 1.0, 0.0)
        return line, 1.0 / (1.0 + (f / (line_hz * TURBULENT_FROM)) ** (5 / 3))

    grid = np.geomspace(_LOWEST * line_hz, _HIGHEST * line_hz, _STEPS)
    totals = [np.trapezoid(part, grid) for part in shape(grid)]
    line, rest = shape(np.asarray(frequency_hz, float))
    return LINE_SHARE * line / totals[0] + (1 - LINE_SHARE) * rest / totals[1]


@kept
def _waves(diameter_m: float, seed: int) -> tuple[NDArray, NDArray]:
    """Frequencies [Hz] and phases [rad] of waves that share the spectrum's power equally (Shinozuka and Deodatis 1991,
    Simulation of stochastic processes by spectral representation, Appl. Mech. Rev. 44).
    """
    line_hz = rate_hz(diameter_m)
    grid = np.geomspace(_LOWEST * line_hz, _HIGHEST * line_hz, _STEPS)
    power = spectrum(grid, diameter_m)
    cumulative = np.concatenate([[0.0], np.cumsum((power[1:] + power[:-1]) / 2 * np.diff(grid))])
    rng = np.random.default_rng((seed, 17))
    shares = (np.arange(WAVES) + rng.random(WAVES)) / WAVES
    return np.interp(shares, cumulative / cumulative[-1], grid), rng.random(WAVES) * 2 * math.pi


@flicker_kind(
    "flame", "a candle, a lantern, a fire",
    rows=(
        row("flame width", "width of the flame", "diameter_m", "m", 0.01, 2.0, 0.02, ratio=True, floor=0.003,
            ceiling=50.0, tip="wider burns slower: a candle flickers ten times a second, a bonfire once"),
        row("flicker depth", "depth", "depth", "", 0.0, 0.6, 0.15, floor=0.0, ceiling=1.5,
            tip="how much it rises and falls; its mean stays"),
        row("flicker colour", "colour goes along", "colour", "", 0.0, 1.0, 0.5, floor=0.0, ceiling=2.0,
            tip="brighter is hotter: how much of the change is of temperature, not of size"),
        SEED,
    ),
)  # fmt: skip
@attrs.frozen
class Flame(Flicker):
    """``diameter_m`` of the flame, ``depth`` the standard deviation of the light's logarithm, ``colour`` the share of
    it that is of temperature.
    """

    diameter_m: float = 0.02
    depth: float = 0.15
    colour: float = 0.5
    seed: int = 1

    def level(self, seconds: NDArray) -> NDArray[np.float64]:
        """Factor (n,) on the light, of mean 1 over time."""
        frequencies, phases = _waves(self.diameter_m, self.seed)
        each = self.depth * math.sqrt(2.0 / WAVES)
        course = np.cos(2 * math.pi * np.outer(seconds, frequencies) + phases) @ np.full(WAVES, each)
        # The mean of exp(a cos x) is the Bessel function I0(a).
        return np.exp(course - WAVES * math.log(float(np.i0(each))))

    def light(self, seconds: NDArray, kelvin: float) -> NDArray[np.float64]:
        level = self.level(seconds)
        if self.colour <= 0.0:
            return np.repeat(level[:, None], 3, 1)
        hotter = level ** (self.colour * kelvin / C2_OVER_LAMBDA)
        usual = kelvin_to_acescg(kelvin)
        colours = np.array([kelvin_to_acescg(min(max(kelvin * h, 1000.0), 15_000.0)) for h in hotter]) / usual
        return level[:, None] * colours
