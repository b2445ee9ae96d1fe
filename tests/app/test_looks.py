"""What a person sees and reaches: nothing cut off, everything named, everything by keyboard; pictures and busy line."""

import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QFont, QFontInfo
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel, QLineEdit, QTableView, QToolButton

from fusus.app import theme
from fusus.app.jobs import Job
from fusus.app.ledger.rows import FigureRow
from fusus.app.panels.notes_panel import Help, LinkLabel, Note
from fusus.app.panels.notice import Busy, Notice
from fusus.app.panels.stage_bar import StageState
from fusus.app.panels.strip import RequirementCell, worst
from fusus.app.stages.registry import STAGES
from fusus.app.window.routes import follow
from fusus.core.requirements import Requirement
from fusus.study.proof.verdicts import Judgement

ROOT = Path(__file__).parents[2]


def visible(window, kind):
    """Return the shown widgets of a kind."""
    return [w for w in window.findChildren(kind) if w.isVisible()]


@pytest.mark.parametrize("size", [(1280, 800), (1100, 700), (1920, 1080)])
@pytest.mark.parametrize("stage", [s.name for s in STAGES])
def test_no_text_is_cut_off(opened, qtbot, stage, size):
    opened.resize(*size)
    opened.show_stage(stage)
    qtbot.wait(20)
    for label in visible(opened, QLabel):
        if label.wordWrap() or not label.text() or label.toolTip() == label.text():
            continue
        needed = label.fontMetrics().horizontalAdvance(label.text().replace("&", ""))
        shown = (
            label.contentsRect().width() if label.visibleRegion().boundingRect().width() >= label.width() - 1 else None
        )
        if shown is not None:
            assert needed <= shown + 2, f"“{label.text()}” needs {needed} px and has {shown}"
    for row in opened.ledger.rows.values():
        if isinstance(row, FigureRow):
            text = row.edit.fontMetrics().horizontalAdvance(row.edit.text())
            assert text <= row.edit.width() - 10, f"“{row.edit.text()}” in {row.path}"
            if not row.spec.has_evidence:
                continue
            right = row.mark.mapTo(opened.ledger, QPoint(row.mark.width(), 0)).x()
            assert right <= opened.ledger.viewport().width() + 1, f"the mark of {row.path} is cut off"


def test_controls_have_names(opened):
    for stage in STAGES:
        opened.show_stage(stage.name)
        for kind in (QLineEdit, QComboBox, QTableView):
            for widget in visible(opened, kind):
                assert widget.accessibleName(), f"{widget.objectName()} in {stage.name}"
        for button in visible(opened, QAbstractButton):
            if button.parent() is not None and button.parent().inherits("QTableView"):
                continue
            assert button.text() or button.accessibleName() or button.toolTip(), button.objectName()


def test_tab_walks_from_the_thread_through_the_ledger(opened, qtbot):
    opened.show_stage("brief")
    opened.stage_bar.buttons["brief"].setFocus()
    reached = set()
    for _ in range(120):
        opened.focusNextChild()
        focus = opened.focusWidget()
        if focus is not None:
            reached.add(focus.objectName())
    assert {
        "stage-parts",
        "stage-fusion",
        "stage-proof",
        "edit-name",
        "edit-brief.craft.mass_kg",
        "edit-brief.requirements.0.limit",
    } <= reached


def test_the_shipped_typeface_is_used(opened):
    assert QFontInfo(theme.font()).family() == theme.FAMILY and QFontInfo(QFont(theme.MONO)).family() == theme.MONO
    assert QFontInfo(opened.stage_bar.about.font()).pixelSize() >= 13


def test_text_follows_the_desktops_size():
    theme.follow_desktop_font(18.0)
    try:
        assert theme.font().pixelSize() == 20 and "font-size: 20px" in theme.style_sheet(theme.LIGHT)
    finally:
        theme.follow_desktop_font(11.0)
    assert theme.font().pixelSize() == 13


def test_beads_tell_their_state(opened, qtbot):
    button = opened.stage_bar.buttons["proof"]
    button.show_state(StageState(0.5, "3 of 4", True))
    assert (
        "under way" in button.toolTip()
        and "changed since" in button.toolTip()
        and button.accessibleDescription() == "under way, 3 of 4"
    )
    button.setFocus(Qt.FocusReason.TabFocusReason)
    qtbot.keyClick(button, Qt.Key.Key_Return)
    assert opened.stage == "proof"


