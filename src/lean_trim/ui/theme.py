"""Paper and ink: colours of the light sheet and of the night theme, fonts, palette."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PySide6.QtWidgets import QApplication

from lean_trim.core.data.shown_units import UnitChoice
from lean_trim.ui.units import Units

FAMILY = "Inter"
_REGISTERED: list[str] = []


@dataclass(frozen=True)
class Theme:
    """Colours by purpose, as #rrggbb."""

    name: str
    paper: str
    sheet: str
    edge: str
    ink: str
    faint: str
    accent: str
    on_accent: str
    add: str
    remove: str
    select: str
    danger: str
    caution_paper: str
    traces: tuple[str, str, str, str]
    regimes: tuple[str, str, str, str, str, str, str]

    def color(self, purpose: str, alpha: float = 1.0) -> QColor:
        """A colour by purpose, with opacity 0 to 1."""
        return _color(getattr(self, purpose), alpha)


LIGHT = Theme(
    "light",
    "#f3eee2",
    "#fcfaf4",
    "#cfc7b6",
    "#1f282e",
    "#5d646a",
    "#12606f",
    "#ffffff",
    "#b36a00",
    "#6247ad",
    "#12606f",
    "#a3271d",
    "#fbeccb",
    ("#12606f", "#a2554a", "#4c6b2f", "#5b4a86"),
    ("#d9d3c5", "#d8b98d", "#a9bfae", "#c9c3d6", "#8fb0b8", "#d8c06a", "#b98f86"),
)
NIGHT = Theme(
    "night",
    "#14181b",
    "#1c2125",
    "#3b444b",
    "#e9e4d8",
    "#a3aab0",
    "#63b6c6",
    "#0e1417",
    "#e3a23c",
    "#b19cf2",
    "#63b6c6",
    "#ff8f80",
    "#3a3018",
    ("#63b6c6", "#e09a8c", "#a8c586", "#bda9ec"),
    ("#30363b", "#6a5637", "#3d5646", "#4b4560", "#2f5964", "#6b5f2a", "#6a4640"),
)


@lru_cache(maxsize=512)
def _color(name: str, alpha: float) -> QColor:
    color = QColor(name)
    color.setAlphaF(alpha)
    return color


class Appearance(QObject):
    """The theme and the units in force; views repaint on ``changed``, and on ``units.changed``."""

    changed = Signal()

    def __init__(
        self,
        theme: Theme = LIGHT,
        parent: QObject | None = None,
        units: tuple[UnitChoice, ...] = (),
    ) -> None:
        super().__init__(parent)
        self.theme = theme
        self.units = Units(self, units)

    def use(self, theme: Theme) -> None:
        """Switch the theme for the whole application."""
        self.theme = theme
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, theme)
        self.changed.emit()


@lru_cache(maxsize=64)
def font(size: float = 10.0, bold: bool = False) -> QFont:
    """The shipped font with tabular figures, size in points; shared, so it is never to be changed."""
    out = QFont(FAMILY)
    out.setPointSizeF(size)
    out.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    out.setFeature(QFont.Tag("tnum"), 1)
    return out


