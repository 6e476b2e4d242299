"""Whatever asks for the own password anew has a field for it in its form."""

import ast
import inspect
import re
from collections.abc import Iterator
from textwrap import dedent
from types import FunctionType, ModuleType

from fastapi.routing import APIRoute

from galene.jobs import gates
from galene.web import app as application
from galene.web.shared.templating import FOLDERS

FORM = re.compile(r"<form\b(?P<head>.*?)>(?P<body>.*?)</form>", re.DOTALL)
ACTION = re.compile(r'action="([^"]+)"')


def called(function: FunctionType) -> Iterator[object]:
    """The functions that a function calls by name, of its own module or of another one."""
    function = inspect.unwrap(function)
    for node in ast.walk(ast.parse(dedent(inspect.getsource(function)))):
        if not isinstance(node, ast.Call):
            continue
        known = function.__globals__
        if isinstance(node.func, ast.Name):
            yield known.get(node.func.id)
        elif isinstance(node.func, ast.Attribute) and isinstance(node.func.value, ast.Name):
            owner = known.get(node.func.value.id)
            if isinstance(owner, ModuleType):
                yield getattr(owner, node.func.attr, None)


def proves(function: FunctionType, deep: int = 3) -> bool:
    """Whether a function asks for the own password, by itself or by what it calls."""
    if "act.proves()" in inspect.getsource(function):
        return True
    return deep > 0 and any(
        proves(one, deep - 1)
        for one in called(function)
        if isinstance(one, FunctionType)
        and one.__module__.startswith(("galene.jobs", "galene.web"))
        and one.__module__ != gates.__name__
    )


def asking() -> list[APIRoute]:
    """Every route that may answer that the own password is missing."""
    return [
        route
        for module in application.MODULES
        for route in module.router.routes
        if isinstance(route, APIRoute)
        and "POST" in route.methods
        and isinstance(route.endpoint, FunctionType)
        and proves(route.endpoint)
    ]


def forms() -> Iterator[tuple[str, str, str]]:
    """Template, address and text of every form."""
    for folder in FOLDERS:
        for path in sorted(folder.rglob("*.html")):
            for form in FORM.finditer(path.read_text()):
                if found := ACTION.search(form["head"]):
                    # An id stands where the template puts one in.
                    yield path.name, re.sub(r"\{\{.*?\}\}", "7", found[1]), form["body"]


def test_every_form_that_must_prove_has_the_field() -> None:
    routes, seen = asking(), set[str]()
    assert len(routes) >= 10
    for template, address, body in forms():
        for route in routes:
            if route.path_regex.match(address.partition("?")[0]):
                seen.add(route.path)
                assert "password_again" in body, (template, address)
    assert seen == {route.path for route in routes}, "each has a form"
