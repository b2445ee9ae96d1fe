"""Statements: declarations where C wants them, blocks, comments, and returns that fill places or change a struct."""

import ast
from typing import Any

from fusus.firmware.translation.assigning import assign, augment, fields_of, struct_made
from fusus.firmware.translation.expressions import Code, as_type, c_name, express, truth
from fusus.firmware.translation.types import INT, Type
from fusus.firmware.translation.writer import INDENT, Writer, c_type, declare, declares, names_in, stored, type_ahead


def write_body(w: Writer, body: list[ast.stmt]) -> None:
    """Write the statements of a block."""
    kept_block, w.block = w.block, id(body)
    for node in body:
        if _is_left_out(w, node):
            continue
        _declare_early(w, node)
        _comments(w, node)
        _STATEMENTS[type(node)](w, node)
    w.block = kept_block


def _is_simple(node: ast.stmt) -> bool:
    return not isinstance(node, ast.For | ast.While | ast.If)


def _comments(w: Writer, node: ast.stmt) -> None:
    """Write the comments that stand above a statement, or beside it."""
    comments, at = w.scope.source.comments, node.lineno - 1
    found: list[str] = []
    while at in comments:
        found.insert(0, comments[at])
        at -= 1
    beside = w.scope.source.beside.get(node.lineno if not _is_simple(node) else (node.end_lineno or node.lineno))
    text = " ".join([*found, *([beside] if beside else [])]).strip()
    if text:
        w.add(f"/* {text[0].upper()}{text[1:]} */")


def _is_left_out(w: Writer, node: ast.stmt) -> bool:
    """Return whether a statement only serves what is not on a board: it writes nothing else, or only asks about it."""
    gone = set(w.scope.layout.left_out.get(w.scope.source.name, ()))
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return True  # the docstring
    if not gone:
        return False
    if isinstance(node, ast.Assign | ast.AugAssign):
        targets = node.targets if isinstance(node, ast.Assign) else [node.target]
        flat = [e for t in targets for e in (t.elts if isinstance(t, ast.Tuple) else [t])]
        return all(bool(names_in(t.value if isinstance(t, ast.Subscript) else t) & gone) for t in flat)
    if isinstance(node, ast.If):
        return bool(names_in(node.test) & gone)
    return isinstance(node, ast.Expr) and bool(names_in(node) & gone)


def _declare_early(w: Writer, node: ast.stmt) -> None:
    """Declare what this statement's inner blocks set and later statements of this block need too."""
    loops = {n.target.id for n in ast.walk(node) if isinstance(n, ast.For) and isinstance(n.target, ast.Name)}
    for name in stored(node):
        if name in loops or w.places.get(name) != w.block or name in w.declared or declares(node, name):
            continue
        of = w.scope.variables.get(name)
        kind = of.type if of else type_ahead(w, node, name)
        declare(w, name, kind)


def _expression(w: Writer, node: ast.Expr) -> None:
    w.add(f"{express(w.scope, node.value).text};")


def _if(w: Writer, node: ast.If, opening: str = "if") -> None:
    test = truth(w.scope, express(w.scope, node.test))
    w.add(f"{opening} ({test.text}) {{")
    _inner(w, node.body)
    if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If):
        _if(w, node.orelse[0], "} else if")
        return
    if node.orelse:
        w.add("} else {")
        _inner(w, node.orelse)
    w.add("}")


def _inner(w: Writer, body: list[ast.stmt]) -> None:
    w.depth += 1
    declared = set(w.declared)
    write_body(w, body)
    w.declared = declared
    w.depth -= 1


def _for(w: Writer, node: ast.For) -> None:
    assert isinstance(node.target, ast.Name)
    name = node.target.id
    w.scope.variables[name] = Code(c_name(name), INT)
    w.declared.add(name)
    c = c_name(name)
    if isinstance(node.iter, ast.Tuple):
        values = [express(w.scope, e).text for e in node.iter.elts]
        table = w.fresh(f"{c}s")
        w.add(f"static const int32_t {table}[{len(values)}] = {{ {', '.join(values)} }};")
        w.add(f"for (int32_t each = 0; each < {len(values)}; each++) {{")
        w.add(f"{INDENT}const int32_t {c} = {table}[each];")
    else:
        assert isinstance(node.iter, ast.Call)
        bounds = [express(w.scope, a).text for a in node.iter.args]
        low, high = ("0", bounds[0]) if len(bounds) == 1 else (bounds[0], bounds[1])
        w.add(f"for (int32_t {c} = {low}; {c} < {high}; {c}++) {{")
    _inner(w, node.body)
    w.declared.discard(name)
    w.add("}")


def _while(w: Writer, node: ast.While) -> None:
    w.add(f"while ({truth(w.scope, express(w.scope, node.test)).text}) {{")
    _inner(w, node.body)
    w.add("}")


def _return(w: Writer, node: ast.Return) -> None:
    if node.value is None:
        w.add("return;")
    elif w.in_place:
        _return_in_place(w, node.value)
    elif w.returns.kind == "tuple" and isinstance(node.value, ast.Call):
        code = express(w.scope, node.value)
        w.add(f"{code.text[:-1]}, {', '.join(w.out_names)});")
    elif w.returns.kind == "tuple":
        assert isinstance(node.value, ast.Tuple)
        for name, value, of in zip(w.out_names, node.value.elts, w.returns.items, strict=True):
            w.add(f"*{name} = {as_type(w.scope, express(w.scope, value), of).text};")
        if w.depth > 1:
            w.add("return;")
    elif isinstance(node.value, ast.Call) and struct_made(w, node.value) is not None:
        cls = struct_made(w, node.value)
        w.add(f"const {c_type(w, Type('struct', struct=cls))} out = {{")
        for n, v in fields_of(w, node.value, cls):
            w.add(f"{INDENT}.{c_name(n)} = {v.text},")
        w.add("};")
        w.add("return out;")
    else:
        w.add(f"return {as_type(w.scope, express(w.scope, node.value), w.returns).text};")


def _return_in_place(w: Writer, value: ast.expr) -> None:
    """Set the fields of the struct that was handed in; what a later field still reads of an earlier one is kept first."""
    assert isinstance(value, ast.Call)
    cls = struct_made(w, value)
    names = list(w.scope.layout.field_types(cls))
    changed: list[str] = []
    for name, argument in zip(names, value.args, strict=True):
        same = isinstance(argument, ast.Attribute) and ast.unparse(argument) == f"{w.in_place}.{name}"
        if same:
            continue
        reads = {
            n.attr for n in ast.walk(argument) if isinstance(n, ast.Attribute) and ast.unparse(n.value) == w.in_place
        }
        if reads & set(changed):
            raise w.scope.refuse(argument, "reads what was just replaced")
        of = w.scope.layout.field_types(cls)[name]
        w.add(f"{c_name(w.in_place)}->{c_name(name)} = {as_type(w.scope, express(w.scope, argument), of).text};")
        changed.append(name)


def _break(w: Writer, node: ast.Break) -> None:
    w.add("break;")


def _continue(w: Writer, node: ast.Continue) -> None:
    w.add("continue;")


_STATEMENTS: dict[type, Any] = {
    ast.Assign: assign, ast.AugAssign: augment, ast.Expr: _expression, ast.If: _if, ast.For: _for, ast.While: _while,
    ast.Return: _return, ast.Break: _break, ast.Continue: _continue,
}  # fmt: skip
