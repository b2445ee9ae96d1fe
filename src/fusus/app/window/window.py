"""The main window: stage bar, ledger, sheet, notes, requirements."""

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QGuiApplication,
    QKeyEvent,
)
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from fusus.app import theme
from fusus.app.jobs import Job
from fusus.app.ledger.help import help_for
from fusus.app.ledger.panel import Ledger
from fusus.app.panels.finder import Finder
from fusus.app.panels.notes_panel import NotesPanel
from fusus.app.panels.notice import Busy, Notice
from fusus.app.panels.stage_bar import StageBar
from fusus.app.panels.start import StartScreen
from fusus.app.panels.strip import Strip
from fusus.app.session import Session
from fusus.app.settings import STAGE, THEME, Settings
from fusus.app.stages.base import Sheet, TabbedSheet
from fusus.app.stages.registry import STAGES
from fusus.app.window.menus import build_menus, tell_menus
from fusus.app.window.messages import show_about, show_cautions, show_shortcuts
from fusus.app.window.openings import Openings
from fusus.app.window.routes import findables, follow
from fusus.project.document import Document
from fusus.project.records import Project

# Whose sheets an answer is drawn on as a whole; other answers find their page by themselves.
SHOWN_BY = {"fusion.run": ("fusion",), "proof.verdicts": ("proof",), "parts.prediction": ("parts", "drift")}


