"""Brief, Parts and Drift, driven as a person does."""

import json

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLabel, QMenu, QPushButton

from fusus.app.stages.parts import files
from fusus.app.stages.registry import STAGES
from fusus.app.window.routes import findables
from fusus.project.commands import SetValue
from fusus.project.records import Budgets, Parts

CHOSEN = Parts(imu="Birch 1", barometer="Fen 3", magnetometer="Needle 1", receiver="Tern 3")


@pytest.fixture
def equipped(opened, qtbot):
    """A window whose craft has parts, predicted."""
    opened.session.do(SetValue("parts", CHOSEN, "Choose parts"))
    settled(opened, qtbot)
    return opened


def settled(window, qtbot):
    qtbot.waitUntil(
        lambda: window.session.answers.is_current("parts.prediction") and not window.session.jobs.running,
        timeout=60_000,
    )


def cells(table):
    return [[table.item(r, c).text() for c in range(table.columnCount())] for r in range(table.rowCount())]


def sheet(window, stage, page=None):
    window.show_stage(stage)
    found = window.sheets.currentWidget()
    if page is not None:
        found.findChild(type(found._group.button(0)), f"tab-{page}").click()
        assert found.pages.currentIndex() == found.names.index(page)
    return found


def test_without_parts_the_stages_say_what_to_do_first(opened, qtbot):
    settled(opened, qtbot)
    for stage in ("parts", "drift"):
        opened.show_stage(stage)
        assert opened.notes_panel.notes[0].subject == "No IMU is chosen"
        assert opened.stage_bar.buttons[stage].state.fill == 0.0
    opened.notes_panel.followed.emit("parts.imu")
    assert opened.stage == "parts"
    assert len(cells(sheet(opened, "parts").table)) >= 12, "the catalogue shows before anything is chosen"


def test_the_brief_says_what_it_asks_and_which_sensors_modes_need(opened, qtbot):
    brief = sheet(opened, "brief")
    qtbot.waitUntil(lambda: brief.needs.rowCount() > 8)
    rows = {r[0]: r for r in cells(brief.needs)}
    assert (
        rows["Gyro range"][1] == "at least" and "°/s" in rows["Gyro range"][2] and "vibration" in rows["Gyro range"][3]
    )
    assert any("flat cylinder" in r[2] for r in cells(brief.body))
    before = rows["Gyro range"][2]
    sheet(opened, "brief", "modes")
    matrix = {r[0].removeprefix("● "): r for r in cells(brief.matrix)}
    assert (
        "needed" in matrix["Rate"][1]
        and matrix["Rate"][2] == "–"
        and "needed" in matrix["Position hold"][4]
        and "either" in matrix["Return"][4]
    )
    box = opened.ledger.findChild(QCheckBox, "mode-rate")
    box.click()
    assert "rate" in opened.session.project.brief.modes
    qtbot.waitUntil(lambda: any(r[0] == "● Rate" for r in cells(brief.matrix)))
    sheet(opened, "brief", "needs")
    qtbot.waitUntil(lambda: {r[0]: r for r in cells(brief.needs)}["Gyro range"][2] != before)
    opened.actions_by_id["undo"].trigger()
    assert "rate" not in opened.session.project.brief.modes
    sheet(opened, "brief", "place")
    assert brief.drift.data()[1][0].size > 0


def test_empty_figures_mean_none(opened, qtbot):
    opened.show_stage("brief")
    row = opened.ledger.rows["brief.budgets.price"]
    assert row.edit.text() == "" and row.edit.placeholderText() == "no limit"
    row.edit.setFocus()
    qtbot.keyClicks(row.edit, "45 cr")
    qtbot.keyClick(row.edit, Qt.Key.Key_Return)
    assert opened.session.project.brief.budgets.price == 45.0
    row.edit.selectAll()
    qtbot.keyClick(row.edit, Qt.Key.Key_Delete)
    qtbot.keyClick(row.edit, Qt.Key.Key_Return)
    assert opened.session.project.brief.budgets.price is None and row.edit.placeholderText() == "no limit"


