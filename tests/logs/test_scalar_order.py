"""Numbered quaternions: where the scalar stands is shown by gyro and gravity, or asked. Attitudes by scipy's rotations."""

import json

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from fusus.logs.importer import ImportRequest, import_recording
from fusus.logs.mapping import Mapping
from fusus.logs.plan import make_plan
from fusus.logs.recording import load_stream
from fusus.project import store
from fusus.project.records import Project

RATE_HZ, SECONDS = 100, 30


def motion(seed, moves=True):
    """Return times, rates, specific forces and attitudes (scipy's order: scalar last), axes forward-right-down, earth NED."""
    rng, n = np.random.default_rng(seed), RATE_HZ * SECONDS
    t = np.arange(n) / RATE_HZ
    rates = np.zeros((n, 3))
    if moves:
        for axis in range(3):
            for hz in (0.11, 0.29, 0.47):
                rates[:, axis] += rng.uniform(0.2, 0.7) * np.sin(2 * np.pi * hz * t + rng.uniform(0, 6))
    attitude, attitudes = Rotation.from_euler("zyx", [rng.uniform(-3, 3), 0.02, 0.03]), []
    for rate in rates:
        attitudes.append(attitude)
        attitude = attitude * Rotation.from_rotvec(rate / RATE_HZ)
    turned = Rotation.concatenate(attitudes)
    forces = turned.inv().apply(np.tile([0.0, 0.0, -9.81], (n, 1)))
    return t, rates + rng.normal(0, 0.002, (n, 3)), forces + rng.normal(0, 0.03, (n, 3)), turned.as_quat()


def written(path, seed, first_number, is_last, moves=True):
    """Write a log whose quaternion is numbered from ``first_number``; return the attitudes, scalar last."""
    t, rates, forces, q = motion(seed, moves)
    names = [f"q{first_number + i}" for i in range(4)]
    head = ["time_s", *(f"gyro_{a}_rad_s" for a in "xyz"), *(f"acc_{a}_m_s2" for a in "xyz"), *names]
    values = q if is_last else np.roll(q, 1, axis=1)
    np.savetxt(path, np.column_stack([t, rates, forces, values]), delimiter=",", header=",".join(head), comments="")
    return q


def plan_of(path, given=None):
    return make_plan([path], {path}, given, "flight", None, 0.0)


def order_of(plan):
    return [c.target[-1] for c in plan.tables[0].mapping.columns if c.target and ".q_" in c.target]


@pytest.mark.parametrize("seed", [1, 2, 3])
@pytest.mark.parametrize("first_number", [0, 1])
@pytest.mark.parametrize("is_last", [False, True])
def test_motion_shows_where_the_scalar_stands(tmp_path, seed, first_number, is_last):
    path = tmp_path / "log.csv"
    written(path, seed, first_number, is_last)
    plan = plan_of(path)
    assert order_of(plan) == (list("xyzw") if is_last else list("wxyz")) and not plan.questions
    said = [c for c in plan.conclusions if "scalar" in c.conclusion]
    assert [c.certainty for c in said] == ["shown"] and ("last" in said[0].conclusion) == is_last


def test_the_attitude_arrives_as_it_was(tmp_path):
    folder, path = tmp_path / "Heron", tmp_path / "log.csv"
    store.create(folder, Project(name="Heron"))
    q = written(path, 5, 1, True)
    import_recording(ImportRequest((path,), folder, "hop"))
    found = load_stream(folder, "hop", "reference")
    mine = np.stack([found.frame[f"q_{a}"].to_numpy() for a in "xyzw"], axis=1)
    off = (Rotation.from_quat(mine).inv() * Rotation.from_quat(q)).magnitude()
    assert np.degrees(off).max() < 0.01


@pytest.mark.parametrize("is_last", [False, True])
def test_where_nothing_shows_it_one_based_numbers_are_asked_and_the_answer_settles_it(tmp_path, is_last):
    """Without gyro and accelerometer nothing tells the orders apart."""
    path = tmp_path / "log.csv"
    t, _, _, q = motion(7)
    values = q if is_last else np.roll(q, 1, axis=1)
    np.savetxt(path, np.column_stack([t, values]), delimiter=",", header="time_s,q1,q2,q3,q4", comments="")
    (question,) = plan_of(path).questions
    assert [c.value for c in question.candidates] == ["first", "last"]
    settled = plan_of(path, Mapping.model_validate(json.loads(question.mapping)))
    assert not settled.questions and order_of(settled) == list("xyzw")


def test_numbers_from_nought_count_from_the_scalar_where_nothing_contradicts(tmp_path):
    path = tmp_path / "log.csv"
    t, _, _, q = motion(8)
    np.savetxt(
        path, np.column_stack([t, np.roll(q, 1, axis=1)]), delimiter=",", header="time_s,q0,q1,q2,q3", comments=""
    )
    plan = plan_of(path)
    assert order_of(plan) == list("wxyz") and not plan.questions
    assert [c.certainty for c in plan.conclusions if "scalar" in c.conclusion] == ["likely"]


@pytest.mark.parametrize(
    ("size", "asked"), [(981.0, True), (975.0, True), (1000.0, False), (1004.0, False), (9.81, False), (1.0, False)]
)
def test_gravity_in_cm_s2_is_not_taken_for_mg(tmp_path, size, asked):
    path = tmp_path / "log.csv"
    t, rates, forces, _ = motion(9)
    np.savetxt(path, np.column_stack([t, rates, forces * (size / 9.81)]), delimiter=",", comments="",
               header="time_s,gyro_x_rad_s,gyro_y_rad_s,gyro_z_rad_s,ax,ay,az")  # fmt: skip
    questions = [q for q in plan_of(path).questions if q.column == "ax"]
    assert bool(questions) == asked
    if asked:
        assert {c.value for c in questions[0].candidates} == {"mg", "cm/s²"}
        settled = plan_of(path, Mapping.model_validate(json.loads(questions[0].mapping)))
        assert not settled.questions
        assert {c.unit for c in settled.tables[0].mapping.columns if c.target and "acc" in c.target} == {"cm/s²"}
