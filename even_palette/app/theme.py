"""One table of tokens for both schemes; every colour of the chrome is a neutral grey (R = G = B)."""

import json
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap
from PyQt6.QtWidgets import QAbstractButton, QApplication, QStyleFactory, QWidget

FONTS = Path(__file__).parent / "fonts"
ICONS = Path(__file__).parent / "icons"
TEXT_PX = 13
ICON_PX = 16


@dataclass(frozen=True)
class Tokens:
    """Grey levels 0..255."""

    window: int
    panel: int
    field: int
    line: int
    strong_line: int
    text: int
    quiet_text: int
    chosen: int
    chosen_text: int
    hover: int
    stand: int


DAY = Tokens(212, 224, 244, 184, 128, 24, 72, 56, 250, 200, 150)
NIGHT = Tokens(38, 48, 30, 72, 120, 232, 178, 214, 20, 64, 64)
SCHEMES = {"day": DAY, "night": NIGHT}

_current = DAY


def tokens() -> Tokens:
    """The tokens of the scheme in use."""
    return _current


def grey(level: int) -> QColor:
    """A neutral grey of a level 0..255."""
    return QColor(level, level, level)


def saved_scheme() -> str:
    """The scheme that was chosen last."""
    return str(QSettings("Even Palette", "window").value("scheme", "day"))


def apply_scheme(app: QApplication, name: str) -> None:
    """Dress the application in a scheme and remember it."""
    choose_scheme(app, name)
    dress(app)


def dress(app: QApplication) -> None:
    """Put the style sheet on: once a window is built, as it would be gone through again with every widget."""
    app.setStyleSheet(_style_sheet(_current))


def choose_scheme(app: QApplication, name: str) -> None:
    """Give the application style, font and palette of a scheme, and remember it."""
    global _current
    _current = SCHEMES.get(name, DAY)
    QSettings("Even Palette", "window").setValue("scheme", name)
    app.setStyle(QStyleFactory.create("Fusion"))
    app.setFont(_font())
    app.setPalette(_palette(_current))


def _font() -> QFont:
    _load_fonts()
    font = QFont("Inter")
    font.setPixelSize(TEXT_PX)
    font.setFeature(QFont.Tag("tnum"), 1)
    font.setStyleStrategy(QFont.StyleStrategy.NoSubpixelAntialias | QFont.StyleStrategy.PreferAntialias)
    font.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    return font


@cache
def _load_fonts() -> None:
    for path in sorted(FONTS.glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def icon(name: str) -> QIcon:
    """An icon of the one family and weight that the window uses: Phosphor, from the files that qtawesome ships.

    They are read directly: importing qtawesome loads a dozen families, a fifth of a second at start.
    """
    font, codes = _icon_font()
    made, t = QIcon(), tokens()
    modes = {(QIcon.Mode.Normal, QIcon.State.Off): t.text, (QIcon.Mode.Normal, QIcon.State.On): t.chosen_text,
             (QIcon.Mode.Disabled, QIcon.State.Off): t.strong_line}  # fmt: skip
    for (mode, state), level in modes.items():
        pixmap = QPixmap(2 * ICON_PX, 2 * ICON_PX)
        pixmap.fill(QColor(0, 0, 0, 0))
        painter = QPainter(pixmap)
        painter.setFont(font)
        painter.setPen(grey(level))
        painter.drawText(pixmap.rect(), Qt.AlignmentFlag.AlignCenter, chr(int(codes[name], 16)))
        painter.end()
        made.addPixmap(pixmap, mode, state)
    return made


@cache
def _icon_font() -> tuple[QFont, dict[str, str]]:
    """The font of the icons, and the code of each."""
    found = find_spec("qtawesome")
    assert found is not None
    assert found.submodule_search_locations
    folder = Path(found.submodule_search_locations[0]) / "fonts"
    handle = QFontDatabase.addApplicationFont(str(next(folder.glob("phosphor-*.ttf"))))
    codes = json.loads(next(folder.glob("phosphor-charmap-*.json")).read_text())
    font = QFont(QFontDatabase.applicationFontFamilies(handle)[0])
    font.setPixelSize(2 * ICON_PX)
    font.setStyleStrategy(QFont.StyleStrategy.NoSubpixelAntialias)
    return font, codes


def set_icon(button: QAbstractButton, name: str) -> None:
    """Give a button an icon that follows the scheme."""
    button.setProperty("iconName", name)
    button.setIcon(icon(name))


def renew_icons(window: QWidget) -> None:
    """Make the icons of a window's buttons anew, after the scheme changed."""
    for button in window.findChildren(QAbstractButton):
        if name := button.property("iconName"):
            button.setIcon(icon(name))


def _palette(t: Tokens) -> QPalette:
    palette = QPalette()
    roles = QPalette.ColorRole
    levels = {
        roles.Window: t.window,
        roles.WindowText: t.text,
        roles.Base: t.field,
        roles.AlternateBase: t.panel,
        roles.Text: t.text,
        roles.Button: t.panel,
        roles.ButtonText: t.text,
        roles.BrightText: t.chosen_text,
        roles.Highlight: t.chosen,
        roles.HighlightedText: t.chosen_text,
        roles.ToolTipBase: t.field,
        roles.ToolTipText: t.text,
        roles.PlaceholderText: t.quiet_text,
        roles.Link: t.text,
        roles.LinkVisited: t.text,
        roles.Light: min(255, t.panel + 16),
        roles.Midlight: t.panel,
        roles.Mid: t.line,
        roles.Dark: t.strong_line,
        roles.Shadow: t.strong_line,
        roles.Accent: t.chosen,
    }
    for role, level in levels.items():
        palette.setColor(role, grey(level))
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, grey(t.strong_line))
    return palette


