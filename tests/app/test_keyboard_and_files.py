"""Mouse left alone: shortcuts, drops, dialogs, saving figures, themes and restarts."""

from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QSettings, Qt, QTimer, QUrl
from PyQt6.QtGui import QDragEnterEvent
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QWidget
from tests.app.conftest import answered
from tests.logs.tables import lines, write

from fusus.app import theme
from fusus.app.importing.dialog import ImportDialog
from fusus.app.importing.flow import suggested_name
from fusus.app.panels.finder import Findable, Finder, matches
from fusus.app.settings import LAST_PROJECT, STAGE, THEME, Settings
from fusus.app.window.window import Window, apply_theme
from fusus.logs.importer import ImportRequest, plan_import
from fusus.logs.mapping import load_mapping
from fusus.project.commands import SetValue

CTRL = Qt.KeyboardModifier.ControlModifier


def test_undo_redo_and_run_by_keys(opened, qtbot):
    opened.show_stage("brief")
    opened.session.do(SetValue("brief.craft.mass_kg", 3.0, "Set mass"))
    opened.stage_bar.setFocus()
    qtbot.keyClick(opened, "z", CTRL)
    assert opened.session.project.brief.craft.mass_kg == 1.0
    qtbot.keyClick(opened, "z", CTRL | Qt.KeyboardModifier.ShiftModifier)
    assert opened.session.project.brief.craft.mass_kg == 3.0
    opened.show_stage("fusion")
    with answered(qtbot, opened, "fusion.run"):
        qtbot.keyClick(opened, Qt.Key.Key_Return, CTRL)


def test_ctrl_l_goes_to_the_first_row(opened, qtbot):
    opened.show_stage("brief")
    qtbot.keyClick(opened, "l", CTRL)
    assert opened.focusWidget().objectName() == "edit-name"


def test_escape_brings_the_last_good_value_back(opened, qtbot):
    opened.show_stage("brief")
    edit = opened.ledger.rows["brief.craft.mass_kg"].edit
    edit.setFocus()
    edit.selectAll()
    qtbot.keyClicks(edit, "77")
    qtbot.keyClick(edit, Qt.Key.Key_Escape)
    assert edit.text() == "1" and opened.session.document.undo_label is None


def test_escape_puts_help_away(opened, qtbot):
    opened.show_stage("brief")
    opened.ledger.row_focused.emit("brief.craft.mass_kg")
    opened.explain()
    assert opened.notes_panel.help_shown is not None
    qtbot.keyClick(opened, Qt.Key.Key_Escape)
    assert opened.notes_panel.help_shown is None


def test_undo_names_what_it_takes_back(opened):
    opened.session.do(SetValue("brief.craft.mass_kg", 3.0, "Set mass"))
    assert opened.actions_by_id["undo"].text() == "Undo: set mass" and not opened.actions_by_id["redo"].isEnabled()
    opened.actions_by_id["undo"].trigger()
    assert opened.actions_by_id["redo"].text() == "Redo: set mass"


def test_finder_opens_by_key_and_leaves_by_escape(opened, qtbot):
    seen = []

    def look():
        finder = QApplication.activeModalWidget()
        assert isinstance(finder, Finder)
        seen.append(finder.list.count())
        qtbot.keyClicks(finder.edit, "zzz nothing")
        seen.append(finder.list.count())
        qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
        finder.reject()

    QTimer.singleShot(100, look)
    opened.actions_by_id["find"].trigger()
    assert seen[0] > 30 and seen[1] == 0


@pytest.mark.parametrize(("text", "fits"), [("", True), ("gyro", True), ("NOISE gyro", True), ("gyro beta", False)])
def test_finding_takes_words_in_any_order(text, fits):
    assert matches(text, Findable("row in Fusion", "Gyro noise", lambda: None)) is fits


def test_only_files_are_taken_by_a_drag(window):
    def enter(urls):
        data = QMimeData()
        data.setUrls([QUrl(u) for u in urls])
        event = QDragEnterEvent(
            QPoint(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        event.setAccepted(False)
        window.dragEnterEvent(event)
        return event.isAccepted()

    assert enter(["file:///x/log.csv"]) and not enter(["https://example.org/log.csv"]) and not enter([])


def test_a_dropped_project_opens(window, flown):
    window.openings.take_files([flown])
    assert window.session.document is not None and window.session.project.name == "Heron"


def test_a_log_before_a_craft_asks_for_the_craft_first(window, qtbot, tmp_path, monkeypatch):
    (tmp_path / "crafts").mkdir()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Wren", True))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(tmp_path / "crafts"))

    def accept():
        dialog = QApplication.activeModalWidget()
        if isinstance(dialog, ImportDialog):
            dialog._accept()
        else:
            QTimer.singleShot(50, accept)

    QTimer.singleShot(50, accept)
    window.openings.take_files([write(tmp_path / "first hop.csv", lines())])
    qtbot.waitUntil(lambda: [r.name for r in window.session.recordings()] == ["first-hop"], timeout=20_000)
    assert window.session.project.name == "Wren" and (tmp_path / "crafts" / "Wren" / "project.json").exists()


def test_leaving_the_name_empty_starts_nothing(window, monkeypatch):
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("", False))
    window.openings.ask_new()
    assert window.session.document is None and window.pages.currentWidget() is window.start


def test_open_and_import_ask_for_files(window, flown, monkeypatch, qtbot, tmp_path):
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(flown))
    window.openings.ask_open()
    assert window.session.project.name == "Heron"
    empty = tmp_path / "none.csv"
    empty.write_text("")
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(empty)], ""))
    window.openings.ask_import()
    qtbot.waitUntil(lambda: "empty" in window.notice.words.text(), timeout=10_000)


