"""Collects what a project has to say for itself: what it is, what it was proved by, with which versions and hashes."""

import hashlib
import math
import platform
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from functools import cache
from importlib import metadata
from pathlib import Path
from typing import Any

import numpy as np

from fusus.core.derived_requirements.modes import MODES
from fusus.core.estimation.catalogue import info_for
from fusus.core.judgement.finding import SEVERITY_WORDS
from fusus.core.parts.fields import COMMON, FIELDS, KIND_TITLES, PartKind
from fusus.core.parts.part import Completed, shown
from fusus.core.progress import Progress, Silent
from fusus.core.requirements import STATISTICS
from fusus.core.source import source_digest
from fusus.errors import FususError
from fusus.logs.info import list_recordings, load_info
from fusus.project.records import Project
from fusus.project.store import PROJECT_FILE
from fusus.report import figures
from fusus.report.content import Cell, Picture, Report, Rows, Section, Severity, Words
from fusus.study.bench.calibration_status import due_all
from fusus.study.brief.brief import body_of
from fusus.study.fusion.run import request_for, run
from fusus.study.loops.axes import study_loops
from fusus.study.loops.report import loops_report
from fusus.study.parts.suite import completed, find_part, prediction_summary, study_suite
from fusus.study.proof.verdicts import Judgement, judge_all

CAUTIONS = (
    "Estimates are advice, not airworthiness. Propellers off for all bench work with a battery in; motors restrained and people away for "
    "powered tests; lithium batteries charged, stored and carried as their maker says.",
    "First flights low, over soft ground, away from people, with a switch that stops the motors. Follow the local rules for unmanned "
    "aircraft, radio and batteries, and ask licensed people where these require it.",
)
WEIGHTS: dict[str, Severity] = {"pass": "fine", "close": "mind", "fail": "stop"}
# From harmless to worst.
WORST = ("pass", "close", "fail")
MOST_FINDINGS = 3
FINDING_WIDTHS = (0.75, 1.2, 1.4, 2.8, 2.1)
USED = ("numpy", "scipy", "numba", "polars", "pydantic")


def gather(folder: Path, project: Project, progress: Progress | None = None, now: datetime | None = None) -> Report:
    """Return the report of a project; what cannot be told says why, and the rest is told."""
    progress = progress or Silent()
    when = (now or datetime.now(UTC)).strftime("%Y-%m-%d %H:%M UTC")
    judged = cache(lambda: judge_all(folder, project))
    # What it comes to first, what it rests on after that.
    makers: tuple[tuple[str, Callable[[], Section]], ...] = (
        ("Result", lambda: _result(project, judged())),
        ("Verdicts and findings", lambda: _verdicts(project, judged())),
        ("Flight", lambda: _flight(folder, project)), ("Loops", lambda: _loops(folder, project)),
        ("Prediction", lambda: _prediction(folder, project)), ("Craft and mission", lambda: _craft(folder, project)),
        ("Parts", lambda: _parts(folder, project)), ("Calibrations", lambda: _calibrations(folder, project)),
        ("Origins", lambda: _origins(folder, project)),
    )  # fmt: skip
    sections = [Section("Cautions", tuple(Words(c, True) for c in CAUTIONS))]
    for i, (name, make) in enumerate(makers):
        progress.step(i, len(makers), "Writing the report")
        try:
            sections.append(make())
        except FususError as error:
            sections.append(Section(name, (Words(f"This cannot be told: {error}"),)))
    progress.step(len(makers), len(makers), "Writing the report")
    about = project.brief.about or "A craft without a purpose on record."
    return Report(
        f"{project.name}: what it flies on",
        about,
        f"Made {when} by Fusus {metadata.version('fusus')}.",
        tuple(sections),
    )


def _figure(value: float | None, unit: str = "") -> str:
    if value is None or not math.isfinite(value):
        return "–"
    shown = f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"
    return f"{shown}{'' if unit in ('', '°') else ' '}{unit}"


