"""Small inputs that several pages have above their figures."""

from collections.abc import Callable, Mapping, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QSpinBox, QWidget


def number_box(name: str, tip: str, low: int, high: int, value: int) -> QSpinBox:
    """Return a box for a whole number."""
    box = QSpinBox()
    box.setObjectName(name)
    box.setAccessibleName(tip)
    box.setToolTip(tip)
    box.setRange(low, high)
    box.setFixedWidth(76)
    box.setProperty("role", "figure")
    box.setValue(value)
    return box


def choice_box(name: str, label: str, about: Mapping[str, str]) -> QComboBox:
    """Return a box of names, each with what it is about as a tip."""
    box = QComboBox()
    box.setObjectName(name)
    box.setAccessibleName(label)
    for key, words in about.items():
        box.addItem(key, key)
        box.setItemData(box.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
    return box


def fill_names(box: QComboBox, names: Sequence[str], place: int) -> None:
    """Fill a box with names where they have changed; the chosen one stays, else the one at ``place`` is chosen."""
    if [box.itemText(i) for i in range(box.count())] == list(names):
        return
    chosen = box.currentText()
    box.clear()
    for name in names:
        box.addItem(name, name)
    if names:
        box.setCurrentIndex(list(names).index(chosen) if chosen in names else min(place, len(names) - 1))


def push_button(name: str, words: str, tip: str, pushed: Callable[[], None], is_main: bool = False) -> QPushButton:
    """Return a button."""
    button = QPushButton(words)
    button.setObjectName(name)
    button.setToolTip(tip)
    if is_main:
        button.setProperty("role", "main")
    button.clicked.connect(lambda _=False: pushed())
    return button


def input_line(*items: tuple[str, QWidget] | QWidget) -> QWidget:
    """Return a line of inputs with their labels; buttons stand at its end."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for item in items:
        if isinstance(item, tuple):
            row.addWidget(QLabel(item[0]))
            row.addWidget(item[1])
            row.addSpacing(8)
    row.addStretch()
    for item in items:
        if not isinstance(item, tuple):
            row.addWidget(item)
    return line
