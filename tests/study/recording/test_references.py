"""Recordings held against what their maker declares: poses, turns, heights, points, tracks; the board's own estimate; flights pooled."""

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import HOME, flown_project, short_flight

from fusus.core.calibration.stillness import still_spans
from fusus.core.frames.axes import earth_matrix
from fusus.core.frames.geodesy import ned_to_geodetic
from fusus.core.frames.quaternion import to_euler
from fusus.core.judgement.reference_findings import OTHER_AXES
from fusus.core.requirements import Requirement
from fusus.core.simulation.record import record
from fusus.core.simulation.scenario import Conditions, Suite
from fusus.demo.scenarios import jig
from fusus.errors import DeclaredReferenceError, RecordingError
from fusus.logs.create import create_recording
from fusus.logs.info import RecordingInfo, SourceFile, duplicates
from fusus.project.commands import DeclareReference
from fusus.project.records import Fusion
from fusus.project.references import DeclaredReference, points_text, read_points
from fusus.study.fusion.run import request_for, run
from fusus.study.proof.pooling import pool, pooled_report
from fusus.study.proof.referencing import aligned, declared_report
from fusus.study.proof.verdicts import cached, is_judged, judge_recording
from fusus.study.recording.loading import load

NED, VEL = [f"pos_{a}_m" for a in "ned"], [f"vel_{a}_m_s" for a in "ned"]


def declared(project, **what):
    return DeclareReference(what["recording"], DeclaredReference(**what)).apply(project)


def word(study, key):
    return next(v for v in study.verdicts if v.requirement.key == key)


