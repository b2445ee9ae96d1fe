"""Whole kits: built as a maker builds them, checked by their own program, under sanitizers, and run on the desk."""

import ctypes
import math
import re
import shutil
import subprocess
from dataclasses import replace

import numpy as np
import pytest
from tests.firmware.kits import flown, made_up_controls, made_up_corrections, plan_for

from fusus.core.calibration.apply import Corrections
from fusus.core.control import arming, cascade, failsafe
from fusus.core.estimation.attitude_ekf import run as attitude_start
from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.initial import start_from
from fusus.core.estimation.navigation_ekf import start as navigation_start
from fusus.core.world.atmosphere import P0_PA, pressure_altitude_m
from fusus.firmware.equality.vectors import (
    begun,
    control_vectors,
    estimator_vectors,
    filter_vectors,
    leaving_rest,
    safety_lines,
    sensor_vectors,
)
from fusus.firmware.running.compiler import STRICT
from fusus.firmware.running.cost import BY_LIBRARY, CYCLES, DOUBLE_BY_LIBRARY, PartCost, count
from fusus.firmware.writing.constants import c_value
from fusus.firmware.writing.kit import constants_of, kit_files
from fusus.firmware.writing.layout import moments_for
from fusus.logs.snippet import MOTION, c_snippet

START_CONSTANTS = (
    "FAR_M", "MOVING_TILT_RAD", "UNKNOWN_HEADING_RAD", "LOOSE_HEADING_RAD", "REST_M_S", "HOME_M", "ZERO_SAMPLES", "LEAST_ZERO_VAR",
    "LEAST_REST_S", "LEVEL_SCALE", "LEAST_LEVEL_VAR",
)  # fmt: skip
STREAMS = ("imu", "mag", "baro", "gnss", "board")


def write(folder, plan, given, corrections=None):
    """Write a kit with its vectors; return its files."""
    more = MOTION if plan.info.gives == "motion" else ()
    telemetry = c_snippet(STREAMS, more).replace("extern void send_line(const char *text);", '#include "telemetry.h"')
    lines = estimator_vectors(begun(plan, given, 1200))
    lines += sensor_vectors(plan, corrections or Corrections({})) + filter_vectors(plan) + control_vectors(plan)
    lines += safety_lines(plan)
    files = kit_files(plan, telemetry, STREAMS, lines)
    for name, text in files.items():
        (folder / name).write_text(text)
    return files


def shell(folder, *command):
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=120)


@pytest.fixture(scope="module")
def flight(place):
    return flown(place, 2)[0]


@pytest.mark.parametrize(
    ("name", "precision"),
    [
        *((i.name, "single") for i in ESTIMATORS),
        ("mahony", "double"),
        ("altitude", "double"),
        ("navigation-ekf", "double"),
    ],
)
def test_make_check_builds_without_a_warning_and_passes(name, precision, flight, place, tmp_path):
    corrections = made_up_corrections()
    write(tmp_path, plan_for(name, precision, place, corrections=corrections), flight, corrections)
    done = shell(tmp_path, "make", "check", "all")
    assert done.returncode == 0, done.stderr[-2000:] + done.stdout[-500:]
    assert "warning" not in done.stderr
    assert done.stdout.count(": equal") == 8 and "NOT EQUAL" not in done.stdout
    assert re.search(r"motors +400 figures", done.stdout) and re.search(r"attitude +1200 figures", done.stdout)
    assert re.search(r"filters +300 figures", done.stdout)


