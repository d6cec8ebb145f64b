"""Rows of the domes a sky can be: by hand, photographed, a flash; and of the grade of their colours."""

import attrs

from lunar_haze.core.units.row import Row, inside, row, under

LIGHTNING_ROWS = under(
    "flash",
    Row("flash azimuth", "azimuth", "°", 0.0, 360.0, 0.0, lambda d: d.azimuth_deg,
        lambda d, v: attrs.evolve(d, azimuth_deg=v % 360.0), period=360.0, path=("azimuth_deg",),
        tip="where in the cloud it strikes, from north"),
    row("flash altitude", "altitude", "altitude_deg", "°", 3.0, 80.0, 22.0, floor=0.5, ceiling=89.0,
        tip="how high the lit part of the cloud stands"),
    row("flash spread", "spread", "spread_deg", "°", 8.0, 90.0, 35.0, ratio=True, floor=2.0, ceiling=180.0,
        tip="how wide the cloud glows: a near flash lights half the sky"),
    row("bolt", "bolt", "bolt", "", 0.0, 1.0, 0.3, floor=0.0, ceiling=1.0,
        tip="the channel's share of the light: it throws hard shadows; 0 leaves the glow in the cloud"),
    row("bolt seed", "seed", "seed", "", 1.0, 40.0, 1.0, whole=True, floor=0.0, ceiling=9999.0,
        tip="another bolt and cloud of the same kind"),
)  # fmt: skip

GRADE = under(
    "sky grade",
    *inside("grade", (
        row("saturation", "saturation", "saturation", "", 0.0, 2.0, 1.0, floor=0.0, ceiling=4.0,
            tip="of the sky's colours; 0 is grey"),
        row("warmer", "warmer", "warmth_mired", "mired", -100.0, 200.0, 0.0, floor=-100.0, ceiling=700.0,
            tip="cooler below 0"),
        row("suppress colour", "suppress colour", "hold_share", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
            tip="how much of the chosen colour goes, so that it does not flood the shot"),
    )),
    row("horizon softness", "horizon softness", "softness_deg", "°", 0.0, 20.0, 3.0, floor=0.0, ceiling=60.0,
        tip="over how much the horizon sinks into the ground"),
)  # fmt: skip

#: Of a sky set by hand: where its sun stands.
MOMENT_ROWS = under(
    "moment",
    row("sun's elevation", "sun's elevation", "sun_altitude_deg", "°", -18.0, 90.0, 45.0, floor=-90.0, ceiling=90.0,
        tip="of the sun that lights this sky"),
    row("sun's azimuth", "sun's azimuth", "sun_azimuth_deg", "°", 0.0, 360.0, 180.0, period=360.0,
        tip="from north, clockwise"),
)  # fmt: skip

PANORAMA_ROWS = (*under(
    "photograph",
    row("turn", "rotation", "turn_deg", "°", -180.0, 180.0, 0.0, tip="brings it round, its sun along with it"),
    row("tilt", "tilt", "tilt_deg", "°", -45.0, 45.0, 0.0, tip="raises its north"),
    row("hue", "hue", "hue_deg", "°", -60.0, 60.0, 0.0, tip="turns all its hues"),
), *GRADE)  # fmt: skip
