"""Where notes and the finder lead: stages, rows, recordings, actions."""

from functools import partial

from fusus.app.ledger.panel import Ledger
from fusus.app.panels.finder import Findable
from fusus.app.stages.base import TabbedSheet
from fusus.app.stages.bench.sheet import BenchSheet
from fusus.app.stages.fusion.actions import take_likelihood
from fusus.app.stages.parts.sheet import PartsSheet
from fusus.app.stages.registry import STAGES
from fusus.app.text import limit_text
from fusus.app.window.actions import ACTIONS
from fusus.app.window.shell import Shell
from fusus.core.guidance.guides import GUIDES
from fusus.project.commands import SetValue
from fusus.study.brief.brief import available

# Where findings point that name a subject rather than a row.
ROWS = {
    "gyro": "gyro_noise_rad_s_rthz",
    "accelerometer": "acc_gate_m_s2",
    "magnetometer": "mag_gate",
    "noise": "gyro_noise_rad_s_rthz",
    "estimator": "fusion.estimators",
    "requirements": "brief.requirements",
    "place": "brief.place",
}


def follow(window: Shell, link: str) -> None:
    """Go where a note or the finder points: a stage's row, a recording, an action."""
    head, _, rest = link.partition(".")
    if head == "action":
        window.actions_by_id[rest].trigger()
    elif head == "capture":
        _go_capture(window, rest)
    elif head == "take" and rest == "likelihood":
        take_likelihood(window.session)
    elif head == "recording":
        window.session.do(SetValue("fusion.recording", rest, f"Look at {rest}"))
        window.show_stage("fusion")
    elif any(s.name == head for s in STAGES):
        window.show_stage(head)
        judged = window.session.project.fusion.estimators[0].replace("-", "_")
        for path in (link, f"fusion.{judged}.{ROWS.get(rest, rest)}", ROWS.get(rest, rest)):
            if path and window.ledger.reveal(path):
                return
        sheet = window.sheets.currentWidget()
        if isinstance(sheet, TabbedSheet) and rest in sheet.names:
            sheet.show_page(rest)


def findables(window: Shell) -> list[Findable]:
    """Return all that can be found."""
    out = [
        Findable("action", spec.text.rstrip(" …"), window.actions_by_id[spec.id].trigger)
        for spec in ACTIONS
        if window.actions_by_id[spec.id].isEnabled() and spec.id != "find"
    ]
    if window.session.document is None:
        return out
    for stage in STAGES:
        out.append(Findable("stage", f"{stage.title}: {stage.question}", partial(window.show_stage, stage.name)))
        ledger = Ledger()
        stage.build_ledger(window.session, ledger)
        for path, row in ledger.rows.items():
            out.append(Findable(f"row in {stage.title}", row.label_text, partial(_go_row, window, stage.name, path)))
        ledger.deleteLater()
    out += [
        Findable("recording", r.name, partial(follow, window, f"recording.{r.name}"))
        for r in window.session.recordings()
    ]
    out += [
        Findable("part", part.title, partial(_go_part, window, part.kind, part.name))
        for part in available(window.session.project)
    ]
    out += [Findable("capture", g.title, partial(_go_capture, window, g.name)) for g in GUIDES]
    for i, r in enumerate(window.session.project.brief.requirements):
        out.append(
            Findable("requirement", limit_text(r), partial(_go_row, window, "brief", f"brief.requirements.{i}.limit"))
        )
    return out


def _go_capture(window: Shell, name: str) -> None:
    window.show_stage("bench")
    sheet = window.sheets.currentWidget()
    if isinstance(sheet, BenchSheet):
        sheet.show_page("capture")
        sheet.capture.choose(name)


def _go_part(window: Shell, kind: str, name: str) -> None:
    window.show_stage("parts")
    sheet = window.sheets.currentWidget()
    if isinstance(sheet, PartsSheet):
        sheet.show_part(kind, name)


def _go_row(window: Shell, stage: str, path: str) -> None:
    window.show_stage(stage)
    window.ledger.reveal(path)
