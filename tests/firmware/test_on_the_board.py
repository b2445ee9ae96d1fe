"""What a board asks of the kit beyond equal figures: arming, several at once, hours of time, late fixes, a link that garbles."""

import ctypes
import math
import socket
import subprocess
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from tests.firmware.kits import flown, made_up_controls, plan_for

from fusus.core.control import failsafe
from fusus.core.control.arming import CALIBRATION, MOVES, PLACE, SENSOR, THROTTLE, TILT, refusals
from fusus.core.control.cascade import MEMORY
from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.firmware.equality.compare import compare, core_run
from fusus.firmware.running import programs
from fusus.firmware.running.compiler import STRICT
from fusus.firmware.running.exchange import PER_ESTIMATE, Given, read_output, write_input
from fusus.firmware.writing.control_files import control_files
from fusus.firmware.writing.estimator_files import estimator_files
from fusus.firmware.writing.kit import kit_files
from fusus.logs.lines import encode, encode_header
from fusus.logs.snippet import USUAL, c_snippet, streams_from

F = ctypes.c_double


class Setpoint(ctypes.Structure):
    _fields_ = [("mode", ctypes.c_int32), *((n, F) for n in ("roll", "pitch", "yaw", "throttle", "pn", "pe", "pd", "vn", "ve", "vd", "heading"))]  # fmt: skip


class StateEstimate(ctypes.Structure):
    _fields_ = [
        *((n, F) for n in ("w", "x", "y", "z", "pn", "pe", "pd", "vn", "ve", "vd")),
        ("knows_place", ctypes.c_bool),
    ]


class Control(ctypes.Structure):
    _fields_ = [
        ("filters", F * 13), ("loops", F * MEMORY), ("is_armed", ctypes.c_bool), ("flies", ctypes.c_bool), ("is_stopped", ctypes.c_bool),
        ("failsafe", F * failsafe.MEMORY), ("error_rad_s", F), ("thrust", F),
    ]  # fmt: skip


