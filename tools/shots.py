"""Takes the screenshots in docs/screenshots from the demo data: ``./run shots``."""

import shutil
import sys
import tempfile
from pathlib import Path

from PyQt6.QtCore import QSettings, QSize
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QApplication

from fusus.app.__main__ import make_application
from fusus.app.pictures import save, settle, wait_for
from fusus.app.settings import Settings
from fusus.app.stages.fusion.actions import write_report
from fusus.app.stages.kit.actions import prove
from fusus.app.window.window import Window, apply_theme
from fusus.demo.build import build

REPORT_TITLE = "What matters most"
OUT = Path(__file__).parents[1] / "docs" / "screenshots"


def main() -> None:
    """Take all pictures."""
    scratch = Path(tempfile.mkdtemp(prefix="fusus-shots-"))
    try:
        _take(scratch)
    finally:
        shutil.rmtree(scratch, ignore_errors=True)


def _take(scratch: Path) -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    folder = build(scratch / "Dunlin")
    app = make_application(sys.argv[:1])
    apply_theme("light")
    window = Window(Settings(QSettings(str(scratch / "s.ini"), QSettings.Format.IniFormat)))
    window.resize(1280, 800)
    window.show()
    settle(app)
    save(window, OUT / "start.png")

    window.session.open(folder)
    if not wait_for(
        app,
        lambda: (
            window.session.fusion is not None
            and len(window.session.judgements) == 4
            and not window.session.jobs.running
        ),
    ):
        raise RuntimeError("the demo did not finish")
    window.show_stage("fusion")
    wait_for(app, lambda: not window.session.jobs.running, 20)
    settle(app)
    save(window, OUT / "fusion.png")
    _take_proof(window, app)
    _take_report(window, app, scratch / "report.pdf")
    _take_before_buying(window, app)
    _take_bench(window, app)
    _take_fusion(window, app)
    _take_loops(window, app)
    _take_kit(window, app)
    window.close()


# Stage, page, picture; the first page of Brief with help on a row.
PAGES = (
    ("brief", "needs", "brief"),
    ("parts", "catalogue", "parts"),
    ("parts", "suites", "parts-suites"),
    ("drift", "budget", "drift"),
)


def _take_before_buying(window: Window, app: QApplication) -> None:
    """Take Brief, Parts and Drift; the ranking first, for the suite chart."""
    window.session.rank()
    if not wait_for(app, lambda: window.session.ranking is not None and not window.session.jobs.running, 120):
        raise RuntimeError("the ranking did not finish")
    for stage, page, name in PAGES:
        window.show_stage(stage)
        window.sheets.currentWidget().show_page(page)
        wait_for(app, lambda: not window.session.jobs.running, 20)
        if name == "brief":
            window.ledger.row_focused.emit("brief.mission.steel_ut")
            window.explain()
        settle(app)
        save(window, OUT / f"{name}.png")
        window.notes_panel.show_help(None)


def _take_proof(window: Window, app: QApplication) -> None:
    """Take Proof: a cell with its deciding stretch, and why a flight drifted."""
    window.show_stage("proof")
    sheet = window.sheets.currentWidget()
    page = sheet.verdicts
    page.table.setCurrentIndex(page.model.index(3, page.model.column_of("pool-survey")))
    if not wait_for(
        app, lambda: window.session.answers.result("proof.stretch") is not None and not window.session.jobs.running, 60
    ):
        raise RuntimeError("the stretch was not found")
    settle(app)
    save(window, OUT / "proof.png")
    sheet.show_page("causes")
    sheet.causes.recording.setCurrentText("mudflat-drift")
    sheet.causes.button.click()
    if not wait_for(
        app, lambda: window.session.answers.result("proof.causes") is not None and not window.session.jobs.running, 60
    ):
        raise RuntimeError("no causes were found")
    settle(app)
    save(window, OUT / "proof-causes.png")


def _take_report(window: Window, app: QApplication, path: Path) -> None:
    """Take a page of the report, as it is printed."""
    write_report(window.session, path)
    if not wait_for(app, lambda: path.exists() and not window.session.jobs.running, 120):
        raise RuntimeError("no report was written")
    document = QPdfDocument(None)
    document.load(str(path))
    pages = range(document.pageCount())
    page = next((i for i in pages if REPORT_TITLE in document.getAllText(i).text()), 0)
    document.render(page, QSize(900, 1273)).save(str(OUT / "report.png"))


