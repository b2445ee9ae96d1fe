"""What Parts and Drift show, computed in a worker thread: checks of all parts, the prediction, a still suite's drift."""

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from fusus.core.analysis import still
from fusus.core.arrays import Array
from fusus.core.derived_requirements.bus import bus_times, busiest
from fusus.core.derived_requirements.check import Check, Climate, check_part
from fusus.core.derived_requirements.derive import DerivedRequirement
from fusus.core.judgement.finding import Finding
from fusus.core.judgement.parts_findings import findings
from fusus.core.parts.part import Completed, Part
from fusus.core.prediction.ranking import Ranking
from fusus.core.progress import Progress
from fusus.project.records import Project
from fusus.study.brief.brief import available, derived_requirements_of
from fusus.study.brief.site import site_of
from fusus.study.parts.drift_facts import Fact, facts
from fusus.study.parts.ranges import Register, raw_rows, registers
from fusus.study.parts.schools import School, schools
from fusus.study.parts.suite import SuiteStudy, completed, study_suite

RUNS, SEED = 200, 5
FAN_POINTS = 240


@dataclass(frozen=True, slots=True)
class PartRow:
    """One part as it stands, made fit for a model, with its checks."""

    original: Part
    part: Completed
    own: bool
    checks: tuple[Check, ...]

    def count(self, kind: str) -> tuple[int, int]:
        """Return how many checks of a kind are kept, and how many there are."""
        found = [c for c in self.checks if c.kind == kind]
        return sum(c.kept for c in found), len(found)


@dataclass(frozen=True, slots=True)
class Fan:
    """Drift of a gyro at rest, degrees: closed form sigma, and the simulated runs' 68 and 95 % bands and median."""

    t_s: Array
    sigma_deg: Array
    bands_deg: Array  # (5, N): 2.5, 16, 50, 84, 97.5 %
    causes: dict[str, Array]


@dataclass(frozen=True, slots=True)
class Reckoning:
    """Dead reckoning: one sigma of position by cause, m, and how long it holds the limit, s."""

    t_s: Array
    causes: dict[str, Array]
    limit_m: float
    holds_s: float | None


@dataclass(frozen=True, slots=True)
class PredictionResult:
    """All of it. ``study`` and what follows are None while no IMU is chosen."""

    needs: tuple[DerivedRequirement, ...]
    rows: tuple[PartRow, ...]
    study: SuiteStudy | None
    findings: tuple[Finding, ...] = ()
    schools: tuple[School, ...] = ()
    fan: Fan | None = None
    reckoning: Reckoning | None = None
    allan: dict[str, dict[str, Array]] | None = None
    facts: tuple[Fact, ...] = ()
    bus: tuple[str, float] = ("", 0.0)
    registers: tuple[Register, ...] = ()
    raw: tuple[tuple[str, str, str, str, str], ...] = ()


def part_rows(project: Project) -> tuple[PartRow, ...]:
    """Return all parts there are with their checks against the brief."""
    needs = derived_requirements_of(project)
    climate = Climate(project.brief.climate.low_degc, project.brief.climate.high_degc)
    own = {id(p) for p in project.parts.own}
    rows = []
    for part in available(project):
        done = completed(part)
        rows.append(PartRow(part, done, id(part) in own, check_part(done, needs, project.parts.fitting, climate)))
    return tuple(rows)


def prediction_result(project: Project, ranking: Ranking | None, progress: Progress) -> PredictionResult:
    """Return what the project's parts promise."""
    needs, rows = derived_requirements_of(project), part_rows(project)
    study = study_suite(project, progress)
    if study is None:
        return PredictionResult(needs, rows, None)
    gyro, acc = study.model.gyro, study.model.acc
    tau = np.geomspace(0.01, 3e4, 160)
    return PredictionResult(
        needs, rows, study, findings(study.suite_prediction), schools(project, study, ranking), _fan(project, study),
        _reckoning(project, study),
        {"gyro": {"tau": tau} | still.allan_of_model(gyro, tau), "acc": {"tau": tau} | still.allan_of_model(acc, tau)},
        facts(project, study), _bus(needs, study), registers(study), raw_rows(study),
    )  # fmt: skip


def _bus(needs: tuple[DerivedRequirement, ...], study: SuiteStudy) -> tuple[str, float]:
    loop = next(n.value for n in needs if n.key == "loop_rate")
    return busiest(bus_times(study.choice.separate(), loop))


def _fan(project: Project, study: SuiteStudy) -> Fan:
    gyro, d = study.model.gyro, project.drift
    rate = max(0.2, min(2.0, 2400 / d.span_s))
    t, angle = still.drift_runs(gyro, d.averaging_s, d.span_s, RUNS, SEED, rate)
    keep = np.unique(np.linspace(0, len(t) - 1, FAN_POINTS).astype(int))
    bands = np.degrees(np.percentile(angle[keep], [2.5, 16, 50, 84, 97.5], axis=1))
    causes = {k: np.degrees(np.sqrt(v)) for k, v in still.angle_variances(gyro, d.averaging_s, t[keep]).items()}
    return Fan(t[keep], np.sqrt(sum(v**2 for v in causes.values())), bands, causes)


def _reckoning(project: Project, study: SuiteStudy) -> Reckoning:
    gyro, acc, d = study.model.gyro, study.model.acc, project.drift
    t = np.geomspace(0.5, 300.0, 200)
    gravity = site_of(project).gravity_m_s2
    spread = study.prediction.spread.true
    flying = study.prediction.trajectory.airborne
    tilt = float(np.sqrt(np.median(spread[flying, 6:8].mean(axis=1))))
    causes = still.position_variances(gyro, acc, d.averaging_s, tilt, gravity, t)
    holds = still.holds_for(causes, t, d.limit_m)
    return Reckoning(t, {k: np.sqrt(v) for k, v in causes.items()}, d.limit_m, holds)


def drift_summary(result: PredictionResult) -> dict[str, Any]:
    """Return fan, dead reckoning, Allan curves, facts, registers and schools as JSON data."""
    fan, reckoning = result.fan, result.reckoning
    return {
        "fan": None if fan is None else {
            "t_s": fan.t_s.tolist(), "sigma_deg": fan.sigma_deg.tolist(),
            "percentiles": [2.5, 16, 50, 84, 97.5], "bands_deg": fan.bands_deg.tolist(),
        },
        "dead_reckoning": None if reckoning is None else {
            "limit_m": reckoning.limit_m, "holds_s": reckoning.holds_s, "t_s": reckoning.t_s.tolist(),
            "sigma_m": {k: v.tolist() for k, v in reckoning.causes.items()},
        },
        "allan": {a: {k: v.tolist() for k, v in parts.items()} for a, parts in (result.allan or {}).items()},
        "facts": [asdict(f) for f in result.facts],
        "registers": [asdict(r) for r in result.registers],
        "raw": [list(r) for r in result.raw],
        "schools": [asdict(s) for s in result.schools],
    }  # fmt: skip
