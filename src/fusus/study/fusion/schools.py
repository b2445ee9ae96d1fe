"""Where practitioners differ on fusion, both schools with figures of the maker's own recording."""

from dataclasses import replace

import numpy as np
from scipy.signal import butter, lfilter

from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.analysis.statistics import Statistic
from fusus.core.control.elements import Controller, LowPass, Plant, open_loop, phase_cost_deg
from fusus.core.control.margins import margins
from fusus.core.estimation.attitude_ekf.parameters import Parameters as AttitudeParameters
from fusus.core.estimation.catalogue import EstimatorParameters
from fusus.core.estimation.complementary.parameters import Parameters as ComplementaryParameters
from fusus.core.estimation.navigation_ekf.parameters import Parameters as NavigationParameters
from fusus.core.estimation.replay import EstimatorInput, run_estimator
from fusus.core.estimation.samples import Samples
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import Requirement
from fusus.core.vehicle.airframe import inertia
from fusus.core.vehicle.mixer import mixer_of
from fusus.errors import RecordingError
from fusus.project.records import Project
from fusus.study.brief.brief import airframe_of
from fusus.study.parts.schools import School
from fusus.study.recording.loading import LoadedRecording

CORNER_HZ = 40.0
# A school is better from a tenth and from these differences on, °: what nobody would feel in flight decides nothing.
BETTER, TILT_DEG, HEADING_DEG = 0.9, 0.05, 0.5
UNMEASURED = "Not measured here: the reference does not tell it."
ONCE_RAD_S = 1e-6  # a spread of the bias so small that nothing is learned after the start
SLOWER = (1, 2, 5, 10, 20)


def fusion_schools(project: Project, loaded: LoadedRecording, progress: Progress | None = None) -> tuple[School, ...]:
    """Return the questions with figures from one recording; RecordingError where it has no reference."""
    progress = progress or Silent()
    if loaded.reference is None:
        raise RecordingError(
            loaded.info.name,
            "comparing schools needs a reference to measure by, or fixes for a smoother; it has neither.",
        )
    makers = (_simple, _bias, _heading, _height, _filtered, _rate)
    out = []
    for i, make in enumerate(makers):
        progress.step(i, len(makers), "Comparing schools")
        out.extend(make(project, loaded))
    progress.step(len(makers), len(makers), "Comparing schools")
    return tuple(out)


def _run(
    loaded: LoadedRecording, name: str, parameters: EstimatorParameters, given: EstimatorInput | None = None
) -> Comparison:
    replay = run_estimator(name, parameters, given or loaded.given, loaded.site)
    m = replay.motion
    track = Track(replay.t_s, replay.outputs.q_nb, m.pos_n if m else None, m.vel_n if m else None)
    return compare(track, loaded.reference or track)


def _deg(found: Comparison, quantity: str, statistic: Statistic = "rmse") -> float:
    value = found.value(quantity, statistic)
    return float(np.degrees(value)) if value is not None else float("nan")


def _limit(project: Project, quantity: str) -> Requirement | None:
    return next((r for r in project.brief.requirements if r.quantity == quantity), None)


def _simple(project: Project, loaded: LoadedRecording) -> list[School]:
    f = project.fusion
    simple, kalman = _run(loaded, "complementary", f.complementary), _run(loaded, "attitude-ekf", f.attitude_ekf)
    a, b = _deg(simple, "tilt"), _deg(kalman, "tilt")
    wanted = _limit(project, "tilt")
    limit = float(np.degrees(wanted.limit)) if wanted else 3.0
    here = (
        UNMEASURED
        if not np.isfinite([a, b]).all()
        else (
            f"Both keep tilt within {limit:.1f}°: the simple one is enough for self-level."
            if max(a, b) <= limit
            else (
                f"The simple one misses {limit:.1f}°: take the filter."
                if b <= limit
                else f"Neither keeps {limit:.1f}° on this recording."
            )
        )
        + _by_heading(project, _deg(simple, "heading"), _deg(kalman, "heading"))
    )
    return [
        School(
            "Simple or Kalman", "complementary: simple, enough for self-level", f"tilt {a:.2f}°, heading "
            f"{_deg(simple, 'heading'):.1f}° RMSE",
            "Kalman: learns the bias, tells its error", f"tilt {b:.2f}°, heading {_deg(kalman, 'heading'):.1f}° RMSE", here,
        )
    ]  # fmt: skip


def _by_heading(project: Project, simple: float, kalman: float) -> str:
    """Return what the heading says beside the tilt, "" where it decides nothing."""
    wanted = _limit(project, "heading")
    if wanted is None or not np.isfinite([simple, kalman]).all():
        return ""
    limit = float(np.degrees(wanted.limit))
    if simple > limit >= kalman:
        return f" The simple one misses {limit:.1f}° of heading, the filter keeps it."
    return f" Neither keeps {limit:.1f}° of heading." if min(simple, kalman) > limit else ""


