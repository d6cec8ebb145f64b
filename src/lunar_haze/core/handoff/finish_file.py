"""A finish for other tools: as far as a table can tell it a .cube, its CDL as .cdl; what neither can tell is named."""

from html import escape
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from lunar_haze.core.finish import acescct, white_balance
from lunar_haze.core.finish.grade import coloured
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.steps import STEPS
from lunar_haze.core.finish.tables import graded_by, shown_by
from lunar_haze.core.finish.values import Cdl
from lunar_haze.core.handoff.stills import place_file
from lunar_haze.core.picture.views import direct

#: Nodes of a table along each edge.
SIZE = 65


def not_in_a_table(finish: Finish) -> tuple[str, ...]:
    """The steps in force that work on more than one pixel, or not on its colour alone."""
    return tuple(part.name for step in STEPS for part in step.parts if not part.in_table and part.is_on(finish))


def through_table(signal: NDArray, finish: Finish) -> NDArray[np.float32]:
    """What a table makes of exposed light in ACEScct (..., 3): white balance, grade, grading table and view.

    Screen values in [0, 1], sRGB. Raises PictureError for a grading table that is gone.
    """
    balanced = acescct.decode(signal) @ white_balance.matrix(finish.white).T
    exposed = graded_by(coloured(np.maximum(balanced, 0.0), finish), finish.table)
    return shown_by(direct(exposed.astype(np.float32), finish.view), finish.table)


def write_cube(path: Path, finish: Finish, look: str, scale: float) -> None:
    """Write the finish as a .cube from ACEScct to the screen; ``scale`` is the exposure that comes before it."""
    edge = np.linspace(0.0, 1.0, SIZE)
    # Red runs fastest in a .cube.
    blue, green, red = np.meshgrid(edge, edge, edge, indexing="ij")
    values = through_table(np.stack([red, green, blue], -1), finish).reshape(-1, 3)
    left_out = ", ".join(not_in_a_table(finish))
    title = "".join(c if c.isprintable() and c != '"' else " " for c in look)
    lines = [
        f'TITLE "{title}"',
        f"# light in cd/m2 (ACEScg) times {scale:.9g}, encoded as ACEScct, to {finish.view}, sRGB",
        f"# not in it: {left_out or 'nothing is left out'}",
        f"LUT_3D_SIZE {SIZE}",
        *("{:.6f} {:.6f} {:.6f}".format(*value) for value in values),
    ]
    text = "\n".join(lines) + "\n"
    place_file(path, lambda to: to.write_text(text, encoding="utf-8"))


def write_cdl(path: Path, cdl: Cdl, look: str) -> None:
    """Write an ASC colour decision list (version 1.01); it is made for ACEScct."""

    def three(values: tuple[float, ...]) -> str:
        return " ".join(f"{v:.6g}" for v in values)

    text = f"""<?xml version="1.0" encoding="UTF-8"?>
<ColorDecisionList xmlns="urn:ASC:CDL:v1.01">
  <ColorDecision>
    <ColorCorrection id="{escape(look)}">
      <SOPNode>
        <Description>for ACEScct</Description>
        <Slope>{three(cdl.slope)}</Slope>
        <Offset>{three(cdl.offset)}</Offset>
        <Power>{three(cdl.power)}</Power>
      </SOPNode>
      <SatNode>
        <Saturation>{cdl.saturation:.6g}</Saturation>
      </SatNode>
    </ColorCorrection>
  </ColorDecision>
</ColorDecisionList>
"""
    place_file(path, lambda to: to.write_text(text, encoding="utf-8"))
