"""Pins: states of the look that are kept, returned to and compared, with the pictures they had."""

import contextlib
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import at_frame
from lunar_haze.service.folders import cache_folder
from lunar_haze.ui.picture.bridge import RenderBridge
from lunar_haze.ui.picture.picture_view import PictureView
from lunar_haze.ui.session.session import Session


class Pins(QObject):
    """Acts on pins, and their pictures. ``renewed`` when a picture of one, or which "before" shows, is another."""

    renewed = Signal()

    def __init__(
        self,
        session: Session,
        bridge: RenderBridge,
        picture: PictureView,
        say: Callable[[str, bool], None],
    ) -> None:
        super().__init__()
        self.session, self.bridge, self.picture = session, bridge, picture
        #: The pin that "before" shows, by its id.
        self.before_id = ""
        self._say = say
        self._images: dict[str, QImage] = {}

    def pin(self) -> None:
        """Keep this state, and its picture for comparing."""
        if not self.session.is_open:
            return
        document = edits.add_pin(self.session.document)
        pin = document.pins[-1]
        image = self.bridge.shown.image
        if not image.isNull():
            self._images[pin.id] = image
            folder = cache_folder() / "pins"
            with contextlib.suppress(OSError):  # it is kept as long as the window, then
                folder.mkdir(parents=True, exist_ok=True)
            image.save(str(folder / f"{pin.id}.png"))
        self.compare_with(pin.id)
        self.session.act(f"pin {pin.name}", document)
        self.renewed.emit()
        self._say(f"pinned {pin.name}; hold B to see it, W wipes against it", False)

    def image(self, pin_id: str) -> QImage | None:
        """The picture that was pinned, or None."""
        if pin_id not in self._images:
            image = QImage(str(cache_folder() / "pins" / f"{pin_id}.png"))
            if not image.isNull():
                self._images[pin_id] = image
        return self._images.get(pin_id)

    def compare_with(self, pin_id: str) -> None:
        """Let a pin be what "before" shows."""
        self.picture.before = self.image(pin_id)
        self.before_id = pin_id
        self.picture.update()

    def act(self, act: str, pin_id: str) -> None:
        """Return to a pin, remove it, or compare with it."""
        pin = next((p for p in self.session.document.pins if p.id == pin_id), None)
        if pin is None:
            return
        if act == "return":
            # It was kept at some frame; what changes over the frames is that of the one on screen.
            self.session.act(f"return to {pin.name}", at_frame(edits.return_to_pin(self.session.document, pin_id)))
        elif act == "remove":
            self.session.act(f"delete pin {pin.name}", edits.remove_pin(self.session.document, pin_id))
        else:
            self.compare_with(pin_id)
            self.renewed.emit()
            if self.picture.before is None:
                self._say("this pin has no picture yet; return to it and pin it again", False)

    def toggle_wipe(self) -> None:
        """Wipe between now and the pin."""
        if self.picture.before is None:
            self._say("pin a state first (P), then wipe against it", False)
            return
        self.picture.wiping = not self.picture.wiping
        self.picture.update()
