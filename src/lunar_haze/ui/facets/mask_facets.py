"""Facets of the finish's masks: which there are, the regions each is made of, what it does to the light under it."""

import functools

from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from lunar_haze.core.document import mask_edits
from lunar_haze.core.document.finish_copy import ONE_MASK
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import WAYS, Mask, Region
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.regions import RegionKind, region_kinds
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.facets.finish_steps import copy, paste
from lunar_haze.ui.session.mask_acts import add_mask

#: Buttons for new masks in a row.
SIDE_BY_SIDE = 3
ALL_LIGHT = "all light"
ADD_MATERIAL = "add or remove ..."


class MaskFacets:
    """Fills sections of a column with the masks of the look's finish."""

    def __init__(self, column: Column) -> None:
        self._column, self._session = column, column.session
        column.keep(self)

    @property
    def _number(self) -> int:
        return self._session.chosen_mask[0]

    @property
    def _mask(self) -> Mask:
        return self._session.document.look.finish.masks[self._number]

    @property
    def _which(self) -> int:
        return self._session.chosen_mask[1]

    @property
    def _region(self) -> Region:
        return self._mask.regions[self._which]

    def fill(self) -> None:
        """The masks there are, and all of the one that is chosen."""
        column, session = self._column, self._session
        buttons = [self._add_button(kind) for kind in region_kinds().values() if kind.button]
        for start in range(0, len(buttons), SIDE_BY_SIDE):
            column.lay(*buttons[start : start + SIDE_BY_SIDE])
        column.lay(column.button("paste", "a mask that was copied, here or in another look", lambda: paste(session)))
        masks = session.document.look.finish.masks
        if not masks:
            column.words("A mask is a soft region: darken a corner, lift the subject, weaken one source on one prop.")
            return
        column.lay(
            column.choice(
                "mask", "the mask that is shown below", [m.name for m in masks], self._choose, lambda: self._mask.name
            ),
            column.check(
                "muted", "leave this mask out", lambda: self._mask.muted, lambda on: self._changed(muted=on)
            ),
            column.button("delete", "delete this mask", self.remove),
        )  # fmt: skip
        column.lay(
            column.check(
                "solo", "this mask without the others", lambda: self._mask.alone, lambda on: self._changed(alone=on)
            ),
            column.button("copy", "copy this mask, to be pasted here or in another look", self.copy),
        )
        names = [s.name for s in session.document.look.sources]
        column.lay(
            QLabel("of"),
            column.choice(
                "light that the mask works on",
                "all light under it, or one source's share of it alone",
                [ALL_LIGHT, *names],
                self._set_source,
                self._source_name,
            ),
        )
        column.rows_of("what it does")
        column.section("where the mask lies")
        regions = self._mask.regions
        if len(regions) > 1:
            shown = [f"{n + 1} {r.how} {r.kind}" for n, r in enumerate(regions)]
            column.lay(
                column.choice(
                    "region of the mask", "the region that is shown below", shown,
                    lambda text: session.choose_mask(self._number, int(text.split()[0]) - 1),
                    lambda: shown[min(self._which, len(shown) - 1)],
                ),
                column.button("remove", "take this region out of the mask", self.remove_region),
            )  # fmt: skip
        column.lay(
            column.choice(
                "kind of region", "what the region is told by", region_kinds(), self._set_kind,
                lambda: self._region.kind,
            ),
            column.choice(
                "how the region goes together with those before it",
                "added to them, subtracted from them, or intersected with them",
                WAYS, lambda text: self._act("region", how=text), lambda: self._region.how,
            ),
            column.check(
                "inverted", "all but the region", lambda: self._region.inverted,
                lambda on: self._changed_region(inverted=on),
            ),
        )  # fmt: skip
        if self._region.kind == "objects":
            column.words(", ".join(self._region.objects) or "no objects: make something the subject, or use the slip")
        if self._region.kind == "materials":
            self._fill_materials()
        if self._region.kind == "strokes":
            self._fill_brush()
        column.rows_of("where")
        column.lay(column.button("and another region", "one more region in this mask", self.add_region))

    def _fill_brush(self) -> None:
        column, session = self._column, self._session
        column.words("Paint in the picture; Alt erases. Undo takes the last stroke back.")
        erase = QCheckBox("erase")
        erase.setToolTip("the brush erases, as it does with Alt held")
        erase.setChecked(session.mask_erases)

        def toggled(on: bool) -> None:
            session.mask_erases = on

        erase.toggled.connect(toggled)
        column.lay(
            erase,
            column.button("clear", "no strokes in this region", lambda: self._act("clear strokes", strokes=())),
        )

    def _fill_materials(self) -> None:
        column, place = self._column, self._session.place
        column.words(", ".join(self._region.materials) or "no material yet: choose one here, or in the slip")
        names = [] if place is None else sorted(material.name for material in place.materials)
        column.lay(
            column.choice(
                "add or remove a material", "a material that this region covers, or covers no longer",
                [ADD_MATERIAL, *names], self._toggle_material, lambda: ADD_MATERIAL,
            )
        )  # fmt: skip

    def _toggle_material(self, name: str) -> None:
        now = self._region.materials
        if name != ADD_MATERIAL:
            self._act("materials", materials=tuple(m for m in now if m != name) if name in now else (*now, name))

    def _add_button(self, kind: RegionKind) -> QPushButton:
        act = functools.partial(add_mask, self._session, kind.button, kind.begins)
        return self._column.button(f"+ {kind.button}", kind.tip, act)

    def _changed(self, **changes: object) -> Document:
        return mask_edits.change_mask(self._session.document, self._number, **changes)

    def _changed_region(self, **changes: object) -> Document:
        return mask_edits.change_region(self._session.document, self._number, self._which, **changes)

    def _act(self, label: str, **changes: object) -> None:
        self._session.act(label, self._changed_region(**changes))

    def copy(self) -> None:
        """Put the mask that is shown on the clipboard."""
        copy(self._session, Finish(masks=(self._mask,)), ONE_MASK)

    def _choose(self, name: str) -> None:
        masks = self._session.document.look.finish.masks
        self._session.choose_mask(next(n for n, m in enumerate(masks) if m.name == name))

    def _source_name(self) -> str:
        source = self._session.document.look.source(self._mask.source)
        return ALL_LIGHT if source is None else source.name

    def _set_source(self, name: str) -> None:
        sources = self._session.document.look.sources
        found = next((s.id for s in sources if s.name == name), "") if name != ALL_LIGHT else ""
        self._session.act("light under the mask", self._changed(source=found))

    def _set_kind(self, kind: str) -> None:
        subject = self._session.document.shot.subject
        objects = self._region.objects or (subject if kind == "objects" else ())
        self._act("kind of region", kind=kind, objects=objects)

    def add_region(self) -> None:
        """One more region in the mask that is shown."""
        session, number = self._session, self._number
        try:
            document = mask_edits.add_region(session.document, number, Region(x=0.2))
        except FinishError as error:
            session.said.emit(str(error), False)
            return
        session.act("region", document)
        session.choose_mask(number, len(session.document.look.finish.masks[number].regions) - 1)

    def remove_region(self) -> None:
        """Take the region that is shown out of the mask."""
        session, number = self._session, self._number
        session.act("region", mask_edits.remove_region(session.document, number, self._which))
        session.choose_mask(number)

    def remove(self) -> None:
        """Delete the mask that is shown."""
        session = self._session
        session.act(f"delete {self._mask.name}", mask_edits.remove_mask(session.document, self._number))
        session.choose_mask(max(self._number - 1, 0))
