"""Makes tests/core/golden/spectrl2.csv, the clear-day light of an independent model; needs pvlib (not locked).

    python scripts/make_golden_beam.py > tests/core/golden/spectrl2.csv

Bird & Riordan (1986) as pvlib has it (`pvlib.spectrum.spectrl2`), weighted by the CIE photopic curve.
Its haze is as high as the air, so that its air mass near the horizon is too low; its optical depth
is set to 0.125 so that slant paths agree with a layer of 0.12 that is 2 km high.
"""

import warnings

import numpy as np

warnings.simplefilter("ignore")
import colour
from pvlib.atmosphere import get_relative_airmass
from pvlib.spectrum import spectrl2

observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
nm = np.arange(380.0, 781.0)
eye = np.interp(nm, observer.wavelengths, observer.values[:, 1], left=0, right=0)
print("apparent_altitude_deg,beam_lx,diffuse_lx,global_lx")
for altitude in (90, 75, 60, 45, 30, 20, 15, 10, 7, 5):
    zenith = 90 - altitude
    spectra = spectrl2(
        apparent_zenith=zenith, aoi=zenith, surface_tilt=0, ground_albedo=0.2, surface_pressure=101325.0,
        relative_airmass=get_relative_airmass(zenith), precipitable_water=1.5, ozone=0.33,
        aerosol_turbidity_500nm=0.125 * (500 / 550) ** -1.3, alpha=1.3, scattering_albedo_400nm=0.95, dayofyear=93,
    )  # fmt: skip
    lux = [
        683 * np.trapezoid(np.interp(nm, spectra["wavelength"], np.ravel(spectra[key])) * eye, nm)
        for key in ("dni", "dhi", "poa_global")
    ]
    print(f"{altitude}," + ",".join(f"{v:.0f}" for v in lux))
