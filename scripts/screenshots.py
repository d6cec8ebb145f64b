"""Takes the pictures in docs/screenshots of the real window: ``python scripts/screenshots.py [FOLDER] [NAME ...]``."""

import os
import shutil
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.service.client import RenderClient
from lunar_haze.service.folders import sky_folder
from lunar_haze.ui import bridge, theme
from lunar_haze.ui.session import Session
from lunar_haze.ui.window import Window

DEMO = Path(__file__).resolve().parents[1] / "demo" / "gannet-reach.haze"
#: name -> shot, look, what is chosen, whether plan and picture are swapped
VIEWS = {
    "day": ("Landing", "golden hour", "sun", False),
    "night": ("Waiting", "moonlit mist", "rim", False),
    "sources": ("Waiting", "lamplit wait", "leaves", False),
    "loft": ("Loft", "loft shafts", "air", False),
    "plan": ("Landing", "moonlit mist", "rim", True),
    "dusk": ("Landing", "blue hour", "sky", False),
    "mist": ("Waiting", "bank at dawn", "air", False),
}


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
        window.show()
        # A copy: what is chosen here must not come back as unsaved work of the demo document.
        for file in (DEMO, DEMO.with_suffix(".glb")):
            shutil.copy(file, state)
        window.files.open_path(Path(state) / DEMO.name)
        for name in names:
            shot, look, chosen, swapped = VIEWS[name]
            window.header._take_shot(shot)
            window.header._take_look(look)
            session.choose(chosen)
            if swapped != window._swapped:
                window.swap()
                window.plan._frame_all()
            started = time.time()
            quiet_since = time.time()
            window.bridge.finished = False
            while time.time() - started < 400 and time.time() - quiet_since < 2.0:
                app.processEvents()
                time.sleep(0.01)
                if not window.bridge.finished:
                    quiet_since = time.time()
            window.notices.hide()
            app.processEvents()
            window.grab().save(str(folder / f"{name}.png"))
            print(name, f"{time.time() - started:.1f} s", window.size().toTuple())
        window.close()


if __name__ == "__main__":
    main()
