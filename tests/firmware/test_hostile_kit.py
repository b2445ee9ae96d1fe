"""Kits under figures that nobody should give: their own program of hostile input, which must also see what it is there to see."""

import subprocess

import pytest
from tests.firmware.kits import made_up_controls, made_up_corrections, plan_for
from tests.runs import LONG

from fusus.core.estimation.catalogue import ESTIMATORS
from fusus.firmware.writing.kit import kit_files

STEPS = 300_000 if LONG else 20_000
SEEDS = range(1, 6) if LONG else (1,)


def built(folder, plan, changed=()):
    """Write a kit, with some lines ``changed`` (file, before, after), and build its program as its Makefile does."""
    files = kit_files(plan, "", (), [])
    for name, before, after in changed:
        assert before in files[name], before
        files[name] = files[name].replace(before, after)
    for name, text in files.items():
        (folder / name).write_text(text)
    done = subprocess.run(["make", "test_hostile"], cwd=folder, capture_output=True, text=True, timeout=300)
    assert done.returncode == 0 and "warning" not in done.stderr, done.stderr[-2000:]


def run(folder, seed=1, steps=STEPS):
    return subprocess.run(
        ["./test_hostile", str(steps), str(seed)], cwd=folder, capture_output=True, text=True, timeout=900
    )


KITS = [(i.name, "single") for i in ESTIMATORS] + [
    (n, "double") for n in ("attitude-ekf", "altitude", "navigation-ekf")
]


@pytest.mark.parametrize(("name", "precision"), KITS)
def test_nothing_that_comes_leaves_a_figure_that_is_none(name, precision, place, tmp_path):
    """Under AddressSanitizer and UndefinedBehaviorSanitizer, casts of figures included."""
    controls = made_up_controls(notch=precision == "single")
    built(tmp_path, plan_for(name, precision, place, corrections=made_up_corrections(), controls=controls))
    for seed in SEEDS:
        done = run(tmp_path, seed)
        assert done.returncode == 0 and done.stdout.count(": sound") == 2, done.stdout + done.stderr[-2000:]


@pytest.mark.parametrize(
    ("file", "before", "after"),
    [
        ("control.c", "if (!(fabsf(gyro) <= LOOP_MOST_RAD_S)) {", "if (false) {"),
        ("control.c", "cascade_begin_anew(s->loops); /* what", "/* what"),
        ("control.c", "if (s->is_armed) {\n        return 0;", "if (false) {\n        return 0;"),
        ("control.c", "return fabsf(w * w", "return true || fabsf(w * w"),
        ("control.c", "        s->is_armed = false;\n        s->is_stopped = true;", "        s->is_stopped = true;"),
        ("control.c", "if (s->is_stopped) {\n        refused |=", "if (false) {\n        refused |="),
        ("control.c", "if (!(dt >= LOOP_LEAST_S)) {", "if (dt < LOOP_LEAST_S - 1e9f) {"),
        ("estimator.c", "const Start sound = start_made_sound(given);", "const Start sound = *given;"),
        ("sensors.c", "if (!filter_is_force(", "if (false && !filter_is_force("),
    ],
)
def test_the_program_sees_a_guard_that_is_missing(file, before, after, place, tmp_path):
    plan = plan_for("attitude-ekf", "single", place, corrections=made_up_corrections())
    built(tmp_path, plan, [(file, before, after)])
    assert run(tmp_path).returncode != 0
