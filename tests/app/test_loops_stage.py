"""The stage Loops in the window: edits are worked out at once, what does not fit is said, what cannot be is refused in words."""

import pytest
from PyQt6.QtWidgets import QLineEdit

from fusus.app.stages.loops.notes import notes
from fusus.project.commands import SetValue


@pytest.fixture
def loops(opened, qtbot):
    opened.show_stage("loops")
    wait(opened, qtbot)
    return opened


def wait(window, qtbot):
    qtbot.waitUntil(
        lambda: window.session.answers.is_current("loops.study") and not window.session.jobs.running, timeout=60_000
    )


def words(table):
    return [[table.item(r, c).text() for c in range(table.columnCount())] for r in range(table.rowCount())]


def edit(window, qtbot, path, value):
    assert window.session.do(SetValue(path, value, "Try")) is None
    window.session.recompute()
    wait(window, qtbot)
    return window.sheets.currentWidget()


def test_pages_show_cycle_margins_and_motors(loops):
    sheet = loops.sheets.currentWidget()
    assert sheet.cycle.timeline.title.text().startswith("The longest cycle")
    tasks = words(sheet.cycle.tasks)
    assert tasks[0][:2] == ["read IMU", "390"] and tasks[-1][0] == "together"
    starts, ends = sheet.cycle.timeline.data()[1]
    assert (ends >= starts).all() and words(sheet.cycle.latency)[-1][0] == "from sample to thrust"
    sheet.show_page("margins")
    assert [r[0] for r in words(sheet.margins.axes)] == ["roll", "pitch", "yaw"]
    assert len(sheet.margins.step.data()[1][0]) > 100 and len(sheet.margins.phase.data()[1][0]) == 600
    assert "Hz" in sheet.margins.gain.read(5.0) and "PID" not in sheet.cycle.timeline.read(1e6)
    sheet.show_page("spread")
    assert words(sheet.bears.spread)[0][0] == "as drawn" and "°" in words(sheet.bears.spread)[0][1]
    sheet.show_page("motors")
    assert len(words(sheet.motors.motors)) == 4 and {r[3] for r in words(sheet.motors.motors)} == {
        "clockwise",
        "counter-clockwise",
    }
    sheet.restyle()
    assert loops.stage_bar.buttons["loops"].state.headline.startswith("margin")


def test_the_pulse_is_drawn_as_long_as_it_is_counted(loops):
    """The signal carries the command, not the share of thrust: 1640 µs where the share is 0.41."""
    from fusus.app.figures.loops import cycle_of

    study = loops.session.loop_study
    rows, _, _ = cycle_of(study)
    drawn = next(end - begin for name, begin, end, _ in rows if name == "motor pulse")
    counted = next(s for name, s in study.timing.latency if name == "the pulse itself")
    assert drawn == pytest.approx(counted * 1e6)
    assert drawn == pytest.approx(1000.0 * (1.0 + study.timing.throttle**0.5), rel=0.02)


def test_the_failsafes_are_told_and_flown(loops, qtbot):
    from PyQt6.QtCore import Qt

    sheet = loops.sheets.currentWidget()
    page = sheet.failsafes
    sheet.show_page("failsafes")
    assert page.rules.rowCount() >= 15 and page.flown.rowCount() == 0
    assert "sinks level" in page.rules.item(0, 3).text()
    edit(loops, qtbot, "loops.failsafe.radio", "return")
    assert "comes home" in page.rules.item(0, 3).text()
    page.flights.setValue(2)
    qtbot.mouseClick(page.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.flown.rowCount() == 5, timeout=120_000)
    assert all(page.flown.item(r, 1).text() == "2 of 2" for r in range(5)), [
        page.flown.item(r, 1).text() for r in range(5)
    ]
    edit(loops, qtbot, "loops.failsafe.radio", "land")
    assert "fly again" in page.note.text()


def test_a_message_too_long_is_named_and_shortened_again(loops, qtbot):
    sheet = edit(loops, qtbot, "loops.telemetry_s", 1.9e-3)
    assert "does not fit" in sheet.cycle.timeline.title.text()
    told = notes(loops.session)
    assert told[0].subject == "The loop does not fit" and "telemetry" in told[0].reason
    assert loops.stage_bar.buttons["loops"].state.headline == "does not fit"
    loops.session.step(True)
    loops.session.recompute()
    wait(loops, qtbot)
    assert notes(loops.session)[0].severity == "fine"


def test_what_ifs_move_the_cycle(loops, qtbot):
    def reading():
        return float(words(loops.sheets.currentWidget().cycle.tasks)[0][1])

    assert reading() == 390.0
    edit(loops, qtbot, "loops.bus", "SPI")
    edit(loops, qtbot, "loops.bus_hz", 8e6)
    assert reading() == 15.0
    sheet = edit(loops, qtbot, "loops.reads_block", False)
    assert words(sheet.cycle.tasks)[0][0] == "read IMU (bus)"
    sheet = edit(loops, qtbot, "loops.pulse_by_software", True)
    assert "waits for the next pulse" in [r[0] for r in words(sheet.cycle.latency)]
    sheet = edit(loops, qtbot, "loops.notch_hz", 80.0)
    sheet.show_page("margins")
    assert "notch" in sheet.margins.axes.item(0, 0).toolTip()


def test_the_accelerometers_low_pass_is_set_and_taken_away(loops, qtbot):
    edit(loops, qtbot, "loops.acc_lowpass_hz", 40.0)
    assert loops.session.project.loops.acc_lowpass_hz == 40.0
    row = loops.findChild(QLineEdit, "edit-loops.acc_lowpass_hz")
    assert row is not None and row.text() == "40"
    loops.session.step(True)
    assert loops.session.project.loops.acc_lowpass_hz is None and row.text() == ""
    # What ran over the recording has read it: without the filter it is another estimate.
    assert loops.session.fusion is not None and not loops.session.fusion_is_current


def test_a_craft_that_cannot_be_is_refused_in_words(loops, qtbot):
    edit(loops, qtbot, "brief.craft.mass_kg", 9.0)
    assert any(n.subject == "It does not lift off" and n.severity == "stop" for n in notes(loops.session))
    loops.session.answers.belong_to(loops.session.document)
    assert notes(loops.session) == () and loops.sheets.currentWidget().session.loop_study is None
    loops.run_stage()
    wait(loops, qtbot)
    assert loops.session.loop_study is not None


def test_ladders_are_played_rung_by_rung(loops, qtbot):
    sheet = loops.sheets.currentWidget()
    sheet.show_page("ladder")
    qtbot.waitUntil(lambda: loops.session.answers.is_current("loops.steps", "roll", "D first"), timeout=60_000)
    steps = words(sheet.ladder.steps)
    assert steps[0][0] == "begin with little P" and len(steps) > 4
    sheet.ladder.steps.selectRow(0)
    assert sheet.ladder.rung_step.title.text() == "Step: begin with little P"
    sheet.ladder.ladder.setCurrentText("rate mode first")
    sheet.ladder.axis.setCurrentText("yaw")
    sheet.ladder.ladder.activated.emit(1)
    qtbot.waitUntil(lambda: loops.session.answers.is_current("loops.steps", "yaw", "rate mode first"), timeout=60_000)
    assert any("relay" in r[0] for r in words(sheet.ladder.steps)) and "nothing spins" in sheet.ladder.about.text()
