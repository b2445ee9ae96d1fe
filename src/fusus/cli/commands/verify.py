"""``fusus verify``."""

from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import FAILED, StderrProgress, answering, print_json, refuse, table_of
from fusus.core.judgement.finding import SEVERITY_WORDS

WARNING = SEVERITY_WORDS["mind"]


def verify(
    project: ProjectFolder,
    recording: Annotated[str | None, typer.Option(help="One recording; else all that have a reference.")] = None,
    before: Annotated[
        str | None, typer.Option(help="Compare --recording with this earlier one: is a difference real?")
    ] = None,
    pooled: Annotated[bool, typer.Option("--pooled", help="All flights together too.")] = False,
    allow_unmeasured: Annotated[
        bool, typer.Option("--allow-unmeasured", help="Pass although some requirements were measured by no recording.")
    ] = False,
    as_json: JsonFlag = False,
) -> None:
    """Judge recordings against the requirements.

    Exit status 0 only if every requirement was measured and met; 1 if one fails, was measured by no recording (see
    --allow-unmeasured), or is really worse than before.
    """
    with answering(as_json):
        if before is not None:
            _compare(project, before, recording, as_json)
            return
        report = verify_report(project, recording, as_json)
        if pooled:
            _pool(project, report)
        is_complete = allow_unmeasured or not report["not_measured"]
        report["passed"] = not report["failed"] and is_complete
        if as_json:
            print_json(report)
        else:
            print_verdicts(report)
        if not report["passed"]:
            raise typer.Exit(FAILED)


def _pool(project: Path, report: dict[str, Any]) -> None:
    """Add the verdicts over all flights."""
    from fusus.project import store
    from fusus.study.proof.pooling import pool, pooled_report

    report["pooled"] = pooled_report(pool(project, store.load(project), StderrProgress()))
    fails = [v["title"] for v in report["pooled"]["verdicts"] if v["verdict"] == "fail"]
    report["failed"] += [{"recording": "all flights", "requirement": t} for t in fails]


def _compare(project: Path, before: str, recording: str | None, as_json: bool) -> None:
    """Say what changed between two recordings; exit status 1 if a figure is really worse."""
    from fusus.project import store
    from fusus.study.proof.before_after import changes_report, compare_recordings

    if recording is None:
        refuse("--before needs --recording, the later one.", as_json)
    changes = compare_recordings(project, store.load(project), before, recording, StderrProgress())
    report = changes_report(changes, before, recording)
    if as_json:
        print_json(report)
    else:
        table = table_of("requirement", f"{before}>", f"{recording}>", "95 % of the change>", "")
        for c in report["changes"]:
            unit = {"deg": "°"}.get(c["unit"], " " + c["unit"])
            low, high = c["interval"]
            span = "–" if low is None else f"{low:+.3g} to {high:+.3g}{unit}"
            table.add_row(
                f"{c['title']} ({c['statistic']})",
                f"{c['before']:.3g}{unit}",
                f"{c['after']:.3g}{unit}",
                span,
                c["word"],
            )
        Console(width=130).print(table)
    if not report["passed"]:
        raise typer.Exit(FAILED)


def verify_report(project: Path, recording: str | None, as_json: bool) -> dict[str, Any]:
    """Return the verdicts of the recordings that can be judged, and note them in the book."""
    from fusus.logs.info import duplicates, list_recordings, load_info
    from fusus.project import book, store
    from fusus.study.proof.verdicts import is_judged, judge_recording

    loaded = store.load(project)
    infos = (
        [load_info(project, recording)] if recording else [i for i in list_recordings(project) if is_judged(i, loaded)]
    )
    if not infos:
        refuse("there is no recording to judge; import one first.", as_json)
    progress = StderrProgress()
    judged = [judge_recording(project, loaded, info, progress) for info in infos]
    measured = [j for j in judged if any(v["value"] is not None for v in j.verdicts)]
    if not measured:
        reasons = {j.error or next((v["reason"] for v in j.verdicts), "there are no requirements") for j in judged}
        refuse(f"nothing could be judged: {'; '.join(sorted(reasons))}.", as_json)
    fails = [(j.recording, v["title"]) for j in measured for v in j.verdicts if v["verdict"] == "fail"]
    found = {v["title"] for j in measured for v in j.verdicts if v["value"] is not None}
    never = {v["title"]: v["reason"] for j in measured for v in j.verdicts if v["title"] not in found}
    report = {
        "project": loaded.name,
        "passed": not fails and not never,
        "requirements": len(found) + len(never),
        "failed": [{"recording": r, "requirement": t} for r, t in fails],
        "not_measured": sorted(never),
        "reasons": never,
        "practice": [i.name for i in infos if i.is_practice],
        "duplicates": [{"recording": a, "same_as": b} for a, b in duplicates(infos).items()],
        "recordings": [
            {
                "recording": j.recording, "kind": j.kind, "evidence": j.evidence, "estimator": j.estimator, "error": j.error,
                "reference": j.reference, "verdicts": list(j.verdicts), "findings": list(j.findings), "board": j.board,
            }
            for j in judged
        ],
    }  # fmt: skip
    words = {f"{j.recording}/{v['requirement']}": v["verdict"] for j in measured for v in j.verdicts}
    book.note(project, "verified", verdicts=words)
    return report


