"""Painting that can not leave a painter behind, whatever goes wrong in it."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

from PySide6.QtGui import QFont, QPaintDevice, QPainter


@contextmanager
def painting(widget: QPaintDevice) -> Iterator[QPainter]:
    """Paint on a widget; a fault goes to the crash handler, never out of `paintEvent`.

    A painter that stays active after an error takes the whole process down at some later paint.
    """
    painter = QPainter(widget)
    try:
        yield painter
    except Exception as error:  # noqa: BLE001 - told by the crash handler
        sys.excepthook(type(error), error, error.__traceback__)
    finally:
        painter.end()


def write_in(painter: QPainter, size: int, *, bold: bool = False) -> None:
    """Let a painter write in letters of `size` pixels."""
    font = QFont(painter.font())
    font.setPixelSize(size)
    font.setBold(bold)
    painter.setFont(font)
