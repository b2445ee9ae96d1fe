"""The smoother in place of a reference: nearer to the truth than the filter, never in place of a real one."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import flown_project, short_flight

from fusus.core.analysis.comparison import compare
from fusus.errors import RecordingError
from fusus.project.records import Fusion
from fusus.study.fusion.ablation import ablate
from fusus.study.fusion.faults import fault_sweep
from fusus.study.fusion.run import Choice, request_for, run
from fusus.study.fusion.schools import fusion_schools
from fusus.study.fusion.smoothing import SMOOTHER, load_measurable, measurable, smoothed
from fusus.study.fusion.summary import replay_report
from fusus.study.recording.loading import load

CHOSEN = Fusion(estimators=("navigation-ekf", "mahony"))


@pytest.fixture(scope="module")
def known(tmp_path_factory, site):
    """The same flight twice: with its truth and without."""
    streams = short_flight(site, seed=4)[1]
    out = []
    for name in ("with", "without"):
        folder = tmp_path_factory.mktemp("smoothing") / name
        out.append((folder, flown_project(folder, streams, fusion=CHOSEN)))
        streams = {k: v for k, v in streams.items() if k != "reference"}
    return out


def test_the_smoother_is_nearer_to_the_truth_than_the_filter(known):
    (folder, project), _ = known
    loaded = load(folder, project, "hop")
    track = smoothed(loaded, project.fusion.navigation_ekf)
    assert track is not None and loaded.reference is not None
    study = run(request_for(folder, project, "hop"))
    against_truth = compare(track, loaded.reference)
    for quantity in ("velocity", "tilt"):
        mine, filters = against_truth.value(quantity, "rmse"), study.judged.comparison.value(quantity, "rmse")
        assert mine < filters, quantity


def test_a_reference_of_its_own_is_never_replaced(known):
    (folder, project), _ = known
    loaded = load(folder, project, "hop")
    assert measurable(loaded, project) is loaded
    study = run(request_for(folder, project, "hop"))
    assert all(e.against_smoother is None for e in study.estimates)
    assert replay_report(study)["against_smoother"] is None


def test_without_a_reference_estimates_are_held_against_the_smoother_but_not_judged(known):
    _, (folder, project) = known
    study = run(request_for(folder, project, "hop"))
    assert study.judged.comparison is None and "no reference" in study.judged.why_not
    filters, simple = (e.against_smoother for e in study.estimates)
    assert filters.value("tilt", "rmse") < simple.value("tilt", "rmse")
    assert all(v.word == "not measured" for v in study.verdicts)


def test_what_an_outage_hides_from_the_filter_the_smoother_still_sees(known):
    """Its distance from the smoother at the end of an outage is near the true error there."""
    (folder, project), (bare, _) = known
    hidden = ((40.0, 10.0),)
    true = replay_report(run(replace(request_for(folder, project, "hop"), outages=hidden)))
    seen = replay_report(run(replace(request_for(bare, project, "hop"), outages=hidden)))
    error = true["outages"][0]["horizontal_error_m"]
    assert seen["outages"][0]["horizontal_error_m"] is None
    assert seen["against_smoother"]["outages"][0]["horizontal_error_m"] == pytest.approx(error, abs=1.0)


def test_questions_work_on_a_flight_without_truth(known):
    _, (folder, project) = known
    loaded = load_measurable(folder, project, "hop")
    assert loaded.measured_by == SMOOTHER
    choice = Choice("navigation-ekf", project.fusion.navigation_ekf)
    rows = {r.title: r.values for r in ablate(loaded, choice, project.brief.requirements).rows}
    at = next(i for i, r in enumerate(project.brief.requirements) if r.quantity == "position")
    assert rows["Without GNSS"][at] > 3 * rows["As it is"][at]
    assert len(fusion_schools(project, loaded)) >= 5


def test_with_neither_reference_nor_fixes_it_is_said_what_is_missing(known):
    _, (folder, project) = known
    loaded = load(folder, project, "hop", use_gnss=False)
    assert smoothed(loaded, project.fusion.navigation_ekf) is None
    bare = measurable(loaded, project)
    choice = Choice("mahony", project.fusion.mahony)
    for ask in (
        lambda: ablate(bare, choice, project.brief.requirements),
        lambda: fault_sweep(bare, (choice,)),
        lambda: fusion_schools(project, bare),
    ):
        with pytest.raises(RecordingError, match="neither"):
            ask()


def test_smoothing_leaves_the_samples_alone(known):
    _, (folder, project) = known
    loaded = load(folder, project, "hop")
    before = [np.array(a) for a in (loaded.given.samples.gyro_b, loaded.given.aiding.gnss, loaded.given.aiding.baro)]
    first = smoothed(loaded, project.fusion.navigation_ekf)
    second = smoothed(loaded, project.fusion.navigation_ekf)
    after = (loaded.given.samples.gyro_b, loaded.given.aiding.gnss, loaded.given.aiding.baro)
    assert all(np.array_equal(a, b, equal_nan=True) for a, b in zip(before, after, strict=True))
    assert np.array_equal(first.pos_n, second.pos_n)
