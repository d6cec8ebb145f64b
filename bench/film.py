"""Films what is on screen after each kind of edit, until it is clean: ``python bench/film.py SHEET.png [KIND ...]``.

A contact sheet: a row for each kind of edit, with the seconds since the edit over each picture. Every picture
that was shown is compared with the last one; the table names what differs most.
"""

import sys
import tempfile
import time
from pathlib import Path

import attrs
import numpy as np

ROOT = Path(__file__).resolve().parents[1]
SHOWN = 7
SIZE = (240, 135)
#: Small, so that a row takes seconds; stand-ins are the same.
WINDOW = (900, 640)
#: What is edited soon after its picture has come.
EARLY = ("dimmer", "solo")
#: An edit is followed for so long at the most.
LONGEST_S = 10.0


def edits_of(window) -> dict:
    """The kinds: the look they begin in, and the act."""
    from lunar_haze.core.document import edits
    from lunar_haze.core.sky.model import Panorama
    from lunar_haze.core.sources.model import Ball, Source

    session = window.session

    def act(document) -> None:
        session.act("film", document)

    def change(source_id: str, **changes) -> None:
        act(edits.change_source(session.document, source_id, **changes))

    def move(source_id: str, by: tuple[float, float, float]) -> None:
        shape = session.document.look.source(source_id).shape
        act(edits.change_shape(session.document, source_id, position=tuple(p + d for p, d in zip(shape.position, by))))

    def lamp() -> None:
        at = session.document.shot.camera
        aim = np.asarray(at.aim)
        spot = tuple(np.add(aim, (0.0, 0.0, 1.2)).tolist())
        act(edits.add_source(session.document, Source("film", "ball", Ball(spot, 0.1, aim=tuple(aim)), 3000.0, "lm")))

    def photograph() -> None:
        path = Path(tempfile.mkdtemp()) / "dusk.hdr"
        from lunar_haze.core.handoff.sky_file import sky_picture
        from lunar_haze.core.handoff.stills import write_hdr
        from lunar_haze.core.sky.model import ClearSky

        write_hdr(path, sky_picture(ClearSky(3.0, 250.0), 512, 1024, True))
        source = session.document.look.source("sky")
        shape = attrs.evolve(source.shape, dome=Panorama(str(path), "", "linear"), follows_hour=False)
        change("sky", shape=shape, amount=3000.0, unit="lx")

    def camera() -> None:
        shot = session.document.shot
        moved = attrs.evolve(shot.camera, position=tuple(np.add(shot.camera.position, (1.0, -0.5, 0.2))))
        act(edits.change_shot(session.document, camera=moved))

    def show(**names) -> None:
        act(attrs.evolve(session.document, **names))

    def silent() -> None:
        for s in session.document.look.sources:
            if s.name in ("sun", "moon"):
                change(s.id, muted=True)

    def dim(name: str, stops: float) -> None:
        source = next(s for s in session.document.look.sources if s.name == name)
        change(source.id, dimmer_stops=source.dimmer_stops + stops)

    def alone(name: str) -> None:
        change(next(s.id for s in session.document.look.sources if s.name == name), alone=True)

    return {
        "dimmer": ("loft shafts", "Loft", lambda: dim("sky", 5.0)),
        "solo": ("moonlit mist", "Landing", lambda: alone("moon")),
        "shot and look": ("golden hour", "Landing", lambda: show(current_shot="Waiting", current_look="lamplit wait")),
        "hour": ("golden hour", "Landing", lambda: act(edits.set_hour(session.document, 19.3))),
        "panorama exchanged": ("golden hour", "Landing", photograph),
        "lamp added": ("blue hour", "Waiting", lamp),
        "lamp moved": ("lamplit wait", "Waiting", lambda: move("glow", (0.4, 0.0, 0.3))),
        "lamp deleted": ("lamplit wait", "Waiting", lambda: act(edits.remove_source(session.document, "leaves"))),
        "sun muted": ("golden hour", "Landing", silent),
        "air": ("moonlit mist", "Landing", lambda: act(edits.change_medium(session.document, visibility_m=120.0))),
        "camera": ("golden hour", "Landing", camera),
        "shot": ("golden hour", "Landing", lambda: show(current_shot="Loft", current_look="loft shafts")),
        "look": ("golden hour", "Landing", lambda: show(current_look="moonlit mist")),
    }  # fmt: skip


