"""A window on the demo place, driven without a render process."""

import gc
import shutil
import threading

import pytest
import shiboken6
from numba.core import event
from PySide6.QtCore import QCoreApplication, QEvent, QTimer

from lunar_haze.core.document import edits
from lunar_haze.core.document.model import Document
from lunar_haze.service.warmup import is_warm
from lunar_haze.ui.base import questions, theme
from lunar_haze.ui.session.session import Session
from lunar_haze.ui.shell.window import Window
from tests.ui import owners
from tests.ui.backends import InstantBackend


@pytest.fixture(scope="session", autouse=True)
def _the_programs_style(qapp):
    """Put on once: every window that is open is made up anew when it changes."""
    theme.apply(qapp)
    # What was loaded by now stays: a window's garbage is looked for among what came after.
    gc.collect()
    gc.freeze()


@pytest.fixture
def work(tmp_path, demo):
    """A copy of the demo place and document that a test may change."""
    for name in (demo.name, demo.with_suffix(".glb").name):
        shutil.copy(demo.parent / name, tmp_path / name)
    return tmp_path / demo.name


@pytest.fixture(autouse=True)
def _unasked(monkeypatch):
    """No question stops a test: work without a name is kept, and nothing else is answered with yes."""
    answers = {
        "black": "silence this one", "unsaved work": "keep it for later", "still": "give it up",
        "other skies": "mute them",
    }  # fmt: skip

    def ask(_parent, title, _text, _more, choices, escape=""):
        return answers.get(title, escape or choices[-1])

    monkeypatch.setattr(questions, "ask", ask)


@pytest.fixture(autouse=True)
def _nothing_is_compiled():
    """Whatever a hand does, the warm-up has compiled it before."""
    if not is_warm():
        yield  # the command that runs all tests compiles first
        return
    with event.install_recorder("numba:compile") as recorder:
        yield
    late = {e.data["dispatcher"].py_func for _time, e in recorder.buffer if e.is_start}
    ours = sorted(f"{f.__module__}.{f.__name__}" for f in late if f.__module__.startswith("lunar_haze"))
    assert not ours, f"compiled in mid-work: {', '.join(ours)}"


@pytest.fixture(autouse=True, scope="session")
def foreign_writes():
    """State is written to by its owner's thread: whoever else does is told in `_no_foreign_thread`."""
    with owners.watched() as found:
        yield found


@pytest.fixture(autouse=True)
def _no_foreign_thread(foreign_writes):
    yield
    told, foreign_writes[:] = list(foreign_writes), []
    assert not told


@pytest.fixture
def session(qtbot, tmp_path, work):
    """The demo place's copy open without a window."""
    made = Session(tmp_path / "state")
    made.open_path(work)
    qtbot.waitUntil(lambda: made.place is not None, timeout=20_000)
    yield made
    made.close()


def dimmed(session: Session, stops: float) -> Document:
    """The document with the first source's dimmer moved."""
    return edits.change_source(session.document, session.document.look.sources[0].id, dimmer_stops=stops)


@pytest.fixture
def window(qtbot, tmp_path, work):
    session = Session(tmp_path / "state")
    made = Window(session, InstantBackend(), tmp_path / "state")
    made.resize(1280, 800)
    made.show()
    qtbot.waitExposed(made)
    assert made.files.open_path(work)
    qtbot.waitUntil(lambda: made.bridge.shown.picture is not None and session.place is not None, timeout=20_000)
    yield made
    made.close()
    made.picture.isolate(None)
    assert made.bridge.backend.closed
    assert not [t for t in threading.enumerate() if t.name in ("still", "render-events")]
    # A window is for a whole run of the program; a hundred of them, each with its place and its board, are not.
    made.bridge.backend.board = None
    # What threads have told is taken, and columns that were replaced are ended: nothing comes after that.
    QCoreApplication.sendPostedEvents()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    watch, bridge = made._file_watch, made.bridge
    for each in (made, watch, bridge, session):
        shiboken6.delete(each)
        # Qt's binding holds on to what a deleted window was made of: not to its place and its pictures with it.
        vars(each).clear()
    for each in gc.get_objects():
        # By its type: a dead weak proxy cannot even be asked for its class.
        if issubclass(type(each), QTimer) and shiboken6.isValid(each):
            each.stop()
    gc.collect()
