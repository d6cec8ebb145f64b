import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import attrs
import numpy as np
import OpenImageIO as oiio
import pytest
from PIL import Image

from lunar_haze.cli import main
from lunar_haze.core.colour.spaces import LUMINANCE_WEIGHTS
from lunar_haze.core.document.files import load
from lunar_haze.core.sky.lat_long import irradiance


@attrs.frozen
class Done:
    """What a command printed, and how it ended."""

    stdout: str
    stderr: str
    returncode: int


def run(*arguments, expect=0):
    """The command as it is typed, in this process: starting another takes longer than most of them."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), pytest.raises(SystemExit) as ended:
        main.run(list(map(str, arguments)))
    done = Done(out.getvalue(), err.getvalue(), int(ended.value.code or 0))
    assert done.returncode == expect, done.stderr + done.stdout
    assert "Traceback" not in done.stderr
    return done


def typed(*arguments):
    """The same in a process of its own."""
    command = [sys.executable, "-c", "from lunar_haze.cli.main import run; run()", *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True)


@pytest.mark.workers
def test_render_writes_layers_that_add_up_to_the_picture(demo, tmp_path):
    out = tmp_path / "a.exr"
    done = run(
        "render",
        demo,
        "--shot",
        "Waiting",
        "--look",
        "moonlit mist",
        "--size",
        "96x54",
        "--passes",
        2,
        "--bounces",
        1,
        "--layers",
        "-o",
        out,
    )
    assert str(out) in done.stdout
    read = oiio.ImageInput.open(str(out))
    names = list(read.spec().channelnames)
    pixels = read.read_image("float")
    sources = {n.split(".")[0] for n in names if "." in n} - {"denoised"}
    assert {"moon", "night_sky", "jetty_lamps", "hand_lantern"} <= sources
    for channel in "RGB":
        beauty = pixels[..., names.index(channel)]
        total = sum(pixels[..., names.index(f"{s}.{channel}")].astype(np.float64) for s in sources)
        np.testing.assert_allclose(total, beauty, rtol=1e-5, atol=float(beauty.max()) * 1e-6)
    assert pixels[..., 0].mean() > 0


@pytest.mark.workers
def test_render_writes_a_png_without_denoising(demo, tmp_path):
    out = tmp_path / "a.png"
    run("render", demo, "--look", "clear noon", "--size", "64x36", "--passes", 1, "--no-denoise", "-o", out)
    picture = np.asarray(Image.open(out))
    assert picture.shape == (36, 64, 3)
    assert 20 < picture.mean() < 235


def test_info_tells_shots_looks_sources_and_triangles(demo):
    facts = json.loads(run("info", demo, "--json").stdout)
    assert [s["name"] for s in facts["shots"]] == ["Landing", "Waiting", "Loft"]
    assert {k["name"] for k in facts["looks"]} == {
        "clear noon", "broken afternoon", "bank at dawn", "golden hour", "blue hour", "moonlit mist", "lamplit wait", "starry night",
        "loft shafts",
    }  # fmt: skip
    assert facts["place"]["triangles"] > 100_000
    noon = next(k for k in facts["looks"] if k["name"] == "clear noon")
    assert next(s for s in noon["sources"] if s["name"] == "sun")["unit"] == "true"
    plain = run("info", demo).stdout
    assert "look moonlit mist" in plain
    assert "klx" in plain


def test_sky_tells_its_figures_and_writes_its_map(tmp_path):
    told = json.loads(run("sky", "--when", "2024-08-21T13:00+01:00", "--place", "52,0", "--json").stdout)
    assert told["sun_altitude_deg"] == pytest.approx(49.9, abs=0.1)
    assert told["sun_azimuth_deg"] == pytest.approx(179.0, abs=1.0)
    assert 65_000 < told["sun_lx"] < 85_000
    assert 12_000 < told["sky_lx"] < 22_000
    assert told["xy"] == pytest.approx([0.327, 0.337], abs=0.01)
    with_sun, without = tmp_path / "sky.exr", tmp_path / "sky.hdr"
    common = ("sky", "--when", "2024-08-21T12:00", "--place", "52,0", "--size", "256x128")
    run(*common, "--output", with_sun)
    run(*common, "--no-sun", "--output", without)
    for path, expected, rel in ((with_sun, told["sun_lx"] + told["sky_lx"], 0.01), (without, told["sky_lx"], 0.02)):
        pixels = oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT)
        assert pixels.shape == (128, 256, 3)
        weights = LUMINANCE_WEIGHTS if path.suffix == ".exr" else np.array([0.2126, 0.7152, 0.0722])
        assert (irradiance(pixels) @ weights) == pytest.approx(expected, rel=rel), "another reader finds the same light"


@pytest.mark.parametrize(
    ("arguments", "told"),
    [
        (("--when", "noon", "--place", "52,0", "--json"), "noon"),
        (("--when", "2024-08-21T12:00", "--place", "here", "--json"), "here"),
        (("--when", "2024-08-21T12:00", "--place", "120,0", "--json"), "not on the earth"),
        (("--when", "1066-10-14T12:00", "--place", "52,0", "--json"), "1066"),
        (("--when", "2024-08-21T12:00", "--place", "52,0"), "--output"),
        (("--when", "2024-08-21T12:00", "--place", "52,0", "--clouds", "woolly", "--json"), "woolly"),
        (("--when", "2024-08-21T12:00", "--place", "52,0", "-o", "sky.jpg"), "sky.jpg"),
    ],
)
def test_a_wrong_sky_is_refused_in_one_line(arguments, told):
    expect = 1 if told == "1066" else 2
    done = run("sky", *arguments, expect=expect)
    assert told in done.stderr.replace("\n", " ")


def test_new_makes_a_document_from_a_place(demo, tmp_path):
    out = tmp_path / "mine.haze"
    run("new", demo.with_suffix(".glb"), "--output", out)
    facts = json.loads(run("info", out, "--json").stdout)
    assert len(facts["shots"]) == 3
    assert {"sun", "sky", "post lamp"} <= {s["name"] for s in facts["looks"][0]["sources"]}
    told = run("new", demo.with_suffix(".glb"), "--output", tmp_path / "big.haze", "--scale", 100).stderr
    assert "across" in told


BAD = {
    "no file": (["render", "none.haze", "-o", "a.png"], "cannot be opened"),
    "no shot": (["render", "DEMO", "--shot", "Attic", "-o", "a.png"], "there are Landing"),
    "no look": (["render", "DEMO", "--look", "storm", "-o", "a.png"], "there is no look"),
    "size": (["render", "DEMO", "--size", "wide", "-o", "a.png"], "not a size"),
    "kind": (["render", "DEMO", "-o", "a.gif"], "kind of still"),
    "folder": (["render", "DEMO", "-o", "no/such/a.png"], "not a folder"),
    "no place": (["new", "none.glb", "--output", "a.haze"], "not there"),
    "suffix": (["new", "none.glb", "--output", "a.txt"], "end it in .haze"),
    "info on a folder": (["info", "."], "folder"),
    "bounces": (["render", "DEMO", "--bounces", "9", "-o", "a.png"], "less than or equal to 4"),
    "no arguments": (["render"], "Missing argument"),
}


@pytest.mark.parametrize("kind", BAD)
def test_bad_input_gets_one_clear_line_and_a_bad_exit(demo, tmp_path, monkeypatch, kind):
    monkeypatch.chdir(tmp_path)
    arguments, words = BAD[kind]
    expect = 2 if kind in ("size", "bounces", "no arguments") else 1
    done = run(*[demo if a == "DEMO" else a for a in arguments], expect=expect)
    assert words in " ".join(done.stderr.split())
    assert len(done.stderr.strip().splitlines()) == 1
    assert list(tmp_path.iterdir()) == []


def test_a_process_of_its_own_ends_as_the_command_does(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    bad, good = typed("render", "none.haze", "-o", "a.png"), typed("set", "--help")
    assert (bad.returncode, bad.stdout) == (1, "")
    assert "cannot be opened" in bad.stderr
    assert len(bad.stderr.strip().splitlines()) == 1
    assert (good.returncode, good.stderr) == (0, "")
    assert "FILE.haze" in good.stdout


def test_help_names_units():
    assert "EV100" in run("render", "--help").stdout
    assert "px" in run("render", "--help").stdout


def test_numbers_are_listed_and_set_by_their_names(tmp_path, demo):
    work = tmp_path / "a.haze"
    listed = run("set", str(demo), "--look", "lamplit wait")
    assert listed.returncode == 0
    lines = dict(line.split(" = ", 1) for line in listed.stdout.splitlines())
    assert lines["air: visibility"].endswith("m")
    assert lines["camera: f-number"] == "pinhole"
    done = run(
        "set",
        str(demo),
        "air: visibility = 80 m",
        "cool side: dimmer += 1/3",
        "cool side: dimmer+=1/3",
        "camera: exposure = -1",
        "--look",
        "lamplit wait",
        "-o",
        str(work),
    )
    assert done.returncode == 0, done.stderr
    before, after = (load(path)[0].look_named("lamplit wait") for path in (demo, work))
    assert after.medium.visibility_m == 80.0
    assert after.ev100 == -1.0
    now, then = (next(s for s in look.sources if s.name == "cool side").dimmer_stops for look in (after, before))
    assert now == pytest.approx(then + 2 / 3)
    assert load(work)[0].current_look == load(demo)[0].current_look


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("no such lamp: level = 2", "nothing called"),
        ("air: warmth = 2", "has no"),
        ("air visibility 3", "sets nothing"),
        ("air: visibility = 3 lx", "does not fit"),
        ("air: anisotropy = 7", "takes"),
        ("air: visibility = x", "not a number"),
    ],
)
def test_numbers_that_cannot_be_set_are_told_and_nothing_is_written(tmp_path, demo, text, words):
    done = run("set", str(demo), text, "-o", str(tmp_path / "a.haze"), expect=1)
    assert words in done.stderr
    assert not (tmp_path / "a.haze").exists()


@pytest.mark.workers
def test_readings_tell_shares_that_add_up_and_sentences(demo):
    asked = ("readings", demo, "--shot", "Waiting", "--look", "lamplit wait", "--size", "96x54", "--passes", 2)
    facts = json.loads(run(*asked, "--json").stdout)
    assert sum(s["of_frame"] for s in facts["sources"]) == pytest.approx(1.0, abs=1e-3)
    assert 0 <= facts["levels"]["over"] <= 1
    assert 5 <= len(facts["palette"]["colours"]) <= 8
    lines = run(*asked).stdout.splitlines()
    assert any(line.startswith("key to fill") for line in lines)
    assert any("stops about mid grey" in line for line in lines)


def test_readings_of_a_look_that_is_not_there_say_so(demo):
    told = run("readings", demo, "--look", "no such look", expect=1).stderr
    assert "no such look" in told


def test_h_is_help_everywhere():
    assert "render" in run("-h").stdout
    assert "--samples" in run("render", "-h").stdout
    assert run("render", "-h").stdout == run("render", "--help").stdout


def test_a_shell_is_told_how_what_is_typed_goes_on(monkeypatch):
    # The shell is named here: what tests run under may have none above it.
    monkeypatch.setenv("_TYPER_COMPLETE_TEST_DISABLE_SHELL_DETECTION", "1")
    script = typed("--show-completion", "bash").stdout
    assert "_LUNAR_HAZE_COMPLETE" in script
    asked = {"_LUNAR_HAZE_COMPLETE": "complete_bash", "COMP_WORDS": "lunar-haze re", "COMP_CWORD": "1"}
    command = [sys.executable, "-c", "from lunar_haze.cli.main import run; run()"]
    told = subprocess.run(command, capture_output=True, text=True, env=os.environ | asked)
    assert set(told.stdout.split()) >= {"render", "readings"}
    assert "Traceback" not in told.stderr


def test_start_names_files_from_where_it_is_called(tmp_path):
    """What is written lands where the command was given, not beside the program."""
    root = Path(main.__file__).parents[3]
    home = tmp_path / "program"
    (home / "scripts").mkdir(parents=True)
    (home / ".venv/bin").mkdir(parents=True)
    (home / "start").write_text((root / "start").read_text())
    (home / "scripts/setup.sh").write_text('cd "$here"\n')
    python = home / ".venv/bin/python"
    python.write_text('#!/bin/sh\n[ "$2" = lunar_haze ] && pwd > "$HAZE_TOLD" && echo "$@" >> "$HAZE_TOLD"\nexit 0\n')
    python.chmod(0o755)
    there = tmp_path / "work"
    there.mkdir()
    command = ["bash", str(home / "start"), "render", "a b.haze", "--output", "out.exr"]
    subprocess.run(command, cwd=there, check=True, env=os.environ | {"HAZE_TOLD": str(tmp_path / "told")})
    assert (tmp_path / "told").read_text() == f"{there}\n-m lunar_haze render a b.haze --output out.exr\n"
