"""``lunar-haze``: opens the window; with a command, does the same jobs without one."""

import contextlib
import datetime as dt
import json
import os
import sys
import time
from pathlib import Path
from typing import Annotated

import typer
from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn
from typer.exceptions import TyperException

from lunar_haze import __version__
from lunar_haze.cli.console import open_document, parse_size, says
from lunar_haze.cli.farm import farm
from lunar_haze.cli.sequence import sequence
from lunar_haze.core.document.files import SUFFIX, load, save
from lunar_haze.core.document.known_files import remember
from lunar_haze.core.document.start import new_document, place_spec
from lunar_haze.core.errors import DocumentError, HazeError, PlaceError
from lunar_haze.core.picture.views import SCREENS, SRGB, VIEWS
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.model import scale_remark
from lunar_haze.core.sky.clear_air import CLEAR_KM, MEAN_CLEAR_KM, Atmosphere
from lunar_haze.core.sky.model import CLOUDS, Weather
from lunar_haze.core.sky.tables import keep_tables_in
from lunar_haze.core.units.quantity import format_quantity

COMMANDS = ("render", "sequence", "farm", "readings", "info", "new", "set", "trust", "sky")

#: In the environment while a shell asks how what is typed goes on.
COMPLETING = "_LUNAR_HAZE_COMPLETE"

app = typer.Typer(
    no_args_is_help=False,
    context_settings={"help_option_names": ["-h", "--help"]},
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Mood and atmosphere lighting. Without a command: opens FILE.haze, or the demo place, in the window.",
)


class _Told:
    """Progress in lines of its own, for logs: where there is no terminal a bar says nothing until it is over."""

    def __init__(self) -> None:
        self._last = time.monotonic()
        self._share = 0.0

    def tell(self, what: str, done: int, total: int) -> None:
        """A line every tenth of the way, or when a minute has passed."""
        share = done / max(total, 1)
        if says.is_terminal or (share < self._share + 0.1 and time.monotonic() < self._last + 60.0):
            return
        self._last, self._share = time.monotonic(), share
        says.print(f"{what}: {done} of {total} samples per pixel", markup=False)


@app.command()
def render(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
    output: Annotated[Path, typer.Option("--output", "-o", help="Still to write: OUT.png or OUT.exr.")],
    shot: Annotated[str, typer.Option(help="Shot by name; the current one if left out.")] = "",
    look: Annotated[str, typer.Option(help="Look by name; the current one if left out.")] = "",
    size: Annotated[str, typer.Option(help="Width x height [px]; the shot's frame if left out.")] = "",
    passes: Annotated[int, typer.Option("--samples", "--passes", min=1, max=4096, help="Samples per pixel.")] = 64,
    bounces: Annotated[int, typer.Option(min=-1, max=4, help="Bounced light, 0 to 4; -1: the look's own.")] = -1,
    frame: Annotated[int, typer.Option(min=-1, help="A frame of the shot; -1: the one it was left at.")] = -1,
    layers: Annotated[bool, typer.Option("--layers", help="EXR: one named layer for each source.")] = False,
    no_denoise: Annotated[bool, typer.Option("--no-denoise", help="Leave the picture as it was summed.")] = False,
    bits: Annotated[int, typer.Option(help="PNG: bits a channel, 8 or 16.")] = 8,
    finish: Annotated[
        bool, typer.Option("--finish/--no-finish", help="PNG: with the look's finish, or its view alone.")
    ] = True,
    view: Annotated[str, typer.Option(help=f"PNG: another view: {', '.join(VIEWS)}.")] = "",
    screen: Annotated[str, typer.Option(help=f"PNG: the screen it is for: {' or '.join(SCREENS)}.")] = SRGB,
) -> None:
    """Render a still of a shot under a look. PNG has the look's exposure [EV100, stops], finish and view;
    EXR holds scene-linear ACEScg light [cd/m2]."""
    import attrs

    from lunar_haze.cli.numbers import with_current
    from lunar_haze.core.document.cues import seen_at
    from lunar_haze.core.handoff.deliver import check_output
    from lunar_haze.core.plan.frames import frame_request, problem_sentences, view_of
    from lunar_haze.service.still import asks_for_clean_layers, compute, hand_over

    if bits not in (8, 16):
        raise typer.BadParameter("a PNG has 8 or 16 bits a channel")
    if view and view not in VIEWS:
        raise typer.BadParameter(f"there is no view “{view}”; there are {', '.join(VIEWS)}")
    if screen not in SCREENS:
        raise typer.BadParameter(f"a still is made for {' or '.join(SCREENS)}, not for “{screen}”")
    check_output(output)
    document = open_document(file)
    there = with_current(document, shot, look)
    chosen_shot, chosen_look = seen_at(there, there.current_shot, there.current_look, None if frame < 0 else frame)
    if bounces >= 0:
        chosen_look = attrs.evolve(chosen_look, bounces=bounces)
    shown = chosen_look.finish if finish else attrs.evolve(chosen_look.finish, muted=True)
    chosen_look = attrs.evolve(chosen_look, finish=attrs.evolve(shown, view=view or shown.view))
    pixels = parse_size(size) if size else (chosen_shot.frame_width, chosen_shot.frame_height)
    place = place_spec(document.place)
    request = frame_request(1, place, chosen_shot, chosen_look, pixels, passes, not no_denoise, live=False)
    request = asks_for_clean_layers(request, chosen_look, layers and output.suffix.lower() == ".exr")
    told = _Told()
    with Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        TextColumn("{task.completed:.0f}/{task.total:.0f} samples per pixel"),
        TimeElapsedColumn(),
        TextColumn("left"),
        TimeRemainingColumn(),
        console=says,
    ) as bar:
        task = bar.add_task("starting", total=passes)

        def progress(what: str, done: int, total: int) -> None:
            bar.update(task, description=what, completed=done)
            told.tell(what, done, total)

        still = compute(request, progress)
    assert still is not None
    for sentence in problem_sentences(chosen_look, view_of(chosen_shot, pixels), place.key, still.problems):
        says.print(f"note: {sentence}", markup=False)
    if layers and output.suffix.lower() != ".exr":
        says.print("note: layers are kept in EXR only; the PNG holds the picture")
    made = hand_over(still, request, output, chosen_shot, chosen_look, layers, bits, screen=screen)
    print("\n".join(str(path) for path in made))


