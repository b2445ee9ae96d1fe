"""What a project uses a recording for."""

from fusus.project.records import Project


def uses_of(project: Project, recording: str) -> tuple[str, ...]:
    """Return what a recording is used for, in words; nothing where the project names it nowhere."""
    out = []
    if project.fusion.recording == recording:
        out.append("looked at in Fusion")
    for c in project.bench.calibrations:
        if c.recording == recording:
            out.append(f"calibration: {c.kind}" + ("" if c.is_in_force else " (not active)"))
    if any(m.recording == recording for m in project.bench.measured):
        out.append("measured figures of parts")
    for r in project.proof.references:
        if r.recording == recording:
            out.append("has a declared reference")
        if r.other == recording:
            out.append(f"reference of {r.recording}")
    if any(e.recording == recording for e in project.provenance.values()):
        out.append("evidence of figures")
    return tuple(dict.fromkeys(out))
