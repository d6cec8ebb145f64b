"""Reads and writes .haze files: one JSON document, written so that a crash leaves old or new, never half.

The place is stored by a path relative to the file. What a file holds and this version cannot read
is listed, and kept when the file is written again. An autosave lies beside the file as
``.NAME.autosave`` (or in the user's state folder before the first save).
"""

import contextlib
import json
import math
import os
from collections.abc import Iterator
from pathlib import Path

import attrs
import cattrs
from cattrs.strategies import configure_tagged_union

from lunar_haze.core.document.model import SCHEMA, Document, Look, Pin, PlaceRef, Shot
from lunar_haze.core.errors import DocumentError, NewerSchemaError, os_reason
from lunar_haze.core.sky.model import Dome
from lunar_haze.core.sources.model import Lamp, Shape

SUFFIX = ".haze"


def _converter() -> cattrs.Converter:
    converter = cattrs.Converter(forbid_extra_keys=False)
    for union in (Dome, Lamp, Shape):
        configure_tagged_union(union, converter, tag_name="kind", tag_generator=lambda kind: kind.__name__.lower())
    # JSON has no infinity: clear air is written as null.
    converter.register_unstructure_hook(float, lambda v: None if math.isinf(v) else v)

    def number(value: object, _: type) -> float:
        if value is None:
            return math.inf
        if isinstance(value, bool) or not isinstance(value, (int, float)) or math.isnan(value):
            raise ValueError(f"{value!r} is not a number")
        return float(value)

    converter.register_structure_hook(float, number)
    return converter


_CONVERTER = _converter()


def to_json(document: Document, base: Path | None) -> str:
    """The text of a .haze file that lies in folder ``base``."""
    data = _CONVERTER.unstructure(attrs.evolve(document, extra=()))
    data.pop("extra")
    if base is not None and document.place.path:
        # On another drive or share there is no relative path; then the absolute one stays.
        with contextlib.suppress(ValueError):
            data["place"]["path"] = os.path.relpath(document.place.path, base)
    for key, text in document.extra:
        data.setdefault(key, json.loads(text))
    return json.dumps({"lunar_haze": SCHEMA, **data}, indent=1, ensure_ascii=False) + "\n"


def _migrate(data: dict, name: str) -> dict:
    version = data.pop("lunar_haze", None)
    if not isinstance(version, int):
        raise DocumentError(f"{name} is not a Lunar Haze document")
    if version > SCHEMA:
        raise NewerSchemaError(
            f"{name} was saved by a newer Lunar Haze (format {version}; this one reads {SCHEMA}); update to open it"
        )
    if version < 2:
        _from_1(data)
    if version < 3:
        _from_2(data)
    if version < 5:
        _from_4(data)
    return data


def _sources_of(data: dict) -> Iterator[dict]:
    for look in [*data.get("looks", []), *(p.get("look", {}) for p in data.get("pins", []))]:
        yield from look.get("sources", []) if isinstance(look, dict) else []


def _from_4(data: dict) -> None:
    """Format 4 told where the wind carries clouds to; now it is told where it comes from, as mist's always was."""

    def turn(holder: object) -> None:
        for cloud in holder.get("clouds") or [] if isinstance(holder, dict) else []:
            if isinstance(cloud, dict) and isinstance(cloud.get("wind_deg", 90.0), (int, float)):
                cloud["wind_deg"] = (cloud.get("wind_deg", 90.0) + 180.0) % 360.0

    for look in [*data.get("looks", []), *(p.get("look", {}) for p in data.get("pins", []))]:
        turn(look.get("weather") if isinstance(look, dict) else None)
    for source in _sources_of(data):
        shape = source.get("shape", {})
        turn(shape)
        turn(shape.get("dome", {}).get("weather"))


def _from_2(data: dict) -> None:
    """Format 2 told a ball's lux at one metre; now it is told at an aim of its own."""
    for source in _sources_of(data):
        shape = source.get("shape", {})
        if shape.get("kind") == "ball" and isinstance(shape.get("position"), list):
            shape["aim"] = [*shape["position"][:2], shape["position"][2] - 1.0]


