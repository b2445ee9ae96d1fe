"""``fusus capture``, ``stand-in``, ``snippet``, ``due`` and ``book``."""

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import FAILED, answering, print_json, refuse, table_of

HEALTH_S = 2.0  # between two lines on how a capture goes


@dataclass(frozen=True, kw_only=True, slots=True)
class CaptureOptions:
    """What ``fusus capture`` is asked for."""

    link: Annotated[str, typer.Option(help="serial:PATH[@BAUD], udp:[ADDRESS:]PORT or file:PATH.", show_default=False)]
    project: ProjectFolder
    name: Annotated[str, typer.Option(help="Name of the recording.", show_default=False)]
    seconds: Annotated[float | None, typer.Option(help="How long, in the board's time.")] = None
    guide: Annotated[str | None, typer.Option(help="A guided capture: still, six-face, rotate, mounting, ...")] = None
    kind: Annotated[str | None, typer.Option(help="Kind of the recording; the guide's if one is named.")] = None
    powered: Annotated[
        bool, typer.Option("--cautions-read", help="You have read the cautions of a powered capture.")
    ] = False
    wait: Annotated[float, typer.Option(help="Seconds without a line after which it ends.")] = 10.0
    as_json: JsonFlag = False


@command_with(CaptureOptions)
def capture(given: CaptureOptions) -> None:
    """Capture from a board until it is enough. Lines go to disk as they come; an interrupted capture is made a recording by
    the next one."""
    with answering(given.as_json):
        from fusus.core.guidance.guides import guide_for
        from fusus.devices.capture import Capture, run
        from fusus.devices.guided import Guided
        from fusus.devices.kept import recover
        from fusus.devices.links import open_link
        from fusus.project import book, store

        loaded = store.load(given.project)
        if given.seconds is not None and not 0 < given.seconds < 1e6:
            refuse(f"--seconds {given.seconds}: give a time above 0 s.", given.as_json)
        chosen = None
        if given.guide is not None:
            try:
                chosen = guide_for(given.guide)
            except KeyError as error:
                refuse(f"--guide: {error.args[0]}.", given.as_json)
            if chosen.is_powered and not given.powered:
                refuse(f"{chosen.caution} Add --cautions-read when all of it is so.", given.as_json)
            _say(f"{chosen.title}: {chosen.why} {chosen.how} {chosen.caution}")
        for info in recover(given.project):
            _say(f"An interrupted capture was made the recording “{info.name}”.")
        going = Capture(
            given.project,
            given.name,
            open_link(given.link, wait_s=3.0),
            given.kind or (chosen.kind if chosen else "other"),
        )
        guided = Guided(going, chosen) if chosen is not None else None
        try:
            run(going, given.seconds, _watcher(going, guided), given.wait)
        except KeyboardInterrupt:
            _say("stopped; what has come is kept.")
        except BaseException:
            going.keep_lines()
            _say("what has come is kept: the next capture makes a recording of it.")
            raise
        health = going.health()
        info = going.finish(place=loaded.brief.place)
        book.note(given.project, "capture", recording=info.name, kind=info.kind, guide=given.guide)
        report = {
            "recording": info.name, "kind": info.kind, "streams": {k: v.model_dump() for k, v in info.streams.items()},
            "health": {"good": health.good, "spoilt": health.spoilt, "missing": health.missing, "breaks": health.breaks},
            "enough": guided.status.is_enough if guided is not None else None,
            "next": f"fusus calibrate {chosen.calibration} --project {given.project} --recording {info.name}"
            if chosen and chosen.calibration
            else None,
            "problems": [p.model_dump() for p in info.problems],
        }  # fmt: skip
        if given.as_json:
            print_json(report)
            return
        typer.echo(f"Captured “{info.name}”: {health.good} lines, {health.spoilt} spoilt, {health.breaks} breaks.")
        for stream, s in info.streams.items():
            typer.echo(f"  {stream:<10} {s.rows:>9} rows  {s.rate_hz or 0:>8.1f} Hz")
        for p in info.problems:
            typer.echo(f"  ! {p.message} ({p.count}); {p.action}.")
        if report["next"]:
            typer.echo(f"Next: {report['next']}")


