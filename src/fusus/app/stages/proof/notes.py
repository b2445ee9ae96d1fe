"""Proof's conclusions."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.panels.strip import worst
from fusus.app.session import Session
from fusus.logs.info import duplicates


def notes(session: Session) -> tuple[Note, ...]:
    """Return what fails, what is close, what nobody has measured, and the gravest finding of each recording."""
    out: list[Note] = []
    for j in session.judgements:
        for v in j.verdicts:
            if v["verdict"] not in ("fail", "close"):
                continue
            unit = {"deg": "°"}.get(v["unit"], " " + v["unit"])
            interval = f" (95 %: {v['interval'][0]:.2f} to {v['interval'][1]:.2f})" if v["interval"] else ""
            out.append(
                Note(
                    f"{v['title']} {'fails' if v['verdict'] == 'fail' else 'is close'} in {j.recording}",
                    "stop" if v["verdict"] == "fail" else "mind",
                    f"{v['value']:.2f}{unit} where {v['limit']:.4g}{unit} is allowed{interval}.", v["reason"].capitalize() + ".",
                    "Look at it in Fusion", f"recording.{j.recording}",
                )
            )  # fmt: skip
        for f in j.findings:
            if f["severity"] == "stop":
                out.append(
                    Note(
                        f"{j.recording}: {f['subject']}",
                        "mind",
                        f["statement"],
                        f["reason"],
                        f["next_step"],
                        f"recording.{j.recording}",
                    )
                )
        for c in (j.board or {}).get("claims", ()):
            if c["word"] == "too good":
                out.append(
                    Note(
                        f"The board's claimed {c['claim']} is too good in {j.recording}", "mind",
                        f"{c['one_sigma']:.0%} of its errors lie within one σ (68 % are due); they are {c['ratio']:.1f} times as large.",
                        "A filter that trusts itself too much refuses what would help it.", "", "",
                    )
                )  # fmt: skip
        if j.error:
            out.append(Note(f"{j.recording} cannot be evaluated", "mind", j.error, "", "", ""))
    out += [
        Note(
            f"{name} is {other} again",
            "mind",
            "Both were made from the same files: it counts once where flights are pooled.",
            "",
            "",
            "",
        )
        for name, other in duplicates(session.recordings()).items()
    ]
    never = [
        r.title
        for r in session.project.brief.requirements
        if not any(worst(session.judgements, r, e) for e in ("bench", "flight"))
    ]
    if never and session.judgements:
        out.append(
            Note(
                "Not measured by any recording", "mind", ", ".join(never) + ".",
                "What nobody measured is not proved.", "Declare a reference: poses, heights, points, or another system's track",
                "proof.references",
            )
        )  # fmt: skip
    out += _drifting(session)
    if session.judgements and not any(v["verdict"] == "fail" for j in session.judgements for v in j.verdicts):
        out.append(Note("What was measured holds", "fine", "No requirement fails in any recording.", "", "", ""))
    return tuple(out)


def _drifting(session: Session) -> list[Note]:
    """Return the cause that was found last for a drifting flight."""
    found = session.answers.result("proof.causes")
    if found is None or not session.answers.is_current("proof.causes"):
        return []
    name, drift = found
    first = drift.scored[0]
    if not drift.is_drifting or first.probability < 0.5:
        return []
    return [
        Note(
            f"{name} drifts: {first.cause.title.lower()}", "mind", first.sign.statement[:1].upper() + first.sign.statement[1:] + ".",
            first.cause.shows, first.cause.cure, "",
        )
    ]  # fmt: skip


def state(session: Session) -> StageState:
    """Return how many requirements are proved."""
    requirements = session.project.brief.requirements
    words = []
    for r in requirements:
        found = [v for e in ("bench", "flight") if (v := worst(session.judgements, r, e)) is not None]
        words.append({"fail", "close", "pass"} & {v["verdict"] for v in found})
    passed = sum(w == {"pass"} for w in words)
    measured = sum(bool(w) for w in words)
    fill = 0.0 if not measured else 1.0 if requirements and passed == len(requirements) else 0.5
    return StageState(fill, f"{passed} of {len(requirements)} pass")