@pytest.fixture(scope="module")
def flown(tmp_path_factory, site):
    """A flight with its truth, one without, and the truth as other recordings: a satellite track and one in other axes."""
    folder = tmp_path_factory.mktemp("references") / "Heron"
    _, streams = short_flight(site, seed=3, rate_hz=100.0)
    made = flown_project(folder, streams, fusion=Fusion(estimators=("navigation-ekf",)))
    truth = streams["reference"]
    bare = {k: v for k, v in streams.items() if k != "reference"}
    create_recording(folder, RecordingInfo(name="bare", kind="flight"), bare)
    t = truth["t_ns"][::5] * 1e-9
    ned = np.stack([truth[c][::5] for c in NED], axis=1)
    lat, lon, height = ned_to_geodetic(ned, HOME).T
    # A receiver of centimetres with a clock of its own: it reads 3.7 s when the log reads zero, and gains 40 ppm.
    clock = np.round((3.7 + (1 + 40e-6) * t) * 1e9).astype(np.int64)
    track = {
        "t_ns": clock,
        "lat_deg": lat,
        "lon_deg": lon,
        "height_m": height,
        "h_acc_m": np.full(len(t), 0.02),
        "v_acc_m": np.full(len(t), 0.03),
    }
    track |= {c: truth[c][::5] for c in VEL}
    create_recording(folder, RecordingInfo(name="track", kind="other"), {"gnss": track})
    east = ned @ earth_matrix("enu")
    create_recording(
        folder,
        RecordingInfo(name="enu", kind="flight"),
        bare | {"reference": {"t_ns": truth["t_ns"][::5]} | dict(zip(NED, east.T, strict=True))},
    )
    rows = len(truth["t_ns"])
    part = slice(rows // 3, rows // 3 + rows // 6)
    create_recording(
        folder, RecordingInfo(name="part", kind="flight"), bare | {"reference": {k: v[part] for k, v in truth.items()}}
    )
    return folder, made, truth


def test_without_a_reference_nothing_is_judged_and_a_track_makes_it_so(flown):
    folder, made, _ = flown
    assert word(run(request_for(folder, made, "bare")), "position").word == "not measured"
    by_truth = run(request_for(folder, made, "hop"))
    first = DeclaredReference(recording="bare", kind="track", other="track")
    with_clock = aligned(folder, made, first)
    # The estimate's own speed wavers: its clock is found to some hundredths of a second, and no rate stands out in a minute.
    assert with_clock.clock_offset_s == pytest.approx(3.7, abs=0.03) and abs(with_clock.clock_ppm) < 200
    exact = declared(made, recording="bare", kind="track", other="track", clock_offset_s=3.7, clock_ppm=40.0)
    study = run(request_for(folder, exact, "bare"))
    for key in ("position", "height", "velocity"):
        found, true = word(study, key), word(by_truth, key)
        assert found.value == pytest.approx(true.value, rel=0.03, abs=0.005)
        assert found.high - found.value >= (true.high - true.value) - 0.02, (
            "the track's own centimetres widen the interval"
        )
    assert word(study, "tilt").word == "not measured", "a track knows no attitude"
    late = declared(made, recording="bare", kind="track", other="track", clock_offset_s=3.2)
    assert word(run(request_for(folder, late, "bare")), "position").value > 1.3 * word(study, "position").value
    report = declared_report(folder, exact, "bare")
    assert report["clock"] == {"offset_s": 3.7, "ppm": pytest.approx(40.0)} and "velocity" in report["tells"]
    assert report["sigmas"]["position"] == pytest.approx(0.02 / math.sqrt(2)) and report["covers_s"][
        0
    ] == pytest.approx(0.0, abs=0.1)
    with pytest.raises(RecordingError, match="no track"):
        load(folder, declared(made, recording="hop", kind="track", other=_only_pressure(folder)), "hop")


def _only_pressure(folder):
    name = "pressure"
    if not (folder / "recordings" / name).exists():
        rows = {"t_ns": np.arange(50) * 10**8, "pressure_pa": np.full(50, 101325.0)}
        create_recording(folder, RecordingInfo(name=name, kind="other"), {"baro": rows})
    return name


def test_other_axes_are_told_judged_by_nothing_and_mended_by_declaring_them(flown):
    folder, made, _ = flown
    study = run(request_for(folder, made, "enu"))
    assert any(f.subject == OTHER_AXES and "east-north-up" in f.statement for f in study.findings)
    assert {v.word for v in study.verdicts} == {"not measured"} and "other axes" in study.verdicts[0].reason
    mended = run(request_for(folder, declared(made, recording="enu", axes="enu-flu"), "enu"))
    assert word(mended, "position").word in ("pass", "close") and not any(
        f.subject == OTHER_AXES for f in mended.findings
    )


def test_a_reference_of_a_part_says_so_and_a_foreign_one_is_refused(flown):
    folder, made, _ = flown
    study = run(request_for(folder, made, "part"))
    assert any(f.subject == "Reference is shorter than the log" for f in study.findings)
    away = declared(made, recording="hop", clock_offset_s=1000.0)
    study = run(request_for(folder, away, "hop"))
    assert study.judged.comparison is None and "do not overlap" in study.verdicts[0].reason


def test_heights_points_and_closure_are_measured_where_they_were_taken(flown):
    folder, made, truth = flown
    t, down = truth["t_ns"] * 1e-9, truth["pos_d_m"]
    by_truth = run(request_for(folder, made, "hop")).judged.comparison
    spans = [(2.0, 6.0), *((s, s + 0.3) for s in (20.0, 35.0, 50.0, 65.0))]
    lines = "; ".join(f"{a}:{b} height {-float(np.interp((a + b) / 2, t, down)):.4f}" for a, b in spans)
    study = run(
        request_for(
            folder, declared(made, recording="bare", kind="heights", points=read_points(lines, "heights")), "bare"
        )
    )
    c = study.judged.comparison
    assert np.isnan(c.pos[c.stretch == 0]).all() and not c.has_attitude
    for i, (a, b) in enumerate(spans[1:], 1):
        mine = float(np.nanmean(c.pos[c.stretch == i, 2]))
        at = (by_truth.t_s > a) & (by_truth.t_s < b)
        datum = (by_truth.t_s > 2) & (by_truth.t_s < 6)
        assert mine == pytest.approx(float(by_truth.pos[at, 2].mean() - by_truth.pos[datum, 2].mean()), abs=0.06)
    height = word(study, "height")
    assert height.value is not None and height.low is not None and word(study, "position").word == "not measured"

    place = ned_to_geodetic(np.zeros((1, 3)), HOME)[0]
    text = f"1:6 lat {place[0]:.9f} lon {place[1]:.9f} height {place[2]:.3f}"
    point = run(
        request_for(
            folder, declared(made, recording="bare", kind="surveyed", points=read_points(text, "surveyed")), "bare"
        )
    )
    stood = (by_truth.t_s > 1) & (by_truth.t_s < 6)
    known = np.percentile(np.linalg.norm(by_truth.pos[stood, :2], axis=1), 95)
    assert word(point, "position").value == pytest.approx(known, abs=0.1) and word(point, "height").value < 1.0

    closed = run(request_for(folder, declared(made, recording="bare", kind="closure"), "bare"))
    off = closed.judged.comparison.pos[closed.judged.comparison.stretch == 1]
    end = by_truth.pos[-20:].mean(axis=0) - by_truth.pos[(by_truth.t_s > 1) & (by_truth.t_s < 6)].mean(axis=0)
    assert np.nanmean(off, axis=0) == pytest.approx(end, abs=0.15)
    assert word(closed, "position").word in ("close", "fail"), "one landing alone shows no spread"


@pytest.fixture(scope="module")
def poses(tmp_path_factory, site):
    """The demo's jig at 100 Hz: poses with pauses, truth beside."""
    folder = tmp_path_factory.mktemp("jig") / "Heron"
    shown = jig(site.gravity_m_s2)
    step = round(shown.rate_hz / 100.0)
    motion = replace(shown.motion, **{k: v[::step] for k, v in vars_of(shown.motion).items()})
    streams = record(
        motion,
        100.0,
        Suite(),
        Conditions(vibration_acc_m_s2=0.0, vibration_gyro_rad_s=0.0, warming_k=0.0),
        site,
        HOME,
        5,
    )
    made = flown_project(
        folder, {k: v for k, v in streams.items() if k in ("imu", "mag")}, fusion=Fusion(estimators=("attitude-ekf",))
    )
    return folder, made, streams


def vars_of(motion):
    return {name: getattr(motion, name) for name in motion.__slots__ if isinstance(getattr(motion, name), np.ndarray)}


def test_poses_on_a_jig_are_found_by_stillness(poses):
    folder, made, streams = poses
    imu, truth = streams["imu"], streams["reference"]
    t = imu["t_ns"] * 1e-9
    gyro = np.stack([imu[f"gyro_{a}_rad_s"] for a in "xyz"], axis=1)
    acc = np.stack([imu[f"acc_{a}_m_s2"] for a in "xyz"], axis=1)
    spans = still_spans(t, gyro, acc, 1.5)
    assert len(spans) >= 4
    q = np.stack([truth[f"q_{a}"] for a in "wxyz"], axis=1)
    angles = [np.degrees(to_euler(q[np.searchsorted(truth["t_ns"] * 1e-9, (s.start_s + s.end_s) / 2)])) for s in spans]
    lines = "\n".join(f"roll {roll:.3f} pitch {pitch:.3f}" for _, pitch, roll in angles)
    study = run(
        request_for(folder, declared(made, recording="hop", kind="jig", points=read_points(lines, "jig")), "hop")
    )
    tilt = word(study, "tilt")
    assert (
        tilt.value < math.radians(1.0)
        and tilt.word == "pass"
        and len(np.unique(study.judged.comparison.stretch)) == len(spans)
    )
    assert word(study, "heading").word == "not measured", "the jig has no heading"
    assert tilt.high - tilt.value >= 1.9 * math.radians(0.2), "a jig is no better than its two tenths of a degree"
    loose = run(
        request_for(
            folder,
            declared(
                made, recording="hop", kind="jig", points=read_points(lines, "jig"), sigmas={"tilt": math.radians(2)}
            ),
            "hop",
        )
    )
    assert word(loose, "tilt").word == "close" and "too uncertain" in word(loose, "tilt").reason
    with pytest.raises(DeclaredReferenceError, match=r"1 points were given and \d+ stretches at rest are found"):
        load(folder, declared(made, recording="hop", kind="jig", points=read_points("roll 0 pitch 0", "jig")), "hop")
    mixed = (*read_points("1:3 roll 0 pitch 0", "jig"), *read_points("roll 0 pitch 0", "jig"))
    with pytest.raises(DeclaredReferenceError, match="give all"):
        load(folder, declared(made, recording="hop", kind="jig", points=mixed), "hop")


def test_a_turntable_shows_the_gyros_scale(tmp_path):
    t = np.arange(0, 60, 0.01)
    rng = np.random.default_rng(8)
    turns = np.where((t >= 10) & (t < 46), math.radians(10.0), 0.0)
    for scale, low, high in ((1.0, 0.0, 1.0), (1.02, 2.5, 7.5)):
        gyro = rng.normal(0, 1e-3, (len(t), 3)) + [0.004, -0.002, 0.003]
        gyro[:, 2] += scale * turns
        acc = rng.normal(0, 0.02, (len(t), 3)) + [0, 0, -9.81]
        streams = {
            "imu": {"t_ns": np.round(t * 1e9).astype(np.int64)}
            | {f"gyro_{a}_rad_s": gyro[:, i] for i, a in enumerate("xyz")}
            | {f"acc_{a}_m_s2": acc[:, i] for i, a in enumerate("xyz")}
        }
        folder = tmp_path / f"scale-{scale}"
        made = flown_project(folder, streams, fusion=Fusion(estimators=("attitude-ekf",)))
        on = declared(made, recording="hop", kind="turntable", points=read_points("10:46 rate 10", "turntable"))
        found = run(request_for(folder, on, "hop"))
        heading = word(found, "heading")
        assert low <= math.degrees(heading.value) < high and word(found, "tilt").word == "not measured"
    late = declared(made, recording="hop", kind="turntable", points=read_points("0:46 rate 10", "turntable"))
    with pytest.raises(DeclaredReferenceError, match="must stand"):
        load(folder, late, "hop")


@pytest.mark.parametrize(
    ("text", "kind", "says"),
    [
        ("10:20 roll", "jig", "pairs"),
        ("10:20 roll x pitch 0", "jig", "no number"),
        ("10:20 roll 10", "jig", "needs “pitch”"),
        ("10:20 lean 10", "jig", "none of"),
        ("20:10 roll 1 pitch 1", "jig", "not after its start"),
        ("1:2 roll 400 pitch 0", "jig", "must lie from"),
        ("from,to,roll\n1,2,3,4", "jig", "Line 2"),
        ("from,to,roll,pitch\n1,2,a,4", "jig", "Line 2, column roll"),
        ("rate 3", "turntable", "needs “from”"),
    ],
)  # fmt: skip
def test_points_that_cannot_be_are_refused_with_their_place(text, kind, says):
    with pytest.raises(DeclaredReferenceError, match=says):
        read_points(text, kind)


def test_points_are_read_from_lines_and_tables_and_written_back():
    lines = read_points("0:5 height 0; 12:18 height 1,5", "heights")
    table = read_points("start_s,end_s,height_m\n0,5,0\n12,18,1.5\n", "heights")
    assert lines == table and read_points(points_text(lines), "heights") == lines
    degrees = read_points("from,to,roll (deg),pitch [deg]\n1,2,30,-10\n", "jig")[0]
    assert degrees.roll_rad == pytest.approx(math.radians(30)) and degrees.pitch_rad == pytest.approx(math.radians(-10))


def test_judgements_follow_what_is_declared(flown):
    folder, made, _ = flown
    info = load(folder, made, "hop").info
    first = judge_recording(folder, made, info)
    assert first.reference == "simulation truth" and first.verdict("position")["deciding"]["share"] > 0
    other = declared(made, recording="hop", sigmas={"position": 0.4})
    assert cached(folder, other, "hop") is None and cached(folder, made, "hop") == first
    second = judge_recording(folder, other, info)
    assert second.verdict("position")["interval"][1] > first.verdict("position")["interval"][1]
    still = RecordingInfo(name="x", kind="still")
    assert not is_judged(still, made) and is_judged(still, declared(made, recording="x", kind="jig"))


def test_the_boards_own_estimate_is_judged_and_its_claims_checked(flown):
    folder, made, truth = flown
    rng = np.random.default_rng(2)
    n = len(truth["t_ns"])
    board = {"t_ns": truth["t_ns"]}
    e = to_euler(np.stack([truth[f"q_{a}"] for a in "wxyz"], axis=1))
    for name, column, size, said in (("roll", 2, 1.0, 1.0), ("pitch", 1, 1.0, 0.2), ("yaw", 0, 1.0, 5.0)):
        board[f"{name}_rad"] = e[:, column] + np.radians(rng.normal(0, size, n))
        board[f"sigma_{name}_rad"] = np.full(n, np.radians(said))
    streams = {"reference": truth, "board": board}
    imu = {k: v for k, v in short_flight_streams(folder).items() if k in ("imu", "mag", "gnss", "baro")}
    create_recording(folder, RecordingInfo(name="boarded", kind="flight"), imu | streams)
    found = judge_recording(folder, made, load(folder, made, "boarded").info)
    tilt = next(v for v in found.board["verdicts"] if v["requirement"] == "tilt")
    assert tilt["value"] == pytest.approx(math.sqrt(2.0), rel=0.05) and found.verdict("tilt")["value"] < 1.0
    words = {c["claim"]: c["word"] for c in found.board["claims"]}
    assert words == {"roll": "honest", "pitch": "too good", "yaw": "too modest"}
    held = {c["claim"]: c["one_sigma"] for c in found.board["claims"]}
    assert held["roll"] == pytest.approx(0.683, abs=0.02) and held["pitch"] == pytest.approx(0.159, abs=0.02)


def short_flight_streams(folder):
    from fusus.logs.recording import load_stream

    return {
        n: {c: load_stream(folder, "hop", n).frame[c].to_numpy() for c in load_stream(folder, "hop", n).frame.columns}
        for n in ("imu", "mag", "gnss", "baro")
    }


def test_flights_are_pooled_and_the_same_file_counts_once(tmp_path, site):
    folder = tmp_path / "Heron"
    _, streams = short_flight(site, seed=3, rate_hz=100.0)
    made = flown_project(folder, streams, fusion=Fusion(estimators=("complementary",)))
    made = made.model_copy(
        update={"brief": made.brief.model_copy(update={"requirements": (Requirement("tilt", math.radians(3.0)),)})}
    )
    with pytest.raises(RecordingError, match="pooling needs two"):
        pool(folder, made)
    source = SourceFile(name="a.csv", sha256="0" * 64, bytes=5)
    for name, seed in (("second", 4), ("again", 4)):
        _, more = short_flight(site, seed=seed, rate_hz=100.0)
        create_recording(folder, RecordingInfo(name=name, kind="flight", sources=(source,)), more)
    create_recording(
        folder, RecordingInfo(name="bare", kind="flight"), {k: v for k, v in streams.items() if k != "reference"}
    )
    found = pool(folder, made)
    assert set(found.recordings) == {"hop", "again"} or set(found.recordings) == {"hop", "second"}
    assert {n for n, _ in found.left_out} >= {"bare"} and len(found.left_out) == 2
    (verdict,) = found.verdicts
    each = [word(run(request_for(folder, made, n)), "tilt").value for n in found.recordings]
    assert min(each) <= verdict.value <= max(each) and verdict.low < verdict.value < verdict.high
    assert pooled_report(found)["verdicts"][0]["reason"].startswith("2 flights")
    infos = [load(folder, made, n).info for n in ("second", "again", "hop")]
    assert list(duplicates(infos).values()) in (["again"], ["second"])
