"""What actions, menus and routes may do with the window: its parts, and what it can be told."""

from typing import Protocol

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QStackedWidget

from fusus.app.ledger.panel import Ledger
from fusus.app.session import Session
from fusus.app.window.openings import Openings


class Shell(Protocol):
    """The window as its own menus, actions and links see it."""

    session: Session
    openings: Openings
    ledger: Ledger
    sheets: QStackedWidget
    actions_by_id: dict[str, QAction]

    def show_stage(self, name: str, rebuild: bool = False) -> None:
        """Show a stage."""

    def run_stage(self) -> None:
        """Compute the shown stage again."""

    def focus_ledger(self) -> None:
        """Put the focus on the first row."""

    def find_anything(self) -> None:
        """Open the finder."""

    def explain(self) -> None:
        """Show help on the row that was entered last."""

    def choose_theme(self, name: str) -> None:
        """Use a theme from now on."""

    def say(self, what: str) -> None:
        """Show shortcuts, cautions, or what this is."""

    def close(self) -> bool:
        """Close the window."""
