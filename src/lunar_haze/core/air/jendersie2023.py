"""How droplets of fog throw light: a fit of Mie scattering by water droplets of 5 to 50 micrometres.

Jendersie, J. & d'Eon, E. (2023). An approximate Mie scattering function for fog and cloud
rendering. SIGGRAPH Talks. The phase function is a blend of Henyey-Greenstein and Draine:

    p = (1 - w) HG(g_hg) + w Draine(g_d, alpha)

with four parameters by the droplets' diameter d [um], for a narrow spread of sizes and visible light.
"""

import math

import attrs

SMALLEST_UM, LARGEST_UM = 5.0, 50.0


@attrs.frozen
class Blend:
    """Parameters of the blended phase function."""

    g_hg: float
    g_draine: float
    alpha: float
    draine_share: float


def droplets(diameter_um: float) -> Blend:
    """The blend for a droplet diameter [um], held within 5 to 50."""
    d = min(max(diameter_um, SMALLEST_UM), LARGEST_UM)
    return Blend(
        math.exp(-0.0990567 / (d - 1.67154)),
        math.exp(-2.20679 / (d + 3.91029) - 0.428934),
        math.exp(3.62489 - 8.29288 / (d + 5.52825)),
        math.exp(-0.599085 / (d - 0.641583) - 0.665888),
    )
