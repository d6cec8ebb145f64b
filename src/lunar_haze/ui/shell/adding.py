"""Adding to a look: everything that can be added, in one menu at the head of the rail.

A lamp or a card is proposed first: Return takes it where it is shown, a click in picture or plan puts it there instead,
Escape leaves it.
"""

import attrs
import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.solve.placing import as_vec, row_along
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.sources.array import LampArray
from lunar_haze.core.sources.facing import Vec3
from lunar_haze.core.sources.kinds import kind_of, lamp_kinds
from lunar_haze.core.sources.model import Source, Surface
from lunar_haze.core.sources.presets import PRESETS, make_source
from lunar_haze.ui.base import theme
from lunar_haze.ui.facets.photographed_sky import ask_photograph, lay_photograph
from lunar_haze.ui.picture.seen import Seen
from lunar_haze.ui.picture.surface_acts import CARDS, STAND_OFF_M, SurfaceActs
from lunar_haze.ui.session.arrivals import add_lamp
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.assistant import ROLES_PROPOSED, Assistant
from lunar_haze.ui.shell.look_acts import HEAVENS, LookActs

#: A lamp that is put by a click in the plan stands so high over what it lights [m].
HEIGHT_M = 2.2
#: Lamps in a row along a line that is drawn: how far apart they stand [m], and how many at the most.
ALONG, APART_M, MOST_ALONG = "lamps along a line", 1.0, 24
#: A shorter line is a slip of the hand [m].
LEAST_LINE_M = 0.1
#: What a click in the sky puts there, so far away [m].
IN_SKY, SKY_FAR_M = ("lightning",), 300.0
#: Lumens of a lamp of a kind that has no preset.
USUAL_LM = 800.0


def usual_lamp(name: str, position: Vec3, aim: Vec3) -> Source:
    """A lamp of a preset, or the usual one of a kind, at ``position`` facing ``aim``."""
    if name in PRESETS:
        return make_source(name, new_id(), name, position, aim)
    if name == ALONG:
        row = LampArray(position, aim, arrangement="row", width_m=3.0, count=4)
        return Source(new_id(), "row of lamps", row, USUAL_LM, "lm", kelvin=2750.0)
    kind = next(kind for kind in lamp_kinds() if kind.name == name)
    shape = attrs.evolve(kind.value(), position=position, aim=aim)
    return Source(new_id(), name, shape, USUAL_LM, "lm", kelvin=3200.0)