def _add_rows(table: Any, name: str, verdicts: list[dict[str, Any]]) -> None:
    for v in verdicts:
        unit = {"deg": "°"}.get(v["unit"], " " + v["unit"])
        value = f"{v['value']:.2f}{unit}" if v["value"] is not None else "-"
        interval = f"{v['interval'][0]:.2f} to {v['interval'][1]:.2f}" if v["interval"] else ""
        words = {"pass": "● pass", "close": "◆ close", "fail": "■ fail"}.get(v["verdict"], "○ not measured")
        table.add_row(name, f"{v['title']} ({v['statistic']})", f"≤ {v['limit']:.2f}{unit}", value, interval, words)


def print_verdicts(report: dict[str, Any]) -> None:
    """Print the verdict table for people."""
    table = table_of("recording", "requirement", "limit>", "value>", "95 % interval>", "verdict")
    for r in report["recordings"]:
        if r["error"]:
            table.add_row(r["recording"], "-", "", "", "", r["error"])
        _add_rows(table, r["recording"], r["verdicts"])
        if r["board"] is not None:
            _add_rows(
                table,
                f"{r['recording']} (the board's own)",
                [v for v in r["board"]["verdicts"] if v["value"] is not None],
            )
    if "pooled" in report:
        _add_rows(table, "all flights", report["pooled"]["verdicts"])
    Console(width=130).print(table)
    for r in report["recordings"]:
        for c in (r["board"] or {}).get("claims", []):
            if c["word"] != "honest":
                typer.echo(
                    f"[{WARNING}] {r['recording']}: the board's claimed {c['claim']} is {c['word']}: {c['one_sigma']:.0%} of errors lie "
                    f"within one σ (68 % are due), they are {c['ratio']:.1f} times as large."
                )
    for d in report["duplicates"]:
        typer.echo(f"[{WARNING}] “{d['recording']}” was made from the same files as “{d['same_as']}”: it counts once.")
    if report["practice"]:
        names = ", ".join(f"“{name}”" for name in report["practice"])
        typer.echo(f"Practice, no evidence of a real craft (stand-in or simulation): {names}.")
    for title in report["not_measured"]:
        typer.echo(f"Not measured by any recording: {title} ({report['reasons'][title]}).")
    for r in report["recordings"]:
        for f in r["findings"]:
            if f["severity"] != "fine":
                typer.echo(
                    f"[{SEVERITY_WORDS[f['severity']]}] {r['recording']}: {f['subject']}. {f['statement']} -> {f['next_step']}"
                )
    typer.echo(conclusion(report))


def conclusion(report: dict[str, Any]) -> str:
    """Return what all verdicts come to: how many requirements were measured, and whether they are met."""
    count = report["requirements"]
    measured = count - len(report["not_measured"])
    what = f"{measured} of {count} requirements were measured"
    if report["failed"]:
        failed = len({f["requirement"] for f in report["failed"]})
        return f"{what}; {failed} of them {'fails' if failed == 1 else 'fail'}."
    if measured == count:
        return f"All {count} requirements were measured, and all are met."
    return f"{what}, and met: nothing is known of the others" + (
        "." if report["passed"] else ", so this does not pass (--allow-unmeasured lets it)."
    )
