"""Starting the application."""

from __future__ import annotations

import os
import sys

import shiboken6
from PySide6.QtCore import QLoggingCategory, QtMsgType, qInstallMessageHandler
from PySide6.QtWidgets import QApplication

from skiagraph.desktop import theme
from skiagraph.media.confined import prepare

# Exit code where no window can be opened: an error, as on the command line.
NO_SCREEN = 2


def _no_screen(kind: QtMsgType, context, message: str) -> None:
    if kind == QtMsgType.QtFatalMsg:
        print(
            "skiagraph: There is no screen to open the window on; start it in a desktop session, or use the other"
            " commands.",
            file=sys.stderr,
            flush=True,
        )
        os._exit(NO_SCREEN)


def run(files: list[str], *, demo: bool = False) -> int:
    """Open the window on files, on the demo, or empty; returns when it is closed."""
    # Background jobs give way to the window quickly, so that it answers while they compute.
    sys.setswitchinterval(0.0005)
    QLoggingCategory.setFilterRules("qt.multimedia.*=false\nqt.qpa.wayland.textinput=false")
    # Without a screen the toolkit would abort the process; a person gets a sentence instead.
    before = qInstallMessageHandler(_no_screen)
    application = QApplication.instance() or QApplication(["skiagraph"])
    qInstallMessageHandler(before)
    prepare()
    application.setApplicationName("skiagraph")
    application.setApplicationDisplayName("Skiagraph")
    application.setDesktopFileName("skiagraph")
    theme.apply(application)
    from skiagraph.desktop.window import MainWindow

    window = MainWindow()
    window.show()
    if files:
        window.open_files(files)
    elif demo:
        window.open_demo()
    code = application.exec()
    # The window goes while the application still stands; left to the interpreter's end, their order is chance and ends
    # in a crash.
    window.close()
    shiboken6.delete(window)
    return code
