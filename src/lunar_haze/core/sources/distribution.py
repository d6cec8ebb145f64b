"""Measured light distributions of lamps, as IES LM-63 files tell them (ANSI/IES LM-63-19 and before).

Angles are photometric type C: ``vertical_deg`` from the lamp's nadir (0 down, 180 up),
``horizontal_deg`` about it from the plane C0. Between measured angles intensity is linear.
"""

import functools
import math
import re
from pathlib import Path

import attrs
import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.errors import SourceError, os_reason
from lunar_haze.core.units.content import read_regular

#: Steps of the table that light is drawn from: half a degree down, 2.5 degrees round.
V_STEPS, H_STEPS = 361, 145
LARGEST_FILE = 8 << 20
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")


@attrs.frozen
class Distribution:
    """Intensities [cd] of a lamp: ``candela`` row by row, one row of all verticals for each horizontal."""

    name: str
    vertical_deg: tuple[float, ...]
    horizontal_deg: tuple[float, ...]
    candela: tuple[float, ...]

    def grid(self) -> NDArray[np.float64]:
        """Intensities (horizontals, verticals) [cd]."""
        return np.array(self.candela, float).reshape(len(self.horizontal_deg), len(self.vertical_deg))


#: A bare point that shines one candela to all sides.
EVEN = Distribution("even", (0.0, 180.0), (0.0,), (1.0, 1.0))


def _whole_circle(distribution: Distribution) -> tuple[NDArray, NDArray]:
    """Horizontal angles over the whole circle, both ends in, and the intensities there."""
    angles, grid = np.array(distribution.horizontal_deg), distribution.grid()
    if len(angles) == 1:
        return np.array([0.0, 360.0]), np.repeat(grid, 2, 0)
    if angles[0] == 90.0 and angles[-1] == 270.0:
        # Told for the half about C180: the other half mirrors it.
        order = np.argsort(np.concatenate([angles, (180.0 - angles) % 360.0]), kind="stable")
        angles = np.concatenate([angles, (180.0 - angles) % 360.0])[order]
        grid = np.concatenate([grid, grid])[order]
        angles, first = np.unique(angles, return_index=True)
        grid = grid[first]
        return np.append(angles, angles[0] + 360.0), np.concatenate([grid, grid[:1]])
    if angles[-1] <= 90.0:
        angles, grid = np.concatenate([angles, 180.0 - angles[-2::-1]]), np.concatenate([grid, grid[-2::-1]])
    if angles[-1] <= 180.0:
        angles, grid = np.concatenate([angles, 360.0 - angles[-2::-1]]), np.concatenate([grid, grid[-2::-1]])
    if angles[-1] < 360.0:
        angles, grid = np.append(angles, angles[0] + 360.0), np.concatenate([grid, grid[:1]])
    return angles, grid


@functools.lru_cache(maxsize=64)
def table(distribution: Distribution) -> NDArray[np.float64]:
    """Intensities (V_STEPS, H_STEPS) [cd] over 0..180 degrees from the nadir and 0..360 round, ends in."""
    angles, grid = _whole_circle(distribution)
    vertical = np.linspace(0.0, 180.0, V_STEPS)
    horizontal = np.linspace(0.0, 360.0, H_STEPS)
    down = np.stack([np.interp(vertical, distribution.vertical_deg, row, left=0.0, right=0.0) for row in grid])
    made = np.stack([np.interp(horizontal, angles, down[:, i], period=None) for i in range(V_STEPS)])
    made[:, -1] = made[:, 0]
    return made


@functools.lru_cache(maxsize=64)
def lumens(distribution: Distribution) -> float:
    """Luminous flux [lm]: the intensity over all directions, exact for intensities linear between steps."""
    rows = table(distribution)[:, :-1].mean(1)
    gamma = np.linspace(0.0, math.pi, V_STEPS)
    step = gamma[1]
    # Integral of (a + b g) sin g over a step, in closed form.
    c0, c1 = np.cos(gamma[:-1]), np.cos(gamma[1:])
    s0, s1 = np.sin(gamma[:-1]), np.sin(gamma[1:])
    slope = np.diff(rows) / step
    part = rows[:-1] * (c0 - c1) + slope * (s1 - s0 - step * c1)
    return float(2 * math.pi * part.sum())


def axial_candela(distribution: Distribution) -> float:
    """Intensity at which "cd" is told [cd]: along the nadir, or the peak for a lamp that is dark there."""
    made = table(distribution)
    return float(made[0, 0]) if made[0, 0] > 0.01 * made.max() else float(made.max())


def intensity(distribution: Distribution, gamma_deg: NDArray, c_deg: NDArray) -> NDArray[np.float64]:
    """Intensity [cd] at angles from the nadir and round it, any shape; bilinear, as the table has it."""
    made = table(distribution)
    y = np.clip(np.asarray(gamma_deg, float) / 180.0, 0, 1) * (V_STEPS - 1)
    x = np.asarray(c_deg, float) % 360.0 / 360.0 * (H_STEPS - 1)
    i, j = np.minimum(y.astype(int), V_STEPS - 2), np.minimum(x.astype(int), H_STEPS - 2)
    fy, fx = y - i, x - j
    low = made[i, j] * (1 - fx) + made[i, j + 1] * fx
    high = made[i + 1, j] * (1 - fx) + made[i + 1, j + 1] * fx
    return low * (1 - fy) + high * fy


