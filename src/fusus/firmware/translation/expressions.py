"""Expressions: Python's in, C's out, with types and as few parentheses as C needs to be read safely."""

import ast
import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from fusus.firmware.translation.source import Source, plain_function
from fusus.firmware.translation.types import BOOL, INT, REAL, Layout, Precision, Type

# How tightly operators bind.
ATOM, UNARY, MUL, ADD, SHIFT, LESS, EQUAL, BITS, AND, OR, CHOICE = 100, 90, 80, 70, 60, 50, 45, 40, 20, 15, 10

_MATH = {
    "sqrt": "sqrt", "sin": "sin", "cos": "cos", "tan": "tan", "atan2": "atan2", "acos": "acos", "asin": "asin", "exp": "exp", "log": "log",
    "hypot": "hypot", "floor": "floor",
}  # fmt: skip
_RESERVED = {
    "sin",
    "cos",
    "tan",
    "exp",
    "log",
    "floor",
    "sqrt",
    "double",
    "float",
    "int",
    "short",
    "long",
    "register",
    "signed",
    "near",
    "far",
}
OPERATORS: dict[type, tuple[str, int]] = {
    ast.Add: ("+", ADD), ast.Sub: ("-", ADD), ast.Mult: ("*", MUL), ast.Div: ("/", MUL), ast.Mod: ("%", MUL),
    ast.BitAnd: ("&", BITS), ast.BitOr: ("|", BITS - 2),
}  # fmt: skip
_COMPARE: dict[type, tuple[str, int]] = {
    ast.Lt: ("<", LESS), ast.LtE: ("<=", LESS), ast.Gt: (">", LESS), ast.GtE: (">=", LESS), ast.Eq: ("==", EQUAL), ast.NotEq: ("!=", EQUAL),
}  # fmt: skip


class UntranslatableError(TypeError):
    """A kernel uses something that has no plain C."""


@dataclass(frozen=True, slots=True)
class Code:
    """C for a value; ``points``: whether it is a pointer to a struct; ``root``: the parameter whose memory an array lies in."""

    text: str
    type: Type
    binds: int = ATOM
    points: bool = False
    root: str = ""

    def within(self, binds: int) -> str:
        """Return the text, in parentheses where what stands around it binds more tightly."""
        return self.text if self.binds >= binds else f"({self.text})"


def c_name(name: str) -> str:
    """Return a name that C has no other use for."""
    return f"{name}_" if name in _RESERVED else name


def literal(value: float, precision: Precision) -> str:
    """Return a figure as C writes it in a precision."""
    if math.isnan(value):
        return "NAN"
    if math.isinf(value):
        return "INFINITY" if value > 0 else "-INFINITY"
    text = repr(float(value))
    if "e" in text and "." not in text.split("e")[0]:
        text = text.replace("e", ".0e")
    return text + ("f" if precision == "single" else "")


@dataclass(slots=True)
class Scope:
    """What a function's expressions may mean: its source, its variables, and how to reach constants and other functions."""

    source: Source
    layout: Layout
    precision: Precision
    variables: dict[str, Code]
    constant: Callable[[Source, str], Code]
    call: Callable[["Scope", Any, list[ast.expr]], Code]
    written: set[str] = field(default_factory=set)
    counted: set[str] = field(default_factory=set)

    @property
    def prefix(self) -> str:
        """The prefix of this function's C names."""
        return self.layout.prefix(self.source.function.__module__)

    @property
    def real(self) -> str:
        """The C type of figures."""
        return "float" if self.precision == "single" else "double"

    def refuse(self, node: ast.AST, why: str) -> UntranslatableError:
        """Return the error that a node has no plain C."""
        return UntranslatableError(f"{self.source.name}, line {getattr(node, 'lineno', 0)}: {why}: {ast.unparse(node)}")


def to_real(scope: Scope, code: Code) -> Code:
    """Return a number as a figure."""
    if code.type.kind == "real":
        return code
    if code.text.lstrip("-").isdigit():
        return Code(literal(float(code.text), scope.precision), REAL)
    return Code(f"({scope.real}){code.within(UNARY)}", REAL, UNARY)


def as_type(scope: Scope, code: Code, wanted: Type) -> Code:
    """Return a value turned into what is wanted of it."""
    if wanted.kind == "real" and code.type.is_number:
        return to_real(scope, code)
    if wanted.kind == "bool" and code.type.kind != "bool":
        return truth(scope, code)
    return code


def truth(scope: Scope, code: Code) -> Code:
    """Return a value as a condition."""
    if code.type.kind == "bool":
        return code
    zero = "0" if code.type.kind == "int" else literal(0.0, scope.precision)
    return Code(f"{code.within(EQUAL + 1)} != {zero}", BOOL, EQUAL)


