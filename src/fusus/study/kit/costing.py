"""What a project's kit costs, and its durations put into Loops."""

import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from fusus.firmware.running.cost import BY_LIBRARY, CYCLES, DOUBLE_BY_LIBRARY, DOUBT, PARTS, WITH_UNIT, Cost, count
from fusus.project.commands import SetMany, SetValue
from fusus.project.evidence import Evidence
from fusus.project.records import Project
from fusus.study.kit.planning import plan_of
from fusus.study.kit.writing import files_of

TITLES = {
    "estimator_step": "Estimator (mean)",
    "control_step": "Filters, loops, mixer",
    "sensors_gyro_correct": "Gyro, calibrated",
}


def cost_of(folder: Path, project: Project) -> Cost:
    """Return what the project's kit costs; CompilerError without a compiler."""
    plan = plan_of(project)
    with tempfile.TemporaryDirectory(prefix="fusus-cost-") as space:
        target = Path(space)
        for name, text in files_of(folder, project, plan).items():
            (target / name).write_text(text, encoding="utf-8")
        return count(target, plan.precision)


def cost_report(cost: Cost, project: Project) -> dict[str, Any]:
    """Return it for scripts, with the assumptions that times rest on."""
    kit = project.kit
    return {
        "precision": cost.precision,
        "counted": cost.counted,
        "clock_hz": kit.clock_hz,
        "parts": [
            {
                "name": p.name, "title": TITLES[p.name], "instructions": p.instructions, "figures_share": p.figures_share,
                "stack_bytes": p.stack_bytes, "us_with_unit": p.seconds(kit.clock_hz, True, cost.precision) * 1e6,
                "us_without_unit": p.seconds(kit.clock_hz, False, cost.precision) * 1e6,
            }
            for p in cost.parts
        ],
        "state_bytes": cost.state_bytes, "code_bytes": cost.code_bytes, "constant_bytes": cost.constant_bytes,
        "assumptions": assumptions(cost),
    }  # fmt: skip


def assumptions(cost: Cost) -> str:
    """Return what the times rest on, in words."""
    how = (
        "counted on this computer by callgrind"
        if cost.counted
        else "guessed from the time they take on this computer, for nothing here counts them"
    )
    return (
        f"Instructions are {how}; a board's are fewer or more by some tens of percent. {CYCLES:g} cycles each, waits for the flash among "
        f"them; an operation on figures {WITH_UNIT:g} by the unit, {BY_LIBRARY:g} by the library in single precision, "
        f"{DOUBLE_BY_LIBRARY:g} in double (which small units do not know). All times may be off by a factor of {DOUBT:g} either way: "
        "measure on the board. Of a filter with covariance a step is a mean: one that takes a measurement in is several times as long."
    )


def into_loops(cost: Cost, project: Project) -> SetMany:
    """Return the change that puts the durations into the control cycle; filters and mixer are part of the loops' step."""
    kit = project.kit
    seconds = {name: cost.part(name).seconds(kit.clock_hz, kit.has_fpu, cost.precision) for name in PARTS}
    unit = "with" if kit.has_fpu else "without"
    told = Evidence(
        source="bench", day=datetime.now(UTC).date(),
        conditions=f"instructions of the kit, {kit.clock_hz / 1e6:g} MHz, {unit} a unit for figures; ± a factor of {DOUBT:g}",
    )  # fmt: skip
    values = {
        "estimator_s": seconds["estimator_step"] + 2.0 * seconds["sensors_gyro_correct"], "pid_s": seconds["control_step"],
        "filter_s": 0.0, "mixer_s": 0.0,
    }  # fmt: skip
    steps = tuple(
        SetValue(f"loops.{name}", round(value, 9), f"Set loops.{name}", told) for name, value in values.items()
    )
    return SetMany(steps, "Put the kit's durations into Loops")
