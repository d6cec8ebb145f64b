"""Facets of a chosen card: a flag, a bounce or a cut-out that stands in space."""

from PySide6.QtWidgets import QLineEdit

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.sources.cards import Card
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.cutout_facets import CutOutFacets


class CardFacets:
    """Fills a column for one chosen card."""

    def __init__(self, column: Column, card_id: str) -> None:
        self._column, self._session, self._id = column, column.session, card_id
        column.keep(self)
        self._last = next(c for c in self._session.document.look.cards if c.id == card_id)

    def _now(self) -> Card:
        # While a card is being deleted its facets may be asked once more.
        self._last = next((c for c in self._session.document.look.cards if c.id == self._id), self._last)
        return self._last

    def _changed(self, **changes: object) -> Document:
        return edits.change_card(self._session.document, self._id, **changes)

    def fill(self) -> None:
        """Name, size, reflectance, cut-out, place."""
        column = self._column
        name = QLineEdit()
        name.setAccessibleName("name of the card")

        def take_name() -> None:
            if name.text().strip():
                self._session.act("name", self._changed(name=name.text().strip()))

        name.editingFinished.connect(take_name)
        column.on_refresh(lambda: None if name.hasFocus() else name.setText(self._now().name))
        away = column.check(
            "muted", "as if it were not there", lambda: self._now().muted, lambda on: self._changed(muted=on)
        )
        column.lay(name, away)
        column.words("it stands in the light; the camera does not see it")
        column.section("shape")
        column.rows_of("shape")
        CutOutFacets(column, lambda: self._now().cutout, lambda cut: self._changed(cutout=cut)).fill()
        column.section("place and aim")
        column.rows_of("place and aim")
