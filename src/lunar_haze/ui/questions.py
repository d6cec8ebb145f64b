"""Questions that stop the hand, because something would be lost otherwise. One function, so that tests can answer."""

from PySide6.QtWidgets import QMessageBox, QWidget


def ask(parent: QWidget, title: str, text: str, more: str, answers: list[str]) -> str:
    """The answer chosen of ``answers``; the first is the default, the last what Escape means."""
    question = QMessageBox(parent)
    question.setWindowTitle(title)
    question.setText(text)
    question.setInformativeText(more)
    buttons = {question.addButton(answer, QMessageBox.ButtonRole.ActionRole): answer for answer in answers}
    first, last = next(iter(buttons)), list(buttons)[-1]
    question.setDefaultButton(first)
    question.setEscapeButton(last)
    question.exec()
    return buttons.get(question.clickedButton(), answers[-1])
