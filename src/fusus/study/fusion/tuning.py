"""Tunings of a project's estimators from its parts: datasheet figures, and the bench's where it measured them."""

from dataclasses import fields
from pathlib import Path

from fusus.core.estimation.catalogue import info_for
from fusus.core.prediction.filter_tuning import from_suite
from fusus.core.progress import Progress
from fusus.core.world.atmosphere import geopotential_m, metres_per_pascal
from fusus.project.commands import SetMany, SetValue
from fusus.project.evidence import Evidence
from fusus.project.records import Project
from fusus.study.brief.brief import mission_of
from fusus.study.brief.site import site_of
from fusus.study.fusion.likelihood import by_likelihood
from fusus.study.parts.suite import choice_of, model_of
from fusus.study.recording.loading import load

# Which measured figures of a part stand behind a parameter: by the beginning of their names.
MEASURED = {
    "gyro_noise": ("imu", "gyro_noise"),
    "gyro_walk": ("imu", "gyro_instability"),
    "acc_noise": ("imu", "acc_noise"),
    "acc_walk": ("imu", "acc_instability"),
    "gnss_": ("receiver", "position"),
    "lever_arm": ("receiver", ""),
    "baro_noise": ("barometer", "noise"),
    "mag_noise": ("magnetometer", "mag_noise"),
}


def tuning_from_parts(project: Project, estimator: str) -> SetMany | None:
    """Return the command that tunes an estimator by the chosen parts, None where no IMU is chosen or nothing follows."""
    choice = choice_of(project, measured=True)
    if choice is None:
        return None
    place = project.brief.place
    mpp = metres_per_pascal(float(geopotential_m(place.height_m if place else 0.0)))
    gravity = site_of(project).gravity_m_s2
    found = from_suite(estimator, model_of(project, choice), mission_of(project), gravity, mpp)
    info = info_for(estimator)
    known = {f.name for f in fields(info.parameters)}
    steps = tuple(
        SetValue(f"fusion.{info.field}.{name}", float(f"{value:.6g}"), f"Tune {name}", _evidence(project, name))
        for name, value in found.items()
        if name in known
    )
    return SetMany(steps, f"Tune {info.title} by the parts", None, estimator) if steps else None


def tuning_by_likelihood(
    folder: Path, project: Project, recording: str, progress: Progress | None = None
) -> tuple[SetMany, float]:
    """Return the command that tunes the navigation EKF by a recording's innovations, and by how much the likelihood rose."""
    loaded = load(folder, project, recording)
    found = by_likelihood(recording, loaded.given, project.fusion.navigation_ekf, loaded.site, progress)
    day = loaded.info.when.date() if loaded.info.when else None
    steps = tuple(
        SetValue(
            f"fusion.navigation_ekf.{t.name}", float(f"{t.after:.6g}"), f"Tune {t.name}",
            Evidence(
                source="flight", day=day, conditions="maximum likelihood of innovations", recording=recording,
                standard_error=t.after * t.log_sigma if t.log_sigma is not None else None,
            ),
        )
        for t in found.tuned
        if t.after != t.before
    )  # fmt: skip
    return SetMany(steps, f"Tune by likelihood of {recording}", None, "navigation-ekf"), found.gain


def _evidence(project: Project, name: str) -> Evidence:
    measured = {(m.part_kind, m.field): m for m in project.bench.measured}
    for beginning, (kind, field) in MEASURED.items():
        if not name.startswith(beginning):
            continue
        for (part_kind, part_field), m in measured.items():
            if part_kind == kind and field and part_field.startswith(field):
                return Evidence(
                    source="bench",
                    day=m.when.date(),
                    conditions=f"measured in {m.recording}",
                    standard_error=m.standard_error,
                )
    shipped = not any(p.name in (project.parts.imu, project.parts.receiver) for p in project.parts.own)
    told = "error model of the chosen parts, invented" if shipped else "error model of the chosen parts"
    return Evidence(source="datasheet", conditions=told)
