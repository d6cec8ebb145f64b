"""A table of kinds: each declared once, by the class of its values, with a name for people and a tag for files."""

from typing import Protocol, TypeVar


class Kind(Protocol):
    """What the tables of skies, sources and flickers ask of their entries."""

    @property
    def value(self) -> type: ...

    @property
    def name(self) -> str: ...

    @property
    def tag(self) -> str: ...


K = TypeVar("K", bound=Kind)


class Kinds(dict[type, K]):
    """Kinds by the class of their values, in the order they are offered; ``what`` they are kinds of."""

    def __init__(self, what: str) -> None:
        super().__init__()
        self._what = what

    def declare(self, kind: K) -> None:
        """Take a kind in. Raises ValueError for a name or a tag that another has."""
        if any(other.name == kind.name or other.tag == kind.tag for other in self.values()):
            raise ValueError(f"there is a kind of {self._what} “{kind.name}” already")
        self[kind.value] = kind

    def tagged(self, tag: str) -> K:
        """The kind that a file's tag stands for. Raises ValueError."""
        for kind in self.values():
            if kind.tag == tag:
                return kind
        raise ValueError(f"“{tag}” is no kind of {self._what}")
