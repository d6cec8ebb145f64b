"""Small pictures of what each source adds to the picture on screen, for readings and settling."""

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.document.model import Look
from lunar_haze.core.picture.mix import block_mean
from lunar_haze.core.plan.frames import view_of
from lunar_haze.core.plan.shares import shares_of
from lunar_haze.core.readings.shares import WIDTH, Shares
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session


class SharesFeed:
    """Keeps the small pictures of layers, so that a dimmer costs a product and no more."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        self._session, self._bridge = session, bridge
        self._small: dict[tuple[str, int, int], tuple[NDArray[np.float32], NDArray[np.float32]]] = {}

    def shares(self, look: Look) -> Shares | None:
        """The shares of a look of the shot on screen; None until every active source has a layer."""
        session, bridge = self._session, self._bridge
        spec = session.place_spec
        if not session.is_open or spec is None or bridge.shown.picture is None:
            return None
        step = max(round(bridge.shown.picture.shape[1] / WIDTH), 1)
        used: dict[tuple[str, int, int], tuple[NDArray[np.float32], NDArray[np.float32]]] = {}

        def small(key: str) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
            image = bridge.light.layer(key)
            if image is None:
                return None
            name = key, image.passes, step
            # A stand-in without a pass changes under one and the same number.
            known = self._small.get(name) if image.passes > 0 else None
            used[name] = known or (block_mean(image.surface, step), block_mean(image.air, step))
            return used[name]

        document = session.document
        view = view_of(document.shot, bridge.asking.size())
        found = shares_of(look, view, spec.key, small, bridge.lens.subject_mask(step))
        self._small = used
        return found
