"""``fusus replay``."""

import json
from dataclasses import replace as changed
from pathlib import Path
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import StderrProgress, answering, print_json, refuse


def replay(
    project: ProjectFolder,
    recording: Annotated[str, typer.Option(help="Name of the recording.", show_default=False)],
    estimator: Annotated[
        str,
        typer.Option(
            help="complementary, mahony, madgwick, attitude-ekf, altitude-complementary, altitude-3, altitude or navigation-ekf.",
            show_default=False,
        ),
    ],
    parameters: Annotated[Path | None, typer.Option(help="Tuning (JSON); else the project's.")] = None,
    no_mag: Annotated[bool, typer.Option("--no-mag", help="Leave the magnetometer out.")] = False,
    no_baro: Annotated[bool, typer.Option("--no-baro", help="Leave the barometer out.")] = False,
    no_gnss: Annotated[bool, typer.Option("--no-gnss", help="Leave GNSS out.")] = False,
    gnss_outage: Annotated[
        list[str] | None, typer.Option(metavar="START_S:DURATION_S", help="Hide GNSS for a while.")
    ] = None,
    align_time: Annotated[bool, typer.Option("--align-time", help="Align the reference's clock first.")] = False,
    align_yaw: Annotated[bool, typer.Option("--align-yaw", help="Take the mean heading difference off.")] = False,
    no_calibration: Annotated[
        bool, typer.Option("--no-calibration", help="Take the sensors as they were recorded.")
    ] = False,
    out: Annotated[Path | None, typer.Option(help="Write the estimate (.parquet or .csv).")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Run an estimator over a recording and say how far it is from the reference."""
    with answering(as_json):
        from fusus.core.estimation.catalogue import info_for
        from fusus.project import store
        from fusus.study.run import Choice, Request, run
        from fusus.study.summary import replay_report

        loaded = store.load(project)
        if no_calibration:
            loaded = loaded.model_copy(update={"bench": loaded.bench.model_copy(update={"use": False})})
        try:
            info = info_for(estimator)
        except KeyError as error:
            refuse(f"--estimator {error.args[0]}.", as_json)
        outages = [_outage(text, as_json) for text in gnss_outage or []]
        tuning = loaded.fusion.parameters_of(info.name)
        if parameters is not None:
            tuning = _tuned(tuning, parameters, info.name, as_json)
        fusion = loaded.fusion
        request = Request(
            project,
            loaded,
            recording,
            (Choice(info.name, tuning),),
            fusion.use_magnetometer and not no_mag,
            align_time or fusion.align_time,
            align_yaw or fusion.align_yaw,
            fusion.use_barometer and not no_baro,
            fusion.use_gnss and not no_gnss,
            tuple(outages),
        )
        study = run(request, StderrProgress())
        if out is not None:
            from fusus.logs.estimates import write_estimate

            write_estimate(study.judged.replay, out)
        report = replay_report(study)
        if as_json:
            print_json(report)
        else:
            _tell(report, out)


def _outage(text: str, as_json: bool) -> tuple[float, float]:
    try:
        start, length = (float(part) for part in text.split(":"))
    except ValueError:
        refuse(f"--gnss-outage {text}: write START:DURATION in seconds, for example 120:8.", as_json)
    if not (length > 0 and start >= 0):
        refuse(f"--gnss-outage {text}: the start must not be negative and the duration must be above 0 s.", as_json)
    return start, length


def _tuned(tuning: Any, path: Path, name: str, as_json: bool) -> Any:
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
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


def _tell(report: dict[str, Any], out: Path | None) -> None:
    typer.echo(
        f"{report['estimator']} over “{report['recording']}”: {report['samples']} samples in {report['elapsed_s']:.2f} s "
        f"({report['x_real_time']:.0f} times real time)"
    )
    e = report["errors"]
    if e is None:
        typer.echo(f"  no errors: {report['no_errors_because']}")
    else:
        for quantity in ("tilt", "heading"):
            values = [e[f"{quantity}_{s}_deg"] for s in ("rmse", "p95", "max")]
            typer.echo(f"  {quantity:<8} RMSE {values[0]:6.2f}°   95 % {values[1]:6.2f}°   max {values[2]:6.2f}°")
    bias = [57.29577951308232 * b for b in report["gyro_bias_rad_s"]]
    typer.echo(f"  gyro bias at the end: {bias[0]:+.3f} {bias[1]:+.3f} {bias[2]:+.3f} °/s")
    for f in report["findings"]:
        typer.echo(f"  [{f['severity']}] {f['subject']}: {f['statement']} -> {f['next_step']}")
    if out is not None:
        typer.echo(f"  written: {out}")
