"""The generated C held against the core: every filter, both precisions, made-up flights and recordings of real devices."""

import tempfile
from dataclasses import replace
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest
from tests.firmware.kits import flown, plan_for
from tests.runs import LONG

from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.samples import Samples
from fusus.core.frames import quaternion
from fusus.core.mission.mission import Mission
from fusus.firmware.equality.compare import compare, core_run, prove
from fusus.firmware.equality.limits import DOUBLE, U, limits_for
from fusus.firmware.equality.vectors import begun
from fusus.firmware.running import programs
from fusus.firmware.running.access import access_to, figures_of
from fusus.firmware.running.exchange import Given, single_rows

NAMES = [i.name for i in ESTIMATORS]
PRECISIONS = ("double", "single")
FEW = 2  # of the other tunings, in the short run
DATA = Path(__file__).parents[1] / "data"


def proved(plan, given, site, start=None):
    with tempfile.TemporaryDirectory() as space:
        return prove(plan, [core_run(plan, given, site, start)], Path(space))[0]


def told(equality):
    return [(h.name, h.worst, h.limit, h.at_s) for h in equality.held if not h.is_within] or equality.why_not


@pytest.fixture(scope="module")
def flight(place):
    return flown(place)[0]


@pytest.mark.parametrize("precision", PRECISIONS)
@pytest.mark.parametrize("name", NAMES)
def test_a_flight_comes_out_the_same(name, precision, flight, place):
    found = proved(plan_for(name, precision, place), flight, place)
    assert found.is_equal, told(found)
    assert found.samples == len(flight.t_s)
    names = {h.name for h in found.held}
    assert "attitude" in names
    if precision == "double":
        # State by state: covariances too, all to the last digits but three.
        assert "states" in names and all(h.limit == DOUBLE for h in found.held)
        assert max(h.worst for h in found.held) < 1e-10 and found.flips == 0


@pytest.mark.parametrize("name", ["mahony", "attitude-ekf", "navigation-ekf", "altitude"])
def test_without_a_field_it_is_the_same_too(name, flight, place):
    blind = replace(
        flight,
        samples=flight.samples._replace(mag_b=np.full_like(flight.samples.mag_b, np.nan)),
        aiding=replace(flight.aiding, mag=np.empty((0, 5))),
    )
    for precision in PRECISIONS:
        found = proved(plan_for(name, precision, place), blind, place)
        assert found.is_equal, (precision, told(found))


@pytest.mark.parametrize("name", ["navigation-ekf", "attitude-ekf"])
def test_other_tunings_and_schools_are_the_same(name, flight, place):
    info = next(i for i in ESTIMATORS if i.name == name)
    changes = {
        "navigation-ekf": [
            {"mag_vector": True}, {"course_heading": True}, {"lever_arm_sigma_m": 0.1, "mag_field_sigma_ut": 0.5},
            {"follow_gnss": False, "gate_sigma": 2.0, "recover_s": 1.0}, {"covariance_every": 1, "gnss_delay_sigma_s": 0.0},
        ],
        "attitude-ekf": [{"gate_sigma": 1.0, "recover_s": 1.0}, {"acc_window_s": 0.1}, {"mag_gate": 0.01}],
    }[name]  # fmt: skip
    for change in changes if LONG else changes[:FEW]:
        plan = plan_for(name, "double", place, replace(info.parameters(), **change))
        found = proved(plan, flight, place)
        assert found.is_equal, (change, told(found))


def test_clipped_samples_gaps_and_distances_are_the_same(flight, place):
    rng = np.random.default_rng(2)
    t = flight.t_s.copy()
    t[4000:] += 0.6
    dt = np.diff(t, prepend=t[0] - 0.005)
    known = flight.aiding.known.copy()
    known[2500:2540] |= 2
    known[3000:3010] |= 4
    at = flight.t_s[4000]
    later = {
        k: np.ascontiguousarray(np.column_stack([rows[:, 0] + 0.6 * (rows[:, 0] >= at), rows[:, 1:]]))
        for k in ("gnss", "baro", "mag")
        for rows in [getattr(flight.aiding, k)]
    }
    ranges = np.ascontiguousarray(np.column_stack([t[::20], np.abs(rng.normal(3.0, 0.1, len(t[::20])))]))
    given = replace(
        flight,
        t_s=t,
        samples=flight.samples._replace(dt_s=dt),
        aiding=replace(flight.aiding, known=known, ranges=ranges, **later),
    )
    for name in ("navigation-ekf", "altitude", "complementary"):
        found = proved(plan_for(name, "double", place), given, place)
        assert found.is_equal, (name, told(found))