def _which_is_better(first: Comparison, second: Comparison) -> tuple[list[str], list[str]]:
    """Return in which of tilt and heading the first is better than the second, and the other way round."""
    out: tuple[list[str], list[str]] = ([], [])
    for quantity, least in (("tilt", TILT_DEG), ("heading", HEADING_DEG)):
        a, b = _deg(first, quantity), _deg(second, quantity)
        if abs(a - b) >= least and min(a, b) < BETTER * max(a, b):
            out[0 if a < b else 1].append(quantity)
    return out


def _bias(project: Project, loaded: LoadedRecording) -> list[School]:
    learns: AttitudeParameters = project.fusion.attitude_ekf
    once = replace(learns, gyro_bias_sigma_rad_s=ONCE_RAD_S, gyro_walk_rad_s2_rthz=0.0)
    a, b = _run(loaded, "attitude-ekf", once), _run(loaded, "attitude-ekf", learns)
    out = run_estimator("attitude-ekf", learns, loaded.given, loaded.site)
    moved = float(np.degrees(np.linalg.norm(out.outputs.gyro_bias_b[-1] - out.start.gyro_bias_b)))
    once_better, learnt_better = _which_is_better(a, b)
    if not np.isfinite([_deg(a, "tilt"), _deg(b, "tilt")]).all():
        better = "which is better cannot be told: no attitude to hold it against"
    elif once_better and learnt_better:
        better = f"{' and '.join(once_better)} is better with the bias of the start, {' and '.join(learnt_better)} with the learnt one"
    elif learnt_better:
        better = f"learning on line is better for {' and '.join(learnt_better)}"
    elif once_better:
        better = f"once at the start is better for {' and '.join(once_better)} here"
    else:
        better = "once at the start is enough here, for tilt and heading"
    return [
        School(
            "Gyro bias", "once, at rest before take-off", f"tilt {_deg(a, 'tilt'):.2f}°, heading {_deg(a, 'heading'):.1f}° RMSE",
            "on line, by the filter", f"tilt {_deg(b, 'tilt'):.2f}°, heading {_deg(b, 'heading'):.1f}° RMSE",
            f"The bias moves by {moved:.3f} °/s over the recording: {better}.",
        )
    ]  # fmt: skip


def _heading(project: Project, loaded: LoadedRecording) -> list[School]:
    if not len(loaded.given.aiding.gnss) or not len(loaded.given.aiding.mag):
        return []
    p: NavigationParameters = project.fusion.navigation_ekf
    field, course = _run(loaded, "navigation-ekf", p), _run(loaded, "navigation-ekf", replace(p, course_heading=True))
    a, b = _deg(field, "heading"), _deg(course, "heading")
    return [
        School(
            "Heading from", "the magnetometer", f"{a:.1f}° RMSE, {_deg(field, 'heading', 'max'):.0f}° at most",
            "the GNSS course", f"{b:.1f}° RMSE, {_deg(course, 'heading', 'max'):.0f}° at most",
            UNMEASURED if not np.isfinite([a, b]).all() else "The magnetometer holds the heading better here." if a < b
            else "The course holds the heading better here. It does so only while the nose points along the path.",
        )
    ]  # fmt: skip


def _height(project: Project, loaded: LoadedRecording) -> list[School]:
    a = loaded.given.aiding
    if not len(a.gnss) or not len(a.baro):
        return []
    p = project.fusion.navigation_ekf
    no_baro = _run(
        loaded, "navigation-ekf", p, replace(loaded.given, aiding=replace(a, baro=a.baro[:0], ranges=a.ranges[:0]))
    )
    only = _run(loaded, "altitude-3", project.fusion.altitude_3)
    both = _run(loaded, "navigation-ekf", p)
    values = [c.value("height", "rmse") or float("nan") for c in (only, no_baro, both)]
    climbs = [c.value("climb", "rmse") or float("nan") for c in (only, no_baro, both)]
    better = (
        UNMEASURED.removesuffix(".")
        if not np.isfinite(values[:2]).all()
        else "The barometer is the better height here"
        if values[0] < values[1]
        else "The fixes are the better height here"
    )
    return [
        School(
            "Height from", "barometer and accelerometer", f"height {values[0]:.2f} m, climb {climbs[0]:.2f} m/s RMSE",
            "GNSS height and climb", f"height {values[1]:.2f} m, climb {climbs[1]:.2f} m/s RMSE",
            f"{better}; together {values[2]:.2f} m and {climbs[2]:.2f} m/s.",
        )
    ]  # fmt: skip