class Adding:
    """What is being added, and the menu that it is chosen from."""

    def __init__(
        self, session: Session, acts: LookActs, assistant: Assistant, surface: SurfaceActs, parent: QWidget
    ) -> None:
        self._session, self._acts, self._assistant, self._surface = session, acts, assistant, surface
        self._parent = parent
        self.name = ""

    # -- menu -------------------------------------------------------------------------------------

    def menu(self) -> QMenu:
        """Everything that can be added, each under what it is."""
        menu = QMenu(self._parent)
        menu.setToolTipsVisible(True)
        if not self._session.is_open:
            menu.addAction("open a place first").setEnabled(False)
            return menu
        lamps = menu.addMenu("lamp")
        for preset, (shape, amount, unit, kelvin) in PRESETS.items():
            action = lamps.addAction(theme.icon(kind_of(shape).tag), preset, lambda p=preset: self.offer(p))
            action.setToolTip(f"{amount:g} {unit}, {kelvin:g} K")
        lamps.addSeparator()
        for kind in lamp_kinds():
            if kind.name not in PRESETS:
                lamps.addAction(theme.icon(kind.tag), kind.name, lambda k=kind: self.offer(k.name))
        along = lamps.addAction(theme.icon("array"), ALONG, lambda: self.offer(ALONG))
        along.setToolTip("drag a line in the plan or over surfaces in the picture")
        roles = menu.addMenu("lamp for a role")
        for role, words in ROLES_PROPOSED.items():
            roles.addAction(words, lambda r=role: self._propose(r))
        above = menu.addMenu("sun, moon, sky")
        for name in HEAVENS:
            above.addAction(name, lambda n=name: self._acts.add_heaven(n))
        above.addAction("photographed sky ...", self.ask_photograph)
        cards = menu.addMenu("flag, bounce, cut-out")
        for name in CARDS:
            cards.addAction(name, lambda n=name: self.offer(n))
        self._fill_glowing(menu.addMenu("glowing surface"))
        menu.addAction("bank of mist", lambda: self.offer("bank of mist"))
        return menu

    def ask_photograph(self) -> None:
        """Ask for a photograph and let it stand as the sky."""
        path = ask_photograph(self._session, self._parent)
        if path is not None:
            lay_photograph(self._session, path, self._parent)

    def _fill_glowing(self, menu: QMenu) -> None:
        place = self._session.place
        have = {s.shape.material for s in self._session.document.look.sources if isinstance(s.shape, Surface)}
        names = [m.name for m in place.materials if m.glows and m.name not in have] if place is not None else []
        for name in names:
            menu.addAction(name, lambda n=name: self._add_surface(n))
        if not names:
            menu.addAction("all that glows in this place is there already").setEnabled(False)

    def _propose(self, role: str) -> None:
        self.leave()
        self._parent.setFocus()
        self._assistant.propose(role)

    def _add_surface(self, material: str) -> None:
        made = Source(new_id(), material, Surface(material), 1000.0, "cd/m2", role="practical")
        self._session.act(f"add {material}", edits.add_source(self._session.document, made))
        self._session.choose(made.id)

    # -- putting ----------------------------------------------------------------------------------

    def offer(self, name: str) -> None:
        """Propose a lamp, a card or a bank by the subject; a click says where else."""
        self.name = name
        if name in PRESETS or name not in (*CARDS, "bank of mist"):
            self._session.show_ghost(usual_lamp(name, *self._proposed()))
        # Once the menu has gone, which gives the keyboard back to where it was.
        QTimer.singleShot(0, self._parent, self._parent.setFocus)
        if name == ALONG:
            self._session.said.emit(
                f"{name}: drag a line in plan or picture, Return puts them by the subject, Esc leaves it", False
            )
            return
        self._session.said.emit(
            f"{name}: click in picture or plan to put it there, Return puts it by the subject, Esc leaves it", False
        )

    def _proposed(self) -> tuple[Vec3, Vec3]:
        """Position and aim: beside the subject, towards the lens; without one where the lens looks."""
        shot = self._session.document.shot
        camera, place = shot.seen_from, self._session.place
        right, _up, forward = camera.axes()
        centre, away = np.asarray(camera.aim, float), 1.5
        if place is not None and shot.subject:
            subject = subject_of(place, shot)
            centre, away = subject.centre, max(subject.radius_m, 0.5) + 0.7
        position = centre - right * away * 0.8 - forward * away * 0.6 + np.array([0.0, 0.0, 0.6])
        return as_vec(position), as_vec(centre)

    def leave(self) -> bool:
        """Add nothing after all; says whether something was being added."""
        was, self.name = bool(self.name), ""
        if was:
            self._session.show_ghost(None)
        return was

    def take(self) -> bool:
        """Put it where it is proposed; says whether something was being added."""
        if not self.name:
            return False
        position, aim = self._proposed()
        normal = np.subtract(position, aim)
        self._put(Seen(np.asarray(aim), normal / max(float(np.linalg.norm(normal)), 1e-9), 1.0, -1, -1), position)
        return True

    def put_at(self, seen: Seen | None, direction: np.ndarray) -> bool:
        """Put it on what was clicked in the picture; says whether something was being added.

        ``direction`` (3,) is where the lens looks there: lightning goes into the sky.
        """
        if not self.name:
            return False
        if seen is None and self.name in IN_SKY:
            camera = self._session.document.shot.seen_from
            self._put(
                Seen(np.asarray(camera.aim, float), -direction, SKY_FAR_M, -1, -1),
                as_vec(np.asarray(camera.position) + direction * SKY_FAR_M),
            )
            return True
        if seen is None:
            self._session.said.emit("there is nothing there to put it by; click on the ground or a wall", False)
            return True
        self._put(seen)
        return True

    def put_on_ground(self, east_m: float, north_m: float) -> bool:
        """Put it where the plan was clicked; says whether something was being added."""
        if not self.name:
            return False
        ground = self._ground(east_m, north_m)
        height = HEIGHT_M if self.name in PRESETS or self.name not in CARDS else 1.0
        self._put(
            Seen(np.array([east_m, north_m, ground]), np.array([0.0, 0.0, 1.0]), 1.0, -1, -1),
            (east_m, north_m, ground + height),
        )
        return True

    @property
    def wants_line(self) -> bool:
        """Whether the next drag in plan or picture draws a line."""
        return self.name == ALONG

    def put_on_line(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        """Put lamps along a line that was drawn in the plan, over the ground."""
        points = [np.array([*at, self._ground(*at) + HEIGHT_M]) for at in (start, end)]
        self._put_along(points[0], points[1], np.array([0.0, 0.0, 1.0]))

    def put_between(self, start: Seen, end: Seen) -> None:
        """Put lamps along a line that was drawn over what is seen, off its surfaces."""
        points = [seen.point + seen.normal * STAND_OFF_M for seen in (start, end)]
        self._put_along(points[0], points[1], start.normal + end.normal)

    def _put_along(self, start: np.ndarray, end: np.ndarray, away: np.ndarray) -> None:
        length = float(np.linalg.norm(end - start))
        if length < LEAST_LINE_M:
            self._session.said.emit("that line is too short to put lamps along; drag from one end to the other", False)
            return
        name, self.name = self.name, ""
        self._session.show_ghost(None)
        source = usual_lamp(name, (0.0, 0.0, 1.0), (0.0, 0.0, 0.0))
        assert isinstance(source.shape, LampArray)
        count = min(max(round(length / APART_M) + 1, 2), MOST_ALONG)
        row = row_along(attrs.evolve(source.shape, count=count), start, end, away)
        add_lamp(self._session, f"add {name}", attrs.evolve(source, shape=row))

    def _ground(self, east_m: float, north_m: float) -> float:
        """Height of the lowest thing that has open air above it there [m]: the ground, not the roof over it."""
        if self._session.place is None:
            return 0.0
        low, _high = self._session.place.bounds
        origin = np.array([[east_m, north_m, float(low[2]) - 1.0]])
        distance, found = self._session.index().nearest(origin, np.array([[0.0, 0.0, 1.0]]))
        return float(low[2]) - 1.0 + float(distance[0]) if found[0] >= 0 else max(float(low[2]), 0.0)

    def _put(self, seen: Seen, position: Vec3 | None = None) -> None:
        name, self.name = self.name, ""
        self._session.show_ghost(None)
        if name == "bank of mist":
            self._surface.bank(seen)
        elif name in CARDS:
            self._surface.put_card(name, seen)
        else:
            where = as_vec(seen.point + seen.normal * STAND_OFF_M) if position is None else position
            add_lamp(self._session, f"add {name}", usual_lamp(name, where, as_vec(seen.point)))
