"""Changes of a project, each a value with a label and ``apply``."""

from dataclasses import dataclass
from typing import Any, Protocol

from fusus.core.parts.part import Part
from fusus.core.requirements import Requirement
from fusus.project.evidence import ASSUMED, Evidence
from fusus.project.paths import value_at, with_value
from fusus.project.records import EarlierValue, MeasuredFigure, Project, StoredCalibration
from fusus.project.references import DeclaredReference


class Command(Protocol):
    """What a document can do and undo."""

    @property
    def label(self) -> str:
        """What it does, for the undo menu."""

    @property
    def merge_key(self) -> str | None:
        """Commands in a row with the same key become one step back; None never merges."""

    def apply(self, project: Project) -> Project:
        """Return the changed project, or raise a FususError."""


@dataclass(frozen=True, slots=True)
class SetValue:
    """Set one field by its path. The figure before it stays on record if it had better than assumed evidence."""

    path: str
    value: Any
    label: str
    evidence: Evidence = ASSUMED
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with the value, its evidence, and the earlier figure on record."""
        before = value_at(project, self.path)
        if before == self.value and project.evidence(self.path) == self.evidence:
            return project
        changed: Project = with_value(project, self.path, self.value)
        old = project.evidence(self.path)
        earlier, provenance = project.earlier, {**project.provenance, self.path: self.evidence}
        if old.source != "assumed" and isinstance(before, (float, int, str)):
            earlier = (*earlier, EarlierValue(path=self.path, value=before, evidence=old))
        if self.evidence == ASSUMED:
            provenance.pop(self.path)
        return changed.model_copy(update={"provenance": provenance, "earlier": earlier})


@dataclass(frozen=True, slots=True)
class SetMany:
    """Several fields at once, one step back."""

    steps: tuple[SetValue, ...]
    label: str
    merge_key: str | None = None
    estimator: str = ""

    def apply(self, project: Project) -> Project:
        """Return the project with all of the values."""
        for step in self.steps:
            project = step.apply(project)
        return project


@dataclass(frozen=True, slots=True)
class AddRequirement:
    """Add a requirement."""

    requirement: Requirement
    label: str = "Add requirement"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with the requirement at the end."""
        found = (*project.brief.requirements, self.requirement)
        return project.model_copy(update={"brief": project.brief.model_copy(update={"requirements": found})})


@dataclass(frozen=True, slots=True)
class RemoveRequirement:
    """Take a requirement off."""

    index: int
    label: str = "Remove requirement"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project without it; evidence by index moves with the others."""
        rest = tuple(r for i, r in enumerate(project.brief.requirements) if i != self.index)
        prefix = "brief.requirements."
        provenance = {}
        for path, evidence in project.provenance.items():
            if path.startswith(prefix):
                index, _, field = path.removeprefix(prefix).partition(".")
                if int(index) == self.index:
                    continue
                path = f"{prefix}{int(index) - (int(index) > self.index)}.{field}"
            provenance[path] = evidence
        brief = project.brief.model_copy(update={"requirements": rest})
        return project.model_copy(update={"brief": brief, "provenance": provenance})


@dataclass(frozen=True, slots=True)
class AddParts:
    """Add parts of the maker's own; one of the same kind and name is replaced."""

    parts: tuple[Part, ...]
    label: str = "Add parts"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with the parts."""
        new = {(p.kind, p.name) for p in self.parts}
        kept = tuple(p for p in project.parts.own if (p.kind, p.name) not in new)
        return project.model_copy(update={"parts": project.parts.model_copy(update={"own": (*kept, *self.parts)})})


@dataclass(frozen=True, slots=True)
class RemovePart:
    """Take one of the maker's own parts off. A catalogue part of the same name shows again."""

    kind: str
    name: str
    label: str = "Remove part"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project without it."""
        kept = tuple(p for p in project.parts.own if (p.kind, p.name) != (self.kind, self.name))
        return project.model_copy(update={"parts": project.parts.model_copy(update={"own": kept})})


@dataclass(frozen=True, slots=True)
class TakeCalibration:
    """Make a calibration active; the one before it of its kind stays on record.

    One of a practice board is kept in a real craft, to look at, and leaves the active one active.
    """

    calibration: StoredCalibration
    label: str = "Use calibration"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with it at the end of its calibrations."""
        taken = self.calibration
        if not project.counts(taken.is_practice):
            earlier, taken = project.bench.calibrations, taken.model_copy(update={"is_in_force": False})
        else:
            earlier = _out_of_force(project, taken.kind)
        bench = project.bench.model_copy(update={"calibrations": (*earlier, taken)})
        return project.model_copy(update={"bench": bench})


@dataclass(frozen=True, slots=True)
class WithdrawCalibration:
    """Take the calibration of a kind out of force; it stays on record."""

    kind: str
    label: str = "Deactivate calibration"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project without any of that kind active."""
        bench = project.bench.model_copy(update={"calibrations": _out_of_force(project, self.kind)})
        return project.model_copy(update={"bench": bench})


@dataclass(frozen=True, slots=True)
class DeclareReference:
    """Say what a recording is held against; ``reference`` None: what it holds itself, as it is."""

    recording: str
    reference: DeclaredReference | None
    label: str = "Declare reference"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with it in the place of an earlier one."""
        others = tuple(r for r in project.proof.references if r.recording != self.recording)
        added = () if self.reference is None else (self.reference,)
        return project.model_copy(update={"proof": project.proof.model_copy(update={"references": others + added})})


def _out_of_force(project: Project, kind: str) -> tuple[StoredCalibration, ...]:
    """Return a project's calibrations with none of a kind active."""
    return tuple(
        c.model_copy(update={"is_in_force": False}) if c.kind == kind else c for c in project.bench.calibrations
    )


@dataclass(frozen=True, slots=True)
class TakeMeasured:
    """Put measured figures beside the datasheet's; earlier ones of the same field stay on record, the latest counts."""

    figures: tuple[MeasuredFigure, ...]
    label: str = "Use measured figures"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project with them at the end."""
        bench = project.bench.model_copy(update={"measured": (*project.bench.measured, *self.figures)})
        return project.model_copy(update={"bench": bench})


@dataclass(frozen=True, slots=True)
class DropMeasured:
    """Go back to the datasheet for all fields of a part."""

    part_kind: str
    part: str
    label: str = "Back to the datasheet"
    merge_key: str | None = None

    def apply(self, project: Project) -> Project:
        """Return the project without the part's measured figures."""
        kept = tuple(m for m in project.bench.measured if (m.part_kind, m.part) != (self.part_kind, self.part))
        return project.model_copy(update={"bench": project.bench.model_copy(update={"measured": kept})})
