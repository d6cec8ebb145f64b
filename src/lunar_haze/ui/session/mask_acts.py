"""Acts on masks that several rooms offer."""

import attrs

from lunar_haze.core.document import mask_edits
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import Region
from lunar_haze.ui.session.session import Session


def add_mask(session: Session, name: str, region: Region) -> None:
    """Add a mask to the look's finish and show it; one of the subject takes the shot's."""
    if region.kind == "objects" and not region.objects:
        region = attrs.evolve(region, objects=session.document.shot.subject)
        if not region.objects:
            session.said.emit("the shot has no subject yet: click it, “make ... the subject”", False)
            return
    try:
        document = mask_edits.add_mask(session.document, name, region)
    except FinishError as error:
        session.said.emit(str(error), False)
        return
    session.act(f"mask: {name}", document)
    session.choose_mask(len(document.look.finish.masks) - 1)
