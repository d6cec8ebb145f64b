"""How much memory the render process may take: a share of the machine's, less while the machine runs short.

The share can be set by hand; it is kept with the other settings. What is free is asked of the system at every
picture, so that layers which are only kept for later give way before anything else has to.
"""

import contextlib
import os
import signal
from pathlib import Path

import attrs

from lunar_haze.core.layers.model import FrameRequest
from lunar_haze.service.folders import state_folder
from lunar_haze.service.settings import read_settings, write_settings

#: Least and, unless set by hand, most that layers may take [bytes].
LEAST, MOST = 256 << 20, 3 << 30
#: Of one request: bytes a pixel and layer in the sums and on the board, and bytes a pixel for what the lens sees.
_LAYER_BYTES, _PIXEL_BYTES = 24 + 24, 52 + 36 + 24


@attrs.frozen
class Machine:
    """Memory of the machine, or of the group of processes that it is shared out to [bytes]."""

    total: int
    available: int


def _fields_of(text: str) -> dict[str, int]:
    found = {}
    for line in text.splitlines():
        name, _colon, value = line.partition(":")
        with contextlib.suppress(ValueError, IndexError):
            found[name] = int(value.split()[0]) << 10
    return found


def machine(proc: Path = Path("/proc"), group: Path = Path("/sys/fs/cgroup")) -> Machine:
    """What the system says (proc(5), and the memory controller of control groups); 8 GiB where it says nothing."""
    try:
        fields = _fields_of((proc / "meminfo").read_text())
        total, available = fields["MemTotal"], fields.get("MemAvailable", fields["MemTotal"] // 2)
    except (OSError, KeyError):
        total = available = 8 << 30
    with contextlib.suppress(OSError, ValueError):  # "max" is no number: no limit
        limit = int((group / "memory.max").read_text())
        used = int((group / "memory.current").read_text())
        if limit < total:
            total, available = limit, min(available, max(limit - used, 0))
    return Machine(total, available)


def process_bytes(process_id: int | str = "self") -> int:
    """Memory that is a process's own [bytes]; 0 when it is gone."""
    try:
        pages = (Path("/proc") / str(process_id) / "statm").read_text().split()
        return (int(pages[1]) - int(pages[2])) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, ValueError, IndexError):
        return 0


#: What libraries say when there is no memory for them.
_WORDS = ("out of memory", "bad_alloc", "memoryerror", "cannot allocate memory", "bad allocation")


def kills_for_memory(proc: Path = Path("/proc"), group: Path = Path("/sys/fs/cgroup")) -> int:
    """How often the system has killed a process for want of memory, on the machine or in the group."""
    found = 0
    for file, name in ((proc / "vmstat", "oom_kill"), (group / "memory.events", "oom_kill")):
        with contextlib.suppress(OSError, ValueError):
            found += sum(int(line.split()[1]) for line in file.read_text().splitlines() if line.startswith(f"{name} "))
    return found


def ended_for_memory(code: int, words: str, kills_before: int) -> bool:
    """Whether a process ended since memory was used up: ``code`` as `subprocess` tells it, its last ``words``."""
    if code == -signal.SIGKILL:
        return kills_for_memory() > kills_before
    return code != 0 and any(word in words.lower() for word in _WORDS)


def _settings() -> Path:
    return state_folder() / "memory.json"


def automatic_limit() -> int:
    """Bytes that layers may take when nobody has said otherwise: an eighth of the machine's."""
    return min(max(machine().total // 8, LEAST), MOST)


def chosen_limit() -> int | None:
    """Bytes that layers may take as set by hand; None where it is left to the program."""
    kept = read_settings(_settings())
    limit = kept.get("layers_bytes") if isinstance(kept, dict) else None
    return max(limit, LEAST) if isinstance(limit, int) and not isinstance(limit, bool) else None


def choose_limit(limit: int | None) -> None:
    """Keep a limit set by hand; None leaves it to the program."""
    write_settings(_settings(), {} if limit is None else {"layers_bytes": int(limit)})


def limit_in_force() -> int:
    """Bytes that layers may take in memory."""
    return chosen_limit() or automatic_limit()


def allowed(limit: int, used: int, state: Machine) -> int:
    """Bytes that layers may take now: ``limit``, or less so that a tenth of the machine's memory stays free.

    ``used`` bytes are theirs already.
    """
    reserve = min(state.total // 10, 1 << 30)
    return max(min(limit, used + state.available - reserve), LEAST)


def needed_for(request: FrameRequest) -> int:
    """Bytes without which a request cannot be computed at all."""
    pixels = request.view.width * request.view.height
    return pixels * (len(request.layers) * _LAYER_BYTES + _PIXEL_BYTES)
