"""A farm on this machine: Dask's own scheduler and workers make the frames that one machine would have made."""

import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import attrs
import numpy as np
import pytest
from PIL import Image

from lunar_haze.core.document import edits
from lunar_haze.core.document.cues import with_key
from lunar_haze.core.document.files import load
from lunar_haze.core.errors import ServiceError
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.model import Sky
from lunar_haze.core.units.content import content_digest
from lunar_haze.service import farm, farm_bench
from lunar_haze.service.parcel import parcel_of
from lunar_haze.service.sequence import SequenceSpec, run


@pytest.fixture
def document(demo):
    found = attrs.evolve(load(demo)[0], current_look="lamplit wait", current_shot="Waiting")
    found = edits.change_shot(found, first_frame=1, last_frame=4, frame=1, ends=None)
    return with_key(with_key(found, "rim", "dimmer", 3.0, frame=1), "rim", "dimmer", -3.0, frame=4)


def spec_of(document, folder, **changes):
    told = {"first": 1, "last": 4, "size": (32, 18), "passes": 1} | changes
    return SequenceSpec(document, "Waiting", "lamplit wait", output=folder / "####.png", **told)


def _dask(*arguments):
    tool = Path(sys.executable).with_name("dask")
    environment = os.environ | {"DASK_DISTRIBUTED__DASHBOARD__LINK": "", "PYTHONPATH": os.pathsep.join(sys.path)}
    return subprocess.Popen(
        [str(tool), *arguments], env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/"
    )


@pytest.fixture
def cluster(tmp_path):
    """A scheduler's address, and what starts a worker of it."""
    told = tmp_path / "scheduler.json"
    scheduler = _dask(
        "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(told)
    )
    deadline = time.monotonic() + 60
    # The file is there a moment before what it holds is.
    while not (told.exists() and told.read_text().rstrip().endswith("}")) and time.monotonic() < deadline:
        time.sleep(0.05)
    import json

    address = json.loads(told.read_text())["address"]
    started = [scheduler]

    def worker():
        made = _dask(
            "worker", address, "--nthreads", "1", "--no-dashboard", "--host", "127.0.0.1", "--no-nanny",
            "--local-directory", str(tmp_path / f"worker{len(started)}"),
        )  # fmt: skip
        started.append(made)
        return made

    yield address, worker, scheduler
    for process in reversed(started):
        process.kill()
        process.wait()


@pytest.mark.workers
@pytest.mark.timeout(300)
def test_a_farm_makes_the_same_bits_and_loses_no_frame_with_a_worker(document, tmp_path, cluster):
    address, worker, _scheduler = cluster
    here, there = tmp_path / "here", tmp_path / "there"
    here.mkdir()
    there.mkdir()
    first = worker()
    lost = []

    def tell(progress):
        if progress.done == 1 and not lost:
            lost.append(first)
            first.send_signal(signal.SIGKILL)
            worker()

    made = run(spec_of(document, there), tell, cluster=farm.Farm(address))
    assert (made.made, len(lost)) == (4, 1)
    run(spec_of(document, here))
    for frame in range(1, 5):
        one, two = (np.asarray(Image.open(folder / f"{frame:04d}.png")) for folder in (here, there))
        np.testing.assert_array_equal(one, two)
    # Run again: all is there, and no worker is asked.
    assert run(spec_of(document, there), cluster=farm.Farm("tcp://127.0.0.1:1")).kept == 4


@pytest.mark.workers
@pytest.mark.timeout(300)
def test_one_frame_is_shared_out_among_workers_to_the_same_bits(document, tmp_path, cluster, monkeypatch):
    from distributed import Client

    address, worker, _scheduler = cluster
    here, there = tmp_path / "here", tmp_path / "there"
    here.mkdir()
    there.mkdir()
    worker()
    worker()
    with Client(address, set_as_default=False) as client:
        client.wait_for_workers(2, timeout=60)
    cut = []
    shares_of = farm.shares_of
    monkeypatch.setattr(farm, "shares_of", lambda *told: cut.append(shares_of(*told)) or cut[-1])
    told = {"first": 2, "last": 2, "size": (256, 144), "passes": 2}
    assert run(spec_of(document, there, **told), cluster=farm.Farm(address)).made == 1
    assert cut == [[2]]
    run(spec_of(document, here, **told))
    one, two = (np.asarray(Image.open(folder / "0002.png")) for folder in (here, there))
    np.testing.assert_array_equal(one, two)


def test_a_scheduler_that_is_not_there_is_said_in_words(document, tmp_path, monkeypatch):
    monkeypatch.setattr(farm, "PATIENCE_S", 1.0)
    with pytest.raises(ServiceError, match=r"no scheduler answers at tcp://127\.0\.0\.1:1"):
        run(spec_of(document, tmp_path), cluster=farm.Farm("tcp://127.0.0.1:1"))
    with pytest.raises(ServiceError, match="no scheduler answers"):
        run(spec_of(document, tmp_path), cluster=farm.Farm("nonsense"))


def test_a_worker_of_another_version_is_told(document, tmp_path):
    parcel, _here = parcel_of(spec_of(document, tmp_path))
    with pytest.raises(ServiceError, match="another version"):
        farm_bench.make_frame(attrs.evolve(parcel, engine="of long ago"), 1)


def test_what_a_document_needs_travels_by_content(document, tmp_path):
    picture = tmp_path / "sky.png"
    Image.fromarray(np.full((8, 16, 3), 90, np.uint8)).save(picture)
    sky = next(s for s in document.look.sources if isinstance(s.shape, Sky))
    lit = edits.change_source(document, sky.id, shape=Sky(Panorama(str(picture)), follows_hour=False))
    parcel, here = parcel_of(spec_of(lit, tmp_path))
    assert set(here) == {content_digest(picture), content_digest(Path(document.place.path))}
    assert {digest for _name, digest in parcel.files} == set(here)
    assert str(tmp_path) not in parcel.text
    assert parcel.name == parcel_of(spec_of(lit, tmp_path))[0].name
    # A file that is gone does not travel; what needs it says so where it is made.
    moved = edits.change_source(lit, sky.id, shape=Sky(Panorama(str(tmp_path / "gone.png")), follows_hour=False))
    assert len(parcel_of(spec_of(moved, tmp_path))[1]) == 1


def test_a_place_whose_pictures_lie_above_it_keeps_its_ways(document, tmp_path):
    (tmp_path / "set" / "models").mkdir(parents=True)
    shutil.copy(document.place.path, tmp_path / "set" / "models" / "place.glb")
    obj = tmp_path / "set" / "models" / "place.obj"
    obj.write_text("mtllib ../place.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    (tmp_path / "set" / "place.mtl").write_text("newmtl a\n")
    other = attrs.evolve(document, place=attrs.evolve(document.place, path=str(obj)))
    parcel, _here = parcel_of(spec_of(other, tmp_path))
    names = sorted(name for name, _digest in parcel.files)
    assert names == ["a/b/c/d/e/f/place.obj", "a/b/c/d/e/place.mtl"]