@pytest.fixture(scope="module")
def loops(place, tmp_path_factory):
    """The loops as a library, with a low-pass and a notch for the gyro."""
    folder = tmp_path_factory.mktemp("loops")
    plan = plan_for("mahony", "double", place, controls=made_up_controls())
    for name, text in (estimator_files(plan) | control_files(plan)).items():
        (folder / name).write_text(text)
    done = subprocess.run(
        ["gcc", *STRICT, "-shared", "-fPIC", "-o", "control.so", "control.c", "-lm"],
        cwd=folder,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    library = ctypes.CDLL(str(folder / "control.so"))
    library.control_step.restype = ctypes.c_bool
    return library


def test_shares_of_thrust_become_commands_by_the_square_law(loops):
    """What a propeller's thrust does over its speed, by the books; and no bits take a command out of its range."""
    for share in (0.0, 0.01, 0.17, 0.41, 0.5, 1.0, 1.7, -0.3, math.nan, math.inf, -math.inf):
        shares, commands = (F * 4)(*[share] * 4), (F * 4)(*[9.0] * 4)
        loops.control_commands(shares, commands)
        assert all(0.0 <= c <= 1.0 for c in commands)
        if 0.0 <= share <= 1.0:
            assert all(c * c == pytest.approx(share, abs=1e-15) for c in commands)
    loops.control_commands((F * 4)(*[0.41] * 4), commands)
    assert round(1000 + 1000 * commands[0]) == 1640 and commands[0] ** 2 == pytest.approx(0.41)


def three(*values):
    return (F * 3)(*values)


def level(**changes):
    return StateEstimate(1.0, 0.0, 0.0, 0.0, *([0.0] * 6), changes.get("knows_place", True))


def leaning(angle):
    return StateEstimate(math.cos(angle / 2), math.sin(angle / 2), 0.0, 0.0, *([0.0] * 6), True)


@pytest.mark.parametrize(
    ("throttle", "estimate", "rate", "due", "healthy", "mode", "wanted"),
    [
        (0.0, level(), 0.0, False, True, 1, 0),
        (0.2, level(), 0.0, False, True, 1, THROTTLE),
        (0.0, leaning(0.6), 0.0, False, True, 1, TILT),
        (0.0, level(), 0.5, False, True, 1, MOVES),
        (0.0, level(), 0.0, True, True, 1, CALIBRATION),
        (0.0, level(), 0.0, False, False, 1, SENSOR),
        (0.0, level(knows_place=False), 0.0, False, True, 4, PLACE),
        (0.5, leaning(1.0), 1.0, True, False, 1, THROTTLE | TILT | MOVES | CALIBRATION | SENSOR),
    ],
)
def test_motors_do_not_start_where_a_rule_refuses(loops, throttle, estimate, rate, due, healthy, mode, wanted):
    setpoint = Setpoint(mode, 0, 0, 0, throttle)
    state = Control()
    loops.control_begin(ctypes.byref(state))
    found = loops.control_arm(
        ctypes.byref(state), ctypes.byref(setpoint), ctypes.byref(estimate), three(rate, 0, 0), due, healthy
    )
    down = 1.0 - 2.0 * (estimate.x**2 + estimate.y**2)
    core = refusals(0.4, due, healthy, mode, throttle, down, rate, estimate.knows_place)
    assert found == core == wanted
    assert state.is_armed == (wanted == 0)


def step(loops, state, throttle=0.5, rate=(0.0, 0.0, 0.0), n=1, mode=1):
    setpoint, estimate, motors = Setpoint(mode, 0, 0, 0, throttle), level(), (F * 4)()
    for _ in range(n):
        loops.control_step(
            ctypes.byref(state),
            ctypes.byref(setpoint),
            ctypes.byref(estimate),
            three(*rate),
            three(0, 0, 0),
            F(0.002),
            motors,
        )
    return list(motors)


def armed(loops):
    state = Control()
    loops.control_begin(ctypes.byref(state))
    assert (
        loops.control_arm(
            ctypes.byref(state), ctypes.byref(Setpoint(1)), ctypes.byref(level()), three(0, 0, 0), False, True
        )
        == 0
    )
    return state


def test_disarmed_motors_stand_still(loops):
    state = Control()
    loops.control_begin(ctypes.byref(state))
    assert step(loops, state, 1.0, (3.0, 0, 0), 20) == [0.0] * 4
    state = armed(loops)
    assert min(step(loops, state, 0.6, n=20)) > 0.1
    loops.control_disarm(ctypes.byref(state))
    assert step(loops, state, 1.0, n=5) == [0.0] * 4 and not state.flies


def test_armed_again_in_flight_nothing_changes_and_disarmed_all_begins_anew(loops):
    state = armed(loops)
    step(loops, state, 0.6, (0.2, -0.1, 0.05), n=200)
    assert state.flies
    held = list(state.loops)
    found = loops.control_arm(
        ctypes.byref(state),
        ctypes.byref(Setpoint(1, throttle=0.9)),
        ctypes.byref(leaning(1.0)),
        three(5, 0, 0),
        True,
        False,
    )
    assert found == 0 and state.is_armed and state.flies and list(state.loops) == held
    assert max(step(loops, state, 0.6)) > 0.1
    loops.control_disarm(ctypes.byref(state))
    step(loops, state, 0.0, n=2000)
    assert (
        loops.control_arm(
            ctypes.byref(state), ctypes.byref(Setpoint(1)), ctypes.byref(level()), three(0, 0, 0), False, True
        )
        == 0
    )
    assert step(loops, state, 0.6, (0.1, 0, 0), 50) == pytest.approx(
        step(loops, armed(loops), 0.6, (0.1, 0, 0), 50), abs=1e-6
    )


@pytest.mark.parametrize(
    ("estimate", "rate", "throttle"),
    [
        (StateEstimate(*[math.nan] * 4), 0.0, 0.0),
        (StateEstimate(0.0, 0.0, 0.0, 0.0), 0.0, 0.0),
        (level(), math.nan, 0.0),
        (level(), 0.0, math.nan),
    ],
)
def test_no_figure_that_is_none_starts_motors(loops, estimate, rate, throttle):
    state = Control()
    loops.control_begin(ctypes.byref(state))
    found = loops.control_arm(
        ctypes.byref(state),
        ctypes.byref(Setpoint(1, throttle=throttle)),
        ctypes.byref(estimate),
        three(rate, 0, 0),
        False,
        True,
    )
    assert found != 0 and not state.is_armed and step(loops, state) == [0.0] * 4


def test_on_the_ground_it_idles_evenly_and_sums_nothing_up(loops):
    state = armed(loops)
    motors = step(loops, state, 0.1, (0.5, -0.5, 0.2), 200)
    assert max(motors) - min(motors) < 1e-12 and motors[0] >= 0.0144
    # After two hundred loops no more than one loop's worth is summed up.
    assert max(abs(v) for v in state.loops[:3]) < 1e-3 and not state.flies
    lifted = step(loops, state, 0.6, (0.5, 0.0, 0.0), 5)
    assert state.flies and max(lifted) - min(lifted) > 1e-3, "in the air the loops act"
    assert state.loops[0] != 0.0


def test_a_roll_is_countered_by_the_right_motors(loops):
    """Right side going down: the motors on the right give more."""
    state = armed(loops)
    step(loops, state, 0.6, n=10)
    motors = step(loops, state, 0.6, (0.8, 0.0, 0.0), 10)
    table = made_up_controls().table
    right = [i for i in range(4) if table[i, 1] < 0]
    left = [i for i in range(4) if table[i, 1] > 0]
    assert min(motors[i] for i in right) > max(motors[i] for i in left)


def test_two_estimators_run_side_by_side(place, tmp_path):
    """Nothing hides between calls: interleaved, each gives what it gives alone."""
    plan = plan_for("mahony", "double", place)
    files = estimator_files(plan) | {
        "two.c": """
#include "estimator.h"
#include "estimator_constants.h"
#include <string.h>
void both(const double *rows, int n, double *out);
void both(const double *rows, int n, double *out)
{
    Estimator a, b, alone;
    Estimate now;
    Start start = { .q_nb = { 1, 0, 0, 0 }, .rest_s = 1, .is_still = true, .field_ut = 50, .has_heading = false };
    estimator_begin(&a, &KIT_PARAMETERS, &KIT_SITE, &start);
    estimator_begin(&b, &KIT_PARAMETERS, &KIT_SITE, &start);
    estimator_begin(&alone, &KIT_PARAMETERS, &KIT_SITE, &start);
    for (int i = 0; i < n; i++) {
        Sample s;
        sample_clear(&s);
        s.interval_s = 0.01;
        memcpy(s.gyro_rad_s, rows + 6 * i, sizeof s.gyro_rad_s);
        memcpy(s.acc_m_s2, rows + 6 * i + 3, sizeof s.acc_m_s2);
        estimator_step(&a, &s, &now);
        memcpy(out + 8 * i, now.attitude, sizeof now.attitude);
        estimator_step(&alone, &s, &now);
        memcpy(out + 8 * i + 4, now.attitude, sizeof now.attitude);
        for (int k = 0; k < 3; k++) {
            s.gyro_rad_s[k] = -3 * s.gyro_rad_s[k];
        }
        estimator_step(&b, &s, &now);
    }
}
"""
    }
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    done = subprocess.run(
        ["gcc", *STRICT, "-shared", "-fPIC", "-o", "two.so", "two.c", "estimator.c", "-lm"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
    )
    assert done.returncode == 0, done.stderr
    rng = np.random.default_rng(1)
    rows = np.hstack([rng.normal(0, 1, (200, 3)), rng.normal(0, 0.1, (200, 3)) + [0, 0, -9.81]]).copy()
    out = np.empty((200, 8))
    pointer = ctypes.POINTER(F)
    ctypes.CDLL(str(tmp_path / "two.so")).both(rows.ctypes.data_as(pointer), 200, out.ctypes.data_as(pointer))
    assert (out[:, :4] == out[:, 4:]).all() and np.ptp(out[:, 1]) > 0.1


@pytest.mark.parametrize("name", ["navigation-ekf", "altitude", "attitude-ekf"])
def test_after_two_hours_single_precision_still_serves(name, place):
    """Times of a float have places of half a millisecond by then; the README says so, and the estimate bears it."""
    given, _ = flown(place, 5, 200.0, "mission")
    later = 7200.0
    aiding = replace(
        given.aiding,
        **{
            k: np.ascontiguousarray(np.column_stack([r[:, 0] + later, r[:, 1:]]))
            for k in ("gnss", "baro", "mag")
            for r in [getattr(given.aiding, k)]
        },
    )
    given = replace(given, t_s=given.t_s + later, aiding=aiding)
    plan = plan_for(name, "single", place)
    with tempfile.TemporaryDirectory() as space:
        core = core_run(plan, given, place)
        built = programs.build_kit(plan, Path(space))
        found, ended = programs.run_over(built.program, core.given)
    assert ended.is_good
    attitude = next(h for h in compare(plan, core, found, ended).held if h.name == "attitude")
    assert attitude.worst < np.radians(0.2)
    if core.pos_n is not None:
        off = np.abs(core.pos_n - found.pos_n)
        assert np.nanmax(off) < 0.15


def test_a_fix_later_than_the_memory_harms_nothing(place):
    """The board remembers as long as its delay needs: fixes that come later still than that are taken by the oldest moment."""
    given, truth = flown(place, 6, 200.0, "turns")
    rows = given.aiding.gnss.copy()
    rows[:, 0] += 1.2
    inside = rows[rows[:, 0] < given.t_s[-1]]
    late = replace(given, aiding=replace(given.aiding, gnss=inside))
    info = next(i for i in ESTIMATORS if i.name == "navigation-ekf")
    plan = plan_for(
        "navigation-ekf", "double", place, replace(info.parameters(), gnss_delay_s=0.05, gnss_delay_sigma_s=0.0)
    )
    assert plan.moments < 128
    with tempfile.TemporaryDirectory() as space:
        core = core_run(plan, late, place)
        built = programs.build_kit(plan, Path(space))
        found, ended = programs.run_over(built.program, core.given)
    assert ended.is_good and np.isfinite(found.pos_n).all()
    assert np.abs(found.pos_n - core.pos_n).max() < 0.5
    assert len(truth.t_s) > 100


def test_what_a_runner_writes_is_read_back(tmp_path):
    """Estimates and dumps lie one behind the other; what breaks off is read as far as it came."""
    estimates = np.arange(7.0 * PER_ESTIMATE).reshape(7, PER_ESTIMATE)
    dumps = -np.arange(9.0).reshape(3, 3)
    rows = []
    for i, row in enumerate(estimates):
        rows.append(row)
        if i % 3 == 0:
            rows.append(dumps[i // 3])
    path = tmp_path / "out.bin"
    np.concatenate(rows).tofile(path)
    found = read_output(path, 7, 3, 3)
    assert found.q_nb == pytest.approx(estimates[:, :4]) and found.flags == pytest.approx(estimates[:, 16])
    assert found.dumps == pytest.approx(dumps)
    np.concatenate(rows)[: 3 * PER_ESTIMATE + 3 + 5].tofile(path)
    part = read_output(path, 7)
    assert len(part) == 3
    path.write_bytes(b"")
    assert len(read_output(path, 7)) == 0


def test_measurements_come_with_the_first_sample_that_is_not_earlier(place, tmp_path):
    from fusus.core.estimation.initial import start_from

    given, _ = flown(place, 6)
    start = start_from(given.t_s, *given.samples[1:], place)
    path = tmp_path / "in.bin"
    write_input(path, Given(given, start, place))
    values = np.fromfile(path)
    n, fields, heights, fixes, ranges = (int(v) for v in values[:5])
    assert n == len(given.t_s) and fields == int(np.isfinite(given.samples.mag_b).all(axis=1).sum()) and ranges == 0
    at = 10 + 14 + n + n + 3 * n + 3 * n + n + 4 * fields
    baro = values[at : at + 2 * heights].reshape(-1, 2)
    assert (given.t_s[baro[:, 0].astype(int)] >= given.aiding.baro[:heights, 0]).all()
    gnss = values[at + 2 * heights : at + 2 * heights + 9 * fixes].reshape(-1, 9)
    came = given.t_s[gnss[:, 0].astype(int)] - gnss[:, 1]
    assert came == pytest.approx(given.aiding.gnss[:fixes, 0], abs=1e-9) and (gnss[:, 1] >= 0).all()


@pytest.fixture(scope="module")
def desk(place, tmp_path_factory):
    """The kit's program for the desk."""
    folder = tmp_path_factory.mktemp("desk")
    plan = plan_for("mahony", "single", place)
    streams = ("imu", "board")
    telemetry = c_snippet(streams).replace("extern void send_line(const char *text);", '#include "telemetry.h"')
    for name, text in kit_files(plan, telemetry, streams, ["# none"]).items():
        (folder / name).write_text(text)
    done = subprocess.run(["make", "desk"], cwd=folder, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return folder / "desk"


def resting(n, first=0):
    imu = list(USUAL["imu"])
    still = ["0.001", "-0.002", "0.0005", "0", "0", "-9.81", "25"]
    return encode_header("imu", imu) + b"".join(encode("imu", (first + i) * 5000, still) for i in range(n))


def test_the_desk_begins_after_a_second_of_rest_and_says_level(desk):
    done = subprocess.run([str(desk)], input=resting(600), capture_output=True, timeout=20)
    lines = [line for line in done.stdout.decode().splitlines() if line.startswith("board,")]
    assert done.returncode == 0 and len(lines) == pytest.approx((600 - 200) / 10, abs=2)
    w, x, y, _ = (float(v) for v in lines[-1].split("*")[0].split(",")[2:6])
    assert abs(x) + abs(y) < 1e-3 and abs(w) > 0.99
    assert done.stdout.count(b"#board,q_w") >= 1, "a header, so that no mapping is needed"


def test_garbled_lines_are_passed_over(desk):
    whole = resting(400)
    spoilt = whole.replace(b"-9.81", b"-9.91", 1)  # the checksum no longer fits
    noise = b"\xff\x00garbage\n" + b"imu,1,2\n" + b"imu," + b"9" * 2000 + b"*00\n" + b"#imu*12\n"
    done = subprocess.run([str(desk)], input=noise + spoilt + noise, capture_output=True, timeout=20)
    clean = subprocess.run([str(desk)], input=whole, capture_output=True, timeout=20)
    assert done.returncode == 0
    count = [out.count(b"\nboard,") for out in (done.stdout, clean.stdout)]
    assert abs(count[0] - count[1]) <= 1 and b"garbage" not in done.stdout


def test_the_desk_speaks_udp(desk):
    def free():
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as s:
            s.bind(("127.0.0.1", 0))
            return s.getsockname()[1]

    there, back = free(), free()
    with (
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as ear,
        socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as mouth,
    ):
        ear.bind(("127.0.0.1", back))
        ear.settimeout(10.0)
        program = subprocess.Popen([str(desk), str(there), str(back)])
        try:
            lines = resting(400).splitlines(keepends=True)
            time.sleep(0.3)
            for i in range(0, len(lines), 8):
                mouth.sendto(b"".join(lines[i : i + 8]), ("127.0.0.1", there))
                time.sleep(0.002)
            heard = b""
            while b"board," not in heard.replace(b"#board,", b""):
                heard += ear.recv(65536)
        finally:
            program.kill()
            program.wait()
    assert b"imu," in heard


def test_streams_are_named_with_commas_or_spaces():
    from fusus.errors import RecordingError

    assert streams_from("imu, mag baro") == ("imu", "mag", "baro") and streams_from("imu2") == ("imu2",)
    with pytest.raises(RecordingError, match="radar"):
        streams_from("imu radar")