@pytest.mark.parametrize("name", ["mahony", "altitude", "navigation-ekf"])
def test_no_undefined_behaviour_and_no_foreign_memory(name, flight, place, tmp_path):
    """UndefinedBehaviorSanitizer and AddressSanitizer over the vectors of filters, loops and sensors."""
    write(tmp_path, plan_for(name, "single", place), flight)
    flags = ["-fsanitize=undefined,address", "-fno-sanitize-recover=all", "-g1", "-O1"]
    sources = ["test_kit.c", "sensors.c", "estimator.c", "control.c", "alignment.c"]
    built = shell(tmp_path, "gcc", *STRICT, *flags, "-o", "checked", *sources, "-lm")
    assert built.returncode == 0, built.stderr[-2000:]
    done = shell(tmp_path, "./checked", "vectors.txt")
    assert done.returncode == 0, done.stderr[-2000:] + done.stdout


def test_single_precision_never_falls_back_to_double(flight, place, tmp_path):
    write(tmp_path, plan_for("navigation-ekf", "single", place), flight)
    for source in ("sensors.c", "alignment.c", "estimator.c", "control.c"):
        done = shell(tmp_path, "gcc", *STRICT, "-Wdouble-promotion", "-Wshadow", "-c", source)
        assert done.returncode == 0, done.stderr[:2000]


def test_no_heap_and_no_global_state(flight, place, tmp_path):
    """What the objects need from outside is the library's mathematics, and none keeps memory of its own."""
    write(tmp_path, plan_for("navigation-ekf", "single", place), flight)
    for source in ("sensors.c", "alignment.c", "estimator.c", "control.c"):
        assert shell(tmp_path, "gcc", "-std=c99", "-O2", "-fno-pic", "-c", source, "-o", "x.o").returncode == 0
        symbols = [line.split() for line in shell(tmp_path, "nm", "x.o").stdout.splitlines()]
        outside = {s[-1] for s in symbols if s[-2] == "U"}
        known = {
            f"{n}f"
            for n in (
                "sin",
                "cos",
                "tan",
                "sqrt",
                "atan2",
                "acos",
                "asin",
                "exp",
                "expm1",
                "log",
                "log1p",
                "pow",
                "hypot",
                "floor",
            )
        }
        known |= {"memset", "memcpy", "sincosf", "__stack_chk_fail"}
        assert outside <= known, outside - known
        assert not [s for s in symbols if s[-2] in "bBdD"], "writable memory of its own"


def test_a_wrong_vector_is_told(flight, place, tmp_path):
    write(tmp_path, plan_for("mahony", "double", place), flight)
    assert shell(tmp_path, "make", "test_kit").returncode == 0
    lines = (tmp_path / "vectors.txt").read_text().splitlines()
    for word in ("sample", "gyro", "control"):
        at = next(i for i, line in enumerate(lines) if line.startswith(f"{word} ") and i > 50)
        figures = lines[at].split()
        k = 23 if word == "sample" else -1
        figures[k] = f"{float(figures[k]) + 1e-6:.17g}"
        (tmp_path / "wrong.txt").write_text("\n".join([*lines[:at], " ".join(figures), *lines[at + 1 :]]))
        done = shell(tmp_path, "./test_kit", "wrong.txt")
        assert done.returncode == 1 and done.stdout.count("NOT EQUAL") == 1, (word, done.stdout)
        assert f"in line {at + 1}" in done.stdout
    (tmp_path / "empty.txt").write_text("# nothing\n")
    assert shell(tmp_path, "./test_kit", "empty.txt").returncode == 2
    assert shell(tmp_path, "./test_kit", "nowhere.txt").returncode == 2


