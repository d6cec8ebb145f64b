"""What can be done at a place in the picture: put, aim, its highlight, its shadow, focus, read, a helper light."""

import math
from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF
from PySide6.QtWidgets import QMenu, QWidget

from lunar_haze.core.air.medium import Bank
from lunar_haze.core.colour.spaces import luminance
from lunar_haze.core.document import edits
from lunar_haze.core.document.exposure import placed_at
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.errors import HazeError
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.core.finish.white_balance import white_of
from lunar_haze.core.picture.readings import stops_of
from lunar_haze.core.place.model import emissive_luminance
from lunar_haze.core.solve.openings import Opening, filling_panel, gap_along, helper_beam, opening_at
from lunar_haze.core.solve.placing import as_vec, coming_from, following, for_highlight, for_shadow, striking
from lunar_haze.core.solve.rooms import room_about
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.core.sources.amounts import canonical
from lunar_haze.core.sources.array import Placed
from lunar_haze.core.sources.ball import Ball
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.cutouts import CutOut
from lunar_haze.core.sources.gain import source_colour
from lunar_haze.core.sources.model import Sky, Source, Sun, Surface
from lunar_haze.core.sources.presets import PRESETS, make_source
from lunar_haze.core.units.photometry import ev100_of_luminance
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.seen import Seen
from lunar_haze.ui.session.arrivals import add_lamp
from lunar_haze.ui.session.mask_acts import add_mask
from lunar_haze.ui.session.session import Session

#: How far a new lamp stands off the surface it was put on, and a new card [m].
STAND_OFF_M, CARD_OFF_M = 0.4, 0.8
#: A source whose dimmer stands lower than this is off.
OFF_STOPS = -12.0
CARDS = {
    "a dark flag": Card("", "flag"),
    "a bounce card": Card("", "bounce card", reflectance=(0.85, 0.85, 0.85)),
    "a cut-out": Card("", "cut-out", reflectance=(0.02, 0.02, 0.02), cutout=CutOut("leaves", 6.0, 0.5)),
}


