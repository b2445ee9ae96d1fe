"""``fusus loops``."""

from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import answering, print_json, refuse, table_of
from fusus.core.judgement.finding import SEVERITY_WORDS

CAUTION = (
    "Propellers off for all bench work with a battery in. First flights low, over soft ground, away from people, with a switch that "
    "stops the motors; follow the local rules."
)


def loops(
    project: ProjectFolder,
    ladder: Annotated[
        str | None, typer.Option(help="Play a tuning ladder too: “D first” or “rate mode first”.")
    ] = None,
    recording: Annotated[
        str | None,
        typer.Option(help="Say too what this flight shows: its sample period, its margins, its oscillations."),
    ] = None,
    axis: Annotated[str, typer.Option(help="On which axis: roll, pitch or yaw.")] = "roll",
    as_json: JsonFlag = False,
) -> None:
    """Say whether the work fits in the loop time, what it delays, and how much the rate loops bear; exit status 1 if they do not."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.loops.axes import study_loops
        from fusus.study.loops.report import loops_report

        study = study_loops(store.load(project))
        report = loops_report(study)
        if ladder is not None:
            from fusus.study.loops.report import tuning_steps_report
            from fusus.study.loops.tuning_steps import play_tuning_steps

            try:
                report["ladder"] = tuning_steps_report(play_tuning_steps(study, axis, ladder))
            except KeyError as error:
                refuse(f"{error.args[0]}.", as_json)
        if recording is not None:
            from fusus.study.flying.identify import identify_flight
            from fusus.study.flying.identify_report import identified_report

            report["flown"] = identified_report(identify_flight(project, study.project, recording))
        if as_json:
            print_json(report)
        else:
            _tell(report)
        if any(f["severity"] == "stop" for f in report["findings"] + report.get("flown", {"findings": []})["findings"]):
            raise typer.Exit(1)


def _tell(report: dict[str, Any]) -> None:
    from rich.console import Console

    console = Console(width=150)
    table = table_of("task", "where", "takes µs>", "every µs>", "share>", "done after µs>")
    for t in report["tasks"]:
        after = report["response"].get("control cycle" if t["every_cycle"] else t["name"])
        table.add_row(
            t["name"], t["place"], f"{t['duration_us']:.0f}", f"{t['period_us']:.0f}", f"{t['share']:.1%}",
            "late" if after is None else f"{after:.0f}",
        )  # fmt: skip
    console.print(table)
    fits = "fits" if report["fits"] else "does not fit"
    typer.echo(
        f"{report['schedule']} at {1e6 / report['period_us']:.0f} Hz {fits}: longest cycle {report['longest_cycle_us']:.0f} of "
        f"{report['period_us']:.0f} µs, processor {report['utilisation']:.0%} busy (up to {report['utilisation_bound']:.0%} any "
        f"order of rates fits), {len(report['overruns'])} overruns"
    )
    keeps_up = "keeps up" if report["signal_keeps_up"] else "does not keep up"
    typer.echo(
        f"motor signal: {report['signal']}, at most {report['most_commands_hz']:.0f} commands a second: it {keeps_up}"
    )
    parts = ", ".join(f"{p['part']} {p['us']:.0f}" for p in report["latency"])
    typer.echo(f"from sample to thrust {report['latency_us']:.0f} µs: {parts}")
    table = table_of(
        "axis", "P>", "I>", "D>", "crossover>", "phase>", "gain>", "delay>", "|1+L|>", "rise>", "overshoot>"
    )
    for name, a in report["axes"].items():
        gains = [f"{a['gains'][k]:.4g}" for k in ("p", "i", "d")]
        table.add_row(
            name, *gains, _with(a["crossover_hz"], "Hz", 1), _with(a["phase_margin_deg"], "°", 0), _with(a["gain_margin_db"], "dB", 1),
            _with(a["delay_margin_ms"], "ms", 0), _with(a["modulus_margin"], "", 2), _with(a["step"]["rise_ms"], "ms", 0),
            f"{a['step']['overshoot']:.0%}",
        )  # fmt: skip
    console.print(table)
    table = table_of("if it is not as drawn", *(f"{name}>" for name in report["axes"]))
    for c in report["spread"]:
        table.add_row(
            c["what"],
            *(f"{_with(a['phase_margin_deg'], '°', 0)}, |1+L| {a['modulus_margin']:.2f}" for a in c["axes"].values()),
        )
    console.print(table)
    table = table_of("motor, round", "by diagonals", "forward>", "right>", "turns")
    for m in sorted(report["motors"], key=lambda m: int(m["round"])):
        table.add_row(
            str(m["round"]), str(m["by_diagonals"]), f"{m['forward_m']:+.2f} m", f"{m['right_m']:+.2f} m", m["turns"]
        )
    console.print(table)
    if "ladder" in report:
        table = table_of("step", "P>", "I>", "D>", "what one notices")
        for r in report["ladder"]:
            gains = [f"{r['gains'][k]:.3g}" for k in ("p", "i", "d")]
            table.add_row(r["done"], *gains, r["seen"])
        console.print(table)
    if "flown" in report:
        _tell_flown(report["flown"], console)
    for f in report["findings"]:
        _tell_finding(f)
    typer.echo(CAUTION)


def _tell_finding(f: dict[str, Any]) -> None:
    typer.echo(f"[{SEVERITY_WORDS[f['severity']]}] {f['subject']}: {f['statement']} {f['reason']} -> {f['next_step']}")


def _tell_flown(flown: dict[str, Any], console: Any) -> None:
    b = flown["beat"]
    typer.echo(
        f"flight “{flown['recording']}”, {flown['air_s']:.0f} s in the air: {b['rate_hz']:.1f} loops a second ± {b['jitter_us']:.1f} µs, "
        f"longest wait {b['longest_us']:.0f} µs, {b['late']} late, {b['missing']} missing"
    )
    table = table_of(
        "axis in flight",
        "full command>",
        "motor lag>",
        "delay>",
        "crossover>",
        "phase>",
        "gain>",
        "trusted>",
        "follows>",
    )
    for name, a in flown["axes"].items():
        f, t = a["flown"], a["trusted"]
        span = "–" if t is None else f"{t['from_hz']:.1f} to {t['to_hz']:.0f} Hz"
        follows = _with(a["follows_ms"], "ms", 0)
        if f is None:
            table.add_row(name, "–", "–", "–", "–", "–", "–", span, follows)
            continue
        table.add_row(
            name, f"{f['gain_rad_s2']:.0f} ± {f['gain_standard_error']:.0f} rad/s²",
            f"{f['motor_lag_ms']:.0f} ± {f['motor_lag_standard_error_ms']:.0f} ms",
            f"{f['delay_ms']:.1f} ± {f['delay_standard_error_ms']:.1f} ms", _with(f["crossover_hz"], "Hz", 1),
            f"{f['phase_margin_deg']:.0f} ± {f['phase_margin_standard_error_deg']:.1f}°", _with(f["gain_margin_db"], "dB", 1), span,
            follows,
        )  # fmt: skip
    console.print(table)
    for f in flown["findings"]:
        _tell_finding(f)


def _with(value: float | None, unit: str, digits: int) -> str:
    if value is None:
        return "–"
    return f"{value:.{digits}f}{'' if unit in ('', '°') else ' '}{unit}"
