"""Whole documents, made from the registries: whatever kind is declared is in them from that day on.

Each document is a short list of things, then rows of them set to other numbers, then some of these keyed over the
frames: taken away one by one they shrink to what matters.
"""

import math
from typing import Any

import attrs
from hypothesis import strategies as st

from lunar_haze.core.air.medium import Bank
from lunar_haze.core.document.checks import check_document
from lunar_haze.core.document.cues import at_frame, can_be_keyed, part_of, with_key
from lunar_haze.core.document.edits import add_pin, under_heavens
from lunar_haze.core.document.facet import Facet
from lunar_haze.core.document.model import Document, Group, Look, Marker, Shot
from lunar_haze.core.document.rows import AIR, CAMERA, DAY, FINISH, facets_of
from lunar_haze.core.errors import HazeError
from lunar_haze.core.finish.mask_model import Mask, Region
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.place.camera import Camera
from lunar_haze.core.sky.kinds import sky_kind_of
from lunar_haze.core.sources.cards import Card
from lunar_haze.core.sources.kinds import SourceKind, kinds
from lunar_haze.core.sources.model import ROLES, Sky, Source
from lunar_haze.core.units.row import Row
from tests.strategies.values import NAMES, colours, shape_of, varied
from tests.strategies.yard import Yard

#: Sizes of frames [px]: the usual one, odd ones, upright ones.
FRAMES = ((32, 18), (96, 54), (37, 23), (24, 32))
CAMERA_AT = Camera((0.5, -5.0, 1.6), (0.0, 0.5, 1.0), 24.0)
_AIMS = ((0.0, 0.0, 0.9), (1.0, 1.5, 0.2))
_SPOTS = ((2.5, -2.0, 2.5), (-2.0, 1.0, 1.2), (0.0, 0.5, 2.2))
#: Rows that stand for others, or would take a document away from what is drawn.
_NOT_DRAWN = frozenset({"first frame", "last frame", "frame"})


def numbers(row: Row, extreme: bool = False) -> st.SearchStrategy[float]:
    """Numbers of a row: its own first, then those of its useful span; the ends of what it takes when ``extreme``."""
    ends = [row.low, row.high] + ([row.floor, row.ceiling] if extreme else [])
    first = row.usual if row.low <= row.usual <= row.high else row.low
    anywhere = st.floats(row.low, row.high, allow_nan=False).map(lambda v: float(f"{v:.4g}"))
    found = st.one_of(st.sampled_from([v for v in (first, *ends) if math.isfinite(v)]), anywhere)
    return found.map(lambda v: float(round(v))) if row.whole else found


@st.composite
def sources(draw: st.DrawFn, yard: Yard, number: int, kind: SourceKind | None = None) -> Source:
    """A source of any kind that files hold, or of one."""
    kind = kind or draw(st.sampled_from([k for k in kinds() if k.in_files]))
    shape: Any = draw(shape_of(kind, yard))
    if kind.placed:
        shape = attrs.evolve(shape, position=draw(st.sampled_from(_SPOTS)), aim=draw(st.sampled_from(_AIMS)))
    natural = "true" in kind.units
    if isinstance(shape, Sky):
        sky = sky_kind_of(shape.dome)
        amount, unit = sky.amount, sky.unit
    else:
        unit = draw(st.sampled_from(kind.units))
        amount = 1.0 if natural else {"lm": 800.0, "cd": 100.0, "cd/m2": 1000.0, "lx": 50.0}.get(unit, 1.0)
    made = Source(
        f"s{number}", draw(st.sampled_from(NAMES)), shape, amount, unit, role=draw(st.sampled_from(("", *ROLES)))
    )
    return attrs.evolve(
        draw(varied(made, yard)), muted=draw(st.sampled_from((False, False, True))),
        alone=draw(st.sampled_from((False, False, False, True))), group=draw(st.sampled_from(("", "", "двор"))),
    )  # fmt: skip


@st.composite
def _cards(draw: st.DrawFn, yard: Yard, number: int) -> Card:
    card = draw(varied(Card(f"c{number}", draw(st.sampled_from(NAMES))), yard))
    return attrs.evolve(card, position=draw(st.sampled_from(_SPOTS)), reflectance=draw(colours()))


