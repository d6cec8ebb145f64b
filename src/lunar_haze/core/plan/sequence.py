"""From a document to the pictures of a sequence: which layers each frame is made of, and which frames share them.

Frames that differ by balance alone have the same layers: they are mixed, not rendered. Layers that several frames share
are rendered together, those of one frame alone after them; so the light of a frame is the same to the bit whatever
machine makes it, and in which order.
"""

import functools
from collections import Counter

import attrs

from lunar_haze.core.document.cues import CueSheet
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.finish.tables import content_of
from lunar_haze.core.layers.model import FrameRequest, PlaceSpec, digest
from lunar_haze.core.plan.frames import frame_request


@attrs.frozen(eq=False)
class FramePlan:
    """A frame: shot and look as they are there, the request of its picture, and that of what it shares with other
    frames: the layers that more than one of them has, and what the lens sees.
    """

    frame: int
    shot: Shot
    look: Look
    request: FrameRequest
    base: FrameRequest

    @property
    def base_name(self) -> object:
        """What its base is: frames with the same one share it."""
        return self.base.view, self.base.medium, tuple(spec.key() for spec in self.base.layers)

    @functools.cached_property
    def name(self) -> str:
        """Name of all that its picture depends on: layers and those rendered with them, balance, exposure, finish."""
        together = tuple(spec.key() for spec in self.base.layers)
        request, look = self.request, self.look
        keys = tuple(spec.key() for spec in request.layers)
        # A grading table is what its file holds, as light is.
        finish = look.finish.in_force
        table = content_of(finish.table) if finish.table is not None and finish.table.strength > 0.0 else None
        return digest(
            (keys, together, request.gains, request.motes, request.passes, request.denoise, request.view, look.ev100,
             look.stops, finish, table, self.shot.seen_from)
        )  # fmt: skip


def planned_frames(
    document: Document,
    place: PlaceSpec,
    frames: tuple[int, ...],
    size: tuple[int, int],
    passes: int = 64,
    denoise: bool = True,
) -> tuple[FramePlan, ...]:
    """The frames of the shot and look on screen, in order; frames that share their layers share one request for them.

    ``size`` is width and height [px].
    """
    sheet = CueSheet(document)
    made: list[tuple[int, Shot, Look, FrameRequest]] = []
    for frame in frames:
        there = sheet.at(frame)
        shot, look = there.shot, there.look
        made.append((frame, shot, look, frame_request(frame, place, shot, look, size, passes, denoise, live=False)))
    groups: dict[object, list[FrameRequest]] = {}
    for _frame, _shot, _look, request in made:
        groups.setdefault(_group(request), []).append(request)
    bases = {name: _base(requests) for name, requests in groups.items()}
    return tuple(FramePlan(f, s, k, _with(r, bases[_group(r)]), bases[_group(r)]) for f, s, k, r in made)


def _group(request: FrameRequest) -> object:
    """What frames have in common that may share layers at all."""
    return request.view, request.medium, request.bounces


def _base(requests: list[FrameRequest]) -> FrameRequest:
    """The layers that more than one of some frames has, as a request of their own."""
    specs = {spec.key(): spec for request in requests for spec in request.layers}
    often = Counter(spec.key() for request in requests for spec in request.layers)
    common = tuple(spec for key, spec in specs.items() if often[key] > 1)
    return attrs.evolve(requests[0], layers=common, gains=(), denoise=False, fresh=True)


def _with(request: FrameRequest, base: FrameRequest) -> FrameRequest:
    """A frame's request with all shared layers first: those that are silent there come along, so that none is lost."""
    common = {spec.key() for spec in base.layers}
    own = tuple(spec for spec in request.layers if spec.key() not in common)
    return attrs.evolve(request, layers=(*base.layers, *own))
