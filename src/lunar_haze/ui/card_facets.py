"""Facets of a chosen card: a flag, a bounce or a cut-out that stands in space."""

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtWidgets import QLineEdit

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.sources.cards import Card
from lunar_haze.ui.lamp_facets import CutOutFacets
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    from lunar_haze.ui.facets import Facets


class CardFacets:
    """Fills a facets column for one chosen card."""

    def __init__(self, facets: "Facets", card_id: str) -> None:
        self._facets, self._session, self._id = facets, facets.session, card_id
        self._last = self._session.chosen_card

    @property
    def shape(self) -> Card:
        """The card as it is now; it is its own shape to the wells of places."""
        self._last = next((c for c in self._session.document.look.cards if c.id == self._id), self._last)
        return self._last

    def _changed(self, **changes: object) -> Document:
        return edits.change_card(self._session.document, self._id, **changes)

    def fill(self) -> None:
        """Name, size, paleness, cut-out, place."""
        well = self._facets.well
        name = QLineEdit()
        name.setAccessibleName("name of the card")
        name.editingFinished.connect(
            lambda: name.text().strip() and self._session.act("name", self._changed(name=name.text().strip()))
        )
        self._facets.on_refresh(lambda: None if name.hasFocus() else name.setText(self.shape.name))
        away = self._facets.check(
            "muted", "as if it were not there", lambda: self.shape.muted, lambda on: self._changed(muted=on)
        )
        self._facets.row(name, away)
        self._facets.section("a card that the lens does not see")
        for label, field in (("width", "width_m"), ("height", "height_m")):
            well(label, Well(label, "m", 0.1, 6.0, 1.0, ratio=True, floor=0.01, ceiling=200.0),
                 lambda f=field: getattr(self.shape, f), lambda v, f=field: self._changed(**{f: v}))  # fmt: skip
        well("turned", Well("turned", "°", -90.0, 90.0, 0.0), lambda: self.shape.turn_deg,
             lambda v: self._changed(turn_deg=v))  # fmt: skip
        well("pale", Well("pale", "", 0.0, 1.0, 0.02, floor=0.0, ceiling=1.0, tip="0 takes all light, 1 gives it back"),
             lambda: float(np.mean(self.shape.reflectance)),
             lambda v: self._changed(reflectance=(v, v, v)))  # fmt: skip
        CutOutFacets(self._facets, lambda: self.shape.cutout, lambda cut: self._changed(cutout=cut)).fill()
        for group, field in (("position", "position"), ("target", "aim")):
            for axis, label in enumerate(("east", "north", "up")):
                self._facets.vector_well(group, field, axis, label, lambda: self, self._changed)
