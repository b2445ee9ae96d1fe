"""Fusion's pages in the window: every quantity, consistency, sensors out, faults, schools, tunings."""

import pytest

from fusus.app.stages.fusion.quantities import QUANTITIES
from fusus.project.commands import SetValue


@pytest.fixture
def fusion(opened, qtbot):
    """The window at Fusion with the navigation EKF judged."""
    opened.desk.do(SetValue("fusion.estimators", ("navigation-ekf", "altitude", "mahony"), "Judge"))
    opened.show_stage("fusion")
    qtbot.waitUntil(
        lambda: (
            opened.desk.study_is_current
            and opened.desk.study.curves[0].title == "Navigation EKF"
            and not opened.desk.jobs.running
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
    window.desk.fusing.ask(question)
    qtbot.waitUntil(lambda: window.desk.fusing.is_current(question) and not window.desk.jobs.running, timeout=180_000)


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
    assert rows[0][0].endswith("(judged)") and rows[0][4].endswith(" m") and rows[2][4] == "–"


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
    fusion.desk.do(SetValue("fusion.use_barometer", False, "No barometer"))
    sheet.questions["schools"].draw()
    assert "ask again" in sheet.questions["schools"].note.text()


def test_a_tuning_by_the_flight_is_offered_not_taken(fusion, qtbot):
    before = fusion.desk.project.fusion.navigation_ekf
    ask(fusion, "likelihood", qtbot)
    assert fusion.desk.project.fusion.navigation_ekf == before
    from fusus.app.routes import follow
    from fusus.app.stages.fusion.notes import notes

    assert any(n.link == "take.likelihood" for n in notes(fusion.desk))
    follow(fusion, "take.likelihood")
    assert fusion.desk.project.fusion.navigation_ekf != before
    assert fusion.desk.project.evidence("fusion.navigation_ekf.gnss_horizontal_m").source == "flight"
    fusion.desk.step(back=True)
    assert fusion.desk.project.fusion.navigation_ekf == before


def test_tuning_by_parts_without_parts_says_what_is_missing(fusion, qtbot):
    with qtbot.waitSignal(fusion.desk.noticed) as told:
        fusion.desk.tune_by_parts()
    assert "choose an IMU" in told.args[1]
    ask(fusion, "survey", qtbot)
    from fusus.app.stages.fusion.notes import notes

    assert any(n.subject == "Survey of the flight" for n in notes(fusion.desk))
