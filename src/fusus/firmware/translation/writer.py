"""A function body as it is written: what is declared where, and the types of what is not set yet."""

import ast
from dataclasses import dataclass, field

from fusus.firmware.translation.expressions import Code, Scope, c_name, express, to_real
from fusus.firmware.translation.source import plain_function, source_of
from fusus.firmware.translation.types import INT, REAL, Type

INDENT = "    "


@dataclass(slots=True)
class Writer:
    """A function body as it is written: lines, the blocks that variables belong to, and what a return fills."""

    scope: Scope
    returns: Type
    places: dict[str, int]  # the block (by id) that each variable is declared in
    once: set[str]  # variables that are set a single time
    in_place: str = ""  # the struct parameter that a returned struct replaces
    out_names: tuple[str, ...] = ()
    lines: list[str] = field(default_factory=list)
    depth: int = 1
    block: int = 0
    declared: set[str] = field(default_factory=set)
    temporaries: int = 0

    def add(self, text: str) -> None:
        """Write one line."""
        self.lines.append(INDENT * self.depth + text)

    def fresh(self, name: str) -> str:
        """Return a name that nothing else has."""
        self.temporaries += 1
        return f"{name}_{self.temporaries}"


def stored(node: ast.AST) -> list[str]:
    """Return the names that a node sets, in their order."""
    out: list[str] = []
    for n in ast.walk(node):
        if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store) and n.id not in out:
            out.append(n.id)
    return out


def declares(node: ast.stmt, name: str) -> bool:
    """Return whether a statement itself is the first assignment of a name."""
    if not isinstance(node, ast.Assign):
        return False
    return name in {n for t in node.targets for n in stored(t)}


def type_ahead(w: Writer, node: ast.stmt, name: str) -> Type:
    """Return the type of a variable from its first assignment in inner blocks."""
    for n in ast.walk(node):
        if not isinstance(n, ast.Assign):
            continue
        for target in n.targets:
            of = _type_in(w, target, n.value, name)
            if of is not None:
                return of
    raise w.scope.refuse(node, f"no type for {name}")


def _type_in(w: Writer, target: ast.expr, value: ast.expr, name: str) -> Type | None:
    if isinstance(target, ast.Name):
        return type_of(w, value) if target.id == name else None
    if isinstance(target, ast.Tuple):
        for k, element in enumerate(target.elts):
            if isinstance(element, ast.Name) and element.id == name:
                if isinstance(value, ast.Tuple):
                    return type_of(w, value.elts[k])
                return result_type(w, value).items[k]
    return None


def type_of(w: Writer, value: ast.expr) -> Type:
    """Return the type of an expression, without reading variables that are not set yet."""
    if isinstance(value, ast.Call) and isinstance(value.func, ast.Name):
        found = w.scope.source.names.get(value.func.id)
        if plain_function(found) is not None:
            return result_type(w, value)
    try:
        return express(w.scope, value).type
    except KeyError:
        # It is made of variables of the same block that come first: figures, in all kernels.
        return REAL


def result_type(w: Writer, value: ast.expr) -> Type:
    """Return what a called kernel returns."""
    assert isinstance(value, ast.Call) and isinstance(value.func, ast.Name)
    function = plain_function(w.scope.source.names[value.func.id])
    assert function is not None
    source = source_of(function)
    return w.scope.layout.of(source.hints["return"], w.scope.layout.prefix(function.__module__), "return")


def c_type(w: Writer, of: Type) -> str:
    """Return the C name of a type."""
    if of.kind == "struct":
        return w.scope.layout.struct_name(of.struct)
    return {"real": w.scope.real, "int": "int32_t", "bool": "bool"}[of.kind]


def declare(w: Writer, name: str, of: Type, value: str | None = None) -> None:
    """Write a declaration, with a value or with zero."""
    w.declared.add(name)
    w.scope.variables[name] = Code(c_name(name), of)
    const = "const " if value is not None and name in w.once else ""
    if of.kind == "tuple":
        w.add(f"{c_type(w, of.items[0])} {c_name(name)}[{len(of.items)}];")
        return
    zero = {"real": to_real(w.scope, Code("0", INT)).text, "int": "0", "bool": "false"}.get(of.kind)
    if value is None and zero is None:
        raise TypeError(f"{w.scope.source.name}: {name} is declared before it has a value")
    w.add(f"{const}{c_type(w, of)} {c_name(name)} = {zero if value is None else value};")


def names_in(node: ast.AST) -> set[str]:
    """Return all names in a node."""
    return {n.id for n in ast.walk(node) if isinstance(n, ast.Name)}
