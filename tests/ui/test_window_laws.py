"""The settled window shows the still: whole documents from the registries, asked for and mixed by the real bridge."""

import attrs
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image
from PySide6.QtWidgets import QApplication

from lunar_haze.core.document.files import save
from lunar_haze.core.document.model import Document, Look, Shot
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.picture.views import VIEWS
from lunar_haze.core.plan.frames import frame_request
from lunar_haze.service.still import Still, hand_over
from lunar_haze.ui.picture import asking
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.session.session import Session
from tests.strategies.documents import documents
from tests.strategies.renderer import HereBackend
from tests.strategies.yard import write_yard

PASSES = 3


class Settled:
    """A session and its bridge, whose renderer answers at once."""

    def __init__(self, session: Session, bridge: RenderBridge) -> None:
        self.session, self.bridge = session, bridge

    def show(self, document: Document) -> None:
        """Show a document until its picture is settled."""
        self.bridge.asking.finished = False
        self.session.act("another", document)
        for _ in range(20):
            QApplication.processEvents()
        self.bridge.asking._settled()
        QApplication.processEvents()


@pytest.fixture(scope="module")
def yard(tmp_path_factory):
    return write_yard(tmp_path_factory.mktemp("yard"))


@pytest.fixture(scope="module")
def settled(qapp, yard, tmp_path_factory):
    folder = tmp_path_factory.mktemp("settled")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(asking, "PASSES", PASSES)
        session = Session(folder / "state")
        bridge = RenderBridge(session, HereBackend(folder / "layers"))
        save(Document(yard.place, (Shot("wide"),), (Look("first"),), (), "wide", "first"), folder / "yard.haze")
        bridge.asking.set_area(96, 54)
        session.open_path(folder / "yard.haze")
        while session.place is None:
            QApplication.processEvents()
        yield Settled(session, bridge)
        bridge.close()
        session.close()


@pytest.mark.timeout(400)
@settings(max_examples=40, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_the_settled_window_shows_the_still(data, settled, yard, tmp_path_factory):
    document = data.draw(documents(yard))
    settled.show(document)
    bridge, look, shot = settled.bridge, document.look, document.shot
    size = bridge.asking.size()
    wanted = frame_request(1, place_spec(document.place), shot, look, size, PASSES, live=False)
    lit = {gain.key for gain in wanted.gains if not gain.is_silent}
    if not lit:
        return
    # The light of a still is asked for, all of it, at the same gains.
    assert lit <= bridge.light.mix.images.keys()
    shown = {gain.key: gain for gain in bridge.gains.present()}
    assert all(shown[gain.key] == gain for gain in wanted.gains if not gain.is_silent)
    assert bridge.shown.passes > 0
    # What becomes of it on the way to the screen is what becomes of a still.
    board = bridge.lens.board
    still = Still(
        bridge.light.mix._mixer.picture(wanted.gains), bridge.shown.picture, bridge.light.mix.images,
        owner=board.owner[..., 0], distance=board.depth, motes=bridge.light.dust._lit,
    )  # fmt: skip
    path = tmp_path_factory.getbasetemp() / "still.png"
    hand_over(still, attrs.evolve(wanted, denoise=True), path, shot, look, with_layers=False)
    of_still = np.asarray(Image.open(path).convert("RGB")).astype(int)
    image = bridge.shown.image
    pixels = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.width(), 4)[..., 2::-1]
    apart = np.abs(pixels.astype(int) - of_still)
    # Bands of false colour end within a code of one another.
    mean, most = (6.0, 256) if VIEWS[look.finish.view].is_false_colour else (1.5, 10)
    assert apart.mean() < mean, apart.mean()
    assert np.quantile(apart, 0.98) < most, np.quantile(apart, 0.98)
