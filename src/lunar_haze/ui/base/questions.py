"""Questions that stop the hand, because something would be lost otherwise. One function, so that tests can answer."""

from PySide6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, title: str, text: str, more: str, answers: list[str], escape: str = "") -> str:
    """The answer chosen of ``answers``: the first is the default, ``escape`` (or the last) what Escape means.

    What Escape means must lose nothing.
    """
    question = QMessageBox(parent)
    question.setWindowTitle(title)
    question.setText(text)
    question.setInformativeText(more)
    buttons = {question.addButton(answer, QMessageBox.ButtonRole.ActionRole): answer for answer in answers}
    escape = escape or answers[-1]
    question.setDefaultButton(next(iter(buttons)))
    question.setEscapeButton(next(button for button, answer in buttons.items() if answer == escape))
    question.exec()
    clicked = question.clickedButton()
    return next((answer for button, answer in buttons.items() if button == clicked), escape)