def test_choosing_parts_fills_the_strip_and_the_beads(equipped, qtbot):
    strip = equipped.strip.findChild(QLabel, "strip-tilt-predicted")
    before = strip.text()
    assert before.startswith("●") and "datasheets" in strip.toolTip()
    assert equipped.stage_bar.buttons["parts"].state.headline == "44 cr"
    assert "in reach" in equipped.stage_bar.buttons["drift"].state.headline
    equipped.session.do(SetValue("parts.imu", "Dogwood 1", "x"))
    assert equipped.stage_bar.buttons["parts"].state.stale, "the notch shows until the new prediction is there"
    settled(equipped, qtbot)
    assert equipped.strip.findChild(QLabel, "strip-tilt-predicted").text() != before


def test_ledger_offers_parts_and_the_boards_own_magnetometer(equipped, qtbot):
    equipped.show_stage("parts")
    box = equipped.ledger.rows["parts.magnetometer"].box
    assert all("on board" not in box.itemText(i) for i in range(box.count()))
    equipped.session.do(SetValue("parts.imu", "Birch 9", "x"))
    box = equipped.ledger.rows["parts.magnetometer"].box
    at = next(i for i in range(box.count()) if "on board" in box.itemText(i))
    box.setCurrentIndex(at)
    box.activated.emit(at)
    assert equipped.session.project.parts.magnetometer == "Birch 9"
    settled(equipped, qtbot)
    assert equipped.session.prediction.study.choice.magnetometer is equipped.session.prediction.study.choice.imu


def test_catalogue_choose_copy_edit_and_take_off(equipped, qtbot):
    parts = sheet(equipped, "parts", "catalogue")
    names = [r[0] for r in cells(parts.table)]
    parts.table.selectRow(names.index("Cedar 1"))
    assert parts.datasheet.title.text() == "IMU Cedar 1" and parts.datasheet.checks.rowCount() > 8
    parts.datasheet.rename.setText("Mine")
    parts.datasheet.findChild(QPushButton, "copy-part").click()
    assert [p.name for p in equipped.session.project.parts.own] == ["Mine"]
    settled(equipped, qtbot)
    names = [r[0].removesuffix(" (own)") for r in cells(parts.table)]
    parts.table.selectRow(names.index("Mine"))
    fields = parts.datasheet.fields
    row = [r[0] for r in cells(fields)].index("Gyro noise density")
    fields.item(row, 1).setText("9 mdps/√Hz")
    assert equipped.session.project.parts.own[0].figures["gyro_noise"] == pytest.approx(np.radians(9e-3))
    settled(equipped, qtbot)
    fields.item(row, 1).setText("nine")
    assert "cannot be read" in parts.datasheet.fault.text() and fields.item(row, 1).text() == "9 mdeg/s/√Hz"
    fields.item(row, 1).setText("")
    settled(equipped, qtbot)
    assert "gyro_noise" not in equipped.session.project.parts.own[0].figures
    assert cells(parts.datasheet.fields)[row][2] == "assumed" and cells(parts.datasheet.fields)[row][1].startswith("(")
    parts.findChild(QPushButton, "choose-part").click()
    assert equipped.session.project.parts.imu == "Mine"
    settled(equipped, qtbot)
    assert any("gaps" in n.subject for n in equipped.notes_panel.notes)
    parts.datasheet.findChild(QPushButton, "remove-part").click()
    assert equipped.session.project.parts.own == () and equipped.session.project.parts.imu is None
    for _ in range(2):
        equipped.actions_by_id["undo"].trigger()
    assert equipped.session.project.parts.imu == "Mine"


def test_a_copy_wants_a_name(equipped):
    parts = sheet(equipped, "parts", "catalogue")
    parts.datasheet.findChild(QPushButton, "copy-part").click()
    assert "name" in parts.datasheet.fault.text() and not equipped.session.project.parts.own


