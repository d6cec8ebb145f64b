"""Pictures for the demo place, drawn by code: uint8 RGBA, row 0 at the top."""

import numpy as np
from numpy.typing import NDArray


def smooth_noise(shape: tuple[int, int], cells: tuple[int, int], rng: np.random.Generator) -> NDArray:
    """Tileable value noise (H, W) in [0, 1] with ``cells`` cells down and across."""
    grid = rng.random(cells)
    y = np.arange(shape[0]) * cells[0] / shape[0]
    x = np.arange(shape[1]) * cells[1] / shape[1]
    iy, ix = y.astype(int), x.astype(int)
    fy, fx = y - iy, x - ix
    fy, fx = (fy * fy * (3 - 2 * fy))[:, None], (fx * fx * (3 - 2 * fx))[None]
    a = grid[np.ix_(iy % cells[0], ix % cells[1])]
    b = grid[np.ix_(iy % cells[0], (ix + 1) % cells[1])]
    c = grid[np.ix_((iy + 1) % cells[0], ix % cells[1])]
    d = grid[np.ix_((iy + 1) % cells[0], (ix + 1) % cells[1])]
    return (a * (1 - fx) + b * fx) * (1 - fy) + (c * (1 - fx) + d * fx) * fy


def fractal(shape: tuple[int, int], first: int, octaves: int, rng: np.random.Generator) -> NDArray:
    """Tileable sum of octaves of noise (H, W), mean near one half."""
    total, weight = np.zeros(shape), 0.0
    for octave in range(octaves):
        cells = first * 2**octave
        total += smooth_noise(shape, (cells, cells), rng) * 0.55**octave
        weight += 0.55**octave
    return total / weight


def _rgba(rgb: NDArray, alpha: NDArray | float = 1.0) -> NDArray[np.uint8]:
    alpha = np.broadcast_to(alpha, rgb.shape[:2])[..., None]
    return np.round(np.clip(np.concatenate([rgb, alpha], -1), 0, 1) * 255).astype(np.uint8)


