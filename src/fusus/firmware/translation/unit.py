"""A C unit: functions in the order that C needs them, with the constants and structs that they use."""

import ast
import math
import re
import textwrap
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from fusus.firmware.translation.expressions import Code, Scope, as_type, c_name, express, literal
from fusus.firmware.translation.foreign_text import harmless
from fusus.firmware.translation.source import Source, comment_above, home_of, plain_function, source_of
from fusus.firmware.translation.statements import write_body
from fusus.firmware.translation.types import INT, NONE, REAL, Layout, Precision, Type, is_same
from fusus.firmware.translation.writer import Writer

WIDTH = 112
# Constants that mean places of the precision, not a size.
ROUNDING: dict[Precision, dict[str, float]] = {"single": {"PLACES": 16.0 * 2.0**-23}, "double": {}}


@dataclass(frozen=True, slots=True)
class Function:
    """A translated function: its C name, its parts as text, and which of its array parameters it writes."""

    name: str
    source: Source
    signature: str
    body: str
    returns: Type
    written: frozenset[str]
    counted: frozenset[str]

    @property
    def text(self) -> str:
        """The whole function with its comment."""
        return f"{comment(self.source.doc)}\n{folded(self.signature)}\n{{\n{self.body}\n}}\n"


@dataclass(slots=True)
class Unit:
    """Functions, constants and structs of one C file; ``entries`` are seen from outside."""

    layout: Layout
    precision: Precision
    entries: tuple[str, ...] = ()
    functions: dict[Callable[..., Any], Function] = field(default_factory=dict)
    constants: dict[str, tuple[str, str, str]] = field(default_factory=dict)  # C name: kind, value, comment
    structs: dict[str, str] = field(default_factory=dict)
    _homes: dict[tuple[str, str], str] = field(default_factory=dict)

    @property
    def real(self) -> str:
        """The C type of figures."""
        return "float" if self.precision == "single" else "double"

    def add(self, kernel: Any) -> Function:
        """Translate a kernel, and before it all that it calls."""
        function = plain_function(kernel) or kernel
        if function not in self.functions:
            self.functions[function] = self._translate(source_of(function))
        return self.functions[function]

    def struct(self, cls: Any) -> str:
        """Return the C name of a struct, written with all that it holds."""
        name = self.layout.struct_name(cls)
        if name not in self.structs:
            lines = []
            for field_name, of in self.layout.field_types(cls).items():
                shape = self.layout.shape(cls, field_name)
                if of.is_array and shape:
                    kind = self.real if of.struct is None else self.struct(of.struct)
                    lines.append(f"    {kind} {c_name(field_name)}[{math.prod(shape)}];")
                else:
                    kind = self.struct(of.struct) if of.kind == "struct" else self._c_type(of)
                    lines.append(f"    {kind} {c_name(field_name)};")
            self.structs[name] = (
                f"{comment(cls.__doc__ or '')}\ntypedef struct {{\n" + "\n".join(lines) + f"\n}} {name};\n"
            )
        return name

    def declarations(self) -> str:
        """Return structs and the functions that are seen from outside, for a header."""
        seen = [f"{folded(f.signature)};" for f in self.functions.values() if f.name in self.entries]
        return "\n".join([*self.structs.values(), *seen])

    def definitions(self) -> str:
        """Return constants and functions, for a C file."""
        lines: list[str] = []
        whole = [(n, v, c) for n, (kind, v, c) in self.constants.items() if kind == "int"]
        if whole:
            lines += ["enum {", *(f"    {n} = {v}," + (f" /* {c} */" if c else "") for n, v, c in whole), "};"]
        for name, (kind, value, said) in self.constants.items():
            if kind == "real":
                lines += [comment(said)] if said else []
                lines.append(f"static const {self.real} {name} = {value};")
        return "\n".join(lines) + "\n\n" + "\n".join(f.text for f in self.functions.values())

    def _c_type(self, of: Type) -> str:
        return {"real": self.real, "int": "int32_t", "bool": "bool", "none": "void"}[of.kind]

    def _constant(self, source: Source, name: str) -> Code:
        if name not in source.names:
            raise KeyError(name)
        value = source.names[name]
        home, there = home_of(source, name)
        c = self._constant_name(home.__name__, there)
        above, beside = comment_above(home, there)
        if isinstance(value, int):
            self.constants.setdefault(c, ("int", str(self.layout.constants.get(c, value)), beside))
            return Code(c, INT)
        if not isinstance(value, float):
            raise TypeError(f"{source.name}: {name} is no figure")
        value = ROUNDING[self.precision].get(there, value)
        self.constants.setdefault(
            c, ("real", literal(value, self.precision), " ".join(t for t in (above, beside) if t))
        )
        return Code(c, REAL)

    def _constant_name(self, module: str, name: str) -> str:
        known = self._homes.get((module, name))
        if known is None:
            prefix = self.layout.prefix(module).upper()
            known = f"{prefix}_{name.lstrip('_')}"
            if known in self._homes.values():
                known = f"{prefix}_{module.rsplit('.', 1)[1].upper()}_{name.lstrip('_')}"
            self._homes[(module, name)] = known
        return known

    def _call(self, scope: Scope, kernel: Any, nodes: list[ast.expr]) -> Code:
        made = self.add(kernel)
        gone = self.layout.left_out.get(made.source.name, ())
        arguments = []
        names = [a.arg for a in made.source.tree.args.args]
        for name, node in zip(names, nodes, strict=True):
            if name in gone:
                continue
            code = express(scope, node)
            wanted = self.layout.of(made.source.hints[name], self.layout.prefix(made.source.function.__module__), name)
            if wanted.kind == "struct":
                arguments.append(code.text if code.points else f"&{code.text}")
            else:
                arguments.append(as_type(scope, code, wanted).text)
            if name in made.written and code.root:
                scope.written.add(code.root)
            if name in made.counted:
                assert isinstance(node, ast.Name)
                scope.counted.add(node.id)
                arguments.append(f"{c_name(node.id)}_rows")
        return Code(f"{made.name}({', '.join(arguments)})", made.returns)

    def _translate(self, source: Source) -> Function:
        prefix = self.layout.prefix(source.function.__module__)
        name = f"{prefix}_{source.name.lstrip('_')}"
        returns = self.layout.of(source.hints["return"], prefix, "return")
        variables: dict[str, Code] = {}
        arguments = [a.arg for a in source.tree.args.args if a.arg not in self.layout.left_out.get(source.name, ())]
        in_place = ""
        for argument in arguments:
            of = self.layout.of(source.hints[argument], prefix, argument)
            variables[argument] = Code(c_name(argument), of, points=of.kind == "struct", root=argument)
            if of.kind == "struct":
                self.struct(of.struct)
            if is_same(of, returns):
                in_place = argument
        scope = Scope(source, self.layout, self.precision, variables, self._constant, self._call)
        outs = _out_names(source, returns)
        counts = Counter(
            n.id for n in ast.walk(source.tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Store)
        )
        # A variable that another call fills is no constant, nor is a parameter.
        filled = {
            e.id
            for n in ast.walk(source.tree)
            if isinstance(n, ast.Assign) and isinstance(n.value, ast.Call)
            for t in n.targets
            if isinstance(t, ast.Tuple)
            for e in t.elts
            if isinstance(e, ast.Name)
        } | {
            n.target.id
            for n in ast.walk(source.tree)
            if isinstance(n, ast.AugAssign) and isinstance(n.target, ast.Name)
        }
        w = Writer(
            scope, returns, _places(source.tree), {v for v, k in counts.items() if k == 1} - filled, in_place, outs,
            declared=set(arguments),
        )  # fmt: skip
        used = {n.id for n in ast.walk(source.tree) if isinstance(n, ast.Name) and isinstance(n.ctx, ast.Load)}
        for argument in arguments:
            if argument not in used:
                w.add(f"(void){c_name(argument)};")
        write_body(w, source.tree.body)
        kept = {a for a in arguments if variables[a].type.is_array or variables[a].type.kind == "struct"}
        written = frozenset(scope.written & kept) | (frozenset({in_place}) if in_place else frozenset())
        signature = self._signature(source, name, returns, arguments, written, scope.counted, in_place, outs)
        body = "\n".join(folded(line) for line in w.lines)
        return Function(name, source, signature, body, NONE if in_place else returns, written, frozenset(scope.counted))

    def _signature(
        self, source: Source, name: str, returns: Type, arguments: list[str], written: frozenset[str],
        counted: set[str], in_place: str, outs: tuple[str, ...],
    ) -> str:  # fmt: skip
        parts = []
        prefix = self.layout.prefix(source.function.__module__)
        for a in arguments:
            of = self.layout.of(source.hints[a], prefix, a)
            const = "" if a in written else "const "
            if of.kind == "struct":
                parts.append(f"{const}{self.struct(of.struct)} *{c_name(a)}")
            elif of.is_array:
                each = "uint8_t" if of.kind == "bytes" else self.real if of.struct is None else self.struct(of.struct)
                parts.append(f"{const}{each} *{c_name(a)}")
            else:
                parts.append(f"{self._c_type(of)} {c_name(a)}")
            if a in counted:
                parts.append(f"int32_t {c_name(a)}_rows")
        result = "void"
        if returns.kind == "tuple":
            for out, of in zip(outs, returns.items, strict=True):
                kind = self.struct(of.struct) if of.kind == "struct" else self._c_type(of)
                parts.append(f"{kind} *{out}")
        elif returns.kind == "struct" and not in_place:
            result = self.struct(returns.struct)
        elif not in_place:
            result = self._c_type(returns)
        static = "" if name in self.entries else "static "
        return f"{static}{result} {name}({', '.join(parts) or 'void'})"


