"""Sensors that part from one another: each rule speaks when it should, names the time, and is silent on a sound recording."""

from dataclasses import replace

import numpy as np
import pytest
from tests.conftest import HOME, short_flight

from fusus.core.frames.quaternion import from_rotation_vector, rotate
from fusus.core.judgement import agreement_findings as agreement
from fusus.core.judgement.finding import Finding, new_among
from fusus.core.simulation.given import given_by


@pytest.fixture(scope="module")
def given(site):
    return given_by(short_flight(site, seed=6)[1], HOME)[0]


def aided(given, name, change):
    rows = getattr(given.aiding, name).copy()
    rows = change(rows)
    return replace(given, aiding=replace(given.aiding, **{name: rows}))


@pytest.mark.parametrize("seed", [6, 7, 8])
def test_a_sound_recording_brings_no_complaint(site, seed):
    assert agreement.of_agreement(given_by(short_flight(site, seed=seed)[1], HOME)[0]) == []


def test_an_empty_or_short_recording_brings_none_either(given):
    bare = replace(
        given, aiding=replace(given.aiding, gnss=np.empty((0, 9)), baro=np.empty((0, 2)), mag=np.empty((0, 5)))
    )
    assert agreement.of_agreement(bare) == []
    few = replace(given, aiding=replace(given.aiding, mag=given.aiding.mag[:60], baro=given.aiding.baro[:60]))
    assert agreement.field_leaps(few) == [] and agreement.barometer_disagrees(few) == []


def test_a_walk_of_the_fixes_shows_against_their_speed(given):
    def walk(g):
        g[:, 2] += 0.5 * np.clip(g[:, 0] - 40, 0, None)
        return g

    (found,) = agreement.receiver_disagrees(aided(given, "gnss", walk))
    assert found.severity == "stop" and found.size > 5.0


def test_across_a_silence_the_way_is_not_known(given):
    assert agreement.receiver_disagrees(aided(given, "gnss", lambda g: g[(g[:, 0] < 40) | (g[:, 0] > 52)])) == []


@pytest.mark.parametrize(("lift", "told"), [(0.3, False), (2.0, True)])
def test_airflow_on_the_barometer_shows_against_the_climb(given, lift, told):
    def blow(b):
        b[(b[:, 0] > 50) & (b[:, 0] < 60), 1] += lift
        return b

    found = agreement.barometer_disagrees(aided(given, "baro", blow))
    assert bool(found) is told
    if told:
        assert found[0].size == pytest.approx(lift, abs=0.5)
        when = float(found[0].statement.split("t = ")[1].split(" s")[0])
        assert min(abs(when - 50), abs(when - 60)) < 4


def test_a_turned_magnetometer_is_named_with_its_angle(given):
    turn = from_rotation_vector(np.array([0.0, 0.0, np.radians(30.0)]))

    def turned(m):
        m[:, 1:4] = rotate(turn, m[:, 1:4])
        return m

    (found,) = agreement.turned_magnetometer(aided(given, "mag", turned))
    assert "30°" in found.statement or "29°" in found.statement or "31°" in found.statement
    assert "about z" in found.statement


@pytest.mark.parametrize("push", [(18.0, 11.0, -5.0), (-25.0, 0.0, 0.0), (0.0, -16.0, 0.0)])
def test_a_field_that_turns_alone_is_told_even_where_its_strength_hardly_changes(given, push):
    def near_steel(m):
        m[(m[:, 0] > 45) & (m[:, 0] < 55), 1:4] += push
        return m

    (found,) = agreement.field_leaps(aided(given, "mag", near_steel))
    when = float(found.statement.split("t = ")[1].split(" s")[0])
    assert min(abs(when - 45), abs(when - 55)) < 1.5


def test_missing_samples_are_no_turn_of_the_field(given):
    """Half a second without gyro, and one without field, while the craft turns: nobody saw how it turned."""
    keep = (given.t_s < 50) | (given.t_s > 50.5)
    s = given.samples
    fewer = replace(
        given, t_s=given.t_s[keep], samples=type(s)(*(np.ascontiguousarray(part[keep]) for part in s)),
        aiding=replace(given.aiding, mag=given.aiding.mag[(given.aiding.mag[:, 0] < 60) | (given.aiding.mag[:, 0] > 61)]),
    )  # fmt: skip
    assert agreement.field_leaps(fewer) == []


def finding(subject, severity="mind", size=None):
    return Finding(subject, severity, "It is.", "So.", "Do.", "fusion", size)


@pytest.mark.parametrize(
    ("before", "now", "is_new"),
    [
        (None, finding("a"), True),
        (None, finding("a", "fine"), False),
        (None, finding("a", "fine", 3.0), True),
        (finding("a"), finding("a"), False),
        (finding("a"), finding("a", "stop"), True),
        (finding("a", size=2.0), finding("a", size=2.5), False),
        (finding("a", size=2.0), finding("a", size=3.0), True),
        (finding("a", "stop"), finding("a", "fine"), False),
    ],
)
def test_what_counts_as_new(before, now, is_new):
    assert bool(new_among((now,), (before,) if before else (), 1.3)) is is_new
