"""A kit as files: what is generated, what comes with it, and how it is written."""

from fusus.firmware.writing.constants import Constant
from fusus.firmware.writing.control_files import control_constants, control_files
from fusus.firmware.writing.estimator_files import estimator_constants, estimator_files
from fusus.firmware.writing.plan import Plan
from fusus.firmware.writing.render import render, template
from fusus.firmware.writing.sensor_files import sensor_constants, sensor_files

# What comes behind the usual columns of the board's own estimate, for estimators that find place and speed.
_MOTION = ", ".join(f"now->{what}[{i}]" for what in ("position_m", "velocity_m_s") for i in range(3))


def kit_files(plan: Plan, telemetry: str, streams: tuple[str, ...], vectors: list[str]) -> dict[str, str]:
    """Return all files of a kit by name; ``telemetry`` is C that prints the line protocol for ``streams``."""
    precision = plan.precision
    acc_filter = len(plan.controls.acc_sections) > 0
    has_motion = plan.info.gives == "motion"
    prints = [line.rstrip(" {") for line in telemetry.splitlines() if line.startswith("void print_")]
    head = "\n".join(f"{line};" for line in prints)
    notice = render(precision, "telemetry.h.j2", functions=head)
    files = estimator_files(plan) | sensor_files(plan) | control_files(plan)
    return files | {
        "telemetry.h": notice,
        "telemetry.c": telemetry,
        "test_kit.c": render(precision, "test_kit.c.j2", acc_filter=acc_filter),
        "test_hostile.c": render(
            precision,
            "test_hostile.c.j2",
            acc_filter=acc_filter,
            gives_motion=has_motion,
            gives_height=plan.info.gives == "height",
            gives_sigmas=plan.info.gives == "motion" or "ekf" in plan.info.module,
        ),
        "desk.c": render(
            precision, "desk.c.j2", acc_filter=acc_filter, motion=f",\n            {_MOTION}" if has_motion else ""
        ),
        "main.c": render(precision, "main.c.j2", acc_filter=acc_filter),
        "Makefile": render(precision, "Makefile.j2"),
        "README.md": render(
            precision, "README.md.j2", plan=plan, motors=len(plan.controls.table), streams=", ".join(streams)
        ),
        "LICENSE": template("LICENSE"),
        "own_estimator.h": template("own_estimator.h"),
        "vectors.txt": "\n".join(vectors) + "\n",
    }


def constants_of(plan: Plan) -> tuple[tuple[str, Constant], ...]:
    """Return all constants of a kit with the part that each belongs to."""
    parts = (("sensors", sensor_constants), ("estimator", estimator_constants), ("loops", control_constants))
    return tuple((part, constant) for part, made in parts for constant in made(plan))
