"""What keeps the code light to carry on: imports run in no circle, and stand at the top but where a
process must start small.
"""

import ast
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import yellowfen

ROOT = Path(yellowfen.__file__).parent
MOST_INNER = 20


def _modules() -> dict[str, ast.Module]:
    return {
        ".".join(("yellowfen", *path.relative_to(ROOT).with_suffix("").parts)): ast.parse(
            path.read_text(encoding="utf-8")
        )
        for path in ROOT.rglob("*.py")
    }


def _imported(tree: ast.AST, known: set[str]) -> set[str]:
    """The project's own modules that a tree imports, wherever the import stands."""
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module and not node.level:
            names = {f"{node.module}.{one.name}" for one in node.names}
            found |= (names | {node.module}) & known
        elif isinstance(node, ast.Import):
            found |= {one.name for one in node.names} & known
    return found


def test_no_imports_run_in_a_circle() -> None:
    modules = _modules()
    known = set(modules)
    arrows = {name: _imported(tree, known) - {name} for name, tree in modules.items()}
    try:
        TopologicalSorter(arrows).prepare()
    except CycleError as circle:
        raise AssertionError(f"imports run in a circle: {' -> '.join(circle.args[1])}") from None


def test_imports_within_functions_are_few() -> None:
    inner = [
        f"{name}.{function.name}: {ast.unparse(node)}"
        for name, tree in _modules().items()
        for function in ast.walk(tree)
        if isinstance(function, ast.FunctionDef | ast.AsyncFunctionDef)
        for node in ast.walk(function)
        if isinstance(node, ast.Import | ast.ImportFrom)
    ]
    assert len(inner) <= MOST_INNER, inner
