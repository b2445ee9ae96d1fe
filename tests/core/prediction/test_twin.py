"""The compiled recursion is its plain twin."""

import numpy as np
import pytest
from tests.core.prediction import twin

from fusus.core.mission.mission import Mission
from fusus.core.mission.trajectory import lay_out
from fusus.core.prediction.predict import Recursion


def columns(p):
    """Return the kernel's output columns of covariances (N, 16, 16)."""
    diagonal = np.stack([p[:, i, i] for i in range(9)], axis=1)
    return np.hstack([diagonal, p[:, 0, 1][:, None], p[:, 6, 7][:, None]])


@pytest.mark.parametrize(
    ("names", "course_heading"),
    [
        ({}, False),
        ({"ranger": "Reed 1"}, False),
        ({"mag": None}, True),
        ({"receiver": None}, False),
        ({"baro": None}, False),
    ],
)
def test_kernel_is_its_plain_twin(suite, site, names, course_heading):
    trajectory = lay_out(Mission(hover_s=6.0, weather_pa=30.0), site)
    found = Recursion(suite(**names), trajectory, course_heading)
    claimed, true = twin.recursion(suite(**names), trajectory, course_heading)
    # Rounding differs: one subtracts what the other multiplies. Covariances may nearly cancel, variances do not.
    for mine, plain in ((found.claimed, columns(claimed)), (found.true, columns(true))):
        assert np.allclose(mine[:, :9], plain[:, :9], rtol=1e-6, atol=0.0)
        for column, i, j in ((9, 0, 1), (10, 6, 7)):
            size = np.sqrt(plain[:, i] * plain[:, j])
            assert np.allclose(mine[:, column] / size, plain[:, column] / size, rtol=0.0, atol=1e-6)