def test_a_read_only_project_takes_no_log(window, flown, tmp_path):
    from fusus.project.document import Document

    holder = Document.open(flown)
    window.session.open(flown)
    window.openings.take_files([write(tmp_path / "l.csv", lines())])
    assert "read-only" in window.notice.words.text()
    holder.close()


def test_names_are_suggested_once(tmp_path):
    assert suggested_name([tmp_path / "my log.csv"], set()) == "my-log"
    assert suggested_name([tmp_path / "log.csv"], {"log", "log-2"}) == "log-3"
    assert suggested_name([tmp_path / ".csv"], set()) == "csv"


def test_the_preview_saves_its_mapping(qtbot, tmp_path, project, monkeypatch):
    plan = plan_import(ImportRequest((write(tmp_path / "log.csv", lines()),), project, "log"))
    dialog = ImportDialog(plan, "log", set())
    qtbot.addWidget(dialog)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "m.json"), ""))
    dialog._save_mapping()
    assert load_mapping(tmp_path / "m.json").files[0].header == plan.mapping.files[0].header
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "none" / "m.json"), ""))
    dialog._save_mapping()
    assert "does not exist" in dialog.fault.text()


def test_figures_ask_where_to_save_and_tell_when_they_cannot(opened, tmp_path, monkeypatch):
    opened.show_stage("fusion")
    figure = opened._sheets["fusion"].errors.tilt
    for ending in ("png", "svg", "csv"):
        target = tmp_path / f"tilt.{ending}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, t=target, **k: (str(t), ""))
        figure._ask(ending, getattr(figure, f"save_{ending}"))
        assert target.stat().st_size > 500
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "none" / "x.csv"), ""))
    figure._ask("csv", figure.save_csv)
    assert "does not exist" in opened.notice.words.text()


def test_the_window_comes_back_as_it_was(flown, tmp_path, qtbot):
    store = str(tmp_path / "s.ini")
    first = Window(Settings(QSettings(store, QSettings.Format.IniFormat)))
    qtbot.addWidget(first)
    first.session.open(flown)
    first.show_stage("proof")
    first.choose_theme("dark")
    first.close()
    again = Settings(QSettings(store, QSettings.Format.IniFormat))
    assert again.get(LAST_PROJECT) == str(flown) and again.get(STAGE) == "proof" and again.get(THEME) == "dark"
    second = Window(again)
    qtbot.addWidget(second)
    second.session.open(flown)
    assert second.stage == "proof"
    second.close()
    apply_theme("light")


def test_start_screen_lists_projects_that_are_still_there(qtbot, flown, settings, tmp_path):
    from fusus.app.settings import RECENT

    settings.put(RECENT, f"{tmp_path / 'gone'}\n{flown}")
    window = Window(settings)
    qtbot.addWidget(window)
    links = [w for w in window.start.findChildren(QWidget) if w.property("role") == "link"]
    assert [Path(w.text().split()[-1]).name for w in links] == ["Heron"]
    links[0].click()
    assert window.session.project.name == "Heron"
    window.close()


def test_cards_work_by_keyboard(window, qtbot):
    from fusus.app.panels.start import Card

    wanted = []
    window.start.demo_wanted.disconnect()
    window.start.demo_wanted.connect(lambda: wanted.append("demo"))
    card = next(c for c in window.findChildren(Card) if c.property("way") == "demo")
    qtbot.keyClick(card, Qt.Key.Key_Return)
    qtbot.mouseClick(card, Qt.MouseButton.LeftButton)
    assert wanted == ["demo", "demo"]


def test_the_desktops_dark_mode_is_followed(window, monkeypatch):
    from PyQt6.QtGui import QGuiApplication

    class Hints:
        def colorScheme(self):  # noqa: N802  Qt's name
            return Qt.ColorScheme.Dark

    monkeypatch.setattr(QGuiApplication, "styleHints", staticmethod(lambda: Hints()))
    apply_theme("desktop")
    assert theme.tokens().name == "dark"
    apply_theme("light")
    assert theme.tokens().name == "light"


def test_place_can_be_said_and_taken_back(window, tmp_path, qtbot):
    window.openings.new_project(tmp_path / "P", "P")
    button = window.ledger.findChild(QWidget, "add-place")
    button.click()
    assert window.session.project.brief.place is not None and "brief.place.lat_deg" in window.ledger.rows
    window.actions_by_id["undo"].trigger()
    assert window.session.project.brief.place is None and "brief.place.lat_deg" not in window.ledger.rows
    qtbot.waitUntil(lambda: not window.session.jobs.running, timeout=20_000)
