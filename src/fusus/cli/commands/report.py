"""``fusus report``."""

from pathlib import Path
from typing import Annotated

import typer

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import StderrProgress, answering, print_json


def report(
    project: ProjectFolder,
    out: Annotated[Path, typer.Option(help="Where to: a file that ends in .html or .pdf.", show_default=False)],
    as_json: JsonFlag = False,
) -> None:
    """Write the report: craft, parts, calibrations, estimator, loops, verdicts, findings, versions and hashes, in one file."""
    with answering(as_json):
        from fusus.project import store
        from fusus.report.write import write_report

        loaded = store.load(project)
        write_report(project, loaded, out, StderrProgress())
        if as_json:
            print_json({"project": loaded.name, "report": str(out), "bytes": out.stat().st_size})
        else:
            typer.echo(f"Written: {out}")
