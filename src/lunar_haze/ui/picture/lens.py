"""What the lens sees in the live picture: objects and distances as the renderer has told them."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import View
from lunar_haze.core.plan.shares import subject_in
from lunar_haze.service.board import Board
from lunar_haze.ui.picture.seen import Seen, seen_at
from lunar_haze.ui.session.session import Session


class Lens:
    """``board`` is what the renderer writes on, ``view`` that of the last request; both None before there is one."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.board: Board | None = None
        self.view: View | None = None

    def is_on(self, board: Board | None) -> bool:
        """Whether a board has the size of the present view."""
        view = self.view
        return board is not None and view is not None and (board.width, board.height) == (view.width, view.height)

    def now(self) -> tuple[View, NDArray[np.int32], NDArray[np.float32]] | None:
        """The view with its object numbers and distances (h, w); None before the first answer."""
        view, board = self.view, self.board
        if view is None or board is None or not self.is_on(board):
            return None
        return view, board.owner[..., 0], board.depth

    def seen_at(self, x: float, y: float) -> Seen | None:
        """What lies under picture position x, y in [0, 1]; None for the sky or before the first answer."""
        view, board = self.view, self.board
        if view is None or board is None or not self.is_on(board):
            return None
        return seen_at(view, board, x, y)

    def subject_mask(self, step: int) -> NDArray[np.bool_] | None:
        """Where the shot's subject is seen, ``step`` times smaller; None when it is not known or not in the picture."""
        place, board, subject = self._session.place, self.board, self._session.document.shot.subject
        if place is None or board is None or not subject:
            return None
        return subject_in(board.owner[..., 0], place.objects, subject, step)
