"""Loops' pages of flights: flown, kept, looked into; gains and an own geometry written by hand."""

import pytest

from fusus.app.ledger.words_row import WordsRow
from fusus.app.stages.loops.notes import notes
from fusus.project.commands import SetValue


def wait(window, qtbot):
    qtbot.waitUntil(
        lambda: window.session.answers.is_current("loops.study") and not window.session.jobs.running, timeout=120_000
    )


@pytest.fixture
def loops(opened, qtbot):
    opened.show_stage("loops")
    wait(opened, qtbot)
    opened.session.do(SetValue("fusion.estimators", ("navigation-ekf",), "Choose"))
    return opened


def words(table):
    return [[table.item(r, c).text() for c in range(table.columnCount())] for r in range(table.rowCount())]


def test_a_scenario_is_flown_kept_and_looked_into(loops, qtbot):
    sheet = loops.sheets.currentWidget()
    sheet.show_page("flight")
    page = sheet.flight
    assert "Nothing spins" in page.note.text() and page.table.rowCount() == 0
    page.scenario.setCurrentText("take-off")
    page.flights.setValue(3)
    page.button.click()
    qtbot.waitUntil(lambda: loops.session.answers.is_current("loops.flights"), timeout=120_000)
    wait(loops, qtbot)
    rows = words(page.table)
    assert [r[0] for r in rows] == [
        "median of all",
        "95 % stay within",
        "seed 1: landed",
        "seed 2: landed",
        "seed 3: landed",
    ]
    assert "3 landed" in page.note.text() and len(page.track.data()[0]) == 4
    for view in ("height", "tilt", "roll rate", "motors", "battery"):
        page.view.setCurrentText(view)
        page.view.activated.emit(0)
        assert len(page.happening.data()[0]) >= 2, view
    assert any(n.subject == "It flies" for n in notes(loops.session))

    page.scenario.setCurrentText("sweep")
    page.keep.click()
    qtbot.waitUntil(lambda: any(r.name == "flown-sweep-1" for r in loops.session.recordings()), timeout=120_000)
    wait(loops, qtbot)
    sheet.show_page("flown")
    sheet.flown.draw(None)
    assert "stir the sticks" in sheet.flown.note.text()
    sheet.flown.recording.setCurrentText("flown-sweep-1")
    sheet.flown.button.click()
    qtbot.waitUntil(lambda: loops.session.answers.is_current("loops.identified"), timeout=120_000)
    wait(loops, qtbot)
    rows = words(sheet.flown.table)
    assert [r[0] for r in rows] == ["roll", "pitch", "yaw"] and "±" in rows[0][1]
    assert "loops a second" in sheet.flown.note.text() and "Hz" in sheet.flown.gain.read(5.0)
    sheet.flown.view.setCurrentText("coherence")
    sheet.flown.view.activated.emit(1)
    assert sheet.flown.coherence.isVisibleTo(sheet.flown) and not sheet.flown.noise.isVisibleTo(sheet.flown)
    assert len(sheet.flown.coherence.data()[0]) == 4 and "Hz" in sheet.flown.coherence.read(2.0)
    sheet.show_page("motors")
    assert "rad/s²" in sheet.motors.authority.text() and "thrust-to-weight" in sheet.motors.authority.text()
    sheet.restyle()

    loops.session.do(SetValue("loops.tilt_rad", 0.4, "Try"))
    sheet.show_page("flight")
    page.draw(None)
    assert "fly again" in page.note.text() and not any(n.subject == "It flies" for n in notes(loops.session))


def test_gains_are_written_by_hand_or_refused_in_place(loops, qtbot):
    row = next(r for r in loops.ledger.findChildren(WordsRow) if r.path == "loops.roll")
    row.edit.setText("0.2 0.6 0.01")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert loops.session.project.loops.roll == (0.2, 0.6, 0.01)
    row.edit.setText("0.2 x")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert loops.session.project.loops.roll == (0.2, 0.6, 0.01), "the last good value is kept"
    row.edit.setText("")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert loops.session.project.loops.roll is None


def test_an_own_geometry_is_written_in_the_brief(loops, qtbot):
    loops.show_stage("brief")
    row = next(r for r in loops.ledger.findChildren(WordsRow) if r.path == "brief.craft.motors")
    row.edit.setText("0.2 0.1 ccw; -0.1 0.2 cw; -0.2 -0.1 ccw; 0.1 -0.2 cw")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    motors = loops.session.project.brief.craft.motors
    assert len(motors) == 4 and motors[1].is_clockwise and motors[2].forward_m == -0.2
    row.edit.setText("0.2 0.1")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert loops.session.project.brief.craft.motors == motors