@pytest.mark.parametrize("thermal", [True, False])
def test_calibrations_do_what_the_bench_found(thermal, flight, place, tmp_path):
    corrections = made_up_corrections(thermal)
    files = write(tmp_path, plan_for("mahony", "double", place, corrections=corrections), flight, corrections)
    assert ("KIT_GYRO_THERMAL" in files["sensors_constants.h"]) == thermal
    shell(tmp_path, "gcc", *STRICT, "-shared", "-fPIC", "-o", "s.so", "sensors.c", "-lm")
    library = ctypes.CDLL(str(tmp_path / "s.so"))
    rng = np.random.default_rng(5)
    three = ctypes.c_double * 3
    for _ in range(20):
        raw, beside = rng.normal(0, 20, 3), float(rng.uniform(-10, 60))
        for kind, wanted in (
            ("gyro", corrections.gyro(raw[None], [beside])), ("acc", corrections.acc(raw[None], [beside])),
            ("mag", corrections.mag(raw[None], [beside])),
        ):  # fmt: skip
            found = three(*raw)
            getattr(library, f"sensors_{kind}_correct")(found, ctypes.c_double(beside))
            assert list(found) == pytest.approx(wanted[0], abs=1e-12)
    counts, found = (ctypes.c_int32 * 3)(-32768, 1, 32767), three()
    library.sensors_gyro_scale(counts, found)
    assert list(found) == pytest.approx([-32.768, 1e-3, 32.767])


@pytest.mark.parametrize(("precision", "within"), [("double", 1e-8), ("single", 2e-3)])
def test_heights_are_those_of_the_standard_atmosphere(precision, within, flight, place, tmp_path):
    """ISO 2533; single precision keeps millimetres where a plain power would lose them."""
    write(tmp_path, plan_for("mahony", precision, place), flight)
    shell(tmp_path, "gcc", *STRICT, "-shared", "-fPIC", "-o", "s.so", "sensors.c", "-lm")
    real = ctypes.c_double if precision == "double" else ctypes.c_float
    height = ctypes.CDLL(str(tmp_path / "s.so")).sensors_height_m
    height.restype = real
    for reference in (P0_PA, 95000.0):
        for above in (0.0, 0.3, 12.0, 120.0):
            # Pressures that the precision can hold.
            pressure = float(np.float32(reference * (1.0 - 2.25577e-5 * above) ** 5.2559))
            wanted = float(pressure_altitude_m(pressure) - pressure_altitude_m(reference))
            assert height(real(pressure), real(reference)) == pytest.approx(wanted, abs=within)


class Sample(ctypes.Structure):
    _fields_ = [
        ("interval_s", ctypes.c_double), ("gyro", ctypes.c_double * 3), ("acc", ctypes.c_double * 3),
        ("mag", ctypes.c_double * 3), ("height", ctypes.c_double), ("fix", ctypes.c_double * 8), ("range", ctypes.c_double),
        ("known", ctypes.c_uint8),
    ]  # fmt: skip


class Start(ctypes.Structure):
    _fields_ = [
        ("q", ctypes.c_double * 4), ("bias", ctypes.c_double * 3), ("is_still", ctypes.c_bool), ("rest_s", ctypes.c_double),
        ("field_ut", ctypes.c_double), ("dip_rad", ctypes.c_double), ("has_heading", ctypes.c_bool),
    ]  # fmt: skip


class Site(ctypes.Structure):
    _fields_ = [("gravity", ctypes.c_double), ("declination", ctypes.c_double)]


