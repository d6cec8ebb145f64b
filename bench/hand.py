"""A dimmer of sixteen sources from hand to screen, measured whole: ``python bench/hand.py``.

The edit, the plan, the mix (small clean layers at hand), the finish and the image, at 960x540. With arguments it prints
and writes nothing.
"""

import os
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PySide6.QtWidgets import QApplication

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from bench.page import tell
from tests.ui.backends import InstantBackend

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.values import Glow, Grade
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.sources.model import Ball, Source
from lunar_haze.service.folders import sky_folder
from lunar_haze.service.protocol import Smoothed
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session

ROOT = Path(__file__).resolve().parents[1]
MOVES = 120
TEXT = "`python bench/hand.py`: a hand moves one dimmer of 16 sources at 960x540: edit, plan, mix, finish, image."


class SmoothBackend(InstantBackend):
    """An instant renderer whose layers have their small, clean pictures."""

    def want(self, request) -> None:
        super().want(request)
        rng = np.random.default_rng(1)
        for slot in range(len(request.layers)):
            for part in (self.board.surface[slot], self.board.air[slot]):
                part[...] = rng.random(part.shape, np.float32) * 1e-3
            self.board.small[slot] = 5e-4
        found = self._layers_of(request)
        self._tell(Smoothed(request.id, found))

    @staticmethod
    def _layers_of(request):
        from lunar_haze.service.protocol import LayerAt

        return tuple(LayerAt(spec.key(), slot, 8) for slot, spec in enumerate(request.layers))


def _drag(finish: Finish, cues: int) -> float:
    app = QApplication.instance() or QApplication([])
    session = Session(Path(tempfile.mkdtemp()))
    bridge = RenderBridge(session, SmoothBackend())
    session.open_path(ROOT / "demo" / "gannet-reach.haze")
    until = time.time() + 60.0
    while time.time() < until and session.place is None:
        app.processEvents()
    lamps = tuple(Source(f"x{i}", f"x{i}", Ball((0.3 * i, 0.0, 2.0)), 200.0, "lm") for i in range(16))
    document = edits.change_look(session.document, sources=lamps, finish=finish)
    document = edits.change_shot(document, first_frame=1, last_frame=48, frame=1, ends=None)
    for i in range(cues):
        document = with_key(with_key(document, f"x{i}", "dimmer", 0.0, frame=1), f"x{i}", "dimmer", -2.0, frame=48)
    session.act("sixteen", document)
    while time.time() < until and not bridge.asking.finished:
        app.processEvents()
    shown = []
    bridge.shown.picture_changed.connect(lambda: shown.append(time.perf_counter()))
    times = []
    for step in range(MOVES):
        shown.clear()
        began = time.perf_counter()
        session.edit("dimmer", edits.change_source(session.document, "x3", dimmer_stops=-0.02 * step), "dimmer x3")
        while not shown:
            app.processEvents()
        times.append(shown[0] - began)
        time.sleep(0.004)
    bridge.close()
    session.close()
    return float(np.median(times)) * 1e3


def main() -> None:
    keep_tables_in(sky_folder())
    graded = Finish(Glow(0.1), grade=Grade(contrast=1.1))
    rows = [
        ("one dimmer of 16, hand to screen", f"{_drag(Finish(), 0):.0f} ms", "25 ms"),
        ("... with glow and a grade", f"{_drag(graded, 0):.0f} ms", "none of its own"),
        ("... with sixteen keyed dimmers", f"{_drag(Finish(), 16):.0f} ms", "25 ms"),
    ]
    tell("A dimmer from hand to screen", TEXT, rows)


if __name__ == "__main__":
    main()
