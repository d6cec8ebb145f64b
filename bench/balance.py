"""Readings and settling: how often hidden balances come back, and what they cost. ``python bench/balance.py``.

With arguments it prints and writes nothing.
"""

import os
import shutil
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtWidgets import QApplication

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.page import tell
from tests.core.test_match import a_look as a_pool
from tests.core.test_match import planted_in_colour
from tests.core.test_match import show as shoulder
from tests.core.test_settle import a_look, asks_met_by, moved, read_back
from tests.core.test_variations import least_distance, seen, show
from tests.ui.backends import InstantBackend

from lunar_haze.core.document import edits
from lunar_haze.core.document.files import load
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.picture.views import direct
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.core.plan.shares import shares_of
from lunar_haze.core.readings.levels import Latitude
from lunar_haze.core.readings.look_reading import read
from lunar_haze.core.readings.ratios import ratios
from lunar_haze.core.readings.shares import Share, Shares
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.solve.asks import Ask
from lunar_haze.core.solve.match import HALF, SURE, Matched, match
from lunar_haze.core.solve.settle import MET, settle
from lunar_haze.core.solve.variations import _smaller, _tried, variations
from lunar_haze.service.folders import sky_folder
from lunar_haze.service.still import compute
from lunar_haze.ui.base import theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"


LOOKS = 200
#: Demo looks that are matched to one another.
_LOOKS = ("bank at dawn", "golden hour", "blue hour", "moonlit mist", "lamplit wait")


def _planted() -> tuple[int, float, float]:
    """Of `LOOKS` random looks of 2 to 32 sources: how many are met, the worst miss, the median time for 32."""
    met, worst, times = 0, 0.0, []
    for seed in range(LOOKS):
        rng = np.random.default_rng(9000 + seed)
        count = int(rng.integers(2, 33))
        shares = a_look(count, seed)
        asks = asks_met_by(moved(shares, rng.uniform(-3, 3, count)))
        asks = asks[: max(1, min(len(asks), count - 1))]
        found = settle(shares, asks)
        miss = float(np.abs(read_back(moved(shares, found.moves), asks)).max())
        met, worst = met + (miss < MET), max(worst, miss)
    shares = a_look(32, 1)
    target = moved(shares, np.random.default_rng(2).uniform(-3, 3, 32))
    asks = (*asks_met_by(target), *_shares_of(target, 7))
    for _ in range(20):
        started = time.perf_counter()
        settle(shares, asks)
        times.append(time.perf_counter() - started)
    return met, worst, float(np.median(times))


def _shares_of(shares: Shares, count: int) -> tuple[Ask, ...]:
    return tuple(Ask("share", part.of_subject, part.id) for part in ratios(shares).parts[:count])


def _reading_ms() -> tuple[float, float]:
    """All readings of 32 sources at 240 x 135, and of 4 [ms, the least of some]."""
    out = []
    for count in (32, 4):
        rng = np.random.default_rng(1)
        lights = [rng.random((135, 240, 3)).astype(np.float32) ** 3 * 10.0 ** rng.uniform(-2, 1) for _ in range(count)]
        subject = np.zeros((135, 240), bool)
        subject[40:110, 90:140] = True
        sources = tuple(Share(f"s{n}", f"s{n}", "key" if n == 0 else "", light) for n, light in enumerate(lights))
        screen = (rng.random((135, 240, 3)) * 255).astype(np.uint8)
        best = 1e9
        for _ in range(8):
            started = time.perf_counter()
            read(Shares(sources, 0.2, subject), screen, Latitude())
            best = min(best, time.perf_counter() - started)
        out.append(best * 1e3)
    return out[0], out[1]