def test_notes_come_worst_first_with_links(opened, qtbot):
    notes = (
        Note("Good", "fine", "All is well.", "", "", ""),
        Note("Bad", "stop", "It fails.", "Because.", "Look at the limit", "brief.requirements"),
        Note("So so", "mind", "Hm.", "", "", ""),
    )
    opened.show_stage("fusion")
    opened.notes_panel.show_notes(notes, "Take care.")
    assert [n.subject for n in opened.notes_panel.notes] == ["Bad", "So so", "Good"]
    link = opened.notes_panel.findChild(LinkLabel)
    assert link.accessibleName() == "Look at the limit"
    qtbot.keyClick(link, Qt.Key.Key_Return)
    assert opened.stage == "brief"
    assert any("▲ Take care." in w.text() for w in opened.notes_panel.findChildren(QLabel)) or opened.stage == "brief"


def test_help_shows_all_it_has(opened):
    opened.notes_panel.show_help(Help("Gyro noise", "What.", "1 to 2", "A still capture.", "IEEE"))
    words = " ".join(w.text() for w in opened.notes_panel.findChildren(QLabel))
    assert "Usual: 1 to 2" in words and "How to measure: A still capture." in words and "Source: IEEE" in words
    next(b for b in opened.notes_panel.findChildren(QToolButton) if b.accessibleName() == "Close help").click()
    assert opened.notes_panel.help_shown is None


@pytest.mark.parametrize(
    ("link", "stage", "row"),
    [("fusion.gyro", "fusion", "gyro_noise_rad_s_rthz"), ("fusion.magnetometer", "fusion", "mag_gate"), ("fusion.align_yaw", "fusion", "fusion.align_yaw"),
     ("brief.place", "brief", "brief.place.lat_deg"), ("fusion.estimator", "fusion", "fusion.estimators"), ("fusion.recording", "fusion", "fusion.recording")],
)  # fmt: skip
def test_links_of_findings_lead_to_a_row(opened, link, stage, row):
    opened.show_stage("proof")
    follow(opened, link)
    assert opened.stage == stage
    focus = opened.focusWidget()
    names = []
    while focus is not None:
        names.append(focus.objectName())
        focus = focus.parentWidget()
    assert any(row in n for n in names), names


def test_links_to_nowhere_do_nothing(opened):
    before = opened.stage
    for link in ("", "nowhere.at.all", "fusion.smell"):
        follow(opened, link)
    assert opened.stage in (before, "fusion")


def judgement(evidence, verdict, value):
    """Return a judgement of one verdict."""
    v = {
        "requirement": "tilt",
        "title": "Tilt",
        "value": value,
        "verdict": verdict,
        "reason": "r",
        "limit": 2.0,
        "unit": "deg",
        "interval": None,
    }
    return Judgement(f"{evidence}-{value}", evidence, evidence, "mahony", (v,), ())


def test_the_strip_shows_the_worst_of_each_kind():
    found = (
        judgement("flight", "pass", 1.0),
        judgement("flight", "fail", 3.0),
        judgement("flight", "fail", 2.5),
        judgement("bench", "close", 1.9),
    )
    tilt = Requirement("tilt", 0.03)
    assert worst(found, tilt, "flight")["value"] == 3.0 and worst(found, tilt, "bench")["verdict"] == "close"
    assert worst(found, tilt, "predicted") is None


@pytest.mark.parametrize("recording", ["hop", "hover", "bench-1"])
def test_a_figure_on_the_strip_says_its_recording_and_whether_it_is_simulated(qtbot, recording):
    tilt = Requirement("tilt", 0.03)
    found = (replace(judgement("flight", "fail", 3.0), recording=recording),)
    for simulated, said in (
        (frozenset(), f"in {recording},"),
        (frozenset({recording}), f"in {recording} (simulated),"),
    ):
        cell = RequirementCell(tilt, found, None, None, simulated)
        qtbot.addWidget(cell)
        assert said in cell.findChild(QLabel, "strip-tilt-flight").toolTip()


def test_without_requirements_the_strip_leads_to_the_brief(opened, qtbot):
    from fusus.project.commands import RemoveRequirement

    opened.show_stage("fusion")
    while opened.session.project.brief.requirements:
        opened.session.do(RemoveRequirement(0))
    link = next(b for b in opened.strip.findChildren(QToolButton) if "No requirements" in b.text())
    qtbot.mouseClick(link, Qt.MouseButton.LeftButton)
    assert opened.stage == "brief" and any(n.subject == "There are no requirements" for n in opened.notes_panel.notes)


def test_good_news_leaves_and_bad_news_stays(qtbot):
    notice = Notice()
    qtbot.addWidget(notice)
    notice.tell("stop", "No.")
    assert notice.words.text() == "■ No." and not notice._timer.isActive()
    notice.tell("fine", "Yes.")
    assert notice._timer.isActive()
    notice.findChild(QToolButton).click()
    assert notice.isHidden()


def test_the_busy_line_tells_progress_and_stops(qtbot):
    busy = Busy()
    qtbot.addWidget(busy)
    job = Job("Reading", lambda p: None)
    job.started_at -= 10.0
    busy.watch(job)
    job.progressed.emit(25, 100, "Blocks")
    assert "Reading: blocks" in busy.words.text() and "30 s left" in busy.words.text() and busy.bar.value() == 250
    qtbot.waitUntil(lambda: not busy.isHidden(), timeout=3000)
    busy.stop.click()
    assert job.is_cancelled and "Stopping" in busy.words.text()
    busy.watch(None)
    assert busy.isHidden()


