"""Every colour, font and size of the interface, light and dark, in one place; and the style sheet made from them."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtGui import QColor, QFont, QFontDatabase

from bouncy_latch.core.frozen import frozen

FONTS = Path(__file__).parents[1] / "assets" / "fonts"
TEXT_FAMILY, FIGURE_FAMILY = "Manrope", "DM Mono"


@frozen
class Tokens:
    """Colours by what they mean."""

    ground: str
    rail: str
    panel: str
    sunken: str
    line: str
    ink: str
    quiet: str
    accent: str
    accent_soft: str
    on_accent: str
    ok: str
    look: str
    stop: str
    body_a: str
    body_b: str
    cut: str
    zones: tuple[str, str, str, str, str]
    on_zones: tuple[str, str, str, str, str]


LIGHT = Tokens(
    ground="#F2EEE4", rail="#E7E1D3", panel="#FCFAF5", sunken="#F6F2E9", line="#D8CFBC", ink="#202A30", quiet="#566066",
    accent="#24527A", accent_soft="#DCE6EE", on_accent="#FFFFFF", ok="#23663A", look="#825400", stop="#A82E21",
    body_a="#4E7FA6", body_b="#D9A15A", cut="#C4574A",
    zones=("#B4493B", "#D79A45", "#A9BE63", "#5B9E8C", "#BDB5A6"),
    on_zones=("#FFFFFF", "#241A08", "#1B240A", "#071713", "#28241C"),
)
DARK = Tokens(
    ground="#171C21", rail="#12161A", panel="#20272D", sunken="#1A2026", line="#38424A", ink="#ECE7DC", quiet="#A9B1B5",
    accent="#8DBBE0", accent_soft="#2B3F50", on_accent="#0E1A24", ok="#7CC48D", look="#E5B45C", stop="#F0897B",
    body_a="#6FA3CC", body_b="#E3B473", cut="#E58376",
    zones=("#A64A3F", "#C08A3F", "#8FA556", "#4E8D7E", "#857F74"),
    on_zones=("#FFFFFF", "#161005", "#10160A", "#04120E", "#0F0D0A"),
)


class Theme:
    """The tokens in force; widgets read them when they paint, so switching is one repaint."""

    def __init__(self) -> None:
        self.tokens = LIGHT

    @property
    def dark(self) -> bool:
        """Whether the dark ground is in force."""
        return self.tokens is DARK

    def toggle(self) -> None:
        """Change between light and dark."""
        self.tokens = LIGHT if self.dark else DARK

    def colour(self, name: str) -> QColor:
        """Return a token by name."""
        return QColor(getattr(self.tokens, name))

    def verdict(self, verdict: str) -> QColor:
        """Return the colour of ok, look or stop; the quiet one for anything else."""
        return QColor(getattr(self.tokens, verdict, self.tokens.quiet))


THEME = Theme()


def load_fonts() -> None:
    """Register the shipped fonts."""
    for path in sorted(FONTS.glob("*.?tf")):
        QFontDatabase.addApplicationFont(str(path))


def text_font(size: float = 10, weight: QFont.Weight = QFont.Weight.Medium) -> QFont:
    """Return the text font at ``size`` points."""
    font = QFont(TEXT_FAMILY)
    font.setPointSizeF(size)
    font.setWeight(weight)
    return font


def figure_font(size: float = 9.5, bold: bool = False) -> QFont:
    """Return the fixed-width font for figures."""
    font = QFont(FIGURE_FAMILY)
    font.setPointSizeF(size)
    font.setBold(bold)
    return font


def style_sheet(t: Tokens) -> str:
    """Return the application's style sheet."""
    return f"""
* {{ color: {t.ink}; font-family: "{TEXT_FAMILY}"; font-weight: 500; }}
QMainWindow, QWidget#bench {{ background: {t.ground}; }}
QWidget#rail {{ background: {t.rail}; }}
QFrame#panel {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 7px; }}
QLabel {{ background: transparent; }}
QLabel[figure="true"] {{ font-family: "{FIGURE_FAMILY}"; }}
QLabel[tone="quiet"] {{ color: {t.quiet}; }}
QLabel[tone="head"] {{ color: {t.accent}; font-weight: 700; }}
QLabel[tone="title"] {{ font-weight: 700; }}
QLabel[tone="stop"] {{ color: {t.stop}; }}
QLabel[tone="ok"] {{ color: {t.ok}; font-weight: 700; }}
QLabel[tone="look"] {{ color: {t.look}; font-weight: 700; }}
QLineEdit, QPlainTextEdit {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 4px; padding: 2px 5px;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QLineEdit[figure="true"] {{ font-family: "{FIGURE_FAMILY}"; }}
QLineEdit:focus, QPlainTextEdit:focus, QComboBox:focus {{ border: 1px solid {t.accent}; }}
QLineEdit[wrong="true"] {{ border: 1px solid {t.stop}; }}
QComboBox {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 4px; padding: 2px 2px 2px 6px; }}
QComboBox::drop-down {{ border: none; width: 14px; }}
QTableView {{ background: transparent; border: none; selection-background-color: {t.line}; selection-color: {t.ink};
  outline: none; }}
QTableView::item {{ padding: 3px 4px; border: none; }}
QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.line}; selection-background-color:
  {t.accent_soft}; selection-color: {t.ink}; outline: none; }}
QPushButton {{ background: {t.panel}; border: 1px solid {t.line}; border-radius: 5px; padding: 4px 11px; }}
QPushButton:hover {{ border-color: {t.accent}; }}
QPushButton:focus {{ border: 1px solid {t.accent}; }}
QPushButton:checked {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; }}
QPushButton:disabled {{ color: {t.quiet}; }}
QPushButton[tone="strong"] {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent};
  font-weight: 700; }}
QPushButton[tone="mend"] {{ color: {t.accent}; border-color: {t.accent}; padding: 2px 9px; border-radius: 10px; }}
QPushButton[tone="plain"] {{ border: none; background: transparent; color: {t.quiet}; padding: 4px 8px; }}
QPushButton[tone="handle"] {{ border: none; background: transparent; color: {t.quiet}; padding: 0; min-width: 4px; }}
QPushButton::menu-indicator {{ image: none; width: 0; }}
QPushButton[tone="plain"]:hover, QPushButton[tone="handle"]:hover {{ color: {t.accent}; }}
QPushButton[tone="plain"]:checked {{ color: {t.accent}; font-weight: 700; background: {t.accent_soft}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 1px; }}
QScrollBar::handle:vertical {{ background: {t.line}; border-radius: 3px; min-height: 24px; }}
QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 1px; }}
QScrollBar::handle:horizontal {{ background: {t.line}; border-radius: 3px; min-width: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QAbstractScrollArea::corner {{ background: transparent; }}
QListWidget {{ background: {t.panel}; border: none; outline: none; }}
QListWidget::item {{ padding: 5px 8px; border-radius: 4px; }}
QListWidget::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QSlider::groove:horizontal {{ height: 4px; background: {t.line}; border-radius: 2px; }}
QSlider::handle:horizontal {{ width: 14px; height: 14px; margin: -5px 0; border-radius: 7px; background: {t.accent}; }}
QSlider::sub-page:horizontal {{ background: {t.accent}; border-radius: 2px; }}
QToolTip {{ background: {t.panel}; color: {t.ink}; border: 1px solid {t.line}; padding: 4px; }}
QMenu {{ background: {t.panel}; border: 1px solid {t.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 18px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.accent_soft}; color: {t.ink}; }}
QProgressBar {{ background: {t.sunken}; border: none; border-radius: 3px; height: 6px; }}
QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
"""
