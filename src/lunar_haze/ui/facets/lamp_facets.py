"""Facets of a lamp's shape: its kind, its numbers, its gate and cut-out, its IES file, its array."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtWidgets import QFileDialog

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.core.sources.array import ARRANGEMENTS, LampArray, as_kind, lamp_of
from lunar_haze.core.sources.distribution import lumens
from lunar_haze.core.sources.kinds import kind_of, lamp_kinds
from lunar_haze.core.sources.model import Source
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.cutout_facets import CutOutFacets
from lunar_haze.ui.facets.lamp_files import take_ies, with_cutout


class LampFacets:
    """Fills a column with the shape of one lamp; ``now`` is its source, ``shaped`` a document with it changed."""

    def __init__(
        self, column: Column, source_id: str, now: Callable[[], Source], shaped: Callable[..., Document]
    ) -> None:
        self._column, self._id = column, source_id
        self._session = column.session
        self._source, self._shaped = now, shaped
        column.keep(self)

    @property
    def _shape(self) -> Any:
        return self._source().shape

    def _lamp(self) -> Any:
        return lamp_of(self._shape)

    def fill(self) -> None:
        """The kind, and what it has."""
        column = self._column
        self._fill_kind()
        if isinstance(self._shape, LampArray):
            self._fill_array()
        if hasattr(self._lamp(), "distribution"):
            self._fill_ies()
        column.rows_of("shape")
        if hasattr(self._lamp(), "cutout"):
            column.section("beam")
            column.rows_of("beam")
            CutOutFacets(
                column,
                lambda: self._lamp().cutout,
                lambda cut: with_cutout(self._session.document, self._id, cut),
            ).fill()

    def _fill_kind(self) -> None:
        self._column.lay(
            self._column.choice(
                "kind of lamp",
                "the same lamp as another kind; it stays where it is",
                [kind.name for kind in lamp_kinds()],
                self.choose_kind,
                lambda: kind_of(self._shape).name,
            )
        )

    def choose_kind(self, name: str) -> None:
        """Make the lamp another kind."""
        wanted = next(kind for kind in lamp_kinds() if kind.name == name)
        if kind_of(self._shape) is not wanted:
            shape = as_kind(self._shape, wanted)
            self._session.act(f"made a {name}", edits.reshape(self._session.document, self._id, shape))

    def _fill_ies(self) -> None:
        distribution = self._lamp().distribution
        self._column.lay(
            self._column.button(
                f"{distribution.name}: {format_quantity(lumens(distribution), 'lm')}",
                "choose the lamp's IES file",
                self._ask_distribution,
            )
        )

    def _ask_distribution(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self._column.window(), "an IES lamp", "", "IES lamps (*.ies *.IES)")
        if name:
            take_ies(self._session, Path(name), self._id)

    def _fill_array(self) -> None:
        column = self._column
        lamps = {kind.name: kind for kind in lamp_kinds() if kind.is_lamp}
        column.lay(
            column.choice(
                "arrangement of the array",
                "how its lamps are arranged",
                ARRANGEMENTS,
                lambda text: self._session.act("array", self._shaped(arrangement=text)),
                lambda: self._shape.arrangement,
            ),
            column.choice(
                "lamps of the array",
                "what it is made of",
                lamps,
                lambda text: self._session.act("array", self._shaped(lamp=lamps[text].value())),
                lambda: kind_of(self._shape.lamp).name,
            ),
        )
        self._column.lay(
            self._column.check(
                "all face the aim",
                "off: they all face the same way",
                lambda: self._shape.converge,
                lambda on: self._shaped(converge=on),
            )
        )
