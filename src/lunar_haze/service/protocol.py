"""What the window's side and the render process say to each other: frozen values, pickled.

Requests flow one way, events the other. Pictures never travel: they lie on a shared `Board`,
whose file descriptor comes along with `BoardReady`.
"""

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.layers.model import FrameRequest, LayerGain, Looked, PlaceSpec
from lunar_haze.core.layers.motes import LitMotes


@attrs.frozen
class Want:
    """Compute this picture; it supersedes whatever was wanted before."""

    request: FrameRequest


@attrs.frozen
class Balance:
    """Other gains for the present picture. ``settled`` asks for a denoised mix with them."""

    mix_id: int
    gains: tuple[LayerGain, ...]
    settled: bool


@attrs.frozen
class Prepare:
    """This place will be asked for: open it while there is nothing else to do."""

    place: PlaceSpec


@attrs.frozen
class KeepWithin:
    """Layers may take so many bytes of memory from now on."""

    limit_bytes: int


@attrs.frozen
class Hold:
    """Whether the light waits to be refined. What has no light yet gets its first pass all the same."""

    on: bool


@attrs.frozen(eq=False)
class DenoiseThis:
    """A picture (H, W, 3) [cd/m2] that was put together elsewhere is to be denoised, by albedo and normal (H, W, 3)."""

    request_id: int
    picture: NDArray[np.float32]
    albedo: NDArray[np.float32]
    normal: NDArray[np.float32]


Request = Want | Balance | Prepare | KeepWithin | Hold | DenoiseThis


@attrs.frozen
class Preparing:
    """Something that takes a while before the first picture: its name and how far it is, 0 to 1."""

    what: str
    share: float


@attrs.frozen
class BoardReady:
    """A new board: its sizes; the descriptor of its memory travels with this message."""

    width: int
    height: int
    slots: int


@attrs.frozen
class LayerAt:
    """Where a layer lies on the board. ``passes`` 0 with ``coarse`` or ``live`` marks a stand-in.

    ``samples`` are those of all its tiles together: a part of the frame may have more than the rest.
    """

    key: str
    slot: int
    passes: int
    live: bool = False
    samples: int = 0


@attrs.frozen
class Published:
    """The board holds these layers of a request now. ``passes`` is the least of them; ``part_passes`` of
    ``part_target`` are those of the part of the frame that goes ahead, 0 of 0 without one.
    """

    request_id: int
    layers: tuple[LayerAt, ...]
    passes: int
    target: int
    part_passes: int = 0
    part_target: int = 0


@attrs.frozen
class Cleaned:
    """The board's denoised mix was made with the gains of ``mix_id`` from ``passes`` passes."""

    request_id: int
    mix_id: int
    passes: int


@attrs.frozen
class Smoothed:
    """The board's denoised pictures of these layers of a request, small and ``whole``, are as new as they get now."""

    request_id: int
    layers: tuple[LayerAt, ...]
    whole: tuple[LayerAt, ...] = ()


@attrs.frozen(eq=False)
class MotesLit:
    """The motes of dust of a request, lit by each of its layers."""

    request_id: int
    lit: LitMotes


@attrs.frozen(eq=False)
class ShareLooked:
    """What looks found in the share of a frame that a request was for."""

    request_id: int
    looked: Looked


@attrs.frozen(eq=False)
class Denoised:
    """The answer to `DenoiseThis`."""

    request_id: int
    picture: NDArray[np.float32]


@attrs.frozen
class Finished:
    """All passes of a request are done and published."""

    request_id: int


@attrs.frozen
class Incomplete:
    """Sources of a request that stay dark: the key of each one's layer and why; a card's has no key."""

    request_id: int
    problems: tuple[tuple[str, str], ...]


@attrs.frozen
class Failed:
    """A request cannot be computed; ``reason`` is fit to be shown."""

    request_id: int
    reason: str


@attrs.frozen
class Restarted:
    """The render process died and was started again; the request was sent again.

    ``for_memory`` tells that the machine's memory was used up: layers may take half of it now.
    """

    times: int
    for_memory: bool = False


@attrs.frozen
class Lost:
    """The render process cannot be kept alive; ``reason`` is fit to be shown."""

    reason: str


Event = (
    Preparing
    | BoardReady
    | Published
    | Cleaned
    | Smoothed
    | MotesLit
    | ShareLooked
    | Denoised
    | Finished
    | Incomplete
    | Failed
    | Restarted
    | Lost
)
