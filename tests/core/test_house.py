"""No room of core and jobs is too large to be read at once."""

import ast
from pathlib import Path

SOURCE = Path(__file__).parents[2] / "src" / "galene"
MODULES = sorted(p for folder in ("core", "jobs") for p in (SOURCE / folder).rglob("*.py"))
LONGEST_FILE, LONGEST_FUNCTION = 500, 60
"""Lines; of a function without its docstring, which may be as long as it must."""


def code_lines(function: ast.FunctionDef) -> int:
    """Lines of a function without its docstring."""
    assert function.end_lineno is not None
    count = function.end_lineno - function.lineno + 1
    said = function.body[0]
    if ast.get_docstring(function) is not None and said.end_lineno is not None:
        count -= said.end_lineno - said.lineno + 1
    return count


def test_no_file_and_no_function_is_too_long() -> None:
    long: dict[str, int] = {}
    for module in MODULES:
        text, place = module.read_text(), str(module.relative_to(SOURCE))
        if len(text.splitlines()) > LONGEST_FILE:
            long[place] = len(text.splitlines())
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef) and code_lines(node) > LONGEST_FUNCTION:
                long[f"{place}: {node.name}"] = code_lines(node)
    assert not long
