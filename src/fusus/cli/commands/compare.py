"""``fusus compare``."""

from pathlib import Path
from typing import Annotated

import typer

from fusus.cli.options import JsonFlag
from fusus.cli.output import answering, print_json


def compare(
    estimate: Annotated[Path, typer.Option(help="The estimate (.parquet, .csv).", show_default=False)],
    reference: Annotated[Path, typer.Option(help="The reference (.parquet, .csv).", show_default=False)],
    align_time: Annotated[bool, typer.Option("--align-time", help="Align the reference's clock first.")] = False,
    align_yaw: Annotated[bool, typer.Option("--align-yaw", help="Take the mean heading difference off.")] = False,
    as_json: JsonFlag = False,
) -> None:
    """Hold one attitude file against another: tilt and heading errors apart."""
    with answering(as_json):
        import math

        from fusus.core.analysis import comparison
        from fusus.core.analysis.attitude_error import circular_spread
        from fusus.core.analysis.statistics import error_interval
        from fusus.core.judgement.reference_findings import of_reference
        from fusus.logs.estimates import read_track
        from fusus.study.fusion.summary import alignment, errors
        from fusus.study.plain import plain

        judged = read_track(estimate)
        found = comparison.compare(judged, read_track(reference), align_time, align_yaw)
        odd = of_reference(float(judged.t_s[0]), float(judged.t_s[-1]), found)
        tilt, heading = (error_interval(v, "rmse") for v in (found.tilt, found.heading))
        report = {
            "samples": len(found.t_s),
            "errors": errors(found),
            "intervals": plain(
                {
                    "tilt_rmse_deg": [math.degrees(tilt.low), math.degrees(tilt.high)],
                    "heading_rmse_deg": [math.degrees(heading.low), math.degrees(heading.high)],
                }
            ),
            "alignment": alignment(found),
            "heading_offset_deg": plain(math.degrees(found.heading_offset_rad)),
            "heading_spread_deg": plain(math.degrees(circular_spread(found.heading))),
            "yaw_aligned": found.yaw_aligned,
            "notes": [*found.notes, *(f"{f.subject}: {f.statement}" for f in odd)],
        }
        if as_json:
            print_json(report)
            return
        e = errors(found) or {}
        for quantity in ("tilt", "heading"):
            values = [e[f"{quantity}_{s}_deg"] for s in ("rmse", "p95", "max")]
            typer.echo(f"{quantity:<8} RMSE {values[0]:6.2f}°   95 % {values[1]:6.2f}°   max {values[2]:6.2f}°")
        typer.echo(
            f"heading differs by {report['heading_offset_deg']:.1f}° on average and drifts by "
            f"{report['heading_spread_deg']:.1f}° round that" + (" (the mean was taken off)" if align_yaw else "")
        )
        if found.alignment is not None:
            a = found.alignment
            typer.echo(
                f"the reference's clock: {a.clock.offset_s * 1000:+.1f} ms, {a.clock.drift * 1e6:+.0f} ppm "
                f"(correlation {a.correlation:.2f})"
            )
        for note in report["notes"]:
            typer.echo(f"note: {note}")
