"""Makes `lunar_haze/core/sky/bands.py` from published spectra; needs pvlib and colour-science (not locked).

    python scripts/make_sky_bands.py > src/lunar_haze/core/sky/bands.py

Sun: extraterrestrial column of ASTM G173-03. Ozone: Bird & Riordan (1986), Simple solar spectral
model, table 1 (after Leckner 1978). Both ship inside pvlib. Eye: CIE 1931 2 degree observer, from
colour-science.
"""

import sys
from pathlib import Path

import colour
import numpy as np
import pandas as pd
import pvlib

EDGES = np.linspace(395.0, 695.0, 13)

data = Path(pvlib.__file__).parent / "data" / "ASTMG173.csv"
table = pd.read_csv(data, skiprows=1)
nm = np.arange(360.0, 830.5, 0.5)
sun = np.interp(nm, table.iloc[:, 0], table.iloc[:, 1])
observer = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"]
eye = np.stack([np.interp(nm, observer.wavelengths, observer.values[:, k]) for k in range(3)], -1)
module = sys.modules["pvlib.spectrum.spectrl2"]
bird = module._SPECTRL2_COEFFS
ozone = np.interp(nm, bird["wavelength"], bird["ozone_absorption"])

# The tails go to the outer bands, so that no light is lost.
band = np.clip(np.digitize(nm, EDGES) - 1, 0, 11)
rows = []
for b in range(12):
    here = band == b
    weight = sun[here] * eye[here].sum(-1)
    weight = weight / weight.sum()
    xyz = 683.002 * 0.5 * (sun[here, None] * eye[here]).sum(0)
    rows.append((float(weight @ nm[here]), *xyz.tolist(), float(weight @ ozone[here])))

print('"""Twelve bands of the visible spectrum, made by ``scripts/make_sky_bands.py``; do not edit.')
print()
print("Sun: ASTM G173-03, extraterrestrial. Eye: CIE 1931 2 degree observer. Ozone: Bird & Riordan (1986)")
print("after Leckner (1978). Wavelengths are the bands' centroids under sun and eye.")
print('"""')
print()
print("import numpy as np")
print()
print("#: Wavelength [nm]; illuminance XYZ [lx] of the sun above the air; ozone absorption [1 per atm-cm].")
print("BANDS = np.array(")
print("    [")
for row in rows:
    print("        [" + ", ".join(f"{v:.5g}" if k else f"{v:.2f}" for k, v in enumerate(row)) + "],")
print("    ]")
print(")")