def _take_fusion(window: Window, app: QApplication) -> None:
    """Take Fusion's signals and faults."""
    window.show_stage("fusion")
    sheet = window.sheets.currentWidget()
    sheet.show_page("signals")
    wait_for(
        app, lambda: window.session.answers.result("fusion.signals") is not None and not window.session.jobs.running, 60
    )
    settle(app)
    sheet.signals.point_at(100.0)
    settle(app)
    save(window, OUT / "fusion-signals.png")
    for page in ("faults",):
        sheet.show_page(page)
        window.session.ask_of_recording(f"fusion.{page}")
        if not wait_for(
            app,
            lambda p=page: window.session.answers.is_current(f"fusion.{p}") and not window.session.jobs.running,
            300,
        ):
            raise RuntimeError(f"{page} was not answered")
        settle(app)
        save(window, OUT / f"fusion-{page}.png")


def _take_loops(window: Window, app: QApplication) -> None:
    """Take Loops: the control cycle, step and margins, the ladder, and a closed-loop flight."""
    window.show_stage("loops")
    if not wait_for(app, lambda: window.session.answers.is_current("loops.study") and not window.session.jobs.running):
        raise RuntimeError("the loops were not worked out")
    for page in ("timing", "margins"):
        window.sheets.currentWidget().show_page(page)
        wait_for(app, lambda: not window.session.jobs.running)
        save(window, OUT / f"loops-{page}.png")
    sheet = window.sheets.currentWidget()
    sheet.show_page("flight")
    sheet.flight.scenario.setCurrentText("crossing")
    sheet.flight.button.click()
    if not wait_for(
        app, lambda: window.session.answers.is_current("loops.flights") and not window.session.jobs.running, 200
    ):
        raise RuntimeError("the craft did not fly")
    settle(app)
    save(window, OUT / "loops-flight.png")


def _take_kit(window: Window, app: QApplication) -> None:
    """Take Kit with its code, and Proof with the demo's own filter over Fusus'."""
    window.show_stage("kit")
    if not wait_for(app, lambda: window.session.answers.result("kit.contents") is not None, 60):
        raise RuntimeError("no kit was made")
    prove(window.session)
    if not wait_for(app, lambda: window.session.answers.result("kit.equality") is not None, 900):
        raise RuntimeError("the kit was not proved")
    settle(app)
    save(window, OUT / "kit.png")
    window.show_stage("proof")
    sheet = window.sheets.currentWidget()
    sheet.show_page("own")
    sheet.own.start(window.session.document.folder / window.session.project.kit.own)
    if not wait_for(app, lambda: window.session.answers.result("kit.own") is not None, 120):
        raise RuntimeError("own code was not run")
    settle(app)
    save(window, OUT / "proof-own.png")


# Rows of the demo's calibrations, latest first, and their pictures.
BENCH = ((3, "bench-faces"),)


def _take_bench(window: Window, app: QApplication) -> None:
    """Take Bench with each main figure, from what the stand-in played."""
    window.show_stage("bench")
    sheet = window.sheets.currentWidget()
    sheet.show_page("calibrations")
    for row, name in BENCH:
        shown: list[object] = []
        window.session.answers.ready.connect(lambda q, s=shown: s.append(q) if q == "bench.fit" else None)
        sheet.table.clearSelection()
        sheet.table.selectRow(row)
        if not wait_for(app, lambda s=shown: bool(s) and not window.session.jobs.running, 30):
            raise RuntimeError(f"{name} was not fitted")
        settle(app)
        save(window, OUT / f"{name}.png")
    sheet.show_page("allan")
    sheet.run_allan.click()
    wait_for(app, lambda: sheet._axes is not None and not window.session.jobs.running, 30)
    settle(app)
    save(window, OUT / "bench-allan.png")
    sheet.show_page("book")
    settle(app)
    save(window, OUT / "book.png")
    sheet.show_page("capture")


if __name__ == "__main__":
    main()
