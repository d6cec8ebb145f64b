"""The page that benches write their tables to: each its own section of docs/bench.md, the others stay."""

import os
import platform
import re
import sys
import time
from pathlib import Path

PAGE = Path(__file__).resolve().parents[1] / "docs" / "bench.md"
Rows = list[tuple[str, ...]]
_HEAD = (
    "# Measured\n\nMachines are noisy: ratios within one run tell more than seconds. Each section says what makes it.\n"
)


def table(rows: Rows, heads: tuple[str, ...] = ("what", "measured", "bar")) -> str:
    """Rows as Markdown, its first column as wide as it has to be."""
    width = max(len(row[0]) for row in [*rows, heads])
    lines = [f"| {heads[0]:<{width}} | {' | '.join(heads[1:])} |", f"|{'-' * (width + 2)}|{'---|' * (len(heads) - 1)}"]
    lines += [f"| {row[0]:<{width}} | {' | '.join(row[1:])} |" for row in rows]
    return "\n".join(lines)


def machine() -> str:
    """Today, and what this was measured on."""
    named = re.search(r"model name\s*:\s*(.+)", Path("/proc/cpuinfo").read_text())
    cpu = named[1] if named else platform.machine()
    threads = len(os.sched_getaffinity(0))
    return f"{time.strftime('%Y-%m-%d')}, {threads} threads of {cpu}, Python {platform.python_version()}."


def tell(title: str, text: str, rows: Rows, heads: tuple[str, ...] = ("what", "measured", "bar")) -> None:
    """Print a table; keep it as well, unless the command has arguments."""
    if len(sys.argv) > 1:
        print(table(rows, heads))
    else:
        write(title, text, rows, heads)


def write(title: str, text: str, rows: Rows, heads: tuple[str, ...] = ("what", "measured", "bar")) -> None:
    """Print a table and put it, under ``title`` and after ``text``, in place of the section of that title."""
    made = table(rows, heads)
    print(made, flush=True)
    section = f"## {title}\n\n{text}\n\n{machine()}\n\n{made}\n"
    before = PAGE.read_text() if PAGE.exists() else ""
    sections = dict(re.findall(r"^(## .+?)\n(.*?)(?=^## |\Z)", before, re.MULTILINE | re.DOTALL))
    sections[f"## {title}"] = section.partition("\n")[2]
    PAGE.write_text(_HEAD + "\n" + "\n".join(f"{head}\n{body.rstrip()}\n" for head, body in sections.items()))
