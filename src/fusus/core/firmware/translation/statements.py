"""Statements: declarations where C wants them, tuples taken apart, structs changed in place."""

import ast
from dataclasses import dataclass, field
from typing import Any

from fusus.core.firmware.translation.expressions import OPERATORS, Code, Scope, as_type, c_name, express, to_real, truth
from fusus.core.firmware.translation.source import plain_function, source_of
from fusus.core.firmware.translation.types import INT, REAL, Type

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
    comments, at, found = w.scope.source.comments, node.lineno - 1, []
    while at in comments:
        found.insert(0, comments[at])
        at -= 1
    beside = comments.get(node.lineno if not _is_simple(node) else (node.end_lineno or node.lineno))
    text = " ".join([*found, *([beside] if beside else [])]).strip()
    if text:
        w.add(f"/* {text[0].upper()}{text[1:]} */")


def _names(node: ast.AST) -> set[str]:
    return {n.id for n in ast.walk(node) if isinstance(n, ast.Name)}


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
        return all(bool(_names(t.value if isinstance(t, ast.Subscript) else t) & gone) for t in flat)
    if isinstance(node, ast.If):
        return bool(_names(node.test) & gone)
    return isinstance(node, ast.Expr) and bool(_names(node) & gone)


def _declare_early(w: Writer, node: ast.stmt) -> None:
    """Declare what this statement's inner blocks set and later statements of this block need too."""
    loops = {n.target.id for n in ast.walk(node) if isinstance(n, ast.For) and isinstance(n.target, ast.Name)}
    for name in _stored(node):
        if name in loops or w.places.get(name) != w.block or name in w.declared or _declares(node, name):
            continue
        of = w.scope.variables.get(name)
        kind = of.type if of else _type_ahead(w, node, name)
        _declare(w, name, kind)


def _stored(node: ast.AST) -> list[str]:
    out: list[str] = []
    for n in ast.walk(node):
        if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store) and n.id not in out:
            out.append(n.id)
    return out


def _declares(node: ast.stmt, name: str) -> bool:
    """Return whether a statement itself is the first assignment of a name."""
    if not isinstance(node, ast.Assign):
        return False
    return any(isinstance(n, ast.Name) and n.id == name for t in node.targets for n in ast.walk(t) if isinstance(getattr(n, "ctx", None), ast.Store))


def _type_ahead(w: Writer, node: ast.stmt, name: str) -> Type:
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
        return _type_of(w, value) if target.id == name else None
    if isinstance(target, ast.Tuple):
        for k, element in enumerate(target.elts):
            if isinstance(element, ast.Name) and element.id == name:
                if isinstance(value, ast.Tuple):
                    return _type_of(w, value.elts[k])
                return _result_type(w, value).items[k]
    return None


def _type_of(w: Writer, value: ast.expr) -> Type:
    """Return the type of an expression, without reading variables that are not set yet."""
    if isinstance(value, ast.Call) and isinstance(value.func, ast.Name):
        found = w.scope.source.names.get(value.func.id)
        if plain_function(found) is not None:
            return _result_type(w, value)
    try:
        return express(w.scope, value).type
    except KeyError:
        # It is made of variables of the same block that come first: figures, in all kernels.
        return REAL


def _result_type(w: Writer, value: ast.expr) -> Type:
    assert isinstance(value, ast.Call) and isinstance(value.func, ast.Name)
    function = plain_function(w.scope.source.names[value.func.id])
    assert function is not None
    source = source_of(function)
    return w.scope.layout.of(source.hints["return"], w.scope.layout.prefix(function.__module__), "return")


def _c_type(w: Writer, of: Type) -> str:
    if of.kind == "struct":
        return w.scope.layout.struct_name(of.struct)
    return {"real": w.scope.real, "int": "int32_t", "bool": "bool"}[of.kind]


def _declare(w: Writer, name: str, of: Type, value: str | None = None) -> None:
    """Write a declaration, with a value or with zero."""
    w.declared.add(name)
    w.scope.variables[name] = Code(c_name(name), of)
    const = "const " if value is not None and name in w.once else ""
    if of.kind == "tuple":
        w.add(f"{_c_type(w, of.items[0])} {c_name(name)}[{len(of.items)}];")
        return
    zero = {"real": to_real(w.scope, Code("0", INT)).text, "int": "0", "bool": "false"}.get(of.kind)
    if value is None and zero is None:
        raise TypeError(f"{w.scope.source.name}: {name} is declared before it has a value")
    w.add(f"{const}{_c_type(w, of)} {c_name(name)} = {zero if value is None else value};")


