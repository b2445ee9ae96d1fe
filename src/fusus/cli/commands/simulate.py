"""``fusus simulate``: flights along a given motion for the estimators, and in closed loop for the craft."""

import math
from dataclasses import dataclass
from typing import Annotated, Any

import typer

from fusus.cli.commands.errors_shown import cell, in_degrees, named, print_table
from fusus.cli.options import JsonFlag, ProjectFolder, SchedulerOption, command_with
from fusus.cli.output import StderrProgress, answering, print_json, refuse, table_of
from fusus.core.judgement.finding import SEVERITY_WORDS

CAUTION = (
    "A simulation is no airworthiness. First flights low, over soft ground, away from people, with a switch that stops the motors; "
    "follow the local rules."
)


@dataclass(frozen=True, kw_only=True, slots=True)
class SimulateOptions:
    """What ``fusus simulate`` is asked for."""

    project: ProjectFolder
    scenario: Annotated[
        str,
        typer.Option(
            help="Along a given motion: mission, hover, transit, turns, outage. In closed loop: take-off, hover-wind, step, "
            "stick-modes, flip, "
            "hover-level, hover-hold, crossing, gnss-loss, weak-motor, return, sweep, arming-tilted."
        ),
    ] = "mission"
    seed: Annotated[int, typer.Option(min=0, help="Of the first flight; each further one takes the next.")] = 1
    runs: Annotated[int, typer.Option(min=1, max=100_000, help="How many flights.")] = 1
    keep: Annotated[str | None, typer.Option(help="Keep the first flight as a recording of this name.")] = None
    estimator: Annotated[
        str | None, typer.Option(help="In closed loop: what the craft flies on; the project's judged one without it.")
    ] = None
    trouble: Annotated[
        str | None,
        typer.Option(
            help="In closed loop: what is wrong on purpose: level, sticks, gyro, magnetometer, wind, airflow, centre, saturation, "
            "vibration or multipath."
        ),
    ] = None
    scheduler: SchedulerOption = None
    as_json: JsonFlag = False


@command_with(SimulateOptions)
def simulate(given: SimulateOptions) -> None:
    """Simulate flights with the project's parts: what its estimators are off, or how its craft flies on its own estimate.

    In closed loop exit status 1 means that a flight did not end as it should.
    """
    with answering(given.as_json):
        from fusus.core.simulation.kinds import FLIGHTS, KINDS
        from fusus.project import store

        loaded = store.load(given.project)
        if given.scenario in FLIGHTS:
            report = _closed(given, loaded)
            if given.trouble is None and any(f["severity"] == "stop" for f in report["findings"]):
                raise typer.Exit(1)
        elif given.scenario in KINDS:
            _along_motion(given, loaded)
        else:
            refuse(f"--scenario {given.scenario} is none of {', '.join([*KINDS, *FLIGHTS])}.", given.as_json)