@pytest.fixture(scope="module", params=["recorded_a", "recorded_b"])
def device(request, tmp_path_factory):
    """A recording of a real device, scikit-kinematics 0.10.4 (BSD 3-clause, notice beside the data)."""
    from fusus.logs.importer import ImportRequest, import_recording
    from fusus.project import store
    from fusus.project.records import Project
    from fusus.study.recording.loading import load

    files = {
        "recorded_a": ("calinertialandmag.csv", "quaternion.csv", "datetime.csv"),
        "recorded_b": ("sensors.csv", "quaternion.csv"),
    }[request.param]
    folder = tmp_path_factory.mktemp("device") / "real"
    store.create(folder, Project(name="Real"))
    import_recording(ImportRequest(tuple(DATA / request.param / f for f in files), folder, request.param))
    return load(folder, store.load(folder), request.param)


@pytest.mark.parametrize("name", NAMES)
def test_recordings_of_real_devices_come_out_the_same(device, name):
    for precision in PRECISIONS:
        found = proved(plan_for(name, precision, device.site), device.given, device.site)
        assert found.is_equal, (precision, told(found))


@pytest.fixture(scope="module")
def ten_minutes(place):
    given, _ = flown(place, 4, 1000.0, "mission", Mission(hover_s=511.0))
    assert given.t_s[-1] - given.t_s[0] > 599.0
    return given


@pytest.mark.long
@pytest.mark.parametrize("name", ["complementary", "mahony", "madgwick", "attitude-ekf", "altitude", "navigation-ekf"])
def test_ten_minutes_at_a_kilohertz_stay_within_two_hundredths_of_a_degree(name, place, ten_minutes):
    plan = plan_for(name, "single", place)
    with tempfile.TemporaryDirectory() as space:
        core = core_run(plan, ten_minutes, place)
        built = programs.build_kit(plan, Path(space))
        c, ended = programs.run_over(built.program, core.given)
    found = compare(plan, core, c, ended)
    assert found.is_equal, told(found)
    whole = 2.0 * np.linalg.norm(quaternion.multiply(quaternion.conjugate(core.q_nb), c.q_nb)[:, 1:], axis=1)
    assert np.degrees(whole.max()) < 0.02


def after_hours(given, hours):
    """A recording before which the board stood on for hours: its first second at rest, over and over."""
    first = int(np.searchsorted(given.t_s, given.t_s[0] + 1.0))
    times, a = int(hours * 3600), given.aiding
    span, since = 1.0, given.t_s[0]
    shift = np.repeat(np.arange(times) * span, first)

    def again(rows):
        inside = rows[rows[:, 0] < since + span]
        early = np.tile(inside, (times, 1))
        early[:, 0] += np.repeat(np.arange(times) * span, len(inside))
        late = rows.copy()
        late[:, 0] += times * span
        return np.ascontiguousarray(np.concatenate([early, late]))

    s = given.samples
    tiled = [np.concatenate([np.tile(x[:first], (times, 1)), x]) for x in (s.gyro_b, s.acc_b, s.mag_b)]
    dt = np.concatenate([np.tile(s.dt_s[1 : first + 1], times), s.dt_s])
    dt[times * first] = s.dt_s[1]
    return replace(
        given,
        t_s=np.concatenate([np.tile(given.t_s[:first], times) + shift, given.t_s + times * span]),
        samples=Samples(dt, *tiled),
        aiding=replace(
            a,
            gnss=again(a.gnss),
            baro=again(a.baro),
            mag=again(a.mag),
            ranges=again(a.ranges),
            known=np.concatenate([np.tile(a.known[:first], times), a.known]),
        ),
    )


@pytest.mark.long
@pytest.mark.parametrize("name", ["navigation-ekf", "altitude"])
def test_a_board_that_was_on_for_three_hours_flies_as_well(name, place):
    """A time since power-up would have a last place of a millisecond by then; the kit's own clock is begun anew."""
    given, _ = flown(place, 5, 100.0)
    late = after_hours(given, 3.0)
    assert late.t_s[-1] > 10_800.0 and (np.diff(late.t_s) > 0.0).all()
    plan = plan_for(name, "single", place)
    found = proved(plan, late, place)
    assert found.is_equal, told(found)
    if name == "navigation-ekf":
        places = {h.name: h.worst for h in found.held}
        assert places["velocity"] < 1e-3 and np.degrees(places["attitude"]) < 0.1


