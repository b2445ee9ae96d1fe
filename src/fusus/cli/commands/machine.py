"""``fusus doctor``, and ``fusus --version``."""

import typer

from fusus.cli.options import JsonFlag
from fusus.cli.output import FAILED, answering, print_json, table_of


def doctor(as_json: JsonFlag = False) -> None:
    """Say what this machine has of what Fusus uses, and what to do where something is missing; exit status 1 if something needed is."""
    with answering(as_json):
        from rich.console import Console

        from fusus.study.machine import checks, versions

        found = checks()
        if as_json:
            rows = [
                {
                    "name": c.name,
                    "there": c.is_there,
                    "needed": c.is_needed,
                    "found": c.found,
                    "action": c.action or None,
                }
                for c in found
            ]
            print_json({"versions": versions(), "checks": rows})
        else:
            table = table_of("", "", "found", "what to do")
            for c in found:
                word = "ok" if c.is_there else "missing" if c.is_needed else "not here"
                table.add_row(c.name, word, c.found, c.action)
            Console(width=150).print(table)
            typer.echo(", ".join(f"{name} {version}" for name, version in versions().items()))
        if any(c.is_needed and not c.is_there for c in found):
            raise typer.Exit(FAILED)


def tell_version(wanted: bool) -> None:
    """Print the version with what it stands on, and end."""
    if wanted:
        from fusus.study.machine import versions

        typer.echo(", ".join(f"{name} {version}" for name, version in versions().items()))
        raise typer.Exit
