"""Steps of the finish: turned off and on, taken alone, copied, pasted, put back."""

from pathlib import Path

from PySide6.QtWidgets import QApplication, QMenu

from lunar_haze.core.document import edits, finish_copy
from lunar_haze.core.errors import FinishError
from lunar_haze.core.finish.model import Finish
from lunar_haze.core.finish.steps import STEP_NAMES
from lunar_haze.core.finish.values import TableFile
from lunar_haze.ui.session.session import Session


def copy(session: Session, finish: Finish, step: str) -> None:
    """Put a step of a finish, one mask or a whole finish on the clipboard."""
    QApplication.clipboard().setText(finish_copy.to_text(finish, step))
    session.said.emit(f"copied: {step}", False)


def paste(session: Session) -> None:
    """Lay what was copied into the look's finish, or tell why not."""
    try:
        document, step = finish_copy.pasted(session.document, QApplication.clipboard().text())
    except FinishError as error:
        session.said.emit(str(error), False)
        return
    session.act(f"paste {step}", document)
    if step == finish_copy.ONE_MASK:
        session.choose_mask(len(document.look.finish.masks) - 1)


def take_table(session: Session, path: Path) -> None:
    """Lay a grading table over the grade, for what the one before was for; what is wrong with it is told."""
    before = session.document.look.finish.table

    def take(table: TableFile) -> None:
        session.act(f"table: {path.name}", edits.change_finish(session.document, table=table))

    session.tables.open(path, before.space if before else "log", take)


def step_menu(session: Session, step: str) -> QMenu:
    """What can be done with one step."""
    finish = session.document.look.finish
    menu = QMenu()

    def changed(label: str, found: Finish) -> None:
        session.act(label, edits.change_look(session.document, finish=found))

    is_off = step in finish.off
    menu.addAction(
        "turn on" if is_off else "turn off",
        lambda: changed(f"{step} {'on' if is_off else 'off'}", finish_copy.with_off(finish, step, not is_off)),
    )
    menu.addAction("solo this step", lambda: changed(f"{step} solo", finish_copy.alone(finish, step, STEP_NAMES)))
    menu.addSeparator()
    menu.addAction("copy this step", lambda: copy(session, finish, step))
    menu.addAction("copy the whole finish", lambda: copy(session, finish, finish_copy.WHOLE))
    menu.addAction("paste", lambda: paste(session))
    menu.addSeparator()
    menu.addAction(
        "reset", lambda: changed(f"{step} as it was at first", finish_copy.with_step(finish, Finish(), step))
    )
    return menu
