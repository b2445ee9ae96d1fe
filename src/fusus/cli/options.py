"""Options that several commands share."""

from pathlib import Path
from typing import Annotated

import typer

JsonFlag = Annotated[bool, typer.Option("--json", help="Print exactly one JSON object.")]
ProjectFolder = Annotated[Path, typer.Option("--project", help="The project's folder.", show_default=False)]
SchedulerOption = Annotated[
    str | None,
    typer.Option(
        "--scheduler", help="Have a cluster do the work: tcp://HOST:PORT of its scheduler (needs the extra “cluster”)."
    ),
]
