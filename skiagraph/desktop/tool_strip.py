"""The drawing tools beside the picture: few, with keys."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from skiagraph.desktop.controls import column, icon_button
from skiagraph.desktop.theme import GRID

_TOOLS = (
    ("ellipse", "draw", "Add a face that was not found: draw around it (A)"),
    ("box", "draw-box", "Add a plate, a sign, a screen: draw a box around it (B)"),
    ("curve", "draw-curve", "Add anything: draw around it point by point, or freely (C)"),
    ("front", "draw-front", "What is in front and stays sharp: draw around it (H)"),
)


class ToolStrip(QWidget):
    """drawPressed: the tool that is to draw now, empty for none."""

    drawPressed = Signal(str)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("panel")
        layout = column(margin=GRID, spacing=GRID, parent=self)
        self.tools = {}
        for tool, name, tip in _TOOLS:
            button = self.tools[tool] = icon_button(name, tip)
            button.setCheckable(True)
            button.clicked.connect(lambda on, tool=tool: self.drawPressed.emit(tool if on else ""))
            layout.addWidget(button)
        layout.addStretch(1)

    def set_tool(self, tool: str) -> None:
        """Show which tool is drawing; empty for none."""
        for name, button in self.tools.items():
            button.setChecked(name == tool)
