"""The facets of what is chosen: a source, a card, the air or the camera; sections in the order of use."""

from collections.abc import Callable

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QScrollArea

from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.rows import AIR, CAMERA, FINISH, facets_of
from lunar_haze.core.sources.array import LampArray
from lunar_haze.core.sources.kinds import kind_of
from lunar_haze.core.sources.model import Sky
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.facets.air_facets import AirFacets
from lunar_haze.ui.facets.camera_facets import CameraFacets
from lunar_haze.ui.facets.card_facets import CardFacets
from lunar_haze.ui.facets.column import Column, Folds
from lunar_haze.ui.facets.finish_facets import FinishFacets
from lunar_haze.ui.facets.source_facets import SourceFacets
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.chosen import HAND_OFF
from lunar_haze.ui.session.session import Session

#: Sections that few need stay folded until they are opened.
SHUT_AT_FIRST = (
    "beam",
    "night",
    "sky grade",
    "frames",
    "before or behind",
    "scattering colour",
    "exposure as a camera",
    "CDL",
    "grading table",
    "flicker",
)


def _detail_of(thing: object) -> object:
    """What of a shape or card decides which widgets there are, beyond its rows."""
    lamp = thing.lamp if isinstance(thing, LampArray) else thing
    cutout = getattr(lamp, "cutout", None)
    return (
        kind_of(lamp).tag if lamp is not thing else "",
        getattr(thing, "arrangement", ""),
        type(thing.dome).__name__ if isinstance(thing, Sky) else "",
        getattr(thing, "follows_hour", None),
        cutout.kind if cutout is not None else "",
        getattr(getattr(lamp, "distribution", None), "name", ""),
    )


class Facets(QScrollArea):
    """Rebuilt when something else is chosen; refreshed, signals blocked, when values change."""

    def __init__(self, session: Session, folds: Folds, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self._bridge = session, bridge
        #: What the mist does to the picture, in words; the window knows it.
        self.air_words: Callable[[], str] = lambda: ""
        #: Fills the column with the hand-off sheet.
        self.fill_hand_off: Callable[[Column], None] = lambda column: None
        self._folds = folds
        self.column = Column(session, folds, {})
        self._shown: object = None
        #: Where the column of each kind of thing was left [px], and what kind it is of now.
        self._left_at: dict[str, int] = {}
        self._kind = ""
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("facets of what is chosen")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        session.chosen_changed.connect(self.rebuild)
        session.changed.connect(self.refresh)
        session.place_ready.connect(self.rebuild)

    @property
    def wells(self) -> dict[str, Well]:
        """The wells that are shown, by the names of their rows."""
        return self.column.wells

    def reach(self, name: str) -> None:
        """Give a row's well the keyboard, in sight, its sections open."""
        well = self.wells.get(name)
        if well is None:
            return
        self.column.unfold(well)
        well.setFocus(Qt.FocusReason.OtherFocusReason)
        # Once the sections that were opened are laid out.
        QTimer.singleShot(0, well, lambda: self.ensureWidgetVisible(well, 0, 60))

    def update_wells(self) -> None:
        """Paint the wells again."""
        for well in self.wells.values():
            well.update()

    def _facets(self) -> dict[str, Facet]:
        session = self.session
        if not session.is_open or not session.is_anything_chosen or session.chosen == HAND_OFF:
            return {}
        return facets_of(session.document, session.chosen, session.chosen_bank, session.chosen_mask)

    def rebuild(self) -> None:
        """Make the facets of what is chosen anew."""
        session = self.session
        facets = self._facets()
        self._left_at[self._kind] = self.verticalScrollBar().value()
        has_keyboard = self._keyboard_at()
        self._shown = self._signature(facets)
        column = self.column = Column(session, self._folds, facets, self.rebuild)
        if not session.is_open:
            column.words("no place is open")
        elif session.chosen == AIR:
            AirFacets(column, self.air_words).fill()
        elif session.chosen == HAND_OFF:
            self.fill_hand_off(column)
        elif session.chosen == FINISH:
            FinishFacets(column, self._bridge).fill()
        elif session.chosen == CAMERA:
            CameraFacets(column).fill()
        elif session.chosen_source is not None:
            SourceFacets(column, session.chosen, self._bridge).fill()
        elif session.chosen_card is not None:
            CardFacets(column, session.chosen).fill()
        else:
            column.words(
                "Choose a card under the picture, a mark in the plan, or a lamp in the picture.\n\n"
                "Click a surface to put a source there."
            )
        column.finish()
        # A well may be in the midst of telling of its change: it goes once that is done.
        if has_keyboard is not None:
            # It would go to whatever comes next in the window, and what is typed to that.
            self.setFocus()
        old = self.takeWidget()
        if old is not None:
            old.hide()
            old.deleteLater()
        self.setWidget(column.body)
        column.refresh()
        if has_keyboard is not None and has_keyboard in column.wells:
            column.wells[has_keyboard].setFocus()
        self._kind = self._kind_now()
        column.body.adjustSize()
        self.verticalScrollBar().setValue(self._left_at.get(self._kind, 0))

    def _keyboard_at(self) -> str | None:
        """The well that has the keyboard, "" for another part of the column, None where it is elsewhere."""
        now = QApplication.focusWidget()
        if now is None or not (now is self or self.isAncestorOf(now)):
            return None
        return next((name for name, well in self.wells.items() if well is now or well.isAncestorOf(now)), "")

    def _kind_now(self) -> str:
        """The kind of thing that is chosen: columns of one kind are alike, and stay where they were left."""
        session = self.session
        if session.is_open and session.chosen_source is not None:
            return kind_of(session.chosen_source.shape).tag
        return "card" if session.is_open and session.chosen_card is not None else session.chosen

    def _signature(self, facets: dict[str, Facet]) -> object:
        """What decides which widgets there are."""
        session = self.session
        source, card = session.chosen_source, session.chosen_card
        thing = source.shape if source is not None else card
        moves = session.document.shot.ends is not None if session.is_open else False
        banks = len(session.document.look.medium.banks) if session.is_open else 0
        return (
            session.chosen,
            # Titles name them.
            (session.document.current_shot, session.document.current_look) if session.is_open else (),
            tuple(facets),
            type(thing),
            _detail_of(thing),
            source.unit if source else "",
            type(source.flicker) if source else None,
            moves,
            banks,
            self._masks(),
            session.chosen_bank if session.is_open else 0,
        )

    def _masks(self) -> object:
        """What of the masks decides which widgets there are."""
        session = self.session
        if session.chosen != FINISH or not session.is_open:
            return ()
        look = session.document.look
        shown = [
            (m.id, m.name, tuple((r.kind, r.how, r.objects, r.materials) for r in m.regions)) for m in look.finish.masks
        ]
        return tuple(shown), session.chosen_mask, tuple(s.name for s in look.sources)

    def refresh(self) -> None:
        """Show the values as they are now."""
        if self._shown != self._signature(self._facets()):
            self.rebuild()
        else:
            self.column.refresh()
