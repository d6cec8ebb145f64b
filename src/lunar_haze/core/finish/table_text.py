"""What the text of a grading table says, judged before OpenColorIO reads it: sizes, references, numbers that are none.

Each look at the text is one pass over it, whatever it holds: it comes from elsewhere.
"""

import re
from pathlib import Path

import numpy as np

#: A table has no more nodes along an edge, and no more numbers in all, lines, and elements of XML.
_MOST_NODES, _MOST_NUMBERS, _MOST_LINES, _MOST_ELEMENTS = 129, 8_000_000, 2_500_000, 1_000
_MOST_LETTERS = 4_096
_NOT_A_NUMBER = re.compile(rb"(?i)(?<![\w.])[-+]?(?:nan|inf(?:inity)?)\b")
_REFERENCE = re.compile(rb"(?i)<[ \t]*(?:[\w.-]{1,40}:)?(?:reference\b|!doctype|!entity)")
_EDGE = re.compile(rb"(?im)^[ \t]*LUT_3D_SIZE[ \t]+(\d{1,20})")
_LENGTH = re.compile(rb"(?im)^[ \t]*(?:LUT_1D_SIZE|Length)[ \t]+(\d{1,20})")
_ARRAY = re.compile(rb"(?i)\bdim[ \t]*=[ \t]*[\"']([\d \t]{1,80})[\"']")
_SPI3D = re.compile(rb"\A[^\n]{0,80}\n[^\n]{0,80}\n[ \t]*(\d{1,20})[ \t]+(\d{1,20})[ \t]+(\d{1,20})[ \t]*\r?\n")


def fault_of(path: Path, data: bytes) -> str:
    """What is wrong with a table's text, in a sentence; "" where it can be read."""
    name = path.name
    if b"\0" in data:
        return f"{name} is no grading table; export it again"
    if _REFERENCE.search(data):
        return f"{name} refers to other files or definitions, which are not followed; save it as one file of its own"
    if data.count(b"<") > _MOST_ELEMENTS:
        return f"{name} has more than {_MOST_ELEMENTS:,} steps, which are too many; save it as one table"
    if data.lstrip()[:1] != b"<" and _longest_line(data) > _MOST_LETTERS:
        return f"{name} has a line of more than {_MOST_LETTERS:,} letters, which no grading table has; export it again"
    if data.count(b"\n") > _MOST_LINES:
        return f"{name} has more than {_MOST_LINES:,} lines, which are too many; save it with fewer nodes"
    if too_large := _size(data):
        return f"{name} {too_large}; save it with fewer nodes"
    if _has_what_is_no_number(data):
        return f"{name} holds values that are no numbers (nan, inf); export it again"
    return _domain(name, data) if path.suffix.lower() == ".cube" else ""


def _longest_line(data: bytes) -> int:
    ends = np.flatnonzero(np.frombuffer(data, np.uint8) == ord("\n"))
    return int(np.diff(ends, prepend=-1, append=len(data)).max())


def _size(data: bytes) -> str:
    edges = [int(found[1]) for found in _EDGE.finditer(data)]
    whole = _SPI3D.search(data)
    if whole is not None:
        edges += [int(part) for part in whole.groups()]
    counts = [int(found[1]) for found in _LENGTH.finditer(data)]
    for found in _ARRAY.finditer(data):
        parts = [int(part) for part in found[1].split()]
        if len(parts) == 4:
            edges += parts[:3]
        elif parts:
            counts.append(parts[0])
    if any(edge > _MOST_NODES for edge in edges):
        return f"has {max(edges):,} nodes along an edge; {_MOST_NODES} is the most"
    if any(count > _MOST_NUMBERS for count in counts):
        return f"has {max(counts):,} entries; {_MOST_NUMBERS:,} is the most"
    return ""


def _has_what_is_no_number(data: bytes) -> bool:
    at = 0
    while found := _NOT_A_NUMBER.search(data, at):
        begin = max(data.rfind(b"\n", at, found.start()) + 1, at)
        before = data[begin : found.start()]
        if b"#" not in before and b'"' not in before:
            return True
        # The rest of a line that is a remark or a title says nothing.
        end = data.find(b"\n", found.end())
        if end < 0:
            return False
        at = end + 1
    return False


def _domain(name: str, data: bytes) -> str:
    """What OpenColorIO lets pass: domains that end before they begin."""
    low, high = [0.0] * 3, [1.0] * 3
    for ends, word in ((low, b"DOMAIN_MIN"), (high, b"DOMAIN_MAX")):
        found = re.search(rb"(?im)^[ \t]*" + word + rb"[ \t]+(\S+)[ \t]+(\S+)[ \t]+(\S+)", data)
        try:
            ends[:] = [float(part) for part in found.groups()] if found else ends
        except ValueError:
            return f"{name}: its DOMAIN holds words instead of numbers"
    if not all(a < b for a, b in zip(low, high)):
        return f"{name}: its DOMAIN ends before it begins ({low} to {high})"
    return ""
