"""What the motion shows of a gyro: against motions that were made elsewhere, and recordings of real devices. Never wrong without asking."""

from pathlib import Path

import numpy as np
import pytest
from tests.logs.motions import KINDS, made, table
from tests.logs.tables import write
from tests.runs import LONG

from fusus.errors import OpenQuestionsError
from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.physics.arrangement import fitting_arrangement
from fusus.logs.physics.turning import turn_evidence
from fusus.logs.recording import load_stream

DEG = np.pi / 180
DATA = Path(__file__).parents[1] / "data"
SEEDS = range(500 if LONG else 40)


def evidence(seed, factor):
    _, t, w, f, field = made(seed)
    vectors = ({} if field is None else {"field": field}) | {"gravity": f}
    return turn_evidence(t, w / factor, vectors, (1.0, DEG, DEG / 1000))


@pytest.mark.parametrize("factor", [1.0, DEG, DEG / 1000], ids=["rad/s", "deg/s", "mdeg/s"])
def test_a_unit_is_shown_rightly_or_not_at_all(factor):
    """Three units over 500 motions in the long run: still, tiny, by hand, shaken, flown, rolled over, driven, walked, spun, vibrating."""
    shown = dict.fromkeys(KINDS, 0)
    for seed in SEEDS:
        found = evidence(seed, factor).shown
        assert found in (None, factor), (seed, KINDS[seed % 10])
        shown[KINDS[seed % 10]] += found is not None
    assert shown["still"] == 0 and shown["vibration"] <= 0.1 * len(SEEDS)
    assert shown["hand"] >= 0.05 * len(SEEDS) and shown["spin"] + shown["walk"] >= 0.05 * len(SEEDS), shown


def real(name, columns, times):
    d = np.genfromtxt(DATA / name, delimiter=",", skip_header=1)
    return (
        times(d),
        d[:, columns[0] : columns[0] + 3],
        d[:, columns[1] : columns[1] + 3],
        d[:, columns[2] : columns[2] + 3],
    )


@pytest.mark.parametrize("unit", [1.0, DEG], ids=["rad/s", "deg/s"])
@pytest.mark.parametrize(
    ("name", "times"),
    [("recorded_b/sensors.csv", lambda d: d[:, 0]), ("recorded_a/calinertialandmag.csv", lambda d: d[:, 0] / 390.0)],
)
def test_recordings_of_devices_show_their_unit(name, times, unit):
    """Their headers say deg/s; written in rad/s they must show that too."""
    t, w, f, m = real(name, (1, 4, 7), times)
    found = turn_evidence(t, w * DEG / unit, {"field": m, "gravity": f}, (1.0, DEG))
    assert found.shown == unit


def test_in_flight_the_thrust_shows_nothing_and_the_field_does():
    """A craft held by its thrust feels it along its own axis however it tilts: only the field turns in the body."""
    kept = [made(s) for s in range(4, 200, 10)]
    by_thrust = [turn_evidence(t, w, {"gravity": f}, (1.0, DEG)).shown for _, t, w, f, _ in kept]
    by_field = [
        turn_evidence(t, w, {"field": m, "gravity": f}, (1.0, DEG)).shown for _, t, w, f, m in kept if m is not None
    ]
    assert set(by_thrust) == {None} and len(by_field) >= 3 and by_field.count(1.0) >= 0.8 * len(by_field)


def test_a_slope_says_by_how_much_the_rates_are_off():
    """Rates read with s instead of s₀ have slope 2 s₀/s - 1 for small turns: a turn of a few degrees, to and fro."""
    t = np.arange(0, 120, 0.01)
    angle = 0.12 * np.sin(0.9 * t) + 0.08 * np.sin(2.3 * t)
    w = np.stack([np.gradient(angle, t), 0 * t, 0 * t], axis=1)
    f = np.stack([0 * t, 9.8 * np.sin(angle), 9.8 * np.cos(angle)], axis=1)
    for off in (0.8, 1.0, 1.25):
        reading = turn_evidence(t, w, {"gravity": f}, (off,)).readings[0]
        assert np.median([s.value for s in reading.slopes]) == pytest.approx(2 / off - 1, abs=0.05)


TURNED = {
    "x reversed": np.diag([-1.0, 1.0, 1.0]),
    "x and y and z reversed": -np.eye(3),
    "y as x, x as y": np.array([[0.0, 1, 0], [1, 0, 0], [0, 0, 1]]),
}


@pytest.mark.parametrize("words", TURNED)
def test_reversed_and_swapped_axes_are_named(words):
    found = 0
    for seed in (12, 62, 82, 102):  # by hand, about all axes
        _, t, w, f, _ = made(seed)
        assert fitting_arrangement(t, w, {"gravity": f}) is None
        told = fitting_arrangement(t, w @ TURNED[words].T, {"gravity": f})
        assert told is None or told == (words, "gravity")
        found += told is not None
    assert found >= 1