@st.composite
def _finishes(draw: st.DrawFn, yard: Yard, source_ids: tuple[str, ...]) -> Finish:
    masks = []
    for number in range(draw(st.integers(0, 2))):
        regions = draw(st.lists(varied(Region(), yard), min_size=1, max_size=2))
        mask = draw(varied(Mask(f"m{number}", "mask", tuple(regions), stops=-1.0), yard))
        masks.append(attrs.evolve(mask, source=draw(st.sampled_from(("", *source_ids)))))
    return attrs.evolve(draw(varied(Finish(), yard)), masks=tuple(masks))


@st.composite
def looks(draw: st.DrawFn, yard: Yard, name: str, kind: SourceKind | None = None) -> Look:
    """A look of some sources, of one ``kind`` at the least where it is given."""
    count = draw(st.integers(1, 3))
    made = tuple(draw(sources(yard, n, kind if n == 0 else None)) for n in range(count))
    look = Look(
        name, hour_h=draw(st.sampled_from((12.0, 5.0, 19.5, 23.75))), sources=made,
        cards=tuple(draw(_cards(yard, n)) for n in range(draw(st.integers(0, 1)))), bounces=draw(st.integers(0, 2)),
        ev100=draw(st.sampled_from((8.0, 13.0, 2.0))),
    )  # fmt: skip
    if any(source.group for source in made):
        look = attrs.evolve(look, groups=(draw(varied(Group("двор"), yard)),))
    banks = tuple(draw(varied(Bank(), yard)) for _ in range(draw(st.integers(0, 2))))
    medium = attrs.evolve(look.medium, banks=banks, visibility_m=draw(st.sampled_from((math.inf, 60.0))))
    return attrs.evolve(
        look,
        medium=medium,
        finish=draw(_finishes(yard, tuple(s.id for s in made))),
        weather=draw(varied(look.weather, yard)),
    )


def targets(document: Document) -> list[tuple[str, Facet, tuple[int, ...]]]:
    """Every row that a document has now: its target, the facet, and which bank or mask it is of."""
    look = document.look
    names = [AIR, CAMERA, DAY, FINISH, *(s.id for s in look.sources), *(c.id for c in look.cards)]
    found = []
    for target in names:
        for facet in facets_of(document, target).values():
            if facet.name not in _NOT_DRAWN:
                found.append((target, facet, part_of(target, facet, 0, (0, 0))))
    return found


@st.composite
def documents(draw: st.DrawFn, yard: Yard, kind: SourceKind | None = None, extreme: bool = False) -> Document:
    """A whole document on the yard; ``extreme`` numbers may lie at the ends of what their rows take."""
    frames = draw(st.sampled_from(((1, 1), (1, 8), (3, 24))))
    width, height = draw(st.sampled_from(FRAMES))
    shot = Shot("wide", CAMERA_AT, frame_width=width, frame_height=height, first_frame=frames[0], last_frame=frames[1])
    shot = attrs.evolve(shot, subject=draw(st.sampled_from(((), yard.objects[2:3]))))
    if frames[0] < frames[1] and draw(st.booleans()):
        shot = attrs.evolve(shot, ends=attrs.evolve(CAMERA_AT, position=(1.5, -4.5, 1.4)))
    look = draw(looks(yard, "first", kind))
    others = draw(st.sampled_from(((), (Look("zweite"),))))
    document = Document(
        yard.place, (shot, attrs.evolve(shot, name="Nähe", ends=None)), (look, *others), (), "wide", "first",
        markers=draw(st.sampled_from(((), (Marker("k0", "Gesicht", (0.0, 0.0, 1.5)),)))),
    )  # fmt: skip
    heavens = tuple(under_heavens(source, look, yard.place.site) for source in look.sources)
    document = attrs.evolve(document, looks=(attrs.evolve(look, sources=heavens), *others))
    for _ in range(draw(st.integers(0, 4))):
        _target, facet, _part = draw(st.sampled_from(targets(document)))
        document = _changed(document, facet, draw(numbers(facet.row, extreme)))
    for _ in range(draw(st.integers(0, 3)) if frames[0] < frames[1] else 0):
        target, facet, part = draw(st.sampled_from(targets(document)))
        if not can_be_keyed(target, facet):
            continue
        for frame in draw(st.lists(st.integers(*frames), min_size=1, max_size=3, unique=True)):
            document = with_key(document, target, facet.name, draw(numbers(facet.row)), part, frame)
    document = at_frame(document, draw(st.integers(*frames)))
    return add_pin(document) if draw(st.booleans()) else document


def _changed(document: Document, facet: Facet, number: float) -> Document:
    """A document with a row set; unchanged where that is refused in words, as in the window."""
    try:
        changed = facet.write(document, number)
        check_document(changed, document)
        return changed
    except HazeError:
        return document
