"""Names that others chose are text in the window, never a document."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMessageBox

from fusus.app.ledger.rows import FactRow
from fusus.app.panels.notes_panel import Note, NotesPanel
from fusus.app.window.window import apply_theme

HOSTILE = (
    "<img src='file:///etc/hostname'>",
    "<b>pass</b>",
    "<a href='file:///'>Open</a>",
    "<table><tr><td>x</td></tr></table>",
)


@pytest.mark.parametrize("words", HOSTILE)
def test_a_label_shows_it_as_it_is(qtbot, qapp, words):
    apply_theme("light")
    for made in (QLabel(words), FactRow("Recording", words), QMessageBox(QMessageBox.Icon.Information, "x", words)):
        qtbot.addWidget(made)
        made.ensurePolished()
        labels = [made] if isinstance(made, QLabel) else made.findChildren(QLabel)
        for label in labels:
            label.ensurePolished()
        shown = [label for label in labels if label.text() == words]
        assert shown and all(label.textFormat() == Qt.TextFormat.PlainText for label in shown)


@pytest.mark.parametrize("words", HOSTILE)
def test_a_conclusion_shows_it_as_it_is(qtbot, qapp, words):
    apply_theme("light")
    panel = NotesPanel()
    qtbot.addWidget(panel)
    panel.show_notes((Note(words, "fine", words, words, words, "fusion"),))
    panel.show()
    formats = {label.textFormat() for label in panel.findChildren(QLabel) if words in label.text()}
    assert formats == {Qt.TextFormat.PlainText}


def test_what_is_meant_as_a_document_stays_one(qtbot, qapp):
    apply_theme("light")
    label = QLabel("<b>word</b>")
    label.setTextFormat(Qt.TextFormat.RichText)
    qtbot.addWidget(label)
    label.ensurePolished()
    assert label.textFormat() == Qt.TextFormat.RichText
