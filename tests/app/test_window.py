"""The window, driven as a person does."""

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QRadioButton,
    QWidget,
)
from tests.logs.tables import lines, write

from fusus.app.ledger.rows import FigureRow
from fusus.app.panels.finder import Finder
from fusus.app.panels.start import Card
from fusus.app.stages.registry import STAGES
from fusus.app.window.actions import ACTIONS
from fusus.app.window.routes import findables
from fusus.project import store
from fusus.project.document import Document


def edit(window, path) -> QLineEdit:
    """Return the field of a row."""
    return window.ledger.rows[path].edit


def type_in(qtbot, field, text):
    """Type into a field and press Return."""
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)


def test_first_start_shows_three_ways_in(window):
    cards = window.findChildren(Card)
    assert [c.property("way") for c in cards] == ["demo", "new", "log"] and window.pages.currentWidget() is window.start
    assert not window.actions_by_id["undo"].isEnabled() and window.actions_by_id["new"].isEnabled()


def test_a_new_craft_opens_at_its_brief(window, tmp_path):
    assert window.openings.new_project(tmp_path / "Ruff", "Ruff")
    assert window.stage == "brief" and window.stage_bar.craft.text() == "Ruff" and "Ruff" in window.windowTitle()
    assert not window.openings.new_project(tmp_path / "Ruff", "Ruff") and "already" in window.notice.words.text()
    assert any("place" in n.subject.lower() for n in window.notes_panel.notes)


def test_last_project_is_remembered(window, flown, settings):
    window.session.open(flown)
    assert window.session.recent()[0] == str(flown)


def test_opening_rubbish_keeps_the_window(window, tmp_path):
    assert not window.session.open(tmp_path)
    assert "no Fusus project" in window.notice.words.text() and window.notice.isVisible()


def test_beads_are_the_navigation(opened, qtbot):
    for stage in STAGES:
        qtbot.mouseClick(opened.stage_bar.buttons[stage.name], Qt.MouseButton.LeftButton)
        assert opened.stage == stage.name and opened.stage_bar.buttons[stage.name].isChecked()
    qtbot.keyClick(opened, "1", Qt.KeyboardModifier.ControlModifier)
    assert opened.stage == "brief"
    assert (
        opened.stage_bar.buttons["fusion"].state.headline.startswith("tilt")
        and opened.stage_bar.buttons["fusion"].state.fill == 1.0
    )


def test_typing_edits_the_document_with_any_unit(opened, qtbot):
    opened.show_stage("brief")
    type_in(qtbot, edit(opened, "brief.craft.mass_kg"), "850 g")
    assert opened.session.project.brief.craft.mass_kg == pytest.approx(0.85)
    assert edit(opened, "brief.craft.mass_kg").text() == "850"
    type_in(qtbot, edit(opened, "brief.requirements.0.limit"), "1,5")
    assert np.degrees(opened.session.project.brief.requirements[0].limit) == pytest.approx(1.5)
    assert "Tilt ≤ 1.5°" in [w.text() for w in opened.strip.findChildren(QLabel)]


def test_wrong_input_is_marked_and_the_last_good_value_kept(opened, qtbot):
    opened.show_stage("brief")
    row = opened.ledger.rows["brief.craft.mass_kg"]
    for text, message in (("heavy", "write a number"), ("3 apples", "no unit"), ("-2", "mass_kg")):
        type_in(qtbot, row.edit, text)
        assert message in row.fault.text() and row.fault.isVisible() and row.edit.text() == "1"
    type_in(qtbot, row.edit, "2")
    assert not row.fault.isVisible() and opened.session.project.brief.craft.mass_kg == 2.0


def test_document_changes_reach_the_view_without_a_new_command(opened):
    from fusus.project.commands import SetValue

    opened.show_stage("brief")
    opened.session.do(SetValue("brief.craft.arm_m", 0.31, "Set arm"))
    assert edit(opened, "brief.craft.arm_m").text() == "0.31" and opened.session.document.undo_label == "Set arm"
    opened.actions_by_id["undo"].trigger()
    assert edit(opened, "brief.craft.arm_m").text() == "0.2" and opened.session.document.undo_label is None
    opened.actions_by_id["redo"].trigger()
    assert edit(opened, "brief.craft.arm_m").text() == "0.31"


def test_a_destroyed_row_is_forgotten(opened, qtbot):
    from fusus.app.ledger.rows import FigureSpec
    from fusus.project.commands import SetValue

    row = FigureRow(opened.session, FigureSpec("brief.craft.arm_m", "Arm", "length", "m"))
    with qtbot.waitSignal(row.destroyed):
        row.deleteLater()
    opened.session.do(SetValue("brief.craft.arm_m", 0.4, "Set arm"))


def test_units_change_the_view_alone(opened):
    opened.show_stage("brief")
    row = opened.ledger.rows["brief.craft.arm_m"]
    row.show_unit("mm")
    assert row.edit.text() == "200" and opened.session.document.undo_label is None
    assert opened.settings.unit_of("brief.craft.arm_m", "m") == "mm"


