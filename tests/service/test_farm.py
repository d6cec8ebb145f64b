"""A farm on this machine: Dask's own scheduler and workers make the frames that one machine would have made."""

import json
import os
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
from lunar_haze.core.document.start import place_spec
from lunar_haze.core.errors import ServiceError
from lunar_haze.core.place.load import load_place
from lunar_haze.core.place.travel import travelling
from lunar_haze.core.sky.model import Panorama
from lunar_haze.core.sources.model import Sky
from lunar_haze.service import farm, farm_bench
from lunar_haze.service.parcel import digest_of, parcel_of, unpacked
from lunar_haze.service.sequence import SequenceSpec, run
from tests.gltf_cases import File


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
    assert set(here) == {digest_of(path.read_bytes()) for path in (picture, Path(document.place.path))}
    assert {digest for _name, digest in parcel.files} == set(here)
    assert str(tmp_path) not in parcel.text
    assert parcel.name == parcel_of(spec_of(lit, tmp_path))[0].name
    # A file that is gone does not travel; what needs it says so where it is made.
    moved = edits.change_source(lit, sky.id, shape=Sky(Panorama(str(tmp_path / "gone.png")), follows_hour=False))
    assert len(parcel_of(spec_of(moved, tmp_path))[1]) == 1


def test_a_set_of_many_files_travels_under_plain_names(document, tmp_path):
    """Materials and pictures in folders of their own arrive as what they were; what is unused or outside stays."""
    folder = tmp_path / "set"
    (folder / "mat").mkdir(parents=True)
    obj = folder / "Ort.obj"
    obj.write_text("mtllib mat/Holz.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl a\nf 1/1 2/2 3/3\n")
    (folder / "mat" / "Holz.mtl").write_text("newmtl a\nmap_Kd Bild.png\nbump ../../secret.png\n")
    Image.fromarray(np.full((4, 4, 3), (200, 90, 10), np.uint8)).save(folder / "mat" / "Bild.png")
    Image.fromarray(np.zeros((4, 4, 3), np.uint8)).save(tmp_path / "secret.png")
    other = attrs.evolve(document, place=attrs.evolve(document.place, path=str(obj)))
    parcel, here = parcel_of(spec_of(other, tmp_path))
    assert [name for name, _digest in parcel.files] == ["set-0.mtl", "set-1.png", "set.obj"]
    assert digest_of((tmp_path / "secret.png").read_bytes()) not in here
    there = tmp_path / "there"
    there.mkdir()
    spec, place = unpacked(parcel, here, there)
    assert place.key == place_spec(other.place).key
    one, two = load_place(obj), load_place(Path(spec.document.place.path))
    np.testing.assert_array_equal(one.positions, two.positions)
    np.testing.assert_array_equal(one.textures[0].pixels, two.textures[0].pixels)


def test_unused_pictures_of_a_set_do_not_travel(document, tmp_path):
    file = File()
    file.json["images"] = [{"uri": "used.png"}, {"uri": "unused.png"}]
    file.json["textures"] = [{"source": 0}, {"source": 1}]
    file.json["materials"] = [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}]
    for name in ("used", "unused"):
        Image.fromarray(np.full((4, 4, 3), len(name), np.uint8)).save(tmp_path / f"{name}.png")
    path = file.write(tmp_path / "a.glb")
    own, files = travelling(path)
    assert (own, sorted(files)) == ("set.glb", ["set-0.png", "set.glb"])
    assert files["set-0.png"] == (tmp_path / "used.png").read_bytes()


def test_a_parcel_that_was_meddled_with_is_refused(document, tmp_path):
    parcel, here = parcel_of(spec_of(document, tmp_path))
    name, digest = parcel.files[0]
    data = json.loads(parcel.text)
    data["place"]["path"] = "/etc/hostname"
    values = json.loads(parcel.values)
    odd_names = ("../../x", "/tmp/x", "a/b", "", ".x", "x" * 99, 7, "CON:")
    odd_values = {
        "size": [10**6, 10**6], "passes": "many", "suffix": ".exe", "step": 0, "shot": ["a"], "last": 10**18,
        "place": 7, "screen": None,
    }  # fmt: skip
    meddled = [
        *(attrs.evolve(parcel, files=((odd, digest),)) for odd in odd_names),
        attrs.evolve(parcel, files=(*parcel.files, (name, digest))),
        attrs.evolve(parcel, text=json.dumps(data)),
        attrs.evolve(parcel, text=data),
        *(attrs.evolve(parcel, values=json.dumps({**values, key: odd})) for key, odd in odd_values.items()),
    ]
    for number, one in enumerate(meddled):
        root = tmp_path / f"root{number}" / "inner"
        root.mkdir(parents=True)
        with pytest.raises(ServiceError, match="would not send"):
            unpacked(one, here, root)
        assert [path.name for path in root.parent.iterdir()] == ["inner"]
    root = tmp_path / "last"
    root.mkdir()
    with pytest.raises(ServiceError, match="not what it says"):
        unpacked(parcel, {digest: b"other bytes"}, root)


def test_a_worker_has_no_say_in_what_is_written_where():
    class Future:
        status = "finished"

        def __init__(self, made):
            self.made = made

        def result(self, timeout):
            return self.made

    assert farm._taken(Future(b"png")) == b"png"
    for made in ({"../../x": b""}, "text", None, bytearray(b"x")):
        with pytest.raises(ServiceError, match="a worker sent"):
            farm._taken(Future(made))
