"""What a stage is to the window: a title, a ledger, a sheet, notes, and how it stands."""

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from fusus.app import theme
from fusus.app.ledger.panel import Ledger
from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session


class Page(Protocol):
    """One page of a sheet."""

    def draw(self) -> None:
        """Draw it from what the session holds."""


class Sheet(QWidget):
    """The middle of a stage: it is for looking."""

    notes_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("page")

    @abstractmethod
    def refresh(self) -> None:
        """Show what the session holds now."""

    def restyle(self) -> None:
        """Take on the theme's colours."""


def title_label(words: str) -> QLabel:
    """Return a heading over a table."""
    label = QLabel(words)
    label.setProperty("role", "title")
    return label


def column_page(*widgets: QWidget | tuple[QWidget, int]) -> QWidget:
    """Return a page of widgets under one another; headings take no room, the others share it, or as their numbers say."""
    page = QWidget()
    column = QVBoxLayout(page)
    column.setContentsMargins(14, 8, 14, 8)
    column.setSpacing(6)
    for item in widgets:
        widget, stretch = item if isinstance(item, tuple) else (item, 0 if isinstance(item, QLabel) else 1)
        column.addWidget(widget, stretch)
    return page


CLOSE = 7  # so many tabs stand close together, or their words would not fit


class TabbedSheet(Sheet):
    """A sheet with pages, each answering the stage's question from another side. A page is drawn when it is first seen."""

    def __init__(self, session: Session, pages: tuple[tuple[str, str, QWidget], ...]) -> None:
        super().__init__(session)
        self.pages = QStackedWidget()
        self._due: set[int] = set()
        self._group = QButtonGroup(self)
        tabs = QHBoxLayout()
        tabs.setContentsMargins(14, 4, 14, 0)
        tabs.setSpacing(18 if len(pages) < CLOSE else 4)
        for i, (name, title, page) in enumerate(pages):
            button = QToolButton()
            button.setText(title)
            button.setProperty("role", "tab")
            button.setObjectName(f"tab-{name}")
            button.setCheckable(True)
            button.setChecked(i == 0)
            # The chosen one is bold: its words must fit then, too.
            button.setMinimumWidth(QFontMetrics(theme.font(bold=True)).horizontalAdvance(title) + 8)
            self._group.addButton(button, i)
            tabs.addWidget(button)
            self.pages.addWidget(page)
        tabs.addStretch()
        self.names = tuple(name for name, _, _ in pages)
        self._group.idClicked.connect(lambda i: self.show_page(self.names[i]))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(tabs)
        column.addWidget(self.pages, 1)

    def show_page(self, name: str) -> None:
        """Show a page by its name."""
        index = self.names.index(name)
        button = self._group.button(index)
        if button is not None:
            button.setChecked(True)
        self.pages.setCurrentIndex(index)
        self._draw_due()

    def refresh(self) -> None:
        """Draw the page that is seen now, the others when they are."""
        self._due = set(range(len(self.names)))
        self._draw_due()

    def _draw_due(self) -> None:
        index = self.pages.currentIndex()
        if index in self._due:
            self._due.discard(index)
            self.draw(self.names[index])

    @abstractmethod
    def draw(self, name: str) -> None:
        """Draw a page from what the session holds."""


@dataclass(frozen=True, slots=True)
class Stage:
    """One registration: how the window builds a stage."""

    name: str
    title: str
    question: str
    build_ledger: Callable[[Session, Ledger], None]
    build_sheet: Callable[[Session], Sheet]
    notes: Callable[[Session], tuple[Note, ...]]
    state: Callable[[Session], StageState]
    caution: str = ""