def _dimmer_ms() -> tuple[float, float]:
    """A dimmer dragged in the window until the picture answers, readings closed and open, in turn: medians [ms]."""
    app = QApplication.instance() or QApplication([])
    theme.apply(app)
    with tempfile.TemporaryDirectory() as folder:
        for file in (DEMO, DEMO.with_suffix(".glb")):
            shutil.copy(file, folder)
        session = Session(Path(folder) / "state")
        window = Window(session, InstantBackend(), Path(folder) / "state")
        window.resize(1280, 800)
        window.show()
        window.files.open_path(Path(folder) / DEMO.name)
        until = time.time() + 30.0
        while time.time() < until and (session.place is None or window.bridge.shown.picture is None):
            app.processEvents()
        source = session.document.look.sources[1].id
        taken: dict[str, list[float]] = {"plan": [], "readings": []}
        for round_ in range(6):
            for view, times in taken.items():
                window.second.show_view(view)
                until = time.time() + 1.0
                while time.time() < until:
                    app.processEvents()
                for step in range(20):
                    started = time.perf_counter()
                    moved = edits.change_source(session.document, source, dimmer_stops=0.05 * (step + round_))
                    session.edit("dimmer", moved, "drag")
                    app.processEvents()
                    times.append(time.perf_counter() - started)
                    time.sleep(0.02)
        window.leave_at_once()
        app.processEvents()
    return float(np.median(taken["plan"])) * 1e3, float(np.median(taken["readings"])) * 1e3


def _variations() -> tuple[float, float]:
    """Time of a sheet of nine [s], and its least distance over that of nine balances by chance of the same level."""
    shares = a_pool(16, 11)
    best = 1e9
    for _ in range(4):
        started = time.perf_counter()
        found = variations(shares, show, 9)
        best = min(best, time.perf_counter() - started)
    ids = [s.id for s in shares.sources]
    chance = [
        least_distance(seen(shares, [tuple(zip(ids, m)) for m in _tried(_smaller(shares), np.ones(16, bool), n)[:9]]))
        for n in range(100, 112)
    ]
    return best, least_distance(seen(shares, [v.moves for v in found])) / float(np.median(chance))


def _matches() -> tuple[int, int, int, float]:
    """Of 10 references of hidden dimmers and colours: looks whose dimmers came back within 0.3 stop, sure dimmers, right
    ones, the longest time [s].
    """
    back, sure, right, longest = 0, 0, 0, 0.0
    for seed in range(10):
        shares = a_pool(8, 40 + seed)
        kelvins, moves, _mireds, reference = planted_in_colour(shares, 40 + seed)
        started = time.perf_counter()
        found = match(shares, reference, shoulder, with_exposure=False, kelvins=kelvins)
        longest = max(longest, time.perf_counter() - started)
        got = dict(found.moves)
        of_frame = {p.id: p.of_frame for p in ratios(shares.mixed(moves)).parts}
        misses = {i: abs(got.get(i, 0.0) - m) for i, m in moves.items()}
        back += all(misses[i] < 0.3 for i in moves if of_frame[i] > 0.03)
        certain = [i for i in moves if found.sigma[i] < SURE]
        sure, right = sure + len(certain), right + sum(misses[i] < 0.3 for i in certain)
    return back, sure, right, longest


def _nearness(found: list[Matched]) -> tuple[int, float, int]:
    """How many of some matches come near by half or more, the median share of the distance that is gone, and how many of
    the others say what stands between.
    """
    gone = [1.0 - each.after / each.before for each in found]
    told = sum(g < HALF and bool(each.remains or each.elsewhere) for g, each in zip(gone, found, strict=True))
    return sum(g >= HALF for g in gone), float(np.median(gone)), told


def _others() -> list[Matched]:
    """8 references of other subjects: other light in other places of the frame."""
    found = []
    for seed in range(8):
        shares = a_pool(8, 60 + seed)
        kelvins = {s.id: 3200.0 + 300.0 * n for n, s in enumerate(shares.sources)}
        _kelvins, _moves, _mireds, reference = planted_in_colour(a_pool(7, 160 + seed), 160 + seed)
        found.append(match(shares, reference, shoulder, kelvins=kelvins, with_white=True))
    return found


