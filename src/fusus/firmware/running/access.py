"""The kit on the desk: its state figure by figure, so that what C carries can be held against what the core carries."""

from dataclasses import dataclass
from importlib import import_module
from typing import Any

import numpy as np

from fusus.core.arrays import Array
from fusus.core.estimation.attitude_ekf import kernel as ekf_kernel
from fusus.core.estimation.attitude_ekf.window import Coefficients as EkfCoefficients
from fusus.firmware.writing.layout import Part, figures, layout_for, parts_of
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import render

# Moments that are remembered begin empty on both sides and are a copy of what the state was.
NOT_COMPARED = ("history",)


@dataclass(frozen=True, slots=True)
class Access:
    """Which figures of coefficients and state there are, in order."""

    coefficients: tuple[Part, ...]
    state: tuple[Part, ...]
    coefficient_count: int
    state_count: int


def access_to(plan: Plan) -> Access:
    """Return the figures of the chosen estimator's struct."""
    layout, module = layout_for(4, 1), plan.info.module
    kernel: Any = import_module(f"fusus.core.estimation.{module}.kernel")
    of_coefficients: list[tuple[str, Any]] = [(".c", kernel.Coefficients)]
    of_state: list[tuple[str, Any]] = [(".s", kernel.State)] if module != "altitude" else []
    if module == "altitude":
        of_coefficients = [(".attitude_c", EkfCoefficients), (".c", kernel.Coefficients), (".gravity_m_s2", 0)]
        of_state = [(".attitude", ekf_kernel.State), (".x", 4), (".p", 16), (".at", 10)]
    if module == "navigation_ekf":
        of_coefficients.append((".mag_interval_s", 0))
    c, n = parts_of(layout, of_coefficients)
    s, m = parts_of(layout, of_state, without=(".s.history",))
    return Access(tuple(c), tuple(s), n, m)


def access_file(plan: Plan) -> str:
    """Return the C that shows the kit's state."""
    found = access_to(plan)
    return render(plan.precision, "access.c.j2", coefficients=found.coefficients, state=found.state)


def figures_of(*values: Any) -> Array:
    """Return coefficients or states of the core as one row of figures."""
    out: list[float] = []
    for value in values:
        if hasattr(value, "_fields"):
            out += figures(value, NOT_COMPARED)
        else:
            out += [float(v) for v in np.asarray(value, dtype=float).ravel()]
    return np.array(out)
