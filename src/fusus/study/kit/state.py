"""Which state of a project a kit belongs to. Light to import: the thread asks at every change."""

import hashlib
import json

from fusus.project.records import Project


def estimator_of(project: Project) -> str:
    """Return the estimator that the kit holds: the chosen one, or the one that Fusion judges."""
    return project.kit.estimator or project.fusion.estimators[0]


def state_of(project: Project) -> str:
    """Return a short fingerprint of all in a project that a kit is made of: another one means another kit."""
    name = estimator_of(project)
    brief, kit = project.brief, project.kit
    # Field by field: what is not named here is not read, so it does not make a kit another one.
    parts = {
        "brief": {
            "craft": brief.craft.model_dump(mode="json"),
            "place": brief.place.model_dump(mode="json") if brief.place is not None else None,
            "day": str(brief.day) if brief.day is not None else None,
        },
        "parts": project.parts.model_dump(mode="json"),
        "loops": project.loops.model_dump(mode="json"),
        "kit": {"precision": kit.precision, "streams": list(kit.streams)},
    }
    force = {k: {"parameters": c.parameters} for k, c in project.bench.in_force().items()} if project.bench.use else {}
    tuning = project.fusion.parameters_of(name)
    tuned = {f: getattr(tuning, f) for f in tuning.__dataclass_fields__}
    text = json.dumps([name, tuned, parts, force, project.name], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def is_stale(project: Project) -> bool:
    """Return whether the project has changed since its kit was exported."""
    exported = project.kit.exported
    return exported is not None and exported.state != state_of(project)
