"""Takes the pictures in docs/screenshots of the real window: ``python scripts/screenshots.py [FOLDER] [NAME ...]``."""

import os
import shutil
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PIL import Image
from PySide6.QtWidgets import QApplication

from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder
from lunar_haze.ui import bridge, theme
from lunar_haze.ui.session import Session
from lunar_haze.ui.window import Window

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
}
#: Pictures of the manual, and the screenshots that they are made of, smaller.
MANUAL = {"window": "day", "light": "sources", "air": "mist", "sky": "hours", "balance": "readings", "finish": "finish"}
MANUAL_WIDTH = 720


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
    bridge.PASSES = 16  # clean once denoised, and four views in minutes
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
            window.header._take_shot(shot)
            window.header._take_look(look)
            session.choose(chosen)
            if swapped != window.panes.is_swapped:
                window.swap()
                window.plan.show_all()
            window.second.show_view(second)
            started = time.time()
            quiet_since = time.time()
            window.bridge.finished = False
            while time.time() - started < 400 and time.time() - quiet_since < 2.0:
                app.processEvents()
                time.sleep(0.01)
                if not window.bridge.finished:
                    quiet_since = time.time()
            # Readings, a sheet and the plan's light are made aside.
            rested = time.time() + 3.0
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