class Window(QMainWindow):
    """One project at a time."""

    def __init__(self, settings: Settings) -> None:
        super().__init__()
        self.setWindowTitle("Fusus")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1100, 700)
        self.settings = settings
        self.session = Session(settings, self)
        self.stage = ""
        self._focused_row = ""
        self.openings = Openings(self.session, self)
        self._shape: tuple[object, ...] = ()
        self._sheets: dict[str, Sheet] = {}
        self._build()
        self.actions_by_id = build_menus(self, self)
        tell_menus(self)
        self._connect()
        self.start.show_recent(self.session.recent())

    # Building

    def _build(self) -> None:
        self.stage_bar = StageBar([(s.name, s.title) for s in STAGES])
        self.ledger, self.notes_panel, self.strip = Ledger(), NotesPanel(), Strip()
        self.sheets = QStackedWidget()
        self.notice, self.busy = Notice(), Busy()
        middle = QHBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.ledger)
        middle.addWidget(self.sheets, 1)
        middle.addWidget(self.notes_panel)
        self.work = QWidget()
        work = QVBoxLayout(self.work)
        work.setContentsMargins(0, 0, 0, 0)
        work.setSpacing(0)
        work.addWidget(self.stage_bar)
        work.addLayout(middle, 1)
        work.addWidget(self.strip)
        self.start = StartScreen()
        self.pages = QStackedWidget()
        self.pages.addWidget(self.start)
        self.pages.addWidget(self.work)
        body = QWidget()
        body.setObjectName("page")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.notice)
        column.addWidget(self.pages, 1)
        column.addWidget(self.busy)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        session = self.session
        session.opened.connect(self._on_opened)
        session.project_changed.connect(self._on_project)
        session.recordings_changed.connect(lambda: self.show_stage(self.stage, rebuild=True))
        session.signals_wanted.connect(self._show_signals)
        session.answers.ready.connect(self._on_answer)
        session.noticed.connect(self.notice.tell)
        session.busy.connect(self._on_busy)
        self.stage_bar.chosen.connect(self.show_stage)
        self.ledger.row_focused.connect(self._row_focused)
        self.notes_panel.followed.connect(self.follow)
        self.strip.wanted.connect(lambda: self.show_stage("brief"))
        self.start.demo_wanted.connect(self.openings.open_demo)
        self.start.new_wanted.connect(self.openings.ask_new)
        self.start.log_wanted.connect(self.openings.ask_import)
        self.start.project_wanted.connect(lambda folder: self.session.open(Path(folder)))

    # Showing

    def _on_opened(self, document: Document) -> None:
        self.pages.setCurrentWidget(self.work)
        self._drop_sheets()
        self.notice.hide()
        wanted = self.settings.get(STAGE)
        self.show_stage(wanted if any(s.name == wanted for s in STAGES) else STAGES[0].name, rebuild=True)
        self._show_requirements()
        tell_menus(self)

    def _drop_sheets(self) -> None:
        for sheet in self._sheets.values():
            self.sheets.removeWidget(sheet)
            sheet.deleteLater()
        self._sheets = {}

    def _on_project(self, project: Project) -> None:
        shape = self._ledger_shape(project)
        self._show_names(project)
        self._show_requirements()
        tell_menus(self)
        if shape != self._shape:
            self.show_stage(self.stage, rebuild=True)
        elif self.stage in ("brief", "kit"):
            self._refresh_sheet(self.stage)
        self._show_notes()

    def _ledger_shape(self, project: Project) -> tuple[object, ...]:
        """Return what decides which rows the ledger has; figures alone do not."""
        requirements = tuple((r.quantity, r.outage_s) for r in project.brief.requirements)
        fusion, parts = project.fusion, project.parts
        chosen = (parts.imu, parts.barometer, parts.magnetometer, parts.receiver, parts.rangefinder)
        inertia = project.brief.craft.inertia_x_kg_m2 is None
        return (
            self.stage, requirements, project.brief.place is None, fusion.estimators[0], fusion.recording, chosen, inertia,
            parts.own, tuple((c.kind, c.when) for c in project.bench.in_force().values()), len(project.bench.measured),
            project.kit.exported,
        )  # fmt: skip

    def show_stage(self, name: str, rebuild: bool = False) -> None:
        """Show a stage."""
        if self.session.document is None or (name == self.stage and not rebuild):
            return
        stage = next((s for s in STAGES if s.name == name), STAGES[0])
        self.stage = stage.name
        self.settings.put(STAGE, stage.name)
        self.stage_bar.choose(stage.name)
        self._shape = self._ledger_shape(self.session.project)
        self._focused_row = ""
        self.ledger.clear()
        stage.build_ledger(self.session, self.ledger)
        sheet = self._sheets.get(stage.name)
        if sheet is None:
            sheet = stage.build_sheet(self.session)
            for figure in sheet.findChildren(QWidget):
                failed = getattr(figure, "failed", None)
                if failed is not None:
                    failed.connect(lambda text: self.notice.tell("stop", text))
            self._sheets[stage.name] = sheet
            self.sheets.addWidget(sheet)
        else:
            sheet.refresh()
        self.sheets.setCurrentWidget(sheet)
        self._show_names(self.session.project)
        self._show_notes()

    def _show_signals(self) -> None:
        self.show_stage("fusion")
        sheet = self._sheets.get("fusion")
        if isinstance(sheet, TabbedSheet):
            sheet.show_page("signals")

    def _refresh_sheet(self, name: str) -> None:
        if name in self._sheets and self.stage == name:
            self._sheets[name].refresh()
        self._show_notes()

    def _show_names(self, project: Project) -> None:
        about = project.brief.about
        read_only = self.session.document is not None and self.session.document.read_only
        self.stage_bar.show_craft(project.name, "read-only" if read_only else about)
        self.setWindowTitle(f"{project.name} – Fusus" + (" (read-only)" if read_only else ""))

    def _show_requirements(self) -> None:
        if self.session.document is not None:
            predicted = self.session.prediction
            study = predicted.study if predicted is not None else None
            figures = study.prediction.figures if study is not None else ()
            # Once the bench has measured parts, the prediction splits: datasheets alone, and with what was measured.
            printed = study.by_datasheet if study is not None else None
            # What a simulation or the stand-in made is no evidence of a real craft.
            project, simulated = self.session.project, self.session.simulated()
            counting = tuple(j for j in self.session.judgements if project.counts(j.recording in simulated))
            self.strip.show_requirements(
                project.brief.requirements, counting, printed or figures, figures if printed else (), simulated
            )

    def _show_notes(self) -> None:
        if self.session.document is None:
            return
        for stage in STAGES:
            self.stage_bar.buttons[stage.name].show_state(stage.state(self.session))
            if stage.name == self.stage:
                self.notes_panel.show_notes(stage.notes(self.session), stage.caution)

    def _on_answer(self, question: str) -> None:
        if question in ("proof.verdicts", "parts.prediction"):
            self._show_requirements()
        for name in SHOWN_BY.get(question, ()):
            if name in self._sheets and self.stage == name:
                self._sheets[name].refresh()
        self._show_notes()

    def _on_busy(self, job: Job | None) -> None:
        self.busy.watch(job)
        if self.session.document is not None:
            self._show_notes()

    # Going places

    def follow(self, link: str) -> None:
        """Go where a note points."""
        follow(self, link)

    def _row_focused(self, path: str) -> None:
        self._focused_row = path

    def explain(self) -> None:
        """Show help on the row that was entered last."""
        found = help_for(self._focused_row) if self._focused_row else None
        if found is None:
            self.notice.tell("fine", "Click into a row of the ledger first; F1 then explains it.")
        else:
            self.notes_panel.show_help(found)

    def focus_ledger(self) -> None:
        """Put the focus on the first row."""
        if self.ledger.rows:
            self.ledger.reveal(next(iter(self.ledger.rows)))

    def run_stage(self) -> None:
        """Compute the shown stage again."""
        if self.stage == "fusion":
            self.session.run_fusion(force=True)
        elif self.stage == "parts":
            self.session.rank()
        elif self.stage == "bench":
            self.session.ask("bench.due")
        elif self.stage == "loops":
            self.session.ask("loops.study")
        elif self.stage == "drift":
            self.session.predict(force=True)
        else:
            self.session.recompute()

    def find_anything(self) -> None:
        """Open the finder."""
        finder = Finder(findables(self), self)
        finder.exec()
        finder.deleteLater()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        # Only keys that nobody else wanted come here: Escape in a row brings the row's value back first.
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.notes_panel.show_help(None)
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and any(u.isLocalFile() for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        files = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()] if data is not None else []
        if files and event is not None:
            event.acceptProposedAction()
            QTimer.singleShot(0, lambda: self.openings.take_files(files))

    # Look and help

    def choose_theme(self, name: str) -> None:
        """Use a theme from now on."""
        self.settings.put(THEME, name)
        apply_theme(name)
        if self.session.document is not None:
            for sheet in self._sheets.values():
                sheet.restyle()
            self.show_stage(self.stage, rebuild=True)
            self._show_requirements()
            self.stage_bar.update()

    def say(self, what: str) -> None:
        """Show shortcuts, cautions, or what this is."""
        {"shortcuts": show_shortcuts, "cautions": show_cautions, "about": show_about}[what](self)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.captures.forget()
        self.session.jobs.shut_down()
        self.session.close()
        super().closeEvent(event)


def apply_theme(name: str) -> None:
    """Apply light, dark or the desktop's theme."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        return
    if name == "desktop":
        hints = QGuiApplication.styleHints()
        name = "dark" if hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark else "light"
    theme.set_theme(app, theme.DARK if name == "dark" else theme.LIGHT)
