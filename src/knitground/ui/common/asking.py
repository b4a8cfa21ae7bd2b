"""Asking: dialogs that are gone once they are answered."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QDialog, QInputDialog, QMessageBox, QPushButton, QWidget

Role = QMessageBox.ButtonRole


def answered(dialog: QDialog) -> bool:
    """Show a dialog until it is answered; returns whether it was accepted.

    What it holds can still be read by the caller: it is deleted when the event loop comes round.
    """
    try:
        return bool(dialog.exec())
    finally:
        dialog.deleteLater()


def ask(
    parent: QWidget,
    title: str,
    text: str,
    answers: Mapping[str, tuple[str, Role]],
    more: str = "",
    picture: Path | None = None,
) -> str:
    """Ask with buttons; the first is taken by Enter, the one that rejects by Esc.

    Parameters
    ----------
    answers : by the words of each button: what to return, and its role

    Returns
    -------
    the answer that stands for the button that was pressed
    """
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    box.setInformativeText(more)
    made: dict[str, QPushButton] = {}
    for words, (_, role) in answers.items():
        made[words] = box.addButton(words, role)
    box.setDefaultButton(next(iter(made.values())))
    escape = next(words for words, (_, role) in answers.items() if role is Role.RejectRole)
    box.setEscapeButton(made[escape])
    if picture is not None:
        keep = Qt.AspectRatioMode.KeepAspectRatio
        box.setIconPixmap(QPixmap(str(picture)).scaled(QSize(160, 120), keep))
    box.exec()
    pressed = box.clickedButton()
    box.deleteLater()
    words = next((each for each in answers if made[each] is pressed), escape)
    return answers[words][0]


def ask_text(parent: QWidget, title: str, label: str, text: str = "") -> str | None:
    """Ask for a line of text; None if it was called off."""
    dialog = QInputDialog(parent)
    dialog.setWindowTitle(title)
    dialog.setLabelText(label)
    dialog.setTextValue(text)
    return dialog.textValue().strip() if answered(dialog) else None
