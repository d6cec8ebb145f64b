"""Facets of the air: airs to begin with, visibility, how it lies, what it does to light, and what that costs."""

from collections.abc import Callable

from PySide6.QtCore import Qt

from lunar_haze.core.air.presets import PRESETS, fog_of, name_of, sky_haze
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.ui.facets.bank_facets import BankFacets
from lunar_haze.ui.facets.column import Column

#: Room for the longest sentence of what the mist does [lines].
GUIDE_LINES = 6


class AirFacets:
    """Fills a column with the air of the look; ``words`` say what it does to the picture."""

    def __init__(self, column: Column, words: Callable[[], str]) -> None:
        self._column, self._session, self._words = column, column.session, words
        column.keep(self)

    def _changed(self, **changes: object) -> Document:
        return edits.change_medium(self._session.document, **changes)

    def fill(self) -> None:
        """Presets, rows, and the guide."""
        column = self._column
        column.title("air")
        column.lay(
            column.choice(
                "an air to begin with",
                "an air to begin with; change it from there",
                [*PRESETS, "custom"],
                self.choose,
                lambda: name_of(self._session.document.look.medium),
            )
        )
        column.lay(
            column.button(
                "as hazy as the sky", "distance fades as in the sky's own haze at its horizon", self.as_the_sky
            )
        )
        guide = column.words("")
        guide.setAccessibleName("what the mist does")
        # Its sentences come with the picture: what stands below stays where it is.
        guide.setAlignment(Qt.AlignmentFlag.AlignTop)
        guide.setFixedHeight(GUIDE_LINES * guide.fontMetrics().lineSpacing())
        column.on_refresh(lambda: guide.setText(self._words()))
        for section in ("fog", "scattering", "scattering colour"):
            column.section(section)
            column.rows_of(section)
        BankFacets(column).fill()

    def choose(self, name: str) -> None:
        """Begin with an air."""
        if name in PRESETS:
            self._session.act(f"air: {name}", self._changed(**fog_of(PRESETS[name])))

    def as_the_sky(self) -> None:
        """Let the air be the haze of the look's sky."""
        haze = sky_haze(self._session.atmosphere.visibility_km)
        self._session.act("as hazy as the sky", self._changed(**fog_of(haze)))
