"""The share rail: one card a source with the picture it makes alone; the row is a sum."""

from PySide6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PySide6.QtGui import QAction, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QMenu, QScrollArea, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.solve.delivered import contribution_order
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.sources.model import ROLES, Source
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.rail.end_cards import END_CARDS
from lunar_haze.ui.rail.share_cards import CARD_HEIGHT, Card, GroupCard
from lunar_haze.ui.session.session import Session

#: Before the name of a folded group, where others have the id of their source.
GROUP = "group "
SORTS = ("hand", "role", "what they give")
#: More cards than this are not shown at once.
MOST_CARDS = 120
SHOWN_AFTER_MS = 30


class ShareRail(QScrollArea):
    """The row of cards, in the order of the look's sources, then those that the whole picture goes through."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        super().__init__()
        self.session, self.bridge = session, bridge
        self.cards: dict[str, Card | GroupCard] = {}
        self.sort, self.only_role, self.left_out = "hand", "", 0
        self._by_worth: list[str] = []
        #: What is done to the source that is chosen, muting first; the window knows the acts.
        self.acts: list[QAction] = []
        self._more = QLabel()
        self._more.setProperty("quiet", True)
        self._row = QWidget()
        self._layout = QHBoxLayout(self._row)
        self._layout.setContentsMargins(4, 3, 4, 2)
        self._layout.setSpacing(4)
        self.setWidget(self._row)
        self._row.installEventFilter(self)
        self.setWidgetResizable(True)
        self.setFixedHeight(CARD_HEIGHT + 13)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        # Pictures are renewed one card at a time, so that a full rail never holds up the window.
        self._due: list[str] = []
        self._renewing = QTimer(self, interval=15)
        self._renewing.timeout.connect(self._renew_one)
        session.changed.connect(self._changed)
        session.chosen_changed.connect(self._row.update)
        # A little later: the row has its width once it was laid out.
        self._showing = QTimer(self, singleShot=True, interval=SHOWN_AFTER_MS)
        self._showing.timeout.connect(self._show_chosen)
        session.chosen_changed.connect(self._showing.start)
        # Cards that came or went have another row: what was in sight may not be any longer.
        self.horizontalScrollBar().rangeChanged.connect(self._showing.start)
        bridge.light.refined.connect(self._all_due)
        bridge.shown.picture_changed.connect(self._with_picture)
        self._seen: tuple[object, ...] = ()
        #: The shot and the look that cards have pictures of.
        self._of = "", ""

    def _show_chosen(self) -> None:
        """Scroll to the card of what is chosen."""
        card = self.cards.get(self.session.chosen)
        if card is not None:
            self.ensureWidgetVisible(card, card.width() // 3, 0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:  # noqa: N802
        # The row lies flat: an ordinary wheel goes along it.
        if watched is self._row and isinstance(event, QWheelEvent):
            bar = self.horizontalScrollBar()
            bar.setValue(bar.value() - (event.angleDelta().y() or event.angleDelta().x()))
            return True
        return super().eventFilter(watched, event)

    def _order(self) -> list[str]:
        """What has a card, in order: sources by id, folded groups by GROUP and name, then air and finish."""
        look = self.session.document.look
        folded = {g.name for g in look.groups if g.folded}
        order: list[str] = []
        for source in self._sorted(look.sources):
            if self.only_role and source.role != self.only_role:
                continue
            what = GROUP + source.group if source.group in folded else source.id
            if what not in order:
                order.append(what)
        # Thousands of cards would hold up the window: the rest is reached by role, group and plan.
        self.left_out = max(len(order) - MOST_CARDS, 0)
        return [*order[:MOST_CARDS], *END_CARDS]

    def _sorted(self, sources: tuple[Source, ...]) -> list[Source]:
        if self.sort == "role":
            ranks = {role: i for i, role in enumerate(ROLES)}
            return sorted(sources, key=lambda s: ranks.get(s.role, len(ranks)))
        if self.sort == "what they give":
            ranks = {key: i for i, key in enumerate(self._by_worth)}
            return sorted(sources, key=lambda s: ranks.get(s.id, len(ranks)))
        return list(sources)

    def sort_by(self, how: str) -> None:
        """Order the cards by hand, by role, or by what they give the subject."""
        self.sort = how
        place = self.session.place
        if how == "what they give" and place is not None:
            document = self.session.document
            self._by_worth = contribution_order(document.look, subject_of(place, document.shot).centre)
        self._changed()

    def show_role(self, role: str) -> None:
        """Show only the cards of a role; "" shows all."""
        self.only_role = role
        self._changed()

    def _ask(self, what: str, at: QPoint) -> None:
        self.session.choose(what)
        self.menu_of(what).popup(at)

    def menu_of(self, what: str) -> QMenu:
        """What can be done to one card's source, its groups, and the order of all cards."""
        menu = QMenu(self)
        end = END_CARDS.get(what)
        if end is not None and end.can_mute:
            menu.addActions(self.acts[:1])
        elif end is None and not what.startswith(GROUP):
            menu.addActions(self.acts)
        menu.addSeparator()
        look = self.session.document.look
        source = look.source(what)
        if source is not None:
            groups = menu.addMenu("group")
            for name in (g.name for g in look.groups):
                groups.addAction(name, lambda n=name: self._group(what, n))
            fresh = edits.free_name("group", (g.name for g in look.groups))
            groups.addAction("a new one", lambda: self._group(what, fresh))
            if source.group:
                groups.addAction(f"out of {source.group}", lambda: self._group(what, ""))
                menu.addAction(f"fold {source.group}", lambda: self._fold(source.group))
        order = menu.addMenu("order")
        for how in SORTS:
            action = order.addAction(f"by {how}", lambda h=how: self.sort_by(h))
            action.setCheckable(True)
            action.setChecked(how == self.sort)
        shown = menu.addMenu("show")
        for role in ("", *ROLES):
            action = shown.addAction(role or "all roles", lambda r=role: self.show_role(r))
            action.setCheckable(True)
            action.setChecked(role == self.only_role)
        return menu

    def _group(self, source_id: str, name: str) -> None:
        self.session.edit("group", edits.put_in_group(self.session.document, source_id, name))
        self.session.seal()

    def _fold(self, name: str) -> None:
        self.session.edit("fold group", edits.change_group(self.session.document, name, folded=True))
        self.session.seal()

    def _move(self, what: str, x: float) -> None:
        """A card was let go of at a position of the row: it goes before the first card past it."""
        ids = [s.id for s in self.session.document.look.sources]
        if what not in ids or self.sort != "hand":
            return
        rest = [i for i in ids if i != what]
        past = next((w for w, card in self.cards.items() if w in rest and card.x() + card.width() / 2 > x), None)
        index = rest.index(past) if past is not None else len(rest)
        self.session.edit("order of the cards", edits.move_source(self.session.document, what, index))
        self.session.seal()

    def _changed(self) -> None:
        if not self.session.is_open:
            return
        order = self._order()
        if order != list(self.cards):
            self._lay_out(order)
        document = self.session.document
        look, of = document.look, (document.current_shot, document.current_look)
        if of != self._of:
            self._of = of
            for card in self.cards.values():
                card.forget()
            self._all_due()
        exposure = (look.ev100, look.stops)
        seen = set(self._seen)
        for source in look.sources:
            if (source, look.group(source.group), exposure) not in seen:
                self._make_due(GROUP + source.group if GROUP + source.group in self.cards else source.id)
        self._seen = tuple((s, look.group(s.group), exposure) for s in look.sources)
        for what, end in END_CARDS.items():
            if not end.with_picture:
                self._make_due(what)
        self._row.update()
        for card in self.cards.values():
            card.update()

    def _lay_out(self, order: list[str]) -> None:
        while self._layout.count():
            self._layout.takeAt(0)
        old = self.cards
        self.cards = {}
        for what in order:
            card = old.pop(what, None)
            if card is None and what.startswith(GROUP):
                card = GroupCard(self.session, self.bridge, what.removeprefix(GROUP))
            elif card is None:
                card = Card(self.session, self.bridge, what)
                card.chosen.connect(self.session.choose)
                card.moved_to.connect(self._move)
                card.asked.connect(self._ask)
            self.cards[what] = card
            self._layout.addWidget(card)
        self._more.setVisible(self.left_out > 0)
        self._more.setText(f"{self.left_out:,} more: fold groups, or show one role")
        self._layout.addWidget(self._more)
        self._layout.addStretch(1)
        self._showing.start()
        for card in old.values():
            card.hide()
            card.deleteLater()
        self._all_due()

    def _with_picture(self) -> None:
        for what, end in END_CARDS.items():
            if end.with_picture:
                self._make_due(what)

    def _all_due(self) -> None:
        for what in self.cards:
            self._make_due(what)

    def _make_due(self, what: str) -> None:
        if what in self.cards and what not in self._due:
            self._due.append(what)
        if not self._renewing.isActive():
            self._renewing.start()

    def _renew_one(self) -> None:
        if not self._due:
            self._renewing.stop()
            return
        card = self.cards.get(self._due.pop(0))
        if card is not None:
            card.renew()
