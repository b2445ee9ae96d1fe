"""Proof in a real window: verdicts with the deciding stretch, before and after, causes, references, test cards; calendar and pictures."""

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QPushButton
from tests.app.shared_answers import same_place
from tests.conftest import flown_project

from fusus.app.figures.long import Envelope, LongCurve
from fusus.core.judgement.drift_causes import causes as drift
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import book
from fusus.project.records import Fusion


@pytest.fixture(scope="module")
def proof_once(tmp_path_factory, streams):
    """A project with a flight that logged the board's own estimate, and its truth without attitude."""
    folder = tmp_path_factory.mktemp("proof") / "Heron"
    truth = streams["reference"]
    board = {k: v for k, v in truth.items() if k.startswith(("t_ns", "q_"))}
    flown_project(folder, streams | {"board": board}, fusion=Fusion(estimators=("navigation-ekf",)))
    track = {k: v for k, v in truth.items() if k.startswith(("t_ns", "pos_", "vel_"))}
    create_recording(folder, RecordingInfo(name="track", kind="other"), {"reference": track})
    bare = {k: v for k, v in streams.items() if k != "reference"}
    create_recording(folder, RecordingInfo(name="bare", kind="flight"), bare)
    return folder


@pytest.fixture
def proof(window, qtbot, proof_once):
    """A window on such a project."""
    folder = same_place(proof_once, proof_once.parent / "at-work" / "Heron")
    assert window.session.open(folder)
    qtbot.waitUntil(lambda: len(window.session.judgements) == 3 and not window.session.jobs.running, timeout=120_000)
    window.show_stage("proof")
    return window


def sheet_of(window):
    return window.sheets.currentWidget()


def push(window, name):
    button = window.findChild(QPushButton, name)
    assert button.isEnabled(), name
    button.click()


def idle(window, qtbot):
    qtbot.waitUntil(lambda: not window.session.jobs.running, timeout=60_000)


def test_a_cell_leads_to_the_stretch_that_decides_it(proof, qtbot, qtmodeltester):
    page = sheet_of(proof).verdicts
    qtmodeltester.check(page.model)
    heads = [c.subtitle for c in page.model.columns]
    assert "the board's own" in heads and "flight" in heads
    column = page.model.column_of("hop")
    assert "pass" in page.model.index(0, column).data()
    page.table.setCurrentIndex(page.model.index(0, column))
    qtbot.waitUntil(lambda: proof.session.answers.result("proof.stretch") is not None, timeout=60_000)
    idle(proof, qtbot)
    assert "Tilt in hop: pass" in page.reason.text() and "Deciding:" in page.reason.text()
    shown = page.figures["°"]
    assert shown.isVisibleTo(page) and "evaluated estimate over hop" in shown.title.text()
    push(proof, "deciding-near")
    (start, end), _ = shown.item.vb.viewRange()
    d = proof.session.answers.result("proof.stretch")[0].deciding
    assert start < d.start_s < d.end_s < end and end - start < 2 * (d.end_s - d.start_s)
    push(proof, "deciding-whole")
    assert shown.item.vb.viewRange()[0][1] > 80
    own = page.model.column_of("hop", "board")
    page.table.setCurrentIndex(page.model.index(0, own))
    qtbot.waitUntil(lambda: proof.session.answers.result("proof.stretch")[0].source == "board", timeout=60_000)
    assert float(np.abs(proof.session.answers.result("proof.stretch")[0].errors).max()) < 1e-6, (
        "the board was given the truth"
    )
    page.table.doubleClicked.emit(page.model.index(0, column))
    assert proof.stage == "fusion"


def test_flights_are_pooled_once_two_are_measured(proof, qtbot):
    page = sheet_of(proof).verdicts
    proof.session.ask("proof.pooled")
    idle(proof, qtbot)
    assert "pooling needs two" in proof.notice.words.text(), "bare and track hold no attitude to measure"
    assert proof.session.answers.result("proof.pooled") is None and not any(
        c.title == "all flights" for c in page.model.columns
    )