def test_a_unit_that_changes_on_the_way_is_asked(project, tmp_path):
    _, t, w, f, _ = made(62)
    w = w.copy()
    w[len(w) // 2 :] /= DEG
    with pytest.raises(OpenQuestionsError, match="changes on the way"):
        import_recording(ImportRequest((write(tmp_path / "log.csv", table(t, w, f)),), project, "log"))


@pytest.mark.parametrize("unit", [1.0, DEG], ids=["rad/s", "deg/s"])
def test_the_import_takes_the_shown_unit_whatever_line_is_cut(unit, project, tmp_path):
    _, t, w, f, _ = made(112)
    rows = table(t, w / unit, f)
    for i, cut in enumerate((None, 5, len(rows) // 2)):
        kept = rows if cut is None else [*rows[:cut], *rows[cut + 1 :]]
        info = import_recording(ImportRequest((write(tmp_path / f"log{i}.csv", kept),), project, f"log{i}"))
        assert {c.unit for c in info.mapping.files[0].columns if "gyro" in str(c.target)} == {
            "rad/s" if unit == 1.0 else "deg/s"
        }
        back = load_stream(project, f"log{i}", "imu").vector("gyro", "rad_s")
        assert np.abs(np.linalg.norm(back, axis=1).max() - np.linalg.norm(w, axis=1).max()) < 1e-3
        told = [c for c in info.conclusions if c.column == "gx"]
        assert told[0].certainty == "shown" and "slope" in told[0].reason


@pytest.mark.parametrize("said", ["rad/s", "deg/s"])
def test_a_stated_unit_that_the_motion_denies_is_asked(said, project, tmp_path):
    """The name says one unit and the numbers are in the other."""
    _, t, w, f, _ = made(112)
    names = ("t_s", *(f"gyro_{a} ({said})" for a in "xyz"), *(f"acc_{a} (m/s^2)" for a in "xyz"))
    wrong = w / DEG if said == "rad/s" else w
    with pytest.raises(OpenQuestionsError) as caught:
        import_recording(ImportRequest((write(tmp_path / "log.csv", table(t, wrong, f, names=names)),), project, "log"))
    (question,) = caught.value.details["questions"]
    assert {c["value"] for c in question["candidates"]} == {"rad/s", "deg/s"} and "units" in question["mapping"]
    right = w if said == "rad/s" else w / DEG
    info = import_recording(
        ImportRequest((write(tmp_path / "ok.csv", table(t, right, f, names=names)),), project, "ok")
    )
    assert any(c.column == names[1] and "motion agrees" in c.reason for c in info.conclusions)


UNITS = {
    "gyro": {"rad/s": 1.0, "deg/s": DEG, "mdeg/s": DEG / 1000},
    "acc": {"m/s²": 1.0, "g": 9.80665, "mg": 9.80665e-3},
}
TIMES = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "ns": 1e-9}


def test_no_import_of_any_unit_order_and_sign_is_wrong_without_asking(project, tmp_path):
    """1,000 tables in the long run: every unit of rate, force and time, columns in any order, with z up or down, named or not."""
    done = 0
    for seed in range(1000 if LONG else 60):
        r = np.random.default_rng(seed)
        kind, t, w, f, _ = made(seed)
        keep = min(len(t), 4000)
        t, w, f = np.sort(t[:keep] - t[0]), w[:keep], f[:keep]
        z_down = np.array([1.0, -1.0, -1.0]) if r.random() < 0.5 else np.ones(3)
        w, f = w * z_down, f * z_down
        rate, force, clock = (str(r.choice(list(x))) for x in (UNITS["gyro"], UNITS["acc"], TIMES))
        said = [r.random() < 0.5 for _ in range(3)]
        names = [f"g{a}" + (f" [{rate}]" if said[0] else "") for a in "xyz"] + [
            f"a{a}" + (f" [{force}]" if said[1] else "") for a in "xyz"
        ]
        written = [f"{v:.9g}" if clock == "s" else str(round(v / TIMES[clock])) for v in t]
        columns = np.column_stack([w / UNITS["gyro"][rate], f / UNITS["acc"][force]])
        order = r.permutation(6)
        rows = [",".join([f"t_{clock}" if said[2] else "t", *(names[k] for k in order)])]
        rows += [",".join([written[i], *(f"{columns[i, k]:.8g}" for k in order)]) for i in range(keep)]
        path = write(tmp_path / "log.csv", rows)
        name = f"r{seed}"
        try:
            import_recording(ImportRequest((path,), project, name))
        except OpenQuestionsError:
            continue
        done += 1
        imu = load_stream(project, name, "imu")
        seen, felt = imu.vector("gyro", "rad_s"), imu.vector("acc", "m_s2")
        told = (seed, kind, rate, force, clock, said)
        assert np.allclose(
            np.linalg.norm(felt, axis=1), np.linalg.norm(f[: len(felt)], axis=1), rtol=1e-4, atol=1e-3
        ), told
        assert np.allclose(
            np.linalg.norm(seen, axis=1), np.linalg.norm(w[: len(seen)], axis=1), rtol=1e-4, atol=1e-5
        ), told
        assert abs((imu.t_s[-1] - imu.t_s[0]) / (t[-1] - t[0]) - 1) < 0.01, told
    assert done >= 0.4 * (1000 if LONG else 60), "and most are not asked about"
