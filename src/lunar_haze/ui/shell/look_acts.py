"""Acts on the look and on what is chosen in it, as menu and keys call them."""

import math
from collections.abc import Callable

import attrs
import numpy as np
from PySide6.QtWidgets import QInputDialog, QWidget

from lunar_haze.core.document import edits, lists
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.rows import AIR, FINISH
from lunar_haze.core.sky.kinds import sky_kind_of
from lunar_haze.core.sky.lat_long import bearing_of
from lunar_haze.core.sky.model import Lightning
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.sources.array import Placed, moved
from lunar_haze.core.sources.flicker import flicker_light
from lunar_haze.core.sources.model import MOON, Sky, Source, Sun
from lunar_haze.core.sources.storms import Storm
from lunar_haze.core.units.photometry import MID_GREY, exposure_scale
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.base import questions
from lunar_haze.ui.session.session import Session

#: How far over mid grey a flash that is added lights level ground [stops].
FLASH_STOPS = 0.5
#: What lights a cloud for a moment.
LIGHTNING = "lightning in the clouds"
#: What can be added from the menu: shape and role.
HEAVENS = {
    "sun": (Sun(), "key"),
    "moon": (MOON, "key"),
    "sky": (Sky(), "fill"),
    "sky behind the picture": (Sky(lights=False, bounces=False), "background"),
    LIGHTNING: (Sky(Lightning(), follows_hour=False), "kicker"),
}


#: A copy stands so far beside what it was made of [m].
BESIDE_M = 0.5


