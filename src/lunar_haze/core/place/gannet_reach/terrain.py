"""The ground of Gannet Reach and what grows on it. Metres, as the landing."""

import math

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.place.gannet_reach.hut import HUT_X, HUT_Y
from lunar_haze.core.place.gannet_reach.solids import card, join, sheet
from lunar_haze.core.place.gannet_reach.write import SetPiece


def ground_height(x: NDArray, y: NDArray, rng: np.random.Generator) -> NDArray:
    """Height of marsh, channel bed and far bank [m] on the grid of x and y.

    ``x`` (n,) and ``y`` (m,) in metres; the result is (m, n).
    """
    gx, gy = np.meshgrid(x, y)
    noise = np.zeros_like(gx)
    for wavelength, height in ((34.0, 0.42), (13.0, 0.30), (5.3, 0.20), (2.3, 0.09), (1.0, 0.035)):
        for _ in range(4):
            angle, phase = rng.uniform(0, 2 * math.pi, 2)
            along = (gx * math.cos(angle) + gy * math.sin(angle)) * 2 * math.pi / wavelength
            noise += 0.5 * height * np.sin(along + phase + 0.8 * np.sin(gy * 0.13 + phase))
    marsh = 0.22 + noise * 0.50
    # Pools: hollows that the tide leaves full, most of them in the open lane before the landing.
    hollow = np.sin(gx * 0.55 + 1.3 * np.sin(gy * 0.42)) * np.sin(gy * 0.63 + 1.1 * np.sin(gx * 0.37 + 0.8))
    lane = np.exp(-(((gx - 5.5) / 7.5) ** 2 + ((gy + 3.8) / 4.2) ** 2))
    marsh = marsh * (1 - 0.55 * lane) - (0.10 + 0.36 * lane) * np.clip((hollow + 0.12 * lane - 0.14) * 2.6, 0.0, 1.0)
    # Firm ground under hut and landing, a shore that leaves the jetty standing in water.
    firm = np.exp(-(((gx - 3.5) / 6.5) ** 2 + ((gy - 6.0) / 5.0) ** 2))
    marsh = marsh * (1 - firm) + (0.75 + 0.1 * noise) * firm
    wander = 3.0 * np.sin(gy * 0.07) + 1.6 * np.sin(gy * 0.21 + 1.0)
    reach = 1 / (1 + np.exp((gx + 11 + wander) / 1.7)) * (1 / (1 + np.exp(-(gx + 111 - 2 * wander) / 3.0)))
    far = 1 / (1 + np.exp((gx + 121) / 5.0))
    rise = far * (1.2 + 5.5 * np.clip((-gx - 118) / 60, 0, 1) ** 0.8 * (0.7 + 0.3 * np.sin(gy * 0.02 + 0.6)))
    return marsh * (1 - reach) - 1.5 * reach + rise


def _spread(low: float, high: float, centre: float, count: int, power: float = 2.4) -> NDArray:
    """Grid lines from low to high, dense round ``centre``."""
    t = np.linspace(-1, 1, count)
    bent = np.sign(t) * (0.12 * np.abs(t) + 0.88 * np.abs(t) ** power)
    return np.where(bent < 0, centre + bent * (centre - low), centre + bent * (high - centre))


def ground(rng: np.random.Generator) -> tuple[SetPiece, NDArray, NDArray, NDArray]:
    """Marsh, channel and far bank as one sheet; its grid x and y and its heights [m]."""
    x = _spread(-230.0, 70.0, 2.0, 250)
    y = _spread(-150.0, 150.0, 0.0, 210)
    z = ground_height(x, y, rng)
    return SetPiece("ground", [("marsh", sheet(x, y, z, 1.7))]), x, y, z


def growth(x: NDArray, y: NDArray, z: NDArray, rng: np.random.Generator) -> list[SetPiece]:
    """Reed clumps on wet margins and trees on the far bank. ``x`` (n,), ``y`` (m,) and ``z`` (m, n) in metres."""

    def height_at(px: float, py: float) -> float:
        i, j = int(np.searchsorted(y, py)), int(np.searchsorted(x, px))
        return float(z[min(max(i, 0), len(y) - 1), min(max(j, 0), len(x) - 1)])

    pieces = []
    for variant in range(5):
        cards = []
        for _ in range(13):
            r, a = 0.75 * math.sqrt(rng.random()), rng.uniform(0, 2 * math.pi)
            tall = rng.uniform(1.1, 1.95)
            cards.append(
                card(
                    (r * math.cos(a), r * math.sin(a), -0.05), tall * 0.52, tall, rng.uniform(0, 360), rng.normal(0, 6)
                )
            )
        pieces.append(SetPiece(f"reeds {'abcde'[variant]}", [("reeds", join(cards))], []))
    placed = 0
    while placed < 1150:
        near = rng.random() < 0.75
        px, py = (rng.normal(1, 13), rng.normal(0, 17)) if near else (rng.uniform(-112, 45), rng.uniform(-80, 80))
        h = height_at(px, py)
        jetty = abs(py) < 1.9 and px < 8
        hut = HUT_X[0] - 2.4 < px < HUT_X[1] + 3.5 and 1.0 < py < HUT_Y[1] + 1.5
        # The landing's own view stays open: reeds frame it from the left and the far right.
        lane = -15 < px < 16 and -8.6 + (13.5 - px) * -0.06 < py < 3.6
        bed = math.sin(px * 0.33 + 1.2) + math.sin(py * 0.27 + px * 0.1) + rng.normal(0, 0.5)
        if jetty or hut or lane or not -0.22 < h < 0.42 or bed < 0.15:
            continue
        pieces[rng.integers(5)].copies.append((px, py, h, rng.uniform(0, 360), rng.uniform(0.75, 1.2)))
        placed += 1
    trees = []
    for variant in range(3):
        tall = (8.5, 11.0, 7.0)[variant]
        cards = [card((0, 0, -0.3), tall * 0.95, tall, a) for a in (90, 40, 145)]
        trees.append(SetPiece(f"far tree {'abc'[variant]}", [(f"tree {variant % 2}", join(cards))], []))
    for _ in range(210):
        px, py = rng.uniform(-190, -122), rng.uniform(-140, 140)
        if math.sin(py * 0.045 + 0.7) + rng.normal(0, 0.45) < -0.1:
            continue
        trees[rng.integers(3)].copies.append((px, py, height_at(px, py), rng.uniform(-20, 20), rng.uniform(0.7, 1.25)))
    return pieces + trees