def _style_sheet(t: Tokens) -> str:
    def hexed(level: int) -> str:
        return f"#{level:02x}{level:02x}{level:02x}"

    c = {name: hexed(getattr(t, name)) for name in Tokens.__dataclass_fields__}
    c["arrow"] = (ICONS / ("down-day.png" if t is DAY else "down-night.png")).as_posix()
    return """
    QWidget {{ color: {text}; }}
    QToolTip {{ background: {field}; color: {text}; border: 1px solid {strong_line}; padding: 4px; }}
    QMainWindow, QDialog {{ background: {window}; }}
    QMenuBar {{ background: {window}; padding: 2px 4px; }}
    QMenuBar::item {{ padding: 4px 8px; background: transparent; }}
    QMenuBar::item:selected {{ background: {hover}; }}
    QMenu {{ background: {field}; border: 1px solid {strong_line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 16px; }}
    QMenu::item:selected {{ background: {chosen}; color: {chosen_text}; }}
    QMenu::item:disabled {{ color: {strong_line}; }}
    QMenu::separator {{ height: 1px; background: {line}; margin: 4px 8px; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: {panel}; border: none; }}
    #tray {{ background: {panel}; border-right: 1px solid {line}; }}
    #rail {{ background: {window}; border-right: 1px solid {line}; }}
    #foot, #notice {{ background: {panel}; border-top: 1px solid {line}; }}
    #notice {{ border-bottom: 1px solid {line}; }}
    #readout {{ background: {window}; border-top: 1px solid {line}; }}
    #ledge {{ background: {panel}; border-top: 1px solid {line}; }}
    #overlay {{ background: {panel}; border: 2px solid {strong_line}; border-radius: 4px; }}
    QPushButton[role="count"] {{ border: none; border-top: 1px solid {line}; border-radius: 0; text-align: left;
        padding: 6px 16px; background: {panel}; }}
    QPushButton[role="count"]:focus {{ border: 2px solid {text}; padding: 5px 14px; }}
    QPlainTextEdit {{ background: {field}; border: 1px solid {line}; }}
    #loupe {{ background: {panel}; border: 1px solid {strong_line}; }}
    QLabel[role="title"] {{ font-size: 16px; font-weight: 600; }}
    QLabel[role="section"] {{ font-weight: 600; }}
    QLabel[role="quiet"] {{ color: {quiet_text}; }}
    QLineEdit, QComboBox, QDoubleSpinBox, QSpinBox {{
        background: {field}; border: 1px solid {line}; border-radius: 3px; padding: 1px 6px; min-height: 22px;
        selection-background-color: {chosen}; selection-color: {chosen_text}; }}
    QDoubleSpinBox, QSpinBox {{ padding: 1px 2px 1px 4px; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {field}; border: 1px solid {strong_line};
        selection-background-color: {chosen}; selection-color: {chosen_text}; }}
    QLineEdit:focus, QComboBox:focus, QDoubleSpinBox:focus, QSpinBox:focus {{
        border: 2px solid {text}; padding: 0px 5px; }}
    QDoubleSpinBox:focus {{ padding: 0px 1px 0px 3px; }}
    QLineEdit:disabled, QComboBox:disabled, QDoubleSpinBox:disabled, QSpinBox:disabled {{
        color: {strong_line}; background: {panel}; }}
    QCheckBox {{ min-height: 24px; spacing: 6px; }}
    QPushButton, QToolButton {{ background: {field}; border: 1px solid {line}; border-radius: 3px;
        padding: 2px 10px; min-height: 22px; }}
    QToolButton {{ padding: 2px 6px; }}
    QPushButton:hover, QToolButton:hover {{ background: {hover}; }}
    QPushButton:pressed, QToolButton:pressed, QPushButton:checked, QToolButton:checked {{
        background: {chosen}; color: {chosen_text}; border-color: {chosen}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {text}; padding: 1px 9px; }}
    QToolButton:focus {{ padding: 1px 5px; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {strong_line}; background: {panel}; }}
    QToolButton[role="fold"] {{ background: {panel}; color: {text}; border: none;
        border-top: 1px solid {line}; border-radius: 0; text-align: left; font-weight: 600; padding: 4px 0; }}
    QToolButton[role="fold"]:focus {{ border: 2px solid {text}; padding: 2px 0; }}
    QToolButton[role="tab"] {{ padding: 2px 8px; }}
    QToolButton[role="plain"] {{ background: {panel}; border: none; padding: 0 4px; color: {quiet_text}; }}
    QToolButton[role="plain"]:hover {{ background: {hover}; }}
    QToolButton[role="plain"]:focus {{ border: 2px solid {text}; padding: 0 2px; }}
    QToolButton::menu-indicator {{ image: none; }}
    QToolButton[popupMode="1"] {{ padding-right: 26px; }}
    QToolButton::menu-button {{ width: 22px; border: none; }}
    QPushButton[role="main"] {{ background: {chosen}; color: {chosen_text}; border-color: {chosen}; font-weight: 600; }}
    QPushButton[role="main"]:disabled {{ background: {line}; color: {panel}; border-color: {line}; }}
    QListWidget, QTableWidget, QTableView, QTreeWidget {{ background: {field}; border: 1px solid {line};
        selection-background-color: {chosen}; selection-color: {chosen_text}; outline: none; gridline-color: {line}; }}
    QListWidget:focus, QTableWidget:focus, QTableView:focus {{ border: 2px solid {text}; }}
    QListWidget::item {{ padding: 3px 4px; }}
    #board {{ background: {panel}; }}
    QHeaderView {{ background: {panel}; }}
    QHeaderView::up-arrow, QHeaderView::down-arrow {{ subcontrol-position: top center; width: 7px; height: 5px; }}
    QHeaderView::section {{ background: {panel}; border: none; border-bottom: 1px solid {line}; padding: 3px 6px; }}
    QTableCornerButton::section {{ background: {panel}; border: none; }}
    QProgressBar {{ background: {field}; border: 1px solid {line}; border-radius: 3px; text-align: center; }}
    QProgressBar::chunk {{ background: {line}; }}
    QScrollBar:vertical {{ background: {panel}; width: 12px; margin: 0; }}
    QScrollBar:horizontal {{ background: {panel}; height: 12px; margin: 0; }}
    QScrollBar::handle {{ background: {strong_line}; border-radius: 4px; min-height: 24px; min-width: 24px;
        margin: 2px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSlider::groove:horizontal {{ height: 4px; background: {line}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ width: 12px; margin: -6px 0; border-radius: 6px; background: {text};
        border: 1px solid {field}; }}
    QSlider:focus {{ border: 2px solid {text}; border-radius: 3px; }}
    QSplitter::handle {{ background: {line}; }}
    QSplitter::handle:hover {{ background: {strong_line}; }}
    """.format(**c)
