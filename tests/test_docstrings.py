"""Public functions of the core say what they take and give: names as in the signature, arrays with shape, unit, frame."""

import importlib
import inspect
import pkgutil
import re
import sys

import fusus.core

MODULES = [m.name for m in pkgutil.walk_packages(fusus.core.__path__, "fusus.core.")]


def public_functions():
    for name in MODULES:
        module = importlib.import_module(name)
        for key, value in vars(module).items():
            function = getattr(value, "py_func", value)
            if not key.startswith("_") and inspect.isfunction(function) and function.__module__ == name:
                yield f"{name}.{key}", function


FUNCTIONS = dict(public_functions())


def faults(name, function):
    """Yield what is wrong with a function's docstring."""
    text = inspect.getdoc(function)
    if not text:
        yield "no docstring"
        return
    if not text.split("\n")[0].rstrip().endswith((".", ":")) and "\n" not in text:
        yield "its line has no end"
    section = re.search(r"Parameters\n-+\n(.*?)(?:\n\n[A-Z]\w+\n-+\n|\Z)", text, re.S)
    if section is None:
        return
    documented = re.findall(r"^(\w+) : (.*)$", section.group(1), re.M)
    if [d[0] for d in documented] != list(inspect.signature(function).parameters):
        yield "its parameters are not those of the signature"
    for parameter, kind in documented:
        if kind.startswith("array_like") and len(re.findall(r", (?![^(]*\))", kind)) != 3:
            yield f"{parameter}: kind, shape, unit, frame are due, not “{kind}”"


# An array in the block of a module, or in a docstring of its own: "name : (shape) unit, frame".
LINE = r"^\s*{} : (?:\([^)]*\)(?: or \([^)]*\))?|any shape) [^,\n]+, \S"
SECTION = r"{}\n-+\n"


def is_array(annotation):
    text = str(annotation)
    kinds = ("ndarray", "ArrayLike", "_Buffer", "Array")
    return any(kind in text for kind in kinds) and "dict" not in text and "Callable" not in text


def arrays_without_shape(function):
    """Yield the array parameters, and the result, that neither the function nor its module describes."""
    text = inspect.getdoc(function) or ""
    block = inspect.getdoc(sys.modules[function.__module__]) or ""
    signature = inspect.signature(function)
    if not re.search(SECTION.format("Parameters"), text):
        for parameter in signature.parameters.values():
            line = LINE.format(parameter.name)
            if is_array(parameter.annotation) and not (re.search(line, text, re.M) or re.search(line, block, re.M)):
                yield parameter.name
    if is_array(signature.return_annotation):
        said = re.search(SECTION.format("Returns"), text) or re.search(r"\([^)]*\b(?:[A-Z]|\d+),[^)]*\)|shape", text)
        if not (said or re.search(LINE.format(function.__name__ + r"\(\)"), block, re.M)):
            yield "its result"


def test_docstrings():
    assert len(FUNCTIONS) > 400
    assert not [f"{name}: {words}" for name, function in FUNCTIONS.items() for words in faults(name, function)]


def test_every_array_has_a_shape_a_unit_and_a_frame():
    looked_at = [f for f in FUNCTIONS.values() if any(map(is_array, f.__annotations__.values()))]
    assert len(looked_at) > 250
    assert not [f"{name}: {array}" for name, f in FUNCTIONS.items() for array in arrays_without_shape(f)]
