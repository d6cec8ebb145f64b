"""The last true pictures of looks and shots: what is held on screen until there is light of the one that is chosen."""

from collections import OrderedDict

from PySide6.QtGui import QImage

#: So many are kept, those seen last.
MOST = 16
#: A look and a shot by name.
Name = tuple[str, str]


class HeldPictures:
    """Pictures by look and shot; none is ever shown in the place of another's."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Name, QImage] = OrderedDict()

    def keep(self, name: Name, image: QImage) -> None:
        """The true picture of a look in a shot as it is now."""
        self._kept.pop(name, None)
        self._kept[name] = image
        while len(self._kept) > MOST:
            self._kept.popitem(last=False)

    def of(self, name: Name) -> QImage:
        """The last true picture of a look in a shot, a null image where there was none."""
        return self._kept.get(name, QImage())

    def forget(self) -> None:
        """Another document is at hand."""
        self._kept.clear()
