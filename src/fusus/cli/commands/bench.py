"""``fusus allan`` and ``fusus calibrate``."""

from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import FAILED, StderrProgress, answering, print_json, refuse, table_of

SCHOOLS = {"6": "six faces", "5": "five faces", "free": "free poses"}


def allan(
    file: Annotated[Path | None, typer.Argument(help="A table, instead of a project's recording.")] = None,
    project: Annotated[Path | None, typer.Option("--project", help="The project's folder.")] = None,
    recording: Annotated[str | None, typer.Option(help="Name of the recording.")] = None,
    stream: Annotated[str, typer.Option(help="imu, imu2, baro, mag or gnss.")] = "imu",
    rate_hz: Annotated[
        float | None, typer.Option("--rate-hz", help="Rows a second, for a table without times.")
    ] = None,
    apply: Annotated[
        bool, typer.Option("--apply", help="Use it in the model of the chosen IMU, beside the datasheet.")
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Allan deviation with bounds, and noise, bias instability and walk read off it."""
    from fusus.study.bench.allan import allan_of_file, allan_of_recording, report

    with answering(as_json):
        if rate_hz is not None and not 0 < rate_hz < 1e7:
            refuse(f"--rate-hz {rate_hz}: give a rate above 0.", as_json)
        if file is not None and (project or recording):
            refuse("name either a table, or a project and a recording.", as_json)
        if file is not None:
            found = allan_of_file(file, rate_hz, StderrProgress())
        elif project is not None and recording is not None:
            found = allan_of_recording(project, recording, stream, StderrProgress())
        else:
            refuse("name a table, or --project and --recording.", as_json)
        data = report(found)
        if apply:
            if project is None or recording is None or stream != "imu":
                refuse("--apply needs --project and --recording of an IMU at rest.", as_json)
            data["measured"] = _apply(project, recording, found)
        if as_json:
            print_json(data)
            return
        table = table_of("axis", "noise N>", "instability B>", "walk K>", "lowest>", "at>", "unit u")
        for a in found:
            r = a.reading
            cells = [_coefficient(k) for k in (r.noise, r.instability, r.walk)]
            table.add_row(a.name, *cells, f"{r.floor:.3g}", f"{r.floor_tau_s:.0f} s", a.unit)
        Console(width=130).print(table)
        typer.echo(
            "N in u/√Hz (two-sided; a datasheet's density is √2 times as much), B in u, K in u/s/√Hz; ≤: an upper bound."
        )


def _apply(project: Path, recording: str, found: Any) -> list[dict[str, Any]]:
    """Take the figures over and return how they stand against the datasheet."""
    from fusus.study.bench.measured import against_datasheet
    from fusus.study.bench.storing import held, use_allan

    with held(project) as document:
        figures = use_allan(document, recording, found)
        return [
            {"part": a.figure.part, "field": a.figure.field, "value": a.figure.value, "datasheet": a.datasheet, "ratio": a.ratio,
             "severity": a.severity, "statement": a.statement}
            for a in against_datasheet(document.project, figures)
        ]  # fmt: skip


def _coefficient(k: Any) -> str:
    if k is None:
        return "-"
    return f"≤ {k.value:.3g}" if k.is_bound else f"{k.value:.3g} ± {k.sigma:.1g}"


def calibrate(
    kind: Annotated[
        str,
        typer.Argument(
            help="gyro-bias, six-face, level, magnetometer, mounting, thermal, airflow, motor-current, gnss-scatter, lever-arm, "
            "sticks, two-imu or vibration.",
            show_default=False,
        ),
    ],
    project: ProjectFolder,
    recording: Annotated[str, typer.Option(help="Name of the recording.", show_default=False)],
    other: Annotated[str | None, typer.Option(help="airflow: the recording with foam, if it is another.")] = None,
    faces: Annotated[
        str | None, typer.Option(help="six-face: 6, 5 or free (nine poses and more); else the project's.")
    ] = None,
    apply: Annotated[bool, typer.Option("--apply", help="Use it from now on, on replay.")] = False,
    as_json: JsonFlag = False,
) -> None:
    """Fit a calibration to a bench capture; exit status 1 if the capture does not do."""
    with answering(as_json):
        from fusus.logs.info import load_info
        from fusus.project import store
        from fusus.study.bench.calibrating import calibrate as fit
        from fusus.study.bench.calibrating import stored
        from fusus.study.bench.storing import held, told, use

        if faces is not None and faces not in SCHOOLS:
            refuse(f"--faces {faces}: write 6, 5 or free.", as_json)
        loaded = store.load(project)
        result = fit(project, loaded, kind, recording, other, SCHOOLS[faces] if faces else None, StderrProgress())  # type: ignore[arg-type]
        entry = stored(result, load_info(project, recording), loaded)
        report = told(entry, result, loaded)
        report |= {"applied": False, "practice": entry.is_practice}
        if apply and result.verdict != "fail":
            with held(project) as document:
                report["applied"] = use(document, entry)
        if as_json:
            print_json(report)
        else:
            _print(report, apply)
        if result.verdict == "fail":
            raise typer.Exit(FAILED)


def _print(report: dict[str, Any], wanted: bool) -> None:
    from fusus.study.bench.storing import PRACTICE

    typer.echo(f"{report['kind']} from “{report['recording']}”: {report['verdict']}. {report['reason']}")
    for name, value in report["parameters"].items():
        sigma = report["standard_errors"].get(name)
        unit = report["units"].get(name, "")
        typer.echo(
            f"  {name:<24} {_shown(value)}" + (f"  ± {_shown(sigma)}" if sigma is not None else "") + f"  {unit}"
        )
    for name in report["before"]:
        typer.echo(
            f"  {name}: {report['before'][name]:.4g} before, {report['after'].get(name, float('nan')):.4g} after"
        )
    for c in report["compared"]:
        typer.echo(f"  against {c['when'][:10]}: {c['statement']}")
    for p in report["problems"]:
        typer.echo(f"  ! {p['message']} {p['action']}")
    if wanted and not report["applied"] and report["verdict"] != "fail":
        typer.echo(f"  not active: {PRACTICE}")
    elif wanted:
        typer.echo("  active from now on" if report["applied"] else "  not taken over: the capture does not do")
    elif report["practice"]:
        typer.echo("  practice: captured on the stand-in or simulated")


def _shown(value: Any) -> str:
    if isinstance(value, list):
        return "[" + ", ".join(_shown(v) for v in value) + "]"
    return "-" if value is None else f"{value:.4g}"
