"""The maker's own estimator beside Fusus' filters: on recordings, on simulated flights, and on the proving motion."""

import math
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.analysis.comparison import Comparison, Track, compare
from fusus.core.arrays import Array
from fusus.core.estimation.accelerometer_filter import filter_accelerometer
from fusus.core.estimation.initial import Start, start_from
from fusus.core.estimation.replay import EstimatorInput, run_estimator
from fusus.core.judgement.verdicts import Verdict, judge
from fusus.core.progress import Progress, Silent
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.given import given_by
from fusus.core.simulation.record import record
from fusus.core.world.site import Site
from fusus.errors import AlignmentError
from fusus.firmware.own.examine import OwnBuild, OwnRun, build_own, run_own
from fusus.firmware.own.explanation import LEFT, Explained, explain
from fusus.firmware.own.memory_checks import MemoryChecks, SourceFinding, check_memory
from fusus.firmware.own.motion import proving_motion
from fusus.firmware.own.score import rms_angle
from fusus.firmware.running.exchange import single_rows
from fusus.firmware.running.isolation import isolation_words
from fusus.project.records import Project
from fusus.study.brief.brief import mission_of
from fusus.study.flying.open_loop import full_suite_of, place_of
from fusus.study.fusion.summary import verdict
from fusus.study.kit.recordings import for_kit
from fusus.study.plain import plain
from fusus.study.recording.accelerometer_filter import acc_filters_of
from fusus.study.recording.loading import load

PROVING_SEED, FLIGHT_HZ = 1, 500.0
USUAL_FLIGHT = "mission"
MOST_RECORDINGS = 3
# The length of a quaternion beyond which it is worth a word.
LENGTH_OFF = 0.01
SHOWN_WARNINGS = 3


@dataclass(frozen=True, slots=True)
class Case:
    """Own code over one recording or simulated flight: how it ran, its errors and those of the estimator beside it (None without a
    reference), its verdicts, and the RMS angle between the two, rad."""

    name: str
    t_s: Array
    run: OwnRun
    own: Comparison | None
    fusus: Comparison | None
    beside: str
    verdicts: tuple[Verdict, ...]
    apart_rad: float
    why_not: str = ""

    def verdict(self, requirement: str) -> Verdict | None:
        """Return the verdict on a requirement by its key, None where it was not judged."""
        return next((v for v in self.verdicts if v.requirement.key == requirement), None)

    @property
    def words(self) -> str:
        """What went wrong, empty where nothing did."""
        return self.run.words(self.t_s)


@dataclass(frozen=True, slots=True)
class OwnStudy:
    """Own code held against all of them."""

    sources: str
    compiler: str
    explained: Explained
    cases: tuple[Case, ...]
    checks: MemoryChecks
    isolation: str

    @property
    def runs_through(self) -> bool:
        """Whether it came to an end with numbers everywhere."""
        return self.explained.run.is_whole and all(c.run.is_whole for c in self.cases)

    @property
    def passes(self) -> bool:
        """Whether it runs through, keeps to its own memory, follows the proving motion, and fails no requirement."""
        good = self.runs_through and self.explained.is_good and self.checks.are_good
        return good and not any(v.word == "fail" for c in self.cases for v in c.verdicts)


