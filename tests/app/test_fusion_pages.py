"""Fusion's pages in the window: every quantity, consistency, sensors out, faults, schools, tunings."""

import pytest
from tests.conftest import flown_project

from fusus.app.figures.quantities import QUANTITIES
from fusus.app.ledger.words_row import WordsRow
from fusus.app.stages.fusion.actions import export_estimate, tune_by_parts
from fusus.app.stages.fusion.notes import notes
from fusus.project.commands import SetValue


@pytest.fixture
def fusion(opened, qtbot):
    """The window at Fusion with the navigation EKF judged."""
    opened.session.do(SetValue("fusion.estimators", ("navigation-ekf", "altitude", "mahony"), "Judge"))
    opened.show_stage("fusion")
    qtbot.waitUntil(
        lambda: (
            opened.session.fusion_is_current
            and opened.session.fusion.curves[0].title == "Navigation EKF"
            and not opened.session.jobs.running
        ),
        timeout=120_000,
    )
    return opened


def sheet_of(window):
    return window.sheets.currentWidget()


def ask(window, question, qtbot):
    sheet = sheet_of(window)
    if question in sheet.names:
        sheet.show_page(question)
    window.session.ask_of_recording(f"fusion.{question}")
    qtbot.waitUntil(
        lambda: window.session.answers.is_current(f"fusion.{question}") and not window.session.jobs.running,
        timeout=180_000,
    )


def words(table):
    cells = [[table.item(r, c) for c in range(table.columnCount())] for r in range(table.rowCount())]
    return [[c.text() if c is not None else "" for c in row] for row in cells]


def test_every_quantity_is_drawn_with_its_limit(fusion):
    sheet = sheet_of(fusion)
    for i, q in enumerate(QUANTITIES):
        sheet.errors.show_tab(i)
        names, columns = sheet.errors.shown[q.name].data()
        assert any("Navigation EKF" in n for n in names) and len(columns[0]) > 100, q.name
        assert ("t_s (Mahony)" in names) == (q.unit == "°")
    rows = words(sheet.errors.table)
    assert rows[0][0].endswith("(evaluated)") and rows[0][4].endswith(" m") and rows[2][4] == "–"


def test_consistency_shows_channels_and_parts(fusion):
    sheet = sheet_of(fusion)
    sheet.show_page("consistency")
    page = sheet.consistency
    assert page.channel.count() > 5 and len(page.figure.data()[1][0]) > 50
    assert "speed of the fixes" in [r[0] for r in words(page.channels)]
    assert [r[0] for r in words(page.parts)] == ["position", "velocity", "attitude", "all", "due"]
    page.channel.setCurrentIndex(page.channel.findData("barometer"))
    page.channel.activated.emit(page.channel.currentIndex())
    assert "Barometer" in page.figure.title.text()
    page.restyle()


def test_questions_are_answered_on_their_pages(fusion, qtbot):
    sheet = sheet_of(fusion)
    for question, first in (("ablation", "As it is"), ("schools", "Simple or Kalman")):
        ask(fusion, question, qtbot)
        assert words(sheet.questions[question].table)[0][0] == first
    fusion.session.do(SetValue("fusion.mahony.kp_acc", 0.9, "Tune what neither of them reads"))
    sheet.questions["schools"].draw()
    assert "ask again" not in sheet.questions["schools"].note.text()
    fusion.session.do(SetValue("fusion.navigation_ekf.gate_sigma", 4.5, "Tune"))
    sheet.questions["schools"].draw()
    assert "ask again" in sheet.questions["schools"].note.text()


def test_a_tuning_by_the_flight_is_offered_not_taken(fusion, qtbot):
    before = fusion.session.project.fusion.navigation_ekf
    ask(fusion, "likelihood", qtbot)
    assert fusion.session.project.fusion.navigation_ekf == before
    from fusus.app.stages.fusion.notes import notes
    from fusus.app.window.routes import follow

    assert any(n.link == "take.likelihood" for n in notes(fusion.session))
    follow(fusion, "take.likelihood")
    assert fusion.session.project.fusion.navigation_ekf != before
    assert fusion.session.project.evidence("fusion.navigation_ekf.gnss_horizontal_m").source == "flight"
    fusion.session.step(back=True)
    assert fusion.session.project.fusion.navigation_ekf == before


def test_tuning_by_parts_without_parts_says_what_is_missing(fusion, qtbot):
    with qtbot.waitSignal(fusion.session.noticed) as told:
        tune_by_parts(fusion.session)
    assert "choose an IMU" in told.args[1]
    ask(fusion, "survey", qtbot)
    from fusus.app.stages.fusion.notes import notes

    assert any(n.subject == "Lever arm, delay and mounting" for n in notes(fusion.session))


def done(window, qtbot, timeout=120_000):
    qtbot.waitUntil(lambda: window.session.fusion_is_current and not window.session.jobs.running, timeout=timeout)


