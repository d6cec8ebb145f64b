"""Rows of a camera."""

from lunar_haze.core.units.row import row, under

LENS_ROWS = under(
    "lens",
    row("focal length", "focal length", "focal_mm", "mm", 14.0, 135.0, 35.0, ratio=True, floor=6.0, ceiling=1200.0,
        tip="on a 36 mm wide sensor: short and low makes a subject tall"),
    row("f-number", "f-number", "f_number", "", 0.0, 22.0, 0.0, floor=0.0, ceiling=128.0, zero="pinhole",
        tip="low numbers blur what is out of focus; 0 is a pinhole, sharp everywhere"),
    row("focus distance", "focus distance", "focus_m", "m", 0.2, 100.0, 0.0, ratio=True, floor=0.0, ceiling=1e5,
        zero="at the target", tip="0 is where the camera looks; or click a surface and focus there"),
)  # fmt: skip
