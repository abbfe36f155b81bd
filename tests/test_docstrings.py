"""What docstrings say of parameters holds for the signatures beside them."""

import ast
import importlib
import inspect
import re
from collections.abc import Iterator
from pathlib import Path

import comb

FUNCTIONS = (ast.FunctionDef, ast.AsyncFunctionDef)
SOURCES = sorted(Path(comb.__file__).parent.rglob("*.py"))


def described(docstring: str, section: str = "Parameters") -> list[str] | None:
    """The names in a section; None where there is no such section."""
    pattern = rf"^{section}\n-+\n(.*?)(?=\n\n|\Z)"
    found = re.search(pattern, inspect.cleandoc(docstring), re.DOTALL | re.MULTILINE)
    if found is None:
        return None
    heads = [line.partition(" : ")[0] for line in found[1].splitlines() if not line.startswith(" ")]
    return [name.strip().lstrip("*") for head in heads for name in head.split(",")]


def taken(function: ast.FunctionDef | ast.AsyncFunctionDef) -> list[str]:
    """The names of the parameters of a function."""
    arguments = function.args
    every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg]
    return [one.arg for one in every if one is not None and one.arg not in ("self", "cls")]


def documented(path: Path) -> Iterator[tuple[str, str, list[str]]]:
    """Each function and class of a module: its name, its docstring, the parameters of what is called."""
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        called: ast.AST | None = node
        if isinstance(node, ast.ClassDef):
            called = next((one for one in node.body if isinstance(one, FUNCTIONS) and one.name == "__init__"), None)
        if isinstance(node, (*FUNCTIONS, ast.ClassDef)) and isinstance(called, FUNCTIONS):
            yield f"{path.name}:{node.lineno} {node.name}", ast.get_docstring(node) or "", taken(called)


def test_parameters_that_are_described_are_there() -> None:
    functions = [one for path in SOURCES for one in documented(path)]
    wrong = [(name, set(described(said) or ()) - set(have)) for name, said, have in functions]
    assert len(functions) > 2_000 and [one for one in wrong if one[1]] == []


def there_is(name: str) -> bool:
    """Whether a dotted name is a module, or something in one."""
    parts = name.split(".")
    for count in range(len(parts), 0, -1):
        try:
            found: object = importlib.import_module(".".join(parts[:count]))
        except ImportError:
            continue
        for part in parts[count:]:
            found = getattr(found, part, None)
        return found is not None
    return False


def test_modules_that_are_named_are_there() -> None:
    root = Path(__file__).parent.parent
    kinds = (
        "src/**/*.py",
        "src/**/*.py[xi]",
        "src/**/*.[h]",
        "src/**/*.pxi",
        "docs/*.md",
        "tests/**/*.py",
        "benchmarks/*.py",
    )
    named = [
        (str(path.relative_to(root)), name)
        for kind in kinds
        for path in sorted(root.glob(kind))
        for name in re.findall(r"`(comb(?:\.\w+)+)`", path.read_text("utf-8"))
    ]
    assert len(named) > 80 and [one for one in named if not there_is(one[1])] == []


def test_attributes_that_are_described_are_there_and_all_fields_are() -> None:
    classes = [node for path in SOURCES for node in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(node, ast.ClassDef)]  # fmt: skip
    wrong = []
    for node in classes:
        found = described(ast.get_docstring(node) or "", "Attributes")
        if found is None:
            continue
        fields = {one.target.id for one in node.body if isinstance(one, ast.AnnAssign) and isinstance(one.target, ast.Name)}  # fmt: skip
        parts = list(ast.walk(node))
        there = fields | {one.attr for one in parts if isinstance(one, ast.Attribute)}
        there |= {one.name for one in parts if isinstance(one, FUNCTIONS)}
        there |= {one.id for one in parts if isinstance(one, ast.Name) and isinstance(one.ctx, ast.Store)}
        lacking = {one for one in fields if not one.startswith("_")} - set(found)
        wrong.append((node.name, set(found) - there, lacking))
    assert len(wrong) > 100 and [one for one in wrong if one[1] or one[2]] == []


def test_every_parameter_of_the_methods_of_a_table_is_described() -> None:
    root = Path(comb.__file__).parent / "interface"
    methods = [one for path in sorted(root.glob("*.py")) for one in documented(path)]
    lacking = [(name, set(have) - set(found)) for name, said, have in methods if (found := described(said)) is not None]
    assert len(lacking) > 40 and [one for one in lacking if one[1]] == []
    steps = [name for name, said, have in methods if {"why", "at_most"} <= set(have) and described(said) is None]
    assert [name for name in steps if not name.split()[1].startswith("_")] == []
