"""Whether an estimator is tuned for the chosen parts: a swap of parts changes no tuning by itself, so it is told where figures show."""

from fusus.core.estimation.catalogue import info_for
from fusus.core.judgement.finding import Finding
from fusus.project.commands import SetValue
from fusus.project.records import Project
from fusus.study.fusion.tuning import tuning_from_parts

# From how many times a noise on, up or down, the claimed sigmas would no longer hold.
FAR = 2.0
NOISES = {
    "gyro_noise_rad_s_rthz": "gyro noise", "acc_noise_m_s2_rthz": "accelerometer noise", "gnss_horizontal_m": "fixes",
    "gnss_velocity_horizontal_m_s": "speed of the fixes", "baro_noise_m": "barometer noise",
    "mag_noise_ut": "magnetometer noise",
}  # fmt: skip


def other_parts_findings(project: Project, estimator: str) -> tuple[Finding, ...]:
    """Return a finding where noises of an estimator are far from what the chosen parts have; what a flight showed stands for itself."""
    wanted = tuning_from_parts(project, estimator)
    if wanted is None:
        return ()
    info, off = info_for(estimator), []
    present = getattr(project.fusion, info.field)
    for step in wanted.steps:
        name = step.path.rpartition(".")[2] if isinstance(step, SetValue) else ""
        if name not in NOISES or project.evidence(step.path).source == "flight":
            continue
        now, of_parts = float(getattr(present, name)), float(step.value)
        # More noise of the accelerometer than it has by itself is what vibration asks for.
        is_for_shaking = name.startswith("acc_") and now > of_parts
        if now > 0 and of_parts > 0 and not is_for_shaking and max(now / of_parts, of_parts / now) > FAR:
            off.append((max(now / of_parts, of_parts / now), f"{NOISES[name]} {now / of_parts:.2g} times"))
    if not off:
        return ()
    told = ", ".join(words for _, words in sorted(off, reverse=True)[:3])
    return (
        Finding(
            "The filter is tuned for other parts", "mind", f"Against the chosen parts it takes: {told}.",
            "Choosing other parts changes no tuning: errors are then larger than they need be, and claimed sigmas do not hold.",
            "Set the noise from the parts, or from a recording.", "fusion.noise", size=max(ratio for ratio, _ in off),
        ),
    )  # fmt: skip
