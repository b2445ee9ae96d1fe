"""Colours, sizes and type by role; the one style sheet made of them."""

from dataclasses import dataclass
from importlib import resources

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from fusus.app.plain_style import PlainStyle

GRID = 8
TEXT_PX = 13
# The first has figures of one width and clear brackets: text and numbers; the other is for code.
FAMILY, MONO = "DejaVu Sans Condensed", "DejaVu Sans Mono"


@dataclass(frozen=True, slots=True)
class Tokens:
    """Colours by role."""

    name: str
    paper: str
    sheet: str
    band: str
    ink: str
    faint: str
    rule: str
    accent: str
    ochre: str
    brick: str
    plum: str

    def axis(self, index: int) -> tuple[str, Qt.PenStyle]:
        """Return colour and line of the x, y or z axis: never colour alone."""
        styles = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine)
        return (self.accent, self.ochre, self.plum)[index % 3], styles[index % 3]

    def severity(self, word: str) -> str:
        """Return the colour that goes with a word such as stop, mind, fine, pass, close, fail."""
        return {"stop": self.brick, "fail": self.brick, "mind": self.ochre_text, "close": self.ochre_text}.get(
            word, self.accent
        )

    @property
    def ochre_text(self) -> str:
        """Ochre dark enough for text on paper (4.5:1)."""
        return "#8F5B08" if self.name == "light" else self.ochre


LIGHT = Tokens(
    "light",
    "#FAF8F3",
    "#FAF8F3",
    "#F1ECE1",
    "#22303A",
    "#5B676F",
    "#D8D3C7",
    "#0F6B6B",
    "#B9770E",
    "#A33A2C",
    "#5E4A86",
)
DARK = Tokens(
    "dark", "#1D2429", "#1D2429", "#263038", "#E6E1D6", "#A7AEB0", "#3C474E", "#57B8B3", "#E2AC50", "#E98A7B", "#B7A2E0"
)
SHAPES = {"stop": "■", "fail": "■", "mind": "◆", "close": "◆", "fine": "●", "pass": "●", "not measured": "○"}

_current = LIGHT


def tokens() -> Tokens:
    """Return the current colours."""
    return _current


def load_fonts() -> None:
    """Make the shipped typeface known to Qt."""
    folder = resources.files("fusus.app") / "assets" / "fonts"
    for item in folder.iterdir():
        if item.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(item.read_bytes())


_scale = 1.0


def follow_desktop_font(points: float) -> None:
    """Scale all text as the desktop does: its usual size is 9 to 12 points."""
    global _scale
    _scale = min(2.0, max(1.0, points / 12.0))


def px(size: float) -> int:
    """Return a text size in pixels at the desktop's scale."""
    return round(size * _scale)


def font(size: float = TEXT_PX, bold: bool = False) -> QFont:
    """Return a font of the shipped family."""
    out = QFont(FAMILY)
    out.setPixelSize(px(size))
    out.setBold(bold)
    return out


def set_theme(app: QApplication, chosen: Tokens) -> None:
    """Apply a theme for the whole application."""
    global _current
    _current = chosen
    app.setStyle(PlainStyle())
    app.setFont(font())
    app.setPalette(_palette(chosen))
    app.setStyleSheet(style_sheet(chosen))


def _palette(t: Tokens) -> QPalette:
    p = QPalette()
    role = QPalette.ColorRole
    for which, colour in (
        (role.Window, t.paper), (role.Base, t.paper), (role.AlternateBase, t.band), (role.Text, t.ink),
        (role.WindowText, t.ink), (role.Button, t.band), (role.ButtonText, t.ink), (role.Highlight, t.accent),
        (role.HighlightedText, t.paper), (role.ToolTipBase, t.band), (role.ToolTipText, t.ink), (role.PlaceholderText, t.faint),
        (role.Link, t.accent), (role.Mid, t.rule), (role.Light, t.band), (role.Dark, t.rule), (role.Shadow, t.rule),
    ):  # fmt: skip
        p.setColor(which, QColor(colour))
    p.setColor(QPalette.ColorGroup.Disabled, role.Text, QColor(t.faint))
    p.setColor(QPalette.ColorGroup.Disabled, role.ButtonText, QColor(t.faint))
    return p


def _icon(name: str) -> str:
    """Return the path of a shipped icon, as style sheets want it."""
    return str(resources.files("fusus.app") / "assets" / "icons" / f"{name}.svg").replace("\\", "/")