def _assign_one(w: Writer, target: ast.expr, value: Code) -> None:
    """Write one target's assignment."""
    if isinstance(target, ast.Name):
        name = target.id
        known = w.scope.variables.get(name)
        if value.type.is_array:
            star = "const " if not _is_written(w, name) else ""
            of = "uint8_t" if value.type.kind == "bytes" else w.scope.real
            w.scope.variables[name] = Code(c_name(name), value.type, root=value.root)
            w.declared.add(name)
            w.add(f"{star}{of} *{c_name(name)} = {value.text};")
            return
        if name not in w.declared:
            _declare(w, name, value.type, f"*{value.text}" if value.points else value.text)
            return
        assert known is not None
        w.add(f"{c_name(name)} = {as_type(w.scope, value, known.type).text};")
        return
    if not isinstance(target, ast.Subscript):
        raise w.scope.refuse(target, "no place to put a value")
    if isinstance(target.slice, ast.Slice):
        array = express(w.scope, target.value)
        w.scope.written.add(array.root)
        width = w.scope.layout.inner.get((w.scope.prefix, ast.unparse(target.value)))
        if width is None:
            raise w.scope.refuse(target, "an array of no known length")
        w.add(f"for (int32_t each = 0; each < {width[0]}; each++) {{")
        w.add(f"{INDENT}{array.text}[each] = {to_real(w.scope, value).text};")
        w.add("}")
        return
    place = express(w.scope, target)
    w.scope.written.add(place.root)
    owner = express(w.scope, target.value)
    if owner.type.kind == "bytes":
        w.add(f"{place.text} = (uint8_t)({value.text});")
    else:
        w.add(f"{place.text} = {as_type(w.scope, value, place.type).text};")


def _is_written(w: Writer, name: str) -> bool:
    """Return whether an array variable's memory is written through it, here or in what it is handed to."""
    body = w.scope.source.tree
    for n in ast.walk(body):
        if isinstance(n, ast.Subscript) and isinstance(n.ctx, ast.Store) and isinstance(n.value, ast.Name) and n.value.id == name:
            return True
        if isinstance(n, ast.Call) and any(isinstance(a, ast.Name) and a.id == name for a in n.args):
            return True
    return False


def _assign(w: Writer, node: ast.Assign) -> None:
    """Write an assignment; of several targets the first takes the value, the others the first."""
    first, *others = node.targets
    if isinstance(first, ast.Tuple):
        _assign_tuple(w, first, node.value)
    elif isinstance(node.value, ast.Call) and _struct_made(w, node.value) is not None:
        _assign_struct(w, first, node.value)
    else:
        value = _tuple_call(w, first, node.value)
        if value is not None:
            _assign_one(w, first, value)
    # A value that goes to several places is worked out once: it may be a call that changes things.
    for other in others:
        _assign_one(w, other, express(w.scope, ast.copy_location(_read(first), node)))


def _read(target: ast.expr) -> ast.expr:
    """Return what was just written, as something to read."""
    return ast.parse(ast.unparse(target), mode="eval").body


def _struct_made(w: Writer, call: ast.Call) -> Any | None:
    """Return the struct that a call makes, or None."""
    found = w.scope.source.names.get(call.func.id) if isinstance(call.func, ast.Name) else None
    return found if isinstance(found, type) and hasattr(found, "__annotations__") else None


def _fields_of(w: Writer, call: ast.Call, cls: Any) -> list[tuple[str, Code]]:
    names = list(w.scope.layout.field_types(cls))
    given = dict(zip(names, call.args, strict=False)) | {k.arg: k.value for k in call.keywords if k.arg}
    types = w.scope.layout.field_types(cls)
    return [(n, as_type(w.scope, express(w.scope, given[n]), types[n])) for n in names]


def _assign_struct(w: Writer, target: ast.expr, call: ast.Call) -> None:
    assert isinstance(target, ast.Name)
    cls = _struct_made(w, call)
    made = ", ".join(f".{c_name(n)} = {v.text}" for n, v in _fields_of(w, call, cls))
    of = Type("struct", struct=cls)
    if target.id not in w.declared:
        _declare(w, target.id, of, f"{{ {made} }}")
    else:
        w.add(f"{c_name(target.id)} = ({_c_type(w, of)}){{ {made} }};")


def _tuple_call(w: Writer, target: ast.expr, value: ast.expr) -> Code | None:
    """Return a value; a tuple that goes to one name is written as an array at once, and then nothing is left to do."""
    if isinstance(value, ast.Call) and isinstance(value.func, ast.Name):
        if plain_function(w.scope.source.names.get(value.func.id)) is not None:
            of = _result_type(w, value)
            if of.kind == "tuple":
                assert isinstance(target, ast.Name)
                if target.id not in w.declared:
                    _declare(w, target.id, of)
                _write_call(w, value, [f"{c_name(target.id)}[{k}]" for k in range(len(of.items))])
                return None
    return express(w.scope, value)


