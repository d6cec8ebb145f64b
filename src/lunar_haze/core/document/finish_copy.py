"""Steps of a finish and masks as text for the clipboard, and what is pasted from it."""

import json

import attrs
import cattrs

from lunar_haze.core.document.checks import check_numbers
from lunar_haze.core.document.edits import change_look
from lunar_haze.core.document.files import CONVERTER
from lunar_haze.core.document.ids import new_id
from lunar_haze.core.document.mask_edits import put_mask
from lunar_haze.core.document.model import Document
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.mask_model import Mask
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.steps import MASKS, put_step, step_named

#: What stands for one mask, and for a whole finish, beside the names of STEPS.
ONE_MASK, WHOLE = "mask", "finish"
_MARK = "lunar-haze finish"


def to_text(finish: Finish, step: str) -> str:
    """A finish as text of which ``step`` is meant: one of STEPS, ONE_MASK (its only one) or WHOLE."""
    return json.dumps({_MARK: step, "finish": CONVERTER.unstructure(finish)})


def from_text(text: str) -> tuple[Finish, str]:
    """The finish in a text and the step that is meant. Raises FinishError."""
    try:
        data = json.loads(text)
        step, told = data[_MARK], data["finish"]
        found = CONVERTER.structure(told, Finish)
        check_numbers(found)
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError, cattrs.BaseValidationError) as error:
        raise FinishError("nothing of a finish has been copied: copy a step, a mask or a finish first") from error
    return found, str(step)


def pasted(document: Document, text: str) -> tuple[Document, str]:
    """The document with what a text holds laid into the look's finish, and what that was. Raises FinishError."""
    given, step = from_text(text)
    finish = document.look.finish
    if step == ONE_MASK:
        for mask in given.masks:
            document = put_mask(document, mask)
        return document, step
    changed = attrs.evolve(given, masks=_renamed(given)) if step == WHOLE else with_step(finish, given, step)
    return change_look(document, finish=changed), step


def _renamed(finish: Finish) -> tuple[Mask, ...]:
    """The masks of a finish under ids of their own, for another look."""
    return tuple(attrs.evolve(mask, id=new_id()) for mask in finish.masks)


def with_step(finish: Finish, other: Finish, step: str) -> Finish:
    """A finish with one of its STEPS as another has it. Raises FinishError for a step that there is not."""
    if step == MASKS:
        return attrs.evolve(finish, masks=_renamed(other))
    found = step_named(step)
    if found is None:
        raise FinishError(f"a finish has no step “{step}”")
    return put_step(finish, other, found)


def with_off(finish: Finish, step: str, is_off: bool) -> Finish:
    """A finish with one of its STEPS off, or on again."""
    others = tuple(name for name in finish.off if name != step)
    return attrs.evolve(finish, off=(*others, step) if is_off else others)


def alone(finish: Finish, step: str, steps: tuple[str, ...]) -> Finish:
    """A finish with all other STEPS off; with all on again when that is so already."""
    others = tuple(name for name in steps if name != step)
    return attrs.evolve(finish, off=() if set(finish.off) == set(others) else others)
