"""What compiled functions take is told: by themselves, or by the table of what all of them name alike."""

import ast
import re
from pathlib import Path

ROOT = Path(__file__).parents[2]
TABLE = (ROOT / "docs" / "nomenclature.md").read_text("utf-8").split("## Arguments of compiled functions")[1]
COMMON = {name for line in TABLE.splitlines() if line.startswith("|") for name in re.findall(r"`([a-z]\w*)`", line)}


def compiled():
    """Every public compiled function of the core: its file, name, arguments and docstring."""
    for path in sorted((ROOT / "src/lunar_haze/core").rglob("*.py")):
        for node in ast.parse(path.read_text("utf-8")).body:
            if (
                isinstance(node, ast.FunctionDef)
                and not node.name.startswith("_")
                and any("jit" in ast.unparse(mark) for mark in node.decorator_list)
            ):
                yield path.stem, node.name, [arg.arg for arg in node.args.args], ast.get_docstring(node) or ""


def test_each_says_what_it_takes():
    unsaid = {}
    for file, name, arguments, told in compiled():
        found = sorted(set(arguments) - COMMON - set(re.findall(r"\w+", told)))
        if found or not told:
            unsaid[f"{file}.{name}"] = found
    assert not unsaid
    assert len(list(compiled())) > 100


#: How the shape of an array is told: "(h, w, 3)", "(n,)", "of any shape", or where it is told.
SHAPE = re.compile(
    r"\((?:\.\.\.?, ?)?\w+(?: [/+*-] \w+)*,[^()]*\)|\(\.\.\.?[^()]*\)|any shape|arrays as `At` has|same shape"
)


def functions_of_arrays():
    """Every public function and method of the core that takes arrays: where it is, its name and its docstring."""
    for path in sorted((ROOT / "src/lunar_haze/core").rglob("*.py")):
        for holder in ast.walk(ast.parse(path.read_text("utf-8"))):
            if not isinstance(holder, (ast.Module, ast.ClassDef)) or getattr(holder, "name", "").startswith("_"):
                continue
            for node in holder.body:
                if isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
                    taken = (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)
                    if any("NDArray" in ast.unparse(a.annotation) for a in taken if a.annotation is not None):
                        told = " ".join((ast.get_docstring(node) or "").split())
                        yield f"{path.stem}.{getattr(holder, 'name', '')}.{node.name}", node.name, told


def test_whatever_takes_arrays_says_of_which_shape():
    """A method without words of its own has those of the one that it stands for."""
    found = list(functions_of_arrays())
    inherited = {name for _where, name, told in found if SHAPE.search(told)}
    assert not [where for where, name, told in found if not (SHAPE.search(told) if told else name in inherited)]
    assert len(found) > 200
