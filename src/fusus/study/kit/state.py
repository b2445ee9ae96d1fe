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
    parts = project.model_dump(
        mode="json",
        include={"brief": {"craft", "place", "day"}, "parts": True, "loops": True, "kit": {"precision", "streams"}},
    )
    force = {
        k: c.model_dump(mode="json", include={"parameters"})
        for k, c in project.bench.in_force().items()
        if project.bench.use
    }
    tuned = {
        f: getattr(project.fusion.parameters_of(name), f)
        for f in project.fusion.parameters_of(name).__dataclass_fields__
    }
    text = json.dumps([name, tuned, parts, force, project.name], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def is_stale(project: Project) -> bool:
    """Return whether the project has changed since its kit was exported."""
    exported = project.kit.exported
    return exported is not None and exported.state != state_of(project)
