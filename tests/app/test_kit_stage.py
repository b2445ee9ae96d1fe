"""Kit's stage, and own code in Proof, through the real window."""

import json

import numpy as np
import pytest
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QPushButton
from tests.conftest import flown_project

from fusus.app.stages.kit.contents_page import ABOUT
from fusus.app.stages.kit.table_pages import short_value
from fusus.app.stages.proof.actions import own_case
from fusus.app.stages.proof.verdict_table import VERDICT
from fusus.app.stages.registry import STAGES
from fusus.project.commands import SetValue
from fusus.project.records import Fusion

KIT = next(s for s in STAGES if s.name == "kit")


@pytest.fixture
def opened(window, tmp_path, streams, qtbot):
    folder = tmp_path / "Heron"
    flown_project(folder, streams, fusion=Fusion(estimators=("complementary",)))
    assert window.session.open(folder)
    qtbot.waitUntil(lambda: bool(window.session.judgements) and not window.session.jobs.running, timeout=60_000)
    window.show_stage("kit")
    qtbot.waitUntil(lambda: window.session.answers.result("kit.contents") is not None, timeout=60_000)
    return window


def sheet(window):
    return window.sheets.currentWidget()


def press(window, name):
    window.findChild(QPushButton, name).click()


def wait(qtbot, window, question):
    qtbot.waitUntil(lambda: window.session.answers.result(question) is not None, timeout=90_000)


def test_the_files_can_be_read(opened):
    page = sheet(opened).contents
    assert set(page.files) == set(ABOUT)
    names = [page.table.item(r, 0).text() for r in range(page.table.rowCount())]
    page.table.selectRow(names.index("estimator_constants.h"))
    assert "KIT_PARAMETERS" in page.text.toPlainText() and page.text.isReadOnly()
    page.table.selectRow(names.index("estimator.c"))
    assert "complementary_advance" in page.text.toPlainText()
    assert page.text.verticalScrollBar().value() > 0, "begins where functions do"


def test_constants_are_listed_with_what_they_rest_on(opened):
    sheet(opened).show_page("constants")
    table = sheet(opened).constants.table
    rows = {table.item(r, 0).text(): [table.item(r, c).text() for c in (1, 2)] for r in range(table.rowCount())}
    assert rows["PARAMETERS.tau_acc_s"] == ["2", "assumed"]
    assert rows["CASCADE.mass_kg"][1] == "assumed" and "low-pass" in rows["GYRO_SECTIONS"][1]


def test_it_is_exported_proved_and_grows_old(opened, qtbot, tmp_path, monkeypatch):
    assert opened.stage_bar.buttons["kit"].state.headline == "not exported"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "board"))
    press(opened, "export-kit")
    qtbot.waitUntil(lambda: opened.session.project.kit.exported is not None, timeout=30_000)
    listed = json.loads((tmp_path / "board" / "kit.json").read_text())
    assert listed["estimator"] == "complementary" and opened.stage_bar.buttons["kit"].state.fill == 0.5
    sheet(opened).show_page("equality")
    press(opened, "prove-kit")
    wait(qtbot, opened, "kit.equality")
    table = sheet(opened).equality.table
    assert {table.item(r, 6).text() for r in range(table.rowCount())} == {"equal"}
    assert opened.stage_bar.buttons["kit"].state.fill == 1.0 and not opened.stage_bar.buttons["kit"].state.stale
    assert any(n.subject == "The C is equal" for n in KIT.notes(opened.session))
    # Upstream changes: the button gets its notch, the note says what to do.
    opened.session.do(SetValue("loops.gyro_lowpass_hz", 60.0, "x"))
    assert opened.stage_bar.buttons["kit"].state.stale
    note = next(n for n in KIT.notes(opened.session) if "changed since" in n.subject)
    opened.follow(note.link)
    assert sheet(opened).pages.currentWidget() is sheet(opened).contents
    opened.session.step(back=True)
    assert not opened.stage_bar.buttons["kit"].state.stale


def test_the_ledger_chooses_what_is_in_it(opened, qtbot):
    row = opened.ledger.rows["kit.estimator"]
    assert row.box.itemText(0) == "Fusion: Complementary"
    row.box.setCurrentIndex(row.box.findData("mahony"))
    row.box.activated.emit(row.box.currentIndex())
    qtbot.waitUntil(lambda: opened.session.answers.is_current("kit.contents"), timeout=60_000)
    assert opened.session.answers.result("kit.contents")[0].info.name == "mahony"
    assert "mahony_advance" in sheet(opened).contents.files["estimator.c"]


def test_the_board_sends_what_the_ledger_says(opened, qtbot):
    row = opened.ledger.rows["kit.streams"]
    row.edit.setText("imu gnss")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert opened.session.project.kit.streams == ("imu", "gnss")
    qtbot.waitUntil(lambda: opened.session.answers.is_current("kit.contents"), timeout=60_000)
    text = sheet(opened).contents.files["telemetry.c"]
    assert "print_gnss" in text and "print_board" in text and "print_mag" not in text
    row.edit.setText("imu radar")
    row.edit.setModified(True)
    row.edit.editingFinished.emit()
    assert opened.session.project.kit.streams == ("imu", "gnss"), "what is none is refused in place"