def test_a_reference_is_declared_read_back_and_taken_off(proof, qtbot):
    sheet = sheet_of(proof)
    sheet.show_page("references")
    page = sheet.references
    page.recording.setCurrentText("bare")
    idle(proof, qtbot)
    assert "holds no reference" in page.result.text()
    page.kind.setCurrentIndex(page.kind.findData("track"))
    page.other.setCurrentText("track")
    page.sigmas["position"].setText("0,05")
    push(proof, "reference-declare")
    idle(proof, qtbot)
    made = proof.session.project.proof.declared("bare")
    assert made.kind == "track" and made.other == "track" and made.sigmas == {"position": 0.05}
    qtbot.waitUntil(
        lambda: any(j.recording == "bare" and j.reference for j in proof.session.judgements), timeout=60_000
    )
    assert "velocity" in page.result.text() and page.declared.rowCount() == 1
    push(proof, "reference-align")
    idle(proof, qtbot)
    assert abs(proof.session.project.proof.declared("bare").clock_offset_s) < 0.05
    page.kind.setCurrentIndex(page.kind.findData("jig"))
    page.points.setPlainText("1:3 roll 3")
    push(proof, "reference-declare")
    assert "needs “pitch”" in proof.notice.words.text() and proof.session.project.proof.declared("bare").kind == "track"
    proof.session.step(back=True)
    push(proof, "reference-remove")
    assert proof.session.project.proof.declared("bare") is None


def test_causes_are_listed_with_the_sign_of_the_chosen_one(proof, qtbot):
    sheet = sheet_of(proof)
    sheet.show_page("causes")
    page = sheet.causes
    page.recording.setCurrentText("hop")
    page.span.setText("soon")
    push(proof, "find-causes")
    assert "from:to in seconds" in proof.notice.words.text()
    page.span.setText("14:40")
    push(proof, "find-causes")
    qtbot.waitUntil(lambda: proof.session.answers.result("proof.causes") is not None, timeout=60_000)
    idle(proof, qtbot)
    assert page.table.rowCount() == len(drift.CAUSES) + 1 and "14 to 40 s" in page.note.text()
    for row in range(len(drift.CAUSES)):
        page.table.selectRow(row)
        title = page.table.item(row, 0).text()
        assert title in page.advice.text() and page.sign.title.text().startswith(title)
    assert "follow the local rules" in page.advice.text() and "propellers off" in page.advice.text()


def test_cards_are_noted_in_the_book_and_tick_requirements(proof, qtbot):
    sheet = sheet_of(proof)
    sheet.show_page("cards")
    page = sheet.cards
    qtbot.waitUntil(lambda: page.table.rowCount() > 5, timeout=60_000)
    assert "Propellers off" in page.text.text() and page.table.item(0, 2).text() == "to do"
    row = next(r for r in range(page.table.rowCount()) if page.table.item(r, 1).text() == "first hover")
    page.table.selectRow(row)
    assert "Break off" in page.text.text()
    page.recording.setCurrentText("hop")
    qtbot.keyClicks(page.words, "steady")
    push(proof, "card-pass")
    qtbot.waitUntil(lambda: page.table.item(row, 2).text() == "passed", timeout=60_000)
    assert "Tilt ●" in page.text.text() and "steady" in page.text.text()
    last = book.entries(proof.session.document.folder)[-1]
    assert (last["what"], last["card"], last["recording"]) == ("test card", "first hover", "hop")


def test_a_difference_is_shown_on_its_page(proof, qtbot):
    sheet = sheet_of(proof)
    sheet.show_page("compare")
    page = sheet.compare
    page.before.setCurrentText("hop")
    page.after.setCurrentText("hop")
    push(proof, "compare-recordings")
    qtbot.waitUntil(lambda: page.changes.rowCount() > 1, timeout=60_000)
    words = {page.changes.item(r, 4).text() for r in range(page.changes.rowCount())}
    assert words <= {"no real difference", "cannot be told"}


def test_the_calendar_page_lists_and_notes(proof, qtbot):
    proof.show_stage("bench")
    sheet = sheet_of(proof)
    sheet.show_page("preflight")
    page = sheet.preflight
    qtbot.waitUntil(lambda: len(page.boxes) > 5, timeout=60_000)
    assert "Calibrations" in page.boxes[0].text() and page.calendar.rowCount() >= 1
    assert not page.note.isEnabled(), "nobody has looked yet"
    for box in page.boxes:
        box.setChecked(True)
    push(proof, "preflight-note")
    assert book.entries(proof.session.document.folder)[-1]["what"] == "preflight"


