"""Menus and shortcuts of the window, from the list of actions."""

from functools import partial

from PyQt6.QtGui import QAction, QKeySequence, QShortcut
from PyQt6.QtWidgets import QMainWindow

from fusus.app.stages.registry import STAGES
from fusus.app.window.actions import ACTIONS
from fusus.app.window.shell import Shell


def build_menus(window: QMainWindow, shell: Shell) -> dict[str, QAction]:
    """Fill the menu bar; return the actions by their names. Stages have Ctrl and their number."""
    bar = window.menuBar()
    menus = {}
    found: dict[str, QAction] = {}
    for spec in ACTIONS:
        if spec.menu not in menus and bar is not None:
            menus[spec.menu] = bar.addMenu(spec.menu)
        action = QAction(spec.text, window)
        action.setObjectName(f"action-{spec.id}")
        action.setToolTip(spec.tip)
        action.setStatusTip(spec.tip)
        if spec.shortcut:
            action.setShortcut(QKeySequence(spec.shortcut))
        action.triggered.connect(lambda _=False, s=spec: s.run(shell))
        menu = menus[spec.menu]
        if menu is not None:
            menu.addAction(action)
        found[spec.id] = action
    for number, stage in enumerate(STAGES, start=1):
        QShortcut(QKeySequence(f"Ctrl+{number}"), window).activated.connect(partial(shell.show_stage, stage.name))
    return found


def tell_menus(window: Shell) -> None:
    """Say what can be done now, and what undo and redo would do."""
    document = window.session.document
    for spec in ACTIONS:
        window.actions_by_id[spec.id].setEnabled(document is not None or not spec.needs_project)
    for key, label in (
        ("undo", document.undo_label if document else None),
        ("redo", document.redo_label if document else None),
    ):
        window.actions_by_id[key].setText(f"{key.capitalize()}: {label.lower()}" if label else key.capitalize())
        window.actions_by_id[key].setEnabled(label is not None)