def _along_motion(given: SimulateOptions, loaded: Any) -> None:
    from fusus.study.flying import open_loop as study

    found = study.simulate(loaded, given.scenario, given.seed, given.runs, StderrProgress(), given.scheduler)
    if given.keep is not None:
        study.keep_flight(given.project, loaded, given.scenario, given.seed, given.keep)
    report = {
        "scenario": given.scenario, "seed": given.seed, "runs": given.runs, "recording": given.keep, "sensors": found.sensors,
        "estimators": {
            s.estimator: {
                "rmse": {named(q): in_degrees(q, v) for q, v in s.rmse.items()},
                "outage_error_m": in_degrees("m", s.outage),
                "coverage_one_sigma": {k.replace(" ", "_"): round(v, 4) for k, v in s.coverage.items()} or None,
                "nees": {k: round(v, 4) for k, v in s.nees.items()} or None,
            }
            for s in found.summaries
        },
        "predicted_rmse": {named(q): in_degrees(q, v) for q, v in found.predicted.items()} if found.predicted else None,
    }  # fmt: skip
    if given.as_json:
        print_json(report)
        return
    table = table_of("estimator", "tilt>", "heading>", "horizontal>", "height>", "velocity>", "outage>", "within 1 σ>")
    for s in found.summaries:
        share = f"{sum(s.coverage.values()) / len(s.coverage):.0%}" if s.coverage else "–"
        cells = [cell(q, s.rmse[q]) for q in ("tilt", "heading", "horizontal", "height", "velocity")]
        table.add_row(s.estimator, *cells, cell("horizontal", s.outage), share)
    if found.predicted:
        p = found.predicted
        cells = [cell(q, p.get(q, math.nan)) for q in ("tilt", "heading", "horizontal", "height", "velocity", "outage")]
        table.add_row("predicted", *cells, "68%")
    typer.echo(
        f"{given.runs} flight{'s' if given.runs > 1 else ''} of “{given.scenario}” from seed {given.seed}; RMS errors in the air:"
    )
    print_table(table)
    typer.echo(study.sensors_words(found.sensors))
    if given.keep is not None:
        typer.echo(f"kept as recording “{given.keep}”")


def _closed(given: SimulateOptions, loaded: Any) -> dict[str, Any]:
    from fusus.study.bench.calibration_status import due_all
    from fusus.study.flying.closed_loop import Conditions, keep_closed_flight, simulate_flights
    from fusus.study.flying.open_loop import sensors_words
    from fusus.study.flying.report import flights_report

    due = any(d.is_due for d in due_all(given.project, loaded))
    try:
        found = simulate_flights(
            loaded,
            given.scenario,
            given.seed,
            given.runs,
            StderrProgress(),
            given.scheduler,
            Conditions(given.estimator, due, given.trouble),
        )
    except KeyError as error:
        refuse(f"{error.args[0]}.", given.as_json)
    if given.keep is not None:
        keep_closed_flight(
            given.project, loaded, given.scenario, given.seed, given.keep, given.estimator, given.trouble
        )
    report = flights_report(found) | {"recording": given.keep, "trouble": given.trouble}
    if given.as_json:
        print_json(report)
        return report
    typer.echo(
        f"{given.runs} flight{'s' if given.runs > 1 else ''} of “{given.scenario}” from seed {given.seed}, flown on {found.estimator} at "
        f"{report['loop_rate_hz']:.0f} Hz, {found.x_real_time:.0f} × real time:"
    )
    table = table_of("flight", "ends", "air>", "tilt>", "held>", "height>", "estimate>", "full>", "lowest>", "mean>")
    for f in report["flights"][:12]:
        table.add_row(
            f"seed {f['seed']}", f["end"] + (f": {', '.join(f['refused'])}" if f["refused"] else ""), f"{f['air_s']:.1f} s",
            f"{f['tilt_max_deg']:.0f}°", _metres(f["held_max_m"]), _metres(f["height_max_m"]), _metres(f["errors"]["horizontal_error_m"]),
            f"{f['saturated']:.1%}", f"{f['lowest_voltage_v']:.1f} V",
            "–" if f["mean_current_a"] is None else f"{f['mean_current_a']:.1f} A",
        )  # fmt: skip
    print_table(table)
    typer.echo(sensors_words(found.sensors))
    if given.runs > 12:
        ends = ", ".join(f"{n} {end}" for end, n in report["ends"].items())
        typer.echo(f"… of {given.runs} flights in all: {ends}")
    for f in report["findings"]:
        typer.echo(
            f"[{SEVERITY_WORDS[f['severity']]}] {f['subject']}: {f['statement']} {f['reason']} -> {f['next_step']}"
        )
    if given.keep is not None:
        typer.echo(f"kept as recording “{given.keep}”")
    typer.echo(CAUTION)
    return report


def _metres(value: float | None) -> str:
    return "–" if value is None else f"{value:.2f} m"
