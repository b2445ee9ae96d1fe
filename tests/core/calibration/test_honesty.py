"""The stand-in's hidden truth comes back within the claimed errors, and those are neither too good nor too modest."""

import numpy as np
import pytest
from tests.bench import SITE, board, imu, suite, true_acc, xyz
from tests.runs import LONG, seeds

from fusus.core.calibration.gyro_bias import gyro_bias
from fusus.core.calibration.magnetometer import magnetometer
from fusus.core.calibration.mounting import mounting
from fusus.core.calibration.poses import FACES
from fusus.core.calibration.regression import SlowNoise
from fusus.core.calibration.six_face import six_face
from fusus.core.calibration.thermal import thermal
from fusus.core.frames import quaternion
from fusus.core.noise import markov_sigma_of_instability
from fusus.core.simulation.board.board import collect
from fusus.core.simulation.board.handling import face_attitude, motions, tumble

SEEDS = 100


def scores(found, truth, sigma) -> np.ndarray:
    return ((np.array(found) - truth) / np.array(sigma)).ravel()


def gyro(seed):
    made = board(seed)
    streams, truth = collect(made, 30.0)
    c = gyro_bias(*imu(streams))
    return scores(c.parameters["gyro_bias_rad_s"], truth["gyro_bias"].mean(axis=0), c.parameters["mean_sigma_rad_s"])


def faces(seed):
    made = board(seed)
    for face in FACES[::-1]:
        made.hands.go_to(face_attitude(face, made.specimen.mounting, made.rng))
        made.hands.rest(4.0)
    streams, truth = collect(made, 32.0)
    floor = markov_sigma_of_instability(suite().acc.instability)
    c = six_face(*imu(streams), SITE.gravity_m_s2, floor_m_s2=floor)
    e = made.specimen.acc
    offset = e.bias + (truth["temperature_degc"].mean() - 25.0) * e.slope
    return np.concatenate(
        [
            scores(c.parameters["offset_m_s2"], offset, c.standard_errors["offset_m_s2"]),
            scores(c.parameters["matrix"], e.matrix, c.standard_errors["matrix"]),
        ]
    )


def ellipsoid(seed):
    made = board(seed, rate_hz=100.0, mag_hz=12.5)
    tumble(made.hands, made.rng, 60.0)
    streams, _ = collect(made, 60.0)
    t, rate, _ = imu(streams)
    mag = streams["mag"]
    c = magnetometer(
        xyz(mag, "mag", "ut"), SITE.field.strength_ut, mag["t_ns"] * 1e-9, t, rate, suite().gyro.misalignment_rad
    )
    s = made.specimen
    return np.concatenate(
        [
            scores(c.parameters["hard_iron_ut"], s.hard_iron_ut, c.standard_errors["hard_iron_ut"]),
            scores(c.parameters["soft_iron"], s.soft_iron, c.standard_errors["soft_iron"]),
        ]
    )


def mount(seed):
    made = board(seed)
    motions(made.hands, made.rng)
    streams, truth = collect(made, 18.5)
    t, rate, acc = imu(streams)
    c = mounting(t, rate, true_acc(made, acc, truth["temperature_degc"].mean()), level_rad=np.radians(0.41))
    off = np.array(c.parameters["rotation"]) @ made.specimen.mounting.T
    return scores(quaternion.to_rotation_vector(quaternion.from_matrix(off)), 0.0, c.standard_errors["fine_rad"])


def soak(seed):
    made = board(seed, rate_hz=20.0, room_degc=2.0)
    made.put(room_degc=24.0)
    streams, _ = collect(made, 420.0)
    g = suite().gyro
    c = thermal(
        *imu(streams), streams["imu"]["temperature_degc"], SlowNoise(g.walk, markov_sigma_of_instability(g.instability))
    )
    return scores(c.parameters["gyro_slope_rad_s_k"], made.specimen.gyro.slope, c.standard_errors["gyro_slope_rad_s_k"])


@pytest.mark.parametrize("fit", [gyro, faces, ellipsoid, mount, soak], ids=lambda f: f.__name__)
def test_truth_lies_within_three_standard_errors_and_they_are_honest(fit):
    z = np.array([fit(seed) for seed in seeds(SEEDS, 25)])
    # A fit of twelve parameters has twelve chances of a stray one: 3 sigma hold for each parameter.
    assert (np.abs(z) < 3.0).mean(axis=0).min() >= 0.95
    # A mean of squares over a quarter of the seeds spreads twice as far.
    spread = 0.2 if LONG else 0.4
    assert 1.0 - spread <= float((z**2).mean()) <= 1.0 + spread