def _write_call(w: Writer, call: ast.Call, outs: list[str]) -> None:
    """Write a call that fills places."""
    assert isinstance(call.func, ast.Name)
    code = w.scope.call(w.scope, w.scope.source.names[call.func.id], call.args)
    inside = ", ".join([code.text[:-1], *(f"&{o}" for o in outs)]) if not code.text.endswith("()") else code.text[:-1]
    w.add(f"{inside});")


def _assign_tuple(w: Writer, target: ast.Tuple, value: ast.expr) -> None:
    if isinstance(value, ast.Tuple):
        _assign_each(w, target.elts, value.elts)
        return
    code = w.scope.variables.get(value.id) if isinstance(value, ast.Name) else None
    if code is not None and code.type.kind == "tuple":
        for k, element in enumerate(target.elts):
            _assign_one(w, element, Code(f"{code.text}[{k}]", code.type.items[k]))
        return
    of = _result_type(w, value)
    outs, late = [], []
    for k, element in enumerate(target.elts):
        if isinstance(element, ast.Name) and element.id == "_":
            name = w.fresh("unused")
            w.add(f"{_c_type(w, of.items[k])} {name};")
            outs.append(name)
        elif isinstance(element, ast.Name):
            if element.id not in w.declared:
                _declare(w, element.id, of.items[k])
            outs.append(c_name(element.id))
        else:
            place = express(w.scope, element)
            w.scope.written.add(place.root)
            if of.items[k].kind == "real":
                outs.append(place.text)
            else:
                name = w.fresh("found")
                w.add(f"{_c_type(w, of.items[k])} {name} = 0;")
                outs.append(name)
                late.append((element, Code(name, of.items[k])))
    assert isinstance(value, ast.Call)
    _write_call(w, value, outs)
    unused = [o for o in outs if o.startswith("unused_")]
    for name in unused:
        w.add(f"(void){name};")
    for element, code in late:
        _assign_one(w, element, code)


def _assign_each(w: Writer, targets: list[ast.expr], values: list[ast.expr]) -> None:
    """Write a tuple's parts one after the other; what a later part still reads is kept first."""
    kept: dict[int, Code] = {}
    for k, value in enumerate(values):
        before = targets[:k]
        reads = {ast.unparse(n) for n in ast.walk(value) if isinstance(n, ast.Name | ast.Subscript | ast.Attribute)}
        if any(ast.unparse(t) in reads for t in before):
            code = express(w.scope, value)
            name = w.fresh("before")
            w.add(f"const {_c_type(w, code.type)} {name} = {code.text};")
            kept[k] = Code(name, code.type)
    # What is kept has to be read before anything is set: the order of lines says so.
    for k, (target, value) in enumerate(zip(targets, values, strict=True)):
        if isinstance(target, ast.Name) and target.id == "_":
            continue
        _assign_one(w, target, kept.get(k) or express(w.scope, value))


def _augmented(w: Writer, node: ast.AugAssign) -> None:
    sign, _ = OPERATORS[type(node.op)]
    place, value = express(w.scope, node.target), express(w.scope, node.value)
    w.scope.written.add(place.root)
    w.add(f"{place.text} {sign}= {as_type(w.scope, value, place.type).text};")


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
    elif isinstance(node.value, ast.Call) and _struct_made(w, node.value) is not None:
        cls = _struct_made(w, node.value)
        of = _c_type(w, Type("struct", struct=cls))
        w.add(f"const {of} out = {{")
        for n, v in _fields_of(w, node.value, cls):
            w.add(f"{INDENT}.{c_name(n)} = {v.text},")
        w.add("};")
        w.add("return out;")
    else:
        w.add(f"return {as_type(w.scope, express(w.scope, node.value), w.returns).text};")


def _return_in_place(w: Writer, value: ast.expr) -> None:
    """Set the fields of the struct that was handed in; what a later field still reads of an earlier one is kept first."""
    assert isinstance(value, ast.Call)
    cls = _struct_made(w, value)
    names = list(w.scope.layout.field_types(cls))
    changed = []
    for name, argument in zip(names, value.args, strict=True):
        same = isinstance(argument, ast.Attribute) and ast.unparse(argument) == f"{w.in_place}.{name}"
        if same:
            continue
        reads = {n.attr for n in ast.walk(argument) if isinstance(n, ast.Attribute) and ast.unparse(n.value) == w.in_place}
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
    ast.Assign: _assign, ast.AugAssign: _augmented, ast.Expr: _expression, ast.If: _if, ast.For: _for, ast.While: _while,
    ast.Return: _return, ast.Break: _break, ast.Continue: _continue,
}  # fmt: skip
