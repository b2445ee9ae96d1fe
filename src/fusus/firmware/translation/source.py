"""A kernel's own source: its tree, its annotations, and the comments that stand beside its lines."""

import ast
import inspect
import io
import re
import tokenize
import typing
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from types import ModuleType
from typing import Any

_FOR_TOOLS = re.compile(r"#\s*(fmt:|type:|noqa)")


@dataclass(frozen=True, slots=True)
class Source:
    """A function as it was written; ``comments`` by line of its module: those that stand alone, and those beside code."""

    function: Callable[..., Any]
    tree: ast.FunctionDef
    comments: dict[int, str]
    beside: dict[int, str]
    hints: dict[str, Any]

    @property
    def name(self) -> str:
        """Its name."""
        return self.function.__name__

    @property
    def names(self) -> dict[str, Any]:
        """What its module knows by name."""
        return self.function.__globals__

    @property
    def doc(self) -> str:
        """Its docstring."""
        return inspect.getdoc(self.function) or ""


def plain_function(value: Any) -> Callable[..., Any] | None:
    """Return the Python function behind a kernel, or None for anything else."""
    found = getattr(value, "py_func", None)
    return found if callable(found) else None


def source_of(function: Callable[..., Any]) -> Source:
    """Return what is known of a function's source."""
    module = inspect.getmodule(function)
    if module is None:
        raise TypeError(f"{function.__name__} has no module")
    tree = _tree(module)
    wanted = next(n for n in tree.body if isinstance(n, ast.FunctionDef) and n.name == function.__name__)
    return Source(function, wanted, *_comments(module), typing.get_type_hints(function))


@lru_cache(maxsize=64)
def _tree(module: ModuleType) -> ast.Module:
    return ast.parse(inspect.getsource(module))


@lru_cache(maxsize=64)
def _comments(module: ModuleType) -> tuple[dict[int, str], dict[int, str]]:
    """Return comments by line, those that stand alone and those beside code; those for tools are left out."""
    alone: dict[int, str] = {}
    beside: dict[int, str] = {}
    for token in tokenize.generate_tokens(io.StringIO(inspect.getsource(module)).readline):
        if token.type == tokenize.COMMENT and not _FOR_TOOLS.match(token.string):
            where = beside if token.line[: token.start[1]].strip() else alone
            where[token.start[0]] = re.sub(r"#\s*(fmt|type|noqa).*", "", token.string).lstrip("# ").strip()
    return alone, beside


def comment_above(module: ModuleType, name: str) -> tuple[str, str]:
    """Return what the comments above and beside a constant's definition say, and the unit that its name ends in is left alone."""
    alone, beside = _comments(module)
    for node in _tree(module).body:
        if not isinstance(node, ast.Assign):
            continue
        names = [n.id for t in node.targets for n in ast.walk(t) if isinstance(n, ast.Name)]
        if name in names:
            lines: list[str] = []
            at = node.lineno - 1
            while at in alone:
                lines.insert(0, alone[at])
                at -= 1
            return " ".join(lines), beside.get(node.end_lineno or node.lineno, "")
    return "", ""


def home_of(source: Source, name: str) -> tuple[ModuleType, str]:
    """Return the module that a global name was first defined in, and its name there."""
    module = inspect.getmodule(source.function)
    if module is None:
        raise TypeError(f"{source.name} has no module")
    for node in _tree(module).body:
        if isinstance(node, ast.ImportFrom) and node.module:
            for alias in node.names:
                if (alias.asname or alias.name) == name:
                    import importlib

                    return importlib.import_module(node.module), alias.name
    return module, name