def _watcher(going: Any, guided: Any) -> Any:
    """Return what looks at a capture after each piece: it tells how it goes and, under a guide, what to do; it stops a guided
    one when it is enough."""
    told, health_at = "", 0.0

    def watch(_capture: Any) -> bool:
        nonlocal told, health_at
        if going.seconds - health_at >= HEALTH_S:
            health_at = going.seconds
            _say(_health(going.health()))
        if guided is None:
            return False
        status = guided.look()
        line = f"{status.progress:4.0%}  {' '.join((*status.wrong, status.now))}"
        if line[6:] != told:
            told = line[6:]
            _say(line)
        return bool(status.is_enough)

    return watch


def _health(h: Any) -> str:
    """Return how a capture goes in one line."""
    streams = ", ".join(f"{n} {rate:.1f} Hz ± {1e3 * jitter:.2f} ms" for n, (_, rate, jitter) in h.streams.items())
    link = "" if h.is_connected else "; the link is lost, seeking it again"
    return (
        f"{h.good} lines, {h.spoilt} spoilt, {h.missing} missing, {h.breaks} breaks, {h.waiting} B waiting: {streams}{link}"
        + (f"; {h.board_says}" if h.board_says else "")
    )


def _say(text: str) -> None:
    sys.stderr.write(text + "\n")
    sys.stderr.flush()


@dataclass(frozen=True, kw_only=True, slots=True)
class StandInOptions:
    """What ``fusus stand-in`` is asked for."""

    link: Annotated[str, typer.Option(help="pty, pty:PATH (a link that stays) or udp:PORT.")] = "pty"
    project: Annotated[Path | None, typer.Option("--project", help="Takes its chosen parts and place.")] = None
    scenario: Annotated[str | None, typer.Option(help="Plays by itself: still, six-face, rotate, mounting, ...")] = None
    pose: Annotated[
        list[str] | None, typer.Option(help='Commands to begin with, such as "face level" or "motors 0.5".')
    ] = None
    seed: Annotated[int, typer.Option(help="Of the hidden errors.")] = 1
    rate_hz: Annotated[float, typer.Option("--rate-hz", help="Samples of the IMU a second.")] = 200.0
    speed: Annotated[float, typer.Option(help="Board seconds in a second.")] = 1.0
    seconds: Annotated[float | None, typer.Option(help="Ends after so much board time.")] = None
    truth: Annotated[bool, typer.Option("--truth", help="Print the hidden errors, and end.")] = False


@command_with(StandInOptions)
def stand_in(given: StandInOptions) -> None:
    """Play a whole board with hidden errors. Commands come on standard input; “help” lists them."""
    with answering(False):
        from fusus.devices.standin import HELP, SCENARIOS, PtyPort, StandIn, UdpPort, say_to_stderr
        from fusus.project import store
        from fusus.project.records import Project
        from fusus.study.bench.standin import standin_board

        if given.scenario is not None and given.scenario not in SCENARIOS:
            refuse(f"--scenario {given.scenario}: there are {', '.join(SCENARIOS)}.", False)
        if not 0.1 <= given.speed <= 1000:
            refuse(f"--speed {given.speed}: give a number from 0.1 to 1000.", False)
        board = standin_board(
            store.load(given.project) if given.project is not None else Project(name="stand-in"),
            given.seed,
            given.rate_hz,
        )
        if given.truth:
            print_json(_truth(board))
            return
        kind, _, rest = given.link.partition(":")
        if kind == "pty":
            port: Any = PtyPort(rest or None)
        elif kind == "udp" and rest.isdigit():
            port = UdpPort(int(rest))
        else:
            refuse(f"--link {given.link}: write pty, pty:PATH or udp:PORT.", False)
        board.settle()
        player = StandIn(board, port, SCENARIOS[given.scenario] if given.scenario else (), given.speed)
        typer.echo(port.path)
        sys.stdout.flush()
        say_to_stderr(f"Stand-in on {port.path}, seed {given.seed}. Commands: {HELP}")
        try:
            for command in given.pose or []:
                player.command(command)
            player.run(None if sys.stdin.closed else sys.stdin.fileno(), say_to_stderr, given.seconds)
        except KeyboardInterrupt:
            pass
        finally:
            port.close()