@pytest.mark.slow
def test_ranking_suites_and_taking_one(equipped, qtbot):
    parts = sheet(equipped, "parts", "suites")
    assert "seconds" in parts.rank_words.text()
    parts.findChild(QPushButton, "rank").click()
    qtbot.waitUntil(lambda: equipped.session.ranking is not None and not equipped.session.jobs.running, timeout=120_000)
    assert "2952 combinations" in parts.rank_words.text() and parts.front.rowCount() > 10
    names, columns = parts.chart.data()
    assert names[0] == "price_cr" and len(columns[0]) == 2952 and columns[2].sum() == parts.front.rowCount()
    scores = [float(r[0]) for r in cells(parts.front)]
    assert scores == sorted(scores, reverse=True), "along the front more money buys less error"
    parts.chart.picked.emit(int(parts.chart._front[2]))
    assert parts.front.currentRow() == 2
    parts.findChild(QPushButton, "take-suite").click()
    assert equipped.session.project.parts.imu == parts._suites[2].choice.imu.part.name
    equipped.session.do(SetValue("brief.mission.wind_m_s", 9.0, "x"))
    settled(equipped, qtbot)
    sheet(equipped, "parts", "suites")
    assert "rank again" in parts.rank_words.text()


def test_a_ranking_can_be_cancelled(equipped, qtbot):
    equipped.session.rank()
    qtbot.waitUntil(lambda: any(j.title == "Ranking suites" for j in equipped.session.jobs.running))
    equipped.session.jobs.cancel()
    qtbot.waitUntil(lambda: not equipped.session.jobs.running, timeout=30_000)
    assert equipped.session.ranking is None


def test_registers_and_schools(equipped):
    parts = sheet(equipped, "parts", "registers")
    assert (
        any(r[1].startswith("±2000") and r[2] == "16.384" for r in cells(parts.register_table))
        and parts.raw.rowCount() == 15
    )
    parts = sheet(equipped, "parts", "schools")
    questions = [r[0] for r in cells(parts.school_table)]
    assert "Heading from" in questions and "Filter the gyro" in questions


def test_files_of_parts_in_and_out(equipped, tmp_path, qtbot):
    good = {"parts": [{"kind": "barometer", "name": "Mine", "figures": {"noise": "0.5 Pa", "price": 2}}]}
    (tmp_path / "good.json").write_text(json.dumps(good))
    files.import_parts(equipped.session, equipped, tmp_path / "good.json")
    assert equipped.session.project.parts.own[0].name == "Mine" and "1 parts" in equipped.notice.words.text()
    (tmp_path / "bad.json").write_text("{")
    files.import_parts(equipped.session, equipped, tmp_path / "bad.json")
    assert "no JSON" in equipped.notice.words.text()
    settled(equipped, qtbot)
    files.export_parts(equipped.session, equipped, tmp_path / "all.json")
    files.save_shopping(equipped.session, equipped, tmp_path / "s.csv")
    files.save_wiring(equipped.session, equipped, tmp_path / "w.csv")
    assert "Mine" in (tmp_path / "all.json").read_text() and "Tern 3" in (tmp_path / "s.csv").read_text()
    assert "0x76" in (tmp_path / "w.csv").read_text()
    files.save_wiring(equipped.session, equipped, tmp_path / "none" / "w.csv")
    assert "none" in equipped.notice.words.text()


def test_budget_bars_add_up_name_their_sources_and_lead_to_them(equipped, qtbot):
    drift = sheet(equipped, "drift", "budget")
    bars = drift.budget.bars
    assert len(bars.bars) == len(equipped.session.project.brief.requirements)
    for _, _, _, pieces in bars.bars:
        assert sum(share for _, share in pieces) == pytest.approx(1.0, abs=1e-9)
    bars.grab()
    box, name, words = next(b for b in bars._boxes if b[1] == "magnetometer calibration")
    assert "%" in words and bars.piece_at(box.center().x(), box.center().y())[0] == name
    QTest.mouseClick(bars, Qt.MouseButton.LeftButton, pos=QPoint(int(box.center().x()), int(box.center().y())))
    assert equipped.stage == "parts", "a piece leads to the part that causes it"
    assert drift.gains.rowCount() > 10 and cells(drift.gains)[0][1].endswith("%")
    names, columns = drift.budget.data()
    assert names[0] == "error_over_limit" and len(columns[0]) == len(bars.bars)


