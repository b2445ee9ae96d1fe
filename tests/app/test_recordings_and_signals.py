"""Fusion's pages of recordings and signals, and the questions of the import, in the window."""

import time

import numpy as np
from PyQt6.QtWidgets import QInputDialog, QMessageBox
from tests.logs.tables import lines, truth, write

from fusus.app.figures.long import Envelope
from fusus.app.importing.dialog import ImportDialog
from fusus.logs.importer import ImportRequest, import_recording, plan_import
from fusus.logs.info import load_info, recording_names


def fusion_sheet(window, qtbot, page):
    window.show_stage("fusion")
    sheet = window.sheets.currentWidget()
    sheet.show_page(page)
    if page == "signals":
        qtbot.waitUntil(
            lambda: window.session.answers.is_current("fusion.signals") and bool(sheet.signals._groups) and not window.session.jobs.running,
            timeout=30_000,
        )  # fmt: skip
    return sheet


def test_any_channel_is_drawn_over_one_axis_of_time(opened, qtbot):
    page = fusion_sheet(opened, qtbot, "signals").signals
    shown = [p.choice.currentText() for p in page.panels]
    assert shown[:2] == ["Gyro", "Accelerometer"]
    names, columns = page.panels[0].time.data()
    assert names == ["t_s", "x", "y", "z"] and len(columns[1]) > 1000
    page.panels[0].time.item.setXRange(10, 20, padding=0)
    assert np.allclose(page.panels[1].time.item.viewRange()[0], page.panels[0].time.item.viewRange()[0])
    page.point_at(15.0)
    assert "Gyro" in page.reading.text() and "°/s" in page.reading.text() and "m/s²" in page.reading.text()
    for index in (1, 2):
        page.show_view(index)
        qtbot.waitUntil(lambda: not opened.session.jobs.running and page._densities is not None, timeout=30_000)
        figure = (page.panels[0].spectrum, page.panels[0].histogram)[index - 1]
        assert list(figure.data()[0]) == ["x", "x", "y", "z"] and "10.0 to 20.0 s" in figure.title.text()
    page.show_view(0)
    page.panels[2].choice.setCurrentIndex(page.panels[2].choice.findData("reference-attitude"))
    assert {"roll", "roll, estimate"} <= set(page.panels[2].time.data()[0])


def test_ten_million_samples_are_cut_for_a_view_in_a_sixtieth_of_a_second():
    t = np.arange(10_000_000) * 1e-3
    envelope = Envelope(t, np.sin(t) + 0.1 * np.cos(97.0 * t))
    took = []
    for k in range(30):
        start = time.perf_counter()
        x, y, _ = envelope.cut(k * 100.0, k * 100.0 + 5000.0, 2600)
        took.append(time.perf_counter() - start)
        assert len(x) < 12_000 and y.max() > 1.0  # no peak is missed
    sorting = time.perf_counter()
    np.sort(t[::-1][:2_000_000])
    assert sorted(took)[15] < 0.5 * (time.perf_counter() - sorting), (
        "a view costs less than half of sorting two million numbers"
    )


def test_recordings_are_renamed_noted_set_aside_and_deleted(opened, qtbot, monkeypatch, tmp_path, desktops_bin):
    folder = opened.session.document.folder
    import_recording(ImportRequest((write(tmp_path / "log.csv", lines()),), folder, "log"))
    opened.session.document.recordings_changed.emit(None)
    page = fusion_sheet(opened, qtbot, "recordings").recordings
    page.draw()
    page.table.selectRow([i.name for i in page._infos].index("log"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_a, **_k: ("hand", True))
    page.rename()
    assert "hand" in recording_names(folder) and "log" not in recording_names(folder)
    page.draw()
    page.table.selectRow([i.name for i in page._infos].index("hand"))
    page.note()
    page.set_aside()
    assert load_info(folder, "hand").note == "hand" and load_info(folder, "hand").is_set_aside
    assert "hand" not in [r.name for r in opened.session.recordings()]
    page.draw()
    page.table.selectRow([i.name for i in page._infos].index("hand"))
    assert page.buttons["aside"].text() == "Use again"
    opened.actions_by_id["undo"].trigger()
    assert not load_info(folder, "hand").is_set_aside
    monkeypatch.setattr(QMessageBox, "question", lambda *_a, **_k: QMessageBox.StandardButton.Yes)
    page.draw()
    page.table.selectRow([i.name for i in page._infos].index("hand"))
    page.delete()
    assert "hand" not in recording_names(folder)


def test_the_import_dialog_asks_and_takes_answers(qtbot, project, tmp_path):
    _, gyro, acc = truth(rocking=False)
    rows = [r.split(",", 1)[1] for r in lines(gyro=gyro, acc=acc, header=("t", "gx", "gy", "gz", "ax", "ay", "az"))]
    path = write(tmp_path / "log.csv", rows)
    dialog = ImportDialog(plan_import(ImportRequest((path,), project, "log")), "log", set())
    qtbot.addWidget(dialog)
    rate, unit = dialog.questions
    assert "at which rate" in rate.question.asks and unit.choice.count() == 3
    dialog._accept()
    assert "has to be answered first" in dialog.fault.text() and not dialog.result()
    rate.number.setText("200")
    unit.choice.setCurrentIndex(unit.choice.findData("deg/s"))
    dialog._accept()
    assert dialog.result()
    info = import_recording(ImportRequest((path,), project, "log", mapping=dialog.mapping()))
    assert info.streams["imu"].rate_hz == 200.0 and {c.unit for c in info.mapping.files[0].columns[:3]} == {"deg/s"}
    again = ImportDialog(plan_import(ImportRequest((path,), project, "x")), "x", set(), earlier={"log": info.mapping})
    qtbot.addWidget(again)
    again.read_as.setCurrentIndex(1)
    assert again._problem() is None and again.mapping() == info.mapping
