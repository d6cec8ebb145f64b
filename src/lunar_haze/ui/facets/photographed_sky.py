"""A photograph as the sky: asked for, read, and laid under a look in one act; what is odd about it is told."""

from pathlib import Path

import attrs
from PySide6.QtWidgets import QFileDialog, QWidget

from lunar_haze.core.document import edits
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.photographs import with_photograph
from lunar_haze.core.errors import SkyError
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sky.panorama import file_digest, read_panorama
from lunar_haze.core.sources.model import Sky, Source
from lunar_haze.ui.base import questions
from lunar_haze.ui.session.session import Session

#: What may become of the skies that a look has already.
ALONE, TOGETHER, LEAVE = "mute them", "let both light", "add nothing"
SUFFIXES = (".exr", ".hdr", ".png", ".jpg", ".jpeg", ".tif", ".tiff")
_KINDS = f"panoramas ({' '.join(f'*{suffix}' for suffix in SUFFIXES)})"


def ask_photograph(session: Session, parent: QWidget) -> Path | None:
    """Ask for the file of a photographed sky; None when none is chosen."""
    folder = str(session.path.parent) if session.path else str(Path.home())
    name, _kind = QFileDialog.getOpenFileName(parent, "a photographed sky", folder, _KINDS)
    return Path(name) if name else None


def lay_photograph(session: Session, path: Path, parent: QWidget, source_id: str = "") -> bool:
    """Let a photograph stand as a sky of the look, or, without one, as a new sky.

    Where others light the look already it is asked what becomes of them. Says whether it could be read and was laid.
    """
    try:
        photograph = read_panorama(path)
    except SkyError as error:
        session.said.emit(str(error), True)
        return False
    dome = Panorama(str(path.resolve()), file_digest(path), photograph.encoding)
    sources, quiet = session.document.look.sources, []
    if not source_id:
        quiet = [s for s in sources if isinstance(s.shape, Sky) and s.shape.lights and not s.muted]
        if quiet:
            names = ", ".join(s.name for s in quiet)
            answer = questions.ask(
                parent, "other skies", f"{names} lights this look already",
                "Two skies give the light of both. What is muted is one key away.", [ALONE, TOGETHER, LEAVE],
            )  # fmt: skip
            if answer == LEAVE:
                return False
            quiet = quiet if answer == ALONE else []
        sources = tuple(attrs.evolve(s, muted=True) if s in quiet else s for s in sources)
        made = Source(new_id(), edits.free_name(path.stem, (s.name for s in sources)), Sky(), 1.0, "true", role="fill")
        sources, source_id = (*sources, made), made.id
    sources = with_photograph(sources, source_id, dome, photograph.level_lx)
    session.act("a photographed sky", edits.change_look(session.document, sources=sources))
    session.choose(source_id)
    for remark in photograph.remarks:
        session.said.emit(f"{path.name}: {remark}", True)
    muted = f"; {', '.join(s.name for s in quiet)} muted, so that it lights alone" if quiet else ""
    session.said.emit(f"{path.name}: {photograph.level_remark}{muted}", False)
    return True
