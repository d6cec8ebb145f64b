"""One frame, many ways to it: alone, in a sequence, in shares, resumed, played; and what is read of it is of that frame."""

from pathlib import Path

import attrs
import numpy as np
import OpenEXR

from lunar_haze.core.document.balance import BalanceChange
from lunar_haze.core.document.cues import CueSheet, at_frame, seen_at
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.picture.frame_mix import FrameMix, are_together
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.plan.frames import gains, view_of
from lunar_haze.core.plan.sequence import FramePlan, planned_frames
from lunar_haze.core.plan.shares import shares_of
from lunar_haze.core.readings.shares import Shares
from lunar_haze.core.solve.asks import Ask, AskError
from lunar_haze.core.solve.settle import settle
from lunar_haze.core.solve.watch import watch
from lunar_haze.service.farm import most_shares
from lunar_haze.service.sequence import FrameList, FrameMaker, SequenceSpec, output_digest, run, taken
from lunar_haze.service.still import Still
from lunar_haze.service.still_share import share_of
from tests.laws.laws import PASSES, Studio, close, differences, layers_add_up, request_of, size_of


def _never() -> bool:
    return False


def sequence_of(document: Document, folder: Path, frames: tuple[int, int]) -> SequenceSpec:
    """A sequence of some frames of the shot on screen, with its layers."""
    shot = document.shot
    return SequenceSpec(
        document, shot.name, document.look.name, *frames, folder / "####.exr", size_of(shot), passes=PASSES,
        denoise=False, layers=True,
    )  # fmt: skip


def plans_of(spec: SequenceSpec) -> list[FramePlan]:
    """The plans of a sequence's frames."""
    place = place_spec(spec.document.place)
    return list(planned_frames(spec.on_screen, place, spec.frames, spec.size, spec.passes, spec.denoise))


def any_way_is_the_same(studio: Studio, document: Document, folder: Path) -> None:
    """A frame is the same picture by itself, in a sequence, in shares and taken to by cues; its layers add up in each."""
    shot = document.shot
    taken = at_frame(document, shot.frame)
    assert not differences(seen_at(document, shot.name, document.look.name, shot.frame), (taken.shot, taken.look))
    alone = studio.still(request_of(taken))
    place = place_spec(document.place)
    layers_add_up(alone, taken.look, taken.shot, place.key)
    spec = sequence_of(document, folder, (shot.first_frame, shot.last_frame))
    plan = next(plan for plan in plans_of(spec) if plan.frame == shot.frame)
    maker = FrameMaker(spec, place, studio.backend)
    still = maker.still(plan, _never)
    assert still is not None
    assert not differences((plan.shot, plan.look), (taken.shot, taken.look))
    layers_add_up(still, plan.look, plan.shot, place.key)
    for key, image in alone.layers.items():
        # Other paths of the same light: alike but for the grain of two passes.
        one, two = (float(part.surface.sum() + part.air.sum()) for part in (image, still.layers[key]))
        assert abs(one - two) <= 0.5 * max(one, two) + 1e-12, (key, one, two)
    count = min(most_shares(spec.size), 3)
    parts = [maker.still(plan, _never, (k, count)) for k in range(count)]
    together = maker.joined(plan, [share_of(part, with_layers=True) for part in parts if part is not None])
    np.testing.assert_array_equal(together.beauty, still.beauty)
    layers_add_up(together, plan.look, plan.shot, place.key)


def what_is_written_adds_up(studio: Studio, document: Document, folder: Path, denoise: bool) -> None:
    """The layers in the file of a frame add up to the picture in it, denoised or not."""
    shot = document.shot
    spec = attrs.evolve(sequence_of(document, folder, (shot.frame, shot.frame)), denoise=denoise)
    folder.mkdir(parents=True, exist_ok=True)
    maker = FrameMaker(spec, place_spec(document.place), studio.backend)
    (plan,) = plans_of(spec)
    path = folder / "layers.exr"
    assert maker.make(plan, path, _never)
    pictures = {name: channel.pixels for name, channel in OpenEXR.File(str(path)).channels().items()}
    beauty = pictures.pop("RGB")
    total = np.sum([np.zeros_like(beauty), *pictures.values()], axis=0)
    assert close(total, beauty, 1e-4), (float(np.abs(total - beauty).max()), float(beauty.max()), list(pictures))


