"""Code of the maker's own: common slips are found, and what crashes, hangs or gives no numbers is told and hurts nobody."""

import math
import time

import numpy as np
import pytest
from tests.runs import seeds

from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.core.estimation.replay import run_estimator
from fusus.core.frames import quaternion
from fusus.errors import CompilerError, SandboxError
from fusus.firmware.own.examine import build_own, run_own
from fusus.firmware.own.explanation import GOOD, explain
from fusus.firmware.own.implementation_errors import errors_for
from fusus.firmware.own.motion import RESTS_S, proving_motion
from fusus.firmware.own.score import rms_angle, score
from fusus.firmware.running import programs
from fusus.firmware.running.compiler import LENIENT, build, complaint, find_compiler
from fusus.firmware.running.sandbox import Limits, run_limited

# Two filters as makers write them; what is in capitals is replaced by a slip or by what is right.
MAHONY = """
#include "own_estimator.h"
#include <math.h>
static double q[4], bias[3], dec, held, gain, before[4], last[3];
void own_init(const own_start *s)
{
    for (int i = 0; i < 4; i++) { q[i] = s->attitude[i]; before[i] = q[i]; }
    for (int i = 0; i < 3; i++) { bias[i] = BIAS; last[i] = bias[i]; }
    dec = s->declination_rad; held = 0; gain = GAIN;
}
void own_step(const own_sample *s, own_estimate *e)
{
    const double dt = DT, w = q[0], x = q[1], y = q[2], z = q[3];
    const double d[3] = { 2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y) };
    const double a[3] = { ACC };
    const double n = sqrt(a[0] * a[0] + a[1] * a[1] + a[2] * a[2]);
    double off[3] = { 0, 0, 0 }, g[3] = { GYRO };
    if (n > 8.8 && n < 10.8) {
        const double m[3] = { -a[0] / n, -a[1] / n, -a[2] / n };
        off[0] = m[1] * d[2] - m[2] * d[1]; off[1] = m[2] * d[0] - m[0] * d[2]; off[2] = m[0] * d[1] - m[1] * d[0];
    }
    if (!isnan(s->mag_ut[0])) {
        const double *v = s->mag_ut;
        const double tx = 2 * (y * v[2] - z * v[1]), ty = 2 * (z * v[0] - x * v[2]), tz = 2 * (x * v[1] - y * v[0]);
        const double north = v[0] + w * tx + y * tz - z * ty, east = v[1] + w * ty + z * tx - x * tz;
        held = sin(DECLINATION - atan2(east, north));
    }
    double r[3];
    for (int i = 0; i < 3; i++) {
        const double c = off[i] + held * d[i];
        bias[i] -= LEARN * dt * c;
        r[i] = (USED - bias[i] + gain * c) * dt;
        last[i] = g[i];
    }
    const double p[4] = { w - HALF * (x * r[0] + y * r[1] + z * r[2]), x + HALF * (w * r[0] + y * r[2] - z * r[1]),
        y + HALF * (w * r[1] - x * r[2] + z * r[0]), z + HALF * (w * r[2] + x * r[1] - y * r[0]) };
    const double size = sqrt(p[0] * p[0] + p[1] * p[1] + p[2] * p[2] + p[3] * p[3]);
    for (int i = 0; i < 4; i++) { before[i] = q[i]; q[i] = p[i] / size; }
    GIVE
}
"""
RIGHT = {
    "BIAS": "s->gyro_bias_rad_s[i]", "GAIN": "0.5", "DT": "s->interval_s", "LEARN": "0.01", "HALF": "0.5", "USED": "g[i]",
    "ACC": "s->acc_m_s2[0], s->acc_m_s2[1], s->acc_m_s2[2]", "GYRO": "s->gyro_rad_s[0], s->gyro_rad_s[1], s->gyro_rad_s[2]",
    "DECLINATION": "dec", "GIVE": "for (int i = 0; i < 4; i++) e->attitude[i] = q[i];",
}  # fmt: skip
IMPLEMENTATION_ERRORS = {
    "gyro y sign": {"GYRO": "s->gyro_rad_s[0], -s->gyro_rad_s[1], s->gyro_rad_s[2]"},
    "1 late": {"GIVE": "for (int i = 0; i < 4; i++) e->attitude[i] = before[i];"},
    "degrees as radians": {
        "GYRO": "57.29578 * s->gyro_rad_s[0], 57.29578 * s->gyro_rad_s[1], 57.29578 * s->gyro_rad_s[2]"
    },
    "dt fixed at 1 ms": {"DT": "0.001"},
    "bias not subtracted": {"BIAS": "0", "LEARN": "0"},
}
FURTHER = {
    "converted twice": {"GYRO": "s->gyro_rad_s[0] / 57.3, s->gyro_rad_s[1] / 57.3, s->gyro_rad_s[2] / 57.3"},
    "half angle": {"HALF": "1.0"},
    "half angle twice": {"HALF": "0.25"},
    "gyro xy swapped": {"GYRO": "s->gyro_rad_s[1], s->gyro_rad_s[0], s->gyro_rad_s[2]"},
    "acc signs": {"ACC": "-s->acc_m_s2[0], -s->acc_m_s2[1], -s->acc_m_s2[2]"},
    "bias added": {"BIAS": "-s->gyro_bias_rad_s[i]", "LEARN": "0"},
    "inverse": {"GIVE": "e->attitude[0] = q[0]; for (int i = 1; i < 4; i++) e->attitude[i] = -q[i];"},
    "order": {"GIVE": "for (int i = 0; i < 4; i++) e->attitude[(i + 3) % 4] = q[i];"},
    "magnetic north": {"DECLINATION": "0"},
    "declination sign": {"DECLINATION": "(-dec)"},
    "dt fixed at 10 ms": {"DT": "0.01"},
}


