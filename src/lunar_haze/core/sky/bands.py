"""Twelve bands of the visible spectrum, made by ``scripts/make_sky_bands.py``; do not edit.

Sun: ASTM G173-03, extraterrestrial. Eye: CIE 1931 2 degree observer. Ozone: Bird & Riordan (1986)
after Leckner (1978). Wavelengths are the bands' centroids under sun and eye.
"""

import numpy as np

#: Wavelength [nm]; illuminance XYZ [lx] of the sun above the air; ozone absorption [1 per atm-cm].
BANDS = np.array(
    [
        [411.91, 1316.4, 37.17, 6286.3, 0],
        [434.36, 8233.3, 438.75, 40728, 0.00019199],
        [456.77, 10159, 1900.3, 56954, 0.0050312],
        [480.07, 2993.5, 5306.3, 25756, 0.014698],
        [507.72, 484.77, 14705, 6390.1, 0.037353],
        [533.18, 6292.5, 27884, 1260.8, 0.066182],
        [557.69, 17363, 31149, 183.92, 0.098838],
        [582.21, 28874, 26052, 46.822, 0.11948],
        [606.42, 29814, 16032, 15.626, 0.1173],
        [630.32, 17083, 7073.9, 1.7386, 0.091216],
        [654.34, 5427.6, 2033.5, 0.027559, 0.066059],
        [683.79, 1345.8, 489.18, 0, 0.036241],
    ]
)