def _unit(unit: str) -> str:
    return {"deg": "°", "1": ""}.get(unit, unit)


def _craft(_folder: Path, project: Project) -> Section:
    b = project.brief
    c, m = b.craft, b.mission
    place = f"{b.place.lat_deg:.4f}°, {b.place.lon_deg:.4f}°, {b.place.height_m:.0f} m" if b.place else "not said"
    rows: list[tuple[Cell, ...]] = [
        ("Layout", c.layout), ("Mass, arm", f"{c.mass_kg:g} kg, {c.arm_m:g} m"), ("Motor thrust", f"{c.motor_thrust_n:g} N each"),
        ("Battery", f"{c.cells:g} cells, {c.capacity_as / 3.6:.0f} mAh"), ("Place", place),
        ("Modes", ", ".join(MODES[mode] for mode in b.modes)),
        ("Mission", f"{m.height_m:g} m high, {m.speed_m_s:g} m/s, wind {m.wind_m_s:g} m/s, {m.outage_s:g} s without fixes"),
        *((name, f"{value} ({source})") for name, value, source in body_of(project)),
    ]  # fmt: skip
    return Section("Craft and mission", (Rows(("what", "figure"), tuple(rows), (1.0, 3.0)),))


def _prediction(_folder: Path, project: Project) -> Section:
    study = study_suite(project)
    if study is None:
        return Section("Prediction", (Words("No IMU is chosen yet: nothing can be predicted."),))
    summary = prediction_summary(study)
    rows: list[tuple[Cell, ...]] = []
    bars = []
    for r in summary["requirements"]:
        unit = _unit(r["unit"])
        word: Cell = (
            ("not told", "") if r["met"] is None else ("in reach", "fine") if r["met"] else ("out of reach", "stop")
        )
        statistic = STATISTICS.get(r["statistic"], r["statistic"])
        rows.append((r["title"], statistic, _figure(r["limit"], unit), _figure(r["predicted"], unit), word))
        if r["predicted"] is not None and r["budget"]:
            bars.append((r["title"], r["predicted"] / r["limit"], r["budget"]))
    titles = ("requirement", "statistic", "limit>", "predicted>", "")
    blocks: list[Words | Rows | Picture] = [
        Words("What the chosen parts will do along the mission, by covariance, before anything is built or flown."),
        Rows(titles, tuple(rows), (2.0, 1.0, 1.0, 1.0, 1.0)),
    ]
    if bars:
        blocks.append(figures.shares("Predicted error over its limit, cut by source (shares of the variance).", bars))
    return Section("Prediction", tuple(blocks))


def _parts(_folder: Path, project: Project) -> Section:
    rows: list[tuple[Cell, ...]] = []
    for kind, title in KIND_TITLES.items():
        name = getattr(project.parts, kind)
        part = find_part(project, kind, name) if name else None
        if part is None:
            rows.append((title, name or "none", ""))
            continue
        measured = project.bench.figures(kind, part.part.name)
        words = ", ".join(f"{k} {_figure(v)}" for k, v in sorted(measured.items()))
        assumed = ", ".join(sorted(completed(part.part).assumed))
        told = [f"bench: {words}" if words else "by datasheet", f"assumed: {assumed}" if assumed else ""]
        rows.append((title, part.part.name, "; ".join(w for w in told if w)))
    figures_of: list[tuple[Cell, ...]] = []
    for kind, title in KIND_TITLES.items():
        name = getattr(project.parts, kind)
        part = find_part(project, kind, name) if name else None
        if part is not None:
            figures_of += _model(project, kind, title, part)
    return Section(
        "Parts and their error models",
        (
            Words("Where the bench measured a figure it stands before the datasheet's; what no datasheet says is assumed."),
            Rows(("part", "name", "measured and assumed, SI"), tuple(rows), (1.0, 1.0, 4.0)),
            Rows(("part", "figure", "value>", "evidence"), tuple(figures_of), (1.0, 2.2, 1.5, 1.2)),
        ),
    )  # fmt: skip


