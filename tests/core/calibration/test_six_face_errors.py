"""Offset, scale and cross-axis terms lie where they are claimed, however square the faces lay; poses by a generator of its own."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from fusus.core.calibration.six_face import six_face

G = 9.81
# Up of each face in sensor axes; the reading at rest points up.
UPS = np.array([[0, 0, -1], [0, 0, 1], [1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0]], dtype=float)


def capture(rng, matrix, offset, square_deg, noise):
    """Six faces of four seconds each, turned by hand in between."""
    rate, rest, move = 100.0, 400, 120
    rows, gyro = [], []
    for i, up in enumerate(UPS):
        lean = Rotation.from_rotvec(np.radians(square_deg) * rng.standard_normal(3))
        force = G * lean.apply(up)
        if i:
            last = rows[-1][-1]
            share = np.linspace(0, 1, move)[:, None]
            between = last + share * (force - last)
            rows.append(between / np.maximum(np.linalg.norm(between, axis=1, keepdims=True), 0.1) * G)
            gyro.append(np.full((move, 3), 1.5))
        rows.append(np.tile(force, (rest, 1)))
        gyro.append(np.zeros((rest, 3)))
    force, w = np.concatenate(rows), np.concatenate(gyro)
    acc = force @ matrix.T + offset + noise * rng.standard_normal(force.shape)
    return np.arange(len(acc)) / rate, w + 0.002 * rng.standard_normal(w.shape), acc


@pytest.mark.parametrize("square_deg", [0.05, 0.2, 0.5, 1.0])
def test_cross_axis_terms_cover_for_square_boards_too(square_deg):
    """60 captures: before, half a degree was assumed, and a square board's terms were claimed ten times too widely."""
    cross, rest = [], []
    for seed in range(60):
        rng = np.random.default_rng([seed, int(100 * square_deg)])
        matrix = np.eye(3) + 0.01 * rng.standard_normal((3, 3))
        offset = 0.2 * rng.standard_normal(3)
        t, w, acc = capture(rng, matrix, offset, square_deg, 0.02)
        found = six_face(t, w, acc, G)
        p, s = found.parameters, found.standard_errors
        z = (np.array(p["matrix"]) - matrix) / np.array(s["matrix"])
        cross.append(z[~np.eye(3, dtype=bool)])
        rest.append(np.concatenate([np.diag(z), (np.array(p["offset_m_s2"]) - offset) / np.array(s["offset_m_s2"])]))
    cross, rest = np.abs(np.array(cross)), np.abs(np.array(rest))
    assert 0.60 <= (cross < 1).mean() <= 0.90 and 0.90 <= (cross < 2).mean() <= 0.995, (
        (cross < 1).mean(),
        (cross < 2).mean(),
    )
    assert (rest < 1).mean() >= 0.62 and (rest < 2).mean() >= 0.92, ((rest < 1).mean(), (rest < 2).mean())
