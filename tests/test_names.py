"""Rules of the code itself: a name stands for one thing, and what has many parts is written by name."""

import ast
from collections import Counter
from pathlib import Path

import pytest

import yellowfen

ROOT = Path(yellowfen.__file__).parent
MODULES = {path: ast.parse(path.read_text()) for path in sorted(ROOT.rglob("*.py"))}
CLASSES = [
    (path, node)
    for path, module in MODULES.items()
    for node in module.body
    if isinstance(node, ast.ClassDef)
]
MOST_BY_PLACE = 4  # fields of a record
MOST_UNNAMED = 5  # arguments of a call
# Called with as many things of one sort as there are.
OF_ONE_SORT = {"zip", "_put", "submit"}


def test_no_two_public_classes_have_one_name() -> None:
    names = Counter(node.name for _, node in CLASSES if not node.name.startswith("_"))
    assert [name for name, times in names.items() if times > 1] == []


def test_plans_of_different_kinds_are_kept_by_different_names() -> None:
    kept = {
        node.name
        for module in MODULES.values()
        for node in module.body
        if isinstance(node, ast.FunctionDef) and node.name.startswith("keep_")
    }
    assert {"keep_heat_plan", "keep_paste_plan", "keep_ready_plan"} <= kept
    assert "keep_plan" not in kept


def fields_by_place(node: ast.ClassDef) -> int:
    """How many fields of a record may be given without their names."""
    for mark in node.decorator_list:
        call = mark.func if isinstance(mark, ast.Call) else mark
        if isinstance(call, ast.Name) and call.id == "dataclass":
            by_name = isinstance(mark, ast.Call) and any(
                one.arg == "kw_only" for one in mark.keywords
            )
            fields = [one for one in node.body if isinstance(one, ast.AnnAssign)]
            return 0 if by_name else len(fields)
    return 0


def test_records_of_many_fields_are_made_by_name() -> None:
    found = [
        f"{path.name} {node.name}"
        for path, module in MODULES.items()
        for node in ast.walk(module)
        if isinstance(node, ast.ClassDef) and fields_by_place(node) > MOST_BY_PLACE
    ]
    assert found == []


def compiled() -> set[str]:
    """Functions that numba compiles: arrays by their places."""
    return {
        node.name
        for module in MODULES.values()
        for node in ast.walk(module)
        if isinstance(node, ast.FunctionDef)
        and any("njit" in ast.unparse(mark) for mark in node.decorator_list)
    } | {"_kernel"}


def name_of(call: ast.Call) -> str:
    called = call.func.func if isinstance(call.func, ast.Call) else call.func
    return called.attr if isinstance(called, ast.Attribute) else getattr(called, "id", "")


def test_calls_name_their_arguments_where_there_are_many() -> None:
    free = compiled() | OF_ONE_SORT
    found = [
        f"{path.name}:{node.lineno} {name_of(node)}"
        for path, module in MODULES.items()
        for node in ast.walk(module)
        if isinstance(node, ast.Call)
        and len(node.args) > MOST_UNNAMED
        and name_of(node) not in free
    ]
    assert found == []


@pytest.mark.parametrize(
    ("code", "fields"),
    [
        ("@dataclass(frozen=True)\nclass A:\n a: int\n b: int\n c: int\n d: int\n e: int", 5),
        ("@dataclass(frozen=True, kw_only=True)\nclass A:\n a: int\n b: int", 0),
        ("class A:\n a: int", 0),
    ],
)
def test_the_rule_sees_what_it_is_about(code: str, fields: int) -> None:
    (node,) = ast.parse(code).body
    assert isinstance(node, ast.ClassDef)
    assert fields_by_place(node) == fields
