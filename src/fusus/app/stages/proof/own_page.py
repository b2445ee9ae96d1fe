"""The maker's own estimator beside Fusus' filters: what was found, its verdicts, and both errors over one another."""

from html import escape
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QLabel, QMessageBox, QVBoxLayout, QWidget

from fusus.app.figures.rows import Cell, RowsTable
from fusus.app.figures.series import SeriesFigure
from fusus.app.session import Session
from fusus.app.stages.inputs import choice_box, fill_names, input_line, push_button
from fusus.app.text import SHOWN as SHOWN_UNITS
from fusus.app.text import shown_limit
from fusus.firmware.running.isolation import isolation_words
from fusus.project.commands import SetValue

ABOUT = (
    "Have you written your own filter in C? Put own_estimator.h beside it (“Write the interface”), implement own_init() and own_step(), "
    "and choose the folder: Fusus compiles it apart from the machine, runs it on recordings, on a simulated flight and on a motion made up "
    "for proving, judges it like its own filters, and looks for memory that is not its own and for common implementation errors."
)
# More sentences than these would leave no room for the curves.
MOST_SENTENCES = 8
WORDS = {"pass": "fine", "close": "mind", "fail": "stop"}
SHOWN = {"tilt": "tilt error [°]", "heading": "heading error [°]"}


class OwnPage(QWidget):
    """Folder above; sentences, verdicts and the figure of one case below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.folder = QLabel()
        self.folder.setObjectName("own-folder")
        self.folder.setProperty("role", "faint")
        self.choose = push_button(
            "choose-own", "Choose sources …", "Choose the folder with your C sources", self._choose
        )
        tip = "Write own_estimator.h, the header to implement, into a folder"
        self.interface = push_button("own-interface", "Write the interface …", tip, self._write_interface)
        self.run = push_button(
            "run-own", "Compile and run …", "Ask, then run your code in the sandbox", self._ask, is_main=True
        )
        self.words = QLabel(ABOUT)
        self.words.setTextFormat(Qt.TextFormat.RichText)
        self.words.setObjectName("own-words")
        self.words.setWordWrap(True)
        titles = ("over", "requirement", "your code>", "reference filter>", "limit>", "verdict")
        self.table = RowsTable("own-verdicts", "Verdicts on own code", titles, 0)
        self.case = choice_box("own-case", "Over", {})
        self.quantity = choice_box(
            "own-quantity", "Error", {"tilt": "Angle between the vertical axes", "heading": "About down"}
        )
        for box in (self.case, self.quantity):
            box.activated.connect(lambda _=0: self._show_case())
        self.case.setMinimumWidth(220)
        self.figure = SeriesFigure("own-errors", "Own code and Fusus' filter over one another")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(input_line(("Sources", self.folder), self.interface, self.choose, self.run))
        column.addWidget(self.words)
        column.addWidget(self.table, 4)
        column.addWidget(input_line(("Over", self.case), ("Error", self.quantity)))
        column.addWidget(self.figure, 5)

    def _sources(self) -> Path | None:
        document, own = self.session.document, self.session.project.kit.own
        if document is None or not own:
            return None
        return Path(own) if Path(own).is_absolute() else document.folder / own

    def _choose(self) -> None:
        document = self.session.document
        folder = QFileDialog.getExistingDirectory(
            self, "The folder with your C sources", str(document.folder) if document else ""
        )
        if folder:
            self.take(Path(folder))

    def take(self, folder: Path) -> None:
        """Keep a folder as that of the own sources."""
        self.session.do(SetValue("kit.own", str(folder), "Choose own sources"))
        self.draw()

    def _write_interface(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Write own_estimator.h into this folder")
        if folder:
            from fusus.errors import FususError
            from fusus.firmware.writing.render import template
            from fusus.project.atomic import write_atomically

            try:
                write_atomically(Path(folder) / "own_estimator.h", template("own_estimator.h").encode())
            except FususError as error:
                self.session.noticed.emit("stop", str(error))
                return
            self.take(Path(folder))
            self.session.noticed.emit(
                "fine", "Written: own_estimator.h. Implement own_init() and own_step(), then run it."
            )

    def _ask(self) -> None:
        sources = self._sources()
        if sources is None:
            self.session.noticed.emit("mind", "Choose the folder with your C sources first.")
            return
        told = f"The code in {sources} will be compiled and run on this computer, with limits of time, memory and disk. {isolation_words()}"
        box = QMessageBox(QMessageBox.Icon.Question, "Run your own code?", told, parent=self)
        box.setObjectName("ask-own")
        yes = box.addButton("Compile and run", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is yes:
            self.start(sources)

    def start(self, sources: Path) -> None:
        """Run own code over the recording that Fusion looks at and a simulated mission: it has been asked."""
        info = self.session.recording()
        recordings = (info.name,) if info is not None else ()
        self.session.ask("kit.own", sources, recordings, (("mission", 1),))

    def draw(self) -> None:
        """Show the newest result."""
        sources = self._sources()
        self.folder.setText(sources.name if sources is not None else "none chosen")
        self.folder.setToolTip(str(sources or ""))
        self.run.setEnabled(sources is not None)
        study = self.session.answers.result("kit.own")
        if study is None:
            return
        from fusus.study.kit.own import own_words

        words = [escape(w) for w in own_words(study)]
        if len(words) > MOST_SENTENCES:
            words[MOST_SENTENCES - 1 :] = [f"And {len(words) - MOST_SENTENCES + 1} more: fusus check-c tells all."]
        self.words.setText("<br>".join([f"<b>{words[0]}</b>", *words[1:]]) if words else ABOUT)
        self.table.show_rows(_rows(study))
        fill_names(self.case, [c.name for c in study.cases if c.own is not None], 0)
        self._show_case()

    def _show_case(self) -> None:
        study = self.session.answers.result("kit.own")
        case = (
            next((c for c in study.cases if c.name == self.case.currentData() and c.own is not None), None)
            if study
            else None
        )
        if case is None:
            self.figure.show_lines(np.zeros(0), (), "")
            return
        name = str(self.quantity.currentData())
        own, fusus = case.own, case.fusus
        t = own.t_s - case.t_s[0]
        ours = np.degrees(getattr(own, name))
        theirs = np.interp(own.t_s, fusus.t_s, np.degrees(getattr(fusus, name)))
        self.figure.title.setText(f"{case.name}: your code and {case.beside}")
        self.figure.show_lines(t, (("your code", ours), (case.beside, theirs)), SHOWN[name])

    def restyle(self) -> None:
        """Take on the theme's colours."""
        self.figure.restyle()
        self._show_case()


def _rows(study: Any) -> list[tuple[Cell, ...]]:
    """Return a row a requirement of each case, the value of the estimator beside it too."""
    from fusus.core.judgement.verdicts import judge

    out: list[tuple[Cell, ...]] = []
    for c in study.cases:
        if c.words or c.why_not:
            out.append((c.name, c.words or c.why_not, "", "", "", ("not evaluated", "mind")))
        for v in c.verdicts:
            if v.value is None:
                continue
            limit = shown_limit(v.requirement)
            factor, unit = limit / v.requirement.limit, SHOWN_UNITS[v.requirement.unit][1]
            beside = judge(v.requirement, c.fusus).value
            theirs = "–" if beside is None else f"{beside * factor:.2f}{unit}"
            word: Cell = (v.word, WORDS[v.word]) if v.word in WORDS else v.word
            out.append(
                (c.name, v.requirement.title, f"{v.value * factor:.2f}{unit}", theirs, f"{limit:.3g}{unit}", word)
            )
    return out
