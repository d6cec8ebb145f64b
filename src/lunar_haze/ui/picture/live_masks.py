"""The masks of the look over the live picture: covers are kept, and their edges are asked for aside."""

from collections.abc import Callable

import attrs
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from lunar_haze.core.document.model import Look
from lunar_haze.core.finish.mask_model import Mask, Region
from lunar_haze.core.finish.masks import cover, share_in, with_masks
from lunar_haze.core.finish.regions import Scene, asks_rays, scene_of
from lunar_haze.core.layers.model import LayerGain, LayerImage, View
from lunar_haze.core.picture.mix import share_of
from lunar_haze.core.units.photometry import exposure_scale
from lunar_haze.ui.session.session import Session


class LiveCovers(QObject):
    """``renewed`` when a cover has got its edges. Covers told by numbers alone serve until then."""

    renewed = Signal()
    _made = Signal(object, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._scene: Scene | None = None
        self._covers: dict[tuple[Region, ...], NDArray[np.float32]] = {}
        self._asked: set[tuple[Region, ...]] = set()
        self._made.connect(self._take)

    def of(self, mask: Mask, scene: Scene) -> NDArray[np.float32]:
        """How much of every pixel (h, w) lies under a mask, as far as that is known."""
        if scene is not self._scene:
            self._scene, self._covers, self._asked = scene, {}, set()
        regions = mask.regions
        if regions not in self._covers:
            # A hand that pulls a region asks for another cover at every move.
            if len(self._covers) > 3 * max(len(self._session.document.look.finish.masks), 4):
                self._covers, self._asked = {}, set()
            self._covers[regions] = cover(regions, scene, with_edges=False)
            if asks_rays(regions):
                self._ask(regions, scene)
        return self._covers[regions]

    def _ask(self, regions: tuple[Region, ...], scene: Scene) -> None:
        if regions in self._asked:
            return
        self._asked.add(regions)

        # A hand that pulls a region asks at every move; what it has passed by is not made.
        self._session.aside.newest_then(
            "mask", lambda: cover(regions, scene), lambda made: self._made.emit(regions, scene, made),
            lambda: self._asked.discard(regions),
        )  # fmt: skip

    def _take(self, regions: tuple[Region, ...], scene: Scene, made: NDArray[np.float32] | None) -> None:
        if made is not None and scene is self._scene and regions in self._covers:
            self._covers[regions] = made
            self.renewed.emit()


@attrs.frozen(eq=False)
class MasksNow:
    """Masks ready to be laid on a picture by any thread: their covers (h, w), and of which layers under which gains the
    light of each source that one of them weighs is made.

    ``beauty`` (h, w, 3) is the sum of all layers as they are, grain and all: a source's share of it has no grain, its
    share of the denoised picture would. None where no mask weighs a source.
    """

    masks: tuple[Mask, ...]
    scale: float
    covers: dict[Mask, NDArray[np.float32]]
    parts: dict[str, list[tuple[LayerImage, LayerGain]]]
    beauty: NDArray[np.float32] | None

    def over(self, picture: NDArray[np.float32]) -> NDArray[np.float32]:
        """A picture (h, w, 3) [cd/m2] under the masks."""

        def share(source_id: str) -> NDArray[np.float32] | None:
            light = [share_of(image, gain) for image, gain in self.parts[source_id]]
            return share_in(self.beauty, np.sum(light, 0)) if light and self.beauty is not None else None

        return with_masks(picture, self.masks, self.scale, self.covers.__getitem__, share)


class LiveMasks(QObject):
    """Does the work of the look's masks on live pictures; ``renewed`` when they should be shown again.

    ``seen`` tells the view of the present picture with its object numbers and distances, None before there is one.
    """

    renewed = Signal()

    def __init__(
        self,
        session: Session,
        seen: Callable[[], tuple[View, NDArray[np.int32], NDArray[np.float32]] | None],
    ) -> None:
        super().__init__()
        self._session, self._seen = session, seen
        self._covers = LiveCovers(session)
        self._covers.renewed.connect(self.renewed)
        self._scene: Scene | None = None
        self._of: tuple[object, ...] = ()

    def scene(self) -> Scene | None:
        """What the lens sees in the present picture; None before that is known."""
        seen, place = self._seen(), self._session.place
        if seen is None or place is None:
            return None
        view, owner, distance = seen
        if self._of != (view, id(place)):
            self._of = (view, id(place))
            self._scene = scene_of(owner.copy(), distance.copy(), view.camera, place, self._session.index())
        return self._scene

    def forget(self) -> None:
        """Another picture begins: what was seen is seen no longer."""
        self._of, self._scene = (), None

    def cover(self, mask: Mask) -> NDArray[np.float32] | None:
        """How much of every pixel lies under a mask; None before that is known."""
        scene = self.scene()
        return None if scene is None else self._covers.of(mask, scene)

    def now(
        self,
        look: Look,
        size: tuple[int, int],
        part: Callable[[str], list[tuple[LayerImage, LayerGain]]],
        beauty: Callable[[], NDArray[np.float32] | None],
    ) -> MasksNow | None:
        """The masks of a look as they are to be laid on a picture of a size (h, w); None where there are none.

        ``part`` tells of which layers under which gains a source's light is made, none where it has none; ``beauty``
        the sum of all layers.
        """
        masks = look.finish.masks_at_work
        scene = self.scene() if masks else None
        if scene is None or scene.size != size:
            return None
        covers = {mask: self._covers.of(mask, scene) for mask in masks}
        parts = {mask.source: part(mask.source) for mask in masks if mask.source}
        whole = beauty() if parts else None
        return MasksNow(masks, exposure_scale(look.ev100, look.stops), covers, parts, whole)
