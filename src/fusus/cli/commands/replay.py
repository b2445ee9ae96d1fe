"""``fusus replay``."""

import json
from dataclasses import dataclass
from dataclasses import replace as changed
from pathlib import Path
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import StderrProgress, answering, print_json, refuse
from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.judgement.finding import SEVERITY_WORDS
from fusus.project.json_text import parsed

NAMES = ", ".join(e.name for e in ESTIMATORS)


@dataclass(frozen=True, kw_only=True, slots=True)
class ReplayOptions:
    """What ``fusus replay`` is asked for."""

    project: ProjectFolder
    recording: Annotated[
        list[str], typer.Option(help="Name of the recording; may be given several times.", show_default=False)
    ]
    estimator: Annotated[list[str], typer.Option(help=f"{NAMES}; may be given several times.", show_default=False)]
    parameters: Annotated[Path | None, typer.Option(help="Tuning (JSON); else the project's.")] = None
    no_acc: Annotated[bool, typer.Option("--no-acc", help="Leave the accelerometer out: what the gyro does alone.")] = (
        False
    )
    no_mag: Annotated[bool, typer.Option("--no-mag", help="Leave the magnetometer out.")] = False
    no_baro: Annotated[bool, typer.Option("--no-baro", help="Leave the barometer out.")] = False
    no_gnss: Annotated[bool, typer.Option("--no-gnss", help="Leave GNSS out.")] = False
    gnss_outage: Annotated[
        list[str] | None,
        typer.Option(metavar="START_S:DURATION_S", help="Hide GNSS for a while, seconds from the start."),
    ] = None
    align_time: Annotated[bool, typer.Option("--align-time", help="Align the reference's clock first.")] = False
    align_yaw: Annotated[bool, typer.Option("--align-yaw", help="Take the mean heading difference off.")] = False
    no_calibration: Annotated[
        bool, typer.Option("--no-calibration", help="Take the sensors as they were recorded.")
    ] = False
    out: Annotated[
        Path | None,
        typer.Option(help="Write the estimate (.parquet or .csv), or its way on the globe (.geojson or .gpx)."),
    ] = None
    as_json: JsonFlag = False


@command_with(ReplayOptions)
def replay(given: ReplayOptions) -> None:
    """Run estimators over recordings and say how far they are from the reference."""
    with answering(given.as_json):
        from fusus.core.analysis.outage import outage_from
        from fusus.core.estimation.catalogue import info_for
        from fusus.project import store
        from fusus.study.fusion.run import Choice, Request

        loaded = store.load(given.project)
        if given.no_calibration:
            loaded = loaded.model_copy(update={"bench": loaded.bench.model_copy(update={"use": False})})
        try:
            infos = [info_for(name) for name in given.estimator]
        except KeyError as error:
            refuse(f"--estimator {error.args[0]}.", given.as_json)
        if given.out is not None and len(infos) * len(given.recording) > 1:
            refuse("--out takes one estimator and one recording; give one of each.", given.as_json)
        try:
            outages = tuple(outage_from(text) for text in given.gnss_outage or [])
        except ValueError as error:
            refuse(f"--gnss-outage {error}", given.as_json)
        reports = []
        for name in given.recording:
            for info in infos:
                tuning = loaded.fusion.parameters_of(info.name)
                if given.parameters is not None:
                    tuning = _tuned(tuning, given.parameters, info.name, given.as_json)
                fusion = loaded.fusion
                request = Request(
                    given.project, loaded, name, (Choice(info.name, tuning),), fusion.use_magnetometer and not given.no_mag,
                    given.align_time or fusion.align_time, given.align_yaw or fusion.align_yaw,
                    fusion.use_barometer and not given.no_baro, fusion.use_gnss and not given.no_gnss, outages,
                    fusion.use_accelerometer and not given.no_acc,
                )  # fmt: skip
                reports.append(_run(request, given.out))
        if given.as_json:
            print_json(reports[0] if len(reports) == 1 else {"runs": reports})
            return
        for report in reports:
            _tell(report, given.out)


def _run(request: Any, out: Path | None) -> dict[str, Any]:
    from fusus.study.fusion.run import run
    from fusus.study.fusion.summary import replay_report

    study = run(request, StderrProgress())
    if out is not None:
        from fusus.study.fusion.exporting import export_estimate

        export_estimate(study, out)
    return replay_report(study)


def _tuned(tuning: Any, path: Path, name: str, as_json: bool) -> Any:
    try:
        data = parsed(path.read_text(encoding="utf-8"))
    except OSError as error:
        refuse(f"{path.name}: the tuning cannot be read ({error.strerror}).", as_json)
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        refuse(f"{path.name}: the tuning is no JSON text ({error}).", as_json)
    if isinstance(data, dict):
        data = data.get(name, data.get(name.replace("-", "_"), data))
    if not isinstance(data, dict):
        refuse(f"{path.name}: a tuning is an object of names and numbers.", as_json)
    known = set(type(tuning).__dataclass_fields__)
    unknown = sorted(set(data) - known)
    if unknown:
        refuse(f"{path.name}: {name} has no {', '.join(unknown)}; it has {', '.join(sorted(known))}.", as_json)
    return changed(tuning, **data)


def _tell_errors(e: dict[str, Any], outages: list[dict[str, Any]]) -> None:
    for quantity in ("tilt", "heading"):
        values = [e[f"{quantity}_{s}_deg"] for s in ("rmse", "p95", "max")]
        typer.echo(f"  {quantity:<10} RMSE {values[0]:6.2f}°   95 % {values[1]:6.2f}°   max {values[2]:6.2f}°")
    for quantity, key, unit in (
        ("horizontal", "m", "m"), ("height", "m", "m"), ("velocity", "m_s", "m/s"), ("climb", "m_s", "m/s"),
    ):  # fmt: skip
        if f"{quantity}_rmse_{key}" in e:
            values = [e[f"{quantity}_{s}_{key}"] for s in ("rmse", "p95", "max")]
            typer.echo(
                f"  {quantity:<10} RMSE {values[0]:6.2f} {unit}   95 % {values[1]:6.2f} {unit}   max {values[2]:6.2f} {unit}"
            )
    for o in outages:
        if o["horizontal_error_m"] is not None:
            typer.echo(
                f"  outage from {o['start_s']:g} s for {o['duration_s']:g} s: {o['horizontal_error_m']:.2f} m off at its end, "
                f"height {o['height_error_m']:.2f} m"
            )


def _tell(report: dict[str, Any], out: Path | None) -> None:
    typer.echo(
        f"{report['estimator']} over “{report['recording']}”: {report['samples']} samples in {report['elapsed_s']:.2f} s "
        f"({report['x_real_time']:.0f} times real time)"
    )
    if report["errors"] is not None:
        _tell_errors(report["errors"], report["outages"])
    else:
        typer.echo(f"  no errors: {report['no_errors_because']}")
    if report["against_smoother"] is not None:
        typer.echo("  off the smoother, which knows what came after but is no truth:")
        _tell_errors(report["against_smoother"]["errors"], report["against_smoother"]["outages"])
    bias = [57.29577951308232 * b for b in report["gyro_bias_rad_s"]]
    typer.echo(f"  gyro bias at the end: {bias[0]:+.3f} {bias[1]:+.3f} {bias[2]:+.3f} °/s")
    for f in report["findings"]:
        typer.echo(f"  [{SEVERITY_WORDS[f['severity']]}] {f['subject']}: {f['statement']} -> {f['next_step']}")
    if out is not None:
        typer.echo(f"  written: {out}")