def _from_1(data: dict) -> None:
    """Format 1 knew one kind of sky, and gave what follows the hour its level in lux."""
    for source in _sources_of(data):
        shape = source.get("shape", {})
        if shape.get("kind") == "sky" and "dome" not in shape:
            dome = {"kind": "clearsky", **{k: shape.pop(k) for k in tuple(shape) if k.startswith("sun_")}}
            shape["dome"] = dome
        if shape.get("kind") in ("sun", "sky") and shape.get("follows_hour", True):
            source.update(amount=1.0, unit="true", kelvin=None)


def from_json(text: str, base: Path, name: str) -> tuple[Document, list[str]]:
    """Document in the text of a .haze file in folder ``base``, and notes on what could not be read."""
    try:
        data = json.loads(text)
    except ValueError as error:
        raise DocumentError(f"{name} is damaged and cannot be read; open its autosave or an older copy") from error
    if not isinstance(data, dict):
        raise DocumentError(f"{name} is not a Lunar Haze document")
    data = _migrate(data, name)
    notes: list[str] = []
    kept: dict[str, list] = {}

    def each(key: str, kind: type) -> tuple:
        good: list = []
        for number, item in enumerate(data.pop(key, []) or []):
            try:
                good.append(_CONVERTER.structure(item, kind))
            except Exception as error:  # cattrs raises groups of whatever the fields raise
                label = item.get("name", number + 1) if isinstance(item, dict) else number + 1
                notes.append(f"{key[:-1]} “{label}” could not be read and is kept aside ({_first_line(error)})")
                kept.setdefault(f"unread_{key}", []).append(item)
        return tuple(good)

    shots, looks, pins = each("shots", Shot), each("looks", Look), each("pins", Pin)
    try:
        place = _CONVERTER.structure(data.pop("place", {}), PlaceRef)
    except Exception as error:
        raise DocumentError(f"{name} does not say which place it lights; it is damaged") from error
    if place.path:
        place = attrs.evolve(place, path=str((base / place.path).resolve()))
    current_shot, current_look = str(data.pop("current_shot", "")), str(data.pop("current_look", ""))
    for key in data:
        if not key.startswith("unread_"):
            notes.append(f"“{key}” is not known to this version and is kept as it is")
    if not shots:
        raise DocumentError(f"{name} holds no shot that can be read; it is damaged")
    if not looks:
        raise DocumentError(f"{name} holds no look that can be read; it is damaged")
    if current_shot not in {s.name for s in shots}:
        current_shot = shots[0].name
    if current_look not in {k.name for k in looks}:
        current_look = looks[0].name
    extra = tuple((k, json.dumps(v)) for k, v in {**data, **kept}.items())
    return Document(place, shots, looks, pins, current_shot, current_look, extra), notes


def _first_line(error: BaseException) -> str:
    while isinstance(error, BaseExceptionGroup) and error.exceptions:
        error = error.exceptions[0]
    return str(error).split("\n")[0] or type(error).__name__


def load(path: Path) -> tuple[Document, list[str]]:
    """Document of a .haze file and notes for the artist. Raises DocumentError with a sentence to show."""
    path = Path(path)
    if path.is_dir():
        raise DocumentError(f"{path} is a folder; choose a {SUFFIX} file")
    try:
        text = path.read_text("utf-8")
    except OSError as error:
        raise DocumentError(f"{path} cannot be opened: {os_reason(error)}") from error
    except UnicodeDecodeError as error:
        raise DocumentError(f"{path.name} is not a Lunar Haze document") from error
    return from_json(text, path.parent.resolve(), path.name)


def write_atomically(path: Path, data: bytes) -> None:
    """Put ``data`` in place of ``path`` in one step that survives a crash. Raises OSError."""
    path = path.resolve()
    temporary = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        with temporary.open("wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, path)
    except OSError:
        with contextlib.suppress(OSError):
            temporary.unlink()
        raise
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def save(document: Document, path: Path) -> None:
    """Write a .haze file. The old one stays untouched unless the new one is whole."""
    path = Path(path)
    if path.is_dir():
        raise DocumentError(f"{path} is a folder; give the document a name in it")
    try:
        write_atomically(path, to_json(document, path.parent.resolve()).encode())
    except OSError as error:
        raise DocumentError(f"{path} cannot be saved: {os_reason(error)}; nothing was changed on disk") from error


def autosave_path(path: Path | None, state_folder: Path) -> Path:
    """Where the autosave of a document lies."""
    return state_folder / "unsaved.autosave" if path is None else path.with_name(f".{path.name}.autosave")