def test_pictures_show_below_their_entry(proof, qtbot, tmp_path):
    picture = tmp_path / "arm.png"
    Image.fromarray(np.full((40, 60, 3), 90, dtype=np.uint8)).save(picture)
    proof.show_stage("bench")
    sheet = sheet_of(proof)
    sheet.show_page("book")
    page = sheet.book
    page.kind_of_event.setCurrentText("new firmware")
    assert page.details["firmware"].isVisibleTo(page) and not page.details["minutes"].isVisibleTo(page)
    qtbot.keyClicks(page.details["firmware"], "0.4.2")
    page.attached = [picture]
    qtbot.mouseClick(proof.findChild(QPushButton, "book-write"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not page.attached, timeout=20_000)
    entry = book.entries(proof.session.document.folder)[-1]
    assert entry["firmware"] == "0.4.2" and len(entry["pictures"]) == 1 and not page.attached
    page.entries.selectRow(0)
    qtbot.waitUntil(lambda: not page.picture.isHidden(), timeout=20_000)
    assert page.picture.pixmap().width() <= 560 and not proof.findChild(QLabel, "book-picture").pixmap().isNull()
    page.attached = [tmp_path / "none.png"]
    qtbot.mouseClick(proof.findChild(QPushButton, "book-write"), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "cannot be read" in proof.notice.words.text(), timeout=20_000)
    assert page.attached, "what was not written is still there to be mended"


def test_the_book_is_seen_by_part_and_by_kind(proof):
    folder = proof.session.document.folder
    book.add_event(folder, "repair", "resoldered", part="imu")
    book.add_event(folder, "flight", "round the mast", minutes=9)
    book.add_event(folder, "knock", "fell")
    proof.show_stage("bench")
    sheet_of(proof).show_page("book")
    page = sheet_of(proof).book

    def shown(view):
        page.view.setCurrentText(view)
        page.draw()
        return [page.entries.item(r, 1).text() for r in range(page.entries.rowCount())]

    assert shown("flights") == ["flight"] and "9 min in all" in page.flown.text()
    assert shown("IMU") == ["knock", "repair"] and shown("receiver") == ["knock"]
    assert set(shown("all")) >= {"knock", "repair", "flight"}


def test_a_sign_that_is_drawn_can_be_saved_as_data(proof, tmp_path):
    sign = sheet_of(proof).causes.sign
    sign.show_lines(np.arange(3.0), (("roll", np.array([1.0, 4.0, 9.0])),), "m")
    sign.save_csv(tmp_path / "sign.csv")
    assert (tmp_path / "sign.csv").read_text().split() == ["x,roll", "0,1", "1,4", "2,9"]
    assert sign.read(1.0) == "t 1.0 s   roll 4.00"


def test_an_envelope_misses_no_peak_and_stays_small():
    rng = np.random.default_rng(0)
    x = np.arange(300_007) / 100
    y = rng.normal(0, 1, len(x))
    y[222_222], y[1_000:2_000] = 50.0, np.nan
    found = Envelope(x, y)
    assert found.bounds(0) == (0.0, x[-1]) and found.bounds(1) == (np.nanmin(y), 50.0)
    for start, end in ((0.0, x[-1]), (2000.0, 2500.0), (2222.0, 2223.0)):
        at, values, is_envelope = found.cut(start, end, 1400)
        inside = (x >= start) & (x <= end)
        assert len(at) < 4096 and np.all(np.diff(at) >= 0) and at[0] <= start + 0.01
        assert np.nanmax(values) >= np.nanmax(y[inside]) and np.nanmin(values) <= np.nanmin(y[inside])
        assert is_envelope == (inside.sum() > 1500)
    assert Envelope(np.zeros(0), np.zeros(0)).bounds(0) == (None, None)


def test_two_hours_at_a_kilohertz_are_drawn_by_few_points(proof):
    page = sheet_of(proof).causes
    t = np.arange(7_200_000) / 1000
    page.sign.show_lines(t, (("all", np.sin(t)),), "m")
    (curve,) = [i for i in page.sign.item.items if isinstance(i, LongCurve)]
    page.sign.item.setXRange(0, 7200)
    assert len(curve.getData()[0]) < 6000
    page.sign.item.setXRange(10, 11)
    x, y = curve.getData()
    assert 900 < len(x) < 1100 and y == pytest.approx(np.sin(x)), "near to, every sample is drawn"
