"""The requirements strip: limit, predicted, bench and flight of each requirement, always in sight."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QScrollArea, QToolButton, QWidget

from fusus.app import theme
from fusus.app.text import KIND_OF_UNIT, SHOWN, figure, limit_text
from fusus.core.frames.units import from_si
from fusus.core.requirements import Requirement
from fusus.study.proof.verdicts import Judgement

RANK = {"fail": 3, "close": 2, "pass": 1, "not measured": 0}


def worst(judgements: tuple[Judgement, ...], requirement: Requirement, evidence: str) -> dict[str, Any] | None:
    """Return the worst verdict that recordings of one kind of evidence give on a requirement, with its recording."""
    of_kind = ((j.recording, j.verdict(requirement.key)) for j in judgements if j.evidence == evidence)
    found = [{**v, "recording": name} for name, v in of_kind if v is not None and v["value"] is not None]
    return max(found, key=lambda v: (RANK[v["verdict"]], v["value"])) if found else None


def predicted_verdict(requirement: Requirement, value: float, source: str) -> dict[str, Any]:
    """Return a predicted value in the form of a verdict."""
    unit, _ = SHOWN[requirement.unit]
    kept = value <= requirement.limit
    return {
        "verdict": "pass" if kept else "fail", "unit": unit, "value": from_si(value, unit, KIND_OF_UNIT[requirement.unit]),
        "reason": f"predicted on the mission from {source}",
    }  # fmt: skip


class RequirementCell(QWidget):
    """One requirement on the strip."""

    def __init__(
        self,
        requirement: Requirement,
        judgements: tuple[Judgement, ...],
        predicted: float | None,
        bench: float | None,
        simulated: frozenset[str],
    ) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(10, 6, 10, 6)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        grid.addWidget(QLabel(limit_text(requirement)), 0, 0, 1, 4)
        grid.setColumnStretch(3, 1)
        for column, source in enumerate(("predicted", "bench", "flight")):
            verdict = worst(judgements, requirement, source)
            if source == "predicted" and predicted is not None:
                verdict = predicted_verdict(requirement, predicted, "the chosen parts' datasheets")
            if source == "bench" and verdict is None and bench is not None:
                verdict = predicted_verdict(requirement, bench, "what the bench measured of the parts")
            name = QLabel(source)
            name.setProperty("role", "faint")
            value = QLabel("–" if verdict is None else f"{theme.SHAPES[verdict['verdict']]} {figure(verdict['value'])}")
            value.setObjectName(f"strip-{requirement.key}-{source}")
            if verdict is not None:
                value.setStyleSheet(f"color: {theme.tokens().severity(verdict['verdict'])};")
                of = verdict.get("recording")
                where = "" if of is None else f" in {of}{' (simulated)' if of in simulated else ''}"
                value.setToolTip(f"{source}: {verdict['verdict']}{where}, {verdict['reason']}")
            elif source == "predicted":
                value.setToolTip("No prediction yet: choose parts.")
            else:
                value.setToolTip(f"No {source} recording that counts measures this yet.")
            for row, label in ((1, name), (2, value)):
                label.ensurePolished()
                label.setMinimumWidth(label.sizeHint().width())
                grid.addWidget(label, row, column)


class Strip(QScrollArea):
    """All requirements side by side."""

    wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setFixedHeight(theme.px(76))
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)

    def show_requirements(
        self, requirements: tuple[Requirement, ...], judgements: tuple[Judgement, ...], predicted: Sequence[Any] = (),
        bench: Sequence[Any] = (), simulated: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """Show requirements with what is known of each; ``predicted`` are figures of a prediction by datasheets, ``bench``
        those with measured parts, ``simulated`` the recordings that no real board made."""
        values, measured = ({f.requirement: f.value for f in figures} for figures in (predicted, bench))
        body = QWidget()
        body.setObjectName("strip")
        body.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(body)
        row.setContentsMargins(10, 0, 10, 0)
        row.setSpacing(0)
        for i, requirement in enumerate(requirements):
            if i:
                rule = QFrame()
                rule.setFixedWidth(1)
                rule.setStyleSheet(f"background: {theme.tokens().rule};")
                row.addWidget(rule)
            row.addWidget(
                RequirementCell(requirement, judgements, values.get(requirement), measured.get(requirement), simulated)
            )
        if not requirements:
            link = QToolButton()
            link.setText("No requirements yet: say in the brief how good the estimate has to be.")
            link.clicked.connect(self.wanted.emit)
            row.addWidget(link)
        row.addStretch()
        self.setWidget(body)
