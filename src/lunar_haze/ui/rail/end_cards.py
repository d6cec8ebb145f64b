"""The cards that stand after the sources': what the whole picture goes through, one declared by one `EndCard`."""

import math
from collections.abc import Callable

import attrs
from PySide6.QtCore import Qt

from lunar_haze.core.air.medium import Medium
from lunar_haze.core.document.model import Look
from lunar_haze.core.document.rows import AIR, FINISH
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.shelf import name_of
from lunar_haze.core.picture.views import USUAL_VIEW
from lunar_haze.core.units.quantity import format_quantity
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.rail.share_pictures import SharePicture, air_picture


@attrs.frozen(eq=False)
class EndCard:
    """``what`` is chosen by it; ``picture`` is made for a width [px], None without light; ``words`` stand under its
    name; ``is_active`` is whether it changes anything; ``can_mute`` whether N mutes it; ``with_picture`` whether it is
    renewed whenever the picture on screen is.
    """

    what: str
    tip: str
    picture: Callable[[RenderBridge, int], SharePicture | None]
    words: Callable[[Look], str]
    is_active: Callable[[Look], bool]
    can_mute: bool = False
    with_picture: bool = False


def _whole_picture(bridge: RenderBridge, width: int) -> SharePicture | None:
    whole = bridge.shown.image
    if whole.isNull():
        return None
    return SharePicture(whole.scaledToWidth(width, Qt.TransformationMode.SmoothTransformation))


def _air_words(medium: Medium) -> str:
    clear = medium.is_clear or math.isinf(medium.visibility_m)
    return "clear" if clear else f"visibility {format_quantity(medium.visibility_m, 'm')}"


def _finish_words(finish: Finish) -> str:
    if finish.muted:
        return "muted"
    return name_of(finish) or (
        finish.view if attrs.evolve(finish, view=USUAL_VIEW) == Finish() else f"own, {finish.view}"
    )


#: In the order in which light goes through them; the last is the picture.
END_CARDS = {
    card.what: card
    for card in (
        EndCard(AIR, "what the mist alone adds", air_picture, lambda look: _air_words(look.medium), lambda look: True),
        EndCard(
            FINISH, "everything after light: glow, white balance, grade, view, grain; N mutes it", _whole_picture,
            lambda look: _finish_words(look.finish), lambda look: not look.finish.muted, can_mute=True,
            with_picture=True,
        ),
    )
}  # fmt: skip