def test_evidence_is_said_at_the_mark(opened):
    opened.show_stage("brief")
    mark = opened.ledger.rows["brief.craft.mass_kg"].mark
    assert mark.evidence.source == "assumed"
    mark.click()
    menu = mark.findChild(QMenu)
    next(a for a in menu.actions() if a.text().startswith("B")).trigger()
    menu.close()
    assert opened.session.project.evidence("brief.craft.mass_kg").source == "bench" and mark.evidence.mark == "B"
    assert "Bench" in mark.toolTip()


def test_requirements_come_and_go(opened, qtbot):
    opened.show_stage("brief")
    count = len(opened.session.project.brief.requirements)
    button = opened.ledger.findChild(QWidget, "add-requirement")
    button.menu().actions()[0].trigger()
    assert (
        len(opened.session.project.brief.requirements) == count + 1
        and f"brief.requirements.{count}.limit" in opened.ledger.rows
    )
    box = opened.ledger.findChildren(QComboBox, "statistic-tilt")[0]
    box.activated.emit(2)
    assert opened.session.project.brief.requirements[0].statistic == "max"
    opened.actions_by_id["undo"].trigger()
    opened.actions_by_id["undo"].trigger()
    assert len(opened.session.project.brief.requirements) == count


def test_fusion_shows_errors_band_and_findings(opened, qtbot):
    opened.show_stage("fusion")
    sheet = opened._sheets["fusion"]
    names, columns = sheet.errors.tilt.data()
    assert names[0].startswith("t_s") and len(columns[0]) > 500 and any("sigma" in n for n in names)
    assert sheet.errors.table.rowCount() == 2 and "evaluated" in sheet.errors.table.item(0, 0).text()
    assert opened.notes_panel.notes and opened.notes_panel.notes[0].severity in ("stop", "mind", "fine")
    qtbot.waitUntil(lambda: bool(sheet.errors.rose.reading.text()))  # the small figures follow in slices
    sheet.errors.tilt.moved.emit(30.0)
    assert "30 s" in sheet.errors.rose.reading.text()
    sheet.errors.show_tab(1)
    assert len(sheet.errors.heading.data()[1][0]) > 500


def test_picking_estimators_runs_them(opened, qtbot):
    opened.show_stage("fusion")
    before = opened.session.fusion
    opened.ledger.findChild(QCheckBox, "run-mahony").click()
    assert opened.session.project.fusion.estimators[-1] == "mahony"
    assert opened.stage_bar.buttons["fusion"].state.stale, "the notch shows until the new result is there"
    qtbot.waitUntil(lambda: opened.session.fusion is not before and opened.session.fusion_is_current, timeout=30_000)
    assert opened._sheets["fusion"].errors.table.rowCount() == 3
    opened.ledger.findChild(QRadioButton, "judged-mahony").click()
    assert opened.session.project.fusion.estimators[0] == "mahony" and "fusion.mahony.ki" in opened.ledger.rows
    qtbot.waitUntil(
        lambda: opened.session.fusion_is_current and opened.session.fusion.curves[0].title == "Mahony", timeout=30_000
    )


def test_the_last_estimator_stays(opened):
    opened.show_stage("fusion")
    for name in ("navigation-ekf", "attitude-ekf"):
        opened.ledger.findChild(QCheckBox, f"run-{name}").click()
    assert len(opened.session.project.fusion.estimators) == 1


def test_a_tight_limit_fails_everywhere(opened, qtbot):
    opened.show_stage("brief")
    type_in(qtbot, edit(opened, "brief.requirements.0.limit"), "0.01")
    qtbot.waitUntil(
        lambda: any("Tilt fails" in n.subject for s in STAGES if s.name == "proof" for n in s.notes(opened.session)),
        timeout=30_000,
    )
    opened.show_stage("proof")
    assert opened.notes_panel.notes[0].severity == "stop"
    shown = opened.strip.findChild(QLabel, "strip-tilt-flight")
    assert shown.text().startswith("■")


def test_help_explains_the_row_and_goes_away(opened, qtbot):
    opened.show_stage("brief")
    opened.explain()
    assert "Click into a row" in opened.notice.words.text()
    opened.ledger.row_focused.emit("brief.craft.mass_kg")
    opened.actions_by_id["help"].trigger()
    assert opened.notes_panel.help_shown.title == "Mass"
    opened.notes_panel.show_help(None)
    assert opened.notes_panel.help_shown is None


def test_every_row_has_help_and_a_name(opened):
    from fusus.app.ledger.help import help_for

    for stage in STAGES:
        opened.show_stage(stage.name)
        for estimator in ("complementary", "mahony", "madgwick", "attitude-ekf") if stage.name == "fusion" else ("",):
            if estimator:
                from fusus.project.commands import SetValue

                opened.session.do(SetValue("fusion.estimators", (estimator,), "Pick"))
            for path, row in opened.ledger.rows.items():
                assert help_for(path) is not None, path
                assert row.label_text


