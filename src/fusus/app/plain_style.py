"""The style of the application: labels show what they are given as text."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QProxyStyle


class PlainStyle(QProxyStyle):
    """Qt's own style, in which a label does not guess whether its text is a document.

    Names of projects, recordings and parts come from others: as a document they could load pictures and pretend to be something else.
    Labels that mean to show a document say so by their text format.
    """

    def __init__(self) -> None:
        super().__init__("Fusion")

    def polish(self, given: Any) -> Any:
        """Prepare a widget before it is first shown; of palettes and applications as Qt does."""
        if isinstance(given, QLabel) and given.textFormat() == Qt.TextFormat.AutoText:
            given.setTextFormat(Qt.TextFormat.PlainText)
        return super().polish(given)
