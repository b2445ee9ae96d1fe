"""Assignments: tuples taken apart, structs made, arrays pointed into."""

import ast
from typing import Any

from fusus.firmware.translation.expressions import OPERATORS, Code, as_type, c_name, express, to_real
from fusus.firmware.translation.source import plain_function
from fusus.firmware.translation.types import NONE, Type
from fusus.firmware.translation.writer import INDENT, Writer, c_type, declare, result_type


def _assign_one(w: Writer, target: ast.expr, value: Code) -> None:
    """Write one target's assignment."""
    if isinstance(target, ast.Name):
        name = target.id
        known = w.scope.variables.get(name)
        if value.type.is_array:
            star = "const " if not _is_written(w, name) else ""
            of = "uint8_t" if value.type.kind == "bytes" else w.scope.real
            if value.type.struct is not None:
                of = w.scope.layout.struct_name(value.type.struct)
            w.scope.variables[name] = Code(c_name(name), value.type, root=value.root)
            w.declared.add(name)
            w.add(f"{star}{of} *{c_name(name)} = {value.text};")
            return
        if value.type.is_record:
            const = "const " if not _is_written(w, name) else ""
            w.scope.variables[name] = Code(c_name(name), value.type, points=True, root=value.root)
            w.declared.add(name)
            w.add(f"{const}{c_type(w, value.type)} *{c_name(name)} = {'' if value.points else '&'}{value.text};")
            return
        if name not in w.declared:
            declare(w, name, value.type, f"*{value.text}" if value.points else value.text)
            return
        assert known is not None
        w.add(f"{c_name(name)} = {as_type(w.scope, value, known.type).text};")
        return
    if isinstance(target, ast.Attribute):
        place = express(w.scope, target)
        w.scope.written.add(place.root)
        w.add(f"{place.text} = {as_type(w.scope, value, place.type).text};")
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
        if isinstance(n, ast.Subscript | ast.Attribute) and isinstance(n.ctx, ast.Store) and _owner(n) == name:
            return True
        if isinstance(n, ast.Call) and any(isinstance(a, ast.Name) and a.id == name for a in n.args):
            return True
    return False


def _owner(place: ast.expr) -> str:
    """Return the variable that a place lies in: m of m.gain[i]."""
    while isinstance(place, ast.Subscript | ast.Attribute):
        place = place.value
    return place.id if isinstance(place, ast.Name) else ""


def assign(w: Writer, node: ast.Assign) -> None:
    """Write an assignment; of several targets the first takes the value, the others the first."""
    first, *others = node.targets
    if isinstance(first, ast.Tuple):
        _assign_tuple(w, first, node.value)
    elif isinstance(node.value, ast.Call) and struct_made(w, node.value) is not None:
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


def struct_made(w: Writer, call: ast.Call) -> Any | None:
    """Return the struct that a call makes, or None."""
    found = w.scope.source.names.get(call.func.id) if isinstance(call.func, ast.Name) else None
    return found if isinstance(found, type) and hasattr(found, "__annotations__") else None


def fields_of(w: Writer, call: ast.Call, cls: Any) -> list[tuple[str, Code]]:
    """Return the fields that a call gives a struct, in its own order."""
    names = list(w.scope.layout.field_types(cls))
    given = dict(zip(names, call.args, strict=False)) | {k.arg: k.value for k in call.keywords if k.arg}
    types = w.scope.layout.field_types(cls)
    return [(n, as_type(w.scope, express(w.scope, given[n]), types[n])) for n in names]


def _assign_struct(w: Writer, target: ast.expr, call: ast.Call) -> None:
    assert isinstance(target, ast.Name)
    cls = struct_made(w, call)
    made = ", ".join(f".{c_name(n)} = {v.text}" for n, v in fields_of(w, call, cls))
    of = Type("struct", struct=cls)
    if target.id not in w.declared:
        declare(w, target.id, of, f"{{ {made} }}")
    else:
        w.add(f"{c_name(target.id)} = ({c_type(w, of)}){{ {made} }};")


def _tuple_call(w: Writer, target: ast.expr, value: ast.expr) -> Code | None:
    """Return a value; a tuple that goes to one name is written as an array at once, and then nothing is left to do."""
    if _result_of_kernel(w, value).kind != "tuple":
        return express(w.scope, value)
    assert isinstance(value, ast.Call) and isinstance(target, ast.Name)
    of = _result_of_kernel(w, value)
    if target.id not in w.declared:
        declare(w, target.id, of)
    _write_call(w, value, [f"{c_name(target.id)}[{k}]" for k in range(len(of.items))])
    return None


def _result_of_kernel(w: Writer, value: ast.expr) -> Type:
    """Return what a call of a kernel returns; nothing for anything else."""
    is_kernel = (
        isinstance(value, ast.Call)
        and isinstance(value.func, ast.Name)
        and plain_function(w.scope.source.names.get(value.func.id))
    )
    return result_type(w, value) if is_kernel else NONE


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
    of = result_type(w, value)
    outs, late = [], []
    for k, element in enumerate(target.elts):
        if isinstance(element, ast.Name) and element.id == "_":
            name = w.fresh("unused")
            w.add(f"{c_type(w, of.items[k])} {name};")
            outs.append(name)
        elif isinstance(element, ast.Name):
            if element.id not in w.declared:
                declare(w, element.id, of.items[k])
            outs.append(c_name(element.id))
        else:
            place = express(w.scope, element)
            w.scope.written.add(place.root)
            if of.items[k].kind == "real":
                outs.append(place.text)
            else:
                name = w.fresh("found")
                w.add(f"{c_type(w, of.items[k])} {name} = 0;")
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
            w.add(f"const {c_type(w, code.type)} {name} = {code.text};")
            kept[k] = Code(name, code.type)
    # What is kept has to be read before anything is set: the order of lines says so.
    for k, (target, value) in enumerate(zip(targets, values, strict=True)):
        if isinstance(target, ast.Name) and target.id == "_":
            continue
        _assign_one(w, target, kept.get(k) or express(w.scope, value))


def augment(w: Writer, node: ast.AugAssign) -> None:
    """Write an assignment that adds to what is there."""
    sign, _ = OPERATORS[type(node.op)]
    place, value = express(w.scope, node.target), express(w.scope, node.value)
    w.scope.written.add(place.root)
    w.add(f"{place.text} {sign}= {as_type(w.scope, value, place.type).text};")
