"""Names of sources, cards and pins, which stay when those are renamed."""

import uuid


def new_id() -> str:
    """A short random name that no other source or pin has."""
    return uuid.uuid4().hex[:8]
