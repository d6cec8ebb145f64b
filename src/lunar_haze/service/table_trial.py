"""Large grading tables are tried by a process of their own first, with limits of time and memory."""

import resource
import subprocess
import sys
from pathlib import Path

from lunar_haze.core.errors import PictureError
from lunar_haze.core.finish.tables import is_at_hand, read_table
from lunar_haze.core.finish.values import TableFile

#: What reading a table may take: time [s] and memory [bytes].
SECONDS, BYTES = 30, 3 << 30


def tried_table(path: Path, space: str = "log") -> TableFile:
    """A table that can be used; a large one is read elsewhere first, which takes its time. Raises PictureError."""
    if not is_at_hand(TableFile(str(path))):
        command = [sys.executable, "-m", "lunar_haze.service.table_trial", str(path)]
        try:
            done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, timeout=SECONDS, check=False)
        except subprocess.TimeoutExpired as error:
            raise PictureError(f"{path.name} takes longer than {SECONDS} s; save it with fewer nodes") from error
        if done.returncode:
            told = done.stderr.decode("utf-8", "replace").strip().splitlines()
            known = told[-1] if done.returncode == 1 and told else f"{path.name} cannot be read; export it again"
            raise PictureError(known[:400])
    return read_table(path, space)


def main() -> int:
    """Read the table that is named."""
    resource.setrlimit(resource.RLIMIT_AS, (BYTES, BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        read_table(Path(sys.argv[1]))
    except PictureError as error:
        print(error, file=sys.stderr)
        return 1
    except MemoryError:
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
