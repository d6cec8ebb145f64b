"""Takes the pictures in docs/screenshots of the real window: ``python scripts/screenshots.py [FOLDER] [NAME ...]``."""

import os
import shutil
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import attrs
from PIL import Image
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QScrollArea

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import at_frame, with_key
from lunar_haze.core.finish.values import Dust
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.sources.flames import Flame
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder
from lunar_haze.ui.base import theme
from lunar_haze.ui.base.well import Well
from lunar_haze.ui.picture import asking
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.look_acts import LIGHTNING
from lunar_haze.ui.shell.window import Window

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"
#: name -> shot, look, what is chosen, which second view, whether it is swapped with the picture
VIEWS = {
    "day": ("Landing", "golden hour", "sun", "plan", False),
    "night": ("Waiting", "moonlit mist", "rim", "plan", False),
    "sources": ("Waiting", "lamplit wait", "leaves", "plan", False),
    "loft": ("Loft", "loft shafts", "air", "plan", False),
    "plan": ("Landing", "moonlit mist", "rim", "plan", True),
    "dusk": ("Landing", "blue hour", "sky", "plan", False),
    "mist": ("Waiting", "bank at dawn", "air", "plan", False),
    "readings": ("Waiting", "lamplit wait", "rim", "readings", False),
    "variations": ("Waiting", "moonlit mist", "rim", "variations", False),
    "finish": ("Waiting", "lamplit wait", "finish", "plan", False),
    "time": ("Waiting", "lamplit wait", "rim", "frames", False),
    "dust": ("Loft", "loft shafts", "finish", "plan", False),
}
#: Pictures of the manual, and the screenshots that they are made of, smaller.
MANUAL = {"window": "day", "light": "sources", "air": "mist", "sky": "hours", "balance": "readings", "finish": "finish",
          "time": "time"}  # fmt: skip
MANUAL_WIDTH = 720


def keyed(window: Window) -> None:
    """Two seconds of the shot: a rim that comes up, a lantern that flickers, lightning; the strip of frames open."""
    session = window.session
    document = edits.change_shot(session.document, first_frame=1, last_frame=48, frame=1, ends=None)
    lantern = next(s for s in document.look.sources if "lantern" in s.name)
    document = edits.change_source(document, lantern.id, flicker=Flame(depth=0.25))
    for row, told in (("dimmer", ((1, -4.0), (14, 0.0), (30, -1.5), (48, 1.0))), ("azimuth", ((1, 40.0), (48, 70.0)))):
        for frame, value in told:
            document = with_key(document, "rim", row, value, frame=frame)
    session.act("keys", at_frame(document, 24))
    window.acts.add_heaven(LIGHTNING)
    session.choose("rim")
    window.cue_strip.band.in_hand = ("rim", "dimmer", ())
    window.toggle_frames()


def dusty(window: Window) -> None:
    """A lens that is wide open, and dust before it; the column shows its numbers."""
    session = window.session
    camera = attrs.evolve(session.document.shot.camera, f_number=2.0, focus_m=4.0)
    session.act("lens", edits.change_shot(session.document, camera=camera))
    session.act("dust", edits.change_finish(session.document, dust=Dust(40.0, 5000.0)))
    brightness = next(w for w in window.findChildren(Well) if w.accessibleName() == "brightness of dust")
    area = brightness.parentWidget()
    while not isinstance(area, QScrollArea):
        area = area.parentWidget()
    QTimer.singleShot(0, lambda: area.ensureWidgetVisible(brightness, 0, 200))


#: What is done to a view before it is looked at.
SET_UP = {"time": keyed, "dust": dusty}


def for_the_manual(folder: Path) -> None:
    """Smaller pictures for the pages that ship with the program."""
    pages = DEMO.parents[1] / "src" / "lunar_haze" / "resources" / "manual"
    for name, made_of in MANUAL.items():
        if (folder / f"{made_of}.png").exists():
            with Image.open(folder / f"{made_of}.png") as picture:
                small = picture.convert("RGB")
                small.thumbnail((MANUAL_WIDTH, MANUAL_WIDTH))
                small.save(pages / f"{name}.png", optimize=True)


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else DEMO.parents[1] / "docs" / "screenshots"
    names = sys.argv[2:] or list(VIEWS)
    folder.mkdir(parents=True, exist_ok=True)
    app = QApplication([])
    asking.PASSES = 16  # clean once denoised, and four views in minutes
    theme.apply(app)
    keep_tables_in(sky_folder())
    with tempfile.TemporaryDirectory() as state:
        session = Session(Path(state))
        window = Window(session, RenderClient(), Path(state))
        window.resize(1280, 800)
        window.show()
        # A copy: what is chosen here must not come back as unsaved work of the demo document.
        for file in (DEMO, DEMO.with_suffix(".glb")):
            shutil.copy(file, state)
        window.files.open_path(Path(state) / DEMO.name)
        for name in names:
            shot, look, chosen, second, swapped = VIEWS[name]
            window.header.take_shot(shot)
            window.header.take_look(look)
            session.choose(chosen)
            if swapped != window.panes.is_swapped:
                window.swap()
                window.plan.show_all()
            if name in SET_UP:
                SET_UP[name](window)
            window.second.show_view(second)
            started = time.time()
            quiet_since = time.time()
            # Long enough for a sky that is made before its light is asked for; a view may ask for nothing new.
            while time.time() - started < 400 and time.time() - quiet_since < 6.0:
                app.processEvents()
                time.sleep(0.01)
                if not window.bridge.asking.finished:
                    quiet_since = time.time()
            # Readings, a sheet and the plan's light are made aside.
            rested = time.time() + (25.0 if name in SET_UP else 3.0)
            while time.time() < rested:
                app.processEvents()
                time.sleep(0.01)
            window.notices.hide()
            app.processEvents()
            window.grab().save(str(folder / f"{name}.png"))
            print(name, f"{time.time() - started:.1f} s", window.size().toTuple())
        window.close()
    for_the_manual(folder)


if __name__ == "__main__":
    main()
