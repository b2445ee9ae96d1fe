"""The chosen estimator in C: header, source, constants, and the alignment that begins it."""

from importlib import import_module
from typing import Any

from fusus.core.estimation.attitude_ekf import kernel as ekf_kernel
from fusus.core.estimation.attitude_ekf import run as ekf_run
from fusus.core.estimation.attitude_ekf.parameters import Parameters as EkfParameters
from fusus.core.estimation.navigation_ekf.states import CHANNELS, NEVER_S
from fusus.firmware.translation.expressions import literal
from fusus.firmware.translation.unit import Unit
from fusus.firmware.writing import constants
from fusus.firmware.writing.constants import Constant
from fusus.firmware.writing.layout import layout_for
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import constants_file, declared, render

# At most so many innovations come of one sample: a fix, a field, a height, a distance, a rest, a level.
MOST_ROWS = 24


def estimator_unit(plan: Plan) -> Unit:
    """Return the chosen estimator's kernels in C."""
    unit = Unit(layout_for(4, 1, plan.moments), plan.precision)
    module = plan.info.module
    if module in ("attitude_ekf", "altitude"):
        unit.add(ekf_kernel.advance)
        unit.add(ekf_kernel.euler_sigmas)
        unit.add(ekf_run.coefficients)
        unit.struct(EkfParameters)
    if module in ("complementary", "mahony", "madgwick"):
        unit.add(import_module(f"fusus.core.estimation.{module}.kernel").advance)
        unit.add(import_module(f"fusus.core.estimation.{module}.run").coefficients)
    elif module in ("altitude", "navigation_ekf"):
        unit.add(import_module(f"fusus.core.estimation.{module}.kernel").advance_all)
        where = "history" if module == "navigation_ekf" else "kernel"
        unit.add(import_module(f"fusus.core.estimation.{module}.{where}").begin_clock_anew)
    unit.struct(type(plan.parameters))
    return unit


_BODIES = {
    "complementary": "plain_body.j2", "mahony": "plain_body.j2", "madgwick": "plain_body.j2", "attitude_ekf": "ekf_body.j2",
    "altitude": "altitude_body.j2", "navigation_ekf": "navigation_body.j2",
}  # fmt: skip
_CLOCK = (
    "{real} clock_s; /* since power-up, begun anew every sixteen seconds */",
    "{real} clock_lost_s; /* what its last place could not hold */",
)
_MEMBERS = {
    "attitude_ekf": ("AttitudeEkfCoefficients c;", "AttitudeEkfState s;"),
    "altitude": (
        "AttitudeEkfCoefficients attitude_c;", "AttitudeEkfState attitude;", "AltitudeCoefficients c;",
        "{real} x[4]; /* height m, climb m/s, accelerometer bias m/s^2, barometer zero m */", "{real} p[16];",
        "{real} at[10]; /* counts and times, see altitude_advance_all */", "{real} gravity_m_s2;",
        *_CLOCK,
    ),
    "navigation_ekf": (
        "NavigationCoefficients c;", "NavigationState s;", "{real} mag_interval_s; /* between two readings */",
        "{real} sigma_rad[3]; /* as of the covariance's last step */",
        *_CLOCK,
    ),
}  # fmt: skip


def estimator_files(plan: Plan) -> dict[str, str]:
    """Return the estimator: header, source, constants, and the alignment that begins it."""
    unit, module, precision = estimator_unit(plan), plan.info.module, plan.precision
    prefix = unit.layout.prefix(f"fusus.core.estimation.{module}")
    usual = (f"{unit.layout.struct_name(_coefficients(module))} c;", "AttitudeState s;")
    shared = {
        "title": plan.info.title, "school": plan.info.school, "prefix": prefix,
        "parameters": unit.layout.struct_name(type(plan.parameters)),
        "never": NEVER_S, "channels": CHANNELS, "rows": MOST_ROWS,
    }  # fmt: skip
    members = [m.replace("{real}", unit.real) for m in _MEMBERS.get(module, usual)]
    header = render(precision, "estimator.h.j2", declarations=declared(unit), members=members, **shared)
    source = render(
        precision, "estimator.c.j2", definitions=unit.definitions(), body=_BODIES[module],
        needs_constants=module in ("altitude", "navigation_ekf"), **shared,
    )  # fmt: skip
    return {
        "kit_math.h": render(precision, "kit_math.h.j2"), "sample.h": render(precision, "sample.h.j2"), "estimator.h": header,
        "estimator.c": source, "alignment.h": render(precision, "alignment.h.j2"), "alignment.c": render(precision, "alignment.c.j2"),
        "estimator_constants.h": constants_file(
            plan, "estimator", "estimator.h", "What the estimator is tuned to.", estimator_constants(plan)
        ),
    }  # fmt: skip


def _coefficients(module: str) -> Any:
    return import_module(f"fusus.core.estimation.{module}.kernel").Coefficients


def estimator_constants(plan: Plan) -> list[Constant]:
    """Return what the estimator is tuned to."""
    precision, site, layout = plan.precision, plan.site, layout_for(4, 1, plan.moments)
    root = f"fusion.{plan.info.field}"
    said = {f: plan.evidence(f"{root}.{f}") for f in type(plan.parameters).__dataclass_fields__}
    where = (
        "the world magnetic model for the brief's place" if site.field else "unknown place: the first reading counts"
    )
    out = [
        constants.struct(
            "KIT_PARAMETERS", layout.struct_name(type(plan.parameters)), plan.parameters, said, "The tuning.", precision
        ),
        Constant(
            "KIT_SITE",
            f"Gravity of the brief's place (Somigliana's formula) and declination: {where}.",
            f"static const Site KIT_SITE = {{ .gravity_m_s2 = {literal(site.gravity_m_s2, precision)}, "
            f".declination_rad = {literal(site.declination_rad, precision)} }};",
        ),
        constants.number(
            "KIT_FIELD_UT", site.field.strength_ut if site.field else 0.0, f"Strength of the field, µT, 0 for unknown: {where}.", precision
        ),
        constants.number("KIT_DIP_RAD", site.field.inclination_rad if site.field else 0.0, "Its dip, rad.", precision),
    ]  # fmt: skip
    if plan.coefficients is not None:
        kind = layout.struct_name(type(plan.coefficients))
        about = "What follows from the tuning, the parts and the site."
        out.append(constants.struct("KIT_COEFFICIENTS", kind, plan.coefficients, {}, about, precision))
    if plan.info.module == "altitude":
        kind = layout.struct_name(EkfParameters)
        out.append(
            constants.struct(
                "KIT_ATTITUDE_PARAMETERS", kind, EkfParameters(), {}, "Of the attitude under it: usual ones.", precision
            )
        )
        out.append(
            constants.table(
                "KIT_FIRST_VARIANCES", plan.first_variances, "Of height, climb, bias and zero at the start.", precision
            )
        )
    if plan.info.module == "navigation_ekf":
        out.append(constants.number("KIT_ERRORS", plan.errors, "How many errors the filter holds.", precision))
        out.append(
            constants.number(
                "KIT_MAG_INTERVAL_S", plan.mag_interval_s, "Between two readings of the magnetometer.", precision
            )
        )
    return out