def express(scope: Scope, node: ast.expr) -> Code:
    """Return C for an expression."""
    handler = _HANDLERS.get(type(node))
    if handler is None:
        raise scope.refuse(node, "no C for it")
    return handler(scope, node)


def _constant(scope: Scope, node: ast.Constant) -> Code:
    if isinstance(node.value, bool):
        return Code("true" if node.value else "false", BOOL)
    if isinstance(node.value, int):
        return Code(str(node.value), INT)
    if isinstance(node.value, float):
        return Code(literal(node.value, scope.precision), REAL)
    raise scope.refuse(node, "no figure")


def _name(scope: Scope, node: ast.Name) -> Code:
    if node.id in scope.variables:
        return scope.variables[node.id]
    return scope.constant(scope.source, node.id)


def _attribute(scope: Scope, node: ast.Attribute) -> Code:
    if isinstance(node.value, ast.Name) and node.value.id in ("math", "np"):
        return Code(literal(getattr(math, node.attr), scope.precision), REAL)
    owner = express(scope, node.value)
    if owner.type.kind != "struct":
        raise scope.refuse(node, "no struct")
    types = scope.layout.field_types(owner.type.struct)
    if node.attr not in types:
        raise scope.refuse(node, "no such field")
    dot = "->" if owner.points else "."
    return Code(f"{owner.within(ATOM)}{dot}{c_name(node.attr)}", types[node.attr], root=owner.root)


def _index(scope: Scope, array: Code, nodes: list[ast.expr], where: ast.AST) -> tuple[str, int]:
    """Return the place that indices lead to, and how many dimensions are left."""
    inner = array.type.inner
    terms = []
    for k, node in enumerate(nodes):
        if isinstance(node, ast.Slice):
            if node.upper is not None or node.step is not None or node.lower is None:
                raise scope.refuse(where, "a slice that is no tail")
            code = express(scope, node.lower)
        else:
            code = express(scope, node)
        if code.type.kind != "int":
            raise scope.refuse(where, "an index that is no whole number")
        stride = math.prod(inner[k:])
        if code.text == "0":
            continue
        terms.append(code.within(ADD) if stride == 1 else f"{stride} * {code.within(MUL + 1)}")
    tails = sum(isinstance(n, ast.Slice) for n in nodes)
    return " + ".join(terms) or "0", len(inner) + 1 - len(nodes) + tails


def _subscript(scope: Scope, node: ast.Subscript) -> Code:
    if isinstance(node.value, ast.Attribute) and node.value.attr == "shape":
        return _rows(scope, node)
    array = express(scope, node.value)
    nodes = list(node.slice.elts) if isinstance(node.slice, ast.Tuple) else [node.slice]
    if array.type.kind == "tuple":
        if not isinstance(nodes[0], ast.Constant | ast.BinOp | ast.Name):
            raise scope.refuse(node, "no fixed place in a tuple")
        return Code(f"{array.text}[{express(scope, nodes[0]).text}]", array.type.items[0])
    if not array.type.is_array:
        raise scope.refuse(node, "no array")
    place, left = _index(scope, array, nodes, node)
    if left == 0:
        of = REAL if array.type.kind == "array" else INT
        if array.type.struct is not None:
            of = Type("struct", struct=array.type.struct)
        text = f"{array.within(ATOM)}[{place}]"
        return Code(text, of, root=array.root)
    rest = Type(array.type.kind, inner=array.type.inner[len(array.type.inner) - left + 1 :])
    return Code(f"&{array.within(ATOM)}[{place}]", rest, UNARY, root=array.root)


def _rows(scope: Scope, node: ast.Subscript) -> Code:
    owner = node.value
    assert isinstance(owner, ast.Attribute)
    if not isinstance(owner.value, ast.Name):
        raise scope.refuse(node, "the shape of no parameter")
    name = owner.value.id
    known = scope.layout.rows.get((scope.prefix, name))
    if known is not None:
        return Code(str(known), INT)
    scope.counted.add(name)
    return Code(f"{c_name(name)}_rows", INT)


def _binary(scope: Scope, node: ast.BinOp) -> Code:
    if isinstance(node.op, ast.Pow):
        if not (isinstance(node.right, ast.Constant) and node.right.value == 2):
            raise scope.refuse(node, "a power that is no square")
        return Code(f"square({express(scope, node.left).text})", REAL)
    if isinstance(node.op, ast.FloorDiv):
        return _divided(scope, node)
    if type(node.op) not in OPERATORS:
        raise scope.refuse(node, "an operator without C")
    sign, binds = OPERATORS[type(node.op)]
    left, right = express(scope, node.left), express(scope, node.right)
    of = INT if left.type.kind != "real" and right.type.kind != "real" else REAL
    if isinstance(node.op, ast.Div):
        of = REAL
    if of is REAL:
        left, right = to_real(scope, left), to_real(scope, right)
    if binds < ADD:  # C's own order of bits and sums surprises: say it
        return Code(f"{left.within(UNARY)} {sign} {right.within(UNARY)}", of, binds)
    return Code(f"{left.within(binds)} {sign} {right.within(binds + 1)}", of, binds)