def _out_names(source: Source, returns: Type) -> tuple[str, ...]:
    """Return names for what a tuple's parts are written to: as the last return calls them."""
    if returns.kind != "tuple":
        return ()
    last = [n.value for n in ast.walk(source.tree) if isinstance(n, ast.Return)][-1]
    if not isinstance(last, ast.Tuple):
        return tuple(f"out_{k}" for k in range(len(returns.items)))
    return tuple(f"{e.id}_out" if isinstance(e, ast.Name) else f"out_{k}" for k, e in enumerate(last.elts))


def _places(tree: ast.FunctionDef) -> dict[str, int]:
    """Return the innermost block that holds all uses of each variable, by the block's identity."""
    paths: dict[str, list[int]] = {}

    def common(a: list[int], b: list[int]) -> list[int]:
        out = []
        for x, y in zip(a, b, strict=False):
            if x != y:
                break
            out.append(x)
        return out

    def note(node: ast.AST, path: list[int]) -> None:
        for n in ast.walk(node):
            if isinstance(n, ast.Name):
                paths[n.id] = common(paths[n.id], path) if n.id in paths else path

    def visit(body: list[ast.stmt], path: list[int]) -> None:
        here = [*path, id(body)]
        for node in body:
            if isinstance(node, ast.If):
                _visit_if(node, here)
            elif isinstance(node, ast.For | ast.While):
                note(node.iter if isinstance(node, ast.For) else node.test, here)
                visit(node.body, here)
            else:
                note(node, here)

    def _visit_if(node: ast.If, here: list[int]) -> None:
        note(node.test, here)
        visit(node.body, here)
        if len(node.orelse) == 1 and isinstance(node.orelse[0], ast.If):
            _visit_if(node.orelse[0], here)  # else if: no block of its own
        elif node.orelse:
            visit(node.orelse, here)

    visit(tree.body, [])
    return {name: path[-1] for name, path in paths.items() if path}


def folded(line: str) -> str:
    """Return a long line of C in several, the later ones further in."""
    if len(line) <= WIDTH:
        return line
    inside = len(line) - len(line.lstrip())
    further = inside + (3 if line.lstrip().startswith("/*") else 8)
    # A type stays with its name.
    tied = re.sub(r"\b(const|float|double|int32_t|uint8_t|bool|[A-Z]\w+) (?=[*\w])", r"\1\0", line)
    tied = line if line.lstrip().startswith("/*") else tied
    lines = textwrap.wrap(tied, WIDTH, subsequent_indent=" " * further, break_long_words=False, break_on_hyphens=False)
    return "\n".join(lines).replace("\0", " ")


def comment(text: str) -> str:
    """Return text as a C comment."""
    clean = harmless(text.replace("``", ""))
    if not clean:
        return ""
    return "\n".join(textwrap.wrap(f"/* {clean} */", WIDTH, subsequent_indent="   ", break_long_words=False))
