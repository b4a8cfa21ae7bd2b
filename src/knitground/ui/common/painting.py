"""Painting that can not leave a painter behind, whatever goes wrong in it."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QFont, QGuiApplication, QImage, QPaintDevice, QPainter, QPixmap


@contextmanager
def painting(widget: QPaintDevice) -> Iterator[QPainter]:
    """Paint on a widget; a fault goes to the crash handler, never out of `paintEvent`.

    A painter that stays active after an error takes the whole process down at some later paint. The
    fault is told after the paint: what shows it must not change widgets in the middle of one.
    """
    painter = QPainter(widget)
    try:
        yield painter
    except Exception as error:  # noqa: BLE001 - told by the crash handler
        told = (type(error), error, error.__traceback__)
        QTimer.singleShot(0, lambda: sys.excepthook(*told))
    finally:
        painter.end()


def blank(wide: int, high: int, ratio: float | None = None) -> QPixmap:
    """Make an empty, see-through picture that stays sharp where the desktop is scaled.

    Parameters
    ----------
    wide, high : as it is drawn on and laid out
    ratio : pixels of the screen for each; None: of the sharpest screen there is
    """
    app = QGuiApplication.instance()
    if ratio is None:
        ratio = app.devicePixelRatio() if isinstance(app, QGuiApplication) else 1.0
    out = QPixmap(round(wide * ratio), round(high * ratio))
    out.setDevicePixelRatio(ratio)
    out.fill(Qt.GlobalColor.transparent)
    return out


def write_in(painter: QPainter, size: int, *, bold: bool = False) -> None:
    """Let a painter write in letters of `size` pixels."""
    font = QFont(painter.font())
    font.setPixelSize(size)
    font.setBold(bold)
    painter.setFont(font)


def image_of(pixels: NDArray[np.uint32]) -> QImage:
    """Wrap premultiplied pixels (h, w); the array must be kept alive as long as the image."""
    height, width = pixels.shape
    return QImage(
        pixels.data, width, height, pixels.strides[0], QImage.Format.Format_ARGB32_Premultiplied
    )
