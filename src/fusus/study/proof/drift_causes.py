"""Why a recorded flight drifted, from a project's recording."""

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.derived_requirements.modes import MODES
from fusus.core.estimation.catalogue import info_for
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.estimation.replay import run_estimator
from fusus.core.judgement.drift_causes.causes import DriftCauses, causes_of
from fusus.core.judgement.drift_causes.hover import NO_CONTROLS, Controls, Known, hover_of
from fusus.core.progress import Progress, Silent
from fusus.core.vehicle.mixer import Mixer, mixer_of
from fusus.errors import FususError
from fusus.logs.recording import load_stream
from fusus.project.records import Project
from fusus.study.brief.brief import airframe_of
from fusus.study.plain import plain
from fusus.study.recording.loading import load

# A gyro bias that moves in flight is what is looked for: the filter must let it.
FREE_WALK = 1.5e-3
LEAST_FIXES = 20
HOLDING = ("position-hold", "return", "follow-path")
CAUTION = (
    "Tests on the bench with the propellers off; test flights low, over soft ground, away from people, with a switch that stops the "
    "motors; follow the local rules."
)


def drift_causes_of(
    folder: Path,
    project: Project,
    recording: str,
    span: tuple[float, float] | None = None,
    progress: Progress | None = None,
) -> DriftCauses:
    """Return why a recording drifted in ``span`` (s after the first sample), or in its longest hover without it."""
    progress = progress or Silent()
    loaded = load(folder, project, recording)
    attitude = info_for("attitude-ekf")
    estimate = run_estimator("attitude-ekf", attitude.parameters(), loaded.given, loaded.site, progress)
    seen = None
    if len(loaded.given.aiding.gnss) >= LEAST_FIXES:
        tuning: NavigationParameters = replace(project.fusion.navigation_ekf, gyro_walk_rad_s2_rthz=FREE_WALK)
        found = run_estimator("navigation-ekf", tuning, loaded.given, loaded.site, progress)
        if found.motion is not None:
            sigma = float(found.motion.key_sigmas["gyro bias"][-1, :2].max())
            seen = Known(found.outputs.q_nb, found.outputs.gyro_bias_b, sigma)
    hover = hover_of(
        loaded.given, estimate.outputs.q_nb, controls_of(folder, project, recording), loaded.site, project.brief.craft.drag_per_s, seen,
        span, tuple(i for i, m in enumerate(MODES) if m in HOLDING),
    )  # fmt: skip
    return causes_of(hover)


def controls_of(folder: Path, project: Project, recording: str) -> Controls:
    """Return what a recording holds of motors and sticks."""
    motor, stick = load_stream(folder, recording, "motor"), load_stream(folder, recording, "stick")
    out = NO_CONTROLS
    if motor is not None:
        names = sorted((c for c in motor.frame.columns if c.startswith("motor_")), key=lambda c: int(c[6:]))
        if names:
            mixer = _mixer(project)
            order = (
                [] if mixer is None else sorted(range(len(mixer.motors)), key=lambda i: mixer.motors[i].round_number)
            )
            effect = mixer.effect[:, order] if mixer is not None and len(order) == len(names) else None
            out = replace(out, motor_s=motor.t_s, motors=motor.matrix(*names), effect=effect)
    if stick is not None and stick.has("roll", "pitch"):
        modes = stick.matrix("mode")[:, 0] if stick.has("mode") else np.full(len(stick.t_s), np.nan)
        out = replace(out, stick_s=stick.t_s, sticks=stick.matrix("roll", "pitch"), modes=modes)
    return out


def _mixer(project: Project) -> Mixer | None:
    try:
        return mixer_of(airframe_of(project.brief.craft))
    except FususError:
        return None


def drift_causes_report(drift: DriftCauses, recording: str) -> dict[str, Any]:
    """Return what ``fusus causes`` prints."""
    first = float(drift.hover.given.t_s[0])
    report: dict[str, Any] = plain(
        {
            "recording": recording, "start_s": drift.hover.start_s - first, "end_s": drift.hover.end_s - first,
            "wanders": drift.is_drifting, "sideways_m": drift.sideways_m, "vertical_m": drift.vertical_m,
            "holds_place": drift.hover.holds_place,
            "causes": [
                {
                    "cause": s.cause.key, "title": s.cause.title, "probability": s.probability, "sign": s.sign.statement,
                    "value": s.sign.value, "unit": s.sign.unit, "shows": s.cause.shows, "cure": s.cause.cure,
                }
                for s in drift.scored
            ],
            "other": drift.other,
            "test": None if drift.test is None else {
                "words": drift.test.words, "minutes": drift.test.minutes, "flies": drift.test.flies,
            },
        }
    )  # fmt: skip
    return report


def percent(share: float) -> str:
    """Return a probability as people say it."""
    return (
        "below 1 %"
        if share < 0.01
        else "over 99 %"
        if share > 0.99
        else f"{100 * share:.0f} %"
        if math.isfinite(share)
        else "–"
    )
