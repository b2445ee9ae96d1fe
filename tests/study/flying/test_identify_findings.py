"""What an identified flight says of its loops: each finding from figures that are known, worst first."""

import math
from dataclasses import replace

import numpy as np
import pytest

from fusus.core.control.identification.oscillation import Oscillation
from fusus.core.control.identification.plant import FlownAxis
from fusus.core.control.identification.sample_period import SamplePeriod
from fusus.project.records import Brief, Craft, Project
from fusus.study.flying.identify_findings import identify_findings
from fusus.study.loops.axes import study_loops

STUDY = study_loops(Project(name="Heron", brief=Brief(craft=Craft(mass_kg=1.35, arm_m=0.21))))
EVEN = SamplePeriod(0.002, 5e-6, 2e-5, 0.0021, 0, 0, 0)


def flown(axis, gain=1.0, phase_deg=None, sigma_deg=1.0):
    """Return an axis as it flew: the design's, with another gain or phase."""
    margins = axis.margins if phase_deg is None else replace(axis.margins, phase_rad=math.radians(phase_deg))
    full = gain * axis.plant.gain
    return FlownAxis(
        full,
        0.02 * full,
        0.05,
        0.002,
        0.004,
        0.0005,
        np.array([1.0, 5.0]),
        np.array([2 + 0j, 0.5 + 0j]),
        margins,
        math.radians(sigma_deg),
    )


def all_axes(**changed):
    return {a.name: flown(a, **changed.get(a.name, {})) for a in STUDY.axes}


def subjects(found):
    return [(f.severity, f.subject) for f in found]


def test_a_flight_as_designed_is_fine_throughout():
    found = identify_findings(STUDY, EVEN, all_axes(), ())
    assert {f.severity for f in found} == {"fine"} and len(found) == 4
    assert {f.subject for f in found} == {
        "Loop period is regular",
        *(f"{n} flies as designed" for n in ("Roll", "Pitch", "Yaw")),
    }
    assert "500.0 samples a second" in found[0].statement


@pytest.mark.parametrize(
    ("beat", "says"),
    [
        (SamplePeriod(0.002, 5e-6, 2e-5, 0.0052, 40, 12, 25), "as a rule every 25 samples"),
        (SamplePeriod(0.002, 4e-4, 9e-4, 0.0031, 0, 0, 0), "± 400 µs"),
        (SamplePeriod(0.002, 5e-6, 5e-4, 0.0024, 0, 0, 0), "0 come late"),
    ],
)
def test_an_uneven_beat_is_minded_and_its_rule_named(beat, says):
    found = identify_findings(STUDY, beat, all_axes(), ())
    assert (
        found[0].severity == "mind"
        and found[0].subject == "The loop does not beat evenly"
        and says in found[0].statement
    )
    assert ("telemetry" in found[0].reason) == bool(beat.every)


def test_another_rate_than_the_projects_is_told():
    slow = SamplePeriod(0.0025, 5e-6, 2e-5, 0.0026, 0, 0, 0)
    (even,) = [f for f in identify_findings(STUDY, slow, all_axes(), ()) if "regular" in f.subject]
    assert "400.0 samples" in even.statement and "runs at 500 Hz" in even.statement


def test_little_margin_stops_and_another_plant_is_minded():
    found = identify_findings(STUDY, EVEN, all_axes(roll={"phase_deg": 20.0}, pitch={"gain": 1.6}), ())
    assert subjects(found)[0] == ("stop", "Roll: little margin in flight") and "20° ± 1.0°" in found[0].statement
    assert ("mind", "Pitch flies otherwise than designed") in subjects(found) and "1.60 times the design" in found[
        1
    ].reason
    assert ("fine", "Yaw flies as designed") in subjects(found)


def test_a_phase_within_its_error_is_as_designed():
    yaw = STUDY.axes[2]
    off = math.degrees(yaw.margins.phase_rad) - 20.0
    sure = identify_findings(STUDY, EVEN, all_axes(yaw={"phase_deg": off, "sigma_deg": 1.0}), ())
    unsure = identify_findings(STUDY, EVEN, all_axes(yaw={"phase_deg": off, "sigma_deg": 12.0}), ())
    assert any("Yaw flies otherwise" in f.subject for f in sure) and any(
        "Yaw flies as designed" in f.subject for f in unsure
    )


def test_a_swing_names_axis_frequency_cause_and_step_and_hides_margins_that_mean_nothing():
    swing = Oscillation("roll", 8.2, 0.5, 1.2, "P is too large", "Lower P of roll by a third.", True)
    found = identify_findings(STUDY, EVEN, all_axes(roll={"phase_deg": 5.0}), (swing,))
    assert found[0].subject == "Roll swings at 8.2 Hz" and found[0].severity == "stop"
    assert "68.8 °/s RMS at 8.2 ± 0.5 Hz" in found[0].statement and found[0].next_step == "Lower P of roll by a third."
    assert not any("margin" in f.subject or "designed" in f.subject for f in found), (
        "beyond the range of straight lines"
    )
    gentle = replace(swing, rms_rad_s=0.2)
    assert any(
        "little margin" in f.subject
        for f in identify_findings(STUDY, EVEN, all_axes(roll={"phase_deg": 5.0}), (gentle,))
    )


def test_what_is_no_loop_shakes_and_does_not_stop():
    rotor = Oscillation("yaw", 67.0, 0.5, 0.9, "rotors", "Set the notch there.", False)
    found = identify_findings(STUDY, EVEN, all_axes(), (rotor,))
    assert subjects(found)[0] == ("mind", "Yaw shakes at 67.0 Hz") and any("designed" in f.subject for f in found)


def test_a_calm_flight_asks_to_be_shaken():
    none = {a.name: None for a in STUDY.axes}
    found = identify_findings(STUDY, EVEN, none, ())
    assert ("mind", "The loops are not shaken enough") in subjects(found) and "sweep" in found[0].next_step