def hide_fixes(window, text):
    row = window.findChild(WordsRow)
    row.edit.setText(text)
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    return row


def test_fixes_are_hidden_on_trial_and_nothing_is_judged_by_it(fusion, qtbot):
    before = fusion.session.judgements
    hide_fixes(fusion, "30:8, 55:6")
    assert fusion.session.project.fusion.outages == ((30.0, 8.0), (55.0, 6.0))
    done(fusion, qtbot)
    assert fusion.session.fusion.study.request.outages == ((30.0, 8.0), (55.0, 6.0))
    sheet_of(fusion).errors.show_tab(3)
    told = [n for n in notes(fusion.session) if n.subject.startswith("Fixes hidden")]
    assert [n.subject for n in told] == ["Fixes hidden for 8 s", "Fixes hidden for 6 s"]
    assert "m off" in told[0].statement
    assert [j.verdicts for j in fusion.session.judgements] == [j.verdicts for j in before]
    fusion.session.step(True)
    done(fusion, qtbot)
    assert not any(n.subject.startswith("Fixes hidden") for n in notes(fusion.session))


def test_a_wrong_outage_is_told_in_its_place(fusion):
    row = hide_fixes(fusion, "30-8")
    assert "START:DURATION" in row.fault.text() and fusion.session.project.fusion.outages == ()


def test_flights_are_simulated_and_one_is_kept(fusion, qtbot):
    sheet = sheet_of(fusion)
    sheet.show_page("simulated")
    page = sheet.simulated
    assert page.scenario.count() == 5 and not words(page.table)
    page.scenario.setCurrentIndex(page.scenario.findData("hover"))
    page.flights.setValue(2)
    page.button.click()
    qtbot.waitUntil(
        lambda: fusion.session.answers.is_current("fusion.simulated") and not fusion.session.jobs.running,
        timeout=180_000,
    )
    page = sheet_of(fusion).simulated
    assert "2 flights of “hover” from seed 1" in page.note.text()
    assert words(page.table)[0][0] == "Navigation EKF" and words(page.table)[0][3].endswith(" m")
    assert words(page.claims)[0][1].endswith("%")
    page.keep.click()
    qtbot.waitUntil(lambda: fusion.session.recording().name == "simulated-hover-1", timeout=120_000)
    done(fusion, qtbot)
    assert fusion.session.recording().reference_is == "simulation truth"
    sheet_of(fusion).simulated.keep.click()
    qtbot.waitUntil(lambda: fusion.session.recording().name == "simulated-hover-1-2", timeout=120_000)


@pytest.mark.parametrize("ending", ["csv", "parquet", "geojson", "gpx"])
def test_the_estimate_is_saved_by_its_ending(fusion, qtbot, tmp_path, monkeypatch, ending):
    path = tmp_path / "way"
    monkeypatch.setattr(
        "fusus.app.window.openings.QFileDialog.getSaveFileName", lambda *_: (str(path), f"What it is (*.{ending})")
    )
    fusion.actions_by_id["export"].trigger()
    qtbot.waitUntil(lambda: not fusion.session.jobs.running, timeout=60_000)
    assert path.with_suffix(f".{ending}").stat().st_size > 1000


def test_saving_says_what_is_missing(window, flown, qtbot, tmp_path):
    said = []
    window.session.noticed.connect(lambda how, text: said.append((how, text)))
    window.session.open(flown)
    window.session.do(SetValue("fusion.estimators", ("attitude-ekf",), "Judge an attitude"))
    export_estimate(window.session, tmp_path / "e.csv")
    assert said[-1][0] == "mind" and "no estimate yet" in said[-1][1]
    done(window, qtbot)
    export_estimate(window.session, tmp_path / "e.gpx")  # the judged one gives an attitude only
    qtbot.waitUntil(lambda: said[-1][0] == "stop", timeout=60_000)
    assert "no position" in said[-1][1] and not (tmp_path / "e.gpx").exists()


def test_without_a_reference_curves_are_off_the_smoother(window, streams, tmp_path, qtbot):
    folder = tmp_path / "Heron"
    flown_project(folder, {k: v for k, v in streams.items() if k != "reference"})
    window.session.open(folder)
    window.show_stage("fusion")
    done(window, qtbot)
    sheet = sheet_of(window)
    assert sheet.names[sheet.pages.currentIndex()] == "signals"
    sheet.show_page("errors")
    assert sheet.errors.tilt.title.text() == "Off the smoother over hop"
    assert len(sheet.errors.tilt.data()[1][0]) > 100
    assert "There is no truth to measure against" in [n.subject for n in notes(window.session)]
    assert window.stage_bar.buttons["fusion"].state.headline == "no reference"
    ask(window, "schools", qtbot)
    assert "smoother" in sheet.questions["schools"].note.text()
