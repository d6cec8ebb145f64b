"""Draws the rooms and their arrows from the real imports: ``python scripts/architecture.py [FOLDER]``."""

import sys
from pathlib import Path
from xml.sax.saxutils import escape

import grimp

OUT = Path(__file__).resolve().parents[1] / "docs"
#: From the top down; rooms of a line do not know each other.
HOUSE = [
    ["ui", "cli"], ["service"], ["core.handoff", "core.solve"], ["core.plan"], ["core.document"],
    ["core.transport", "core.picture"], ["core.layers"], ["core.sources"], ["core.sky"], ["core.air"], ["core.place"],
    ["core.colour"], ["core.units", "core.errors"],
]  # fmt: skip
WINDOW = [
    ["ui.shell"], ["ui.handoff"], ["ui.facets", "ui.rail", "ui.plan", "ui.readings", "ui.time"], ["ui.picture"],
    ["ui.session"], ["ui.base"],
]  # fmt: skip
WIDTH, ROW, BOX, HEIGHT = 760, 62, (150, 34), 34


def _room(module: str, parted: str) -> str:
    parts = module.split(".")[1:]
    return ".".join(parts[:2]) if parts and parts[0] == parted else parts[0] if parts else ""


def arrows(parted: str) -> dict[tuple[str, str], int]:
    """How many modules of one room import one of another; ``parted`` is the one that is taken apart."""
    graph = grimp.build_graph("lunar_haze")
    found: dict[tuple[str, str], int] = {}
    for module in graph.modules:
        for other in graph.find_modules_directly_imported_by(module):
            pair = _room(module, parted), _room(other, parted)
            if pair[0] != pair[1] and all(pair):
                found[pair] = found.get(pair, 0) + 1
    return found


def drawn(lines: list[list[str]], parted: str) -> str:
    """The drawing of rooms in lines as SVG."""
    at: dict[str, tuple[float, float]] = {}
    for line, rooms in enumerate(lines):
        apart = min(330, (WIDTH - BOX[0]) / max(len(rooms) - 1, 1))
        for i, room in enumerate(rooms):
            at[room] = (WIDTH / 2 + (i - (len(rooms) - 1) / 2) * apart, 30 + line * ROW)
    parts = []
    for (a, b), count in sorted(arrows(parted).items()):
        if a in at and b in at:
            (x1, y1), (x2, y2) = at[a], at[b]
            bend = 90 + 16 * abs(y2 - y1) / ROW
            side = -1 if (hash_of(a) + hash_of(b)) % 2 else 1
            middle = (x1 + x2) / 2 + side * bend
            y1, y2 = y1 + HEIGHT / 2, y2 - HEIGHT / 2
            parts.append(
                f'<path d="M{x1:.0f} {y1:.0f} C{middle:.0f} {y1 + 20:.0f} {middle:.0f} {y2 - 20:.0f} '
                f'{x2:.0f} {y2:.0f}" '
                f'fill="none" stroke="#7a8a94" stroke-width="{min(0.5 + count / 8, 3):.1f}" opacity="0.55" '
                f'marker-end="url(#tip)"><title>{escape(a)} imports {escape(b)} in {count} places</title></path>'
            )
    for room, (x, y) in at.items():
        parts.append(
            f'<rect x="{x - BOX[0] / 2:.0f}" y="{y - HEIGHT / 2:.0f}" width="{BOX[0]}" height="{HEIGHT}" rx="3" '
            f'fill="#20262a" stroke="#c9b27a"/><text x="{x:.0f}" y="{y + 5:.0f}" text-anchor="middle">{room}</text>'
        )
    height = 30 + ROW * len(lines)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" width="{WIDTH}" height="{height}">'
        "<style>text { font: 14px sans-serif; fill: #e8e4d8 }</style>"
        '<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">'
        '<path d="M0 0 L8 4 L0 8 Z" fill="#7a8a94"/></marker></defs>'
        f'<rect width="{WIDTH}" height="{height}" fill="#15191c"/>{"".join(parts)}</svg>\n'
    )


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else OUT
    (folder / "architecture.svg").write_text(drawn(HOUSE, "core"))
    (folder / "window.svg").write_text(drawn(WINDOW, "ui"))


def hash_of(name: str) -> int:
    """A number that is the same in every run."""
    return sum(map(ord, name))


if __name__ == "__main__":
    main()
