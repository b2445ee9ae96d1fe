"""Kits written to a folder: all files or none, and nothing that the maker changed by hand."""

import hashlib
import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from fusus.core.calibration.apply import Corrections
from fusus.core.estimation.accelerometer_filter import filter_accelerometer
from fusus.core.estimation.replay import EstimatorInput
from fusus.core.simulation.flights import scenario_named
from fusus.core.simulation.given import given_by
from fusus.core.simulation.record import record
from fusus.errors import ProjectError
from fusus.firmware.equality.vectors import (
    begun,
    control_vectors,
    estimator_vectors,
    filter_vectors,
    safety_lines,
    sensor_vectors,
)
from fusus.firmware.translation.foreign_text import harmless
from fusus.firmware.writing.kit import kit_files
from fusus.firmware.writing.plan import Plan
from fusus.logs.snippet import MOTION, c_snippet
from fusus.project.atomic import write_atomically, writing
from fusus.project.records import KitExport, Project
from fusus.study.brief.brief import mission_of
from fusus.study.flying.open_loop import full_suite_of, place_of
from fusus.study.kit.recordings import for_kit
from fusus.study.recording.accelerometer_filter import acc_filters_of
from fusus.study.recording.corrections import APPLIED
from fusus.study.recording.loading import load

LIST = "kit.json"
MADE_UP_HZ, SEED = 500.0, 1


def files_of(folder: Path, project: Project, plan: Plan) -> dict[str, str]:
    """Return all files of a project's kit. Its vectors come from a recording of the project, or a made-up flight where it has none."""
    streams = project.kit.streams
    streams = streams if "board" in streams else (*streams, "board")  # desk.c tells its estimate
    telemetry = c_snippet(streams, MOTION if plan.info.gives == "motion" else ())
    telemetry = telemetry.replace("extern void send_line(const char *text);", '#include "telemetry.h"')
    name, given = vector_input(folder, project)
    lines = [f"# {plan.project}, state {plan.state}: see test_kit.c", f"# samples of {harmless(name)}"]
    lines += estimator_vectors(begun(plan, given))
    lines += (
        sensor_vectors(plan, _corrections(project)) + filter_vectors(plan) + control_vectors(plan) + safety_lines(plan)
    )
    return kit_files(plan, telemetry, streams, lines)


def vector_input(folder: Path, project: Project) -> tuple[str, EstimatorInput]:
    """Return what vectors are made of, and its name."""
    names = for_kit(folder, project)
    if names:
        return f"recording “{names[0]}”", load(folder, project, names[0]).given
    place, site = place_of(project)
    flight = scenario_named("hover").flight(mission_of(project), site.gravity_m_s2, MADE_UP_HZ)
    home = (place.lat_deg, place.lon_deg, place.height_m)
    streams = record(flight.motion, MADE_UP_HZ, full_suite_of(project), flight.around, site, home, SEED)
    given = filter_accelerometer(acc_filters_of(project.loops), given_by(streams, home)[0])
    return f"a made-up hover (seed {SEED})", given


def _corrections(project: Project) -> Corrections:
    force = project.bench.in_force() if project.bench.use else {}
    return Corrections({k: force[k].parameters for k in APPLIED if k in force})


def write_kit(target: Path, files: dict[str, str], plan: Plan) -> KitExport:
    """Write a kit; ProjectError where the folder holds something else, or a file that was changed by hand."""
    with writing(target):
        target.mkdir(parents=True, exist_ok=True)
        there = {p.name for p in target.iterdir()}
    before = _listed(target)
    changed = sorted(
        n
        for n in there & set(files)
        if _digest((target / n).read_bytes()) not in (before.get(n), _digest(files[n].encode()))
    )
    if changed:
        raise ProjectError(
            target,
            f"{', '.join(changed)}: changed by hand since, or from elsewhere. Take another folder, or move what is there away.",
        )
    for name, text in files.items():
        write_atomically(target / name, text.encode())
    when = datetime.now(UTC)
    told = {
        "made_by": f"Fusus {plan.version}", "project": plan.project, "state": plan.state, "precision": plan.precision,
        "estimator": plan.info.name, "when": when.isoformat(timespec="seconds"),
        "files": {name: _digest(text.encode()) for name, text in files.items()},
    }  # fmt: skip
    write_atomically(target / LIST, (json.dumps(told, indent=2, ensure_ascii=False) + "\n").encode())
    return KitExport.model_validate(
        {
            "when": when,
            "folder": str(target),
            "state": plan.state,
            "precision": plan.precision,
            "estimator": plan.info.name,
            "files": tuple(files),
        }
    )


def _listed(target: Path) -> dict[str, str]:
    """Return the fingerprints of an earlier kit's files, none where there was no kit."""
    try:
        told: Any = json.loads((target / LIST).read_text(encoding="utf-8"))
        files = told["files"]
        return {str(k): str(v) for k, v in files.items()}
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return {}


def _digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()