def _filtered(project: Project, loaded: LoadedRecording) -> list[School]:
    s = loaded.given.samples
    rate = 1.0 / float(np.median(s.dt_s))
    if rate < 4 * CORNER_HZ:
        return []
    b, a = butter(2, CORNER_HZ / (0.5 * rate))
    smooth = np.ascontiguousarray(lfilter(b, a, s.gyro_b, axis=0))
    given = replace(loaded.given, samples=Samples(s.dt_s, smooth, s.acc_b, s.mag_b))
    p = project.fusion.attitude_ekf
    raw, low = _run(loaded, "attitude-ekf", p), _run(loaded, "attitude-ekf", p, given)
    noise = [float(np.degrees(np.diff(g, axis=0).std() / np.sqrt(2.0))) for g in (s.gyro_b, smooth)]
    delay = np.sqrt(2.0) / (2 * np.pi * CORNER_HZ)
    crossover = crossover_hz(project)
    phase = phase_cost_deg(LowPass("gyro low-pass", CORNER_HZ, 2), crossover)
    raw_better, low_better = _which_is_better(raw, low)
    better = (
        "better" if low_better and not raw_better else "worse" if raw_better and not low_better else "hardly different"
    )
    return [
        School(
            "Filter the gyro", "no: its delay costs phase", f"tilt {_deg(raw, 'tilt'):.2f}° RMSE; {noise[0]:.2g} °/s of "
            f"shaking in the rate, no phase lost",
            f"yes: low-pass of {CORNER_HZ:.0f} Hz", f"tilt {_deg(low, 'tilt'):.2f}° RMSE; {noise[1]:.2g} °/s, "
            f"{delay * 1e3:.1f} ms late: {phase:.0f}° where the roll loop crosses, at {crossover:.1f} Hz",
            f"With it the estimate is {better} here; the rate loop pays with phase for less shaking.",
        )
    ]  # fmt: skip


def crossover_hz(project: Project) -> float:
    """Return where the roll rate loop crosses: as designed, or as its gains make it. Delays move the phase alone."""
    loops = project.loops
    if loops.roll is None:
        return loops.crossover_hz
    frame = airframe_of(project.brief.craft)
    plant = Plant("roll", mixer_of(frame).authority_nm[0], inertia(frame)[0], loops.motor_tau_s)
    elements = (
        Controller("roll", *loops.roll, loops.derivative_hz), plant, LowPass("gyro low-pass", loops.gyro_lowpass_hz, 2),
    )  # fmt: skip
    found = margins(lambda w: open_loop(elements, w)).crossover_rad_s / (2.0 * np.pi)
    return float(found) if np.isfinite(found) and found > 0 else loops.crossover_hz


def _rate(project: Project, loaded: LoadedRecording) -> list[School]:
    rate = 1.0 / float(np.median(loaded.given.samples.dt_s))
    p: ComplementaryParameters = project.fusion.complementary
    found = []
    for k in SLOWER:
        if rate / k < 20.0:
            break
        c = _run(loaded, "complementary", p, slower(loaded.given, k))
        found.append((rate / k, _deg(c, "tilt"), _deg(c, "heading")))
    if len(found) < 2:
        return []
    (fast, tilt, heading), (slow, tilt_slow, heading_slow) = found[0], found[-1]
    steps = ", ".join(f"{r:.0f} Hz {t:.2f}°" for r, t, _ in found)
    return [
        School(
            "Update rate", f"as fast as it goes: {fast:.0f} Hz", f"tilt {tilt:.2f}°, heading {heading:.1f}° RMSE",
            f"slow: {slow:.0f} Hz", f"tilt {tilt_slow:.2f}°, heading {heading_slow:.1f}° RMSE", f"Tilt by rate of the "
            f"estimator: {steps}.",
        )
    ]  # fmt: skip


def slower(given: EstimatorInput, every: int) -> EstimatorInput:
    """Return a recording read every so many samples only, without a mean: what a slow loop sees."""
    if every == 1:
        return given
    s = given.samples
    rows = np.arange(every - 1, len(given.t_s), every)
    dt = s.dt_s[: len(rows) * every].reshape(-1, every).sum(axis=1)
    field = np.full((len(rows), 3), np.nan)
    known = np.flatnonzero(np.isfinite(s.mag_b).all(axis=1))
    at = np.searchsorted(rows, known)
    inside = at < len(rows)
    field[at[inside]] = s.mag_b[known[inside]]
    flags = given.aiding.known[rows] if len(given.aiding.known) else given.aiding.known
    samples = Samples(dt, np.ascontiguousarray(s.gyro_b[rows]), np.ascontiguousarray(s.acc_b[rows]), field)
    return replace(given, t_s=given.t_s[rows], samples=samples, aiding=replace(given.aiding, known=flags))
