"""What the window says in a box: shortcuts, cautions, about."""

from PyQt6.QtWidgets import QMessageBox, QWidget

from fusus.app import theme
from fusus.app.stages.registry import FIRST_FLIGHTS, STAGES
from fusus.app.window.actions import ACTIONS


def show_shortcuts(parent: QWidget) -> None:
    """List all keys."""
    rows = [(s.shortcut, s.text.rstrip(" …")) for s in ACTIONS if s.shortcut]
    rows += [(f"Ctrl+{i}", f"Stage {s.title}") for i, s in enumerate(STAGES, start=1)]
    rows += [("Esc", "Put help away; in a row: bring the last good value back")]
    _say(parent, "Shortcuts", "\n".join(f"{keys:<16}{words}" for keys, words in rows), mono=True)


def show_cautions(parent: QWidget) -> None:
    """Show the cautions."""
    _say(
        parent,
        "Cautions",
        "Propellers off for all bench work with a battery in. Motors restrained and people away for powered tests. Lithium batteries "
        "charged, stored and carried as their maker says.\n\n" + FIRST_FLIGHTS,
    )


def show_about(parent: QWidget) -> None:
    """Show version and licence."""
    _say(
        parent,
        "About Fusus",
        "Fusus 0.1, under the GNU General Public License, version 3 or later. Typeface DejaVu under its own free "
        "licence. Demo craft, parts and places are invented.",
    )


def _say(parent: QWidget, title: str, words: str, mono: bool = False) -> None:
    box = QMessageBox(parent)
    box.setObjectName("message")
    box.setWindowTitle(title)
    box.setText(words)
    if mono:
        box.setStyleSheet(f'QLabel {{ font-family: "{theme.MONO}"; }}')
    box.exec()
    box.deleteLater()