def _model(project: Project, kind: PartKind, title: str, part: Completed) -> list[tuple[Cell, ...]]:
    """Return the figures of a part that its error model is made of, with where each comes from."""
    measured = project.bench.figures(kind, part.part.name)
    out: list[tuple[Cell, ...]] = []
    for f in FIELDS[kind]:
        value = measured.get(f.name, part.part.figures.get(f.name))
        if value is None or f in COMMON:
            continue
        number, unit = shown(f, value)
        source = "bench" if f.name in measured else "assumed" if f.name in part.assumed else "datasheet"
        out.append((title, f.title, _figure(number, _unit(unit)), source))
    return out


def _calibrations(folder: Path, project: Project) -> Section:
    if not project.bench.calibrations:
        return Section("Calibrations", (Words("None has been taken over."),))
    due = {d.kind: d for d in due_all(folder, project)}
    rows: list[tuple[Cell, ...]] = []
    for c in project.bench.calibrations:
        stands: Cell = "practice: never used" if c.is_practice else "replaced or withdrawn"
        if c.is_in_force:
            d = due.get(c.kind)
            stands = ("due: " + d.why, "mind") if d is not None and d.is_due else ("active", "fine")
        rows.append(
            (
                c.kind,
                c.recording,
                c.when.strftime("%Y-%m-%d"),
                (c.verdict, WEIGHTS.get(c.verdict, "")),
                c.reason,
                stands,
            )
        )
    return Section(
        "Calibrations",
        (
            Rows(
                ("kind", "recording", "day", "verdict", "reason", "stands"), tuple(rows), (1.2, 1.5, 1.0, 0.7, 2.8, 1.5)
            ),
        ),
    )


def _result(project: Project, judged: Sequence[Judgement]) -> Section:
    """Return what it comes to on one page: the worst verdict on each requirement, and the three most important findings."""
    rows: list[tuple[Cell, ...]] = []
    counts = dict.fromkeys(("pass", "close", "fail", "not measured"), 0)
    for r in project.brief.requirements:
        found = [
            (v, f"{j.recording}, simulated" if (j.reference or "").startswith("simulation") else j.recording)
            for j in judged for v in j.verdicts if v["requirement"] == r.key and v["verdict"] in WORST
        ]  # fmt: skip
        worst = max(found, key=lambda f: (WORST.index(f[0]["verdict"]), f[0]["value"]), default=None)
        word = "not measured" if worst is None else worst[0]["verdict"]
        counts[word] = counts.get(word, 0) + 1
        title = f"{r.title} ({STATISTICS.get(r.statistic, r.statistic)})"
        if worst is None:
            rows.append((title, "–", "–", "not measured", "no recording shows it"))
            continue
        v, recording = worst
        unit = _unit(v["unit"])
        rows.append(
            (title, _figure(v["limit"], unit), _figure(v["value"], unit), (word, WEIGHTS.get(word, "")), recording)
        )
    said = ", ".join(f"{n} {word}" for word, n in counts.items() if n)
    findings = sorted(
        ((f, j.recording) for j in judged for f in j.findings if f["severity"] != "fine"),
        key=lambda x: (x[0]["severity"] != "stop", x[0]["subject"]),
    )[:MOST_FINDINGS]
    blocks: list[Words | Rows | Picture] = [
        Words(
            f"Of {len(project.brief.requirements)} requirements: {said or 'none'}. Each is told by the recording that shows it worst."
        ),
        Rows(("requirement", "limit>", "worst value>", "verdict", "recording"), tuple(rows), (2.4, 1.0, 1.2, 1.1, 1.5)),
    ]
    if findings:
        told: tuple[tuple[Cell, ...], ...] = tuple(
            ((SEVERITY_WORDS[f["severity"]], f["severity"]), recording, f["subject"], f["statement"], f["next_step"])
            for f, recording in findings
        )
        blocks.append(Words("What matters most:"))
        blocks.append(Rows(("", "recording", "finding", "what", "next"), told, FINDING_WIDTHS))
    return Section("Result", tuple(blocks))


