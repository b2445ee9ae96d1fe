"""Theme, jobs, figures, settings, import preview."""

import threading

import numpy as np
import pytest
from PyQt6.QtCore import QSettings

from fusus.app import theme
from fusus.app.figures.errors import ErrorCurve, ErrorFigure
from fusus.app.figures.rose import TiltRose, lean
from fusus.app.jobs import Job, JobRunner
from fusus.app.settings import Setting, Settings
from fusus.app.text import figure, limit_text, seconds, short
from fusus.core.frames.quaternion import from_euler
from fusus.core.requirements import Requirement
from fusus.errors import ParameterError


def contrast(a: str, b: str) -> float:
    """Return the WCAG 2.1 contrast ratio of two colours."""

    def light(colour):
        parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        r, g, b_ = (p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
        return 0.2126 * r + 0.7152 * g + 0.0722 * b_

    high, low = sorted((light(a), light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("t", [theme.LIGHT, theme.DARK], ids=lambda t: t.name)
def test_text_has_contrast(t):
    for colour in (t.ink, t.faint, t.accent, t.brick, t.plum, t.ochre_text):
        assert contrast(colour, t.paper) >= 4.5, colour
    for colour in (t.ink, t.faint, t.accent, t.brick, t.ochre_text):
        assert contrast(colour, t.band) >= 4.5, colour


def test_verdicts_differ_by_shape_too():
    assert len({theme.SHAPES[w] for w in ("pass", "close", "fail", "not measured")}) == 4


@pytest.fixture
def runner(qtbot):
    found = JobRunner()
    yield found
    assert found.shut_down(5000)


def outcome(qtbot, runner, work, slot="x"):
    """Run a job; return how it ended."""
    job, got = Job("work", work), []
    job.succeeded.connect(lambda v: got.append(("succeeded", v)))
    job.failed.connect(lambda v: got.append(("failed", v)))
    job.cancelled.connect(lambda: got.append(("cancelled", None)))
    with qtbot.waitSignal(job.ended, timeout=5000):
        runner.start(job, slot)
    return got


def test_jobs_end_in_exactly_one_way(qtbot, runner):
    assert outcome(qtbot, runner, lambda p: 42) == [("succeeded", 42)]

    def refuse(_p):
        raise ParameterError("tau", -1, 0, 1, "s")

    assert outcome(qtbot, runner, refuse)[0][1].startswith("tau is -1")
    ((kind, words),) = outcome(qtbot, runner, lambda p: 1 / 0)
    assert kind == "failed" and "defect" in words.lower() and "division" not in words


def test_what_a_window_leaves_behind_dies_in_the_interface_thread(qtbot, runner):
    """Widgets that a job's thread collects crash Qt."""
    died = []

    class Widgetlike:
        def __init__(self):
            self.me = self

        def __del__(self):
            died.append(threading.get_ident())

    def allocate(_p):
        return len([[i] for i in range(200_000)])

    Widgetlike()
    assert outcome(qtbot, runner, allocate)[0][0] == "succeeded"
    assert died == []
    Widgetlike()
    qtbot.waitUntil(lambda: len(died) == 2, timeout=5000)
    assert set(died) == {threading.get_ident()}


def test_a_newer_job_cancels_the_older(qtbot, runner):
    import time

    def slow(p):
        for i in range(400):
            time.sleep(0.01)
            p.step(i, 400, "waiting")

    old, ended = Job("old", slow), []
    old.cancelled.connect(lambda: ended.append("cancelled"))
    old.succeeded.connect(lambda _: ended.append("succeeded"))
    runner.start(old, "same")
    assert outcome(qtbot, runner, lambda p: "new", "same") == [("succeeded", "new")]
    qtbot.waitUntil(lambda: ended == ["cancelled"], timeout=3000)


def test_settings_come_back_with_their_type(tmp_path):
    path = tmp_path / "s.ini"
    path.write_text("[a]\nflag=false\ncount=7\nbad=many\n")
    s = Settings(QSettings(str(path), QSettings.Format.IniFormat))
    assert s.get(Setting("a/flag", True, "")) is False and s.get(Setting("a/count", 1, "")) == 7
    assert s.get(Setting("a/bad", 3, "")) == 3 and s.get(Setting("a/none", "x", "")) == "x"


@pytest.mark.parametrize(
    ("value", "text"),
    [(0.0123456, "0.0123"), (1.234, "1.23"), (123.4, "123"), (0, "0"), (3.2e-7, "3.20e-7"), (float("nan"), "–")],
)
def test_figures_have_three_digits(value, text):
    assert figure(value) == text


def test_words():
    assert (
        limit_text(Requirement("tilt", np.radians(2.0))) == "Tilt ≤ 2°"
        and limit_text(Requirement("outage", 3.0, "max", 8.0)) == "8 s outage ≤ 3 m"
    )
    assert short(0.30000000000000004) == "0.3" and seconds(30) == "30 s" and seconds(200) == "3 min"


def test_lean_points_to_the_lower_side():
    nose_down, right_down = lean(np.array([from_euler(0.7, np.radians(-10), 0), from_euler(2.0, 0, np.radians(20))]))
    assert np.allclose(nose_down, [10, 0], atol=1e-9) and np.allclose(right_down, [0, 20], atol=1e-9)


def test_figures_save_and_read(qtbot, tmp_path):
    shown = ErrorFigure("tilt", "Tilt error", "tilt")
    qtbot.addWidget(shown)
    t = np.linspace(0, 10, 200)
    shown.show_curves([ErrorCurve("A", t, 0.1 * t, 0.2 + 0 * t), ErrorCurve("B", t, 0.2 * t, None)], 1.5, False)
    shown.resize(500, 300)
    shown.point_at(5.0)
    assert "A 0.5" in shown.reading.text()
    shown.save_csv(tmp_path / "f.csv")
    rows = (tmp_path / "f.csv").read_text().splitlines()
    assert rows[0].startswith("t_s (A),error_deg (A),sigma_deg (A)") and len(rows) == 201
    shown.save_png(tmp_path / "f.png")
    shown.save_svg(tmp_path / "f.svg")
    assert (tmp_path / "f.png").read_bytes().startswith(b"\x89PNG") and b"<svg" in (tmp_path / "f.svg").read_bytes()
    shown.copy_picture()
    failures = []
    shown.failed.connect(failures.append)
    assert not failures


def test_rose_follows_the_time(qtbot):
    rose = TiltRose()
    qtbot.addWidget(rose)
    t = np.linspace(0, 10, 101)
    rose.show_attitudes(t, from_euler(0 * t, 0 * t, np.radians(t)), None, np.ones((101, 2)))
    rose.show_time(5.0)
    assert rose.reading.text() == "5.0° at 5 s"


def test_import_preview_corrects_the_mapping(qtbot, tmp_path, project):
    from tests.logs.tables import lines, truth, write

    from fusus.app.importing.dialog import ImportDialog
    from fusus.logs.importer import ImportRequest, plan_import

    t, gyro, acc = truth(rocking=False)
    g = np.rint(np.degrees(gyro + 0.02) * 65.536).astype(int) + 100
    a = np.rint(acc / 9.80665 * 4096).astype(int)
    path = write(tmp_path / "log.csv", lines(t, g, a, header=("t", "gx", "gy", "gz", "ax", "ay", "az")))
    dialog = ImportDialog(plan_import(ImportRequest((path,), project, "log")), "log", set())
    qtbot.addWidget(dialog)
    dialog._accept()
    assert "has to be answered first" in dialog.fault.text()
    for strip in dialog.strips[0][:3]:
        strip.scale.setText("500/16")
        strip.unit.setCurrentIndex(strip.unit.findData("deg/s"))
    dialog.strips[0][5].target.setCurrentIndex(0)
    assert dialog._problem() is None
    columns = {c.source: c for c in dialog.mapping().files[0].columns}
    assert columns["gx"].raw.full_scale == 500 and columns["az"].target is None and columns["ax"].raw.full_scale == 8
    dialog.strips[0][1].target.setCurrentIndex(dialog.strips[0][1].target.findData("imu.gyro_x_rad_s"))
    assert "become the same" in dialog._problem()
    dialog.strips[0][0].scale.setText("lots")
    assert "500/16" in dialog._problem()
