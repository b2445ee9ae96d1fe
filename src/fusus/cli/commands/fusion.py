"""``fusus simulate``, ``tune``, ``ablate``, ``faults``, ``schools`` and ``survey``."""

import math
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import StderrProgress, answering, print_json, refuse, table_of

RecordingName = Annotated[str, typer.Option(help="Name of the recording.", show_default=False)]
DEGREES = ("tilt", "heading")


def _shown(quantity: str, value: float | None) -> float | None:
    """Return an SI error as people read it: angles in degrees."""
    if value is None or not math.isfinite(value):
        return None
    return float(f"{math.degrees(value) if quantity in DEGREES else value:.6g}")


def _named(quantity: str) -> str:
    return (
        f"{quantity}_deg"
        if quantity in DEGREES
        else f"{quantity}_m_s"
        if quantity in ("velocity", "climb")
        else f"{quantity}_m"
    )


def _measured(given: Any) -> dict[str, str]:
    return {"measured_against": given.measured_by or given.info.reference_is or "reference"}


def _tell_measure(given: Any) -> None:
    if given.measured_by:
        typer.echo(f"measured against {given.measured_by}, for want of a reference: it is no truth")


def _print(table: Any) -> None:
    from rich.console import Console

    Console(width=150).print(table)


def simulate(
    project: ProjectFolder,
    scenario: Annotated[str, typer.Option(help="mission, hover, transit, turns or outage.")] = "mission",
    seed: Annotated[int, typer.Option(min=0, help="Of the first flight; each further one takes the next.")] = 1,
    runs: Annotated[int, typer.Option(min=1, max=100_000, help="How many flights.")] = 1,
    keep: Annotated[str | None, typer.Option(help="Keep the first flight as a recording of this name.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Simulate flights with the project's parts and say what its estimators are off, and whether their sigmas hold."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study import simulate as study

        loaded = store.load(project)
        try:
            found = study.simulate(loaded, scenario, seed, runs, StderrProgress())
        except KeyError as error:
            refuse(f"--scenario {error.args[0]}.", as_json)
        if keep is not None:
            study.keep_flight(project, loaded, scenario, seed, keep)
        report = {
            "scenario": scenario, "seed": seed, "runs": runs, "recording": keep,
            "estimators": {
                s.estimator: {
                    "rmse": {_named(q): _shown(q, v) for q, v in s.rmse.items()},
                    "outage_error_m": _shown("m", s.outage),
                    "coverage_one_sigma": {k.replace(" ", "_"): round(v, 4) for k, v in s.coverage.items()} or None,
                    "nees": {k: round(v, 4) for k, v in s.nees.items()} or None,
                }
                for s in found.summaries
            },
            "predicted_rmse": {_named(q): _shown(q, v) for q, v in found.predicted.items()} if found.predicted else None,
        }  # fmt: skip
        if as_json:
            print_json(report)
            return
        table = table_of(
            "estimator", "tilt>", "heading>", "horizontal>", "height>", "velocity>", "outage>", "within 1 σ>"
        )
        for s in found.summaries:
            share = f"{sum(s.coverage.values()) / len(s.coverage):.0%}" if s.coverage else "–"
            cells = [_cell(q, s.rmse[q]) for q in ("tilt", "heading", "horizontal", "height", "velocity")]
            table.add_row(s.estimator, *cells, _cell("horizontal", s.outage), share)
        if found.predicted:
            p = found.predicted
            cells = [
                _cell(q, p.get(q, math.nan)) for q in ("tilt", "heading", "horizontal", "height", "velocity", "outage")
            ]
            table.add_row("predicted", *cells, "68%")
        typer.echo(f"{runs} flight{'s' if runs > 1 else ''} of “{scenario}” from seed {seed}; RMS errors in the air:")
        _print(table)
        if keep is not None:
            typer.echo(f"kept as recording “{keep}”")


def _cell(quantity: str, value: float) -> str:
    shown = _shown(quantity, value)
    if shown is None:
        return "–"
    return (
        f"{shown:.2f}°" if quantity in DEGREES else f"{shown:.2f} m/s" if quantity == "velocity" else f"{shown:.2f} m"
    )


def tune(
    project: ProjectFolder,
    by: Annotated[
        str, typer.Option(help="parts (datasheet and bench) or likelihood (of a recording's innovations).")
    ] = "parts",
    estimator: Annotated[str, typer.Option(help="Which one, for --by parts.")] = "navigation-ekf",
    recording: Annotated[str | None, typer.Option(help="For --by likelihood.")] = None,
    apply: Annotated[bool, typer.Option("--apply", help="Take the tuning over into the project.")] = False,
    as_json: JsonFlag = False,
) -> None:
    """Tune an estimator by what is known of its sensors, or by what surprised it least."""
    with answering(as_json):
        from fusus.core.estimation.catalogue import info_for
        from fusus.project import store
        from fusus.study import tuning

        loaded = store.load(project)
        try:
            info = info_for(estimator)
        except KeyError as error:
            refuse(f"--estimator {error.args[0]}.", as_json)
        gain = None
        if by == "parts":
            command = tuning.tuning_from_parts(loaded, info.name)
            if command is None:
                refuse(f"{info.title} cannot be tuned by parts: choose an IMU first, or tune it by hand.", as_json)
        elif by == "likelihood":
            if recording is None:
                refuse("--by likelihood needs --recording.", as_json)
            command, gain = tuning.tuning_by_likelihood(project, loaded, recording, StderrProgress())
        else:
            refuse(f"--by {by}: take parts or likelihood.", as_json)
        before = loaded.fusion.parameters_of(command.estimator)
        if apply:
            store.save(project, command.apply(loaded))
        rows = [
            {
                "parameter": s.path.rpartition(".")[2], "before": getattr(before, s.path.rpartition(".")[2]), "after": s.value,
                "evidence": s.evidence.told(), "standard_error": s.evidence.standard_error,
            }
            for s in command.steps
        ]  # fmt: skip
        report = {
            "estimator": command.estimator,
            "by": by,
            "log_likelihood_gain": gain,
            "tuned": rows,
            "applied": apply,
        }
        if as_json:
            print_json(report)
            return
        table = table_of("parameter", "before>", "after>", "evidence")
        for row in rows:
            table.add_row(str(row["parameter"]), f"{row['before']:.4g}", f"{row['after']:.4g}", str(row["evidence"]))
        _print(table)
        typer.echo("taken over" if apply else "not taken over; add --apply to do so")


def ablate(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Take each sensor out, or make it twice as good, and see the requirements move."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.ablation import ablate as study
        from fusus.study.run import request_for
        from fusus.study.smoothing import load_measurable

        loaded = store.load(project)
        request = request_for(project, loaded, recording)
        given = load_measurable(project, loaded, recording)
        found = study(given, request.choices[0], loaded.brief.requirements, StderrProgress())
        names = [r.key for r in found.requirements]
        quantities = [r.quantity for r in found.requirements]
        if as_json:
            keys = [f"{r.key}_{r.statistic}" for r in found.requirements]
            rows = []
            for v in found.rows:
                shown = [_shown(q, x) for q, x in zip(quantities, v.values, strict=True)]
                rows.append({"variant": v.title, "values": dict(zip(keys, shown, strict=True))})
            print_json({"recording": recording, **_measured(given), "estimator": found.estimator, "rows": rows})
            return
        table = table_of(found.estimator, *(f"{n}>" for n in names))
        for v in found.rows:
            table.add_row(
                v.title, *("–" if x is None else _cell(q, x) for q, x in zip(quantities, v.values, strict=True))
            )
        _print(table)
        _tell_measure(given)


def faults(
    project: ProjectFolder,
    recording: RecordingName,
    fault: Annotated[list[str] | None, typer.Option(help="Only these; all without it.")] = None,
    estimator: Annotated[list[str] | None, typer.Option(help="Only these; the project's without it.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Put faults into a recording: how far each estimator goes wrong, whether anything tells, how it recovers."""
    with answering(as_json):
        from fusus.core.simulation.faults import FAULTS, fault_named
        from fusus.project import store
        from fusus.study.faulting import fault_sweep
        from fusus.study.run import Choice
        from fusus.study.smoothing import load_measurable

        loaded = store.load(project)
        try:
            chosen = tuple(fault_named(f) for f in fault) if fault else FAULTS
            names = tuple(estimator) if estimator else loaded.fusion.estimators
            choices = tuple(Choice(n, loaded.fusion.parameters_of(n)) for n in names)
        except KeyError as error:
            refuse(f"{error.args[0]}.", as_json)
        given = load_measurable(project, loaded, recording)
        found = fault_sweep(given, choices, chosen, StderrProgress())
        if as_json:
            print_json(
                {
                    "recording": recording,
                    **_measured(given),
                    "results": [
                        {
                            "fault": r.fault.name, "estimator": r.estimator, "start_s": r.start_s, "end_s": r.end_s,
                            "worst": {_named(q): _shown(q, v) for q, v in r.worst.items()},
                            "without": {_named(q): _shown(q, v) for q, v in r.without.items()},
                            "hurts": r.hurts, "noticed": r.noticed, "findings": list(r.told),
                            "sigma_grew": _shown("", r.sigma_grew), "recovers_s": r.recovers_s,
                        }
                        for r in found
                    ],
                }
            )  # fmt: skip
            return
        table = table_of("estimator", "fault", "worst error", "tells", "recovers>")
        for r in found:
            worst = ", ".join(f"{q} {_cell(q, v)}" for q, v in r.worst.items())
            says = (
                "nothing needed"
                if not r.hurts
                else "silent"
                if not r.noticed
                else (r.told[0] if r.told else f"σ × {r.sigma_grew:.1f}")
            )
            table.add_row(r.title, r.fault.title, worst, says, "–" if r.recovers_s is None else f"{r.recovers_s:.0f} s")
        _print(table)
        _tell_measure(given)


def schools(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Compare the schools of fusion with figures of your own recording."""
    with answering(as_json):
        from dataclasses import asdict

        from fusus.project import store
        from fusus.study.fusion_schools import fusion_schools
        from fusus.study.smoothing import load_measurable

        loaded = store.load(project)
        given = load_measurable(project, loaded, recording)
        found = fusion_schools(loaded, given, StderrProgress())
        if as_json:
            print_json({"recording": recording, **_measured(given), "schools": [asdict(s) for s in found]})
            return
        for s in found:
            typer.echo(f"{s.question}\n  {s.first}: {s.first_says}\n  {s.second}: {s.second_says}\n  -> {s.here}")
        _tell_measure(given)


def survey(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Find the receiver's delay and lever arm, and the magnetometer's mounting, from a flight, with standard errors."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.loading import load
        from fusus.study.summary import finding
        from fusus.study.survey import findings
        from fusus.study.survey import survey as study

        loaded = store.load(project)
        given = load(project, loaded, recording)
        found = study(given.given, loaded.fusion.navigation_ekf, given.site)
        if found is None:
            refuse(f"“{recording}” holds too few fixes: a flight with turns and accelerations is needed.", as_json)
        says = findings(found, loaded.fusion.navigation_ekf)
        if as_json:
            turned, sigma = found.turned_rad, found.turned_sigma_rad
            print_json(
                {
                    "recording": recording,
                    "lever_arm_m": list(found.arm_m),
                    "lever_arm_standard_error_m": list(found.arm_sigma_m),
                    "gnss_delay_s": found.delay_s,
                    "gnss_delay_standard_error_s": found.delay_sigma_s,
                    "magnetometer_turned_deg": [math.degrees(x) for x in turned] if turned else None,
                    "magnetometer_turned_standard_error_deg": [math.degrees(x) for x in sigma] if sigma else None,
                    "findings": [finding(f) for f in says],
                }
            )
            return
        for axis, value, sigma in zip(("ahead", "right", "below"), found.arm_m, found.arm_sigma_m, strict=True):
            typer.echo(f"  antenna {axis:<6} {value:+.3f} ± {sigma:.3f} m")
        typer.echo(f"  delay          {found.delay_s * 1e3:.0f} ± {found.delay_sigma_s * 1e3:.0f} ms")
        if found.turned_rad is not None:
            typer.echo(
                "  magnetometer turned by "
                + ", ".join(f"{math.degrees(x):+.1f}°" for x in found.turned_rad)
                + " about x, y, z"
            )
        for f in says:
            typer.echo(f"  [{f.severity}] {f.subject}: {f.statement} -> {f.next_step}")
