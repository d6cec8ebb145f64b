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