def check_own(
    folder: Path,
    project: Project,
    sources: Path,
    recordings: list[str] | None = None,
    flights: tuple[tuple[str, int], ...] = ((USUAL_FLIGHT, 1),),
    progress: Progress | None = None,
) -> OwnStudy:
    """Return how the maker's code does; it is compiled and run in a sandbox, so ask before calling this.

    CompilerError and SandboxError say why nothing could be run at all; crashes, hangs and NaN stand in the result.
    """
    progress = progress or Silent()
    names = recordings if recordings is not None else for_kit(folder, project)[:MOST_RECORDINGS]
    _, site = place_of(project)
    with tempfile.TemporaryDirectory(prefix="fusus-own-") as space:
        progress.step(0, 1, "Compiling")
        own = build_own(sources, Path(space))
        proving = proving_motion(PROVING_SEED, site)
        explained = explain(own.program, proving, site, progress)
        cases: list[Case] = []
        over = [(proving.given, proving.start)]
        total = len(names) + len(flights)
        # What does not come to an end here does not elsewhere: each further try would take as long again.
        names, flights = ([], ()) if explained.run.ended.timed_out else (names, flights)
        for name in names:
            progress.step(len(cases), total, f"Own code over {name}")
            loaded = load(folder, project, name)
            over.append(_begun(loaded.given, loaded.site))
            cases.append(_case(name, own.program, project, *over[-1], loaded.reference, loaded.site))
        for scenario, seed in flights:
            progress.step(len(cases), total, f"Own code over a simulated {scenario}")
            given, truth = _flown(project, scenario, seed)
            over.append(_begun(given, site))
            cases.append(_case(f"simulated {scenario}, seed {seed}", own.program, project, *over[-1], truth, site))
        progress.step(0, 1, "Own code with checks of memory")
        checks = _checked(own, over, site, is_ending=not explained.run.ended.timed_out)
        progress.step(1, 1, "Own code")
        compiler = Path(own.built.compiler).name
        return OwnStudy(str(sources), compiler, explained, tuple(cases), checks, isolation_words())


def _begun(given: EstimatorInput, site: Site) -> tuple[EstimatorInput, Start]:
    given = single_rows(given)
    return given, start_from(given.t_s, *given.samples[1:], site)


def _checked(own: OwnBuild, over: list[tuple[EstimatorInput, Start]], site: Site, is_ending: bool) -> MemoryChecks:
    """Return the compiler's warnings and what checked builds found."""
    if not own.sources:
        return MemoryChecks(
            (), "A shared library cannot be built with checks of memory: give the folder with its sources."
        )
    if not is_ending:
        return MemoryChecks(own.warnings, "Memory was not checked: the code does not come to an end.")
    found = check_memory(own.program.parent, list(own.sources), over, site)
    return MemoryChecks((*found.findings, *own.warnings), found.not_checked)


def _flown(project: Project, scenario: str, seed: int) -> tuple[EstimatorInput, Track]:
    place, site = place_of(project)
    flight = scenario_named(scenario).flight(mission_of(project), site.gravity_m_s2, FLIGHT_HZ)
    home = (place.lat_deg, place.lon_deg, place.height_m)
    given, truth = given_by(
        record(flight.motion, FLIGHT_HZ, full_suite_of(project), flight.around, site, home, seed), home
    )
    return filter_accelerometer(acc_filters_of(project.loops), given), truth


def _case(
    name: str, program: Path, project: Project, given: EstimatorInput, start: Start, reference: Track | None, site: Site
) -> Case:
    run = run_own(program, given, start, site)
    estimator = project.fusion.estimators[0]
    theirs = run_estimator(estimator, project.fusion.parameters_of(estimator), given, site)
    last = len(run.estimates) if run.bad_from is None else run.bad_from
    title = theirs.estimator.title
    if last < 10:
        return Case(name, given.t_s, run, None, None, title, (), math.inf, "it gave hardly any estimate")
    e = run.estimates
    q = e.q_nb[:last] / np.linalg.norm(e.q_nb[:last], axis=1)[:, None]
    apart = rms_angle(theirs.outputs.q_nb[:last], q)
    if not run.is_whole:
        return Case(name, given.t_s, run, None, None, title, (), apart, "it did not run through")
    if reference is None:
        return Case(name, given.t_s, run, None, None, title, (), apart, "the recording has no reference")
    pos = e.pos_n[:last] if np.isfinite(e.pos_n[:last]).all() else None
    vel = e.vel_n[:last] if np.isfinite(e.vel_n[:last]).all() else None
    motion = theirs.motion
    track = Track(theirs.t_s, theirs.outputs.q_nb, motion.pos_n if motion else None, motion.vel_n if motion else None)
    fusion = project.fusion
    try:
        own = compare(Track(given.t_s[:last], q, pos, vel), reference, fusion.align_time, fusion.align_yaw)
        fusus = compare(track, reference, fusion.align_time, fusion.align_yaw)
    except AlignmentError as error:
        return Case(name, given.t_s, run, None, None, title, (), apart, str(error))
    why = "outages are tried on Fusus' own estimators"
    verdicts = tuple(
        judge(r, None, why) if r.quantity == "outage" else judge(r, own) for r in project.brief.requirements
    )
    return Case(name, given.t_s, run, own, fusus, title, verdicts, apart)