def test_a_project_without_recordings_says_what_to_do_first(window, tmp_path):
    window.openings.new_project(tmp_path / "New", "New")
    window.show_stage("fusion")
    assert (
        "Drop a log" in window._sheets["fusion"].errors.empty.text()
        and window.notes_panel.notes[0].subject == "There is no recording"
    )
    assert window.stage_bar.buttons["fusion"].state == StageState(0.0, "no recording")
    window.show_stage("proof")
    assert "No recording yet" in window._sheets["proof"].verdicts.reason.text()


def test_a_recording_without_reference_shows_no_errors(opened, qtbot, streams):
    from fusus.logs.create import create_recording
    from fusus.logs.info import RecordingInfo
    from fusus.project.commands import SetValue

    without = {k: v for k, v in streams.items() if k not in ("reference", "gnss")}
    create_recording(opened.session.document.folder, RecordingInfo(name="bare", kind="flight"), without)
    opened.session.document.recordings_changed.emit(None)
    opened.session.do(SetValue("fusion.recording", "bare", "Look"))
    opened.show_stage("fusion")
    qtbot.waitUntil(
        lambda: opened.session.fusion_is_current and opened.session.fusion.study.request.recording == "bare",
        timeout=30_000,
    )
    sheet = opened._sheets["fusion"]
    assert sheet.names[sheet.pages.currentIndex()] == "signals", "what such a log has to say comes first"
    sheet.show_page("errors")
    assert "No reference" in sheet.errors.tilt.title.text()
    assert any(n.subject == "There is nothing to measure against" for n in opened.notes_panel.notes)
    assert opened.stage_bar.buttons["fusion"].state.headline == "no reference"


def test_pictures_of_all_stages_without_a_display(flown, tmp_path):
    from fusus.app import pictures

    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen"}
    run = subprocess.run(
        [sys.executable, "-m", pictures.__name__, str(flown), str(tmp_path / "out")],
        env=environment,
        capture_output=True,
        text=True,
    )
    assert run.returncode == 0, run.stderr
    assert {p.name for p in (tmp_path / "out").iterdir()} == {f"{s.name}.png" for s in STAGES}
    refused = subprocess.run(
        [sys.executable, "-m", pictures.__name__, str(tmp_path), str(tmp_path / "o2")],
        env=environment,
        capture_output=True,
        text=True,
    )
    assert refused.returncode == 2 and "no Fusus project" in refused.stderr and "Traceback" not in refused.stderr


def test_a_real_window_under_a_virtual_screen(flown, tmp_path):
    """Offscreen hides what a window system does: the window must come up, draw, and close under X."""
    import shutil

    if shutil.which("Xvfb") is None:
        pytest.skip("Xvfb is not installed")
    code = (
        "import sys; from pathlib import Path; from PyQt6.QtCore import QTimer, QSettings;"
        "from fusus.app.__main__ import make_application; app = make_application(['x']);"
        "from fusus.app.window.window import Window, apply_theme; from fusus.app.settings import Settings; apply_theme('light');"
        f"w = Window(Settings(QSettings({str(tmp_path / 's.ini')!r}, QSettings.Format.IniFormat))); w.show(); w.session.open(Path({str(flown)!r}));"
        "QTimer.singleShot(1500, lambda: (print(app.platformName(), w.isActiveWindow() or w.isVisible(), w.stage), w.close()));"
        "sys.exit(app.exec())"
    )
    environment = {k: v for k, v in os.environ.items() if k not in ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")}
    script = f'Xvfb -displayfd 1 -screen 0 1280x800x24 -nolisten tcp > "{tmp_path}/display" 2>/dev/null & x=$!; for i in $(seq 50); do [ -s "{tmp_path}/display" ] && break; sleep 0.1; done; DISPLAY=:$(cat "{tmp_path}/display") timeout 60 "{sys.executable}" -c "$CODE"; s=$?; kill $x; exit $s'
    run = subprocess.run(
        ["bash", "-c", script], env=environment | {"CODE": code}, capture_output=True, text=True, cwd=ROOT
    )
    assert run.returncode == 0 and run.stdout.split() == ["xcb", "True", "brief"], run.stderr[-600:]


def test_widgets_set_no_colours_by_themselves():
    """Colours are tokens of the theme; a literal in a widget would survive a change of theme."""
    import re

    for path in (ROOT / "src" / "fusus" / "app").rglob("*.py"):
        if path.name != "theme.py":
            assert not re.search(r"#[0-9A-Fa-f]{6}\b", path.read_text()), path
