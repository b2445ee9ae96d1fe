"""Two sequences of steps by which practitioners tune a rate loop, played on a model: what each step does, and what can be observed."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from fusus.core.arrays import Array
from fusus.core.control.customs import LADDERS
from fusus.core.control.design import Ultimate
from fusus.core.control.elements import ComplexArray, Controller, Element, LowPass, Notch, open_loop
from fusus.core.control.margins import Margins, margins
from fusus.core.control.relay import Relay
from fusus.core.control.step import Step, StepFigures, step_figures

# What counts as wild, and how far one backs off from it: common practice.
WILD_MODULUS, BACK_OFF = 0.4, 0.6
# So much of the command's range for noise alone makes motors hot.
HOT = 0.04
# A step that overshoots by more than this is seen as wobbling.
WOBBLE = 0.3
MOST_RUNGS = 24


@dataclass(frozen=True, slots=True)
class Bench:
    """What a ladder is played on: the loop beside the controller, how a step is worked out, and the gyro's noise, rad/s/√Hz."""

    rest: tuple[Element, ...]
    step: Callable[[Controller], Step]
    relay: Callable[[], Relay]
    derivative_hz: float
    noise_rad_s_rthz: float
    name: str


@dataclass(frozen=True, slots=True)
class TuningStep:
    """One tuning_step: what was done, the gains, what comes of them, and what one would see and hear. ``is_kept``: the ladder goes on
    from here."""

    done: str
    controller: Controller
    margins: Margins
    step: Step
    figures: StepFigures
    noise: float
    seen: str
    is_wild: bool
    is_kept: bool


def play(ladder: str, bench: Bench) -> tuple[TuningStep, ...]:
    """Return the steps of a ladder by its name; KeyError names those that exist."""
    if ladder not in LADDERS:
        raise KeyError(f"{ladder} is none of {', '.join(LADDERS)}")
    return _d_first(bench) if ladder == "D first" else _rate_first(bench)


def noise_share(controller: Controller, rest: tuple[Element, ...], density: float) -> float:
    """Return the RMS of the command that the gyro's noise makes, as a share of a full one: |C F / (1 + L)| over all frequencies.

    F is what stands between gyro and controller; the plant and what comes after it see the command, not the noise.
    """
    f = np.geomspace(0.05, 2000.0, 3000)
    w = 2.0 * math.pi * f
    before = tuple(e for e in rest if isinstance(e, (LowPass, Notch)))
    gain = np.abs(open_loop((controller, *before), w) / (1.0 + open_loop((controller, *rest), w)))
    return float(density * math.sqrt(np.trapezoid(gain**2, f)))


def _rung(bench: Bench, done: str, controller: Controller, kept: bool = False) -> TuningStep:
    found = margins(lambda w: open_loop((controller, *bench.rest), w))
    step = bench.step(controller)
    figures = step_figures(step.t_s, step.rate, step.wanted)
    noise = noise_share(controller, bench.rest, bench.noise_rad_s_rthz) if found.is_stable else math.inf
    wild = not found.is_stable or found.modulus < WILD_MODULUS
    return TuningStep(
        done, controller, found, step, figures, noise, _seen(found, figures, noise, controller), wild, kept
    )


def _seen(m: Margins, f: StepFigures, noise: float, c: Controller) -> str:
    """Return what one would see and hear."""
    shake = m.turning_rad_s / (2.0 * math.pi)
    culprit = "D" if c.kd * m.turning_rad_s > c.kp else "P"
    if not m.is_stable:
        return f"{culprit} too high: it shakes at {shake:.0f} Hz by itself and the motors scream: land, switch off, feel how hot they are"
    if m.modulus < WILD_MODULUS:
        return f"{culprit} too high: after each tap it shakes at {shake:.0f} Hz, and the motors buzz"
    if noise > HOT:
        return f"steady, but the motors hiss with {noise:.0%} of noise and get hot: D passes what the gyro picks up"
    if f.overshoot > WOBBLE:
        return f"wobbles: it overshoots by {f.overshoot:.0%} and swings back"
    if not math.isfinite(f.rise_s) or f.rise_s > 0.4:
        return "soft: it lags behind the stick"
    if not math.isfinite(f.settling_s):
        return "follows, but does not come to rest where the stick says: some I is missing"
    return f"follows in {f.rise_s * 1e3:.0f} ms with {f.overshoot:.0%} of overshoot; the motors hum evenly"