def _truth(board: Any) -> dict[str, Any]:
    s = board.specimen
    return {
        "gyro": {"matrix": s.gyro.matrix.tolist(), "bias_rad_s": s.gyro.bias.tolist(), "slope_rad_s_k": s.gyro.slope.tolist()},
        "acc": {"matrix": s.acc.matrix.tolist(), "bias_m_s2": s.acc.bias.tolist(), "slope_m_s2_k": s.acc.slope.tolist()},
        "mag": {"hard_iron_ut": s.hard_iron_ut.tolist(), "soft_iron": s.soft_iron.tolist(), "motor_ut_a": s.motor_ut_a.tolist()},
        "mounting": s.mounting.tolist(), "lever_arm_b_m": s.lever_arm_b_m.tolist(), "stick_centre": s.stick_centre.tolist(),
    }  # fmt: skip


def snippet(
    streams: Annotated[str, typer.Option(help="Streams, separated by commas.")] = "imu,mag,baro",
    out: Annotated[Path | None, typer.Option(help="Write it to a file.")] = None,
) -> None:
    """Print C for firmware that speaks the line protocol."""
    with answering(False):
        from fusus.logs.snippet import c_snippet
        from fusus.project.atomic import write_atomically

        text = c_snippet(tuple(s.strip() for s in streams.split(",") if s.strip()))
        if out is not None:
            write_atomically(out, text.encode())
        else:
            sys.stdout.write(text)


def due(
    project: ProjectFolder,
    check: Annotated[str | None, typer.Option(help="A check capture to hold against what is active.")] = None,
    school: Annotated[
        str | None, typer.Option(help="check, each-flight, on-signs or distance-and-age: use it from now on.")
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Say which calibrations are due, why, and what it would risk to skip them; exit status 1 if the check fails one."""
    with answering(as_json):
        from fusus.core.judgement.calibration_age import SCHOOL_WORDS
        from fusus.project import store
        from fusus.study.bench.calibration_status import due_report

        if school is not None:
            if school not in SCHOOL_WORDS:
                refuse(f"--school {school}: write {', '.join(SCHOOL_WORDS)}.", as_json)
            _set_school(project, school, as_json)
        report = due_report(project, store.load(project), check)
        if as_json:
            print_json(report)
        else:
            table = table_of("calibration", "due", "why", "what it would risk to skip it")
            for d in report["calibrations"]:
                table.add_row(d["kind"], "due" if d["is_due"] else "", d["why"], d["risk"] if d["is_due"] else "")
            Console(width=150).print(table)
            if not report["calibrations"]:
                typer.echo("No calibration is active yet. Capture one, then: fusus calibrate KIND ... --apply")
            for item in (report["check"] or {"items": []})["items"]:
                typer.echo(f"{'holds ' if item['holds'] else 'FAILS '} {item['kind']}: {item['statement']}")
        if report["check"] and any(not i["holds"] for i in report["check"]["items"]):
            raise typer.Exit(FAILED)


def _set_school(folder: Path, school: str, as_json: bool) -> None:
    from fusus.project.commands import SetValue
    from fusus.project.document import Document

    document = Document.open(folder)
    try:
        document.require_writable()
        document.do(SetValue("bench.school", school, "Choose when calibrations are due"))
    finally:
        document.close()
