"""The trade's ratios, from what each source adds to the subject and to the rest of the frame."""

import math

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.readings.shares import Shares

KEYS, RIMS = frozenset({"key"}), frozenset({"rim", "kicker"})
#: What comes from everywhere, or softens what a key does.
FILLS = frozenset({"fill", "bounce"})
#: What lies behind the subject and does not fill its shadows.
APART = frozenset({"background", "practical"})


@attrs.frozen
class Part:
    """What a source gives: its id and name, and its share of the light on the subject and in the whole frame."""

    id: str
    name: str
    of_subject: float
    of_frame: float


@attrs.frozen
class Ratios:
    """Key to fill as the trade means it, (key + fill) : fill; the others as said. None where there is nothing to tell.

    ``subject_stops`` is how far the subject lies over the rest of the frame; ``warm`` the share of the light that is
    warmer than the picture's white.
    """

    key_to_fill: float | None
    rim_to_key: float | None
    subject_stops: float | None
    warm: float | None
    key: str
    parts: tuple[Part, ...]


def groups(shares: Shares, on: NDArray) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """Which sources (n,) are key, fill and rim on a region where they give ``on`` (n,).

    Roles decide; where no source has that of key it is the strongest of those that light from one side: whatever has no
    other role first, then practicals, then a fill. Fill is all that is neither, nor stands behind the subject.
    """
    roles = [share.role for share in shares.sources]
    key = np.array([role in KEYS for role in roles])
    rim = np.array([role in RIMS for role in roles])
    apart = np.array([role in APART for role in roles])
    if not key.any():
        fill = np.array([role in FILLS for role in roles])
        behind = np.array([role == "background" for role in roles])
        for candidates in (~rim & ~behind & ~fill, ~rim & ~apart):
            free = np.flatnonzero(candidates & (on > 0))
            if len(free):
                key[free[np.argmax(on[free])]] = True
                break
    return key, ~key & ~rim & ~apart, rim


def ratios(shares: Shares) -> Ratios:
    """All ratios of a picture."""
    found = shares.sums
    on = found.subject if shares.subject is not None else found.frame
    key, fill, rim = groups(shares, on)
    k, f, r = (float(on[which].sum()) for which in (key, fill, rim))
    total, whole = float(on.sum()), float(found.frame.sum())
    rest = float(found.rest.sum())
    parts = tuple(
        Part(s.id, s.name, float(a) / total if total > 0 else 0.0, float(b) / whole if whole > 0 else 0.0)
        for s, a, b in zip(shares.sources, on, found.frame)
    )
    names = [s.name for s, is_key in zip(shares.sources, key) if is_key]
    return Ratios(
        (k + f) / f if f > 0 and k > 0 else None,
        r / k if k > 0 and rim.any() else None,
        math.log2(float(found.subject.sum()) / rest) if shares.subject is not None and rest > 0 < total else None,
        float(found.warm.sum()) / whole if whole > 0 else None,
        " and ".join(names),
        parts,
    )
