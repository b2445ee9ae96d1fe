"""From the streams of a recording to what the navigation filter takes: the customs that receivers have."""

import numpy as np
import pytest
from tests.conftest import HOME

from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo
from fusus.project import store
from fusus.project.records import Brief, Place, Project
from fusus.study.recording.loading import load

N = 600


def imu():
    t = np.arange(N) * 0.01
    rng = np.random.default_rng(1)
    out = {"t_ns": np.rint(t * 1e9).astype(np.int64)}
    for i, a in enumerate("xyz"):
        out[f"gyro_{a}_rad_s"] = rng.normal(0, 1e-3, N)
        out[f"acc_{a}_m_s2"] = rng.normal(-9.81 if i == 2 else 0.0, 0.02, N)
    return out


def gnss(**columns):
    count = 50
    return {"t_ns": (np.arange(count) * 100_000_000).astype(np.int64)} | {
        k: np.asarray(v, dtype=float) for k, v in columns.items()
    }


@pytest.fixture
def given(tmp_path):
    """A loader of a recording with some streams; with a home or without."""

    def load_it(streams, home=True, **options):
        folder = tmp_path / f"p{len(list(tmp_path.iterdir()))}"
        place = Place(lat_deg=HOME[0], lon_deg=HOME[1], height_m=HOME[2]) if home else None
        project = Project(name="x", brief=Brief(place=place))
        store.create(folder, project)
        create_recording(folder, RecordingInfo(name="r", kind="flight"), {"imu": imu()} | streams)
        return load(folder, project, "r", **options)

    return load_it


def places(n=50, north=30.0):
    geo = ned_to_geodetic(np.tile([north, -10.0, -5.0], (n, 1)), HOME)
    return {"lat_deg": geo[:, 0], "lon_deg": geo[:, 1], "height_m": geo[:, 2]}


def test_places_on_the_globe_become_metres_from_home(given):
    loaded = given({"gnss": gnss(**places())})
    rows = loaded.given.aiding.gnss
    assert np.allclose(rows[:, 1:4], [30.0, -10.0, -5.0], atol=1e-3) and np.isnan(rows[:, 4:7]).all()
    assert not loaded.given.aiding.starts_at_home


def test_without_a_home_the_first_fixes_are_home(given):
    loaded = given({"gnss": gnss(**places())}, home=False)
    assert np.allclose(loaded.given.aiding.gnss[:, 1:4], 0.0, atol=1e-3) and loaded.given.aiding.starts_at_home


def test_rows_without_a_fix_are_left_out_and_told(given):
    for custom in ({"fix": [0] * 10 + [3] * 40}, {"fix": [1] * 10 + [3] * 40}, {"satellites": [2] * 10 + [12] * 40}):
        loaded = given({"gnss": gnss(**places(), **custom)})
        assert len(loaded.given.aiding.gnss) == 40, custom
        assert any(p.kind == "no_fix" and p.count == 10 for p in loaded.problems)
    plain = given({"gnss": gnss(**places(), fix=[0] * 10 + [1] * 40)})
    assert len(plain.given.aiding.gnss) == 40


def test_a_receiver_that_does_not_know_writes_zero(given):
    p = places()
    p["lat_deg"][:5] = p["lon_deg"][:5] = 0.0
    loaded = given({"gnss": gnss(**p)})
    assert np.nanmax(np.abs(loaded.given.aiding.gnss[:, 1:4])) < 100


def test_a_coordinate_that_is_missing_is_told_and_the_rest_used(given):
    p = places()
    p["height_m"][10:20] = np.nan
    loaded = given({"gnss": gnss(**p)})
    rows = loaded.given.aiding.gnss
    assert np.isnan(rows[10:20, 3]).all() and np.isfinite(rows[10:20, 1]).all()
    assert any(p.kind == "nan" and p.count == 10 and "coordinate" in p.message for p in loaded.problems)


def test_speed_and_course_are_a_velocity(given):
    loaded = given({"gnss": gnss(**places(), speed_m_s=[2.0] * 50, course_deg=[90.0] * 50)})
    rows = loaded.given.aiding.gnss
    assert np.allclose(rows[:, 4], 0.0, atol=1e-9) and np.allclose(rows[:, 5], 2.0) and np.isnan(rows[:, 6]).all()


def test_local_places_are_taken_as_they_are(given):
    local = {f"pos_{a}_m": [v] * 50 for a, v in zip("ned", (1.0, 2.0, -3.0), strict=True)}
    rows = given({"gnss": gnss(**local)}).given.aiding.gnss
    assert np.allclose(rows[:, 1:4], [1.0, 2.0, -3.0])


def test_sensors_can_be_left_out(given):
    baro = {"t_ns": (np.arange(100) * 50_000_000).astype(np.int64), "pressure_pa": np.full(100, 101_000.0)}
    both = given({"gnss": gnss(**places()), "baro": baro}).given.aiding
    none = given({"gnss": gnss(**places()), "baro": baro}, use_barometer=False, use_gnss=False).given.aiding
    assert len(both.baro) == 100 and len(both.gnss) == 50 and not len(none.baro) and not len(none.gnss)


def test_pressures_of_no_air_are_told(given):
    pressure = np.full(100, 101_000.0)
    pressure[:7] = [np.nan, 0.0, -5.0, np.nan, 1.0, 2.0, 3.0]
    loaded = given({"baro": {"t_ns": (np.arange(100) * 50_000_000).astype(np.int64), "pressure_pa": pressure}})
    assert len(loaded.given.aiding.baro) == 93 and any(p.count == 7 for p in loaded.problems)


def test_idle_motors_say_that_the_craft_stands(given):
    t = (np.arange(60) * 100_000_000).astype(np.int64)
    runs = np.where(np.arange(60) < 30, 0.5, 0.0)
    known = given({"motor": {"t_ns": t, "motor_1": runs, "motor_2": runs}}).given.aiding.known
    assert (known[500:] & 1).mean() > 0.5
    never = given({"motor": {"t_ns": t, "motor_1": np.zeros(60), "motor_2": np.zeros(60)}})
    assert never.given.aiding.known is not None
