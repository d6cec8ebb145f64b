"""What of the document is chosen: a source, a card, the air and one of its banks, the finish and one of its masks."""

from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Document
from lunar_haze.core.document.rows import AIR, CAMERA, FINISH
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.model import Source

#: What is chosen while the hand-off sheet stands in the column.
HAND_OFF = "hand-off"


class Chosen(QObject):
    """The choice within a document, which a subclass holds; ``chosen_changed`` when it is another."""

    chosen_changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.chosen = ""
        self._chosen_bank = 0
        self._chosen_mask = (0, 0)
        #: Whether the brush of a mask erases.
        self.mask_erases = False

    @property
    def document(self) -> Document:
        """The document as it is now."""
        raise NotImplementedError

    @property
    def is_open(self) -> bool:
        """Whether there is a document with something to look at."""
        return bool(self.document.shots)

    @property
    def chosen_source(self) -> Source | None:
        """The chosen source, or None when air, the lens or nothing is chosen."""
        return self.document.look.source(self.chosen) if self.is_open else None

    @property
    def is_anything_chosen(self) -> bool:
        """Whether what is chosen is there."""
        if self.chosen in (AIR, CAMERA, FINISH, HAND_OFF):
            return True
        return self.chosen_source is not None or self.chosen_card is not None

    @property
    def chosen_card(self) -> Card | None:
        """The chosen card, or None."""
        cards = self.document.look.cards if self.is_open else ()
        return next((c for c in cards if c.id == self.chosen), None)

    def choose(self, what: str) -> None:
        """Choose a source or card by id, the air or the lens."""
        if what != self.chosen:
            self.chosen = what
            self.chosen_changed.emit()

    @property
    def chosen_bank(self) -> int:
        """Which of the air's banks its facets show: the last when that one has gone."""
        return max(min(self._chosen_bank, len(self.document.look.medium.banks) - 1), 0)

    @property
    def chosen_mask(self) -> tuple[int, int]:
        """Which of the finish's masks its facets show, and which region of it."""
        masks = self.document.look.finish.masks if self.is_open else ()
        number = max(min(self._chosen_mask[0], len(masks) - 1), 0)
        return number, max(min(self._chosen_mask[1], len(masks[number].regions) - 1), 0) if masks else 0

    def choose_mask(self, number: int, region: int = 0) -> None:
        """Show a mask among the facets of the finish."""
        self._chosen_mask = (number, region)
        self.choose(FINISH)
        self.chosen_changed.emit()

    def choose_bank(self, number: int) -> None:
        """Show a bank of mist among the facets of the air."""
        self._chosen_mask = (0, 0)
        self._chosen_bank = number
        self.choose(AIR)
        self.chosen_changed.emit()
