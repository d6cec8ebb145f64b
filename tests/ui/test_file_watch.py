"""Files that another program changes are noticed and told."""

import numpy as np
from PIL import Image

from lunar_haze.core.document.edits import add_source
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.model import Sky, Source


def test_a_photograph_that_is_painted_over_is_read_again_and_told(window, qtbot, tmp_path):
    path = tmp_path / "photo.png"
    Image.fromarray(np.full((32, 64, 3), 90, np.uint8)).save(path)
    dome = Panorama(str(path), "", "display")
    session = window.session
    session.act("photo", add_source(session.document, Source("p", "photo", Sky(dome, follows_hour=False), 100.0, "lx")))
    qtbot.waitUntil(lambda: path in window._file_watch._known, timeout=5000)
    told = []
    session.said.connect(lambda text, problem: told.append(text))
    backend = window.bridge.backend
    before = {s.key() for s in backend.requests[-1].layers}
    Image.fromarray(np.full((32, 64, 3), 160, np.uint8)).save(path)
    qtbot.waitUntil(lambda: any("photo.png has changed" in t for t in told), timeout=5000)
    qtbot.waitUntil(lambda: {s.key() for s in backend.requests[-1].layers} != before, timeout=5000)
    path.unlink()
    qtbot.waitUntil(lambda: any("photo.png is gone" in t for t in told), timeout=5000)


def test_a_place_that_is_exported_again_is_read_again_and_what_lies_beside_it_is_nobody_s_matter(window, qtbot, work):
    place = work.with_suffix(".glb")
    qtbot.waitUntil(lambda: place in window._file_watch._known, timeout=5000)
    told = []
    window.session.said.connect(lambda text, problem: told.append(text))
    old = window.session.place_spec
    (work.parent / "notes.txt").write_text("beside it")
    qtbot.wait(900)
    assert window.session.place_spec == old
    assert not told
    data = bytearray(place.read_bytes())
    # A glTF chunk of another kind, which is passed over: other bytes, the same set.
    data += b"\x04\0\0\0XXXX" + b"abcd"
    data[8:12] = len(data).to_bytes(4, "little")
    fresh = place.with_name("fresh.tmp")
    fresh.write_bytes(bytes(data))
    fresh.replace(place)
    qtbot.waitUntil(lambda: window.session.place_spec != old, timeout=8000)
    assert any(place.name in t and "read again" in t for t in told)
    qtbot.waitUntil(lambda: window.session.place is not None, timeout=20_000)
