"""One field of a project by its path, such as ``fusion.mahony.ki`` or ``brief.requirements.0.limit``."""

from dataclasses import fields, is_dataclass, replace
from typing import Any

from pydantic import BaseModel, ValidationError

from fusus.errors import FususError, ParameterError


def value_at(root: Any, path: str) -> Any:
    """Return the value at a path."""
    for part in path.split("."):
        root = root[int(part)] if isinstance(root, tuple) else getattr(root, part)
    return root


def with_value(root: Any, path: str, value: Any) -> Any:
    """Return the root with one value replaced and checked; raises ParameterError for what does not fit."""
    head, _, rest = path.partition(".")
    if isinstance(root, tuple):
        index = int(head)
        changed = with_value(root[index], rest, value) if rest else value
        return (*root[:index], changed, *root[index + 1 :])
    inner = with_value(getattr(root, head), rest, value) if rest else value
    if is_dataclass(root) and not isinstance(root, type):
        known = {f.name for f in fields(root)}
        if head not in known:
            raise ParameterError(path, value, 0, 0, "known field")
        return replace(root, **{head: inner})
    if isinstance(root, BaseModel):
        try:
            return type(root).model_validate({**dict(root), head: inner})
        except ValidationError as error:
            raise FieldError(head, inner, error.errors()[0]["msg"]) from error
    raise TypeError(f"{path} leads into a {type(root).__name__}")


class FieldError(FususError, ValueError):
    """A value does not fit its field."""

    def __init__(self, name: str, value: object, reason: str) -> None:
        self.name, self.value, self.reason = name, value, reason
        super().__init__(f"{name} cannot be {value}: {reason}.")
