"""Airs to begin with: how far one sees, how it lies, what its droplets or grains do to light.

Droplet sizes after the ranges that fog studies give (radiation fog some 10 um, sea fog some 20 um
in diameter); grains of dust and smoke are told by anisotropy and colour.
"""

from lunar_haze.core.air.medium import Medium

PRESETS: dict[str, Medium] = {
    "clear": Medium(),
    "dust": Medium(90.0, 0.0, 60.0, 8.0, (0.94, 0.90, 0.83), 0.68),
    "haze": Medium(9000.0, 0.0, 300.0, 1000.0, (0.94, 0.95, 0.97), 0.62),
    "thin mist": Medium(900.0, 0.0, 12.0, 120.0, (0.99, 0.99, 0.99), 0.8, 8.0),
    "sea fog": Medium(140.0, 0.0, 30.0, 200.0, (0.995, 0.995, 0.995), 0.85, 18.0),
    "ground mist": Medium(60.0, 0.3, 1.2, 20.0, (0.99, 0.99, 0.99), 0.8, 10.0),
    "smoke": Medium(45.0, 0.0, 8.0, 30.0, (0.62, 0.60, 0.57), 0.55),
    "steam": Medium(14.0, 0.0, 1.5, 6.0, (0.998, 0.998, 0.998), 0.8, 6.0),
}


#: What a preset sets; banks, patches and stretch stay as they are.
FOG = ("visibility_m", "base_m", "fall_off_m", "top_m", "albedo", "anisotropy", "droplet_um")


def fog_of(medium: Medium) -> dict:
    """The fields that a preset sets."""
    return {name: getattr(medium, name) for name in FOG}


def sky_haze(visibility_km: float) -> Medium:
    """Fog that is the haze of a sky of that visibility: what is far fades as the horizon does.

    Both tell haze as Koschmieder does, 3.912 over the visibility at the ground, and let it thin over 1.2 km.
    """
    return Medium(visibility_km * 1000.0, 0.0, 1200.0, 8000.0, (0.94, 0.95, 0.97), 0.7)


def name_of(medium: Medium) -> str:
    """The preset that a medium is, or "custom"."""
    if medium.is_clear:
        return "clear"
    own = fog_of(medium)
    return next((name for name, preset in PRESETS.items() if fog_of(preset) == own), "custom")