class LookActs:
    """Each act is one step of undo. ``say`` (text, is_problem) tells the artist, ``set_hour`` moves the day."""

    def __init__(
        self,
        session: Session,
        say: Callable[[str, bool], None],
        set_hour: Callable[[float], None],
        parent: QWidget,
    ) -> None:
        self.session = session
        self._say, self._set_hour, self._parent = say, set_hour, parent

    def start_from_black(self) -> None:
        """Begin from black: in a new empty look, or with everything silenced in this one."""
        if not self.session.is_open:
            return
        document = self.session.document
        answer = questions.ask(
            self._parent,
            "black",
            "Start from black.",
            "A new empty look has this hour and its exposure, and this one stays as it is; silenced, its sources stay "
            "and are brought up one by one.",
            ["new empty look", "silence this one", "cancel"],
        )
        if answer == "new empty look":
            self.session.act("new empty look", lists.add_empty_look(document, "from black"))
            self._say("a new look without light; A adds the first source", False)
        elif answer == "silence this one":
            self.session.act("start from black", edits.start_from_black(document))
            self._say("everything is silenced; choose a card and press N to bring it up", False)

    def toggle(self, field: str, label: str) -> None:
        """Turn a switch of the chosen source, or mute the finish."""
        if self.session.is_open and self.session.chosen == FINISH and field == "muted":
            document = self.session.document
            self.session.act("mute the finish", edits.change_finish(document, muted=not document.look.finish.muted))
            return
        source = self.session.chosen_source
        if source is not None:
            self.session.act_on_source(label, **{field: not getattr(source, field)})

    def nudge(self, stops: float) -> None:
        """Move the chosen source's dimmer by some stops."""
        source = self.session.chosen_source
        if source is not None:
            self.session.act_on_source("dimmer", dimmer_stops=round(source.dimmer_stops + stops, 4))

    def step_hour(self, hours: float) -> None:
        """Move the hour."""
        if self.session.is_open:
            self._set_hour(self.session.document.look.hour_h + hours)

    def add_heaven(self, name: str) -> None:
        """Add a sun, a moon or a sky to the look."""
        document = self.session.document
        shape, role = HEAVENS[name]
        made = Source(new_id(), name, shape, 1.0, "true", role=role)
        if name == LIGHTNING:
            made = self._flash(made)
        made = edits.under_heavens(made, document.look, document.place.site)
        self.session.act(f"add {name}", edits.add_source(document, made))
        self.session.choose(made.id)
        if isinstance(made.shape, Sun) and made.shape.altitude_deg < 0.0:
            low, hour = -made.shape.altitude_deg, document.look.hour_h
            clock = f"{int(hour) % 24:02d}:{int(hour * 60) % 60:02d}"
            self.session.said.emit(
                f"the {name} stands {low:.0f}° below the horizon at {clock} and gives no light: drag the hour, or type "
                "an elevation",
                False,
            )

    def _flash(self, source: Source) -> Source:
        """Lightning before the lens, that flashes at the frame on screen, as strong as this exposure holds."""
        shot, look = self.session.document.shot, self.session.document.look
        _altitude, azimuth = bearing_of(shot.seen_from.axes()[2])
        kind = sky_kind_of(Lightning())
        sky = Sky(Lightning(azimuth_deg=round(azimuth, 1) % 360.0), follows_hour=False)
        flicker = Storm(at_s=shot.seconds)
        share = float(flicker_light(flicker, shot.seconds, shot.open_s, 6000.0)[0])
        bright = MID_GREY * 2.0**FLASH_STOPS / exposure_scale(look.ev100, look.stops)
        held = bright * math.pi / look.weather.atmosphere.ground_albedo / max(share, 1e-3)
        amount = min(float(f"{held:.2g}"), kind.amount)
        if amount < kind.amount:
            self.session.said.emit(
                f"the flash has the level that this exposure holds; three kilometres off a real one gives "
                f"{format_quantity(kind.amount, 'lx')}",
                False,
            )
        return attrs.evolve(source, shape=sky, amount=amount, unit=kind.unit, flicker=flicker)

    def remove_chosen(self) -> None:
        """Take the chosen source or card away."""
        source, card = self.session.chosen_source, self.session.chosen_card
        if source is not None:
            self.session.act(f"delete {source.name}", edits.remove_source(self.session.document, source.id))
        elif card is not None:
            self.session.act(f"delete {card.name}", edits.remove_card(self.session.document, card.id))

    def copy(self) -> None:
        """Keep the chosen source for pasting."""
        self.session.copied = self.session.chosen_source or self.session.copied

    def paste(self) -> None:
        """Add the copied source once more."""
        copied = self.session.copied
        if copied is not None and self.session.is_open:
            fresh = self._beside(attrs.evolve(copied, id=new_id()))
            self.session.act(f"paste {fresh.name}", edits.add_source(self.session.document, fresh))
            self.session.choose(fresh.id)

    def duplicate(self) -> None:
        """The chosen source once more, a little beside it."""
        if self.session.chosen_source is not None:
            self.copy()
            self.paste()

    def _beside(self, source: Source) -> Source:
        """A source that stands where another does already, to the right of it as the lens sees it.

        Its aim goes along, unless it is the subject.
        """
        shape, document = source.shape, self.session.document
        taken = {s.shape.position for s in document.look.sources if isinstance(s.shape, Placed)}
        if not isinstance(shape, Placed) or shape.position not in taken:
            return source
        right = document.shot.seen_from.axes()[0]
        while shape.position in taken:
            position, aim = (as_vec(np.add(point, BESIDE_M * right)) for point in (shape.position, shape.aim))
            shape = moved(shape, position, shape.aim if source.aims_at_subject else aim)
        return attrs.evolve(source, shape=shape)

    def ask_group(self) -> None:
        """Put the chosen source in a group, by name."""
        source = self.session.chosen_source
        if source is None:
            return
        names = [g.name for g in self.session.document.look.groups]
        name, good = QInputDialog.getItem(
            self._parent, "group", f"group of {source.name} (empty: none)", [source.group or "", *names], 0, True
        )
        if good:
            document = edits.put_in_group(self.session.document, source.id, name.strip())
            self.session.act(f"group {name.strip()}", document)

    def choose_next(self, by: int) -> None:
        """Choose what is so many cards on along the rail, or back."""
        if not self.session.is_open:
            return
        along = [*(source.id for source in self.session.document.look.sources), AIR, FINISH]
        at = along.index(self.session.chosen) + by if self.session.chosen in along else (0 if by > 0 else -1)
        self.session.choose(along[at % len(along)])

    def move_card(self, by: int) -> None:
        """Move the chosen source's card along the rail."""
        ids = [s.id for s in self.session.document.look.sources] if self.session.is_open else []
        if self.session.chosen in ids:
            index = ids.index(self.session.chosen) + by
            self.session.act("order of the cards", edits.move_source(self.session.document, self.session.chosen, index))
