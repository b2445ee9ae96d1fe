"""``fusus tune``, ``ablate``, ``faults``, ``schools`` and ``survey``."""

import math
from typing import Annotated

import typer

from fusus.cli.commands.errors_shown import cell, in_degrees, measured, named, print_table, tell_measure
from fusus.cli.options import JsonFlag, ProjectFolder, SchedulerOption
from fusus.cli.output import StderrProgress, answering, print_json, refuse, table_of
from fusus.core.judgement.finding import SEVERITY_WORDS

RecordingName = Annotated[str, typer.Option(help="Name of the recording.", show_default=False)]


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
        from fusus.study.fusion import tuning

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
        print_table(table)
        typer.echo("taken over" if apply else "not taken over; add --apply to do so")


def ablate(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Take each sensor out, or make it twice as good, and see the requirements move."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.fusion.ablation import ablate as study
        from fusus.study.fusion.run import request_for
        from fusus.study.fusion.smoothing import load_measurable

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
                shown = [in_degrees(q, x) for q, x in zip(quantities, v.values, strict=True)]
                rows.append({"variant": v.title, "values": dict(zip(keys, shown, strict=True))})
            print_json({"recording": recording, **measured(given), "estimator": found.estimator, "rows": rows})
            return
        table = table_of(found.estimator, *(f"{n}>" for n in names))
        for v in found.rows:
            table.add_row(
                v.title, *("–" if x is None else cell(q, x) for q, x in zip(quantities, v.values, strict=True))
            )
        print_table(table)
        tell_measure(given)


def faults(
    project: ProjectFolder,
    recording: RecordingName,
    fault: Annotated[list[str] | None, typer.Option(help="Only these; all without it.")] = None,
    estimator: Annotated[list[str] | None, typer.Option(help="Only these; the project's without it.")] = None,
    scheduler: SchedulerOption = None,
    as_json: JsonFlag = False,
) -> None:
    """Put faults into a recording: how far each estimator goes wrong, whether anything tells, how it recovers."""
    with answering(as_json):
        from fusus.core.simulation.faults import FAULTS, fault_named
        from fusus.project import store
        from fusus.study.fusion.faults import fault_sweep
        from fusus.study.fusion.run import Choice
        from fusus.study.fusion.smoothing import load_measurable
        from fusus.study.workers import workers

        loaded = store.load(project)
        try:
            chosen = tuple(fault_named(f) for f in fault) if fault else FAULTS
            names = tuple(estimator) if estimator else loaded.fusion.estimators
            choices = tuple(Choice(n, loaded.fusion.parameters_of(n)) for n in names)
        except KeyError as error:
            refuse(f"{error.args[0]}.", as_json)
        given = load_measurable(project, loaded, recording)
        with workers(scheduler, len(chosen) * len(choices)) as pool:
            found = fault_sweep(given, choices, chosen, StderrProgress(), pool)
        if as_json:
            print_json(
                {
                    "recording": recording,
                    **measured(given),
                    "results": [
                        {
                            "fault": r.fault.name, "estimator": r.estimator, "start_s": r.start_s, "end_s": r.end_s,
                            "worst": {named(q): in_degrees(q, v) for q, v in r.worst.items()},
                            "without": {named(q): in_degrees(q, v) for q, v in r.without.items()},
                            "hurts": r.hurts, "noticed": r.noticed, "findings": list(r.told),
                            "sigma_grew": in_degrees("", r.sigma_grew), "recovers_s": r.recovers_s,
                        }
                        for r in found
                    ],
                }
            )  # fmt: skip
            return
        table = table_of("estimator", "fault", "worst error", "tells", "recovers>")
        for r in found:
            worst = ", ".join(f"{q} {cell(q, v)}" for q, v in r.worst.items())
            says = (
                "stays within limits"
                if not r.hurts
                else "silent"
                if not r.noticed
                else (r.told[0] if r.told else f"σ × {r.sigma_grew:.1f}")
            )
            table.add_row(r.title, r.fault.title, worst, says, "–" if r.recovers_s is None else f"{r.recovers_s:.0f} s")
        print_table(table)
        tell_measure(given)


def schools(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Compare the schools of fusion with figures of your own recording."""
    with answering(as_json):
        from dataclasses import asdict

        from fusus.project import store
        from fusus.study.fusion.schools import fusion_schools
        from fusus.study.fusion.smoothing import load_measurable

        loaded = store.load(project)
        given = load_measurable(project, loaded, recording)
        found = fusion_schools(loaded, given, StderrProgress())
        if as_json:
            print_json({"recording": recording, **measured(given), "schools": [asdict(s) for s in found]})
            return
        for s in found:
            typer.echo(f"{s.question}\n  {s.first}: {s.first_says}\n  {s.second}: {s.second_says}\n  -> {s.here}")
        tell_measure(given)


def survey(project: ProjectFolder, recording: RecordingName, as_json: JsonFlag = False) -> None:
    """Find the receiver's delay and lever arm, and the magnetometer's mounting, from a flight, with standard errors."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.fusion.summary import finding
        from fusus.study.fusion.survey import findings
        from fusus.study.fusion.survey import survey as study
        from fusus.study.recording.loading import load

        loaded = store.load(project)
        given = load(project, loaded, recording)
        found = study(given.given, loaded.fusion.navigation_ekf, given.site)
        if found is None:
            refuse(f"“{recording}” holds too few fixes: a flight with turns and accelerations is needed.", as_json)
        says = findings(found, loaded.fusion.navigation_ekf)
        if as_json:
            turned, turned_sigma = found.turned_rad, found.turned_sigma_rad
            print_json(
                {
                    "recording": recording,
                    "lever_arm_m": list(found.arm_m),
                    "lever_arm_standard_error_m": list(found.arm_sigma_m),
                    "gnss_delay_s": found.delay_s,
                    "gnss_delay_standard_error_s": found.delay_sigma_s,
                    "magnetometer_turned_deg": [math.degrees(x) for x in turned] if turned else None,
                    "magnetometer_turned_standard_error_deg": [math.degrees(x) for x in turned_sigma]
                    if turned_sigma
                    else None,
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
            typer.echo(f"  [{SEVERITY_WORDS[f.severity]}] {f.subject}: {f.statement} -> {f.next_step}")
