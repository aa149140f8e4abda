"""Every text of the window goes through the translation: a made-up language marks what has, and what is left unmarked
has not."""

import re

from PySide6.QtCore import QTranslator
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QWidget

from skiagraph.desktop.help_sheet import HelpSheet
from skiagraph.desktop.window import MainWindow
from skiagraph.desktop.words import counted, percent, tr
from skiagraph.project import file
from skiagraph.review.finding import sentence
from skiagraph.review.findings import findings
from skiagraph.review.overview import clip_rows
from tests.desktop.support import DesktopTest
from tests.support import head_path, make_clip, project_on

BEGIN, END = "⟦", "⟧"


class Marked(QTranslator):
    """Puts brackets around all that is translated."""

    def translate(self, context: str, text: str, disambiguation: str | None = None, n: int = -1) -> str | None:
        return f"{BEGIN}{text}{END}" if context == "skiagraph" else None

    def isEmpty(self) -> bool:
        return False


def texts_of(window: QWidget) -> set[str]:
    """What a person can read in a window, its menus, and the notes that appear under the pointer."""
    found: set[str] = set()
    for widget in [window, *window.findChildren(QWidget)]:
        found.add(widget.toolTip())
        if isinstance(widget, (QLabel, QAbstractButton)):
            found.add(widget.text())
        if isinstance(widget, QLineEdit):
            found.add(widget.placeholderText())
        if isinstance(widget, QComboBox):
            found |= {widget.itemText(n) for n in range(widget.count())}
    for action in window.findChildren(QAction):
        found |= {action.text(), action.toolTip()}
    return found


def outside_brackets(text: str) -> str:
    """What of a text was not translated."""
    last = None
    while text != last:
        text, last = re.sub(f"{BEGIN}[^{BEGIN}{END}]*{END}", "", text, flags=re.DOTALL), text
    return text


class WordsTest(DesktopTest):
    def setUp(self):
        super().setUp()
        self.language = Marked()
        self.app.installTranslator(self.language)
        self.addCleanup(self.app.removeTranslator, self.language)

    def test_every_text_of_the_window_goes_through_the_translation(self):
        project = project_on(
            make_clip(self.folder / "quay.mp4", 60, size=(320, 240)),
            head_path(0, 60, cx=160, cy=120, width=60, height=80),
            head_path(0, 60, confidence=0.1),
        )
        path = self.folder / "p.skiagraph"
        file.save(project, path)
        window = MainWindow()
        self.addCleanup(window.close)
        window.show()
        window.open_project(path)
        read: set[str] = set()
        for step in range(4):
            window.show_step(step)
            window.session.select([project.subjects[0].key])
            self.settle()
            read |= texts_of(window)
        read |= texts_of(HelpSheet(window.actions_.groups, window.actions_.summed, window))
        names = [path.name, str(path), "quay.mp4", "Skiagraph", *(s.name for s in project.subjects)]
        from_the_core = [
            *(sentence(project, f) for f in findings(project)),
            *(row.state() for row in clip_rows(project)),
        ]
        keys = {
            part
            for action in window.findChildren(QAction)
            for part in re.findall("[A-Za-z]{2,}", action.shortcut().toString(QKeySequence.SequenceFormat.NativeText))
        }
        left = set()
        for text in read:
            for known in sorted(names + from_the_core, key=len, reverse=True):
                text = text.replace(known, "")
            if set(re.findall("[A-Za-z]{2,}", outside_brackets(text))) - keys:
                left.add(text)
        self.assertEqual(left, set())

    def test_values_stand_at_their_places_and_numbers_choose_the_text(self):
        self.app.removeTranslator(self.language)
        self.assertEqual(tr("add {name}", name="{a}.mp4"), "add {a}.mp4")
        self.assertEqual(
            (counted(1, "1 person", "{n} people"), counted(3, "1 person", "{n} people")), ("1 person", "3 people")
        )
        self.assertEqual(percent(0.876), "88 %")
