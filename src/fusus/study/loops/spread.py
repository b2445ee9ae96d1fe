"""What the loops bear of a craft that is not as drawn: heavier, weaker, slower, later. Gains stay as they are."""

from dataclasses import dataclass, replace

from fusus.core.control.elements import Delay, Element, Plant, open_loop
from fusus.core.control.margins import Margins, margins
from fusus.study.loops.axes import Axis, LoopStudy

# Common practice: inertia grows with what is carried, a battery near its end gives a fifth less, motors age and differ.
CHANGES: tuple[tuple[str, float, float, float, float], ...] = (
    # what, torque, inertia, motor lag, delays: all times
    ("as drawn", 1.0, 1.0, 1.0, 1.0),
    ("a payload: inertia and a half", 1.0, 1.5, 1.0, 1.0),
    ("stripped: inertia a third less", 1.0, 0.67, 1.0, 1.0),
    ("battery near its end: a fifth less thrust", 0.8, 1.0, 1.0, 1.0),
    ("motors a third stronger", 1.33, 1.0, 1.0, 1.0),
    ("motors half as slow again", 1.0, 1.0, 1.5, 1.0),
    ("twice the delay", 1.0, 1.0, 1.0, 2.0),
    ("stripped, strong, slow and late at once", 1.33, 0.67, 1.5, 1.5),
)


@dataclass(frozen=True, slots=True)
class Changed:
    """One change and the margins of each axis with it, in the axes' order."""

    what: str
    margins: tuple[Margins, ...]


def spread(study: LoopStudy) -> tuple[Changed, ...]:
    """Return what each change leaves of the margins; the first is the craft as drawn."""
    return tuple(
        Changed(what, tuple(_changed(a, torque, inertia, lag, late) for a in study.axes))
        for what, torque, inertia, lag, late in CHANGES
    )


def _changed(axis: Axis, torque: float, inertia: float, lag: float, late: float) -> Margins:
    rest: list[Element] = []
    for e in axis.rest:
        if isinstance(e, Plant):
            rest.append(Plant(e.name, e.torque_nm * torque, e.inertia_kg_m2 * inertia, min(e.motor_tau_s * lag, 2.0)))
        elif isinstance(e, Delay):
            rest.append(replace(e, seconds=min(e.seconds * late, 2.0)))
        else:
            rest.append(e)
    return margins(lambda w: open_loop((axis.controller, *rest), w))