def own_words(study: OwnStudy) -> list[str]:
    """Return what was found, in sentences, the worst first."""
    e = study.explained
    out = []
    motion = "On the proving motion"
    if not e.run.is_whole:
        out.append(f"{motion} {e.words}.")
    elif e.is_good:
        out.append(
            f"{motion} it stays within {math.degrees(e.before.angle_rad):.2f}° (RMS): none of the common implementation errors shows."
        )
    elif not e.errors_found:
        out.append(
            f"{motion} it is {_angle(e.before.angle_rad)} off (RMS), and none of {e.tried} tries with common implementation errors "
            "explains that: look at the equations, one term at a time."
        )
    out += _explained_words(e)
    if e.run.is_whole and abs(e.run.length - 1.0) > LENGTH_OFF:
        out.append(f"Its quaternion is {e.run.length:.3g} long, not one: normalise it.")
    for case in study.cases:
        if case.words:
            out.append(f"Over {case.name}: {case.words}.")
    out += [f.words for f in study.checks.findings if f.kind != "warning"]
    warnings = [f for f in study.checks.findings if f.kind == "warning"]
    out += [f.words for f in warnings[:SHOWN_WARNINGS]]
    if len(warnings) > SHOWN_WARNINGS:
        out.append(f"The compiler gives {len(warnings) - SHOWN_WARNINGS} further warnings.")
    if study.checks.not_checked:
        out.append(study.checks.not_checked)
    return out


def _explained_words(e: Explained) -> list[str]:
    """Return the implementation errors that were found, in sentences: two that only help together in one."""
    before = e.before.angle_rad
    if len(e.errors_found) == 2 and e.errors_found[0][1].total > LEFT * e.before.total:
        (one, _), (other, left) = e.errors_found
        off = f"{_angle(before)} off before, {_angle(left.angle_rad)} after"
        return [f"It agrees only when both {one.agrees}, and {other.agrees} ({off}). {one.mend} {other.mend}"]
    out = []
    for i, (wrong, left) in enumerate(e.errors_found):
        lead = "It agrees when " if i == 0 else "Beside that, "
        off = f"{_angle(before)} off before, {_angle(left.angle_rad)} after"
        out.append(f"{lead}{wrong.agrees} ({off}). {wrong.mend}")
        before = left.angle_rad
    return out


def _finding(found: SourceFinding) -> dict[str, Any]:
    return {"kind": found.kind, "file": found.file or None, "line": found.line or None, "said": found.text}


def _angle(rad: float) -> str:
    degrees = math.degrees(rad)
    return f"{degrees:.2f}°" if degrees < 10 else f"{degrees:.0f}°"


def own_report(study: OwnStudy) -> dict[str, Any]:
    """Return it for scripts."""
    e = study.explained
    result: dict[str, Any] = plain(
        {
            "sources": study.sources,
            "compiler": study.compiler,
            "passes": study.passes,
            "runs_through": study.runs_through,
            "said": own_words(study),
            "findings": [_finding(f) for f in study.checks.findings],
            "not_checked": study.checks.not_checked or None,
            "isolation": study.isolation,
            "proving": {
                "good": e.is_good, "rms_deg": math.degrees(e.before.angle_rad), "tried": e.tried,
                "slips": [
                    {"slip": s.name, "agrees_when": s.agrees, "mend": s.mend, "rms_deg_left": math.degrees(left.angle_rad)}
                    for s, left in e.errors_found
                ],
            },
            "cases": [
                {
                    "name": c.name, "samples": c.run.samples, "estimates": len(c.run.estimates), "problem": c.words or None,
                    "seconds": c.run.ended.seconds, "apart_from": c.beside, "apart_rms_deg": math.degrees(c.apart_rad),
                    "why_not": c.why_not or None, "verdicts": [verdict(v, float(c.t_s[0])) for v in c.verdicts],
                }
                for c in study.cases
            ],
        }
    )  # fmt: skip
    return result
