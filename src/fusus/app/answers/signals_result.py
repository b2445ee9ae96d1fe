"""The channels of a recording made ready for drawing, in the worker thread."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fusus.app.figures.long import Envelope
from fusus.core.arrays import Array
from fusus.core.progress import Progress
from fusus.project.records import Project
from fusus.study.recording.signals import Group, Signals, histogram, signals, spectrum

Key = tuple[str, str, bool]  # group, channel, whether corrected


@dataclass(frozen=True, slots=True)
class SignalsResult:
    """What the signals page draws. ``envelopes``: by group, channel, and whether corrected."""

    signals: Signals
    envelopes: dict[Key, Envelope]


@dataclass(frozen=True, slots=True)
class Densities:
    """Spectra and histograms of groups over a stretch (start, end), s: by group and channel, (x, y)."""

    span: tuple[float, float]
    groups: tuple[str, ...]
    spectra: dict[tuple[str, str], tuple[Array, Array]]
    histograms: dict[tuple[str, str], tuple[Array, Array]]


def signals_result(folder: Path, project: Project, recording: str, progress: Progress) -> SignalsResult:
    """Load a recording and make an envelope of each channel."""
    found = signals(folder, project, recording)
    envelopes: dict[Key, Envelope] = {}
    for done, group in enumerate(found.groups):
        progress.step(done, len(found.groups), "Channels")
        for c in group.channels:
            envelopes[group.name, c.name, False] = Envelope(group.t_s, c.logged)
            if c.corrected is not None:
                envelopes[group.name, c.name, True] = Envelope(group.t_s, c.corrected)
    return SignalsResult(found, envelopes)


def densities(groups: tuple[Group, ...], span: tuple[float, float]) -> Densities:
    """Return spectra and histograms of what is corrected, else of what was logged, within a stretch."""
    spectra: dict[tuple[str, str], tuple[Array, Array]] = {}
    histograms: dict[tuple[str, str], tuple[Array, Array]] = {}
    for group in groups:
        first, last = np.searchsorted(group.t_s, span)
        for c in group.channels:
            values = (c.corrected if c.corrected is not None else c.logged)[first:last]
            found = spectrum(group.t_s[first:last], values)
            if found is not None:
                spectra[group.name, c.name] = found
            counted = histogram(values)
            if counted is not None:
                histograms[group.name, c.name] = counted
    return Densities(span, tuple(g.name for g in groups), spectra, histograms)
