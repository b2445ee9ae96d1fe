"""What the loops say of gains, thrust and figures entered: present where it holds, absent where it does not."""

import json
import math

import pytest
from tests.cli.command import fusus

from fusus.core.control.elements import Controller, Delay, LowPass, Plant, open_loop
from fusus.core.control.margins import margins
from fusus.core.control.relief import relief
from fusus.core.vehicle.airframe import Airframe, inertia
from fusus.project import store
from fusus.project.records import Brief, Craft, Loops, Project
from fusus.study.brief.brief import body_of
from fusus.study.loops.axes import study_loops
from fusus.study.loops.findings import findings

REST = (Plant("roll", 2.0, 0.02, 0.05), LowPass("gyro", 90.0, 2), Delay("time", 0.004))


@pytest.mark.parametrize(
    ("gains", "lowered"),
    [
        ((0.10, 0.3, 0.050), "D"), ((0.12, 0.2, 0.07), "D"), ((0.05, 0.0, 0.06), "D"),
        ((0.10, 2.0, 0.008), "I"), ((0.05, 1.0, 0.004), "I"), ((0.2, 4.0, 0.012), "I"),
        ((1.10, 0.5, 0.012), "P"), ((0.40, 0.0, 0.000), "P"), ((0.30, 0.1, 0.001), "P"),
    ],
)  # fmt: skip
def test_the_gain_that_takes_the_margin_is_named(gains, lowered):
    """Loops that swing by one gain, by construction; what is advised is then done, and holds by the margins of the books."""
    controller = Controller("roll", *gains, 80.0)
    assert not margins(lambda w: open_loop((controller, *REST), w)).is_sound
    found = relief(controller, REST)
    assert found is not None and found.gains == lowered
    kp, ki, kd = (g * (found.share if n in found.gains else 1.0) for n, g in zip("PID", gains, strict=True))
    after = margins(lambda w: open_loop((Controller("roll", kp, ki, kd, 80.0), *REST), w))
    assert after.is_sound and after.phase_rad >= math.radians(40) and after.gain_db >= 6 and after.modulus >= 0.5


def test_where_no_gain_helps_none_is_advised():
    assert relief(Controller("roll", 0.0, 0.0, 0.0, 80.0), REST) is None


@pytest.mark.parametrize("entered", [(None, None, None), (0.02, None, None), (None, 0.03, 0.04), (0.01, 0.02, 0.03)])
def test_each_inertia_that_was_entered_counts(entered):
    bare = inertia(Airframe("X-quad", 1.35, 0.21))
    found = inertia(Airframe("X-quad", 1.35, 0.21, inertia_kg_m2=entered))
    assert found == tuple(b if e is None else e for e, b in zip(entered, bare, strict=True))
    names = dict(zip(("inertia_x_kg_m2", "inertia_y_kg_m2", "inertia_z_kg_m2"), entered, strict=True))
    craft = Craft(mass_kg=1.35, arm_m=0.21, **names)
    _, _, reason = body_of(Project(name="p", brief=Brief(craft=craft)))[0]
    assert ("as entered" in reason) is any(e is not None for e in entered)
    assert all((axis in reason) is (e is None) for axis, e in zip(("roll", "pitch", "yaw"), entered, strict=True))


@pytest.mark.parametrize(("thrust", "said"), [(2.0, "carries 82%"), (2.4, "carries 98%"), (2.6, "hovers at 94%")])
def test_a_craft_that_cannot_lift_hovers_at_no_share(thrust, said):
    """Weight 9.8 N of four motors of so much thrust each."""
    found = findings(study_loops(Project(name="p", brief=Brief(craft=Craft(motor_thrust_n=thrust)))))
    told = next(f for f in found if "thrust-to-weight" in f.statement)
    assert said in told.statement and (told.subject == "It does not lift off") is (thrust < 9.8 / 4)


@pytest.mark.parametrize(
    ("settings", "word"),
    [
        (["loops.notch_hz=300"], "245 Hz"), (["loops.notch_hz=5"], "lets nothing through"), (["loops.roll=[-1,0,0]"], "roll"),
        (["brief.craft.inertia_z_kg_m2=1e-12"], "inertia"), (["brief.craft.capacity_as=1e-9"], "capacity"),
        (["brief.craft.layout=other", 'brief.craft.motors=[{"forward_m":0.1,"right_m":0.1,"is_clockwise":true},'
          '{"forward_m":-0.1,"right_m":-0.1,"is_clockwise":false}]'], "Independent axes"),
    ],
)  # fmt: skip
def test_what_the_loops_cannot_be_worked_out_for_is_not_set(tmp_path, settings, word):
    store.save(tmp_path, Project(name="p", loops=Loops()))
    before = (tmp_path / "project.json").read_bytes()
    out = fusus("brief", "--project", str(tmp_path), *(w for s in settings for w in ("--set", s)), "--json")
    assert out.returncode == 2 and word.lower() in json.dumps(json.loads(out.stdout or out.stderr)).lower()
    assert (tmp_path / "project.json").read_bytes() == before


def test_a_higher_loop_rate_and_its_notch_go_together(tmp_path):
    """Two settings of one command are judged together."""
    store.save(tmp_path, Project(name="p", loops=Loops()))
    out = fusus("brief", "--project", str(tmp_path), "--set", "loops.notch_hz=300", "--set", "loops.rate_hz=1000")
    assert out.returncode == 0 and store.load(tmp_path).loops.notch_hz == 300