def register_fonts() -> None:
    """Load the shipped fonts once."""
    if _REGISTERED:
        return
    folder = resources.files("lean_trim.assets") / "fonts"
    for name in ("Inter-Regular.otf", "Inter-SemiBold.otf"):
        number = QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())
        _REGISTERED.extend(QFontDatabase.applicationFontFamilies(number))


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Set palette, font and the few style rules on the application."""
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: theme.paper,
        QPalette.ColorRole.WindowText: theme.ink,
        QPalette.ColorRole.Base: theme.sheet,
        QPalette.ColorRole.AlternateBase: theme.paper,
        QPalette.ColorRole.Text: theme.ink,
        QPalette.ColorRole.Button: theme.sheet,
        QPalette.ColorRole.ButtonText: theme.ink,
        QPalette.ColorRole.Highlight: theme.accent,
        QPalette.ColorRole.HighlightedText: theme.on_accent,
        QPalette.ColorRole.ToolTipBase: theme.sheet,
        QPalette.ColorRole.ToolTipText: theme.ink,
        QPalette.ColorRole.PlaceholderText: theme.faint,
        QPalette.ColorRole.Link: theme.accent,
        QPalette.ColorRole.Mid: theme.edge,
    }
    for role, color in roles.items():
        palette.setColor(role, QColor(color))
    for role in (
        QPalette.ColorRole.Text,
        QPalette.ColorRole.ButtonText,
        QPalette.ColorRole.WindowText,
    ):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(theme.faint))
    app.setPalette(palette)
    app.setFont(font())
    rules = _rules(theme)
    if app.styleSheet() != rules:
        app.setStyleSheet(rules)


def _rules(t: Theme) -> str:
    return f"""
    QMenuBar, QStatusBar {{ background: {t.paper}; color: {t.ink}; }}
    QMenu {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; }}
    QMenu::item {{ padding: 4px 26px 4px 22px; }}
    QMenu::item:selected, QMenuBar::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QMenu::item:disabled {{ color: {t.faint}; }}
    QPushButton, QToolButton {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge};
        border-radius: 4px;
        padding: 4px 10px; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.accent}; }}
    QPushButton:focus, QToolButton:focus {{ border: 2px solid {t.accent}; padding: 3px 9px; }}
    QPushButton:checked, QToolButton:checked {{ background: {t.accent}; color: {t.on_accent};
        border-color: {t.accent}; }}
    QPushButton:disabled, QToolButton:disabled {{ color: {t.faint}; background: {t.paper}; }}
    QPushButton#primary {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; }}
    QPushButton#primary:focus {{ border: 2px solid {t.ink}; }}
    QPushButton#primary:disabled {{ background: {t.paper}; color: {t.faint}; border-color: {t.edge}; }}
    QToolButton#figure {{ padding: 4px 6px; }}
    QToolButton#figure:focus {{ padding: 3px 5px; }}
    QPushButton#grave {{ color: {t.danger}; border-color: {t.danger}; }}
    QPushButton#grave:focus {{ border: 2px solid {t.danger}; }}
    QToolButton#tab {{ background: transparent; border: none; border-bottom: 2px solid {t.edge};
        border-radius: 0; padding: 4px 6px; }}
    QToolButton#tab[narrow="true"] {{ padding: 4px 1px; }}
    QToolButton#tab:checked {{ color: {t.ink}; border-bottom: 3px solid {t.accent}; padding-bottom: 3px; }}
    QToolButton#tab:hover, QToolButton#flat:hover {{ color: {t.accent}; }}
    QToolButton#tab:focus {{ color: {t.accent}; }}
    QToolButton#flat {{ background: transparent; border: none; padding: 1px 3px; }}
    QToolButton#flat:focus {{ color: {t.accent}; border: 1px solid {t.accent}; padding: 0 2px; }}
    QToolButton::menu-indicator {{ image: none; }}
    QPushButton#choice {{ background: transparent; text-align: left; padding: 2px 6px; margin: 1px; }}
    QPushButton#choice:focus {{ padding: 1px 5px; }}
    QPushButton#yes {{ padding: 2px 6px; margin: 1px; color: {t.danger}; border-color: {t.danger}; }}
    QPushButton#choice:disabled {{ border-color: transparent; }}
    QLineEdit {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; border-radius: 4px;
        padding: 3px 6px; }}
    QLineEdit:focus {{ border: 2px solid {t.accent}; padding: 2px 5px; }}
    QComboBox QAbstractItemView {{ background: {t.sheet}; color: {t.ink};
        selection-background-color: {t.accent}; }}
    QTableWidget {{ background: {t.sheet}; border: 1px solid {t.edge}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.faint}; border: none; padding: 3px 4px; }}
    QListWidget {{ background: {t.sheet}; border: 1px solid {t.edge}; outline: none; }}
    QListWidget::item:selected {{ background: {t.accent}; color: {t.on_accent}; }}
    QProgressBar {{ border: 1px solid {t.edge}; border-radius: 4px; background: {t.sheet}; color: {t.ink};
        text-align: center; }}
    QProgressBar::chunk {{ background: {t.regimes[4]}; }}
    QScrollBar {{ background: {t.paper}; border: none; }}
    QScrollBar:vertical {{ width: 12px; }}
    QScrollBar:horizontal {{ height: 12px; }}
    QScrollBar::handle {{ background: {t.edge}; border: 2px solid {t.paper}; border-radius: 5px; }}
    QScrollBar::handle:vertical {{ min-height: 28px; }}
    QScrollBar::handle:horizontal {{ min-width: 28px; }}
    QScrollBar::handle:hover {{ background: {t.faint}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QToolTip {{ background: {t.sheet}; color: {t.ink}; border: 1px solid {t.edge}; }}
    QSplitter::handle {{ background: {t.edge}; }}
    """