def code(**changes):
    text = MAHONY
    for word, right in (RIGHT | changes).items():
        text = text.replace(word, right)
    return text


@pytest.fixture
def made(tmp_path):
    """Return what builds a source and gives its program."""

    def make(text, name="own.c"):
        sources, space = (
            tmp_path / f"sources{len(list(tmp_path.iterdir()))}",
            tmp_path / f"space{len(list(tmp_path.iterdir()))}",
        )
        sources.mkdir()
        space.mkdir()
        (sources / name).write_text(text)
        return build_own(sources, space).program

    return make


@pytest.fixture(scope="module")
def proving(place):
    return proving_motion(1, place)


@pytest.mark.slow
@pytest.mark.parametrize("wrong", IMPLEMENTATION_ERRORS)
def test_each_seeded_slip_is_found(wrong, made, place):
    """In at least nine of ten tries, each with its own motion, gains and gyro bias."""
    found = []
    for seed in seeds(20):
        gain = np.random.default_rng(seed).uniform(0.2, 1.5)
        explained = explain(
            made(code(GAIN=f"{gain:.3f}", **IMPLEMENTATION_ERRORS[wrong])), proving_motion(seed, place), place
        )
        found.append(explained.errors_found[0][0].name if explained.errors_found else "none")
    assert found.count(wrong) >= 0.9 * len(found), found


def test_without_a_slip_none_is_named(made, place):
    for seed in seeds(6):
        gain = np.random.default_rng(seed).uniform(0.2, 1.5)
        explained = explain(made(code(GAIN=f"{gain:.3f}")), proving_motion(seed, place), place)
        assert explained.is_good and not explained.errors_found, (seed, explained.before)


@pytest.mark.parametrize("wrong", FURTHER)
def test_further_slips_are_found(wrong, made, place, proving):
    explained = explain(made(code(**FURTHER[wrong])), proving, place)
    assert explained.errors_found, explained.before
    assert explained.errors_found[0][0].name == wrong, [(s.name, left.total) for s, left in explained.errors_found]
    assert explained.errors_found[0][1].total < 0.5 * explained.before.total


def test_two_slips_at_once_are_told_one_after_the_other(made, place, proving):
    text = code(
        GYRO="s->gyro_rad_s[0], -s->gyro_rad_s[1], s->gyro_rad_s[2]", GIVE=IMPLEMENTATION_ERRORS["1 late"]["GIVE"]
    )
    explained = explain(made(text), proving, place)
    assert {s.name for s, _ in explained.errors_found} == {"gyro y sign", "1 late"}
    assert explained.errors_found[-1][1].total <= GOOD


