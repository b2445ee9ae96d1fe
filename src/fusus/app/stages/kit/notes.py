"""Kit's conclusions."""

from fusus.app.panels.notes_panel import Note
from fusus.app.panels.stage_bar import StageState
from fusus.app.session import Session
from fusus.study.kit.state import is_stale


def notes(session: Session) -> tuple[Note, ...]:
    """Return what is not equal, what has changed since the export, what costs too much, and what is fine."""
    out = [*_proof(session), *_export(session), *_cost(session)]
    order = {"stop": 0, "mind": 1, "fine": 2}
    return tuple(sorted(out, key=lambda n: order[n.severity]))


def _proof(session: Session) -> list[Note]:
    proved = session.answers.result("kit.equality")
    if proved is None or not session.answers.is_current("kit.equality") or proved.why_not:
        return [
            Note(
                "Not proved yet",
                "mind",
                "Nobody has held this kit's C against the filters that were tuned.",
                "A board that computes something else flies on something else.",
                "Prove it, in “Equality”",
                "kit.equality",
            )
        ]
    if proved.is_equal:
        return [
            Note(
                "The C is equal",
                "fine",
                f"Over {len({n for n, _ in proved.found})} recordings it computes what the core computes.",
                "State by state, within 1e-9 in double precision and within what rounding explains in single.",
                "",
                "",
            )
        ]
    bad = next((n, e) for n, e in proved.found if not e.is_equal)
    worst = next((h for h in bad[1].held if not h.is_within), None)
    said = bad[1].why_not or (
        f"{worst.name}: {worst.worst:.2g} {worst.unit} off, {worst.limit:.2g} allowed" if worst else ""
    )
    return [
        Note(
            f"The C differs over {bad[0]}",
            "stop",
            f"{said}.",
            "It must not fly before this is understood.",
            "Look at “Equality”",
            "kit.equality",
        )
    ]


def _export(session: Session) -> list[Note]:
    exported = session.project.kit.exported
    if exported is None:
        return [
            Note(
                "Not exported yet",
                "mind",
                "The kit is made, but no folder holds it.",
                "",
                "Export it, in “Contents”",
                "kit.contents",
            )
        ]
    if is_stale(session.project):
        return [
            Note(
                "The project has changed since the export",
                "mind",
                f"{exported.folder} holds state {exported.state}.",
                "Filters, loops, calibrations or parts are others now: the board would fly on the old ones.",
                "Export it again, in “Contents”",
                "kit.contents",
            )
        ]
    return []


def _cost(session: Session) -> list[Note]:
    found, project = session.answers.result("kit.cost"), session.project
    if found is None or not session.answers.is_current("kit.cost"):
        return []
    cost = found[0]
    kit = project.kit
    seconds = sum(p.seconds(kit.clock_hz, kit.has_fpu, cost.precision) for p in cost.parts)
    share = seconds * project.loops.rate_hz
    what = (
        f"{seconds * 1e6:.0f} µs of {1e6 / project.loops.rate_hz:.0f} µs at {project.loops.rate_hz:g} Hz, {share:.0%}."
    )
    if kit.has_fpu and cost.precision == "double":
        return [
            Note(
                "Double precision is computed by the library",
                "mind",
                what,
                "Small units know single precision only: doubles take tens of times as long.",
                "Choose single precision",
                "kit.precision",
            )
        ]
    severity = "stop" if share > 0.9 else "mind" if share > 0.5 else "fine"
    title = {
        "stop": "It does not fit in the loop time",
        "mind": "It takes much of the loop time",
        "fine": "It fits in the loop time",
    }[severity]
    return [
        Note(
            title,
            severity,
            what,
            "The bus, the receiver and the log need time too: put it into Loops and look.",
            "See “Cost”",
            "kit.cost",
        )
    ]


def state(session: Session) -> StageState:
    """Return how far the kit is; a notch where the project has changed since the export."""
    exported = session.project.kit.exported
    if exported is None:
        return StageState(0.0, "not exported")
    words = {True: "exported, equal", False: "not equal", None: "exported"}[exported.equal]
    return StageState(1.0 if exported.equal else 0.5, words, is_stale(session.project))