app.command()(sequence)
app.add_typer(farm, name="farm")


@app.command()
def readings(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
    shot: Annotated[str, typer.Option(help="Shot by name; the current one if left out.")] = "",
    look: Annotated[str, typer.Option(help="Look by name; the current one if left out.")] = "",
    size: Annotated[str, typer.Option(help="Width x height [px] that is rendered to read from.")] = "480x270",
    passes: Annotated[int, typer.Option("--samples", "--passes", min=1, max=4096, help="Samples per pixel.")] = 8,
    as_json: Annotated[bool, typer.Option("--json", help="As JSON, for scripts.")] = False,
) -> None:
    """Tell what a look measures: levels [stops], ratios, outline, palette, what is wrong and what would help."""
    from lunar_haze.cli.numbers import with_current
    from lunar_haze.cli.readings import as_facts, as_lines, readings_of
    from lunar_haze.core.document.cues import seen_at

    document = open_document(file)
    there = with_current(document, shot, look)
    chosen_shot, chosen_look = seen_at(there, there.current_shot, there.current_look)
    found = readings_of(document, chosen_shot, chosen_look, parse_size(size), passes)
    print(json.dumps(as_facts(found), indent=2) if as_json else "\n".join(as_lines(found)))


@app.command()
def info(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
    as_json: Annotated[bool, typer.Option("--json", help="As JSON, for scripts.")] = False,
) -> None:
    """Tell what a document holds: shots, looks, sources with their amounts [lx, lm, cd, cd/m2], the place."""
    document = open_document(file)
    place = load_place(Path(document.place.path), document.place.scale, document.place.scene)
    low, high = place.bounds
    facts = {
        "file": str(file),
        "place": {
            "path": document.place.path,
            "scale": document.place.scale,
            "triangles": len(place.triangles),
            "objects": len(place.objects),
            "materials": len(place.materials),
            "size_m": [round(float(v), 3) for v in high - low],
            "notes": list(place.notes),
        },
        "shots": [
            {
                "name": s.name,
                "focal_mm": s.camera.focal_mm,
                "frame": [s.frame_width, s.frame_height],
                "frames": [s.first_frame, s.last_frame],
                "locked": s.locked,
            }
            for s in document.shots
        ],
        "looks": [
            {
                "name": k.name,
                "hour_h": k.hour_h,
                "ev100": k.ev100,
                "stops": k.stops,
                "visibility_m": None if k.medium.is_clear else k.medium.visibility_m,
                "bounces": k.bounces,
                "note": k.note,
                "sources": [
                    {
                        "name": s.name,
                        "kind": type(s.shape).__name__.lower(),
                        "role": s.role,
                        "amount": s.amount,
                        "unit": s.unit,
                        "dimmer_stops": s.dimmer_stops,
                        "kelvin": s.kelvin,
                        "muted": s.muted,
                    }
                    for s in k.sources
                ],
            }
            for k in document.looks
        ],
        "pins": [p.name for p in document.pins],
    }
    if as_json:
        print(json.dumps(facts, indent=1, ensure_ascii=False))
        return
    extent = " x ".join(f"{v:.1f}" for v in high - low)
    print(f"{file.name}: {len(place.triangles):,} triangles, {len(place.objects)} objects, {extent} m")
    for note in place.notes:
        print(f"  note: {note}")
    for s in document.shots:
        print(f"shot {s.name}: {s.camera.focal_mm:.0f} mm, {s.frame_width}x{s.frame_height}")
    for k in document.looks:
        air = "clear air" if k.medium.is_clear else f"visibility {format_quantity(k.medium.visibility_m, 'm')}"
        print(f"look {k.name}: {k.hour_h:.2f} h, EV100 {k.ev100:g} {k.stops:+g} stops, {air}")
        for source in k.sources:
            state = "  muted" if source.muted else ""
            amount = format_quantity(source.amount, source.unit)
            print(f"  {source.name:<16} {source.role or '-':<10} {amount:>12} {source.dimmer_stops:+.1f} stops{state}")