class SurfaceActs:
    """Acts on what lies under a point of the picture; ``to_picture`` brings widget positions to [0, 1]."""

    def __init__(
        self, session: Session, bridge: RenderBridge, to_picture: Callable[[QPointF], tuple[float, float]]
    ) -> None:
        self.session, self.bridge, self._to_picture = session, bridge, to_picture
        #: Lets the part of the frame about a place go ahead of the rest.
        self.part_about: Callable[[float, float], None] = lambda x, y: None
        #: Puts a marker on what is seen.
        self.mark: Callable[[Seen], None] = lambda seen: None

    def slip(self, parent: QWidget, at: QPointF, seen: Seen | None) -> QMenu | None:
        """The slip of acts for a position in the picture."""
        sources = self.session.document.look.sources
        menu = QMenu(parent)
        if seen is None:
            sky = next((s for s in sources if isinstance(s.shape, Sky) and s.shape.seen), None)
            if sky is None:
                return None
            menu.addAction(f"choose {sky.name}", lambda: self.session.choose(sky.id))
            menu.addAction(f"suppress this colour in {sky.name}", lambda: self.hold_back(sky, at))
            body = self.session.chosen_source
            if body is not None and isinstance(body.shape, Sun):
                menu.addAction(f"let {body.name} come from here", lambda: self.come_from(at))
            self._fill_gap(menu, at)
            return menu
        self._fill_head(menu, seen)
        put = menu.addMenu("put here")
        for preset in PRESETS:
            put.addAction(preset, lambda p=preset: self.put_source(p, seen))
        put.addSeparator()
        for name in CARDS:
            put.addAction(name, lambda n=name: self.put_card(n, seen))
        chosen = self.session.chosen_source
        if chosen is not None and isinstance(chosen.shape, Placed):
            menu.addAction(f"aim {chosen.name} here", lambda: self.aim(seen))
            away = seen.point + seen.normal * STAND_OFF_M
            menu.addAction(f"move {chosen.name} here", lambda: self._reshape("position", away))
            menu.addAction(f"highlight of {chosen.name} here", lambda: self.highlight(seen))
            menu.addAction(f"shadow of the subject from {chosen.name} here", lambda: self.shadow(seen))
        elif chosen is not None and isinstance(chosen.shape, Sun):
            menu.addAction(f"let {chosen.name} strike here", lambda: self.strike(seen))
        elif self.session.chosen_card is not None:
            card = self.session.chosen_card
            menu.addAction(f"face {card.name} here", lambda: self._move_card(card, "aim", seen.point))
            menu.addAction(
                f"move {card.name} here",
                lambda: self._move_card(card, "position", seen.point + seen.normal * CARD_OFF_M),
            )
        menu.addSeparator()
        menu.addAction("a bank of mist here", lambda: self.bank(seen))
        room = self._room_of(seen)
        if room is not None:
            menu.addAction("fill this room with mist", lambda: self.session.add_bank(room))
        menu.addAction("let mist begin here", lambda: self.begin_mist(seen))
        menu.addSeparator()
        self._fill_gap(menu, at)
        menu.addAction("read here", lambda: self.read_at(at))
        menu.addAction("refine a render region here first", lambda: self.part_about(*self._to_picture(at)))
        menu.addAction("a marker here", lambda: self.mark(seen))
        expose = menu.addMenu("expose for this")
        for stops, words in ((0.0, "on mid grey"), (2.0, "two stops over grey"), (-2.0, "two stops under grey")):
            expose.addAction(words, lambda s=stops, w=words: self.expose(at, s, w))
        menu.addAction("make this neutral", lambda: self.neutral(at))
        menu.addAction("focus here", lambda: self.focus(seen))
        if self.session.place is not None:
            name = self.session.place.objects[seen.object]
            menu.addAction(f"make {name} the subject", lambda: self._make_subject(seen))
            menu.addAction(f"mask {name}", lambda: add_mask(self.session, name, Region("objects", objects=(name,))))
            worn = self.session.place.materials[seen.material].name
            menu.addAction(
                f"mask all {worn}", lambda: add_mask(self.session, worn, Region("materials", materials=(worn,)))
            )
            if chosen is not None:
                touched = not chosen.linking.excludes(name)
                words = f"keep {chosen.name} off {name}" if touched else f"let {chosen.name} light {name}"
                menu.addAction(words, lambda: self._touch(chosen, name, not touched))
        return menu

    def _fill_head(self, menu: QMenu, seen: Seen) -> None:
        place = self.session.place
        if place is None:
            return
        material = place.materials[seen.material]
        head = menu.addAction(
            f"{place.objects[seen.object]}: {material.name}, {format_quantity(seen.distance_m, 'm')} away"
        )
        head.setEnabled(False)
        for source in self.session.document.look.sources:
            if isinstance(source.shape, Surface) and source.shape.material == material.name:
                menu.addAction(f"choose {source.name}", lambda s=source: self.session.choose(s.id))
        if material.glows:
            menu.addAction("a real lamp in this fixture", lambda: self.practical(seen))
        if material.clear > 0:
            menu.addAction("a beam along the sun through it", lambda: self.pane(seen, True))
            menu.addAction("a soft panel that fills it", lambda: self.pane(seen, False))
        menu.addSeparator()

    # -- lamps ------------------------------------------------------------------------------------

    def put_source(self, preset: str, seen: Seen) -> None:
        """Add a lamp of a preset off the surface, aimed at it."""
        position = seen.point + seen.normal * STAND_OFF_M
        source = make_source(preset, new_id(), preset, as_vec(position), as_vec(seen.point))
        add_lamp(self.session, f"put a {preset}", source)

    def _reshape(self, part: str, point: np.ndarray) -> None:
        document = edits.change_shape(self.session.document, self.session.chosen, **{part: as_vec(point)})
        self.session.act("aim" if part == "aim" else "place of the lamp", document)

    def _chosen_lamp(self) -> Placed | None:
        source = self.session.chosen_source
        return source.shape if source is not None and isinstance(source.shape, Placed) else None

    def aim(self, seen: Seen) -> None:
        """Aim the chosen lamp here."""
        self._reshape("aim", seen.point)

    def highlight(self, seen: Seen) -> None:
        """Stand the chosen lamp where its highlight falls here."""
        shape = self._chosen_lamp()
        if shape is None:
            return
        camera = self.session.document.shot.seen_from
        moved = for_highlight(shape, camera, seen.point, seen.normal)
        self.session.act("highlight here", edits.reshape(self.session.document, self.session.chosen, moved))

    def shadow(self, seen: Seen) -> None:
        """Stand the chosen lamp where the subject's shadow falls here."""
        place = self.session.place
        if place is None:
            return
        if not self.session.document.shot.subject:
            self.session.said.emit("say first what the subject is: click it, “make ... the subject”", False)
            return
        shape = self._chosen_lamp()
        if shape is None:
            return
        moved = for_shadow(shape, subject_of(place, self.session.document.shot).centre, seen.point)
        self.session.act("shadow here", edits.reshape(self.session.document, self.session.chosen, moved))

    def strike(self, seen: Seen) -> None:
        """Turn the chosen sun or moon, as little as may be, so that it shines on a surface."""
        source = self.session.chosen_source
        if source is None or not isinstance(source.shape, Sun):
            return
        turned = striking(source.shape, seen.point, seen.normal, self.session.index())
        if turned is None:
            self.session.said.emit("nothing in the sky sees this spot: no direction of the sun would strike it", False)
            return
        self.session.act(f"{source.name} strikes here", edits.reshape(self.session.document, source.id, turned))
        self._tell_bond(source)

    def come_from(self, at: QPointF) -> None:
        """Let the chosen sun or moon stand where the sky was clicked."""
        source = self.session.chosen_source
        if source is None or not isinstance(source.shape, Sun):
            return
        x, y = self._to_picture(at)
        shot = self.session.document.shot
        width, height = shot.frame_width, shot.frame_height
        _origin, direction = shot.seen_from.ray(x * width, y * height, width, height)
        moved = coming_from(source.shape, direction)
        self.session.act(f"{source.name} comes from here", edits.reshape(self.session.document, source.id, moved))
        self._tell_bond(source)

    def _tell_bond(self, before: Source) -> None:
        """Say what a photograph does when the sun that was taken out of it was moved."""
        look = self.session.document.look
        sky, sun = look.source(before.lobe_of), look.source(before.id)
        if sky is None or sun is None or not isinstance(sun.shape, Sun) or not isinstance(before.shape, Sun):
            return
        told = f"{sky.name} is turned along"
        raised = sun.shape.altitude_deg - before.shape.altitude_deg
        if abs(raised) > 0.5:
            way = "higher" if raised > 0 else "lower"
            told += f", but a photograph cannot be raised: the sun stands {abs(raised):.0f}° {way} than in it"
        self.session.said.emit(told, False)

    def practical(self, seen: Seen) -> None:
        """A real source in a glowing fixture: its place, size and colour; the glow stays for the lens."""
        place = self.session.place
        if place is None:
            return
        fixture = opening_at(place, seen.object, seen.material, seen.point)
        if fixture is None:
            return
        material = place.materials[seen.material]
        glow = next(
            (
                s
                for s in self.session.document.look.sources
                if isinstance(s.shape, Surface) and s.shape.material == material.name
            ),
            None,
        )
        radius = min(max(float(np.linalg.norm(np.ptp(fixture.corners, 0))) / 4, 0.01), 1.0)
        level = emissive_luminance(material) if glow is None else canonical(glow.shape, glow.amount, glow.unit)
        rgb = np.asarray(material.emissive, float)
        lamp = Source(
            new_id(),
            f"lamp in {place.objects[seen.object]}",
            Ball(as_vec(fixture.centre), radius, aim=as_vec(fixture.centre - np.array([0, 0, 1.0]))),
            level,
            "cd/m2",
            role="practical",
            gel=as_vec(rgb / max(float(luminance(rgb)), 1e-6)),
            dimmer_stops=glow.dimmer_stops if glow else 0.0,
        )
        fixture_name = place.objects[seen.object]
        document = edits.put_in_group(edits.add_source(self.session.document, lamp), lamp.id, fixture_name)
        if glow is not None and (glow.muted or glow.dimmer_stops < OFF_STOPS):
            # Who asks for a lamp wants light: a fixture that is off is switched on with it.
            document = edits.change_source(document, glow.id, muted=False, dimmer_stops=0.0)
            document = edits.change_source(document, lamp.id, dimmer_stops=0.0)
            self.session.said.emit(f"{fixture_name} was off: lamp and glow are at +0.0 stops now", False)
        if glow is not None:
            # Fixture and lamp are dimmed, muted and copied as one.
            document = edits.put_in_group(document, glow.id, fixture_name)
        self.session.act("a lamp in the fixture", document)
        self.session.choose(lamp.id)

    def _fill_gap(self, menu: QMenu, at: QPointF) -> None:
        if self.session.place is not None:
            menu.addAction("a beam along the sun through this gap", lambda: self.gap(at, True))
            menu.addAction("a soft panel that fills this gap", lambda: self.gap(at, False))

    def pane(self, seen: Seen, along_sun: bool) -> None:
        """A helper light through the pane that was picked, as a proposal."""
        place = self.session.place
        if place is not None:
            self._helper(opening_at(place, seen.object, seen.material, seen.point), along_sun)

    def gap(self, at: QPointF, along_sun: bool) -> None:
        """A helper light through the gap that one looks through at a position, as a proposal."""
        shot = self.session.document.shot
        x, y = self._to_picture(at)
        size = shot.frame_width, shot.frame_height
        self._helper(gap_along(self.session.index(), *shot.seen_from.ray(x * size[0], y * size[1], *size)), along_sun)

    def _helper(self, opening: Opening | None, along_sun: bool) -> None:
        if opening is None:
            self.session.said.emit("no opening was found there; click the pane itself, or the middle of a gap", False)
            return
        look = self.session.document.look
        if along_sun:
            sun = next((s for s in look.sources if isinstance(s.shape, Sun)), None)
            if sun is None or not isinstance(sun.shape, Sun):
                self.session.said.emit("there is no sun or moon to go along with; add one, or fill the opening", False)
                return
            level = canonical(sun.shape, sun.amount, sun.unit, self.session.atmosphere) * 2.0**sun.dimmer_stops
            made = helper_beam(opening, np.asarray(sun.shape.towards()), max(level, 1.0), sun.kelvin)
            rgb = source_colour(sun, self.session.atmosphere)
            made = attrs.evolve(made, kelvin=None, gel=as_vec(rgb / max(float(luminance(rgb)), 1e-6)))
        else:
            lens = np.asarray(self.session.document.shot.seen_from.position)
            made = filling_panel(opening, lens - opening.centre, 100.0)
        self.session.show_ghost(made)
        self.session.said.emit(f"{made.name}: Return takes it, Esc leaves it", False)

    # -- cards --------------------------------------------------------------------------------------

    def put_card(self, name: str, seen: Seen) -> None:
        """Stand a card off the surface, facing it."""
        card = attrs.evolve(
            CARDS[name],
            id=new_id(),
            position=as_vec(seen.point + seen.normal * CARD_OFF_M),
            aim=as_vec(seen.point),
        )
        self.session.act(f"put {name}", edits.add_card(self.session.document, card))
        self.session.choose(card.id)

    def _move_card(self, card: Card, part: str, point: np.ndarray) -> None:
        self.session.act("card", edits.change_card(self.session.document, card.id, **{part: as_vec(point)}))

    # -- mist ---------------------------------------------------------------------------------------

    def _along(self, seen: Seen) -> float:
        """How far along the lens's axis a place lies [m]."""
        camera = self.session.document.shot.seen_from
        return float(np.subtract(seen.point, camera.position) @ camera.axes()[2])

    def bank(self, seen: Seen) -> None:
        """Lay a bank of mist about the place."""
        long = max(seen.distance_m / 2, 1.0)
        size = (long, long * 0.7, max(long / 6, 0.6))
        centre = seen.point + np.array([0.0, 0.0, size[2] / 4])
        self.session.add_bank(Bank("bank", centre=as_vec(centre), size=as_vec(np.array(size))))

    def _room_of(self, seen: Seen) -> Bank | None:
        """Mist that fills the room that a place lies in; None out of doors."""
        try:
            return room_about(self.session.index(), seen.point + seen.normal * STAND_OFF_M)
        except HazeError:
            return None

    def begin_mist(self, seen: Seen) -> None:
        """Let the mist begin at the place, and none be nearer to the lens."""
        medium = self.session.document.look.medium
        stretch = attrs.evolve(medium.stretch, begins_m=round(self._along(seen), 3), ends_m=math.inf)
        self.session.act("where mist begins", edits.change_medium(self.session.document, stretch=stretch))
        if medium.is_clear:
            self.session.said.emit("the air is clear; give it mist in its facets", False)

    # -- lens, subject --------------------------------------------------------------------------------

    def focus(self, seen: Seen) -> None:
        """Let the lens be sharp here."""
        camera, along = self.session.document.shot.seen_from, self._along(seen)
        focused = attrs.evolve(camera, focus_m=round(along, 3))
        self.session.act("focus", edits.change_camera(self.session.document, focused))
        if camera.f_number <= 0:
            self.session.said.emit("the camera is a pinhole, sharp everywhere; give it an f-number", False)

    def _make_subject(self, seen: Seen) -> None:
        place = self.session.place
        if place is None:
            return
        name = place.objects[seen.object]
        document = edits.change_shot(self.session.document, subject=(name,))
        self.session.act("subject", following(document, place))
        self.session.said.emit(f"{name} is the subject of {self.session.document.current_shot}", False)

    def _touch(self, source: Source, name: str, lit: bool) -> None:
        linking = source.linking
        mode = "but" if linking.mode == "all" else linking.mode
        listed = (mode == "but") != lit
        rest = tuple(n for n in linking.objects if n != name)
        names = (*rest, name) if listed else rest
        changed = attrs.evolve(linking, mode=mode if names or mode == "only" else "all", objects=names)
        self.session.act("what it lights", edits.change_source(self.session.document, source.id, linking=changed))

    # -- readings ---------------------------------------------------------------------------------

    def colour_at(self, at: QPointF) -> NDArray[np.float64] | None:
        """Light (3,) ACEScg under a position, or None outside the picture."""
        picture = self.bridge.shown.picture
        x, y = self._to_picture(at)
        if picture is None or not (0 <= x < 1 and 0 <= y < 1):
            return None
        colour: NDArray[np.float64] = picture[int(y * picture.shape[0]), int(x * picture.shape[1])].astype(float)
        return colour

    def hold_back(self, sky: Source, at: QPointF) -> None:
        """Let the colour under a position be the one that the sky's grade suppresses."""
        rgb = self.colour_at(at)
        if rgb is None or rgb.max() <= 0:
            return
        try:
            document = edits.hold_back(self.session.document, sky.id, as_vec(rgb / rgb.max()))
        except HazeError as error:
            self.session.said.emit(str(error), False)
            return
        self.session.act("colour to suppress", document)
        self.session.choose(sky.id)

    def read_at(self, at: QPointF) -> None:
        """Tell the light under a position."""
        pixel = self.colour_at(at)
        if pixel is None:
            return
        stops = float(stops_of(pixel[None, None].astype(np.float32), self.bridge.shown.exposure())[0, 0])
        light = max(float(luminance(pixel)), 0.0)
        ev = ev100_of_luminance(light) if light > 0 else float("-inf")
        self.session.said.emit(f"{format_quantity(light, 'cd/m2')}, EV {ev:.1f}, {stops:+.1f} stops from grey", False)

    def expose(self, at: QPointF, stops: float, words: str) -> None:
        """Expose so that the light under a position lies so many stops over mid grey."""
        pixel = self.colour_at(at)
        light = 0.0 if pixel is None else float(luminance(pixel))
        if light <= 0:
            self.session.said.emit("there is no light here to expose for", False)
            return
        self.session.act(f"expose for this: {words}", placed_at(self.session.document, light, stops))

    def neutral(self, at: QPointF) -> None:
        """Balance the finish's white so that the light under a position is drawn grey."""
        pixel = self.colour_at(at)
        if pixel is None or not float(luminance(pixel)) > 0:
            self.session.said.emit("there is no light here to make neutral", False)
            return
        white = white_of(pixel)
        self.session.act("make this neutral", edits.change_finish(self.session.document, white=white))
        self.session.said.emit(
            f"white balance: {format_quantity(white.kelvin, 'K')}, tint {white.tint_duv:+.3f}", False
        )