def a_name_holds_what_files_hold(document: Document, table: Path, folder: Path) -> None:
    """A frame under a grading table has another name once the table's file is another."""
    shot = document.shot
    spec = attrs.evolve(sequence_of(document, folder, (shot.frame, shot.frame)), output=folder / "####.png")

    def name() -> str:
        (plan,) = plans_of(spec)
        return output_digest(spec, plan)

    finish = at_frame(document).look.finish.in_force
    before, text = name(), table.read_text()
    try:
        # Shorter, too: files that are changed within a tick of the clock have the time that they had.
        table.write_text(text.replace("0.90", "0.8"))
        is_used = finish.table is not None and finish.table.strength > 0.0
        assert (name() != before) == is_used
    finally:
        table.write_text(text)
    assert name() == before


def resumed_is_the_same(studio: Studio, document: Document, folder: Path) -> None:
    """Two frames that are made in one go are the files of two that were stopped between and gone on with."""
    shot = document.shot
    frames = shot.first_frame, min(shot.first_frame + 1, shot.last_frame)
    done = 0

    def told(progress: object) -> None:
        nonlocal done
        done = getattr(progress, "done", 0)

    for name in ("at once", "resumed"):
        (folder / name).mkdir(parents=True, exist_ok=True)
        for old in (folder / name).iterdir():
            old.unlink()
    at_once, resumed = (sequence_of(document, folder / name, frames) for name in ("at once", "resumed"))
    run(at_once, backend=studio.backend)
    run(resumed, told, lambda: done > 0, backend=studio.backend)
    run(resumed, told, backend=studio.backend)
    one, other = (sorted(p.name for p in spec.folder.iterdir()) for spec in (at_once, resumed))
    assert one == other
    # All that it has written is on its list: nothing of others is written over, nothing of its own is asked about.
    assert not taken(at_once)
    known = FrameList(at_once)
    assert not [name for name in one if not name.startswith(".") and not known.knows(at_once.folder / name)]
    for frame in at_once.frames:
        parts = [OpenEXR.File(str(spec.path_of(frame))).parts for spec in (at_once, resumed)]
        assert len(parts[0]) == len(parts[1])
        for made, again in zip(*parts):
            assert made.channels.keys() == again.channels.keys()
            for name, channel in made.channels.items():
                np.testing.assert_array_equal(channel.pixels, again.channels[name].pixels, name)


def played_is_the_still(studio: Studio, document: Document) -> None:
    """Each frame that the layers at hand have all the light of is played as the still that it is."""
    at_hand = studio.still(request_of(document))
    place_key, size = place_spec(document.place).key, size_of(document.shot)
    sheet = CueSheet(document)
    shot = document.shot
    for frame in sorted({shot.first_frame, (shot.first_frame + shot.last_frame) // 2, shot.last_frame}):
        there = sheet.at(frame)
        told = gains(there.look, view_of(there.shot, size), place_key)
        lit = tuple(gain for gain in told if not gain.is_silent)
        if not lit or not {gain.key for gain in lit} <= at_hand.layers.keys():
            continue
        played = FrameMix(at_hand.layers, None, (), are_together(lit)).picture(told).light
        assert close(played, studio.still(request_of(there)).beauty), frame


def _shares(still: Still, look: Look, shot: Shot, place_key: str) -> Shares | None:
    parts = {key: (image.surface, image.air) for key, image in still.layers.items()}
    subject = np.zeros(still.beauty.shape[:2], bool)
    subject[:, : subject.shape[1] // 2] = True
    return shares_of(look, view_of(shot, size_of(shot)), place_key, parts.get, subject)


def what_is_read_is_of_the_frame(studio: Studio, document: Document, index: RayIndex) -> None:
    """Shares at a frame are its picture; what was settled there holds in the picture that it makes; the watch looks at
    every frame wherever the document stands.
    """
    still, place_key = studio.still(request_of(document)), place_spec(document.place).key
    look, shot = document.look, document.shot
    shares = _shares(still, look, shot, place_key)
    if shares is not None and shares.picture.max() > 0.0:
        assert close(shares.picture, still.beauty)
        wanted = (Ask("subject level", -1.0),)
        try:
            found = settle(shares, wanted)
        except AskError:
            assert not shares.picture[:, : shares.picture.shape[1] // 2].any(), "the subject has light"
            return
        moves = tuple((share.id, float(move)) for share, move in zip(shares.sources, found.moves))
        after = BalanceChange("settle", moves).on(look)
        settled = studio.still(request_of(attrs.evolve(document, looks=(after, *document.looks[1:]))))
        again = _shares(settled, after, shot, place_key)
        assert again is not None
        if not found.unmet:
            left = settle(again, wanted).moves
            assert np.abs(left).max(initial=0.0) < 0.1, left
    elsewhere = at_frame(document, shot.first_frame)
    one, two = ([f for f in watch(each, index) if f.kind == "in frame"] for each in (document, elsewhere))
    # Where it is told at a frame, it is at that frame.
    assert [(f.what, f.frame, f.where) for f in one] == [(f.what, f.frame, f.where) for f in two]