def _verdicts(project: Project, judged: Sequence[Judgement]) -> Section:
    if not judged:
        return Section("Verdicts", (Words("No recording has been judged yet."),))
    rows: list[tuple[Cell, ...]] = []
    for j in judged:
        rows += _judged(j.recording, j.verdicts) if not j.error else [(j.recording, (j.error, "mind"), "", "", "", "")]
        if j.board is not None:
            measured = tuple(v for v in j.board["verdicts"] if v["value"] is not None)
            rows += _judged(f"{j.recording}, the board's own", measured)
    told: list[tuple[Cell, ...]] = [
        ((SEVERITY_WORDS[f["severity"]], f["severity"]), j.recording, f["subject"], f["statement"], f["next_step"])
        for j in judged for f in j.findings if f["severity"] != "fine"
    ]  # fmt: skip
    titles = ("recording", "requirement", "limit>", "value>", "95 % interval>", "verdict")
    blocks: list[Words | Rows | Picture] = [
        Words(
            f"Evaluated estimator: {info_for(project.fusion.estimators[0]).title}. The 95 % intervals allow for how long errors last."
        ),
        Rows(titles, tuple(rows), (1.3, 1.9, 0.8, 0.9, 1.4, 1.1)),
        Rows(
            ("recording", "held against", "one sigma of that"),
            tuple((j.recording, j.reference or "nothing", _sigmas(project, j.recording)) for j in judged), (1.3, 3.0, 2.0),
        ),
    ]  # fmt: skip
    if told:
        blocks.append(Rows(("", "recording", "finding", "what", "next"), tuple(told), FINDING_WIDTHS))
    return Section("Verdicts and findings", tuple(blocks))


def _judged(name: str, verdicts: tuple[dict[str, Any], ...]) -> list[tuple[Cell, ...]]:
    out: list[tuple[Cell, ...]] = []
    for v in verdicts:
        unit = _unit(v["unit"])
        interval = f"{v['interval'][0]:.3g} – {v['interval'][1]:.3g}" if v["interval"] else "–"
        word: Cell = (v["verdict"], WEIGHTS.get(v["verdict"], ""))
        out.append(
            (
                name,
                f"{v['title']} ({STATISTICS.get(v['statistic'], v['statistic'])})",
                _figure(v["limit"], unit),
                _figure(v["value"], unit),
                interval,
                word,
            )
        )
    return out


def _flight(folder: Path, project: Project) -> Section:
    """Return the judged estimate over the recording that is looked at."""
    name = project.fusion.recording or next((r.name for r in list_recordings(folder) if r.kind == "flight"), None)
    if name is None:
        return Section("Estimate", (Words("There is no recording to show an estimate over."),))
    load_info(folder, name)
    study = run(request_for(folder, project, name))
    judged = study.judged
    blocks: list[Words | Rows | Picture] = [
        Words(
            f"{judged.replay.estimator.title} over “{name}”, {len(judged.replay.t_s)} samples; figures of the tuning below."
        ),
    ]
    c = judged.comparison
    if c is not None and c.has_attitude:
        t = c.t_s - c.t_s[0]
        limit = next((r.limit for r in project.brief.requirements if r.quantity == "tilt"), None)
        tilt = {"tilt error": np.degrees(c.tilt)}
        if judged.replay.outputs.has_sigma:
            sigma = np.hypot(
                *(np.interp(c.t_s, judged.replay.t_s, judged.replay.outputs.sigma_rad[:, i]) for i in (0, 1))
            )
            tilt["claimed σ"] = np.degrees(sigma)
        at = None if limit is None else math.degrees(limit)
        blocks.append(figures.curves(f"Tilt error over “{name}”.", t, tilt, ("time [s]", "tilt [°]"), at))
    if c is not None:
        t = c.t_s - c.t_s[0]
        if c.pos is not None and np.isfinite(c.pos[:, 0]).any():
            errors = {"horizontal": np.hypot(c.pos[:, 0], c.pos[:, 1]), "height": np.abs(c.pos[:, 2])}
            blocks.append(figures.curves(f"Position error over “{name}”.", t, errors, ("time [s]", "error [m]")))
    else:
        blocks.append(Words(f"No error can be shown: {judged.why_not}."))
    tuning = project.fusion.parameters_of(judged.replay.estimator.name)
    field = info_for(judged.replay.estimator.name).field
    rows: list[tuple[Cell, ...]] = [
        (k, f"{v:g}" if isinstance(v, float) else str(v), project.evidence(f"fusion.{field}.{k}").told())
        for k in tuning.__dataclass_fields__ for v in (getattr(tuning, k),)
    ]  # fmt: skip
    blocks.append(Rows(("parameter, SI", "value>", "where it comes from"), tuple(rows), (2.0, 1.0, 3.0)))
    return Section("Estimator", tuple(blocks))