def main() -> None:
    import os

    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PIL import Image, ImageDraw
    from PySide6.QtWidgets import QApplication

    from lunar_haze.core.sky.tables import keep_tables_in
    from lunar_haze.service.client import RenderClient
    from lunar_haze.service.folders import sky_folder
    from lunar_haze.ui.base import questions, theme
    from lunar_haze.ui.session.session import Session
    from lunar_haze.ui.shell.window import Window

    app = QApplication([])
    theme.apply(app)
    keep_tables_in(sky_folder())
    state = Path(tempfile.mkdtemp())
    session = Session(state)
    # A cache of its own, empty: an artist's first time.
    window = Window(session, RenderClient(Path(tempfile.mkdtemp())), state)
    window.resize(*WINDOW)
    window.show()
    window.files.open_path(ROOT / "demo" / "gannet-reach.haze")
    bridge = window.bridge

    def spin(until, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not until():
            app.processEvents()
            time.sleep(0.004)

    names = sys.argv[2:] or list(edits_of(window))
    width, height = SIZE
    sheet = Image.new("RGB", (SHOWN * (width + 4), len(names) * (height + 22)), "#202020")
    pen = ImageDraw.Draw(sheet)
    for row, name in enumerate(names):
        look, shot, act = edits_of(window)[name]
        session.act("begin", attrs.evolve(session.document, current_look=look, current_shot=shot))
        app.processEvents()
        bridge.asking.finished = False
        # A balance is moved while its picture is a few passes old, all else when it is clean.
        early = name in EARLY
        spin(lambda: bridge.shown.passes >= 1 if early else bridge.asking.finished, 12.0)
        spin(lambda: False, 2.5 if early else 0.0)
        frames: list[tuple[float, np.ndarray]] = []

        def keep() -> None:
            # Before anything else is drawn the image is 32 bits a pixel, blue first.
            image = bridge.shown.image
            if image.isNull():
                return  # told in words: there is no light of this look yet
            data = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)
            frames.append((time.monotonic() - started, data[..., 2::-1].copy()))

        bridge.shown.picture_changed.connect(keep)
        started = time.monotonic()
        bridge.asking.finished = False
        act()
        spin(lambda: bridge.asking.finished, LONGEST_S)
        bridge.shown.picture_changed.disconnect(keep)
        if not frames:
            continue
        last = frames[-1][1].astype(float)
        off = [
            float(np.abs(f.astype(float) - last).mean()) if f.shape == last.shape else float("nan") for _t, f in frames
        ]
        worst = int(np.nanargmax(off))
        times = np.array([t for t, _f in frames])
        wanted = np.geomspace(max(times[0], 0.05), times[-1], SHOWN)
        picks = sorted({int(np.abs(times - t).argmin()) for t in wanted} | {0, worst, len(frames) - 1})
        picks = [*picks[: SHOWN - 1], len(frames) - 1] if len(picks) > SHOWN else picks
        y = row * (height + 22)
        for column, pick in enumerate(dict.fromkeys(picks)):
            at, rgb = frames[pick]
            sheet.paste(Image.fromarray(rgb).resize(SIZE, Image.Resampling.BOX), (column * (width + 4), y + 20))
            pen.text(
                (column * (width + 4) + 2, y + 4), f"{name}  {at:.2f} s" if not column else f"{at:.2f} s", "#dddddd"
            )
        session.undo()
        worst_told = f"worst {off[worst]:.1f} codes at {times[worst]:.2f} s"
        print(
            f"{name:<20} {len(frames):3d} pictures, first {times[0]:.2f} s, {worst_told}, clean after {times[-1]:.1f} s",
            flush=True,
        )
        sheet.save(sys.argv[1])
    # What the film did to the demo place is not asked about.
    questions.ask = lambda *_told, **_more: "keep it for later"
    window.close()


if __name__ == "__main__":
    main()
