"""``lunar-haze farm``: keys, scheduler and workers of several machines that make one sequence."""

import asyncio
import tempfile
from pathlib import Path
from typing import Annotated, Any

import typer

from lunar_haze.cli.console import says

farm = typer.Typer(help="Several machines for one sequence: keys, scheduler, workers.", no_args_is_help=True)
_Keys = Annotated[Path | None, typer.Option("--keys", help="Folder of the farm's keys; the usual one if left out.")]


@farm.command()
def keys(
    folder: Annotated[Path | None, typer.Argument(help="Where to put them; the usual place if left out.")] = None,
) -> None:
    """Make the keys of a new farm: copy them to each machine of it, and to nobody else."""
    from lunar_haze.service.farm_keys import make_keys, usual_folder

    there = folder or usual_folder()
    make_keys(there)
    print(there)


@farm.command()
def scheduler(
    host: Annotated[str, typer.Option(help="The address of this machine that the others reach.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(min=0, max=65535, help="Its port; 0 takes a free one.")] = 8786,
    keys: _Keys = None,
) -> None:
    """Hand out frames to workers, until it is stopped; who does not hold the farm's keys is turned away."""
    from lunar_haze.service.farm_keys import security, usual_folder

    shown = security(keys or usual_folder())
    from distributed import Scheduler

    async def work() -> None:
        async with Scheduler(host=host, port=port, protocol="tls", security=shown, dashboard=False) as made:
            print(made.address, flush=True)
            await made.finished()

    _until_stopped(work())


@farm.command()
def worker(
    address: Annotated[str, typer.Argument(help="The scheduler's, such as tls://HOST:8786.", metavar="ADDRESS")],
    keys: _Keys = None,
) -> None:
    """Make frames on this machine, until it is stopped: one worker uses all its processors."""
    from lunar_haze.service.farm_keys import security, usual_folder

    shown = security(keys or usual_folder())
    from distributed import Nanny

    async def work(folder: str) -> None:
        async with Nanny(
            address, nthreads=1, memory_limit=0, security=shown, protocol="tls", local_directory=folder, dashboard=False
        ) as made:
            says.print(f"working for {address}", markup=False)
            await made.finished()

    with tempfile.TemporaryDirectory(prefix="lunar-haze-worker-", ignore_cleanup_errors=True) as folder:
        _until_stopped(work(folder))


def _until_stopped(work: Any) -> None:
    try:
        asyncio.run(work)
    except KeyboardInterrupt:
        says.print("stopped")
