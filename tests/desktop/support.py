"""Driving the real window without a screen: one application, event loops that never hold the interpreter lock,
screenshots as arrays."""

from __future__ import annotations

import os

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("QT_SCALE_FACTOR", "1")

import unittest.mock  # noqa: E402

import numpy as np  # noqa: E402
from PySide6.QtCore import QEventLoop, QPoint, QPointF, QSettings, Qt, QTimer  # noqa: E402
from PySide6.QtGui import QImage  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402
from PySide6.QtWidgets import QApplication  # noqa: E402

from skiagraph.desktop import theme  # noqa: E402
from tests.support import TemporaryFolder  # noqa: E402


def application() -> QApplication:
    app = QApplication.instance()
    if app is None:
        app = QApplication(["skiagraph"])
        theme.apply(app)
    return app


def screenshot(widget) -> np.ndarray:
    """What the widget draws: uint8 RGBA, (height, width, 4)."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGBA8888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 4 * image.width()].reshape(image.height(), image.width(), 4).copy()


class DesktopTest(TemporaryFolder):
    """A test with the application running; nothing of the user's own places is touched."""

    def setUp(self):
        super().setUp()
        self.app = application()
        patcher = unittest.mock.patch("platformdirs.user_data_dir", lambda *a, **k: str(self.folder / "data"))
        patcher.start()
        self.addCleanup(patcher.stop)
        QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(self.folder / "settings"))
        # Written while the folder is there: later they would make it anew.
        self.addCleanup(QSettings("skiagraph", "skiagraph").sync)

    def until(self, condition, seconds=30.0) -> None:
        """Run the event loop until the condition holds; fails when it does not within the time."""
        loop, timer, limit = QEventLoop(), QTimer(), QTimer()
        timer.timeout.connect(lambda: loop.quit() if condition() else None)
        limit.setSingleShot(True)
        limit.timeout.connect(loop.quit)
        timer.start(10)
        limit.start(round(seconds * 1000))
        if not condition():
            loop.exec()
        timer.stop()
        self.assertTrue(condition(), "waited in vain")

    def settle(self) -> None:
        """Let what is queued happen."""
        for _ in range(3):
            self.app.processEvents()

    def heard(self, signal) -> list:
        """A list that fills with what a signal carries."""
        got: list = []
        signal.connect(lambda *values: got.append(values[0] if len(values) == 1 else values))
        return got

    def pick(self, widget, value):
        """Choose a value from a list that folds, as a person does."""
        widget.set_value(value)
        widget.activated.emit(widget.currentIndex())
        self.settle()

    def click(self, widget, x, y, button=Qt.MouseButton.LeftButton, modifiers=Qt.KeyboardModifier.NoModifier):
        QTest.mouseClick(widget, button, modifiers, QPoint(round(x), round(y)))

    def drag(self, widget, *points, modifiers=Qt.KeyboardModifier.NoModifier):
        """Press at the first point, move through the others, release at the last."""
        places = [QPointF(*p).toPoint() for p in points]
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, modifiers, places[0])
        for place in places[1:]:
            QTest.mouseMove(widget, place)
            self.settle()
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, modifiers, places[-1])
        self.settle()

    def key(self, widget, key, modifiers=Qt.KeyboardModifier.NoModifier):
        QTest.keyClick(widget, key, modifiers)
        self.settle()
