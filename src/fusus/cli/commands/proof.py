"""``fusus reference``, ``fusus causes`` and ``fusus cards``."""

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder, command_with
from fusus.cli.output import StderrProgress, answering, print_json, refuse, table_of

RecordingName = Annotated[str, typer.Option("--recording", help="Name of the recording.", show_default=False)]
Sigma = Annotated[float | None, typer.Option(min=0)]


@dataclass(frozen=True, kw_only=True, slots=True)
class ReferenceOptions:
    """What ``fusus reference`` is asked for."""

    project: ProjectFolder
    recording: RecordingName
    kind: Annotated[str | None, typer.Option(help="own, jig, turntable, heights, closure, surveyed or track.")] = None
    at: Annotated[
        list[str] | None,
        typer.Option(
            "--at", help="A point: “10:20 roll 30 pitch 0” (s; deg, deg/s, m); without times found by stillness."
        ),
    ] = None
    points: Annotated[Path | None, typer.Option(help="Points from a file: such lines, or a table with a header.")] = (
        None
    )
    other: Annotated[str | None, typer.Option("--other", help="For a track: the recording that it lies in.")] = None
    axes: Annotated[str | None, typer.Option(help="ned-frd, enu-flu, enu-frd, nwu-flu or ned-flu.")] = None
    offset: Annotated[float | None, typer.Option(help="What its clock reads when the log's reads zero, s.")] = None
    ppm: Annotated[float | None, typer.Option(help="What its clock gains, ppm.")] = None
    align: Annotated[bool, typer.Option("--align", help="Find offset and rate from both records, and keep them.")] = (
        False
    )
    tilt_sigma: Annotated[float | None, typer.Option(min=0, help="One sigma of its tilt, deg.")] = None
    heading_sigma: Annotated[float | None, typer.Option(min=0, help="Of its heading, deg.")] = None
    place_sigma: Annotated[float | None, typer.Option(min=0, help="Of its place north and east, m.")] = None
    height_sigma: Annotated[float | None, typer.Option(min=0, help="Of its height, m.")] = None
    speed_sigma: Annotated[float | None, typer.Option(min=0, help="Of its velocity, m/s.")] = None
    note: Annotated[str | None, typer.Option(help="Words to it.")] = None
    remove: Annotated[bool, typer.Option("--remove", help="Go back to what the recording holds itself.")] = False
    as_json: JsonFlag = False

    @property
    def says_something(self) -> bool:
        """Whether anything is declared, not only shown."""
        sigmas = (self.tilt_sigma, self.heading_sigma, self.place_sigma, self.height_sigma, self.speed_sigma)
        words = (self.kind, self.at, self.points, self.other, self.axes, self.align)
        return any(words) or any(v is not None for v in (self.note, self.offset, self.ppm, *sigmas))


@command_with(ReferenceOptions)
def reference(given: ReferenceOptions) -> None:
    """Say what a recording is held against, with its own uncertainty and clock; show it without options."""
    with answering(given.as_json):
        from fusus.logs.info import load_info
        from fusus.project import book
        from fusus.project.commands import DeclareReference
        from fusus.project.document import Document
        from fusus.study.proof.referencing import aligned, declared_report

        load_info(given.project, given.recording)
        document = Document.open(given.project)
        try:
            before = document.project.proof.declared(given.recording)
            if given.remove:
                document.require_writable()
                document.do(DeclareReference(given.recording, None))
            elif given.says_something:
                document.require_writable()
                made = _declared(given, before)
                if given.align:
                    made = aligned(given.project, document.project, made)
                command = DeclareReference(given.recording, made)
                # What cannot be used is not kept.
                declared_report(given.project, command.apply(document.project), given.recording)
                document.do(command)
                book.note(given.project, "reference declared", recording=given.recording, kind=made.kind)
            report = declared_report(given.project, document.project, given.recording)
        except OSError as error:
            refuse(f"{given.points}: it cannot be read ({type(error).__name__}).", given.as_json)
        except ValueError as error:
            refuse(str(error).splitlines()[0], given.as_json)
        finally:
            document.close()
        if given.as_json:
            print_json(report)
        else:
            _tell_reference(given.recording, report)


