"""All keys on one sheet, made from the actions themselves so that it cannot go out of date."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QDialog, QGridLayout, QLabel, QWidget

from skiagraph.desktop.controls import column, line, push_button, quiet, section
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr

OUTLINES = [
    ("Shift while sizing", "keep the shape"),
    ("Ctrl and a corner", "into perspective"),
    ("Double-click the line", "a point more"),
    ("Double-click a point", "corner or smooth"),
    ("Shift and drag in a lane", "mark keyframes"),
]
MOUSE = [
    ("Wheel on the picture", "zoom at the pointer"),
    ("Middle drag", "pan"),
    ("Ctrl+wheel on the register", "zoom in time"),
    ("Double-click a name", "rename"),
    ("Double-click a slider", "back to its default"),
    ("Drag a person onto another", "merge them"),
    ("Drag a bar to another row", "give them the sighting"),
]
SHEET = [
    ("E", "fine"),
    ("Shift+E", "fine: all of this person on the screen"),
    ("A", "look again"),
    ("Enter", "go there"),
    ("Space", "play around it"),
]
COLUMNS = 3


class HelpSheet(QDialog):
    """groups: heading → actions; summed: heading → (keys, text) besides."""

    def __init__(
        self, groups: dict[str, list[QAction]], summed: dict[str, list[tuple[str, str]]], parent: QWidget | None = None
    ):
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        layout = column(margin=5 * GRID, spacing=3 * GRID, parent=self)
        title = QLabel(tr("Keys"))
        title.setObjectName("heading")
        head = line()
        head.addWidget(title)
        head.addStretch(1)
        close = push_button("Close", "primary")
        close.clicked.connect(self.accept)
        head.addWidget(close)
        layout.addLayout(head)
        columns = line(spacing=8 * GRID)
        sides = [column(spacing=GRID + 1) for _ in range(COLUMNS)]
        for side in sides:
            columns.addLayout(side, 1)
        blocks = [
            (
                name,
                [(_keys(a), a.text().replace("&", "").rstrip(" …")) for a in actions if a.shortcuts()]
                + [(keys, tr(what)) for keys, what in summed.get(name, ())],
            )
            for name, actions in groups.items()
        ]
        blocks.append(("Mouse", [(tr(gesture), what) for gesture, what in MOUSE]))
        blocks.append(("Mouse on outlines", [(tr(gesture), what) for gesture, what in OUTLINES]))
        blocks.append(("On the contact sheet", [(tr(key), what) for key, what in SHEET]))
        blocks.append(("While held", [("`", "peek under the covers, and hear what was recorded")]))
        for name, rows, place in _in_columns([(name, rows) for name, rows in blocks if rows]):
            sides[place].addWidget(section(name))
            grid = QGridLayout()
            grid.setHorizontalSpacing(4 * GRID)
            grid.setVerticalSpacing(0)
            for n, (keys, what) in enumerate(rows):
                label = QLabel(keys)
                label.setAlignment(Qt.AlignmentFlag.AlignLeft)
                grid.addWidget(label, n, 0)
                grid.addWidget(quiet(what), n, 1)
            grid.setColumnStretch(1, 1)
            sides[place].addLayout(grid)
        for side in sides:
            side.addStretch(1)
        layout.addLayout(columns)


def _in_columns(blocks: list[tuple[str, list]]) -> list[tuple[str, list, int]]:
    """Blocks with the column of each: the longest are given out first, so that columns end at about one height, and
    stand in each in the order they were given."""
    heights, column_of = [0] * COLUMNS, {}
    for name, rows in sorted(blocks, key=lambda block: -len(block[1])):
        column_of[name] = heights.index(min(heights))
        # A heading takes about the room of three rows.
        heights[column_of[name]] += len(rows) + 3
    return [(name, rows, column_of[name]) for name, rows in blocks]


def _keys(action: QAction) -> str:
    return "  or  ".join(s.toString(QKeySequence.SequenceFormat.NativeText) for s in action.shortcuts())
