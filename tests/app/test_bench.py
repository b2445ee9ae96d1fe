"""The Bench stage in a real window: guided captures with the stand-in's process, calibrations, Allan, due, book."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QPushButton
from tests.app.conftest import answered

from fusus.app.captures import capture_name
from fusus.app.figures.facenet import FaceNet
from fusus.core.calibration.poses import FACES
from fusus.core.guidance.status import Status
from fusus.demo.bench import add_bench
from fusus.demo.build import DAY, PLACE, demo_project
from fusus.devices.capture import Health
from fusus.logs.info import load_info
from fusus.project import book, store
from fusus.project.commands import SetValue


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    folder = tmp_path_factory.mktemp("bench") / "craft"
    store.create(folder, demo_project())
    add_bench(folder, DAY, PLACE)
    return folder


@pytest.fixture
def bench(window, made, tmp_path, qtbot):
    """The window at Bench, on a copy of a project with captures of the stand-in."""
    import shutil

    folder = tmp_path / "copy"
    shutil.copytree(made, folder)
    window.session.open(folder)
    window.show_stage("bench")
    qtbot.waitUntil(lambda: not window.session.jobs.running, timeout=60_000)
    return window


def sheet_of(window):
    return window.sheets.currentWidget()


def button(window, name) -> QPushButton:
    found = window.findChild(QPushButton, name)
    assert found is not None, name
    return found


def test_a_guided_capture_from_the_stand_in_to_a_calibration_in_force(bench, qtbot):
    sheet = sheet_of(bench)
    bench.session.captures.speed = 12.0
    before = len(bench.session.project.bench.calibrations)
    sheet.capture.choose("six-face")
    assert "Propellers off" in sheet.capture.caution.text()
    qtbot.mouseClick(button(bench, "capture-begin"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sheet.capture.bar.value() > 0, timeout=30_000)
    for command in sheet.capture.guide.stand_in:
        face = FACES.index(command.removeprefix("face "))
        qtbot.mouseClick(button(bench, f"act-{command}"), Qt.MouseButton.LeftButton)
        qtbot.waitUntil(
            lambda k=face: sheet.capture.view.net.held[k] >= 1 or not bench.session.captures.is_running, timeout=20_000
        )
    with answered(qtbot, bench, "bench.fit"):
        qtbot.waitUntil(lambda: not bench.session.captures.is_running, timeout=20_000)
    assert "pass" in sheet.capture.verdict.text()
    assert "200 Hz" in sheet.capture.health.text()
    qtbot.mouseClick(button(bench, "capture-use"), Qt.MouseButton.LeftButton)
    assert len(bench.session.project.bench.calibrations) == before + 1
    assert bench.session.project.bench.in_force()["six-face"].recording == "six-face"
    info = load_info(bench.session.document.folder, "six-face")
    assert info.kind == "six-face"
    assert any(e["what"] == "capture" for e in book.entries(bench.session.document.folder))
    bench.session.step(True)
    assert bench.session.project.bench.in_force()["six-face"].recording == "bench-faces"


def test_a_powered_capture_asks_for_its_cautions(bench):
    sheet = sheet_of(bench)
    sheet.capture.choose("vibration")
    assert not button(bench, "capture-begin").isEnabled()
    sheet.capture.read.setChecked(True)
    assert button(bench, "capture-begin").isEnabled()
    sheet.capture.choose("still")
    assert button(bench, "capture-begin").isEnabled()
    assert not sheet.capture.read.isVisibleTo(sheet.capture)


def test_a_capture_is_thrown_away_and_a_wrong_link_is_told(bench, qtbot):
    sheet = sheet_of(bench)
    told = []
    bench.session.noticed.connect(lambda _, text: told.append(text))
    bench.session.do(SetValue("bench.link", "serial:/dev/nothing-there", "x"))
    qtbot.mouseClick(button(bench, "capture-begin"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: any("nothing-there" in t for t in told), timeout=10_000)
    bench.session.do(SetValue("bench.link", "udp:47811", "x"))
    qtbot.waitUntil(lambda: not bench.session.captures.is_running, timeout=5_000)
    qtbot.mouseClick(button(bench, "capture-begin"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bench.session.captures.is_running, timeout=5_000)
    qtbot.wait(50)
    qtbot.mouseClick(button(bench, "capture-discard"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not bench.session.captures.is_running, timeout=10_000)
    assert not (bench.session.document.folder / "recordings" / "still").exists()
    assert sheet.capture.begin.isEnabled()


@pytest.mark.parametrize(
    ("kind", "shown"),
    [
        ("airflow", "pair"),
        ("mounting", "mounting"),
        ("magnetometer", "turns"),
        ("six-face", "net"),
        ("gyro-bias", "history"),
    ],
)
def test_each_calibration_shows_its_figure(bench, qtbot, kind, shown):
    sheet = sheet_of(bench)
    sheet.show_page("calibrations")
    row = [c.kind for c in sheet._shown].index(kind)
    with answered(qtbot, bench, "bench.fit", lambda found: found[0].kind == kind):
        sheet.table.clearSelection()
        sheet.table.selectRow(row)
    assert sheet.view.stack.currentWidget() is getattr(sheet.view, shown)


def test_withdrawing_is_one_step_that_can_be_undone(bench, qtbot):
    sheet = sheet_of(bench)
    sheet.show_page("calibrations")
    sheet.table.selectRow([c.kind for c in sheet._shown].index("mounting"))
    qtbot.mouseClick(button(bench, "withdraw"), Qt.MouseButton.LeftButton)
    assert "mounting" not in bench.session.project.bench.in_force()
    assert any(n.subject.startswith("The board's mounting") for n in notes(bench))
    bench.session.step(True)
    assert "mounting" in bench.session.project.bench.in_force()


def notes(window):
    from fusus.app.stages.bench.notes import notes as of

    return of(window.session)


def test_measured_noise_reaches_model_and_strip(bench, qtbot):
    sheet = sheet_of(bench)
    sheet.show_page("allan")
    with answered(qtbot, bench, "bench.allan"):
        qtbot.mouseClick(button(bench, "allan-run"), Qt.MouseButton.LeftButton)
    assert "datasheet" in sheet.judged.text()
    assert "°/√h" in sheet.allan_gyro.title.text()
    qtbot.mouseClick(button(bench, "allan-use"), Qt.MouseButton.LeftButton)
    assert {m.field for m in bench.session.project.bench.measured} >= {"gyro_noise", "acc_noise"}
    qtbot.waitUntil(
        lambda: bench.session.answers.is_current("parts.prediction") and not bench.session.jobs.running, timeout=60_000
    )
    assert bench.session.prediction.study.by_datasheet is not None
    value = bench.findChild(QLabel, "strip-height-bench")
    assert value is not None
    assert value.text() != "–"


def test_the_book_takes_events_and_what_is_due_follows(bench, qtbot):
    sheet = sheet_of(bench)
    sheet.show_page("book")
    rows = sheet.book.entries.rowCount()
    sheet.book.kind_of_event.setCurrentText("knock")
    qtbot.keyClicks(sheet.book.words, "fell off the bench")
    qtbot.keyClicks(sheet.book.details["temperature_degc"], "21,5")
    qtbot.keyClicks(sheet.book.details["place"], "shed")
    with answered(qtbot, bench, "bench.due"):
        qtbot.mouseClick(button(bench, "book-write"), Qt.MouseButton.LeftButton)
    assert sheet.book.entries.rowCount() == rows + 1
    assert sheet.book.entries.item(0, 1).text() == "knock"
    last = book.entries(bench.session.document.folder)[-1]
    assert (last["note"], last["temperature_degc"], last["place"]) == ("fell off the bench", 21.5, "shed")
    assert any(d.kind == "mounting" and d.is_due and "knock" in d.why for d in bench.session.due)
    sheet.show_page("due")
    assert sheet.due.item(0, 1).text() == "◆ due"


def test_flights_are_written_sought_saved_and_taken_in(bench, qtbot, tmp_path, monkeypatch):
    sheet = sheet_of(bench)
    sheet.show_page("book")
    page = sheet.book
    assert not page.details["minutes"].isVisibleTo(page), "a knock has no minutes"
    page.kind_of_event.setCurrentText("flight")
    for name, text in (("minutes", "12,5"), ("charge_mah", "2.4 Ah"), ("stop_voltage_v", "14.1"), ("weather", "calm")):
        page.details[name].setText(text)
    page.words.setText("circles")
    with answered(qtbot, bench, "bench.due"):
        qtbot.mouseClick(button(bench, "book-write"), Qt.MouseButton.LeftButton)
    last = book.entries(bench.session.document.folder)[-1]
    assert (last["minutes"], last["charge_mah"], last["weather"]) == (12.5, pytest.approx(2400.0), "calm")
    assert "usually 12.5 min, 11.5 A" in page.flown.text()
    page.details["minutes"].setText("long")
    qtbot.mouseClick(button(bench, "book-write"), Qt.MouseButton.LeftButton)
    assert book.entries(bench.session.document.folder)[-1] == last, "what is no number is not written"
    page.seek.setText("circles calm")
    assert page.entries.rowCount() == 1
    out = tmp_path / "book.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(out), "Table (*.csv)"))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(out), ""))
    qtbot.mouseClick(button(bench, "book-save"), Qt.MouseButton.LeftButton)
    assert "circles" in out.read_text()
    out.write_text("at,what,note\n2026-05-01,flight,an old one\n")
    qtbot.mouseClick(button(bench, "book-take"), Qt.MouseButton.LeftButton)
    page.seek.setText("an old one")
    assert page.entries.rowCount() == 1


def test_the_face_net_tells_held_next_and_residuals(qtbot):
    net = FaceNet()
    qtbot.addWidget(net)
    net.resize(480, 360)
    net.show_held([1, 0.5, 0, 0, 0, 0], list(FACES[1:]))
    assert [net._words(i) for i in range(3)] == ["held", "50%", "–"]
    net.show_residuals([0, 1, None], [21.0, -5.0, 0.0], [0.02, -0.01, 0.0])
    assert net._words(0).startswith("+21.0 mg")
    assert not net.grab().isNull()


def test_names_of_captures_stay_free(tmp_path):
    (tmp_path / "recordings" / "still").mkdir(parents=True)
    assert capture_name(tmp_path, "still") == "still 2"


def test_notes_and_finder_lead_to_the_capture(bench):
    bench.show_stage("brief")
    bench.follow("capture.rotate")
    assert bench.stage == "bench"
    assert sheet_of(bench).capture.guide.name == "rotate"
    links = [n.link for n in notes(bench)]
    assert all(link.startswith(("capture.", "bench.", "drift")) for link in links)
    from fusus.app.window.routes import findables

    assert any(f.what == "capture" and f.words == "Six faces" for f in findables(bench))


def test_an_interrupted_capture_is_recovered_when_the_project_opens(window, made, tmp_path, qtbot):
    import json
    import shutil

    from fusus.logs.lines import encode, encode_header
    from fusus.logs.snippet import USUAL

    folder = tmp_path / "copy"
    shutil.copytree(made, folder)
    left = folder / "recordings" / ".capturing-lost-999999999"
    left.mkdir()
    (left / "about.json").write_text(json.dumps({"name": "lost", "kind": "still", "when": "2026-11-01T10:00:00+00:00"}))
    lines = b"".join(encode("imu", i * 5000, ["0.1"] * 7) for i in range(200))
    (left / "lines.txt").write_bytes(encode_header("imu", list(USUAL["imu"])) + lines)
    window.session.open(folder)
    qtbot.waitUntil(lambda: (folder / "recordings" / "lost" / "recording.json").exists(), timeout=20_000)
    qtbot.waitUntil(lambda: not window.session.jobs.running, timeout=60_000)
    assert not left.exists()
    assert load_info(folder, "lost").streams["imu"].rows == 200


def test_everything_that_can_happen_to_the_stand_in_is_a_command(bench, qtbot):
    from fusus.core.guidance.guides import HANDS
    from fusus.devices.standin import obey
    from fusus.study.bench.standin import standin_board

    board = standin_board(bench.session.project, 1)
    for command in HANDS:
        obey(board, command)
    page = sheet_of(bench).capture
    told = []
    bench.session.captures.command = told.append
    page.more.setEnabled(True)
    page.more.setCurrentIndex(1 + HANDS.index("fault unplug"))
    page.more.activated.emit(page.more.currentIndex())
    assert told == ["fault unplug"]
    assert page.more.currentIndex() == 0


def test_history_of_any_kind_is_a_click_away(bench, qtbot):
    sheet = sheet_of(bench)
    sheet.show_page("calibrations")
    for kind, shown in (("six-face", "history"), ("magnetometer", "history"), ("airflow", "empty")):
        with answered(qtbot, bench, "bench.fit", lambda found, k=kind: found[0].kind == k):
            sheet.table.clearSelection()
            sheet.table.selectRow([c.kind for c in sheet._shown].index(kind))
        qtbot.mouseClick(button(bench, "history"), Qt.MouseButton.LeftButton)
        assert sheet.view.stack.currentWidget() is getattr(sheet.view, shown), kind


def test_the_menu_writes_c_for_the_board_and_asks_for_logs(bench, tmp_path, monkeypatch):
    from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

    told = []
    bench.session.noticed.connect(lambda severity, text: told.append((severity, text)))
    path = tmp_path / "lines.c"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("imu, mag", True))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    bench.actions_by_id["snippet"].trigger()
    assert "void print_mag(uint32_t t_us" in path.read_text(encoding="utf-8")
    assert told[-1][0] == "fine"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("radar", True))
    bench.actions_by_id["snippet"].trigger()
    assert told[-1][0] == "stop"
    parents = []
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda parent, *_: (parents.append(parent) or [], ""))
    bench.actions_by_id["import"].trigger()
    assert isinstance(parents[0], QWidget)


def test_the_boards_own_attitude_is_drawn_while_it_tells_one(bench):
    page = bench.sheets.currentWidget().capture
    assert page.tilt.isHidden()

    def told(seconds, board):
        streams = {"imu": (100, 100.0, 1e-4)}
        health = Health(seconds, 100, 0, 0, 0, 0, True, streams, board)
        bench.session.captures.status_changed.emit(Status(0.5, "Leave it alone"), health)

    told(1.0, None)
    assert page.tilt.isHidden(), "a board that tells none has no figure"
    for k in range(20):
        told(2.0 + 0.2 * k, (0.1 * k, -0.05, 1.0))
    assert not page.tilt.isHidden() and "heading 57°" in page.health.text()
    header, columns = page.tilt.data()
    assert header == ["x", "roll", "pitch"]
    assert columns[1][-1] == pytest.approx(np.degrees(1.9)) and columns[2] == pytest.approx(
        np.full(20, np.degrees(-0.05))
    )
    told(60.0, (0.0, 0.0, 0.0))
    assert len(page.tilt.data()[1][0]) == 1, "only the last half minute is drawn"
    page.choose("six-face")
    assert page.tilt.isHidden()
