"""The demo's motions are what the demo says they are."""

import numpy as np
import pytest

from fusus.core.frames import quaternion
from fusus.demo import scenarios
from fusus.demo.build import PLACE, demo_project
from fusus.project.store import schema_text

G = 9.8134


@pytest.fixture(scope="module")
def made():
    """The three recordings to make."""
    return {r.name: r for r in scenarios.all_recordings(G)}


def test_the_jig_holds_known_angles(made):
    motion = made["shed-jig"].motion
    yaw, pitch, roll = np.degrees(quaternion.to_euler(motion.q_nb)).T
    at = np.searchsorted(motion.t_s, 9.0 * np.arange(12) + 3.0)
    assert np.allclose(roll[at], [0, 15, -15, 0, 0, 0, 10, 20, 30, -20, 0, 0], atol=1e-6)
    assert np.allclose(pitch[at], [0, 0, 0, 15, -15, 0, 10, -10, 0, 20, -25, 0], atol=1e-6)
    assert np.allclose((yaw[at] - [0, 0, 0, 0, 0, 45, 90, 135, 180, 240, 300, 360] + 180) % 360, 180, atol=1e-6)
    assert np.abs(motion.rate_b[at]).max() < 1e-9 and made["shed-jig"].around.vibration_acc_m_s2 == 0


def test_the_survey_is_five_minutes_at_1_khz_with_an_outage_under_the_bridge(made):
    survey = made["pool-survey"]
    assert survey.rate_hz == 1000.0 and survey.motion.t_s[-1] == pytest.approx(300.0)
    ((start, length),) = survey.around.outages
    assert length == 8.0
    inside = (survey.motion.t_s >= start) & (survey.motion.t_s <= start + length)
    bridge = survey.around.steel[0]
    away = np.hypot(survey.motion.pos_n[:, 0] - bridge.north_m, survey.motion.pos_n[:, 1] - bridge.east_m)
    nearest = survey.motion.t_s[inside][np.argmin(away[inside])]
    assert away[inside].min() < 1.0 and start < nearest < start + length


@pytest.mark.parametrize("name", ["slipway-hover", "pool-survey"])
def test_flights_are_such_as_a_quad_can_fly(made, name):
    motion = made[name].motion
    tilt = np.degrees(np.arccos(np.clip(quaternion.to_matrix(motion.q_nb)[:, 2, 2], -1, 1)))
    assert (
        tilt.max() < 45
        and np.linalg.norm(motion.acc_n, axis=1).max() < 9
        and np.degrees(np.abs(motion.rate_b).max()) < 250
    )
    assert -motion.pos_n[:, 2].min() > -0.05 and np.linalg.norm(motion.vel_n, axis=1).max() < 12
    assert np.abs(motion.pos_n[-1]).max() < 1e-6 and motion.t_s[np.argmax(-motion.pos_n[:, 2] > 0.01)] > 7.0


def test_the_demos_project_says_that_it_is_invented():
    project = demo_project()
    assert "invented" in project.brief.about and project.brief.place == PLACE
    assert {r.key for r in project.brief.requirements} == {
        "tilt",
        "heading",
        "height",
        "position",
        "velocity",
        "outage_8s",
    }
    for path, evidence in project.provenance.items():
        assert path.startswith("fusion.") and ("made up" in evidence.conditions or "invented" in evidence.conditions)
    assert '"title": "Project"' in schema_text()