def style_sheet(t: Tokens) -> str:
    """Return the one style sheet."""
    return f"""
    QWidget {{ color: {t.ink}; font-family: "{FAMILY}"; font-size: {px(TEXT_PX)}px; }}
    QMainWindow, QDialog, #page {{ background: {t.paper}; }}
    QToolTip {{ background: {t.band}; color: {t.ink}; border: 1px solid {t.rule}; padding: 6px; }}
    QMenuBar {{ background: {t.paper}; border-bottom: 1px solid {t.rule}; }}
    QMenuBar::item {{ padding: 4px 10px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.band}; color: {t.ink}; }}
    QMenu {{ background: {t.paper}; border: 1px solid {t.rule}; padding: 4px; }}
    QMenu::item {{ padding: 5px 24px 5px 20px; }}
    QMenu::item:disabled {{ color: {t.faint}; }}
    QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
    #stage-bar, #strip {{ background: {t.band}; }}
    #stage-bar {{ background: {t.paper}; border-bottom: 1px solid {t.rule}; }}
    #strip {{ border-top: 1px solid {t.rule}; }}
    #ledger, #margin {{ background: {t.paper}; }}
    #ledger {{ border-right: 1px solid {t.rule}; }}
    #margin {{ border-left: 1px solid {t.rule}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ width: 8px; background: transparent; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.rule}; border-radius: 4px; min-height: 32px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar:horizontal {{ height: 8px; background: transparent; }}
    QScrollBar::handle:horizontal {{ background: {t.rule}; border-radius: 4px; min-width: 32px; }}
    QLabel[role="title"] {{ font-weight: bold; font-size: {px(15)}px; }}
    QLabel[role="craft"] {{ font-weight: bold; font-size: {px(20)}px; }}
    QLabel[role="large"] {{ font-weight: bold; font-size: {px(26)}px; }}
    QLabel[role="faint"], QToolButton[role="unit"] {{ color: {t.faint}; }}
    QLabel[role="group"] {{ font-weight: bold; padding-top: 10px; }}
    QPlainTextEdit[role="code"] {{ font-family: "{MONO}"; }}
    QLabel[role="fault"] {{ color: {t.brick}; }}
    QFrame[role="rule"] {{ background: {t.rule}; border: none; max-height: 1px; min-height: 1px; }}
    QLineEdit, QDateEdit {{ background: transparent; border: 1px solid transparent; border-bottom: 1px solid {t.rule};
        padding: 2px 4px; selection-background-color: {t.accent}; selection-color: {t.paper}; }}
    QLineEdit[role="figure"] {{ border-bottom: 1px solid transparent; }}
    QLineEdit:hover, QDateEdit:hover {{ border-bottom: 1px solid {t.faint}; }}
    QLineEdit:focus, QDateEdit:focus {{ border: 1px solid {t.accent}; background: {t.band}; }}
    QLineEdit:disabled {{ color: {t.faint}; }}
    QSpinBox {{ background: transparent; border: none; border-bottom: 1px solid {t.rule}; padding: 2px 4px; }}
    QSpinBox:focus {{ border: 1px solid {t.accent}; }}
    QSpinBox::up-button, QSpinBox::down-button {{ width: 0; border: none; }}
    QComboBox {{ background: transparent; border: none; border-bottom: 1px solid {t.rule}; padding: 2px 4px; }}
    QComboBox:hover {{ border-bottom: 1px solid {t.faint}; }}
    QComboBox:focus {{ border: 1px solid {t.accent}; }}
    QComboBox::drop-down {{ border: none; width: 16px; }}
    QComboBox::down-arrow {{ image: url("{_icon("down")}"); width: 12px; height: 12px; }}
    QComboBox QAbstractItemView {{ background: {t.paper}; border: 1px solid {t.rule}; selection-background-color: {t.band};
        selection-color: {t.ink}; outline: none; }}
    QPushButton {{ background: {t.band}; border: 1px solid {t.rule}; padding: 6px 14px; }}
    QPushButton:hover {{ border-color: {t.faint}; }}
    QPushButton:focus {{ border-color: {t.accent}; }}
    QPushButton:default, QPushButton[role="main"] {{ background: {t.accent}; color: {t.paper}; border-color: {t.accent}; }}
    QPushButton:disabled {{ color: {t.faint}; background: {t.band}; border-color: {t.rule}; }}
    QPushButton[role="link"] {{ background: transparent; border: none; color: {t.accent}; text-align: left; padding: 2px 0; }}
    QPushButton[role="link"]:hover, QPushButton[role="link"]:focus {{ text-decoration: underline; }}
    QToolButton {{ background: transparent; border: 1px solid transparent; padding: 1px 3px; }}
    QToolButton:hover, QToolButton:focus {{ border-color: {t.rule}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QToolButton[role="tab"] {{ border: none; border-bottom: 2px solid transparent; padding: 4px 2px; color: {t.faint}; }}
    QToolButton[role="tab"]:checked {{ border-bottom: 2px solid {t.accent}; color: {t.ink}; font-weight: bold; }}
    QToolButton[role="tab"]:focus {{ color: {t.accent}; }}
    QCheckBox {{ spacing: 8px; }}
    QCheckBox:focus, QRadioButton:focus {{ color: {t.accent}; }}
    QCheckBox::indicator, QRadioButton::indicator {{ width: 11px; height: 11px; border: 1px solid {t.faint}; background: {t.paper}; }}
    QRadioButton::indicator {{ border-radius: 6px; }}
    QCheckBox::indicator:checked, QRadioButton::indicator:checked {{ border: 1px solid {t.accent}; background: {t.accent}; }}
    QCheckBox::indicator:disabled, QRadioButton::indicator:disabled {{ border-color: {t.rule}; }}
    QTableView, QListView, QTreeView {{ background: {t.paper}; border: 1px solid {t.rule}; gridline-color: {t.rule};
        selection-background-color: {t.band}; selection-color: {t.ink}; outline: none; }}
    QTableView[role="rows"]::item {{ padding: 3px 6px; }}
    QHeaderView::section {{ background: {t.paper}; border: none; border-bottom: 1px solid {t.rule}; padding: 4px 6px;
        font-weight: bold; text-align: left; }}
    QTableCornerButton::section {{ background: {t.paper}; border: none; }}
    QProgressBar {{ border: 1px solid {t.rule}; background: {t.paper}; height: 6px; max-height: 6px; }}
    QProgressBar::chunk {{ background: {t.accent}; }}
    QSplitter::handle {{ background: {t.rule}; }}
    #card {{ border: 1px solid {t.rule}; background: {t.paper}; }}
    #card:focus, #card:hover {{ border-color: {t.accent}; }}
    #notice {{ background: {t.band}; border-bottom: 1px solid {t.rule}; }}
    """


def hex_with_alpha(colour: str, alpha: int) -> QColor:
    """Return a colour made transparent."""
    out = QColor(colour)
    out.setAlpha(alpha)
    return out
