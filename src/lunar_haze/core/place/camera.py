"""A shot's camera: a pinhole with a 36 mm wide sensor that looks from a position to an aim, Z up."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

Vec3 = tuple[float, float, float]
SENSOR_WIDTH_MM = 36.0
#: No lens in air opens wider: light would have to come in from behind it.
LEAST_F_NUMBER = 0.5


@attrs.frozen
class Camera:
    """Positions in metres; ``focal_mm`` on a 36 mm wide sensor.

    ``f_number`` of 0 is a pinhole, sharp everywhere; ``focus_m`` is the distance along the axis
    that is sharp, 0 for that of the aim.
    """

    position: Vec3 = (0.0, -8.0, 1.7)
    aim: Vec3 = (0.0, 0.0, 1.5)
    focal_mm: float = 35.0
    f_number: float = 0.0
    focus_m: float = 0.0

    @property
    def aperture_radius_m(self) -> float:
        """Radius of the lens's opening [m], 0 for a pinhole."""
        return self.focal_mm / 1000 / (2 * max(self.f_number, LEAST_F_NUMBER)) if self.f_number > 0 else 0.0

    @property
    def sharp_at_m(self) -> float:
        """Distance along the axis that is sharp [m]."""
        return self.focus_m if self.focus_m > 0 else max(math.dist(self.position, self.aim), 0.05)

    def plain(self) -> "Camera":
        """The camera as it draws: a pinhole has no focus, and no lens opens wider than the widest."""
        if self.f_number >= LEAST_F_NUMBER:
            return self
        lens = self.f_number > 0
        return attrs.evolve(self, f_number=LEAST_F_NUMBER if lens else 0.0, focus_m=self.focus_m if lens else 0.0)

    @property
    def tan_half_width(self) -> float:
        """Tangent of half the horizontal angle of view."""
        return SENSOR_WIDTH_MM / 2 / self.focal_mm

    def axes(self) -> NDArray[np.float64]:
        """Rows right, up, forward (3, 3): an orthonormal, right-handed frame."""
        forward = np.subtract(self.aim, self.position)
        forward = forward / max(np.linalg.norm(forward), 1e-9)
        right = np.cross(forward, (0.0, 0.0, 1.0))
        if np.linalg.norm(right) < 1e-6:
            right = np.array([1.0, 0.0, 0.0])
        right = right / np.linalg.norm(right)
        return np.stack([right, np.cross(right, forward), forward])

    def project(self, points: NDArray, width: float, height: float) -> NDArray[np.float64]:
        """Pixel x, y (from the top left) and depth along the axis [m] of ``points`` (..., 3) [m]; nan behind the lens.

        The frame is ``width`` by ``height`` [px].
        """
        local = (np.asarray(points, float) - self.position) @ self.axes().T
        depth = local[..., 2]
        safe = np.where(depth > 1e-6, depth, np.nan)
        scale = width / 2 / self.tan_half_width
        return np.stack(
            [width / 2 + local[..., 0] / safe * scale, height / 2 - local[..., 1] / safe * scale, depth], -1
        )

    def ray(self, x: float, y: float, width: float, height: float) -> tuple[NDArray, NDArray]:
        """Origin [m] and unit direction of the ray through a place x, y of a frame ``width`` by ``height`` [px]."""
        return np.asarray(self.position), self.directions(np.asarray(x), np.asarray(y), width, height)

    def directions(self, x: NDArray, y: NDArray, width: float, height: float) -> NDArray[np.float64]:
        """Unit directions (..., 3) of the rays through places x, y (...) of a frame ``width`` by ``height`` [px]."""
        right, up, forward = self.axes()
        scale = self.tan_half_width / (width / 2)
        found = forward + right * (x - width / 2)[..., None] * scale - up * (y - height / 2)[..., None] * scale
        return found / np.linalg.norm(found, axis=-1, keepdims=True)

    def orbited(self, azimuth_deg: float, altitude_deg: float) -> "Camera":
        """The camera turned about its aim: by a bearing and a height over the horizon [deg], kept off the poles."""
        offset = np.subtract(self.position, self.aim)
        radius = float(np.linalg.norm(offset))
        azimuth = math.atan2(offset[1], offset[0]) + math.radians(azimuth_deg)
        altitude = math.asin(max(-1.0, min(1.0, offset[2] / max(radius, 1e-9)))) + math.radians(altitude_deg)
        altitude = max(-1.5, min(1.5, altitude))
        turned = radius * np.array(
            [math.cos(altitude) * math.cos(azimuth), math.cos(altitude) * math.sin(azimuth), math.sin(altitude)]
        )
        return attrs.evolve(self, position=tuple((np.asarray(self.aim) + turned).tolist()))

    def aimed_at(self, distance_m: float) -> "Camera":
        """The same view with its aim ``distance_m`` [m] before the lens."""
        aim = np.asarray(self.position) + self.axes()[2] * distance_m
        return attrs.evolve(self, aim=tuple(aim.tolist()))

    def towards(self, other: "Camera", share: float) -> "Camera":
        """The camera a share of the way to another: in a straight line, at an even pace."""

        def between(a: Vec3, b: Vec3) -> Vec3:
            return tuple((np.asarray(a) * (1 - share) + np.asarray(b) * share).tolist())

        def number(a: float, b: float) -> float:
            return a * (1 - share) + b * share

        return Camera(
            between(self.position, other.position),
            between(self.aim, other.aim),
            number(self.focal_mm, other.focal_mm),
            number(self.f_number, other.f_number),
            number(self.focus_m, other.focus_m),
        )

    def dollied(self, factor: float) -> "Camera":
        """The camera moved along its axis so that its distance to the aim is multiplied by ``factor``."""
        offset = np.subtract(self.position, self.aim) * factor
        if np.linalg.norm(offset) < 0.05:
            return self
        return attrs.evolve(self, position=tuple((np.asarray(self.aim) + offset).tolist()))
