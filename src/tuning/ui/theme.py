"""Colours by role, four type sizes, one style sheet."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication

SMALL, BODY, LARGE, TITLE = 13, 15, 22, 34
FAMILY = "Lato"


@dataclass(frozen=True)
class Palette:
    """Every colour of the interface by what it is for."""

    paper: str
    panel: str
    ink: str
    muted: str
    line: str
    accent: str
    accent_wash: str
    on_accent: str
    left: str
    right: str
    left_wash: str
    right_wash: str
    band: str
    skin: str
    caution: str
    caution_wash: str
    stage: str
    on_stage: str


LIGHT = Palette(
    paper="#F5F2EA",
    panel="#FFFFFF",
    ink="#1F2A33",
    muted="#5B6670",
    line="#D8D2C4",
    accent="#1C6A72",
    accent_wash="#E0EBEA",
    on_accent="#FFFFFF",
    left="#9F5514",
    right="#4A4DA0",
    left_wash="#EBD3BC",
    right_wash="#C9CAE6",
    band="#CFE0DF",
    skin="#E8E2D2",
    caution="#8A4B0F",
    caution_wash="#F3E3D3",
    stage="#2B3238",
    on_stage="#F5F2EA",
)
DARK = Palette(
    paper="#1B2126",
    panel="#232B31",
    ink="#EFEBE0",
    muted="#A9B2B8",
    line="#434C53",
    accent="#6FC3CA",
    accent_wash="#223C40",
    on_accent="#10191C",
    left="#E09A5B",
    right="#A6A9EE",
    left_wash="#4A3421",
    right_wash="#30325C",
    band="#2F4A4D",
    skin="#4A4B46",
    caution="#EFB27A",
    caution_wash="#43301E",
    stage="#0F1417",
    on_stage="#EFEBE0",
)

HIGH = replace(
    LIGHT,
    paper="#FFFFFF",
    ink="#000000",
    muted="#3A3A3A",
    line="#6B6B6B",
    accent="#00464D",
    accent_wash="#DDF3F2",
    left="#7A3B00",
    right="#2A2C8C",
    left_wash="#F2D3B3",
    right_wash="#CFD0F2",
    band="#B5D6D4",
    caution="#6B2F00",
    caution_wash="#FFE9D2",
    stage="#000000",
    on_stage="#FFFFFF",
)
"""For tired eyes and bright rooms: text stands out 7 to 1 and more (WCAG 2.1, level AAA)."""
HIGH_DARK = replace(
    DARK,
    paper="#000000",
    panel="#0B0B0B",
    ink="#FFFFFF",
    muted="#D5D5D5",
    line="#8C8C8C",
    accent="#8FE8EF",
    accent_wash="#06343A",
    on_accent="#000000",
    left="#FFB873",
    right="#BFC2FF",
    caution="#FFC48A",
    caution_wash="#3A2208",
    stage="#000000",
    on_stage="#FFFFFF",
)
PALETTES = {"light": LIGHT, "dark": DARK, "high": HIGH, "high-dark": HIGH_DARK}

_current = LIGHT


def chosen(name: str) -> Palette:
    """The palette that a preference names; as the system has it where it says so."""
    hints = QApplication.styleHints()
    night = hints is not None and hints.colorScheme() is Qt.ColorScheme.Dark
    return PALETTES.get(name, DARK if name == "system" and night else LIGHT)


def palette() -> Palette:
    """The palette in use."""
    return _current


def colour(role: str) -> QColor:
    """The colour of a role, for painters."""
    return QColor(getattr(_current, role))


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two colours (WCAG 2.1 relative luminance)."""

    def luminance(text: str) -> float:
        parts = [int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b = (p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b

    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def font(size: int = SMALL, bold: bool = False, italic: bool = False) -> QFont:
    """The shipped typeface in one of the four sizes."""
    made = QFont(FAMILY)
    made.setPixelSize(size)
    made.setBold(bold)
    made.setItalic(italic)
    return made


def load_fonts() -> None:
    """Register the shipped typeface."""
    for file in sorted((Path(str(files("tuning"))) / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(file))


def apply(app: QApplication, chosen: Palette = LIGHT) -> None:
    """Set typeface and style sheet for the whole application."""
    global _current
    _current = chosen
    load_fonts()
    sheet = _SHEET
    for field in sorted(fields(Palette), key=lambda f: -len(f.name)):
        sheet = sheet.replace(f"@{field.name}", getattr(chosen, field.name))
    sheet = sheet.replace("@tick", "tick-light" if chosen.on_accent == LIGHT.on_accent else "tick-dark")
    sheet = sheet.replace("@family", FAMILY).replace("@icons", str(Path(__file__).with_name("icons")))
    if app.styleSheet() != sheet:  # a sheet is costly: it dresses every living widget anew
        app.setFont(font(SMALL))
        app.setStyleSheet(sheet)


_SHEET = """
* { color: @ink; }
QMainWindow, QWidget#paper, QDialog, QScrollArea, QScrollArea > QWidget > QWidget { background: @paper; }
QWidget#panel { background: @panel; }
QLabel[role="muted"] { color: @muted; }
QLabel[role="accent"] { color: @accent; }
QLabel[role="left"] { color: @left; }
QLabel[role="right"] { color: @right; }
QLabel[role="caution"] { color: @caution; }
QLabel#alarm { color: @on_accent; background: @caution; }
QLabel#pill { color: @caution; background: @caution_wash; border-radius: 12px; padding: 0 10px;
    min-height: 24px; max-height: 24px; }
QLineEdit, QComboBox, QPlainTextEdit, QAbstractSpinBox {
    background: @panel; border: 1px solid @line; border-radius: 3px; padding: 4px 8px; min-height: 22px;
    selection-background-color: @accent; selection-color: @on_accent; }
QPlainTextEdit { min-height: 60px; }
QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus, QAbstractSpinBox:focus { border: 2px solid @accent; }
QLineEdit#number { border: 2px solid @accent; border-radius: 5px; padding: 4px 12px; min-height: 56px; }
QLineEdit:disabled { color: @muted; background: @paper; }
QComboBox::drop-down { border: none; width: 24px; }
QComboBox::down-arrow { image: url("@icons/down.svg"); width: 12px; height: 12px; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { border: none; background: transparent; width: 22px; }
QAbstractSpinBox::up-arrow { image: url("@icons/up.svg"); width: 10px; height: 10px; }
QAbstractSpinBox::down-arrow { image: url("@icons/down.svg"); width: 10px; height: 10px; }
QProgressBar { background: @line; border: none; border-radius: 4px; }
QProgressBar::chunk { background: @accent; border-radius: 4px; }
QComboBox QAbstractItemView { background: @panel; selection-background-color: @accent_wash;
    selection-color: @ink; }
QPushButton { background: transparent; border: 1px solid @accent; border-radius: 3px; color: @accent;
    padding: 5px 14px; min-height: 20px; }
QPushButton:hover { background: @accent_wash; }
QPushButton:focus { border: 2px solid @accent; }
QPushButton:disabled { border-color: @line; color: @muted; }
QPushButton#primary { background: @accent; color: @on_accent; }
QPushButton#primary:disabled { background: @line; color: @muted; border-color: @line; }
QPushButton#link { border: none; padding: 5px 4px; text-align: left; }
QPushButton#link:focus { border: 2px solid @accent; padding: 3px 2px; }
QPushButton[chosen="true"] { background: @accent_wash; border: 2px solid @accent; }
QListView, QTableView { background: transparent; border: none; outline: none; }
QToolTip { background: @panel; color: @ink; border: 1px solid @line; padding: 4px; }
QWidget#reading:focus { border: 1px solid @accent; border-radius: 3px; }
QListView::item { padding: 4px 2px; color: @ink; }
QListView::item:selected { background: @accent_wash; color: @ink; }
QListView::indicator, QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid @muted; border-radius: 3px; }
QListView::indicator, QCheckBox::indicator { background: @panel; }
QListView::indicator:checked, QCheckBox::indicator:checked { background: @accent; border-color: @accent; }
QListView::indicator:checked, QCheckBox::indicator:checked { image: url("@icons/@tick.svg"); }
QCheckBox::indicator:disabled { background: @line; border-color: @line; }
QCheckBox::indicator:focus { border: 2px solid @accent; width: 12px; height: 12px; }
QCheckBox::indicator:checked:focus { border-color: @ink; }
QTabWidget::pane { border: 1px solid @line; }
QTabBar::tab { background: @paper; color: @muted; border: 1px solid @line; padding: 6px 14px; }
QTabBar::tab:selected { background: @panel; color: @ink; border-bottom: 2px solid @accent; }
QTabBar::tab:focus { border: 2px solid @accent; }
QTextBrowser#page { background: #FFFFFF; color: #1F2A33; border: none; }
QComboBox, QComboBox QAbstractItemView, QLineEdit, QPlainTextEdit, QTextBrowser, QAbstractSpinBox, QTabBar, QMenu {
    font-family: @family; }
QSlider:horizontal { min-height: 24px; }
QSlider::groove:horizontal { background: @line; height: 4px; border-radius: 2px; }
QSlider::sub-page:horizontal { background: @accent; border-radius: 2px; }
QSlider::handle:horizontal { background: @panel; border: 2px solid @accent; width: 14px; margin: -7px 0;
    border-radius: 9px; }
QScrollArea { border: none; }
QScrollBar:vertical { background: transparent; width: 8px; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 8px; }
QScrollBar::handle:horizontal { background: @line; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
"""
