"""Figures for print, drawn without a screen."""

import io
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.report.content import Picture

# As on the screen: ink, accent, ochre, plum, brick, faint.
INK, ACCENT, OCHRE, PLUM, BRICK, FAINT = "#22303A", "#0F6B6B", "#B9770E", "#5E4A86", "#A33A2C", "#5B6770"
COLOURS = (ACCENT, OCHRE, PLUM, BRICK, INK, FAINT)
STYLES = ("-", "--", ":", "-.")
POINTS = 1200  # a curve


def _new(height: float = 2.6) -> tuple[Any, Any]:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.0, height), layout="constrained")
    axes = figure.add_subplot()
    axes.grid(visible=True, color="#D8D3C7", linewidth=0.6)
    axes.spines[["top", "right"]].set_visible(False)
    axes.tick_params(labelsize=8, colors=INK)
    return figure, axes


def _picture(figure: Any, caption: str) -> Picture:
    import matplotlib as mpl

    svg, png = io.StringIO(), io.BytesIO()
    # Text stays text, identifiers and date do not change from run to run.
    with mpl.rc_context({"svg.fonttype": "none", "svg.hashsalt": "fusus"}):
        figure.savefig(svg, format="svg", metadata={"Date": None, "Creator": None})
    figure.savefig(png, format="png", dpi=160)
    text = svg.getvalue()
    return Picture(caption, text[text.index("<svg") :], png.getvalue())


def curves(
    caption: str,
    x: Array,
    named: Mapping[str, Array],
    labels: tuple[str, str],
    limit: float | None = None,
    is_log: bool = False,
) -> Picture:
    """Return curves over one abscissa, with a limit; long ones are thinned."""
    figure, axes = _new()
    every = max(1, len(x) // POINTS)
    for i, (name, y) in enumerate(named.items()):
        axes.plot(x[::every], y[::every], STYLES[i % 4], color=COLOURS[i % 6], linewidth=1.2, label=name)
    if limit is not None:
        axes.axhline(limit, color=BRICK, linewidth=1.2)
        axes.annotate("limit", (float(x[0]), limit), color=BRICK, fontsize=8, va="bottom")
    if is_log:
        axes.set_xscale("log")
    axes.set_xlabel(labels[0], fontsize=8, color=INK)
    axes.set_ylabel(labels[1], fontsize=8, color=INK)
    if len(named) > 1:
        axes.legend(fontsize=8, frameon=False)
    return _picture(figure, caption)


def shares(caption: str, bars: Sequence[tuple[str, float, Mapping[str, float]]]) -> Picture:
    """Return one bar a requirement: its error as a share of its limit, cut by source; a line at one, the limit."""
    figure, axes = _new(0.6 + 0.42 * len(bars))
    totals: dict[str, float] = {}
    for _, size, parts in bars:
        for source, share in parts.items():
            totals[source] = totals.get(source, 0.0) + size * share
    main = sorted(totals, key=lambda s: -totals[s])[:5]
    y = np.arange(len(bars))[::-1]
    for place, (_, size, parts) in zip(y, bars, strict=True):
        left = 0.0
        for i, source in enumerate(main):
            width = size * parts.get(source, 0.0)
            axes.barh(place, width, 0.6, left, color=COLOURS[i], edgecolor="white", linewidth=0.5)
            left += width
        axes.barh(place, max(size - left, 0.0), 0.6, left, color="#C9C4B8", edgecolor="white", linewidth=0.5)
    for i, source in enumerate(main):
        axes.barh(0, 0, color=COLOURS[i], label=source)
    axes.barh(0, 0, color="#C9C4B8", label="others")
    axes.axvline(1.0, color=BRICK, linewidth=1.2)
    axes.set_yticks(y, [name for name, *_ in bars])
    axes.set_xlabel("error over its limit", fontsize=8, color=INK)
    axes.grid(visible=False, axis="y")
    axes.legend(fontsize=7, frameon=False, loc="center left", bbox_to_anchor=(1.0, 0.5))
    return _picture(figure, caption)