def _declared(given: ReferenceOptions, before: Any) -> Any:
    """Return the reference that the options declare, on top of the one ``before``; ValueError and OSError say what is wrong."""
    from fusus.project.references import AXES, KINDS, DeclaredReference, read_points

    same = before is not None and given.kind in (None, before.kind)
    base = before if same else DeclaredReference(recording=given.recording)
    chosen = given.kind or ("track" if given.other and before is None else base.kind)
    for value, known, name in ((chosen, KINDS, "--kind"), (given.axes or "ned-frd", AXES, "--axes")):
        if value not in known:
            refuse(f"{name} {value} is none of {', '.join(known)}.", given.as_json)
    from_file = given.points.read_text(encoding="utf-8-sig") if given.points is not None else ""
    text = "\n".join([*(given.at or []), from_file])
    sigmas = {
        "tilt": given.tilt_sigma and math.radians(given.tilt_sigma),
        "heading": given.heading_sigma and math.radians(given.heading_sigma),
        "position": given.place_sigma, "height": given.height_sigma, "velocity": given.speed_sigma,
    }  # fmt: skip
    update: dict[str, Any] = {
        "kind": chosen, "points": read_points(text, chosen) if text.strip() else None, "other": given.other, "axes": given.axes,
        "clock_offset_s": given.offset, "clock_ppm": given.ppm, "note": given.note,
        "sigmas": base.sigmas | {k: v for k, v in sigmas.items() if v is not None},
    }  # fmt: skip
    return DeclaredReference.model_validate(base.model_dump() | {k: v for k, v in update.items() if v is not None})


def _tell_reference(recording: str, report: dict[str, Any]) -> None:
    typer.echo(f"“{recording}” is held against: {report['reference'] or 'nothing'}")
    for p in report["points"]:
        typer.echo(f"  {p}")
    for name, value in report["sigmas"].items():
        typer.echo(f"  one sigma of its {name}: {value:.3g}")
    c = report["clock"]
    if c["offset_s"] or c["ppm"]:
        typer.echo(f"  clock: {c['offset_s'] * 1000:+.1f} ms, {c['ppm']:+.1f} ppm")
    if report["covers_s"] is not None:
        typer.echo(f"  covers {report['covers_s'][0]:.1f} to {report['covers_s'][1]:.1f} s of the recording")


def _refuse_read_only(document: Any, as_json: bool) -> None:
    document.require_writable()


def causes(
    project: ProjectFolder,
    recording: RecordingName,
    span: Annotated[
        str | None, typer.Option("--span", help="FROM:TO in s after the first sample; else the longest hover is found.")
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Why a hover or straight flight drifted: ten causes with their probability, and the cheapest test between the first two."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.proof.drift_causes import CAUTION, drift_causes_of, drift_causes_report, percent

        parts: tuple[float, float] | None = None
        if span is not None:
            try:
                start, end = (float(x) for x in span.split(":"))
                parts = (start, end)
            except ValueError:
                refuse(f"--span {span}: give FROM:TO in seconds, such as 8:38.", as_json)
        report = drift_causes_report(
            drift_causes_of(project, store.load(project), recording, parts, StderrProgress()), recording
        )
        if as_json:
            print_json(report)
            return
        far = ", ".join(
            f"{report[key]:.1f} m {words}" for key, words in (("sideways_m", "sideways"), ("vertical_m", "up and down"))
            if report[key] is not None
        )  # fmt: skip
        typer.echo(
            f"{recording}, {report['start_s']:.0f} to {report['end_s']:.0f} s: {far or 'nothing shows how far it went'}"
            + ("" if report["wanders"] else " (it hardly drifts)")
        )
        table = table_of("cause", "probability>", "sign")
        for c in report["causes"]:
            table.add_row(c["title"], percent(c["probability"]), c["sign"])
        table.add_row("something else", percent(report["other"]), "")
        Console(width=150).print(table)
        first = report["causes"][0]
        typer.echo(f"{first['title']}: {first['shows']} {first['cure']}")
        if report["test"] is not None:
            t = report["test"]
            second = report["causes"][1]["title"].lower()
            typer.echo(f"To tell it from {second} ({t['minutes']:.0f} min): {t['words']}")
        typer.echo(CAUTION)


def cards(
    project: ProjectFolder,
    done: Annotated[str | None, typer.Option(help="A card that was flown, by its name.")] = None,
    result: Annotated[str | None, typer.Option(help="pass, fail or aborted.")] = None,
    recording: Annotated[str | None, typer.Option(help="What was recorded on it; its requirements are judged.")] = None,
    note: Annotated[str, typer.Option(help="Words to it.")] = "",
    show: Annotated[str | None, typer.Option(help="One card in full.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """The ladder of test cards for this craft, from first power to the edge of what it may do; note results."""
    with answering(as_json):
        from fusus.project import store
        from fusus.study.keeping.card_results import card_text, cards_report, note_result

        loaded = store.load(project)
        if done is not None:
            note_result(project, loaded, done, result, recording, note)
        report = cards_report(project, loaded)
        if as_json:
            print_json(report)
            return
        if show is not None:
            found = next((c for c in report["cards"] if c["card"] == show), None)
            if found is None:
                refuse(f"--show {show} is none of {', '.join(c['card'] for c in report['cards'])}.", as_json)
            typer.echo(card_text(found))
            return
        table = table_of("", "card", "purpose", "shows", "result")
        for i, c in enumerate(report["cards"], 1):
            table.add_row(str(i), c["card"], c["purpose"], ", ".join(c["requirements"]), c["state"])
        Console(width=150).print(table)
        typer.echo(f"Next: {report['next'] or 'all done'}")