@app.command()
def new(
    place: Annotated[Path, typer.Argument(help="Modelled place: .glb, .gltf, .obj or .ply.", metavar="PLACE.glb")],
    output: Annotated[Path, typer.Option("--output", "-o", help="Document to write (.haze).")],
    scale: Annotated[float, typer.Option(help="Factor on all lengths, e.g. 0.01 for a set in centimetres.")] = 1.0,
    scene: Annotated[str, typer.Option(help="Scene by name, where a glTF file holds more than one.")] = "",
) -> None:
    """Make a document for a modelled place: its cameras become shots, its glowing materials sources."""
    if output.suffix != SUFFIX:
        raise DocumentError(f"{output.name} is no document's name; end it in {SUFFIX}")
    if not 1e-6 <= scale <= 1e6:
        raise PlaceError(f"a scale of {scale:g} is none; give a factor such as 0.01")
    modelled = load_place(place, scale, scene)
    for note in modelled.notes:
        says.print(f"note: {note}", markup=False)
    remark = scale_remark(modelled)
    if remark:
        says.print(f"note: {remark[1]}; set it with --scale", markup=False)
    save(new_document(place, modelled, scale, scene=scene), output)
    print(output)


@app.command()
def trust(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
) -> None:
    """Allow a document to be lit with files outside its own folder: asked for once for each file."""
    allowed: list[Path] = []

    def allow(paths: list[Path]) -> bool:
        allowed.extend(paths)
        return True

    load(file, allow)
    remember(allowed)
    for path in dict.fromkeys(allowed):
        print(path)
    says.print("they may be read from now on" if allowed else "it names no file elsewhere that was not chosen here")


@app.command(name="set")
def set_numbers(
    file: Annotated[Path, typer.Argument(help="The document (.haze).", metavar="FILE.haze")],
    numbers: Annotated[
        list[str] | None,
        typer.Argument(
            help="Such as 'hand lantern: level = 200 lx', 'air: visibility *= 2'; none lists all.",
            metavar="'TARGET: ROW = VALUE'",
        ),
    ] = None,
    shot: Annotated[str, typer.Option(help="Shot by name; the current one if left out.")] = "",
    look: Annotated[str, typer.Option(help="Look by name; the current one if left out.")] = "",
    output: Annotated[
        Path | None,
        typer.Option(
            "--output",
            "-o",
            help="Document to write; FILE.haze itself if left out.",
        ),
    ] = None,
) -> None:
    """List the numbers of a look as the window names them, or set some and save."""
    from lunar_haze.cli.numbers import assigned, listed, with_current

    before = open_document(file, to_save=bool(numbers))
    document = with_current(before, shot, look)
    if not numbers:
        print("\n".join(listed(document)))
        return
    for text in numbers:
        document = assigned(document, text)
    target = output or file
    if target.suffix != SUFFIX:
        raise DocumentError(f"{target.name} is no document's name; end it in {SUFFIX}")
    # What stands on screen when it is opened stays what it was.
    save(with_current(document, before.current_shot, before.current_look), target)
    print(target)


def _moment(text: str) -> tuple[str, float, float]:
    """(date, hour, hours ahead of UTC) of an ISO 8601 moment; without a zone it is UTC."""
    try:
        moment = dt.datetime.fromisoformat(text)
    except ValueError as error:
        raise typer.BadParameter(f"“{text}” is not a moment; write it as 2024-08-21T18:30+01:00") from error
    offset = moment.utcoffset() or dt.timedelta()
    hour_h = moment.hour + moment.minute / 60 + moment.second / 3600
    return moment.date().isoformat(), hour_h, offset.total_seconds() / 3600


