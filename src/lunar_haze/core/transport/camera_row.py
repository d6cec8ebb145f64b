"""The packed row of a camera: what kernels read of it, by name."""

from lunar_haze.core.units.columns import Columns

CAMERA = Columns("the row of a camera")
EYE = CAMERA.take("eye", 3)
RIGHT = CAMERA.take("right", 3)
UPWARD = CAMERA.take("upward", 3)
FORWARD = CAMERA.take("forward", 3)
#: Tangent of half the angle of view across.
TAN_HALF = CAMERA.take("tan_half")
WIDTH = CAMERA.take("width")
HEIGHT = CAMERA.take("height")
#: Radius of the lens's opening, and the distance along the axis that is sharp [m].
LENS_RADIUS = CAMERA.take("lens_radius")
SHARP_AT = CAMERA.take("sharp_at")