def _divided(scope: Scope, node: ast.BinOp) -> Code:
    """Return a whole quotient of constants, worked out here: C cuts off what Python rounds down, so nothing else is let through."""
    try:
        value = eval(compile(ast.Expression(node), "kernel", "eval"), dict(scope.source.names))
    except NameError:
        raise scope.refuse(node, "a whole quotient of what is no constant") from None
    return Code(str(value), INT)


def _unary(scope: Scope, node: ast.UnaryOp) -> Code:
    inner = express(scope, node.operand)
    if isinstance(node.op, ast.Not):
        return Code(f"!{truth(scope, inner).within(UNARY)}", BOOL, UNARY)
    if isinstance(node.op, ast.USub):
        return Code(f"-{inner.within(UNARY + 1)}", inner.type, UNARY)
    raise scope.refuse(node, "an operator without C")


def _compare(scope: Scope, node: ast.Compare) -> Code:
    parts, left = [], node.left
    for op, right in zip(node.ops, node.comparators, strict=True):
        sign, binds = _COMPARE[type(op)]
        a, b = express(scope, left), express(scope, right)
        if "real" in (a.type.kind, b.type.kind):
            a, b = to_real(scope, a), to_real(scope, b)
        parts.append(Code(f"{a.within(SHIFT)} {sign} {b.within(SHIFT)}", BOOL, binds))
        left = right
    if len(parts) == 1:
        return parts[0]
    return Code(" && ".join(f"({p.text})" for p in parts), BOOL, AND)


def _both(scope: Scope, node: ast.BoolOp) -> Code:
    sign, binds = ("&&", AND) if isinstance(node.op, ast.And) else ("||", OR)
    parts = [truth(scope, express(scope, v)) for v in node.values]
    return Code(f" {sign} ".join(p.text if p.binds >= UNARY else f"({p.text})" for p in parts), BOOL, binds)


def _choice(scope: Scope, node: ast.IfExp) -> Code:
    test, yes, no = truth(scope, express(scope, node.test)), express(scope, node.body), express(scope, node.orelse)
    of = yes.type
    if "real" in (yes.type.kind, no.type.kind):
        yes, no, of = to_real(scope, yes), to_real(scope, no), REAL
    return Code(f"({test.text}) ? {yes.within(CHOICE + 1)} : {no.within(CHOICE)}", of, CHOICE)


def _call(scope: Scope, node: ast.Call) -> Code:
    if isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name) and node.func.value.id == "math":
        args = [express(scope, a) for a in node.args]
        if node.func.attr == "isnan":
            return Code(f"isnan({args[0].text})", Type("bool"))
        if node.func.attr in _MATH:
            suffix = "f" if scope.precision == "single" else ""
            return Code(f"{_MATH[node.func.attr]}{suffix}({', '.join(to_real(scope, a).text for a in args)})", REAL)
    if not isinstance(node.func, ast.Name):
        raise scope.refuse(node, "a call without C")
    name = node.func.id
    if name in ("min", "max"):
        out = express(scope, node.args[0])
        for other in node.args[1:]:
            more = express(scope, other)
            if "real" in (out.type.kind, more.type.kind):
                out = Code(f"real_{name}({to_real(scope, out).text}, {to_real(scope, more).text})", REAL)
            else:
                out = Code(f"int_{name}({out.text}, {more.text})", INT)
        return out
    if name in ("abs", "float", "int", "bool"):
        return _built_in(scope, name, express(scope, node.args[0]))
    found = scope.source.names.get(name)
    if plain_function(found) is None:
        raise scope.refuse(node, "a call of no kernel")
    return scope.call(scope, found, node.args)


def _built_in(scope: Scope, name: str, inner: Code) -> Code:
    if name == "abs":
        return Code(f"fabs{'f' if scope.precision == 'single' else ''}({to_real(scope, inner).text})", REAL)
    if name == "float":
        return to_real(scope, inner)
    if name == "bool":
        return truth(scope, inner)
    if inner.type.kind == "int":
        return inner
    return Code(f"(int32_t){inner.within(UNARY)}", INT, UNARY)


_HANDLERS: dict[type, Callable[[Scope, Any], Code]] = {
    ast.Constant: _constant, ast.Name: _name, ast.Attribute: _attribute, ast.Subscript: _subscript, ast.BinOp: _binary,
    ast.UnaryOp: _unary, ast.Compare: _compare, ast.BoolOp: _both, ast.IfExp: _choice, ast.Call: _call,
}  # fmt: skip
