"""Public functions of the core say what they take and give: names as in the signature, arrays with shape, unit, frame."""

import importlib
import inspect
import pkgutil
import re

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


def test_docstrings():
    assert len(FUNCTIONS) > 400
    assert not [f"{name}: {words}" for name, function in FUNCTIONS.items() for words in faults(name, function)]