@pytest.mark.parametrize("turn", [(0.0, 0.0, 0.0), (2.5, 0.4, -0.3), (-1.0, 0.1, 3.0), (0.5, -1.2, 0.0)])
def test_the_board_aligns_as_the_core_does(turn, flight, place, tmp_path):
    from fusus.core.frames import quaternion

    write(tmp_path, plan_for("mahony", "double", place), flight)
    shell(tmp_path, "gcc", *STRICT, "-shared", "-fPIC", "-o", "a.so", "alignment.c", "-lm")
    library = ctypes.CDLL(str(tmp_path / "a.so"))
    library.alignment_add.restype = library.alignment_finish.restype = ctypes.c_bool
    rng = np.random.default_rng(1)
    back = quaternion.conjugate(quaternion.from_euler(*turn))
    n = 400
    gyro = np.array([0.01, -0.02, 0.03]) + rng.normal(0, 1e-3, (n, 3))
    acc = quaternion.rotate(np.tile(back, (n, 1)), np.tile([0, 0, -place.gravity_m_s2], (n, 1))) + rng.normal(
        0, 0.01, (n, 3)
    )
    mag = quaternion.rotate(np.tile(back, (n, 1)), np.tile(place.field.vector_ut, (n, 1))) + rng.normal(0, 0.2, (n, 3))
    wanted = start_from(np.arange(n) * 0.01, gyro, acc, mag, place)
    alignment, start = (ctypes.c_double * 16)(), Start()
    library.alignment_begin(alignment)
    for i in range(n):
        sample = Sample(
            0.01,
            (ctypes.c_double * 3)(*gyro[i]),
            (ctypes.c_double * 3)(*acc[i]),
            (ctypes.c_double * 3)(*mag[i]),
        )
        assert library.alignment_add(alignment, ctypes.byref(sample))
        if i == 20:
            assert not library.alignment_finish(alignment, ctypes.byref(Site(9.81, 0.0)), ctypes.byref(start)), (
                "too soon"
            )
    site = Site(place.gravity_m_s2, place.declination_rad)
    assert library.alignment_finish(alignment, ctypes.byref(site), ctypes.byref(start))
    assert abs(np.dot(list(start.q), wanted.q_nb)) == pytest.approx(1.0, abs=1e-12)
    assert list(start.bias) == pytest.approx(wanted.gyro_bias_b, abs=1e-12)
    assert start.has_heading and start.field_ut == pytest.approx(place.field.strength_ut)
    moved = Sample(
        0.01, (ctypes.c_double * 3)(1.0, 0, 0), (ctypes.c_double * 3)(*acc[0]), (ctypes.c_double * 3)(*mag[0])
    )
    assert not library.alignment_add(alignment, ctypes.byref(moved)), "a craft that moves is no craft at rest"


@pytest.mark.parametrize("layout", ["X-quad", "hexa", "octo"])
@pytest.mark.parametrize("notch", [True, False])
def test_loops_of_any_airframe_come_out_the_same(layout, notch, flight, place, tmp_path):
    plan = plan_for("mahony", "double", place, controls=made_up_controls(layout, notch))
    write(tmp_path, plan, flight)
    done = shell(tmp_path, "make", "check")
    assert done.returncode == 0, done.stderr[-1500:] + done.stdout
    assert ("filters" in done.stdout) == notch == ("sensors_acc_filter" in (tmp_path / "desk.c").read_text())
    motors = {"X-quad": 4, "hexa": 6, "octo": 8}[layout]
    assert f"#define CONTROL_MOTORS {motors}" in (tmp_path / "control.h").read_text()


def test_an_accelerometers_filter_that_is_changed_is_not_equal(flight, place, tmp_path):
    write(tmp_path, plan_for("mahony", "single", place), flight)
    path = tmp_path / "sensors.c"
    text = path.read_text()
    assert "if (!f->runs)" in text
    path.write_text(text.replace("if (!f->runs)", "if (f->runs)"))
    done = shell(tmp_path, "make", "check")
    assert done.returncode != 0 and re.search(r"filters .* NOT EQUAL", done.stdout)


def test_vectors_visit_every_stage_and_cause_of_failsafes_and_every_refusal(place):
    plan = plan_for("mahony", "double", place, controls=made_up_controls())
    rows = np.array(
        [[float(v) for v in line.split()[1:]] for line in safety_lines(plan) if line.startswith("failsafe ")]
    )
    assert set(rows[:, 31].astype(int)) == set(failsafe.STAGES)
    assert np.bitwise_or.reduce(rows[:, 32].astype(int)) == sum(failsafe.CAUSES)
    armed = [line.split()[-1] for line in safety_lines(plan) if line.startswith("arming ")]
    assert "0" in armed
    assert np.bitwise_or.reduce([int(v) for v in armed]) == sum(arming.REASONS) - arming.FAILSAFE


