"""Options that several commands share."""

import inspect
from collections.abc import Callable
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer

Options = TypeVar("Options")
JsonFlag = Annotated[bool, typer.Option("--json", help="Print exactly one JSON object.")]
ProjectFolder = Annotated[Path, typer.Option("--project", help="The project's folder.", show_default=False)]
SchedulerOption = Annotated[
    str | None,
    typer.Option(
        "--scheduler", help="Have a cluster do the work: tcp://HOST:PORT of its scheduler (needs the extra “cluster”)."
    ),
]


def command_with(kind: type[Options]) -> Callable[[Callable[[Options], None]], Callable[..., None]]:
    """Make a command of a function that takes one record of options: each field of the record is an option."""

    def command_of(function: Callable[[Options], None]) -> Callable[..., None]:
        def command(**given: Any) -> None:
            function(kind(**given))

        signature = inspect.signature(kind)
        command.__name__, command.__doc__, command.__module__ = function.__name__, function.__doc__, function.__module__
        command.__annotations__ = {p.name: p.annotation for p in signature.parameters.values()}
        command.__signature__ = signature.replace(return_annotation=None)  # type: ignore[attr-defined]
        return command

    return command_of
