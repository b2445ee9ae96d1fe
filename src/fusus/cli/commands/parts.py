"""``fusus parts``, ``fusus predict`` and ``fusus rank``."""

import time
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder, SchedulerOption
from fusus.cli.output import FAILED, StderrProgress, answering, print_json, refuse, table_of
from fusus.core.judgement.finding import SEVERITY_WORDS


def parts(
    project: ProjectFolder,
    choose: Annotated[
        list[str] | None, typer.Option(help='Choose a part: KIND=NAME, for example imu="Birch 1"; KIND= takes it off.')
    ] = None,
    import_from: Annotated[
        Path | None, typer.Option("--import", help="JSON file of parts to add to the project.")
    ] = None,
    export: Annotated[Path | None, typer.Option(help="Write all available parts to a JSON file.")] = None,
    shopping: Annotated[Path | None, typer.Option(help="Write the shopping list as CSV.")] = None,
    wiring: Annotated[Path | None, typer.Option(help="Write the wiring table as CSV.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """List parts with their checks against the brief; choose, import and export them."""
    from fusus.project.atomic import write_atomically
    from fusus.project.document import Document
    from fusus.project.parts_files import read_parts, write_parts
    from fusus.study.brief.brief import available
    from fusus.study.parts.lists import as_csv, shopping_rows, wiring_rows
    from fusus.study.parts.prediction import part_rows
    from fusus.study.parts.suite import choice_of

    with answering(as_json):
        document = Document.open(project)
        try:
            if choose or import_from:
                document.require_writable()
            if import_from is not None:
                _add(document, read_parts(import_from))
            for words in choose or []:
                _choose(document, words, as_json)
            loaded = document.project
        finally:
            document.close()
        choice = choice_of(loaded)
        if export is not None:
            write_parts(export, available(loaded))
        for path, rows_of in ((shopping, shopping_rows), (wiring, wiring_rows)):
            if path is not None:
                if choice is None:
                    refuse("no parts are chosen yet; choose an IMU first: --choose imu=NAME.", as_json)
                write_atomically(path, as_csv(rows_of(choice)))
        rows = [_row_data(r) for r in part_rows(loaded)]
        if as_json:
            print_json({"chosen": choice.names() if choice else {}, "parts": rows})
        else:
            _print_parts(rows, choice.names() if choice else {})


def _row_data(row: Any) -> dict[str, Any]:
    figures = row.original.figures
    return {
        "kind": row.original.kind, "name": row.original.name, "own": row.own, "price": figures.get("price"),
        "mass_kg": figures.get("mass"), "current_a": figures.get("current"), "assumed": sorted(row.part.assumed),
        "problems": [asdict(q) for q in row.part.problems], "checks": [asdict(c) for c in row.checks],
    }  # fmt: skip


def _add(document: Any, found: Any) -> None:
    from fusus.project.commands import AddParts

    document.do(AddParts(found))


def _choose(document: Any, words: str, as_json: bool) -> None:
    from fusus.core.parts.fields import KIND_TITLES
    from fusus.project.commands import SetValue
    from fusus.study.parts.suite import choice_of, find_part

    kind, sign, name = words.partition("=")
    kind, name = kind.strip(), name.strip()
    if not sign or kind not in KIND_TITLES:
        refuse(f"“{words}” is no choice; write KIND=NAME with KIND one of {', '.join(KIND_TITLES)}.", as_json)
    project = document.project
    if kind != "magnetometer" or name != project.parts.imu:
        find_part(project, kind, name or None)
    document.do(SetValue(f"parts.{kind}", name or None, f"Choose {kind}"))
    choice_of(document.project)


def _print_parts(rows: list[dict[str, Any]], chosen: dict[str, str]) -> None:
    table = table_of("", "kind", "part", "price>", "limits>", "advice>", "remarks")
    for r in rows:
        limits = [c for c in r["checks"] if c["kind"] == "limit"]
        advice = [c for c in r["checks"] if c["kind"] == "advice"]
        failed = [c for c in limits if not c["kept"]]
        remark = "; ".join(
            [q["message"] for q in r["problems"] if q["severity"] == "stop"]
            + [f"{c['subject']}: {c['message']}" for c in failed[:1]]
        )
        mark = "●" if chosen.get(r["kind"]) == r["name"] else ""
        price = "" if r["price"] is None else f"{r['price']:.2f}"
        kept = f"{len(limits) - len(failed)}/{len(limits)}"
        heeded = f"{sum(c['kept'] for c in advice)}/{len(advice)}"
        table.add_row(mark, r["kind"], r["name"], price, kept, heeded, remark)
    Console(width=150).print(table)


def predict(
    project: ProjectFolder,
    out: Annotated[Path | None, typer.Option(help="Write one sigma along the mission as CSV.")] = None,
    as_json: JsonFlag = False,
) -> None:
    """Predict the errors of the chosen parts on the brief's mission; exit status 1 if a requirement is out of reach."""
    from fusus.project import store
    from fusus.project.atomic import write_atomically
    from fusus.study.parts.lists import as_csv, spread_rows
    from fusus.study.parts.suite import prediction_summary, study_suite

    with answering(as_json):
        study = study_suite(store.load(project), StderrProgress())
        if study is None:
            refuse(
                "no IMU is chosen yet. Next: fusus parts --project DIR --choose imu=NAME --choose receiver=NAME",
                as_json,
            )
        report = prediction_summary(study)
        if out is not None:
            write_atomically(out, as_csv(spread_rows(study)))
        if as_json:
            print_json(report)
        else:
            _print_prediction(report)
        if any(r["met"] is False or r["predicted"] is None for r in report["requirements"]):
            raise typer.Exit(FAILED)


def _print_prediction(report: dict[str, Any]) -> None:
    typer.echo("Parts: " + ", ".join(f"{k} {v}" for k, v in report["parts"].items()))
    typer.echo(f"{report['price']:.2f} cr, {report['mass_kg'] * 1e3:.1f} g, {report['current_a'] * 1e3:.0f} mA\n")
    table = table_of("requirement", "limit>", "predicted>", "", "largest sources")
    for r in report["requirements"]:
        unit = {"deg": "°"}.get(r["unit"], " " + r["unit"])
        value = "-" if r["predicted"] is None else f"{r['predicted']:.3g}{unit}"
        word = {True: "● in reach", False: "■ out of reach", None: "○ " + r["reason"]}[r["met"]]
        largest = ", ".join(f"{k} {v:.0%}" for k, v in list(r["budget"].items())[:3])
        table.add_row(f"{r['title']} ({r['statistic']})", f"≤ {r['limit']:.3g}{unit}", value, word, largest)
    Console(width=150).print(table)
    for f in report["findings"]:
        typer.echo(
            f"[{SEVERITY_WORDS[f['severity']]}] {f['subject']}. {f['statement']} {f['reason']} -> {f['next_step']}"
        )
    for q in report["problems"]:
        typer.echo(f"[{SEVERITY_WORDS[q['severity']]}] {q['part']}: {q['message']}; {q['action']}.")


def rank(
    project: ProjectFolder,
    top: Annotated[int, typer.Option(help="How many of the front to print for people.")] = 20,
    scheduler: SchedulerOption = None,
    as_json: JsonFlag = False,
) -> None:
    """Predict every combination of the available parts and show those that are not dominated."""
    from fusus.project import store
    from fusus.study.parts.suite import rank_parts, ranking_summary

    with answering(as_json):
        loaded = store.load(project)
        if not loaded.brief.requirements:
            refuse("there are no requirements to rank by; add one in the brief.", as_json)
        began = time.perf_counter()
        ranking = rank_parts(loaded, StderrProgress(), scheduler)
        report = ranking_summary(ranking, time.perf_counter() - began)
        if as_json:
            print_json(report)
            return
        table = table_of("worst error / limit>", "price>", "g>", "mA>", "parts")
        for s in report["front"][:top]:
            table.add_row(
                f"{s['score']:.2f}",
                f"{s['cost']:.2f}",
                f"{s['mass_kg'] * 1e3:.1f}",
                f"{s['current_a'] * 1e3:.0f}",
                ", ".join(s["parts"].values()),
            )
        Console(width=120).print(table)
        typer.echo(
            f"{report['evaluated']} combinations in {report['elapsed_s']:.1f} s; {len(report['front'])} are not dominated "
            "in error, price, mass and current."
        )
