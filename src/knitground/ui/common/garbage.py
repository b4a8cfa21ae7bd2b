"""Garbage is looked for in the interface thread only, and little by little.

Python looks for garbage in whichever thread happens to ask for memory. Dialogs, menus and what
belongs to them refer to each other in circles, so this is how they go; in a thread beside the
interface Qt would be taken apart under the feet of the window, which is a crash.
"""

from __future__ import annotations

import ctypes
import gc
from contextlib import suppress

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtWidgets import QApplication

_EVERY_MS = 100
_ENOUGH = 5_000
"""New objects from which on a look is worth its while."""
_OLDER, _ALL = 10, 100
"""Each how many looks older objects are looked through too, and all that are not set aside."""


class Sweeper(QObject):
    """Looks for garbage where it lives; from now on Python does not do so by itself."""

    def __init__(self, parent: QObject, every_ms: int = _EVERY_MS) -> None:
        super().__init__(parent)
        gc.disable()
        self._looks = 0
        self._timer = QTimer(self, interval=every_ms)
        self._timer.timeout.connect(self._look)
        self._timer.start()

    def _look(self) -> None:
        if gc.get_count()[0] < _ENOUGH:
            return
        self._looks += 1
        held = QApplication.mouseButtons() != Qt.MouseButton.NoButton
        if self._looks >= _ALL and not held:  # the longest look never falls into a stroke
            self._looks = 0
            gc.collect(2)
        else:
            gc.collect(1 if self._looks % _OLDER == 0 else 0)


def set_aside() -> None:
    """Look for garbage now, give its memory back, and leave what is there out of later looks.

    A look through the whole window's objects takes some 50 ms. What is made later is still looked
    through.
    """
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    with suppress(OSError, AttributeError):  # where the C library has it
        # What was let go of lies between what is kept: the system does not get it by itself.
        ctypes.CDLL(None).malloc_trim(0)