@pytest.mark.parametrize(
    ("wrong", "right"),
    [
        ("2.0 * (x * z - w * y)", "2.0 * (x * z + w * y)"),
        ("c->ki * h", "c->ki * 1.001 * h"),
        ("c->kp_mag * held", "c->kp_acc * held * 0.999"),
        ("1.0 / 6.0", "1.0 / 6.01"),
    ],
)
def test_a_kit_that_is_changed_is_not_equal(wrong, right, flight, place, monkeypatch):
    """The proof can fail: a term changed by a thousandth is found."""
    plan = plan_for("mahony", "double", place, info_parameters("mahony", ki=0.05))
    whole = programs.estimator_files

    def spoiled(p):
        files = whole(p)
        assert wrong in files["estimator.c"]
        return files | {"estimator.c": files["estimator.c"].replace(wrong, right)}

    monkeypatch.setattr(programs, "estimator_files", spoiled)
    fast = replace(flight, samples=flight.samples._replace(gyro_b=flight.samples.gyro_b * 3.0))
    found = proved(plan, fast, place)
    assert not found.is_equal and any(not h.is_within for h in found.held)


def info_parameters(name, **changes):
    return replace(next(i for i in ESTIMATORS if i.name == name).parameters(), **changes)


@pytest.mark.parametrize("name", NAMES)
def test_it_begins_as_the_core_begins(name, place):
    """What estimator_begin() fills in: the state before the first sample, figure by figure."""
    given, _ = flown(place, 3)
    plan = plan_for(name, "double", place)
    found = begun(plan, given, 40)
    with tempfile.TemporaryDirectory() as space:
        built = programs.build_kit(plan, Path(space))
        c, ended = programs.run_over(built.program, Given(found.given, found.start, place, dump_every=0))
    assert ended.is_good
    if name in ("attitude-ekf", "altitude", "navigation-ekf"):  # these claim a sigma, from the first sample on
        assert (c.sigma_rad > 0.0).all() and c.sigma_rad.max() < np.pi
    between = np.abs(np.abs((c.q_nb * found.q_nb).sum(axis=1)) - 1.0)
    assert between.max() < 1e-13
    for ours, theirs in ((c.pos_n, found.pos_n), (c.vel_n, found.vel_n)):
        there = np.isfinite(theirs)
        assert (np.isfinite(ours) == there).all()
        assert np.abs(ours - theirs)[there].max(initial=0.0) < 1e-12


def test_a_state_is_counted_as_the_core_counts_it(place):
    for name in NAMES:
        plan = plan_for(name, "double", place)
        given, _ = flown(place, 3)
        core = core_run(plan, given, place)
        access = access_to(plan)
        assert len(core.given.coefficients) == access.coefficient_count
        assert len(core.given.state) == access.state_count


def test_figures_of_the_core_are_in_the_order_of_its_fields(place):
    module = import_module("fusus.core.estimation.attitude_ekf.run")
    given, _ = flown(place, 3)
    start = start_from(given.t_s, *given.samples[1:], place)
    p = next(i for i in ESTIMATORS if i.name == "attitude-ekf").parameters()
    c = module.coefficients(p, place, start)
    state = module.initial_state(p, c, start)
    row = figures_of(state)
    assert row[:4] == pytest.approx(start.q_nb) and row[4:7] == pytest.approx(start.gyro_bias_b)
    assert row[-18 - 36 : -18].reshape(6, 6) == pytest.approx(state.p)


def test_of_two_measurements_at_one_sample_the_last_counts(flight):
    rows = np.repeat(flight.aiding.mag, 2, axis=0)
    rows[1::2, 1] += 1.0
    thin = single_rows(replace(flight, aiding=replace(flight.aiding, mag=rows)))
    assert len(thin.aiding.mag) == len(flight.aiding.mag)
    assert thin.aiding.mag[:, 1] == pytest.approx(flight.aiding.mag[:, 1] + 1.0)


def test_limits_follow_from_rounding_and_memory(flight):
    """The attitude's limit grows with the root of what a filter remembers, as errors of chance do, and with what it loses."""

    def limit(kp):
        return float(limits_for(info_parameters("mahony", kp_acc=kp, kp_mag=kp), flight, True, 0, True, {})["attitude"])

    slow, quick = limit(0.1), limit(2.0)
    assert quick < slow < 20.0 * quick
    assert quick > 4.8 * U * np.sqrt(2 * 0.5 / 0.005)
    assert limits_for(info_parameters("mahony"), flight, True, 0, False, {})["attitude"] == DOUBLE
    # A decision that falls on another side may cost a correction, no more.
    one = float(limits_for(info_parameters("mahony"), flight, True, 1, True, {})["attitude"])
    assert 0.0 < one - limit(0.5) < 0.01
