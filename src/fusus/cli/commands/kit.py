"""``fusus kit`` and ``fusus check-c``."""

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import BAD_INPUT, FAILED, StderrProgress, answering, print_json, refuse, table_of

CAUTION = (
    "Propellers off for all bench work with a battery in; motors restrained and people away for powered tests. Estimates are advice, not "
    "airworthiness: follow the local rules, and ask licensed people where these require it."
)


@dataclass(frozen=True, kw_only=True, slots=True)
class KitOptions:
    """What ``fusus kit`` is asked for."""

    project: ProjectFolder
    out: Annotated[Path | None, typer.Option(help="Folder to write to; the project's own folder “kit” without it.")] = (
        None
    )
    precision: Annotated[str | None, typer.Option(help="single or double; the project's choice without it.")] = None
    estimator: Annotated[str | None, typer.Option(help="Which estimator; the one that Fusion judges without it.")] = (
        None
    )
    recording: Annotated[
        list[str] | None, typer.Option(help="Prove equality over this recording; may be repeated. All without it.")
    ] = None
    streams: Annotated[
        str | None, typer.Option(help="Streams that the board sends, with commas; the project's choice without it.")
    ] = None
    proof: Annotated[
        bool, typer.Option("--proof/--no-proof", help="Compile the kit here and hold it against the core.")
    ] = True
    cost: Annotated[bool, typer.Option("--cost/--no-cost", help="Count instructions, stack and constants.")] = True
    clock_mhz: Annotated[float | None, typer.Option(help="Clock of the board's processor.")] = None
    fpu: Annotated[bool | None, typer.Option("--fpu/--no-fpu", help="Whether it has a unit for figures.")] = None
    to_loops: Annotated[
        bool, typer.Option("--into-loops", help="Put the durations into the control cycle of Loops.")
    ] = False
    as_json: JsonFlag = False


@command_with(KitOptions)
def kit(given: KitOptions) -> None:
    """Write the project's filters and loops as C99, proved equal to what was tuned; exit status 1 if they are not."""
    with answering(given.as_json):
        from fusus.errors import CompilerError
        from fusus.firmware.translation.types import Precision
        from fusus.project.commands import SetValue
        from fusus.project.document import Document
        from fusus.study.kit.costing import cost_of, cost_report, into_loops
        from fusus.study.kit.planning import plan_of
        from fusus.study.kit.proving import prove_kit, proved_report
        from fusus.study.kit.writing import files_of, write_kit

        document = Document.open(given.project)
        try:
            document.require_writable()
            for path, value in (
                ("kit.precision", given.precision),
                ("kit.estimator", given.estimator),
                ("kit.has_fpu", given.fpu),
            ):
                if value is not None:
                    _set(document, path, value, given.as_json)
            if given.clock_mhz is not None:
                _set(document, "kit.clock_hz", given.clock_mhz * 1e6, given.as_json)
            if given.streams is not None:
                from fusus.logs.snippet import streams_from

                _set(document, "kit.streams", streams_from(given.streams), given.as_json)
            now = document.project
            plan = plan_of(now)
            wanted: tuple[Precision, ...] = (plan.precision,)
            exported = write_kit(given.out or given.project / "kit", files_of(given.project, now, plan), plan)
            document.do(SetValue("kit.exported", exported, "Export the kit"))
            report: dict[str, Any] = {
                "folder": exported.folder, "files": list(exported.files), "estimator": plan.info.name, "precision": plan.precision,
                "state": plan.state, "proof": None, "cost": None,
            }  # fmt: skip
            if given.proof:
                every = wanted if plan.precision == "double" else ("double", "single")
                proved = prove_kit(given.project, now, given.recording or None, every, StderrProgress())
                report["proof"] = proved_report(proved)
                if not proved.why_not:
                    document.do(
                        SetValue(
                            "kit.exported", exported.model_copy(update={"equal": proved.is_equal}), "Prove the kit"
                        )
                    )
            if given.cost:
                try:
                    found = cost_of(given.project, now)
                    report["cost"] = cost_report(found, now)
                    if given.to_loops:
                        document.do(into_loops(found, now))
                except CompilerError as error:
                    report["cost"] = {"why_not": str(error)}
        finally:
            document.close()
        if given.as_json:
            print_json(report)
        else:
            _tell(report)
        if report["proof"] is not None and report["proof"]["why_not"]:
            raise typer.Exit(BAD_INPUT)
        if report["proof"] is not None and not report["proof"]["equal"]:
            raise typer.Exit(FAILED)


def _set(document: Any, path: str, value: Any, as_json: bool) -> None:
    from fusus.project.commands import SetValue

    try:
        document.do(SetValue(path, value, f"Set {path}"))
    except ValueError as error:
        refuse(f"{path} cannot be {value}: {str(error).splitlines()[-1].strip()}", as_json)


