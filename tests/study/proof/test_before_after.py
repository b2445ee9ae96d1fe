"""Whether two recordings differ: a real change is found, chance is not, and what cannot be compared is refused in words."""

import numpy as np
import pytest
from scipy.signal import lfilter
from tests.cli.command import fusus
from tests.conftest import flown_project, short_flight

from fusus.core.analysis.statistics import difference
from fusus.errors import RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import load_info
from fusus.project import store
from fusus.study.proof.before_after import changes_report, compare_recordings


def drifting(seed, size=1.0, n=6000):
    """Errors that last: a first-order process of some fifty samples."""
    return size * lfilter([1.0], [1.0, -0.98], np.random.default_rng(seed).standard_normal(n)) * 0.2


def test_intervals_of_a_difference_cover_what_they_claim():
    """Two records of one process: in about 5 % of trials chance looks like a difference (95 % intervals)."""
    wrong = sum(difference(drifting(2 * k), drifting(2 * k + 1), "rmse").is_real for k in range(200))
    assert wrong <= 16


def test_a_real_change_is_found_and_its_size():
    found = difference(drifting(1), drifting(2, 1.5), "rmse")
    assert found.is_real and found.low < found.after - found.before < found.high and found.low > 0
    less = difference(drifting(1, 1.5), drifting(2), "p95")
    assert less.is_real and less.high < 0


def test_too_little_and_maxima_tell_nothing():
    assert not difference(np.ones(5), np.ones(5), "rmse").is_real
    top = difference(drifting(1), drifting(2, 3.0), "max")
    assert np.isnan(top.low) and not top.is_real and top.after > top.before


@pytest.fixture(scope="module")
def folder(tmp_path_factory, site):
    made = tmp_path_factory.mktemp("two") / "Heron"
    streams = short_flight(site, seed=3, rate_hz=100.0)[1]
    flown_project(made, streams)
    first = load_info(made, "hop")
    worse = {name: {k: v.copy() for k, v in s.items()} for name, s in streams.items()}
    worse["imu"]["gyro_x_rad_s"] = worse["imu"]["gyro_x_rad_s"] + 0.1 * np.sin(
        np.arange(len(worse["imu"]["t_ns"])) * 0.02
    )
    create_recording(made, first.model_copy(update={"name": "shaken"}), worse)
    without = {k: v for k, v in streams.items() if k not in ("reference", "gnss")}
    create_recording(made, first.model_copy(update={"name": "bare", "reference_is": None}), without)
    return made


def test_a_worse_recording_is_told_and_ends_with_one(folder):
    changes = compare_recordings(folder, store.load(folder), "hop", "shaken")
    report = changes_report(changes, "hop", "shaken")
    tilt = next(c for c in report["changes"] if c["requirement"] == "tilt")
    assert tilt["word"] == "worse" and tilt["after"] > tilt["before"] and not report["passed"]
    same = compare_recordings(folder, store.load(folder), "hop", "hop")
    assert {c.word for c in same} <= {"no real difference", "cannot be told"}
    done = fusus("verify", "--project", folder, "--before", "hop", "--recording", "shaken")
    assert done.returncode == 1 and "worse" in done.stdout


def test_what_cannot_be_compared_is_refused(folder):
    with pytest.raises(RecordingError, match="cannot be compared"):
        compare_recordings(folder, store.load(folder), "hop", "bare")
    done = fusus("verify", "--project", folder, "--before", "hop")
    assert done.returncode == 2 and "needs --recording" in done.stderr