def test_what_is_no_common_slip_is_not_given_a_name(made, place, proving):
    text = code(GYRO="0.3 * s->gyro_rad_s[2] + 1.0, sin(7 * s->time_s), s->gyro_rad_s[0] * s->gyro_rad_s[1]")
    explained = explain(made(text), proving, place)
    assert not explained.is_good
    assert not explained.errors_found or explained.errors_found[-1][1].total > GOOD


@pytest.mark.parametrize("name", [i.name for i in ESTIMATORS])
def test_all_of_fusus_own_filters_follow_the_proving_motion(name, place, proving):
    info = next(i for i in ESTIMATORS if i.name == name)
    q = run_estimator(name, info.parameters(), proving.given, place).outputs.q_nb
    counts = proving.given.t_s > 1.0
    assert score(proving.q_nb[counts], q[counts], proving.given.samples.dt_s[counts]).total < GOOD


def test_the_proving_motion_is_what_it_says(place, proving):
    """Integrated exactly, rates less bias give the attitudes; at rest nothing turns; its interval is no usual one."""
    g = proving.given
    turns = quaternion.from_rotation_vector((g.samples.gyro_b - proving.start.gyro_bias_b) * g.samples.dt_s[:, None])
    q = proving.q_nb[0]
    for i in range(1, 2000):
        q = quaternion.multiply(q, turns[i])
    assert rms_angle(proving.q_nb[1999:2000], q[None]) < 1e-9
    resting = g.t_s < RESTS_S
    assert np.ptp(proving.q_nb[resting], axis=0).max() < 1e-12
    down = quaternion.rotate(proving.q_nb, g.samples.acc_b)
    assert down == pytest.approx(np.tile([0, 0, -place.gravity_m_s2], (len(down), 1)), abs=1e-9)
    assert np.ptp(g.samples.dt_s) > 0.3 * np.median(g.samples.dt_s)


def test_every_slip_says_what_to_do(place, proving):
    errors_found = errors_for(proving.given, place)
    assert len({s.name for s in errors_found}) == len(errors_found) > 40
    for s in errors_found:
        assert s.agrees[0].islower() and s.mend[0].isupper() and s.mend.endswith(".")
        assert bool(s.given) != (s.read is not None)


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("if (s->time_s > 5) *(volatile int *)0 = 1;", "segmentation fault"),
        ("volatile int none = 0; if (s->time_s > 5) none = 7 / none;", "divided by zero"),
        ("if (s->time_s > 5) __builtin_trap();", "crashed"),
        ("extern void abort(void); if (s->time_s > 5) abort();", "aborted itself"),
        ("extern void exit(int); if (s->time_s > 5) exit(7);", "ended with status 7"),
    ],
)
def test_a_crash_is_told_with_its_sample(line, words, made, place, proving):
    text = code().replace("const double dt", line + "\n    const double dt")
    run = run_own(made(text), proving.given, proving.start, place)
    assert not run.is_whole and words in run.words(proving.given.t_s)
    assert len(run.estimates) < run.samples
    explained = explain(made(text), proving, place)
    assert not explained.is_good and not explained.errors_found and math.isinf(explained.before.total)


def test_what_gives_no_numbers_is_told_from_where(made, place, proving):
    text = code(GIVE="for (int i = 0; i < 4; i++) e->attitude[i] = s->time_s > 8 ? 0.0 / (q[i] - q[i]) : q[i];")
    run = run_own(made(text), proving.given, proving.start, place)
    at = int(np.argmax(proving.given.t_s > 8))
    assert run.bad_from == at and f"sample {at}" in run.words(proving.given.t_s)
    silent = run_own(made(code(GIVE="")), proving.given, proving.start, place)
    assert silent.bad_from == 0


def test_a_quaternion_that_is_too_long_is_measured(made, place, proving):
    run = run_own(
        made(code(GIVE="for (int i = 0; i < 4; i++) e->attitude[i] = 2.5 * q[i];")), proving.given, proving.start, place
    )
    assert run.is_whole and run.length == pytest.approx(2.5)


