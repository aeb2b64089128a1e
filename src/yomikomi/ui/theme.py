"""Colours, type and the style sheet: the one place that knows them. Paper and ink around dark wells."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QAbstractSpinBox, QApplication

from yomikomi.ui.appearance import APPEARANCE


@dataclass(frozen=True)
class Form:
    """One form of the look. ``bright``: what is typed into or chosen; ``on_accent``: text on accent and on fault."""

    paper: str
    raised: str
    bright: str
    line: str
    ink: str
    muted: str
    idle: str
    rail: str
    accent: str
    accent_lit: str
    accent_idle: str
    accent_soft: str
    on_accent: str
    amber: str
    madder: str
    madder_soft: str
    pine: str
    well: str = "#1C1D1F"
    well_line: str = "#3A3C40"
    well_text: str = "#D9D7D2"
    well_muted: str = "#A3A29D"


FORMS = {
    "light": Form(
        paper="#ECEBE7", raised="#F7F6F3", bright="#FFFFFF", line="#C9C6BE", ink="#22252B", muted="#5F6268", idle="#9A9994",
        rail="#E1DFD9", accent="#2F4B7C", accent_lit="#3A5A92", accent_idle="#A9B3C6", accent_soft="#D3DAE8", on_accent="#FFFFFF",
        amber="#A86A12", madder="#A4303F", madder_soft="#F2E1E1", pine="#2F6B4F",
    ),
    # For judging pictures at night.
    "dark": Form(
        paper="#26282B", raised="#2E3134", bright="#3A3D42", line="#50545A", ink="#E6E4DE", muted="#B3B2AD", idle="#85868A",
        rail="#212326", accent="#8FB0E8", accent_lit="#A9C3F0", accent_idle="#5A6478", accent_soft="#3B4863", on_accent="#14171C",
        amber="#E3AC55", madder="#F0909A", madder_soft="#4A2C31", pine="#7FC8A3",
    ),
    "contrast": Form(
        paper="#FFFFFF", raised="#FFFFFF", bright="#FFFFFF", line="#1A1A1A", ink="#000000", muted="#262626", idle="#5C5C5C",
        rail="#FFFFFF", accent="#0B2E6E", accent_lit="#15418F", accent_idle="#5F6F92", accent_soft="#CFE0FF", on_accent="#FFFFFF",
        amber="#734300", madder="#8E0018", madder_soft="#FFE3E6", pine="#0A5230",
        well="#000000", well_line="#FFFFFF", well_text="#FFFFFF", well_muted="#E6E6E6",
    ),
}  # fmt: skip

# Chosen once, before anything is drawn: the window is opened anew for another form.
FORM = FORMS[APPEARANCE.form]
PAPER, RAISED, BRIGHT, LINE, INK, MUTED, RAIL = FORM.paper, FORM.raised, FORM.bright, FORM.line, FORM.ink, FORM.muted, FORM.rail
WELL, WELL_LINE, WELL_TEXT, WELL_MUTED = FORM.well, FORM.well_line, FORM.well_text, FORM.well_muted
# Text on the bright colours of plots, in every form.
ON_BRIGHT = "#16171A"
LIVE_SURROUND = "#515355"
ACCENT, ACCENT_SOFT, ON_ACCENT = FORM.accent, FORM.accent_soft, FORM.on_accent
AMBER, MADDER, MADDER_SOFT, PINE = FORM.amber, FORM.madder, FORM.madder_soft, FORM.pine
# Okabe and Ito: distinguishable with every common colour blindness.
OKABE_ITO = {
    "orange": "#E69F00", "sky": "#56B4E9", "green": "#009E73", "yellow": "#F0E442", "blue": "#0072B2",
    "vermilion": "#D55E00", "purple": "#CC79A7",
}  # fmt: skip

CODEC_LOOK = {
    "h264": (OKABE_ITO["orange"], "s"), "hevc": (OKABE_ITO["sky"], "o"), "av1": (OKABE_ITO["green"], "t"),
    "ffv1": (OKABE_ITO["purple"], "o"), "rdd36": (OKABE_ITO["vermilion"], "s"), "vc3": (OKABE_ITO["yellow"], "t"),
    "mpeg2": (OKABE_ITO["blue"], "o"),
}  # fmt: skip

SANS, MONO = "IBM Plex Sans", "IBM Plex Mono"
BODY_PX, SMALL_PX, HEAD_PX, TITLE_PX = 13, 12, 21, 15
GRID = 8


def load_fonts() -> None:
    """The shipped fonts, so that the window looks the same everywhere."""
    folder = files("yomikomi") / "assets" / "fonts"
    for entry in folder.iterdir():
        if entry.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(entry.read_bytes())


def inset(box: QAbstractSpinBox) -> None:
    """Give a number field the same inner margin as a line of text; the style sheet does not reach it there."""
    box.lineEdit().setTextMargins(GRID - 1, 0, 0, 0)


def mono(px: int = BODY_PX, *, medium: bool = False) -> QFont:
    font = QFont(MONO)
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.Medium if medium else QFont.Weight.Normal)
    return font


def sans(px: int = BODY_PX, *, medium: bool = False) -> QFont:
    font = QFont(SANS)
    font.setPixelSize(px)
    font.setWeight(QFont.Weight.Medium if medium else QFont.Weight.Normal)
    return font


def apply(application: QApplication) -> None:
    load_fonts()
    application.setStyle("Fusion")
    # The system's text size scales ours; 10 pt is what 13 px stands for.
    system = application.font().pointSizeF()
    scale = max(0.9, min(1.6, system / 10)) if system > 10.5 else 1.0
    font = sans(round(BODY_PX * scale))
    application.setFont(font)
    palette = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, PAPER),
        (QPalette.ColorRole.Base, RAISED),
        (QPalette.ColorRole.AlternateBase, PAPER),
        (QPalette.ColorRole.Button, RAISED),
        (QPalette.ColorRole.Text, INK),
        (QPalette.ColorRole.WindowText, INK),
        (QPalette.ColorRole.ButtonText, INK),
        (QPalette.ColorRole.PlaceholderText, MUTED),
        (QPalette.ColorRole.Highlight, ACCENT),
        (QPalette.ColorRole.HighlightedText, ON_ACCENT),
        (QPalette.ColorRole.ToolTipBase, RAISED),
        (QPalette.ColorRole.ToolTipText, INK),
    ):
        palette.setColor(role, QColor(colour))
    application.setPalette(palette)
    application.setStyleSheet(style_sheet())


def style_sheet() -> str:
    return f"""
    QToolTip {{ background: {RAISED}; color: {INK}; border: 1px solid {LINE}; padding: 4px 6px; }}
    QWidget#rail {{ background: {RAIL}; border-right: 1px solid {LINE}; }}
    QWidget#strip {{ background: {RAISED}; border-bottom: 1px solid {LINE}; }}
    QLabel#headline {{ font-size: {HEAD_PX}px; color: {INK}; }}
    QLabel#basis, QLabel[quiet="true"] {{ color: {MUTED}; }}
    QLabel#section {{ font-size: {TITLE_PX}px; color: {INK}; }}
    QLabel[figure="true"] {{ font-family: "{MONO}"; }}
    QPushButton {{ background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; padding: 7px 14px; min-height: 16px; }}
    QPushButton:hover {{ border-color: {MUTED}; }}
    QPushButton:pressed {{ background: {PAPER}; }}
    QPushButton:disabled {{ color: {FORM.idle}; background: {PAPER}; }}
    QPushButton:focus {{ border: 2px solid {ACCENT}; padding: 6px 13px; }}
    QPushButton[primary="true"] {{ background: {ACCENT}; color: {ON_ACCENT}; border: 1px solid {ACCENT}; }}
    QPushButton[primary="true"]:hover {{ background: {FORM.accent_lit}; }}
    QPushButton[primary="true"]:disabled {{ background: {FORM.accent_idle}; border-color: {FORM.accent_idle}; color: {ON_ACCENT}; }}
    QPushButton[primary="true"]:focus {{ border: 2px solid {INK}; }}
    QPushButton[danger="true"] {{ background: {MADDER}; color: {ON_ACCENT}; border: 1px solid {MADDER}; }}
    QPushButton[danger="true"]:focus {{ border: 2px solid {INK}; }}
    QPushButton[chooser="true"] {{ background: {BRIGHT}; text-align: left; padding: 4px 8px; min-height: 20px; }}
    QPushButton[chooser="true"]::menu-indicator {{ image: url("{_asset("chevron-down.svg")}"); width: 14px; height: 14px;
        subcontrol-origin: border; subcontrol-position: center right; right: 8px; }}
    QPushButton[chooser="true"]:focus {{ padding: 3px 7px; }}
    QPushButton[link="true"] {{ background: transparent; border: 1px solid transparent; color: {ACCENT}; padding: 3px 4px; }}
    QPushButton[link="true"]:hover {{ text-decoration: underline; }}
    QPushButton[link="true"]:focus {{ border: 1px solid {ACCENT}; }}
    QToolButton {{ border: 1px solid transparent; border-radius: 4px; padding: 3px; }}
    QToolButton:hover {{ border-color: {LINE}; }}
    QToolButton:focus {{ border: 2px solid {ACCENT}; }}
    QToolButton[rail="true"] {{ border: none; border-left: 4px solid transparent; border-radius: 0; padding: 6px 4px 6px 0; }}
    QToolButton[rail="true"]:hover {{ background: {PAPER}; }}
    QToolButton[rail="true"]:checked {{ background: {RAISED}; border-left: 4px solid {ACCENT}; color: {ACCENT}; }}
    QToolButton[rail="true"]:focus {{ border: 2px solid {ACCENT}; }}
    QToolButton[section="true"] {{ border: none; border-bottom: 3px solid transparent; border-radius: 0; padding: 5px 10px; }}
    QToolButton[section="true"]:checked {{ border-bottom-color: {ACCENT}; color: {ACCENT}; }}
    QToolButton[section="true"]:hover {{ background: {RAISED}; }}
    QToolButton[section="true"]:focus {{ border: 2px solid {ACCENT}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QToolButton[popupMode="2"] {{ padding: 6px 8px; }}
    QMenu {{ background: {RAISED}; border: 1px solid {LINE}; padding: 4px; }}
    QMenu::item {{ padding: 6px 16px; border-radius: 3px; }}
    QMenu::item:selected {{ background: {ACCENT_SOFT}; color: {INK}; }}
    QToolButton[well="true"] {{ color: {WELL_TEXT}; background: transparent; padding: 2px 6px; }}
    QToolButton[well="true"]:checked {{ color: white; border: 1px solid {WELL_MUTED}; }}
    QToolButton[well="true"]:hover {{ border-color: {WELL_LINE}; }}
    QLineEdit, QComboBox, QAbstractSpinBox, QPlainTextEdit {{
        background: {BRIGHT}; border: 1px solid {LINE}; border-radius: 4px; padding: 4px 8px; min-height: 20px;
        selection-background-color: {ACCENT}; }}
    QLineEdit[wrong="true"] {{ border: 2px solid {MADDER}; padding: 3px 7px; }}
    QLabel#trouble {{ color: {MADDER}; }}
    QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus {{ border: 2px solid {ACCENT}; padding: 3px 7px; }}
    QAbstractSpinBox {{ padding-right: 26px; max-height: 20px; }}
    QAbstractSpinBox::up-button {{ subcontrol-origin: border; subcontrol-position: top right;
        width: 24px; border: none; }}
    QAbstractSpinBox::down-button {{ subcontrol-origin: border; subcontrol-position: bottom right;
        width: 24px; border: none; }}
    QAbstractSpinBox::up-arrow {{ image: url("{_asset("chevron-up.svg")}"); width: 12px; height: 12px; }}
    QAbstractSpinBox::down-arrow {{ image: url("{_asset("chevron-down.svg")}"); width: 12px; height: 12px; }}
    QComboBox::drop-down {{ border: none; width: 22px; }}
    QComboBox::down-arrow {{ image: url("{_asset("chevron-down.svg")}"); width: 14px; height: 14px; }}
    QComboBox QAbstractItemView {{ background: {RAISED}; border: 1px solid {LINE}; selection-background-color: {ACCENT_SOFT};
        selection-color: {INK}; outline: none; }}
    QFrame[card="true"] {{ background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; }}
    QFrame[card="true"][chosen="true"] {{ background: {BRIGHT}; border: 2px solid {ACCENT}; }}
    QFrame[card="true"]:focus {{ border: 2px solid {ACCENT}; }}
    QFrame[well="true"] {{ background: {WELL}; border-radius: 4px; }}
    QFrame[well="true"] QLabel {{ color: {WELL_TEXT}; }}
    QFrame[well="true"] QLabel[quiet="true"] {{ color: {WELL_MUTED}; }}
    QFrame#alarm {{ background: {MADDER_SOFT}; border: 1px solid {MADDER}; border-radius: 4px; }}
    QFrame#alarm QLabel {{ color: {MADDER}; }}
    QFrame#notice {{ background: {INK}; border-radius: 4px; }}
    QFrame#notice QLabel {{ color: {RAISED}; }}
    QListView, QTableView, QTreeView, QListWidget {{ background: {RAISED}; border: 1px solid {LINE}; border-radius: 4px; outline: none;
        alternate-background-color: {PAPER}; selection-background-color: {ACCENT_SOFT}; selection-color: {INK}; }}
    QListWidget::item {{ padding: 4px 8px; }}
    QToolButton[pin="true"]:checked {{ background: {ACCENT_SOFT}; border-color: {ACCENT}; }}
    QListView:focus, QTableView:focus {{ border: 1px solid {ACCENT}; }}
    QListView#shelf {{ background: transparent; border: 1px solid transparent; }}
    QListView#shelf:focus {{ border: 1px solid {LINE}; }}
    QHeaderView::section {{ background: {PAPER}; color: {MUTED}; border: none; border-bottom: 1px solid {LINE}; padding: 6px 8px; }}
    QTableView {{ gridline-color: transparent; }}
    QTableView::item {{ padding: 4px 8px; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {LINE}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {LINE}; border-radius: 4px; min-width: 24px; }}
    QScrollArea {{ background: transparent; border: none; }}
    QScrollArea > QWidget > QWidget {{ background: transparent; }}
    QProgressBar {{ background: {PAPER}; border: 1px solid {LINE}; border-radius: 4px; text-align: center; min-height: 18px; }}
    QProgressBar::chunk {{ background: {ACCENT_SOFT}; border-radius: 3px; }}
    QCheckBox {{ spacing: 8px; }}
    QCheckBox:focus {{ color: {ACCENT}; }}
    QDialog {{ background: {PAPER}; }}
    """


def _asset(name: str) -> str:
    shade = "light/" if QColor(RAISED).lightness() < 128 else ""
    return str(files("yomikomi.ui") / "assets" / "icons" / f"{shade}{name}")
