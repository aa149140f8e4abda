"""The look: colours by role, the shipped font, the style sheet."""

from __future__ import annotations

from importlib import resources

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

INK, SOOT, RAISED, ASH, PAPER = "#191716", "#22201E", "#2C2927", "#3A3633", "#E9E3D9"
VERDIGRIS, OCHRE, MADDER, LILAC = "#6FB6A0", "#D9A441", "#D8604C", "#A79BC8"
# Paper at 60 % on soot, and the darker ground of lanes.
QUIET, FAINT, WELL = "#A39E96", "#7D7871", "#121110"

GRID, CONTROL, RADIUS = 4, 28, 4
FONT_PX = 13

_STYLE = """
* {{ font-family: "{family}"; font-size: {font}px; color: {paper}; outline: none; }}
QMainWindow, QDialog, #page {{ background: {ink}; }}
#panel {{ background: {soot}; border-radius: {radius}px; }}
#topbar {{ background: {soot}; }}
#brand {{ font-size: 17px; font-weight: 700; padding-left: 4px; }}
#quiet, QLabel[role="quiet"] {{ color: {quiet}; }}
#title {{ font-size: 15px; font-weight: 700; }}
#heading {{ font-size: 20px; font-weight: 700; }}
#section {{ color: {quiet}; font-size: 12px; font-weight: 700; }}
#timecode {{ font-size: 18px; font-weight: 700; }}
QToolTip {{ background: {raised}; color: {paper}; border: 1px solid {ash}; padding: 4px 6px; }}
QPushButton, QToolButton {{
  background: {raised}; border: 1px solid transparent; border-radius: {radius}px; min-height: 26px;
  padding: 0 12px; font-weight: 500;
}}
QToolButton {{ padding: 0; min-width: 26px; }}
QPushButton:hover, QToolButton:hover {{ background: {ash}; }}
QPushButton:focus, QToolButton:focus {{ border-color: {lilac}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {ink}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {faint}; background: {soot}; border-color: {raised}; }}
QPushButton[kind="primary"] {{ background: {verdigris}; color: {ink}; font-weight: 700; }}
QPushButton[kind="primary"]:hover {{ background: #86C8B3; }}
QPushButton[kind="primary"]:focus {{ border-color: {paper}; }}
QPushButton[kind="primary"]:disabled {{ background: {raised}; color: {faint}; }}
QPushButton[kind="link"] {{ background: transparent; color: {verdigris}; padding: 0 4px; text-align: left; }}
QPushButton[kind="link"]:hover {{ color: {paper}; }}
QPushButton[kind="link"]:disabled {{ color: {faint}; border-color: transparent; }}
QPushButton[kind="narrow"] {{ padding: 0 4px; }}
QPushButton[kind="fold"] {{
  background: transparent; border: none; border-top: 1px solid {ash}; border-radius: 0; color: {quiet};
  text-align: left; padding: 0; min-height: 20px; font-size: 12px; font-weight: 700;
}}
QPushButton[kind="fold"]:hover, QPushButton[kind="fold"]:focus {{ color: {paper}; }}
QPushButton[kind="segment"]:checked {{ background: {paper}; color: {ink}; }}
QPushButton[kind="segment"] {{ padding: 0 6px; }}
QPushButton[kind="decision-cover"]:checked {{ background: {verdigris}; color: {ink}; font-weight: 700; }}
QPushButton[kind="decision-show"]:checked {{ background: {lilac}; color: {ink}; font-weight: 700; }}
QPushButton[kind="decision-undecided"]:checked {{ background: {ochre}; color: {ink}; font-weight: 700; }}
QPushButton[kind^="decision"] {{ padding: 0 6px; }}
QPushButton[kind="small"] {{
  padding: 0 8px; min-height: 20px; max-height: 20px; font-size: 12px; color: {quiet}; text-align: left;
}}
QPushButton[kind="small"]:hover {{ color: {paper}; }}
QPushButton[kind="step"] {{
  background: transparent; color: {quiet}; border: none; border-bottom: 3px solid transparent; border-radius: 0;
  min-height: 37px; padding: 0 2px; font-size: 14px;
}}
QPushButton[kind="step"]:hover {{ color: {paper}; }}
QPushButton[kind="step"]:checked {{ color: {paper}; border-bottom: 3px solid {verdigris}; font-weight: 700; }}
QPushButton[kind="step"]:focus {{ color: {paper}; }}
QLineEdit, QSpinBox, QDoubleSpinBox, QPlainTextEdit {{
  background: {ink}; border: 1px solid {ash}; border-radius: {radius}px; min-height: 24px; padding: 0 6px;
  selection-background-color: {lilac}; selection-color: {ink};
}}
QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border-color: {lilac}; }}
QSpinBox:disabled, QDoubleSpinBox:disabled, QLineEdit:disabled {{ color: {faint}; border-color: {raised}; }}
QSpinBox::up-button, QSpinBox::down-button, QDoubleSpinBox::up-button, QDoubleSpinBox::down-button {{
  width: 0; border: none;
}}
QComboBox {{
  background: {raised}; border: 1px solid transparent; border-radius: {radius}px; min-height: 26px;
  padding: 0 10px;
}}
QComboBox[kind="small"] {{
  background: transparent; min-height: 20px; padding: 0 4px; font-size: 12px; color: {quiet};
}}
QComboBox:hover {{ background: {ash}; }}
QComboBox:focus {{ border-color: {lilac}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url("{icons}/down.svg"); width: 10px; height: 10px; }}
QComboBox QAbstractItemView {{
  background: {raised}; border: 1px solid {ash}; selection-background-color: {ash}; padding: 4px;
}}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator {{ width: 16px; height: 16px; border-radius: 3px; background: {ink}; border: 1px solid {quiet}; }}
QCheckBox::indicator:checked {{ background: {verdigris}; border-color: {verdigris}; image: url("{icons}/check.svg"); }}
QCheckBox:focus {{ color: {lilac}; }}
QSlider::groove:horizontal {{ height: 4px; background: {ash}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {verdigris}; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {paper}; width: 14px; height: 14px; margin: -5px 0; border-radius: 7px; }}
QSlider::handle:horizontal:hover, QSlider::handle:horizontal:focus {{
  background: white; border: 2px solid {lilac}; width: 12px; height: 12px;
}}
QSlider::sub-page:horizontal:disabled {{ background: {ash}; }}
QSlider::handle:horizontal:disabled {{ background: {faint}; }}
QProgressBar {{
  background: {ash}; border: none; border-radius: 3px; max-height: 6px; min-height: 6px; text-align: center;
  color: transparent;
}}
QProgressBar::chunk {{ background: {verdigris}; border-radius: 3px; }}
QMenuBar {{ background: {soot}; color: {quiet}; padding: 0; }}
QMenuBar::item {{ background: transparent; padding: 6px 7px; color: {quiet}; }}
QMenuBar::item:selected {{ background: {raised}; color: {paper}; border-radius: {radius}px; }}
QMenu {{ background: {raised}; border: 1px solid {ash}; padding: 4px; }}
QMenu::item {{ padding: 5px 28px 5px 12px; border-radius: 3px; }}
QMenu::item:selected {{ background: {ash}; }}
QMenu::item:disabled {{ color: {faint}; }}
QMenu::separator {{ height: 1px; background: {ash}; margin: 4px 6px; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {ash}; border-radius: 4px; min-height: 28px; margin: 1px; }}
QScrollBar::handle:vertical:hover {{ background: {faint}; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle:horizontal {{ background: {ash}; border-radius: 4px; min-width: 28px; margin: 1px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
  background: transparent; border: none; height: 0; width: 0;
}}
QScrollArea, QListView, QListWidget {{ background: transparent; border: none; }}
QScrollArea > QWidget > QWidget {{ background: transparent; }}
QListWidget::item {{ border-radius: {radius}px; padding: 6px; }}
QListWidget::item:selected {{ background: {ash}; }}
QSplitter::handle {{ background: {ink}; }}
QSplitter::handle:hover {{ background: {ash}; }}
#notice {{ background: {raised}; border-radius: {radius}px; border-left: 3px solid {ochre}; }}
#badge {{
  background: {ochre}; color: {ink}; border-radius: 8px; font-size: 11px; font-weight: 700; padding: 0 5px;
  min-height: 16px; max-height: 16px;
}}
"""