@pytest.mark.parametrize(("name", "precision"), [("mahony", "single"), ("navigation-ekf", "double")])
def test_the_whole_firmware_loop_stops_its_motors_when_the_radio_falls_silent(name, precision, flight, place, tmp_path):
    """Armed at 3 s; silent at 5 s; back at 7 s, and yet off until the switch has been off."""
    write(tmp_path, plan_for(name, precision, place, controls=made_up_controls()), flight)
    done = shell(tmp_path, "make", "main")
    assert done.returncode == 0 and "warning" not in done.stderr, done.stderr[-800:]
    told = [(float(at), words) for at, words in re.findall(r"([0-9.]+) s  motors (.*)", done.stdout)]
    assert [words for _, words in told] == ["idle", "off: the radio is silent", "idle"]
    assert [at for at, _ in told] == pytest.approx([3.0, 5.5, 8.5], abs=0.01)


SAFETY_MUTANTS = (
    ("return FAILSAFE_HOLD;", "return FAILSAFE_FLY;"),
    ("!(h->radio_s <= r->radio_s)", "h->radio_s > r->radio_s"),
    ("!(h->gyro_s <= r->gyro_s)", "false"),
    ("> r->unsound_s", "> 2.0 * r->unsound_s"),
    ("k[FAILSAFE_EMPTIED] = 1.0;", "k[FAILSAFE_EMPTIED] = 0.0;"),
    ("h->force_m_s2 < r->fall_m_s2", "h->force_m_s2 > r->fall_m_s2"),
    ("> r->spin_s", "> 9.0"),
    ("r->astray_s", "9.0"),
    ("> r->over_s", "> 9.0"),
    ("> FAILSAFE_LANDED_S", "> 9.0"),
    ("> r->blind_s", "> 1e9"),
    ("(r->radio == FAILSAFE_RETURNS)", "false"),
    ("throttle = r->sink_throttle;", "throttle = 0.5;"),
    ("mode = CASCADE_HOME;", "mode = CASCADE_PLACE;"),
    ("out |= ARMING_TILT;", "out |= 0;"),
    ("out |= ARMING_PLACE;", "out |= 0;"),
    ("out |= ARMING_CALIBRATION;", "out |= 0;"),
    ("!(throttle <= ", "(throttle > "),
)


@pytest.mark.parametrize(("before", "after"), SAFETY_MUTANTS)
def test_a_safety_rule_that_is_changed_is_not_equal(before, after, flight, place, tmp_path):
    write(tmp_path, plan_for("mahony", "double", place, controls=made_up_controls()), flight)
    path = tmp_path / "control.c"
    text = path.read_text()
    assert before in text, before
    path.write_text(text.replace(before, after))
    done = shell(tmp_path, "make", "CFLAGS=-std=c99 -O1", "check")
    assert done.returncode != 0 and re.search(r"(arming|failsafe) .* NOT EQUAL", done.stdout), (
        done.stdout + done.stderr[-500:]
    )


def test_vectors_leave_the_rest_and_ask_for_all_modes(flight, place):
    plan = plan_for("mahony", "double", place)
    cut = leaving_rest(flight)
    assert cut.t_s[0] > flight.t_s[0] and len(cut.t_s) < len(flight.t_s)
    assert all((getattr(cut.aiding, k)[:, 0] > cut.t_s[0]).all() for k in ("gnss", "baro", "mag"))
    rows = [line.split() for line in control_vectors(plan) if line.startswith("control ")]
    assert {int(float(r[1])) for r in rows} == set(range(7))
    shares = np.array([[float(v) for v in r[31:]] for r in rows])
    assert shares.min() >= 0.0 and shares.max() <= 1.0 and np.ptp(shares, axis=0).min() > 0.2


