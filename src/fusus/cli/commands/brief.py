"""``fusus brief`` and ``fusus drift``."""

import json
from dataclasses import asdict
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import StderrProgress, answering, print_json, refuse, table_of
from fusus.errors import FususError
from fusus.project.json_text import parsed

SETTABLE = ("brief", "parts", "drift", "loops", "is_practice")


def brief(
    project: ProjectFolder,
    settings: Annotated[
        list[str] | None,
        typer.Option(
            "--set",
            help="Set a figure, SI: PATH=VALUE, for example brief.mission.wind_m_s=7 or brief.modes='[\"rate\"]'.",
        ),
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Show what the brief asks of parts and loops, which sensors its modes need, and the craft as a body; set its figures."""
    from fusus.project.document import Document
    from fusus.study.brief.brief import body_of, derived_requirements_of, modes_of

    with answering(as_json):
        document = Document.open(project)
        try:
            if settings:
                document.require_writable()
            steps = []
            wanted = document.project
            for words in settings or []:
                steps.append(_step(wanted, words, as_json))
                wanted = steps[-1].apply(wanted)
            if any(s.path.startswith(("brief.craft", "loops")) for s in steps):
                _require_loops(document.project, wanted, as_json)
            for step in steps:
                document.do(step)
            loaded = document.project
        finally:
            document.close()
        report: dict[str, Any] = {
            "brief": loaded.brief.model_dump(mode="json"),
            "needs": [asdict(n) | {"shown": n.shown} for n in derived_requirements_of(loaded)],
            "modes": modes_of(loaded),
            "body": [{"name": n, "value": v, "reason": r} for n, v, r in body_of(loaded)],
        }
        if as_json:
            print_json(report)
            return
        console = Console(width=150)
        needs = table_of("quantity", "", "value>", "reason")
        for n in report["needs"]:
            needs.add_row(n["title"], n["sense"], n["shown"], n["reason"])
        modes = table_of("sensor", "", "reason")
        for m in report["modes"]:
            modes.add_row(m["sensor"], m["need"], f"{m['mode']}: {m['reason']}")
        body = table_of("the craft", "value>", "reason")
        for b in report["body"]:
            body.add_row(b["name"], b["value"], b["reason"])
        for table in (needs, modes, body):
            console.print(table)
            console.print()


def _require_loops(before: Any, wanted: Any, as_json: bool) -> None:
    """Refuse a craft or loops that no figures can be worked out for; where they could not be before, a step may mend a part."""
    from fusus.study.loops.axes import study_loops

    try:
        study_loops(wanted)
    except FususError as error:
        try:
            study_loops(before)
        except FususError:
            return
        refuse(f"{error} Nothing was set.", as_json)


def _step(project: Any, words: str, as_json: bool) -> Any:
    """Return the setting of one figure by its path; a value is JSON, or else a word."""
    from fusus.project.commands import SetValue
    from fusus.project.paths import value_at

    path, sign, text = words.partition("=")
    path = path.strip()
    if not sign or path.partition(".")[0] not in SETTABLE:
        refuse(f"“{words}” sets nothing; write PATH=VALUE with a path that begins with {', '.join(SETTABLE)}.", as_json)
    try:
        value_at(project, path)
    except (AttributeError, IndexError, ValueError, TypeError):
        refuse(f"there is no figure {path} in the project.", as_json)
    try:
        value = parsed(text)
    except json.JSONDecodeError:
        value = text.strip()
    return SetValue(path, tuple(value) if isinstance(value, list) else value, f"Set {path}")


def drift(project: ProjectFolder, as_json: JsonFlag = False) -> None:
    """Show how the chosen parts drift at rest, how long dead reckoning holds, what matters, registers and schools."""
    from fusus.core.progress import Progress
    from fusus.project import store
    from fusus.study.parts.prediction import drift_summary, prediction_result

    progress: Progress = StderrProgress()
    with answering(as_json):
        result = prediction_result(store.load(project), None, progress)
        if result.study is None:
            refuse("no IMU is chosen yet. Next: fusus parts --project DIR --choose imu=NAME", as_json)
        report = drift_summary(result)
        if as_json:
            print_json(report)
            return
        console = Console(width=150)
        facts = table_of("what", "value>", "what it means")
        for f in report["facts"]:
            facts.add_row(f["name"], f["value"], f["meaning"])
        console.print(facts)
        fan, reckoning = report["fan"], report["dead_reckoning"]
        held = "more than five minutes" if reckoning["holds_s"] is None else f"{reckoning['holds_s']:.1f} s"
        typer.echo(f"\nGyro at rest: {fan['sigma_deg'][-1]:.3g}° (one sigma) after {fan['t_s'][-1]:.0f} s.")
        typer.echo(f"Without GNSS: within {reckoning['limit_m']:g} m for {held} (one sigma).\n")
        schools = table_of("question", "one school", "the other", "here")
        for s in report["schools"]:
            schools.add_row(
                s["question"], f"{s['first']}: {s['first_says']}", f"{s['second']}: {s['second_says']}", s["here"]
            )
        console.print(schools)
        registers = table_of("sensor", "range", "LSB per unit>", "a step>", "noise/step>", "")
        for r in report["registers"]:
            registers.add_row(r["sensor"], r["range"], r["per_unit"], r["step"], r["noise"], r["meaning"])
        console.print(registers)