def test_find_anything(opened, qtbot):
    finder = Finder(findables(opened), opened)
    qtbot.addWidget(finder)
    qtbot.keyClicks(finder.edit, "tilt 2")
    assert finder.list.count() == 1 and "requirement" in finder.list.item(0).text()
    finder.edit.clear()
    qtbot.keyClicks(finder.edit, "hop")
    qtbot.keyClick(finder.edit, Qt.Key.Key_Return)
    assert opened.stage == "fusion" and opened.session.project.fusion.recording == "hop"
    finder.edit.setText("gyro noise")
    qtbot.keyClick(finder.edit, Qt.Key.Key_Down)
    finder._go()
    assert opened.stage == "fusion"


def test_no_shortcut_twice_and_menus_hold_all_actions(window):
    keys = [s.shortcut for s in ACTIONS if s.shortcut] + [f"Ctrl+{i}" for i in range(1, len(STAGES) + 1)]
    assert len(keys) == len(set(keys)) and len({s.id for s in ACTIONS}) == len(ACTIONS)
    in_menus = [a.objectName() for m in window.menuBar().actions() for a in m.menu().actions()]
    assert {f"action-{s.id}" for s in ACTIONS} <= set(in_menus)


@pytest.mark.parametrize("action", ["shortcuts", "cautions", "about"])
def test_messages(window, qtbot, action):
    from PyQt6.QtCore import QTimer

    seen = []

    def look():
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        seen.append(box.text())
        box.accept()

    QTimer.singleShot(50, look)
    window.actions_by_id[action].trigger()
    assert (
        seen
        and {"shortcuts": "Ctrl+K", "cautions": "Propellers off", "about": "General Public License"}[action] in seen[0]
    )


def test_a_dropped_log_is_looked_at_and_imported(opened, qtbot, tmp_path):
    from PyQt6.QtCore import QTimer

    from fusus.app.importing.dialog import ImportDialog

    rows = lines()
    rows[300] = rows[300].replace(rows[300].split(",")[2], "oops", 1)
    path = write(tmp_path / "shed.csv", rows)
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path))])
    none = Qt.KeyboardModifier.NoModifier
    opened.dropEvent(QDropEvent(QPointF(5, 5), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))

    def accept():
        dialog = QApplication.activeModalWidget()
        if not isinstance(dialog, ImportDialog):
            QTimer.singleShot(50, accept)
            return
        assert dialog.name.text() == "shed" and len(dialog.strips[0]) == 6
        dialog.name.setText("a/b")
        dialog._accept()
        assert "without slashes" in dialog.fault.text()
        dialog.name.setText("hop")
        dialog._accept()
        assert "already" in dialog.fault.text()
        dialog.name.setText("bench")
        dialog.kind.setCurrentText("still")
        dialog._accept()

    QTimer.singleShot(50, accept)
    qtbot.waitUntil(lambda: "bench" in [r.name for r in opened.session.recordings()], timeout=20_000)
    info = next(r for r in opened.session.recordings() if r.name == "bench")
    assert info.kind == "still" and info.problems[0].line == 301
    qtbot.waitUntil(lambda: "defect" in opened.notice.words.text(), timeout=5000)
    assert opened.session.project.fusion.recording == "bench"


def test_an_unreadable_drop_is_told(opened, qtbot, tmp_path):
    path = tmp_path / "empty.csv"
    path.write_text("")
    opened.openings.take_files([path])
    qtbot.waitUntil(lambda: "empty" in opened.notice.words.text(), timeout=10_000)


def test_a_second_window_reads_only(window, flown):
    holder = Document.open(flown)
    window.session.open(flown)
    assert "read-only" in window.windowTitle() and "another Fusus" in window.notice.words.text()
    assert "another Fusus" in (
        window.session.do(__import__("fusus.project.commands", fromlist=["SetValue"]).SetValue("name", "X", "Rename"))
        or ""
    )
    holder.close()


def test_everything_is_saved_already(opened, qtbot, flown):
    opened.show_stage("brief")
    type_in(qtbot, edit(opened, "brief.about"), "counts seals")
    opened.close()
    assert store.load(flown).brief.about == "counts seals"


def test_dark_theme_reaches_the_figures(opened):
    from fusus.app import theme

    opened.show_stage("fusion")
    opened.choose_theme("dark")
    assert theme.tokens().name == "dark"
    sheet = opened._sheets["fusion"]
    assert sheet.errors.tilt.plot.backgroundBrush().color().name() == theme.DARK.sheet.lower()
    opened.choose_theme("light")


def test_start_imports_no_heavy_library():
    """numba, SciPy and polars cost seconds: they wait for the first job."""
    code = (
        "import sys; from fusus.app.__main__ import make_application; app = make_application(['x']); "
        "from fusus.app.window.window import Window; from fusus.app.settings import Settings; w = Window(Settings()); w.show(); "
        "print([m for m in ('numba', 'scipy', 'polars', 'pyarrow') if m in sys.modules])"
    )
    out = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=Path(__file__).parents[2]
    )
    assert out.stdout.strip() == "[]"