def _other_shots() -> tuple[list[Matched], float]:
    """Demo looks of *Waiting* matched to other looks of *Landing*, and the longest of these matches [s]."""
    document, _notes = load(DEMO)
    place = place_spec(document.place)
    shots = {s.name: s for s in document.shots}
    looks = {look.name: look for look in document.looks if look.name in _LOOKS}

    def lit(name: str, shot: str) -> Shares:
        request = frame_request(1, place, shots[shot], looks[name], (240, 136), 16, denoise=False)
        still = compute(request)
        layers = {k: (i.surface, i.air) for k, i in still.layers.items()}
        return shares_of(looks[name], request.view, place.key, layers.get, None)

    def seen(picture: np.ndarray, scale: float) -> np.ndarray:
        return np.rint(direct(np.ascontiguousarray(picture, np.float32) * np.float32(scale)) * 255).astype(np.uint8)

    own, references = {n: lit(n, "Waiting") for n in _LOOKS}, {n: lit(n, "Landing") for n in _LOOKS}
    found, longest = [], 0.0
    for name in _LOOKS:
        kelvins = {s.id: s.kelvin for s in looks[name].sources if s.kelvin is not None}
        for other in _LOOKS:
            if other == name:
                continue
            reference = seen(references[other].picture, references[other].scale)
            started = time.perf_counter()
            found.append(match(own[name], reference, seen, kelvins=kelvins, with_white=True))
            longest = max(longest, time.perf_counter() - started)
    return found, longest


def main() -> None:
    keep_tables_in(sky_folder())
    others, (of_shots, shots_longest) = _others(), _other_shots()
    (near, gone, told), (shots_near, shots_gone, shots_told) = _nearness(others), _nearness(of_shots)
    met, worst, median = _planted()
    many, few = _reading_ms()
    closed, opened = _dimmer_ms()
    sheet_s, spread = _variations()
    back, sure, right, longest = _matches()
    rows = [
        ("hidden balances of 2 to 32 sources that settle meets within 0.05 stop", f"{met} of {LOOKS}", "all"),
        ("... the furthest miss", f"{worst:.4f} stops", "0.05"),
        ("settle, 32 sources and 12 asks, median", f"{median * 1e3:.1f} ms", "at most 50 ms"),
        ("all readings of 32 sources, 240 x 135", f"{many:.1f} ms", "at most 30 ms"),
        ("... of 4 sources", f"{few:.1f} ms", ""),
        (
            "a dimmer dragged with all readings open, to the picture; with them closed",
            f"{opened:.0f} ms; {closed:.0f} ms",
            "the same",
        ),
        ("nine variations of 16 sources", f"{sheet_s:.2f} s", "at most 0.3 s"),
        ("... their least distance over that of balances by chance", f"{spread:.1f}", "at least 2"),
        (
            "planted dimmers and colours of 8 distinct sources: dimmers of more than 3 % back within 0.3 stop",
            f"{back} of 10",
            "9",
        ),
        ("... dimmers told as sure that are right", f"{right} of {sure}", "95 %"),
        (
            "references of other subjects: how many come near by half of the distance or more; median",
            f"{near} of {len(others)}; {gone:.0%}",
            "half or more",
        ),
        (
            "... the same of demo looks, each of one shot matched to the others of another shot",
            f"{shots_near} of {len(of_shots)}; {shots_gone:.0%}",
            "half or more",
        ),
        (
            "... of those of both that come less near, how many say what stands between",
            f"{told + shots_told} of {len(others) - near + len(of_shots) - shots_near}",
            "all",
        ),
        ("... the longest match", f"{max(longest, shots_longest):.1f} s", "below 5 s"),
    ]
    tell("Balance", "Made by `.venv/bin/python bench/balance.py`.", rows)


if __name__ == "__main__":
    main()