def _climb(
    bench: Bench, steps: list[TuningStep], start: Controller, what: str, raised: Callable[[Controller], Controller]
) -> Controller:
    """Raise a gain until it is wild, then back off; note each tuning_step."""
    now = start
    for _ in range(MOST_RUNGS):
        up = raised(now)
        steps.append(_rung(bench, f"raise {what}", up))
        wobbles = what == "P" and steps[-1].figures.overshoot > WOBBLE
        if steps[-1].is_wild or steps[-1].noise > HOT or wobbles:
            break
        now = up
    field = "kd" if what == "D" else "kp"
    limit = getattr(steps[-1].controller, field)
    share = BACK_OFF
    while True:
        backed = replace(start, **{field: max(share * limit, getattr(start, field))})
        tuning_step = _rung(bench, f"back off {what} to {share:.0%}", backed, kept=True)
        if what == "D" or tuning_step.figures.overshoot <= 0.5 * WOBBLE or share < 0.2:
            steps.append(tuning_step)
            return backed
        share -= 0.1


def _start(bench: Bench, hz: float) -> Controller:
    """Return P alone that crosses over at a low frequency: soft, and safe to begin with."""
    value = abs(complex(open_loop(bench.rest, np.array([2.0 * math.pi * hz]))[0]))
    return Controller(bench.name, 1.0 / value, 0.0, 0.0, bench.derivative_hz)


def _d_first(bench: Bench) -> tuple[TuningStep, ...]:
    first = _start(bench, 1.0)
    steps = [_rung(bench, "begin with little P", first, kept=True)]
    some = replace(first, kd=first.kp * 0.01)
    with_d = _climb(bench, steps, some, "D", lambda c: replace(c, kd=1.6 * c.kd))
    with_p = _climb(bench, steps, with_d, "P", lambda c: replace(c, kp=1.4 * c.kp))
    return (*steps, _least_integral(bench, with_p))


def _least_integral(bench: Bench, controller: Controller) -> TuningStep:
    """Return the tuning_step with an integral that takes a lasting error off within a second or so, and costs little phase."""
    found = margins(lambda w: open_loop((controller, *bench.rest), w))
    ki = controller.kp * found.crossover_rad_s / 12.0
    for _ in range(MOST_RUNGS):
        tuning_step = _rung(bench, "add the least I that holds", replace(controller, ki=ki), kept=True)
        if tuning_step.figures.overshoot <= WOBBLE:
            break
        ki *= 0.6
    return tuning_step


def _rate_first(bench: Bench) -> tuple[TuningStep, ...]:
    bold = _start(bench, 12.0)
    now = replace(bold, kd=0.02 * bold.kp)
    steps = [_rung(bench, "rate mode with gains from another craft", now)]
    while (steps[-1].is_wild or steps[-1].noise > HOT) and len(steps) < MOST_RUNGS:
        now = replace(now, kp=0.7 * now.kp, kd=0.7 * now.kd)
        steps.append(_rung(bench, "it shakes: lower P and D by a third", now))
    steps[-1] = replace(steps[-1], is_kept=True)
    found = bench.relay().found
    if found is None:
        return (*steps, _rung(bench, "the relay finds no even swing: stay with these", now, kept=True))
    steps.append(_rung(bench, _relay_words(found), _from(found, bench), kept=True))
    while steps[-1].noise > HOT and len(steps) < 2 * MOST_RUNGS:
        steps[-1] = replace(steps[-1], is_kept=False)
        c = steps[-1].controller
        calmer = replace(c, kd=0.7 * c.kd, kp=0.85 * c.kp, ki=0.85 * c.ki)
        steps.append(_rung(bench, "it hisses: lower D by a third, P a little", calmer, kept=True))
    return (*steps, _angle(bench, steps[-1]))


def _angle(bench: Bench, rate: TuningStep) -> TuningStep:
    """Return the tuning_step that puts an angle loop on top: P alone, crossing over at a quarter of the rate loop's frequency."""
    target = rate.margins.crossover_rad_s / 4.0

    def closed(w: Array) -> ComplexArray:
        inner = open_loop((rate.controller, *bench.rest), w)
        return np.asarray(inner / (1.0 + inner) / (1j * w))

    p = 1.0 / abs(complex(closed(np.array([target]))[0]))
    outer = margins(lambda w: p * closed(w))
    seen = (
        f"levels itself in about {1.0 / target:.1f} s, with {math.degrees(outer.phase_rad):.0f}° to spare"
        if outer.is_stable
        else "rocks to and fro: the angle loop is too quick for the rate loop under it"
    )
    return replace(
        rate,
        done=f"angle loop on top: {p:.1f} °/s for each degree",
        margins=outer,
        seen=seen,
        is_wild=not outer.is_stable,
    )


def _relay_words(found: Ultimate) -> str:
    return f"a relay shakes it at {1.0 / found.period_s:.1f} Hz: ultimate gain {found.gain:.2g}"


def _from(found: Ultimate, bench: Bench) -> Controller:
    """Return gains with little overshoot from gain and period of the swing: a third of the gain, common practice."""
    kp = 0.33 * found.gain
    return Controller(bench.name, kp, kp / (4.0 * found.period_s), kp * found.period_s / 4.0, bench.derivative_hz)
