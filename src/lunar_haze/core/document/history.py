"""Undo and redo: every edit keeps the document that was there before it."""

import attrs

from lunar_haze.core.document.model import Document


@attrs.frozen
class Step:
    """One act in the past: what it was called and the document before it."""

    label: str
    document: Document
    merge_key: str


class History:
    """The document on screen with its past and future.

    Edits that share a ``merge_key`` and follow each other (a drag) are one step; `seal` ends it.
    """

    def __init__(self, document: Document, limit: int = 500) -> None:
        self.document = document
        self._past: list[Step] = []
        self._future: list[Step] = []
        self._limit = limit
        self._sealed = True
        self._saved = document

    def edit(self, label: str, document: Document, merge_key: str = "") -> bool:
        """Take ``document`` as the new state; False when nothing differs."""
        if document == self.document:
            return False
        joins = merge_key and not self._sealed and self._past and self._past[-1].merge_key == merge_key
        if not joins:
            self._past.append(Step(label, self.document, merge_key))
            del self._past[: -self._limit]
        self._future.clear()
        self._sealed = False
        self.document = document
        return True

    def seal(self) -> None:
        """The running gesture is over: the next edit is a step of its own."""
        self._sealed = True

    def undo(self) -> str | None:
        """Go back one step; its label, or None at the beginning."""
        return self._step(self._past, self._future)

    def redo(self) -> str | None:
        """Go forward one step; its label, or None at the end."""
        return self._step(self._future, self._past)

    def _step(self, source: list[Step], target: list[Step]) -> str | None:
        if not source:
            return None
        step = source.pop()
        target.append(Step(step.label, self.document, ""))
        self.document = step.document
        self._sealed = True
        return step.label

    @property
    def labels(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """What was done, the first act first, and what was undone, in the order it would be done again."""
        return tuple(step.label for step in self._past), tuple(step.label for step in reversed(self._future))

    @property
    def undo_label(self) -> str | None:
        return self._past[-1].label if self._past else None

    @property
    def redo_label(self) -> str | None:
        return self._future[-1].label if self._future else None

    def mark_saved(self) -> None:
        """The document as it is now lies on disk."""
        self._saved = self.document

    @property
    def is_saved(self) -> bool:
        return self.document == self._saved
