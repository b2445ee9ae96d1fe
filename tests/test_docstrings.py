"""Public functions of the core say what they take and give: names as in the signature, arrays with shape, unit, frame."""

import importlib
import inspect
import pkgutil
import re

import pytest

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


@pytest.mark.parametrize("name", FUNCTIONS)
def test_docstring(name):
    function = FUNCTIONS[name]
    text = inspect.getdoc(function)
    assert text, "no docstring"
    assert text.split("\n")[0].rstrip().endswith((".", ":")) or "\n" in text
    section = re.search(r"Parameters\n-+\n(.*?)(?:\n\n[A-Z]\w+\n-+\n|\Z)", text, re.S)
    if section is None:
        return
    documented = re.findall(r"^(\w+) : (.*)$", section.group(1), re.M)
    assert [d[0] for d in documented] == list(inspect.signature(function).parameters)
    for parameter, kind in documented:
        if kind.startswith("array_like"):
            assert len(re.findall(r", (?![^(]*\))", kind)) == 3, (
                f"{parameter}: kind, shape, unit, frame are due, not “{kind}”"
            )


def test_there_are_enough_of_them():
    assert len(FUNCTIONS) > 80
