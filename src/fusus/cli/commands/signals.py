"""``fusus signals``."""

from pathlib import Path
from typing import Annotated, Any

import numpy as np
import typer
from rich.console import Console

from fusus.cli.options import JsonFlag, ProjectFolder
from fusus.cli.output import answering, print_json, table_of
from fusus.project.table_text import table_text


def signals(
    project: ProjectFolder,
    recording: Annotated[str, typer.Option(help="The recording.", show_default=False)],
    group: Annotated[str | None, typer.Option(help="One group only, for example imu-gyro; else all.")] = None,
    out: Annotated[
        Path | None, typer.Option(help="Write the group as CSV: logged, and corrected where a calibration changes it.")
    ] = None,
    as_json: JsonFlag = False,
) -> None:
    """Say what each channel of a recording holds: rate, gaps, range, mean, scatter and the strongest frequency."""
    with answering(as_json):
        from fusus.project import store
        from fusus.project.atomic import write_atomically
        from fusus.study.recording.signals import signals as all_signals

        found = all_signals(project, store.load(project), recording)
        groups = (found.group(group),) if group is not None else found.groups
        if out is not None:
            write_atomically(out, _csv(groups[0]))
        told = [_told(g) for g in groups]
        if as_json:
            print_json({"recording": recording, "corrected_by": list(found.corrected_by), "groups": told})
            return
        table = table_of("channel", "unit", "Hz>", "from>", "to>", "mean>", "σ>", "peak, Hz>", "missing>", "gaps>")
        for g in told:
            for c in g["channels"]:
                scale = [_short(c[k]) for k in ("least", "greatest", "mean", "sigma", "peak_hz")]
                counts = (str(c["missing"]), str(len(g["gaps_s"])))
                table.add_row(f"{g['name']} {c['name']}", g["unit"], _short(g["rate_hz"]), *scale, *counts)
        Console().print(table)


def _told(group: Any) -> dict[str, Any]:
    from fusus.study.recording.signals import spectrum

    channels = []
    for c in group.channels:
        values = c.corrected if c.corrected is not None else c.logged
        known = values[np.isfinite(values)]
        strongest = spectrum(group.t_s, values)
        channels.append(
            {
                "name": c.name, "is_corrected": c.corrected is not None, "missing": int(len(values) - len(known)),
                "least": _number(known.min()) if len(known) else None, "greatest": _number(known.max()) if len(known) else None,
                "mean": _number(known.mean()) if len(known) else None, "sigma": _number(known.std(ddof=1)) if len(known) > 1 else None,
                "peak_hz": _number(strongest[0][np.argmax(strongest[1])]) if strongest is not None and np.any(strongest[1] > 0) else None,
            }
        )  # fmt: skip
    return {
        "name": group.name, "title": group.title, "unit": group.unit, "rate_hz": group.rate_hz, "samples": len(group.t_s),
        "gaps_s": [list(g) for g in group.gaps], "channels": channels,
    }  # fmt: skip


def _number(value: Any) -> float | None:
    return float(value) if np.isfinite(value) else None


def _short(value: float | None) -> str:
    return f"{value:.3g}" if value is not None else "–"


def _csv(group: Any) -> bytes:
    names, columns = ["t_s"], [group.t_s]
    for c in group.channels:
        names.append(f"{c.name} [{group.unit}]")
        columns.append(c.logged)
        if c.corrected is not None:
            names.append(f"{c.name} corrected [{group.unit}]")
            columns.append(c.corrected)
    rows = (["" if np.isnan(v) else repr(float(v)) for v in row] for row in zip(*columns, strict=True))
    return table_text([names, *rows]).encode()