def test_every_constant_says_what_it_rests_on(place):
    plan = plan_for("navigation-ekf", "single", place, corrections=made_up_corrections())
    plan = replace(
        plan,
        said={"fusion.navigation_ekf.baro_noise_m": "bench, recording “still”", "six-face": "bench, recording “faces”"},
    )
    rows = {name: (value, said) for _, c in constants_of(plan) for name, value, said in c.rows}
    assert rows["KIT_PARAMETERS.baro_noise_m"][1] == "bench, recording “still”"
    assert rows["KIT_PARAMETERS.gnss_delay_s"] == ("0.1f", "assumed")
    assert "recording “faces”" in rows["KIT_ACC_OFFSET_M_S2"][1]
    assert all(said for _, said in rows.values())
    header = kit_files(plan, "", ("imu",), [])["estimator_constants.h"]
    assert ".baro_noise_m = 0.15f, /* bench, recording “still” */" in header and "0123456789ab" in header


@pytest.mark.parametrize(
    ("estimator", "file", "module", "name"),
    [
        *[("navigation-ekf", "estimator.c", navigation_start, n) for n in START_CONSTANTS],
        *[("attitude-ekf", "estimator.c", attitude_start, n) for n in ("MOVING_TILT_RAD", "REST_BIAS_RAD_S")],
        ("mahony", "control.c", cascade, "LIFTS"),
    ],
)
def test_what_is_written_by_hand_stands_on_the_cores_constants(estimator, file, module, name, place, monkeypatch):
    monkeypatch.setattr(module, name, 0.123456)
    plan = plan_for(estimator, "double", place, controls=made_up_controls())
    assert "0.123456" in kit_files(plan, "", ("imu",), [])[file]


def test_late_fixes_need_no_more_memory_than_their_delay():
    assert moments_for(0.1, 0.06) == 256 and moments_for(0.0, 0.0) == 32 and moments_for(2.0, 0.5) == 512
    for delay in (0.05, 0.2, 0.5):
        assert moments_for(delay, 0.02) * 0.0037 > delay + 3 * 0.02


@pytest.mark.parametrize(("value", "wanted"), [(True, "true"), (3, "3"), (0.5, "0.5f"), ([1.0, 2.0], "{ 1.0f, 2.0f }")])
def test_values_become_c(value, wanted):
    assert c_value(value, "single") == wanted


@pytest.mark.skipif(shutil.which("valgrind") is None, reason="nothing here counts instructions")
def test_a_mahony_step_takes_less_than_four_hundred_instructions(flight, place, tmp_path):
    write(tmp_path, plan_for("mahony", "single", place), flight)
    cost = count(tmp_path, "single")
    step = cost.part("estimator_step")
    assert cost.counted and 100 < step.instructions < 400
    assert 0.2 < step.figures_share < 0.6
    assert 100 < step.stack_bytes < 600
    # Two structs of single figures: nine coefficients, eight figures and a count; the loops' memory.
    assert 4 * 18 < cost.state_bytes < 400 and cost.constant_bytes > 100 and cost.code_bytes > 2000


def test_cycles_follow_the_stated_assumptions():
    part = PartCost("estimator_step", 1000.0, 0.4, None)
    assert part.cycles(True, "single") == pytest.approx(1000 * CYCLES)
    assert part.cycles(False, "single") == pytest.approx(400 * BY_LIBRARY + 600 * CYCLES)
    assert part.cycles(True, "double") == pytest.approx(400 * DOUBLE_BY_LIBRARY + 600 * CYCLES)
    assert part.seconds(100e6, True, "single") == pytest.approx(16e-6)


def test_where_nothing_counts_time_serves(flight, place, tmp_path, monkeypatch):
    write(tmp_path, plan_for("mahony", "single", place), flight)
    monkeypatch.setattr(
        "fusus.firmware.running.cost.shutil.which", lambda name: None if name == "valgrind" else f"/usr/bin/{name}"
    )
    cost = count(tmp_path, "single")
    assert not cost.counted and math.isfinite(cost.part("estimator_step").instructions)