def read_ies(path: Path) -> tuple[Distribution, list[str]]:
    """The distribution in an IES LM-63 file, and notes on what was mended or left out.

    Raises SourceError that says what is wrong, where, and what to do.
    """
    path = Path(path)
    name = path.name
    if path.is_dir():
        raise SourceError(f"{path} is a folder; choose the .ies file inside it")
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise SourceError(f"{name} is larger than any IES file should be (8 MB); is it the right file?")
        text = read_regular(path, LARGEST_FILE).decode("latin-1")
    except FileNotFoundError as error:
        raise SourceError(f"{path} is not there; was it moved or renamed?") from error
    except OSError as error:
        raise SourceError(f"{name} cannot be read ({os_reason(error)}); check that you may read it") from error
    return parse_ies(text, name)


def parse_ies(text: str, name: str) -> tuple[Distribution, list[str]]:
    """As `read_ies`, from the file's text."""
    notes: list[str] = []
    if not text.strip():
        raise SourceError(f"{name} is empty; ask for the lamp's IES file again")
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    at = next((i for i, line in enumerate(lines) if line.strip().upper().replace(" ", "").startswith("TILT=")), None)
    if at is None:
        raise SourceError(f"{name} has no TILT line, so it is no IES LM-63 file; export the lamp as IES")
    values = _Values(lines[at + 1 :], at + 2, name)
    tilt = lines[at].split("=", 1)[1].strip().upper()
    if tilt == "INCLUDE":
        values.take(1, "the lamp's orientation")
        pairs = values.count("the number of tilt angles", 1000)
        values.take(2 * pairs, "the tilt table")
        notes.append(f"{name}: its tilt table is left out; the lamp shines as if it hung straight")
    elif tilt != "NONE":
        notes.append(f"{name}: it names a tilt file, which is left out")
    head = values.take(10, "the ten numbers that describe the lamp")
    multiplier = head[2]
    n_vertical, n_horizontal = int(head[3]), int(head[4])
    if not (2 <= n_vertical <= 2000 and 1 <= n_horizontal <= 2000):
        raise SourceError(f"{name} says that it has {n_vertical} by {n_horizontal} angles; it is damaged")
    if int(head[5]) != 1:
        kind = {2: "B", 3: "A"}.get(int(head[5]), "?")
        raise SourceError(f"{name} was measured as type {kind}; only type C is read, export it as that")
    ballast = values.take(3, "ballast factor and watts")[0]
    vertical = np.array(values.take(n_vertical, "the vertical angles"))
    horizontal = np.array(values.take(n_horizontal, "the horizontal angles"))
    candela = np.array(values.take(n_vertical * n_horizontal, "the intensities")).reshape(n_horizontal, n_vertical)
    for angles, what, high in ((vertical, "vertical", 180.0), (horizontal, "horizontal", 360.0)):
        if (np.diff(angles) <= 0).any():
            first = int(np.argmax(np.diff(angles) <= 0)) + 1
            raise SourceError(f"{name}: {what} angle {first + 1} ({angles[first]:g}) does not rise; it is damaged")
        if angles[0] < 0 or angles[-1] > high:
            raise SourceError(f"{name}: {what} angles run from {angles[0]:g} to {angles[-1]:g}; 0 to {high:g} can be")
    if n_horizontal > 1 and horizontal[0] != 0.0 and not (horizontal[0] == 90.0 and horizontal[-1] == 270.0):
        raise SourceError(f"{name}: horizontal angles begin at {horizontal[0]:g}; they must begin at 0 or 90")
    if (candela < 0).any():
        notes.append(f"{name}: {int((candela < 0).sum())} intensities below zero are taken as zero")
        candela = np.maximum(candela, 0.0)
    factor = (multiplier if multiplier > 0 else 1.0) * (ballast if ballast > 0 else 1.0)
    if multiplier <= 0 or ballast <= 0:
        notes.append(f"{name}: a factor of {multiplier:g} or {ballast:g} is taken as one")
    candela = candela * factor
    if not candela.max() > 0:
        raise SourceError(f"{name} gives no light: all its intensities are zero")
    left = values.left()
    if left:
        notes.append(f"{name}: {left} numbers after the last intensity are left out")
    made = Distribution(
        Path(name).stem, tuple(vertical.tolist()), tuple(horizontal.tolist()), tuple(candela.ravel().tolist())
    )
    told = head[0] * head[1]
    if told > 0 and not 0.2 < lumens(made) / told < 5.0:
        notes.append(f"{name}: it tells {told:,.0f} lm, its intensities add up to {lumens(made):,.0f} lm; those count")
    return made, notes


class _Values:
    """Numbers of a file one after the other, which knows on what line it is."""

    def __init__(self, lines: list[str], first_line: int, name: str) -> None:
        self._name = name
        self._found: list[tuple[str, int]] = []
        for offset, line in enumerate(lines):
            self._found += [(word, first_line + offset) for word in re.split(r"[\s,;]+", line) if word]
        self._at = 0

    def take(self, count: int, what: str) -> list[float]:
        """The next ``count`` numbers."""
        if self._at + count > len(self._found):
            raise SourceError(
                f"{self._name} ends too early: {count} numbers for {what} were expected and "
                f"{len(self._found) - self._at} are there; the file is cut off"
            )
        taken = []
        for word, line in self._found[self._at : self._at + count]:
            if not _NUMBER.fullmatch(word) or abs(float(word)) > 1e12:
                raise SourceError(f"{self._name}, line {line}: “{word[:20]}” stands where {what} should be")
            taken.append(float(word))
        self._at += count
        return taken

    def count(self, what: str, most: int) -> int:
        """The next number, which counts something."""
        value = self.take(1, what)[0]
        if not 0 <= value <= most or value != int(value):
            raise SourceError(f"{self._name}: {what} is {value:g}, which cannot be; the file is damaged")
        return int(value)

    def left(self) -> int:
        """How many words are left."""
        return len(self._found) - self._at
