"""Facets of where mist lies: banks of their own, patches that drift, and the stretch of the view that has any."""

import math
from typing import TYPE_CHECKING

import attrs
from PySide6.QtWidgets import QPushButton

from lunar_haze.core.air.banks import KINDS, MOST_BANKS
from lunar_haze.core.air.medium import Bank, Medium
from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.solve.placing import as_vec
from lunar_haze.core.solve.subject import subject_of
from lunar_haze.ui.choice import Choice
from lunar_haze.ui.well import Well

if TYPE_CHECKING:
    from lunar_haze.ui.facets import Facets

#: Past the right end of the well mist goes on for ever.
ENDLESS_M = 2000.0


class OfTheAir:
    """What fills a facets column from the look's air: reading it, and changing it."""

    def __init__(self, facets: "Facets") -> None:
        self._facets, self._session = facets, facets.session

    def _medium(self) -> Medium:
        return self._session.document.look.medium

    def _changed(self, **changes: object) -> Document:
        return edits.change_medium(self._session.document, **changes)


class BankFacets(OfTheAir):
    """Fills a facets column with banks, patches and stretch of the look's air."""

    # -- banks --------------------------------------------------------------------------------------

    def _bank(self) -> Bank:
        return self._medium().banks[self._session.chosen_bank]

    def _with_bank(self, **changes: object) -> Document:
        return edits.change_bank(self._session.document, self._session.chosen_bank, **changes)

    def fill(self) -> None:
        """Banks with their wells, patches, stretch."""
        self._facets.section("banks: mist that lies in one place")
        banks = self._medium().banks
        add = QPushButton("a bank")
        add.setToolTip(
            "a bank of mist where the lens looks; or click a surface: “a bank of mist here”, “fill this room”"
        )
        add.setEnabled(len(banks) < MOST_BANKS)
        add.clicked.connect(self.add)
        if not banks:
            self._facets.row(add)
        else:
            self._fill_bank(add)
        self._fill_patches()
        self._fill_stretch()

    def _fill_bank(self, add: QPushButton) -> None:
        well, banks = self._facets.well, self._medium().banks
        which = Choice()
        which.setAccessibleName("which bank")
        # A long name must not make the column wider than it is.
        which.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        which.addItems([f"{i + 1}  {bank.name}" for i, bank in enumerate(banks)])
        which.setCurrentIndex(self._session.chosen_bank)
        which.activated.connect(self._session.choose_bank)
        away = QPushButton("delete")
        away.clicked.connect(
            lambda: self._session.act(
                "take a bank away", edits.remove_bank(self._session.document, self._session.chosen_bank)
            )
        )
        self._facets.row(which)
        self._facets.row(add, away)
        kind = Choice()
        kind.setAccessibleName("shape of the bank")
        kind.addItems(list(KINDS))
        kind.textActivated.connect(lambda k: self._session.act("shape of the bank", self._with_bank(kind=k)))
        self._facets.on_refresh(lambda: kind.setCurrentText(self._bank().kind))
        self._facets.row(kind)
        well("bank visibility", Well("bank visibility", "m", 2.0, 2000.0, 25.0, ratio=True, floor=0.05,
                                    tip="how far one sees at its heart"),
             lambda: self._bank().visibility_m, lambda v: self._with_bank(visibility_m=v))  # fmt: skip
        well("soft edge", Well("soft edge", "", 0.0, 1.0, 0.7, floor=0.0, ceiling=1.0,
                               tip="share of its half size over which it thins out"),
             lambda: self._bank().softness, lambda v: self._with_bank(softness=v))  # fmt: skip
        for axis, label in enumerate(("long", "wide", "high")):
            well(f"bank {label}", Well(label, "m", 0.2, 200.0, 8.0, ratio=True, floor=0.0, ceiling=1e5),
                 lambda axis=axis: self._bank().size[axis],
                 lambda v, axis=axis: self._with_bank(size=_with(self._bank().size, axis, v)))  # fmt: skip
        well("turned", Well("turned", "°", -180.0, 180.0, 0.0, floor=-360.0, ceiling=360.0),
             lambda: self._bank().turn_deg, lambda v: self._with_bank(turn_deg=v))  # fmt: skip
        for axis, label in enumerate(("east", "north", "up")):
            start = self._bank().centre[axis]
            well(f"bank {label}", Well(f"its middle, {label}", "m", start - 20.0, start + 20.0, start, floor=-1e5,
                                       ceiling=1e5),
                 lambda axis=axis: self._bank().centre[axis],
                 lambda v, axis=axis: self._with_bank(centre=_with(self._bank().centre, axis, v)))  # fmt: skip

    def add(self) -> None:
        """A bank where the lens looks, a third as long as it is far."""
        camera = self._session.document.shot.seen_from
        away = math.dist(camera.position, camera.aim)
        bank = Bank("bank", centre=as_vec(camera.aim), size=(away / 2, away / 3, max(away / 12, 1.0)))
        self._session.add_bank(bank)

    # -- patches, stretch ------------------------------------------------------------------------------

    def _fill_patches(self) -> None:
        well = self._facets.well
        self._facets.section("patches that drift over the frames")

        def patches():
            return self._medium().patches

        def change(**changes: object) -> Document:
            return self._changed(patches=attrs.evolve(patches(), **changes))

        well("density variation", Well("density variation", "", 0.0, 1.5, 0.0, floor=0.0, ceiling=2.0,
                                  tip="standard deviation of the density over its mean; 0 is even"),
             lambda: patches().contrast, lambda v: change(contrast=v))  # fmt: skip
        if patches().contrast <= 0:
            return
        well("patch size", Well("patch size", "m", 0.5, 60.0, 8.0, ratio=True, floor=0.1, ceiling=2000.0),
             lambda: patches().size_m, lambda v: change(size_m=v))  # fmt: skip
        well("flatness", Well("flatness", "", 0.5, 8.0, 2.5, floor=0.1, ceiling=50.0,
                                  tip="how much wider than tall patches are"),
             lambda: patches().stretch, lambda v: change(stretch=v))  # fmt: skip
        well("drifts at", Well("drifts at", "m/s", 0.0, 6.0, 0.6, floor=0.0, ceiling=60.0),
             lambda: patches().speed_m_s, lambda v: change(speed_m_s=v))  # fmt: skip
        well("drifts from", Well("drifts from", "°", 0.0, 360.0, 240.0, floor=-360.0, ceiling=720.0,
                                 tip="bearing that the wind comes from"),
             lambda: patches().bearing_deg, lambda v: change(bearing_deg=v % 360.0))  # fmt: skip
        well("another pattern", Well("another pattern", "", 1.0, 40.0, 1.0, floor=0.0, ceiling=9999.0),
             lambda: float(patches().seed), lambda v: change(seed=round(v)))  # fmt: skip

    def _fill_stretch(self) -> None:
        well = self._facets.well
        self._facets.section("only before or behind")

        def stretch():
            return self._medium().stretch

        def change(**changes: object) -> Document:
            return self._changed(stretch=attrs.evolve(stretch(), **changes))

        well("begins at", Well("begins at", "m", 0.0, 100.0, 0.0, floor=0.0, ceiling=1e5,
                               tip="no mist nearer to the lens than this"),
             lambda: stretch().begins_m, lambda v: change(begins_m=v))  # fmt: skip
        well("goes on to", Well("goes on to", "m", 1.0, 1000.0, math.inf, ratio=True, floor=0.1, endless="for ever",
                                tip="no mist farther than this; past the right end it goes on for ever"),
             lambda: stretch().ends_m, lambda v: change(ends_m=math.inf if v > ENDLESS_M else v))  # fmt: skip
        well("fades over", Well("fades over", "m", 0.1, 50.0, 2.0, ratio=True, floor=0.01, ceiling=1e4),
             lambda: stretch().fades_m, lambda v: change(fades_m=v))  # fmt: skip
        behind = QPushButton("behind the subject")
        behind.setToolTip("mist begins just behind the shot's subject, so that it stays crisp")
        behind.clicked.connect(self.behind_subject)
        everywhere = QPushButton("everywhere")
        everywhere.clicked.connect(lambda: self._session.act("mist everywhere", change(begins_m=0.0, ends_m=math.inf)))
        self._facets.row(behind, everywhere)

    def behind_subject(self) -> None:
        """Let mist begin behind the subject."""
        session = self._session
        shot = session.document.shot
        if session.place is None or not shot.subject:
            session.said.emit("say first what the subject is: click it, “make ... the subject”", False)
            return
        subject = subject_of(session.place, shot)
        camera = shot.seen_from
        away = float((subject.centre - camera.position) @ camera.axes()[2]) + subject.radius_m
        begins = self._medium().stretch.fades_m + away
        stretch = attrs.evolve(self._medium().stretch, begins_m=round(max(begins, 0.0), 3), ends_m=math.inf)
        session.act("mist behind the subject", self._changed(stretch=stretch))


def _with(vector: tuple[float, ...], axis: int, value: float) -> tuple[float, ...]:
    return (*vector[:axis], value, *vector[axis + 1 :])
