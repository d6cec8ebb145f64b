"""``lunar-haze sequence``: numbered stills or a film of a shot, here or on a farm, resumed where it was left."""

import re
from pathlib import Path
from typing import Annotated

import typer

from lunar_haze.cli.console import open_document, parse_size, says
from lunar_haze.core.errors import TakenError
from lunar_haze.core.picture.views import SCREENS, SRGB


def _frames(text: str) -> tuple[int, int, int]:
    """First, last and step of frames such as ``1-240`` or ``1-240x2``."""
    match = re.fullmatch(r"(\d+)(?:-(\d+))?(?:x(\d+))?", text.strip().replace("–", "-"))
    if not match:
        raise typer.BadParameter(f"“{text}” are no frames; write them as 1-240, or 1-240x2 for every second one")
    first = int(match[1])
    return first, int(match[2] or first), int(match[3] or 1)


def sequence(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
    output: Annotated[
        Path, typer.Option("--output", "-o", help="'OUT/####.exr', .png or .tif; or a film: .mp4, .mov, .webm.")
    ],
    frames: Annotated[str, typer.Option(help="Such as 1-240, or 1-240x2; the shot's own if left out.")] = "",
    shot: Annotated[str, typer.Option(help="Shot by name; the current one if left out.")] = "",
    look: Annotated[str, typer.Option(help="Look by name; the current one if left out.")] = "",
    size: Annotated[str, typer.Option(help="Width x height [px]; the shot's frame if left out.")] = "",
    passes: Annotated[int, typer.Option("--samples", "--passes", min=1, max=4096, help="Samples per pixel.")] = 64,
    layers: Annotated[bool, typer.Option("--layers", help="EXR: one named layer for each source.")] = False,
    no_denoise: Annotated[bool, typer.Option("--no-denoise", help="Leave the pictures as they were summed.")] = False,
    bits: Annotated[int, typer.Option(help="PNG: bits a channel, 8 or 16.")] = 8,
    screen: Annotated[str, typer.Option(help=f"The screen it is for: {' or '.join(SCREENS)}.")] = SRGB,
    overwrite: Annotated[
        bool, typer.Option("--overwrite", help="Replace files that are not of this sequence.")
    ] = False,
    scheduler: Annotated[str, typer.Option(help="Of a farm, such as tls://HOST:8786; here if left out.")] = "",
    keys: Annotated[Path | None, typer.Option(help="Folder of the farm's keys; the usual one if left out.")] = None,
) -> None:
    """Make numbered stills or a film of a shot's frames. What is done is kept: run again to resume after any stop."""
    from lunar_haze.service.farm import Farm
    from lunar_haze.service.sequence import Progress, SequenceSpec, run

    if bits not in (8, 16):
        raise typer.BadParameter("a PNG has 8 or 16 bits a channel")
    if screen not in SCREENS:
        raise typer.BadParameter(f"a sequence is made for {' or '.join(SCREENS)}, not for “{screen}”")
    document = open_document(file)
    chosen = document.shot_named(shot or document.current_shot)
    wanted = document.look_named(look or document.current_look)
    first, last, step = _frames(frames) if frames else (chosen.first_frame, chosen.last_frame, 1)
    pixels = parse_size(size) if size else (chosen.frame_width, chosen.frame_height)
    spec = SequenceSpec(
        document,
        chosen.name,
        wanted.name,
        first,
        last,
        output,
        pixels,
        step,
        passes,
        not no_denoise,
        layers,
        bits,
        screen,
    )
    farm = Farm(scheduler, keys) if scheduler else None
    if farm is not None and not farm.is_protected:
        says.print("note: this farm is open to whoever reaches it; docs/farm.md tells how it is given keys")
    told = -1

    def tell(progress: Progress) -> None:
        nonlocal told
        if progress.done != told:
            told = progress.done
            left = f", {progress.left_s:.0f} s left" if progress.left_s else ""
            says.print(f"{progress.done} of {progress.total} frames{left}", markup=False)

    try:
        made = run(spec, tell, overwrite=overwrite, cluster=farm)
    except TakenError as error:
        raise TakenError(error.paths, "--overwrite replaces them") from error
    assert made is not None
    for note in made.notes:
        says.print(f"note: {note}", markup=False)
    says.print(f"{made.made} frames made, {made.kept} were there already", markup=False)
    print(output)