def wood(rng: np.random.Generator, base: tuple[float, float, float], size: int = 512) -> NDArray[np.uint8]:
    """Weathered boards: grain along u, four boards a repeat, dark seams and nail heads."""
    grain = (
        smooth_noise((size, size), (size // 4, 6), rng) * 0.6 + smooth_noise((size, size), (size // 2, 12), rng) * 0.4
    )
    stain = fractal((size, size), 3, 4, rng)
    value = 0.72 + 0.34 * (grain - 0.5) + 0.45 * (stain - 0.5)
    boards = 4
    row = np.arange(size) * boards // size
    value *= (0.86 + 0.28 * rng.random(boards))[row][:, None]
    seam = np.abs((np.arange(size) * boards / size) % 1.0 - 0.5) > 0.485
    value[seam] *= 0.35
    for b in range(boards):
        for u in (0.04, 0.96):
            cy, cx = int((b + 0.5) * size / boards), int(u * size)
            value[cy - 3 : cy + 3, cx - 3 : cx + 3] *= 0.5
    warm = np.stack([value, value * (0.97 + 0.06 * stain), value * (0.93 + 0.12 * stain)], -1)
    return _rgba(warm * np.asarray(base))


def mud(rng: np.random.Generator, size: int = 512) -> NDArray[np.uint8]:
    """Marsh ground: mud with tufts of dull green and pale salt."""
    coarse, fine = fractal((size, size), 4, 5, rng), fractal((size, size), 24, 4, rng)
    value = 0.55 + 0.7 * (coarse - 0.5) + 0.5 * (fine - 0.5)
    green = np.clip((fractal((size, size), 6, 5, rng) - 0.47) * 7, 0, 1)[..., None]
    earth = value[..., None] * np.array([0.46, 0.39, 0.31])
    grass = value[..., None] * np.array([0.40, 0.43, 0.24])
    return _rgba(earth * (1 - green) + grass * green)


def reeds(rng: np.random.Generator, height: int = 512, width: int = 256) -> NDArray[np.uint8]:
    """Blades and plumes of reed on a transparent ground."""
    rgb = np.zeros((height, width, 3)) + np.array([0.50, 0.46, 0.28])
    alpha = np.zeros((height, width))
    v = np.arange(height)[:, None]
    x = np.arange(width)[None]
    for _ in range(46):
        root = rng.uniform(0.06, 0.94) * width
        tall = rng.uniform(0.45, 0.99) * height
        bend = rng.normal(0, 0.22) * width
        up = (height - v) / tall
        centre = root + bend * np.clip(up, 0, 1) ** 2.2
        half = np.clip(3.4 * np.clip(1 - up, 0, 1) ** 0.7, 0.8, None)
        inside = (np.abs(x - centre) < half) & (up <= 1.0)
        tone = rng.uniform(0.65, 1.15) * (0.75 + 0.3 * np.clip(up, 0, 1))
        colour = np.array([0.52, 0.47, 0.26]) * (1 + rng.normal(0, 0.06, 3))
        rgb = np.where(inside[..., None], (colour * tone[..., None]), rgb)
        alpha[inside] = 1.0
        if rng.random() < 0.35:
            tip = height - tall
            d2 = ((x - (root + bend)) / 5.5) ** 2 + ((v - tip - 26) / 30.0) ** 2
            plume = (d2 < 1.0) & (rng.random((height, width)) < 0.75)
            rgb = np.where(plume[..., None], np.array([0.36, 0.27, 0.19]) * tone[..., None], rgb)
            alpha[plume] = 1.0
    return _rgba(rgb, alpha)


def tree(rng: np.random.Generator, size: int = 512) -> NDArray[np.uint8]:
    """A round-headed tree on a transparent ground, for the far bank."""
    y, x = np.mgrid[0:size, 0:size] / size
    leaf = fractal((size, size), 20, 3, rng)
    head = np.zeros((size, size))
    for _ in range(17):
        cx, cy, r = rng.normal(0.5, 0.16), rng.uniform(0.14, 0.58), rng.uniform(0.10, 0.2)
        head = np.maximum(head, 1 - np.hypot((x - cx), (y - cy) * 1.15) / r)
    # Thinner towards the edges of the picture, which would cut a crown straight.
    edge = np.minimum(np.minimum(x, 1 - x), y)
    crown = (head > 0.0) & (head + (leaf - 0.5) * 1.1 - 6 * np.clip(0.1 - edge, 0, 1) > 0.18)
    trunk = (np.abs(x - 0.5 - 0.02 * np.sin(y * 9)) < 0.022 * (0.6 + y)) & (y > 0.45)
    shade = 0.55 + 0.8 * (leaf - 0.4) + 0.4 * (0.5 - y)
    rgb = shade[..., None] * np.array([0.27, 0.31, 0.17])
    rgb = np.where((trunk & ~crown)[..., None], np.array([0.21, 0.17, 0.13]), rgb)
    return _rgba(rgb, (crown | trunk).astype(float))


def net(size: int = 256) -> NDArray[np.uint8]:
    """Knotted diamond mesh of a fishing net."""
    y, x = np.mgrid[0:size, 0:size] / size * 16
    a, b = (x + y) % 1.0, (x - y) % 1.0
    cord = (np.abs(a - 0.5) > 0.44) | (np.abs(b - 0.5) > 0.44)
    knot = (np.abs(a - 0.5) > 0.36) & (np.abs(b - 0.5) > 0.36)
    return _rgba(np.zeros((size, size, 3)) + np.array([0.42, 0.38, 0.29]), (cord | knot).astype(float))


def notice(rng: np.random.Generator, size: int = 256) -> NDArray[np.uint8]:
    """A board with three pinned papers; the writing is only lines."""
    rgb = np.zeros((size, size, 3)) + np.array([0.24, 0.20, 0.16])
    for left, top, w, h in ((0.08, 0.12, 0.36, 0.62), (0.5, 0.1, 0.4, 0.36), (0.54, 0.54, 0.32, 0.36)):
        x0, y0, x1, y1 = (int(v * size) for v in (left, top, left + w, top + h))
        rgb[y0:y1, x0:x1] = np.array([0.80, 0.76, 0.64]) * rng.uniform(0.85, 1.0)
        for line in range(y0 + 10, y1 - 6, 9):
            rgb[line : line + 2, x0 + 8 : x0 + 8 + int((x1 - x0 - 16) * rng.uniform(0.5, 1.0))] = 0.22
    return _rgba(rgb)


def ripples(rng: np.random.Generator, size: int = 256, strength: float = 0.35) -> NDArray[np.uint8]:
    """Tangent-space normals of faint ripples."""
    height = fractal((size, size), 8, 4, rng)
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * strength * 10
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * strength * 10
    normal = np.stack([-dx, dy, np.ones_like(dx)], -1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return _rgba(normal * 0.5 + 0.5)


def rust(rng: np.random.Generator, size: int = 256) -> NDArray[np.uint8]:
    """Roughness in green, metalness in blue (glTF order): bare iron with rough, dull patches."""
    patches = np.clip((fractal((size, size), 5, 5, rng) - 0.45) * 5, 0, 1)
    return _rgba(np.stack([np.ones_like(patches), 0.42 + 0.5 * patches, 1.0 - 0.9 * patches], -1))


def corrugated(rng: np.random.Generator, size: int = 256) -> NDArray[np.uint8]:
    """Colour of a weathered tin roof; ridges run along v."""
    ridge = 0.5 + 0.5 * np.cos(np.arange(size) / size * 2 * np.pi * 10)
    stain = fractal((size, size), 4, 5, rng)
    value = 0.42 + 0.12 * ridge[None] + 0.25 * (stain - 0.5)
    warm = np.clip((stain - 0.5) * 5, 0, 1)[..., None]
    return _rgba(value[..., None] * (np.array([0.82, 0.84, 0.86]) * (1 - warm) + np.array([0.72, 0.5, 0.36]) * warm))