def test_an_endless_loop_ends(made, place, proving, monkeypatch):
    monkeypatch.setattr(programs, "LEAST_S", 1.0)
    monkeypatch.setattr(programs, "SHARE", 0.0)
    text = code().replace("const double dt", "while (s->time_s > 5) { }\n    const double dt")
    began = time.monotonic()
    run = run_own(made(text), proving.given, proving.start, place)
    assert time.monotonic() - began < 5.0
    assert run.ended.timed_out and "does not come to an end" in run.words(proving.given.t_s)


def test_memory_and_files_are_limited(tmp_path):
    (tmp_path / "much.c").write_text(
        "#include <stdlib.h>\n#include <string.h>\nint main(void) { char *m = malloc(3000000000u);"
        " if (m == NULL) { return 9; } memset(m, 1, 3000000000u); return 0; }\n"
    )
    built = build(tmp_path, ["much.c"], "much", LENIENT)
    ended = run_limited([str(built.program)], tmp_path, Limits(10.0, 1 << 28))
    assert ended.status == 9, ended.words


def test_the_users_environment_stays_outside(tmp_path, monkeypatch):
    monkeypatch.setenv("SECRET", "word")
    ended = run_limited(["/bin/sh", "-c", "echo [$SECRET] $HOME; pwd; cat"], tmp_path, Limits(10.0, 1 << 28))
    assert ended.is_good and ended.out.splitlines() == [f"[] {tmp_path}", str(tmp_path)]


def test_what_a_program_starts_is_stopped_with_it(tmp_path):
    ended = run_limited(
        ["/bin/sh", "-c", "(sleep 30; echo late > late.txt) & sleep 30"], tmp_path, Limits(0.5, 1 << 28)
    )
    assert ended.timed_out and ended.seconds < 5.0
    time.sleep(0.2)
    assert not (tmp_path / "late.txt").exists()


@pytest.mark.parametrize(
    ("text", "file", "line", "words"),
    [
        ("int own_init(void) { return }\n", "own.c", 1, "expected expression"),
        ('#include "own_estimator.h"\n#include "nowhere.h"\n', "own.c", 2, "nowhere.h"),
        ('#include "own_estimator.h"\nvoid own_init(const own_start *s) { s->nothing = 1; }\n', "own.c", 2, "nothing"),
    ],
)
def test_sources_that_do_not_compile_are_refused_with_their_place(text, file, line, words, made):
    with pytest.raises(CompilerError, match=words) as error:
        made(text)
    assert (error.value.file, error.value.line) == (file, line)
    assert f"{file}, line {line}" in str(error.value)


def test_a_missing_function_is_named(made):
    with pytest.raises(CompilerError, match=r"own_init\(\)|own_step\(\)"):
        made("int nothing;\n")
    twice = complaint(
        "/usr/bin/ld: b.o: in function `own_step': multiple definition of `own_step'; a.o: first defined here"
    )
    assert "own_step is defined twice" in str(twice)
    assert "The compiler gave up" in str(complaint("something odd"))


def test_without_a_compiler_the_way_out_is_told(monkeypatch, tmp_path):
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("CC", raising=False)
    with pytest.raises(CompilerError, match="Install one"):
        find_compiler()


def test_an_empty_folder_and_a_wrong_path_are_refused(tmp_path):
    (tmp_path / "empty").mkdir()
    with pytest.raises(SandboxError, match="no C sources"):
        build_own(tmp_path / "empty", tmp_path)
    with pytest.raises(SandboxError, match="neither a folder"):
        build_own(tmp_path / "nowhere", tmp_path)


def test_a_shared_library_is_linked(tmp_path, place, proving):
    (tmp_path / "own_estimator.h").write_text(programs.template("own_estimator.h"))
    (tmp_path / "own.c").write_text(code())
    build(tmp_path, ["own.c"], "libown.so", (*LENIENT, "-shared", "-fPIC"))
    space = tmp_path / "space"
    space.mkdir()
    program = build_own(tmp_path / "libown.so", space).program
    assert explain(program, proving, place).is_good
