"""Requirements against recordings, and under the table the stretch of time that decides the chosen cell."""

from functools import partial
from typing import Any

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtWidgets import QHeaderView, QLabel, QVBoxLayout, QWidget

from fusus.app.answers.proof import OWN
from fusus.app.figures.errors import ErrorCurve, ErrorFigure
from fusus.app.panels.strip import predicted_verdict
from fusus.app.session import Session
from fusus.app.stages.inputs import input_line, push_button
from fusus.app.stages.proof.actions import own_case
from fusus.app.stages.proof.verdict_table import VERDICT, Column, VerdictModel, verdict_view
from fusus.app.text import shown_limit
from fusus.core.requirements import Requirement
from fusus.study.proof.verdicts import Judgement

WORDS = (
    "pass: the whole 95 % interval lies within the limit; close: the value does, its interval does not; fail: the value lies above. "
    "The 95 % intervals allow for how long errors last, the reference's own uncertainty in them."
)
SIGNED = ("height", "heading")


class VerdictPage(QWidget):
    """Table above, figure of the chosen cell below."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.model = VerdictModel()
        self.table = verdict_view(self.model)
        selection = self.table.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(lambda index, _old: self._explain(index))
        self.table.doubleClicked.connect(self._open)
        self.reason = QLabel()
        self.reason.setWordWrap(True)
        self.reason.setObjectName("verdict-reason")
        self.reason.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.reason.setToolTip(WORDS)
        self.figures = {
            unit: ErrorFigure(f"deciding-{name}", "The stretch that decides", "", unit)
            for unit, name in (("°", "angle"), ("m", "length"), ("m/s", "speed"))
        }
        self.whole = push_button(
            "deciding-whole", "Whole recording", "Show the whole recording again", lambda: self._zoom(False)
        )
        near_tip = "Show the stretch that decides, and what lies round it"
        self.near = push_button("deciding-near", "Deciding stretch", near_tip, lambda: self._zoom(True))
        self.pool = push_button(
            "pool-flights", "All flights together", "Judge all flights as one", lambda: session.ask("proof.pooled")
        )
        self.line = input_line(self.whole, self.near, self.pool)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 14, 8)
        column.setSpacing(6)
        column.addWidget(self.table, 7)
        column.addWidget(self.reason)
        for figure in self.figures.values():
            column.addWidget(figure, 4)
            figure.hide()
        column.addWidget(self.line)
        self._suit()

    def draw(self) -> None:
        """Show the judgements that lie on the session."""
        requirements = self.session.project.brief.requirements
        index = self.table.currentIndex()
        chosen = self.model.place(index)
        self.model.show(requirements, self._columns())
        header = self.table.horizontalHeader()
        if header is not None:
            few = self.model.columnCount() <= 4
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch if few else QHeaderView.ResizeMode.Interactive)
        if chosen is not None and chosen[0] in requirements:
            column = self.model.column_of(chosen[1].recording, chosen[1].source)
            if column >= 0:
                self.table.setCurrentIndex(self.model.index(requirements.index(chosen[0]), column))
        if not self.session.recordings():
            self.reason.setText("No recording yet. Import a log with a reference; its verdicts appear here.")
        elif not self.model.rowCount():
            self.reason.setText("No requirements yet: say in Brief how good the estimate has to be.")
        elif not self.table.currentIndex().isValid():
            self.reason.setText(
                "Choose a cell to see why it says so, and the stretch of time that decides it. " + WORDS
            )
        self._suit()

    def _columns(self) -> tuple[Column, ...]:
        out = [c for c in self._predicted() if c is not None]
        simulated = self.session.simulated()
        for j in sorted(self.session.judgements, key=lambda j: (j.evidence, j.recording)):
            kind = j.evidence + (f" ({j.kind})" if j.kind != j.evidence else "")
            kind = f"simulated {kind}" if j.recording in simulated else kind
            out.append(Column(j.recording, kind, partial(_of_fusus, j), j.error or "", j.recording, "fusus"))
            if j.board is not None:
                why = j.board["error"] or ""
                out.append(Column(j.recording, "the board's own", partial(_of_board, j), why, j.recording, "board"))
            out += self._own(j.recording, j.recording)
        study = self.session.answers.result("kit.own")
        known = {j.recording for j in self.session.judgements}
        for case in study.cases if study is not None else ():
            if case.name not in known:  # a simulated flight: it has no recording to look at
                out += self._own(case.name, "")
        pooled = self.session.answers.result("proof.pooled")
        if pooled is not None:
            found = {v["requirement"]: v for v in pooled["verdicts"]}
            age = "" if self.session.answers.is_current("proof.pooled") else ", before the last change"
            out.append(
                Column("all flights", f"{len(pooled['recordings'])} pooled{age}", lambda r: found.get(r.key), "–")
            )
        return tuple(out)

    def _own(self, name: str, recording: str) -> list[Column]:
        """Return what the maker's own code made of a recording or a simulated flight, where it was tried."""
        case = own_case(self.session, name)
        if case is None:
            return []
        age = "" if self.session.answers.is_current("kit.own") else ", before the last change"
        return [Column(name, f"own code{age}", partial(_of_own, case), case.words or case.why_not, recording, OWN)]

    def _predicted(self) -> tuple[Column | None, ...]:
        """Return what was predicted by datasheets, and with what the bench measured of the parts."""
        predicted = self.session.prediction
        study = predicted.study if predicted is not None else None
        if study is None:
            return ()
        printed = {f.requirement: f.value for f in (study.by_datasheet or study.prediction.figures)}
        measured = {f.requirement: f.value for f in study.prediction.figures} if study.by_datasheet else {}
        by_sheet, by_bench = "the chosen parts' datasheets", "what the bench measured of the parts"
        out = [Column("predicted", "by datasheets", lambda r: _figure(r, printed, by_sheet), "–")]
        if measured:
            out.append(Column("predicted", "parts as measured", lambda r: _figure(r, measured, by_bench), "–"))
        return tuple(out)

    def _explain(self, index: QModelIndex) -> None:
        found = self.model.place(index)
        v = index.data(VERDICT) if index.isValid() else None
        if v is None or found is None:
            return
        requirement, column = found
        decides = v.get("deciding")
        far = (
            f" Deciding: {decides['start_s']:.0f} to {decides['end_s']:.0f} s, {decides['share']:.0%} of it comes from there."
            if decides and decides.get("share") is not None else ""
        )  # fmt: skip
        where = (
            f"{v.get('title', requirement.title)} in {column.title}"
            if column.recording
            else f"{requirement.title}, {column.title}"
        )
        source = {"board": ", the board's own", OWN: ", own code"}.get(column.source, "")
        self.reason.setText(f"{where}{source}: {v['verdict']}, because {v['reason']}.{far}")
        if column.recording and v["value"] is not None:
            self._ask_stretch(column.recording, requirement.key, column.source)

    def _ask_stretch(self, recording: str, requirement: str, source: str) -> None:
        session = self.session
        done = session.fusion.study if session.fusion is not None and session.fusion_is_current else None
        own = own_case(session, recording) if source == OWN else None
        session.answers.ask("proof.stretch", recording, requirement, source, given=(done, own), force=True)

    def _stretch(self) -> tuple[Any, Any]:
        """Return the stretch that was asked for last, and its envelope; None and None before."""
        found: tuple[Any, Any] = self.session.answers.result("proof.stretch") or (None, None)
        return found

    def show_stretch(self) -> None:
        """Draw the cell that was asked for."""
        s, curve = self._stretch()
        if s is None:
            return
        unit = {"rad": "°", "m": "m", "m/s": "m/s"}[s.requirement.unit]
        for key, figure in self.figures.items():
            figure.setVisible(key == unit)
        shown = self.figures[unit]
        both = s.requirement.quantity in SIGNED
        whose = {"board": "the board's own estimate", OWN: "own code"}.get(s.source, "the evaluated estimate")
        shown.title.setText(f"{s.requirement.title} error of {whose} over {s.recording}")
        shown.show_curves([ErrorCurve(whose, curve.x, curve.y, None, curve)], shown_limit(s.requirement), both)
        if s.deciding is not None:
            shown.shade([(s.deciding.start_s, s.deciding.end_s)], "decides")
        self._suit()

    def _zoom(self, is_near: bool) -> None:
        s, _ = self._stretch()
        if s is None or (is_near and s.deciding is None):
            return
        d = s.deciding
        start, end = (d.start_s, d.end_s) if is_near else (float(s.t_s[0]), float(s.t_s[-1]))
        for figure in self.figures.values():
            if figure.isVisibleTo(self):
                figure.item.setXRange(start, end, padding=0.15 if is_near else 0.01)

    def _suit(self) -> None:
        s, _ = self._stretch()
        self.whole.setEnabled(s is not None)
        self.near.setEnabled(s is not None and s.deciding is not None)
        self.pool.setEnabled(sum(j.evidence == "flight" for j in self.session.judgements) > 1)

    def _open(self, index: QModelIndex) -> None:
        found = self.model.place(index)
        follow = getattr(self.window(), "follow", None)
        if follow is not None and found is not None and found[1].recording:
            follow(f"recording.{found[1].recording}")

    def restyle(self) -> None:
        """Take on the theme's colours."""
        for figure in self.figures.values():
            figure.restyle()
        self.show_stretch()


def _figure(r: Requirement, values: dict[Requirement, float | None], source: str) -> dict[str, Any] | None:
    value = values.get(r)
    return predicted_verdict(r, value, source) if value is not None else None


def _of_fusus(j: Judgement, r: Requirement) -> dict[str, Any] | None:
    return j.verdict(r.key)


def _of_board(j: Judgement, r: Requirement) -> dict[str, Any] | None:
    return next((v for v in (j.board or {}).get("verdicts", ()) if v["requirement"] == r.key), None)


def _of_own(case: Any, r: Requirement) -> dict[str, Any] | None:
    from fusus.study.fusion.summary import verdict

    found = case.verdict(r.key)
    return verdict(found, float(case.t_s[0])) if found is not None else None