def _sigmas(project: Project, recording: str) -> str:
    """Return a declared reference's own uncertainty in words."""
    declared = project.proof.declared(recording)
    found = declared.all_sigmas() if declared is not None else {}
    angles, lengths = ("tilt", "heading"), ("position", "height", "velocity")
    out = [f"{k} {math.degrees(found[k]):.3g}°" for k in angles if k in found]
    return (
        ", ".join(out + [f"{k} {found[k]:.3g} {'m/s' if k == 'velocity' else 'm'}" for k in lengths if k in found])
        or "–"
    )


def _loops(_folder: Path, project: Project) -> Section:
    study = study_loops(project)
    r: dict[str, Any] = loops_report(study)
    rows: list[tuple[Cell, ...]] = [
        (
            name, *(f"{a['gains'][k]:.3g}" for k in ("p", "i", "d")), _figure(a["crossover_hz"], "Hz"), _figure(a["phase_margin_deg"], "°"),
            _figure(a["gain_margin_db"], "dB"), _figure(a["delay_margin_ms"], "ms"),
        )
        for name, a in r["axes"].items()
    ]  # fmt: skip
    told: list[tuple[Cell, ...]] = [
        ((SEVERITY_WORDS[f["severity"]], f["severity"]), f["subject"], f["statement"], f["next_step"])
        for f in r["findings"]
    ]
    return Section(
        "Loops",
        (
            Words(
                f"{r['schedule']} at {1e6 / r['period_us']:.0f} Hz, longest cycle {r['longest_cycle_us']:.0f} µs, "
                f"{r['latency_us']:.0f} µs from a sample to thrust; gains in full commands per rad/s."
            ),
            Rows(("axis", "P>", "I>", "D>", "crosses>", "phase>", "gain>", "delay>"), tuple(rows)),
            Rows(("", "finding", "what", "next"), tuple(told), (0.5, 1.4, 3.2, 2.2)),
        ),
    )


def _origins(folder: Path, _project: Project) -> Section:
    """Return versions, and hashes of what all this rests on."""
    versions = ", ".join(f"{name} {metadata.version(name)}" for name in USED)
    rows: list[tuple[Cell, ...]] = [
        ("Fusus", f"{metadata.version('fusus')}, core {source_digest()[:16]}"),
        ("Python", f"{platform.python_version()}, {versions}"),
        ("Project", hashlib.sha256((folder / PROJECT_FILE).read_bytes()).hexdigest()),
    ]
    for info in list_recordings(folder):
        for source in info.sources:
            rows.append((f"{info.name}: {source.name}", source.sha256))
        if not info.sources:
            rows.append(
                (info.name, f"simulated, seed {info.seed}" if info.seed is not None else "no source file on record")
            )

    return Section(
        "Versions and hashes",
        (
            Words("With these sources, this project and this version another person gets the same figures."),
            Rows(("what", "SHA-256 or version"), tuple(rows), (1.4, 3.0)),
        ),
    )
