"""The laws that every document keeps, on many documents: ``python bench/laws.py [PLANNED TRACED]``.

Documents come from the generator of the tests, each from a seed of its own. A law that fails is told with the least
document that shrinking finds. With arguments it prints and writes nothing.
"""

import math
import random
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.page import tell
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from tests.laws import keys, laws, ways
from tests.strategies.documents import documents, targets
from tests.strategies.yard import Yard, write_yard

from lunar_haze.core.document.model import Document
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.rays import RayIndex
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.folders import sky_folder

#: So many documents are planned, and so many traced, at the whole run.
PLANNED, TRACED = 20_000, 4_000
TEXT = (
    "`python bench/laws.py`: documents from the registries under the laws that every document keeps; bar: none fails."
)


def failures(law: Callable[[Document], None], strategy: st.SearchStrategy[Document], count: int) -> list[str]:
    """What is wrong with documents, a line for each kind of fault; each is looked for once more after it was found."""
    found: dict[str, int] = {}

    @seed(30)
    @settings(
        max_examples=count, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(strategy)
    def tried(document: Document) -> None:
        try:
            law(document)
        except Exception as error:
            trace = error.__traceback__
            while trace is not None and trace.tb_next is not None:
                trace = trace.tb_next
            where = "" if trace is None else f"{Path(trace.tb_frame.f_code.co_filename).name}:{trace.tb_lineno}"
            name = f"{type(error).__name__} at {where}"
            found[name] = found.get(name, 0) + 1

    tried()
    return [f"{count} x {name}" for name, count in found.items()]


def _restarts(yard: Yard) -> list[str]:
    """Rows that make layers anew for nothing, or whose layers leave out what was told, by the look they are of."""
    darkroom, found = keys.Darkroom(yard), []
    for name, look in keys.looks_by_name(yard).items():
        document = keys.document_of(yard, look)
        for row_name, facet in keys.all_rows(document):
            if row_name not in keys.EXCUSED and keys.restarted_for_nothing(darkroom, document, facet):
                found.append(f"{name}, {row_name}")
    return found


def main() -> None:
    planned, traced = (
        (int(each) for each in (*sys.argv[1:3], PLANNED, TRACED)[:2]) if len(sys.argv) > 2 else (PLANNED, TRACED)
    )
    keep_tables_in(sky_folder())
    folder = Path(tempfile.mkdtemp())
    yard, studio = write_yard(folder), laws.Studio(folder / "layers")
    rays = RayIndex(load_place(Path(yard.place.path), yard.place.scale, yard.place.scene))

    def adds_up(document: Document) -> None:
        still = studio.still(laws.request_of(document))
        laws.layers_add_up(still, document.look, document.shot, place_spec(document.place).key)

    def told_in_words(document: Document) -> None:
        chance = random.Random(repr(document))
        target, facet, part = chance.choice(targets(document))
        number = round(chance.uniform(facet.row.low, min(facet.row.high, 1e4)), 0 if facet.row.whole else 3)
        if not any(part):
            laws.words_are_the_edit(document, target, facet, number, chance.randint(1, 24))

    def taken_or_refused(document: Document) -> None:
        chance = random.Random(repr(document) + "ends")
        for _ in range(4):
            _target, facet, _part = chance.choice(targets(document))
            row = facet.row
            ends = [end for end in (row.floor, row.ceiling, row.low, row.high) if abs(end) < 1e300]
            number = chance.choice(
                [*ends, *(2 * end for end in ends), math.inf, -math.inf, math.nan, 1e300, 1e-300, 0.0]
            )
            laws.what_is_taken_can_be_opened(document, facet, number)

    def zero_has_no_sign(document: Document) -> None:
        for _target, facet, _part in targets(document):
            laws.zero_has_no_sign(document, facet)

    def is_sane(document: Document) -> None:
        laws.nothing_is_odd(studio.still(laws.request_of(document)), document.look, document.shot)

    every: tuple[tuple[str, Callable[[Document], None], int], ...] = (
        ("saved and read again it is equal, planned alike", laws.saved_is_equal, planned),
        ("a journal keeps all of it", lambda d: laws.work_is_kept(d, folder / "journals"), planned // 20),
        ("numbers in words are the edit", told_in_words, planned // 5),
        ("an edit is refused, or can be opened again", taken_or_refused, planned // 5),
        ("zero has no sign", zero_has_no_sign, planned // 100),
        (
            "a frame's name holds what its files hold",
            lambda d: ways.a_name_holds_what_files_hold(d, yard.table, folder),
            planned // 40,
        ),
        ("the lens makes no light", lambda document: laws.the_lens_makes_no_light(document.look), traced),
        ("layers add up to the picture", adds_up, traced),
        ("nothing is negative, not a number or without end", is_sane, traced),
        ("a balance of layers is the render of that balance", lambda d: laws.a_mix_is_a_render(studio, d), traced),
        (
            "a frame is one picture: alone, in a sequence, in shares",
            lambda d: ways.any_way_is_the_same(studio, d, folder),
            traced // 4,
        ),
        (
            "what is written adds up",
            lambda d: ways.what_is_written_adds_up(studio, d, folder / "files", denoise=d.shot.frame % 2 > 0),
            traced // 8,
        ),
        ("a frame plays as its still", lambda d: ways.played_is_the_still(studio, d), traced // 4),
        ("what is read at a frame is of it", lambda d: ways.what_is_read_is_of_the_frame(studio, d, rays), traced // 4),
        (
            "a sequence that is resumed is the one made at once",
            lambda d: ways.resumed_is_the_same(studio, d, folder / "resumed"),
            traced // 80,
        ),
    )
    rows = []
    for name, law, count in every:
        began = time.perf_counter()
        wrong = failures(law, documents(yard, extreme=law is laws.saved_is_equal), max(count, 1))
        rows.append((name, f"{count:,}", "; ".join(wrong) or "0", f"{time.perf_counter() - began:.0f} s"))
    began = time.perf_counter()
    restarts = _restarts(yard)
    rows.append(
        (
            "no row makes a layer anew for nothing",
            "all rows",
            "; ".join(restarts) or "0",
            f"{time.perf_counter() - began:.0f} s",
        )
    )
    tell("Laws", TEXT, rows, ("law", "documents", "fail", "took"))


if __name__ == "__main__":
    main()
