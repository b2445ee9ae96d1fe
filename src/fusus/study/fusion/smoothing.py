"""Where a recording has no reference: the smoother's motion in its place, from all fixes before and after each moment.

It is no truth: it shares sensors and tuning with what it is held against, so that requirements are not judged by it. But it knows
the future, and shows how far a filter was off that did not.
"""

from dataclasses import replace
from pathlib import Path

import numpy as np

from fusus.core.analysis.comparison import Track
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.navigation_ekf import run as navigation
from fusus.core.estimation.navigation_ekf.parameters import Parameters
from fusus.core.estimation.navigation_ekf.smoother import smooth
from fusus.core.estimation.samples import sealed
from fusus.project.records import Project
from fusus.study.recording.loading import LoadedRecording, load

LEAST_FIXES = 20
SMOOTHER = "the smoother"
# Both ways over all samples: groups of five are as good here, and take half the time.
EVERY = 5


def smoothed(loaded: LoadedRecording, parameters: Parameters) -> Track | None:
    """Return the smoothed motion of a recording, or None where its fixes are too few to tie it down."""
    given = loaded.given
    t, aiding, samples = np.ascontiguousarray(given.t_s), given.aiding, sealed(given.samples)
    if len(aiding.gnss) < LEAST_FIXES:
        return None
    tuned = replace(parameters, covariance_every=max(EVERY, parameters.covariance_every))
    start = start_from(t, samples.gyro_b, samples.acc_b, samples.mag_b, loaded.site)
    forward = navigation.begin(tuned, loaded.site, start, aiding, t, samples)
    navigation.advance(forward, t, samples, aiding, 0, len(t))
    found = smooth(tuned, loaded.site, start, t, samples, aiding, forward)
    sound = np.isfinite(found.pos_n).all() and np.isfinite(found.q_nb).all()
    return Track(found.t_s, found.q_nb, found.pos_n, found.vel_n) if sound else None


def measurable(loaded: LoadedRecording, project: Project) -> LoadedRecording:
    """Return a recording with something to measure against: its own reference, else the smoother's motion if there is any."""
    if loaded.reference is not None:
        return loaded
    found = smoothed(loaded, project.fusion.navigation_ekf)
    return replace(loaded, reference=found, measured_by=SMOOTHER) if found is not None else loaded


def load_measurable(folder: Path, project: Project, recording: str) -> LoadedRecording:
    """Return a project's recording with something to measure against, if there is any."""
    return measurable(load(folder, project, recording), project)
