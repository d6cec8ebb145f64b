"""The waiting figure: 1.72 m tall, long coat, knitted cap, a lantern in the right hand."""

import attrs
import numpy as np

from lunar_haze.core.place.gannet_reach.solids import Solid, box, ellipsoid, join, tube


def figure() -> list[tuple[str, Solid]]:
    """Parts by material; the figure stands on the origin and faces +x."""
    coat = [
        _trunk(),
        # Left arm hangs, hand in pocket; right arm carries the lantern a little forward.
        tube([(-0.01, 0.195, 1.405), (-0.03, 0.265, 1.24), (-0.03, 0.285, 1.10), (0.05, 0.27, 0.94)],
             [0.062, 0.058, 0.052, 0.046], 14),
        tube([(-0.01, -0.195, 1.405), (-0.04, -0.27, 1.25), (-0.02, -0.295, 1.13), (0.13, -0.305, 1.03)],
             [0.062, 0.058, 0.052, 0.042], 14),
        ellipsoid((-0.01, 0.18, 1.405), (0.075, 0.08, 0.062), 16),
        ellipsoid((-0.01, -0.18, 1.405), (0.075, 0.08, 0.062), 16),
        # Collar turned up.
        tube([(-0.02, 0, 1.45), (-0.03, 0, 1.545)], [0.098, 0.090], 20, caps=False),
    ]  # fmt: skip
    skin = [
        ellipsoid((0.012, 0, 1.615), (0.096, 0.077, 0.118), 28),
        ellipsoid((0.045, 0, 1.555), (0.056, 0.052, 0.052), 18),
        tube([(-0.015, 0, 1.44), (-0.005, 0, 1.56)], [0.056, 0.054], 16),
        tube([(0.098, 0, 1.645), (0.117, 0, 1.605), (0.103, 0, 1.592)], [0.010, 0.0165, 0.010], 10),
        ellipsoid((0.005, 0.080, 1.612), (0.020, 0.010, 0.030), 10),
        ellipsoid((0.005, -0.080, 1.612), (0.020, 0.010, 0.030), 10),
        ellipsoid((0.165, -0.305, 1.015), (0.045, 0.030, 0.042), 12),
        ellipsoid((0.092, 0, 1.567), (0.012, 0.024, 0.006), 10),
        # Brow ridge over both eyes.
        tube([(0.084, -0.052, 1.652), (0.099, -0.020, 1.655), (0.099, 0.020, 1.655), (0.084, 0.052, 1.652)],
             [0.006, 0.009, 0.009, 0.006], 8),
    ]  # fmt: skip
    eyes = [ellipsoid((0.0935, side * 0.0315, 1.630), (0.0125, 0.0125, 0.0125), 18) for side in (-1, 1)]
    iris = [ellipsoid((0.1023, side * 0.0315, 1.630), (0.0045, 0.0062, 0.0062), 12) for side in (-1, 1)]
    cap = [
        tube([(-0.012, 0, 1.665), (-0.014, 0, 1.70), (-0.018, 0, 1.735), (-0.022, 0, 1.757)],
             [0.099, 0.099, 0.072, 0.020], 20),
        tube([(-0.006, 0, 1.652), (-0.009, 0, 1.688)], [0.104, 0.104], 20),
    ]  # fmt: skip
    legs = [
        tube([(0, side * 0.085, 0.48), (0.005, side * 0.095, 0.28), (0.0, side * 0.10, 0.10)],
             [0.078, 0.066, 0.058], 14) for side in (-1, 1)
    ]  # fmt: skip
    boots = [
        part
        for side in (-1, 1)
        for part in (
            tube([(0.0, side * 0.10, 0.22), (0.0, side * 0.10, 0.05)], [0.066, 0.058], 14),
            ellipsoid((0.06, side * 0.105, 0.045), (0.135, 0.052, 0.045), 16),
            box((0.05, side * 0.105, 0.012), (0.27, 0.096, 0.024)),
        )
    ]
    lantern_glass, lantern_metal, flame = lantern((0.175, -0.305, 0.69))
    return [
        ("coat", join(coat)),
        ("skin", join(skin)),
        ("eye", join(eyes)),
        ("iris", join(iris)),
        ("wool", join(cap)),
        ("trousers", join(legs)),
        ("leather", join(boots)),
        ("brass", lantern_metal),
        ("clear glass", lantern_glass),
        ("lantern flame", flame),
    ]


def _trunk() -> Solid:
    heights = [0.42, 0.62, 0.85, 1.02, 1.18, 1.32, 1.42, 1.475, 1.51]
    radii = [0.262, 0.240, 0.212, 0.186, 0.198, 0.214, 0.196, 0.120, 0.070]
    body = tube([(0, 0, z) for z in heights], radii, 28)
    squashed = np.array([0.68, 1.0, 1.0])
    normals = body.normals / squashed
    return attrs.evolve(
        body,
        positions=body.positions * squashed,
        normals=normals / np.linalg.norm(normals, axis=1, keepdims=True),
    )


def lantern(hung_at: tuple[float, float, float]) -> tuple[Solid, Solid, Solid]:
    """Glass, metal and flame of an oil lantern, 0.34 m tall with its ring, foot at ``hung_at``."""
    x, y, z = hung_at
    metal = [
        tube([(x, y, z), (x, y, z + 0.05)], [0.062, 0.056], 16),
        tube([(x, y, z + 0.17), (x, y, z + 0.20), (x, y, z + 0.225)], [0.056, 0.045, 0.018], 16),
        *[
            tube([(x + 0.052 * dx, y + 0.052 * dy, z + 0.04), (x + 0.052 * dx, y + 0.052 * dy, z + 0.18)], 0.0035, 6)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1))
        ],
        tube([(x, y - 0.045, z + 0.19), (x, y - 0.035, z + 0.29), (x, y, z + 0.325), (x, y + 0.035, z + 0.29),
              (x, y + 0.045, z + 0.19)], 0.003, 6),
    ]  # fmt: skip
    glass = tube([(x, y, z + 0.05), (x, y, z + 0.11), (x, y, z + 0.17)], [0.038, 0.046, 0.038], 16, caps=False)
    flame = ellipsoid((x, y, z + 0.092), (0.011, 0.011, 0.026), 12)
    return glass, join(metal), flame