def _tell(report: dict[str, Any]) -> None:
    from rich.console import Console

    console = Console(width=150)
    chosen = f"{report['estimator']}, {report['precision']} precision, state {report['state']}"
    typer.echo(f"{len(report['files'])} files in {report['folder']}: {chosen}")
    proof = report["proof"]
    if proof is not None and proof["why_not"]:
        typer.echo(f"Not proved: {proof['why_not']}")
    elif proof is not None:
        table = table_of("recording", "precision", "figure", "at most off>", "allowed>", "at s>", "")
        for r in proof["recordings"]:
            for h in r["held"]:
                worst = "no number" if h["worst"] is None else f"{h['worst']:.2e}"
                word = "equal" if h["equal"] else "NOT EQUAL"
                figures = (f"{h['figure']} ({h['unit']})", worst, f"{h['limit']:.2e}", f"{h['at_s']:.1f}")
                table.add_row(r["recording"], r["precision"], *figures, word)
            if r["why_not"]:
                table.add_row(r["recording"], r["precision"], r["why_not"])
        console.print(table)
        typer.echo(
            "The C computes what the core computes."
            if proof["equal"]
            else "The C does not compute what the core computes."
        )
    cost = report["cost"]
    if cost is not None and "why_not" in cost:
        typer.echo(f"No cost: {cost['why_not']}")
    elif cost is not None:
        clock = f"{cost['clock_hz'] / 1e6:g} MHz"
        table = table_of(
            "a call of", "instructions>", "on figures>", "stack bytes>", f"µs at {clock}>", "without a unit>"
        )
        for p in cost["parts"]:
            stack = "–" if p["stack_bytes"] is None else f"{p['stack_bytes']}"
            times = (f"{p['us_with_unit']:.1f}", f"{p['us_without_unit']:.1f}")
            table.add_row(p["title"], f"{p['instructions']:.0f}", f"{p['figures_share']:.0%}", stack, *times)
        console.print(table)
        typer.echo(f"state {cost['state_bytes']} bytes, code {cost['code_bytes']}, constants {cost['constant_bytes']}")
        typer.echo(cost["assumptions"])
    typer.echo(CAUTION)


def check_c(
    sources: Annotated[
        Path, typer.Argument(help="Folder with the C sources of your estimator, or a shared library (.so).")
    ],
    project: ProjectFolder,
    recording: Annotated[
        list[str] | None, typer.Option(help="Run it over this recording; may be repeated. Three without it.")
    ] = None,
    scenario: Annotated[
        list[str] | None,
        typer.Option(help="Run it over this simulated flight; may be repeated. The mission without it."),
    ] = None,
    seed: Annotated[int, typer.Option(help="Of the simulated flights.")] = 1,
    interface: Annotated[
        bool, typer.Option("--interface", help="Write own_estimator.h, the header to implement, into the folder first.")
    ] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask before the code is compiled and run.")] = False,
    as_json: JsonFlag = False,
) -> None:
    """Compile an estimator of your own in a sandbox, run it beside Fusus' filters, judge it and look for common implementation
    errors.

    Exit status 0: it passes; 1: a requirement fails, an implementation error was found, or it reads or writes what is not its own;
    2: it does not compile, crashes, hangs or gives no numbers.
    """
    with answering(as_json):
        from fusus.project import store
        from fusus.study.kit.own import USUAL_FLIGHT, check_own, own_report

        loaded = store.load(project)
        if interface:
            _write_interface(sources, as_json)
            return
        if not sources.exists():
            refuse(f"{sources} does not exist; give the folder with your C sources, or a shared library.", as_json)
        if not yes:
            _ask(sources, as_json)
        flights = tuple((name, seed) for name in (scenario or [USUAL_FLIGHT]))
        try:
            study = check_own(project, loaded, sources, recording or None, flights, StderrProgress())
        except KeyError as error:
            refuse(f"{error.args[0]}.", as_json)
        report = own_report(study)
        if as_json:
            print_json(report)
        else:
            _tell_own(report)
        if not study.runs_through:
            raise typer.Exit(BAD_INPUT)
        if not study.passes:
            raise typer.Exit(FAILED)


def _write_interface(folder: Path, as_json: bool) -> None:
    from fusus.firmware.writing.render import template
    from fusus.project.atomic import write_atomically, writing

    with writing(folder):
        folder.mkdir(parents=True, exist_ok=True)
    write_atomically(folder / "own_estimator.h", template("own_estimator.h").encode())
    message = f"{folder / 'own_estimator.h'} says what own_init() and own_step() get and give."
    print_json({"written": str(folder / "own_estimator.h")}) if as_json else typer.echo(message)


def _ask(sources: Path, as_json: bool) -> None:
    from fusus.firmware.running.isolation import isolation_words

    told = f"The code in {sources} will be compiled and run on this computer, with limits of time, memory and disk. {isolation_words()}"
    if not sys.stdin.isatty():
        refuse(f"{told} Say --yes if you trust it.", as_json)
    if not typer.confirm(f"{told} Go on?", default=False, err=True):
        refuse("nothing was compiled or run.", as_json)


def _tell_own(report: dict[str, Any]) -> None:
    from rich.console import Console

    console = Console(width=150)
    for line in report["said"]:
        typer.echo(line)
    table = table_of("over", "requirement", "value>", "limit>", "verdict", "off Fusus' own>")
    for c in report["cases"]:
        apart = "–" if c["apart_rms_deg"] is None else f"{c['apart_rms_deg']:.2f}° ({c['apart_from']})"
        if c["problem"] or c["why_not"]:
            table.add_row(c["name"], c["problem"] or c["why_not"], "", "", "–", apart)
        for i, v in enumerate(c["verdicts"]):
            table.add_row(
                c["name"] if i == 0 else "",
                v["requirement"],
                _with(v, "value"),
                _with(v, "limit"),
                v["verdict"],
                apart if i == 0 else "",
            )
    console.print(table)
    typer.echo(CAUTION)


def _with(v: dict[str, Any], name: str) -> str:
    value = v.get(name)
    return "–" if value is None else f"{value:.3g} {v.get('unit', '')}"