def _spot(text: str) -> tuple[float, float]:
    try:
        latitude, longitude = (float(part) for part in text.split(","))
    except ValueError as error:
        raise typer.BadParameter(f"“{text}” is not a place; write it as 52.0,1.5 (north,east in degrees)") from error
    if not (-90 <= latitude <= 90 and -180 <= longitude <= 180):
        raise typer.BadParameter(f"{text} is not on the earth: latitude is within 90, longitude within 180 degrees")
    return latitude, longitude


@app.command()
def sky(
    when: Annotated[str, typer.Option(help="Moment, ISO 8601, such as 2024-08-21T18:30+01:00; UTC without a zone.")],
    place: Annotated[str, typer.Option(help="LAT,LON in degrees north and east.", metavar="LAT,LON")],
    haze: Annotated[
        float,
        typer.Option(
            min=1.0,
            max=300.0,
            help=f"Visibility [km]; the mean clear day has {MEAN_CLEAR_KM:g}.",
        ),
    ] = CLEAR_KM,
    clouds: Annotated[str, typer.Option(help=f"One of: {', '.join(CLOUDS)}.")] = "none",
    size: Annotated[str, typer.Option(help="Width x height [px] of the map.")] = "2048x1024",
    output: Annotated[Path | None, typer.Option("--output", "-o", help="Lat-long map: SKY.exr or SKY.hdr.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Tell sun, moon and light [lx] as JSON.")] = False,
    no_sun: Annotated[bool, typer.Option("--no-sun", help="Leave the discs of sun and moon out of the map.")] = False,
) -> None:
    """The sky of a moment and place: a lat-long map of its light [cd/m2], or its figures [degrees, lx]."""
    from lunar_haze.core.document.edits import sky_of
    from lunar_haze.core.document.model import Look
    from lunar_haze.core.handoff.sky_file import FORMS, facts_of, sky_picture, write_sky
    from lunar_haze.core.sky.ephemeris import Site

    if clouds not in CLOUDS:
        raise typer.BadParameter(f"there are no clouds “{clouds}”; there are {', '.join(CLOUDS)}")
    if output is None and not as_json:
        raise typer.BadParameter("say what is wanted: --output SKY.exr for a map, --json for figures")
    if output is not None and output.suffix.lower() not in FORMS:
        raise typer.BadParameter(f"{output.name}: a sky is written as {' or '.join(FORMS)}")
    date, hour_h, offset_h = _moment(when)
    latitude, longitude = _spot(place)
    width, height = parse_size(size)
    look = Look("sky", hour_h, date, Weather(Atmosphere(visibility_km=haze), CLOUDS[clouds]))
    dome = sky_of(look, Site(latitude, longitude, utc_offset_h=offset_h))
    if as_json:
        import attrs

        print(json.dumps({"when": when, **attrs.asdict(facts_of(dome))}, indent=1))
    if output is not None:
        write_sky(sky_picture(dome, height, width, not no_sun), output)
        print(output)


def _window(arguments: list[str]) -> int:
    from lunar_haze.service.client import RenderClient
    from lunar_haze.service.folders import demo_file

    # It gets ready on another core while the window's own libraries are loaded.
    client = RenderClient()
    client.launch()
    path = Path(arguments[0]) if arguments else demo_file()
    with contextlib.suppress(HazeError):  # the window tells what is wrong with it
        client.prepare(place_spec(load(path)[0].place))
    from lunar_haze.ui.shell.app import run_window

    return run_window(path, client, started=_STARTED)


_STARTED = time.perf_counter()


def run(arguments: list[str] | None = None) -> None:
    """Entry point: one clear line and a non-zero exit on bad input, never a traceback."""
    from lunar_haze.service.folders import log_path, sky_folder, start_logging

    given = sys.argv[1:] if arguments is None else arguments
    if given[:1] == ["--version"]:
        print(f"lunar-haze {__version__}")
        return
    start_logging("main")
    keep_tables_in(sky_folder())
    try:
        # A shell that completes what is typed asks without arguments of its own.
        if COMPLETING in os.environ or (given and (given[0] in COMMANDS or given[0].startswith("-"))):
            sys.exit(app(given, prog_name="lunar-haze", standalone_mode=False) or 0)
        else:
            sys.exit(_window(given))
    except HazeError as error:
        says.print(f"lunar-haze: {error}", style="bold", markup=False, soft_wrap=True)
        sys.exit(1)
    except TyperException as error:
        says.print(
            f"lunar-haze: {error.format_message()}; --help tells more", style="bold", markup=False, soft_wrap=True
        )
        sys.exit(2)
    except KeyboardInterrupt:
        sys.exit(130)
    except Exception:
        import logging

        logging.getLogger(__name__).exception("command failed")
        says.print(f"lunar-haze: something went wrong that should not; {log_path()} tells what", soft_wrap=True)
        sys.exit(2)