def test_errors_along_the_mission_at_rest_and_allan_curves(equipped, tmp_path):
    drift = sheet(equipped, "drift", "mission")
    assert len(cells(drift.values)) == len(equipped.session.project.brief.requirements)
    for i in range(drift.quantity.count()):
        drift.quantity.setCurrentIndex(i)
        drift.quantity.activated.emit(i)
        names, columns = drift.mission.data()
        assert names[1] == drift.quantity.currentText().lower() and np.all(columns[1] >= 0) and "claimed" in names
    drift.mission.save_csv(tmp_path / "m.csv")
    drift.mission.point_at(50.0)
    assert "50" in drift.mission.reading.text() and (tmp_path / "m.csv").read_text().startswith("x,velocity")
    sheet(equipped, "drift", "rest")
    assert "Dead reckoning: within 3.00 m for" in drift.reckoning.title.text()
    sheet(equipped, "drift", "allan")
    names, columns = drift.allan_gyro.data()
    assert "total" in names and min(columns[names.index("total")]) > 0
    sheet(equipped, "drift", "facts")
    assert any("Earth" in r[0] for r in cells(drift.facts))
    drift.allan_acc.save_svg(tmp_path / "a.svg")
    assert (tmp_path / "a.svg").stat().st_size > 1000


def test_units_are_offered_at_a_click(equipped, qtbot):
    equipped.show_stage("drift")
    row = equipped.ledger.rows["brief.mission.vibration_acc_m_s2"]
    row.units.click()
    menu = row.units.findChild(QMenu)
    assert [a.text() for a in menu.actions()][:2] == ["m/s²", "g"]
    next(a for a in menu.actions() if a.text() == "g").trigger()
    menu.close()
    assert row.units.text() == "g" and float(row.edit.text()) == pytest.approx(1.5 / 9.80665, rel=1e-3)
    assert equipped.session.project.brief.mission.vibration_acc_m_s2 == 1.5, "the figure stays"


def test_surroundings_are_rows_of_drift_too(equipped, qtbot):
    equipped.show_stage("drift")
    assert {"brief.mission.warming_k", "drift.averaging_s", "parts.fitting.foam"} <= set(equipped.ledger.rows)
    before = equipped.session.prediction.reckoning.holds_s
    equipped.session.do(SetValue("drift.limit_m", 30.0, "x"))
    settled(equipped, qtbot)
    assert equipped.session.prediction.reckoning.holds_s > before


def test_findings_name_the_weakest_source_and_lead_on(equipped, qtbot):
    equipped.session.do(SetValue("brief.requirements.2.limit", 0.05, "x"))
    settled(equipped, qtbot)
    equipped.show_stage("drift")
    worst = equipped.notes_panel.notes[0]
    assert worst.severity == "stop" and worst.subject.startswith("Height") and "%" in worst.statement
    assert equipped.strip.findChild(QLabel, "strip-height-predicted").text().startswith("■")
    equipped.notes_panel.followed.emit(worst.link)
    assert equipped.stage == "parts"


def test_dark_theme_and_a_moved_mouse_draw_everything_again(equipped, qtbot):
    for stage in ("brief", "parts", "drift"):
        found = sheet(equipped, stage)
        for page in found.names:
            found.show_page(page)
    equipped.choose_theme("dark")
    drift = sheet(equipped, "drift", "rest")
    centre = drift.fan.plot.mapToScene(QPoint(200, 80))
    drift.fan.plot.scene().sigMouseMoved.emit(QPointF(centre))
    assert drift.fan.reading.text()
    equipped.choose_theme("light")


def test_parts_are_found_by_name_and_budgets_are_watched(equipped, qtbot):
    found = next(f for f in findables(equipped) if f.what == "part" and f.words == "Barometer Mere 2")
    found.go()
    assert equipped.stage == "parts" and equipped.sheets.currentWidget().datasheet.name == "Mere 2"
    budgets = Budgets(price=20.0, mass_kg=0.001, current_a=0.001, bus_share=0.001)
    equipped.session.do(SetValue("brief.budgets", budgets, "x"))
    settled(equipped, qtbot)
    subjects = {n.subject for n in equipped.notes_panel.notes}
    assert {f"Over the {b} budget" for b in ("price", "mass", "current")} <= subjects
    assert "Over the budget of bus time" in subjects


def test_stages_stand_in_the_order_of_work():
    assert [s.name for s in STAGES] == ["brief", "parts", "drift", "bench", "fusion", "loops", "proof", "kit"]
