"""All actions as data: menus, the finder, shortcuts and their page come from this table."""

from collections.abc import Callable
from dataclasses import dataclass

from fusus.app.window.shell import Shell


@dataclass(frozen=True, slots=True)
class ActionSpec:
    """One action; ``menu`` says where it stands."""

    id: str
    menu: str
    text: str
    tip: str
    run: Callable[[Shell], object]
    shortcut: str = ""
    needs_project: bool = True


ACTIONS = (
    ActionSpec(
        "demo", "Craft", "Open the demo", "The invented craft Dunlin", lambda w: w.openings.open_demo(), "", False
    ),
    ActionSpec(
        "new", "Craft", "New craft …", "Start a project folder", lambda w: w.openings.ask_new(), "Ctrl+N", False
    ),
    ActionSpec("open", "Craft", "Open …", "Open a project folder", lambda w: w.openings.ask_open(), "Ctrl+O", False),
    ActionSpec(
        "import",
        "Craft",
        "Import a log …",
        "Or drop it on the window",
        lambda w: w.openings.ask_import(),
        "Ctrl+I",
        False,
    ),
    ActionSpec(
        "snippet",
        "Craft",
        "C for your board …",
        "Firmware that speaks the line protocol",
        lambda w: w.openings.ask_snippet(),
        "",
        False,
    ),
    ActionSpec(
        "export",
        "Craft",
        "Save the estimate …",
        "As a table (CSV, Parquet) or a track (GeoJSON, GPX)",
        lambda w: w.openings.ask_export(),
    ),
    ActionSpec(
        "report",
        "Craft",
        "Save the report …",
        "Craft, parts, calibrations, estimator, loops, verdicts and hashes in one file (HTML, PDF)",
        lambda w: w.openings.ask_report(),
    ),
    ActionSpec("quit", "Craft", "Quit", "Everything is saved already", lambda w: w.close(), "Ctrl+Q", False),
    ActionSpec("undo", "Edit", "Undo", "Take the last change back", lambda w: w.session.step(True), "Ctrl+Z"),
    ActionSpec("redo", "Edit", "Redo", "Do it again", lambda w: w.session.step(False), "Ctrl+Shift+Z"),
    ActionSpec(
        "find",
        "Edit",
        "Find anything …",
        "Actions, rows, recordings, requirements",
        lambda w: w.find_anything(),
        "Ctrl+K",
        False,
    ),
    ActionSpec("run", "Work", "Run this stage", "Compute it again", lambda w: w.run_stage(), "Ctrl+Return"),
    ActionSpec(
        "cancel", "Work", "Stop what is running", "Cancel all jobs", lambda w: w.session.jobs.cancel(), "Ctrl+."
    ),
    ActionSpec("ledger", "View", "Go to the ledger", "The inputs on the left", lambda w: w.focus_ledger(), "Ctrl+L"),
    ActionSpec("light", "View", "Light theme", "Drawing office", lambda w: w.choose_theme("light"), "", False),
    ActionSpec("dark", "View", "Dark theme", "For the evening", lambda w: w.choose_theme("dark"), "", False),
    ActionSpec(
        "desktop",
        "View",
        "Theme of the desktop",
        "Light or dark as elsewhere",
        lambda w: w.choose_theme("desktop"),
        "",
        False,
    ),
    ActionSpec(
        "help", "Help", "Explain this row", "What it is, usual values, how to measure it", lambda w: w.explain(), "F1"
    ),
    ActionSpec("shortcuts", "Help", "Shortcuts", "All keys", lambda w: w.say("shortcuts"), "Ctrl+F1", False),
    ActionSpec(
        "cautions", "Help", "Cautions", "Propellers, batteries, first flights", lambda w: w.say("cautions"), "", False
    ),
    ActionSpec("about", "Help", "About Fusus", "Version and licence", lambda w: w.say("about"), "", False),
)