def asset_folder(name: str) -> str:
    """Folder of shipped assets, with forward slashes, as style sheets want it."""
    return str(resources.files("skiagraph.assets").joinpath(name)).replace("\\", "/")


def font(px: int = FONT_PX, weight: QFont.Weight = QFont.Weight.Medium) -> QFont:
    """The application's font with figures of equal width."""
    result = QFont(_family())
    result.setPixelSize(px)
    result.setWeight(weight)
    result.setFeature(QFont.Tag("tnum"), 1)
    return result


def _family() -> str:
    application = QApplication.instance()
    return (application.property("skiagraphFamily") if application else None) or "Karla"


def apply(application: QApplication) -> None:
    """Give the application our look."""
    loaded = QFontDatabase.addApplicationFont(asset_folder("fonts") + "/Karla.ttf")
    families = QFontDatabase.applicationFontFamilies(loaded) if loaded >= 0 else []
    application.setProperty("skiagraphFamily", families[0] if families else "")
    application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, INK),
        (QPalette.ColorRole.Base, INK),
        (QPalette.ColorRole.Text, PAPER),
        (QPalette.ColorRole.WindowText, PAPER),
        (QPalette.ColorRole.Button, RAISED),
        (QPalette.ColorRole.ButtonText, PAPER),
        (QPalette.ColorRole.Highlight, LILAC),
        (QPalette.ColorRole.HighlightedText, INK),
        (QPalette.ColorRole.AlternateBase, SOOT),
        (QPalette.ColorRole.PlaceholderText, FAINT),
        (QPalette.ColorRole.ToolTipBase, RAISED),
        (QPalette.ColorRole.ToolTipText, PAPER),
    ):
        palette.setColor(role, QColor(colour))
    application.setPalette(palette)
    application.setStyleSheet(
        _STYLE.format(
            family=_family(),
            font=FONT_PX,
            paper=PAPER,
            ink=INK,
            soot=SOOT,
            raised=RAISED,
            ash=ASH,
            quiet=QUIET,
            faint=FAINT,
            verdigris=VERDIGRIS,
            ochre=OCHRE,
            madder=MADDER,
            lilac=LILAC,
            radius=RADIUS,
            icons=asset_folder("icons"),
        )
    )
