"""Facets of a cut-out, in a beam's gate or on a card: its pattern, and the numbers of the one that is there."""

from collections.abc import Callable
from pathlib import Path

import attrs
from PySide6.QtWidgets import QFileDialog, QLabel

from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import HazeError
from lunar_haze.core.sources.cutouts import PICTURE, CutOut, kinds, pattern
from lunar_haze.ui.facets.column import Column
from lunar_haze.ui.session.session import Session

#: Pictures that can be cut-outs.
PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff")
_KINDS = f"Pictures ({' '.join(f'*{suffix}' for suffix in PICTURES)})"


def lay_cutout(session: Session, cut: CutOut | None, write: Callable[[CutOut | None], Document]) -> bool:
    """Take what ``write`` makes of a cut-out, or tell what is wrong with its picture; says whether it was taken."""
    try:
        if cut is not None:
            pattern(cut)
    except HazeError as error:
        session.said.emit(str(error), True)
        return False
    session.act("cut-out", write(cut))
    return True


def of_picture(cut: CutOut | None, path: Path) -> CutOut:
    """A cut-out with a picture as its pattern; its numbers stay."""
    return attrs.evolve(cut or CutOut(), kind=PICTURE, path=str(path.resolve()))


class CutOutFacets:
    """Fills a column with a cut-out; ``write`` lays a cut-out or None."""

    def __init__(
        self, column: Column, read: Callable[[], CutOut | None], write: Callable[[CutOut | None], Document]
    ) -> None:
        self._column, self._read, self._write = column, read, write
        column.keep(self)

    def fill(self) -> None:
        """A choice of patterns, and the numbers of the one that is there."""
        now = self._read()
        self._column.lay(
            QLabel("cut-out"),
            self._column.choice(
                "cut-out",
                "a pattern that breaks the light",
                ["no cut-out", *kinds()],
                self.choose,
                lambda: found.kind if (found := self._read()) else "no cut-out",
            ),
        )
        if now is not None and now.kind == PICTURE:
            self._column.lay(
                self._column.button(
                    Path(now.path).name or "choose a picture ...",
                    "light passes where the picture is bright",
                    self._ask_picture,
                )
            )
        self._column.rows_of("cut-out")

    def choose(self, kind: str) -> None:
        """Lay a pattern of a kind, or none."""
        if kind == "picture":
            self._ask_picture()
            return
        self._lay(None if kind == "no cut-out" else attrs.evolve(self._read() or CutOut(), kind=kind, path=""))

    def _lay(self, cut: CutOut | None) -> None:
        if not lay_cutout(self._column.session, cut, self._write):
            self._column.refresh()

    def _ask_picture(self) -> None:
        name, _kind = QFileDialog.getOpenFileName(self._column.window(), "a picture as cut-out", "", _KINDS)
        if name:
            self.use_picture(Path(name))
        else:
            self._column.refresh()

    def use_picture(self, path: Path) -> None:
        """Let a picture be the pattern."""
        self._lay(of_picture(self._read(), path))
