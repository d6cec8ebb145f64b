"""Facets of the air: airs to begin with, visibility, how it lies, what it does to light, and what that costs."""

import math
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QPushButton

from lunar_haze.core.air.jendersie2023 import LARGEST_UM, SMALLEST_UM
from lunar_haze.core.air.presets import PRESETS, fog_of, name_of, sky_haze
from lunar_haze.core.document.model import Document
from lunar_haze.ui.bank_facets import BankFacets, OfTheAir
from lunar_haze.ui.choice import Choice
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    pass

#: What a well that clears the air snaps to, beyond its range.
CLEAR_BEYOND_M = 60_000.0


class AirFacets(OfTheAir):
    """Fills a facets column with the air of the look."""

    def fill(self) -> None:
        """Presets, wells, and the guide."""
        well = self._facets.well
        self._facets.title("air")
        preset = Choice()
        preset.setAccessibleName("an air to begin with")
        preset.setToolTip("an air to begin with; change it from there")
        preset.addItems([*PRESETS, "custom"])
        preset.textActivated.connect(self.choose)
        self._facets.on_refresh(lambda: preset.setCurrentText(name_of(self._medium())))
        self._facets.row(preset)
        hazy = QPushButton("as hazy as the sky")
        hazy.setToolTip("the far fades as the sky's own haze has it at its horizon")
        hazy.clicked.connect(self.as_the_sky)
        self._facets.row(hazy)
        self._fill_guide()
        well("visibility", Well("visibility", "m", 8.0, 40_000.0, math.inf, ratio=True, floor=0.5,
                              tip="how far the mist lets one see; past the right end the air is clear"),
             lambda: self._medium().visibility_m,
             lambda v: self._changed(visibility_m=math.inf if v > CLEAR_BEYOND_M else v))  # fmt: skip
        well("base height", Well("base height", "m", -2.0, 20.0, 0.0, tip="height below which the mist is full"),
             lambda: self._medium().base_m, lambda v: self._changed(base_m=v))  # fmt: skip
        well("scale height", Well("scale height", "m", 0.5, 300.0, 12.0, ratio=True, floor=0.05, ceiling=1e5,
                                tip="height in which it falls to a third"),
             lambda: self._medium().fall_off_m, lambda v: self._changed(fall_off_m=v))  # fmt: skip
        well("top", Well("top", "m", 2.0, 1000.0, 400.0, ratio=True, floor=0.1, ceiling=1e5,
                             tip="height above which there is no mist"),
             lambda: self._medium().top_m, lambda v: self._changed(top_m=v))  # fmt: skip
        self._facets.section("scattering")
        well("droplets", Well("droplet size", "um", 0.0, LARGEST_UM, 0.0, floor=0.0, ceiling=LARGEST_UM,
                              tip=f"fog has {SMALLEST_UM:.0f} to {LARGEST_UM:.0f}; 0 leaves the anisotropy as it is"),
             lambda: self._medium().droplet_um, self._set_droplets)  # fmt: skip
        onward = Well("anisotropy", "", -0.9, 0.95, 0.55, floor=-0.99, ceiling=0.99,
                      tip="forward above 0: against the lens it makes shafts; back below 0")  # fmt: skip
        well("anisotropy", onward, lambda: self._medium().anisotropy,
             lambda v: self._changed(anisotropy=v, droplet_um=0.0))  # fmt: skip
        well("glow", Well("multiple scattering", "", 0.0, 1.0, 0.0, floor=0.0, ceiling=1.0,
                          tip="how much light is kept that the mist throws more than once: 0 has contrast and shafts, "
                              "1 is true and soft"),
             lambda: self._medium().multiple, lambda v: self._changed(multiple=v))  # fmt: skip
        self._facets.section("colour of the mist (what it scatters)")
        for axis, label in enumerate(("red", "green", "blue")):

            def write(value: float, axis: int = axis) -> Document:
                albedo = list(self._medium().albedo)
                albedo[axis] = value
                return self._changed(albedo=tuple(albedo))

            well(label, Well(label, "", 0.0, 1.0, 0.97, floor=0.0, ceiling=1.0),
                 lambda axis=axis: self._medium().albedo[axis], write)  # fmt: skip
        BankFacets(self._facets).fill()

    def _set_droplets(self, value: float) -> Document:
        """Below half the smallest droplet the phase is set by hand; up to the smallest it is the smallest."""
        return self._changed(droplet_um=0.0 if value < SMALLEST_UM / 2 else max(value, SMALLEST_UM))

    def choose(self, name: str) -> None:
        """Begin with an air."""
        if name in PRESETS:
            self._session.act(f"air: {name}", self._changed(**fog_of(PRESETS[name])))

    def as_the_sky(self) -> None:
        """Let the air be the haze of the look's sky."""
        haze = sky_haze(self._session.atmosphere.visibility_km)
        self._session.act("as hazy as the sky", self._changed(**fog_of(haze)))

    def _fill_guide(self) -> None:
        words = QLabel()
        words.setWordWrap(True)
        words.setProperty("quiet", True)
        words.setAccessibleName("what the mist does")
        self._facets.on_refresh(lambda: words.setText(self._facets.air_words()))
        self._facets.row(words)