def test_costs_are_counted_and_put_into_loops(opened, qtbot):
    sheet(opened).show_page("cost")
    press(opened, "count-kit")
    wait(qtbot, opened, "kit.cost")
    page = sheet(opened).cost
    assert int(page.table.item(0, 1).text()) > 50 and page.table.item(0, 4).text().endswith("µs")
    assert "factor of 1.5" in page.words.text()
    before = opened.session.project.loops.estimator_s
    press(opened, "kit-into-loops")
    assert opened.session.project.loops.estimator_s != before
    assert opened.session.project.evidence("loops.estimator_s").source == "bench"
    opened.session.step(back=True)
    assert opened.session.project.loops.estimator_s == before


OWN = """
#include "own_estimator.h"
static double q[4];
void own_init(const own_start *s) { for (int i = 0; i < 4; i++) q[i] = s->attitude[i]; }
void own_step(const own_sample *s, own_estimate *e)
{
    double r[3];
    for (int i = 0; i < 3; i++) r[i] = 0.5 * s->gyro_rad_s[i] * s->interval_s;
    const double w = q[0], x = q[1], y = q[2], z = q[3];
    const double p[4] = { w - x * r[0] - y * r[1] - z * r[2], x + w * r[0] + y * r[2] - z * r[1], y + w * r[1] - x * r[2] + z * r[0],
        z + w * r[2] + x * r[1] - y * r[0] };
    const double n = 1.5 - 0.5 * (p[0] * p[0] + p[1] * p[1] + p[2] * p[2] + p[3] * p[3]);
    for (int i = 0; i < 4; i++) e->attitude[i] = q[i] = p[i] * n;
}
"""


def answer(monkeypatch, accept):
    """Answer the question whether own code may run."""
    asked = []

    def run(box):
        asked.append(box.text())
        role = QMessageBox.ButtonRole.AcceptRole if accept else QMessageBox.ButtonRole.RejectRole
        next(b for b in box.buttons() if box.buttonRole(b) == role).click()
        return 0

    monkeypatch.setattr(QMessageBox, "exec", run)
    return asked


def test_own_code_is_run_when_allowed_and_overlaid(opened, qtbot, tmp_path, monkeypatch):
    sources = tmp_path / "own"
    sources.mkdir()
    (sources / "own.c").write_text(OWN)
    opened.show_stage("proof")
    sheet(opened).show_page("own")
    page = sheet(opened).own
    assert not page.run.isEnabled()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(sources))
    press(opened, "choose-own")
    assert page.run.isEnabled() and opened.session.project.kit.own == str(sources)
    asked = answer(monkeypatch, accept=False)
    press(opened, "run-own")
    assert len(asked) == 1 and str(sources) in asked[0] and not opened.session.jobs.running, "refused: nothing runs"
    answer(monkeypatch, accept=True)
    press(opened, "run-own")
    wait(qtbot, opened, "kit.own")
    assert "it is not subtracted" in page.words.text()
    words = {page.table.item(r, 5).text() for r in range(page.table.rowCount())}
    assert "fail" in words
    names = [name for name, _ in page.figure._lines]
    assert names == ["your code", "Complementary"] and len(page.figure._x) > 100
    page.quantity.setCurrentIndex(1)
    page.quantity.activated.emit(1)
    assert page.figure._labels[1] == "heading error [°]"
    # In the great table it stands beside Fusus' own, and a cell leads to the stretch that decides it.
    sheet(opened).show_page("verdicts")
    verdicts = sheet(opened).verdicts
    verdicts.draw()
    titles = [(c.title, c.subtitle) for c in verdicts.model.columns]
    assert ("hop", "own code") in titles and ("simulated mission, seed 1", "own code") in titles
    column = titles.index(("hop", "own code"))
    keys = [r.key for r in opened.session.project.brief.requirements]
    index = verdicts.model.index(keys.index("tilt"), column)
    wanted = own_case(opened.session, "hop").verdict("tilt")
    assert index.data(VERDICT)["verdict"] == wanted.word == "fail"
    verdicts.table.setCurrentIndex(index)
    assert "hop, own code: fail" in verdicts.reason.text()
    qtbot.waitUntil(lambda: opened.session.answers.result("proof.stretch") is not None, timeout=60_000)
    shown, _ = opened.session.answers.result("proof.stretch")
    assert shown.source == "own" and np.degrees(np.sqrt(np.mean(shown.errors**2))) > 1.0
    assert "own code over hop" in verdicts.figures["°"].title.text()


def test_own_code_that_does_not_compile_is_a_notice(opened, qtbot, tmp_path):
    (tmp_path / "own.c").write_text("void own_init(int) { nothing }\n")
    opened.show_stage("proof")
    sheet(opened).own.start(tmp_path)
    qtbot.waitUntil(lambda: opened.notice.isVisible() and "own.c, line 1" in opened.notice.words.text(), timeout=60_000)


def test_the_interface_is_written_from_the_window(opened, tmp_path, monkeypatch):
    opened.show_stage("proof")
    sheet(opened).show_page("own")
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path))
    press(opened, "own-interface")
    assert "own_step" in (tmp_path / "own_estimator.h").read_text()


@pytest.mark.parametrize(
    ("value", "shown"),
    [
        ("0.05000000074505806f", "0.05"),
        ("true", "true"),
        ("{ 1.0f, -2.5e-05f }", "(1, -2.5e-05)"),
        ("{ { 1.0, 2.0 } }", "((1, 2))"),
    ],
)
def test_values_of_c_are_shown_as_people_read_them(value, shown):
    assert short_value(value) == shown
