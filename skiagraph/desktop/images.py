"""Pictures for the screen, made in the background."""

from __future__ import annotations

import os

import numpy as np
from PySide6.QtGui import QImage

# Threads that make pictures go behind the window's own by this much, and those whose work can wait by more.
SOON, LATER = 1, 4


def give_way(by: int) -> None:
    """Put the calling thread, and those it starts, behind the window's thread: on Linux niceness belongs to a
    thread."""
    os.nice(by)


def image_of(rgb: np.ndarray) -> QImage:
    """An image of its own from uint8 (height, width, 3), in the form that is painted without conversion."""
    rgb = np.ascontiguousarray(rgb)
    return QImage(rgb.data, rgb.shape[1], rgb.shape[0], rgb.strides[0], QImage.Format.Format_RGB888).convertToFormat(
        QImage.Format.Format_RGB32
    )
