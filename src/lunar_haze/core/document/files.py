"""Reads and writes .haze files: one JSON document, written so that a crash leaves old or new, never half.

The place is stored by a path relative to the file. What a file holds and this version cannot read
is listed, and kept when the file is written again. Paths are relative to the file where they can be.
"""

import contextlib
import json
import math
import os
import typing
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import attrs
import cattrs
from cattrs import IterableValidationError, IterableValidationNote

from lunar_haze.core.document.checks import MOST_LOOKS, check_document
from lunar_haze.core.document.known_files import is_known, remember
from lunar_haze.core.document.mending import mended
from lunar_haze.core.document.model import SCHEMA, Document, Look, Marker, Pin, PlaceRef, Shot
from lunar_haze.core.document.unknown import UNKNOWN, not_known, put_back
from lunar_haze.core.errors import DocumentError, NewerSchemaError, os_reason
from lunar_haze.core.sky.kinds import Dome, sky_kind_of, sky_tagged
from lunar_haze.core.sources.flicker import Flicker
from lunar_haze.core.sources.flicker_kinds import flicker_kind_of, flicker_tagged
from lunar_haze.core.sources.kinds import Shape, kind_of, kind_tagged
from lunar_haze.core.sources.lamp import Lamp
from lunar_haze.core.units.content import read_regular
from lunar_haze.core.units.inside import is_inside
from lunar_haze.core.units.written import put_bytes

SUFFIX = ".haze"
#: A larger file is no document [bytes].
LARGEST = 256 << 20
#: What a document holds many of.
_LISTS = ("shots", "looks", "pins", "markers")


def _short(value: object) -> str:
    """A value as it stands in a file, as long as a sentence takes."""
    text = repr(value)
    return text if len(text) <= 40 else f"{text[:40]}…"


def _converter() -> cattrs.Converter:
    converter = cattrs.Converter(forbid_extra_keys=False)

    def tagged(base: type, tag_of: Callable[[Any], str], value_tagged: Callable[[str], type]) -> None:
        """Values of the kinds of a base: each by its own fields, with the tag of its kind beside them."""

        def told(value: Any) -> dict:
            fields = {} if type(value) is base else converter.unstructure(value, type(value))
            return {**fields, "kind": tag_of(value)}

        def read(data: Any, _: type) -> Any:
            if not isinstance(data, dict):
                raise ValueError("it is no list of fields")
            fields = dict(data)
            value = value_tagged(str(fields.pop("kind", "")))
            return value() if value is base else converter.structure(fields, value)

        # The base alone: what is annotated with a kind is written by its own fields.
        converter.register_unstructure_hook_func(lambda kind: kind is base, told)
        converter.register_structure_hook_func(lambda kind: kind is base, read)

    tagged(Shape, lambda shape: kind_of(shape).tag, lambda tag: kind_tagged(tag).value)
    tagged(Lamp, lambda shape: kind_of(shape).tag, lambda tag: kind_tagged(tag).value)
    tagged(Flicker, lambda flicker: flicker_kind_of(flicker).tag, lambda tag: flicker_tagged(tag).value)
    tagged(Dome, lambda dome: sky_kind_of(dome).tag, lambda tag: sky_tagged(tag).value)
    # JSON has no infinity: clear air is written as null.
    converter.register_unstructure_hook(float, lambda v: None if math.isinf(v) else v)

    def number(value: object, _: type) -> float:
        if value is None:
            return math.inf
        if isinstance(value, bool) or not isinstance(value, (int, float)) or math.isnan(value):
            raise ValueError(f"{_short(value)} is not a number")
        return float(value)

    def whole(value: object, _: type) -> int:
        if isinstance(value, bool) or not isinstance(value, (int, float)) or value != math.floor(value):
            raise ValueError(f"{_short(value)} is not a whole number")
        return int(value)

    def exactly(kind: type, called: str) -> Callable[[object, type], Any]:
        def read(value: object, _: type) -> Any:
            if not isinstance(value, kind):
                raise ValueError(f"{_short(value)} is not {called}")
            return value

        return read

    converter.register_structure_hook(float, number)
    converter.register_structure_hook(int, whole)
    converter.register_structure_hook(bool, exactly(bool, "true or false"))
    converter.register_structure_hook(str, exactly(str, "text"))

    def tuples(kind: Any) -> Callable[[Any, Any], tuple]:
        types = typing.get_args(kind)
        endless = types[-1] is Ellipsis
        hooks = [converter.get_structure_hook(one) for one in types if one is not Ellipsis]

        def read(value: Any, _: Any) -> tuple:
            if not isinstance(value, (list, tuple)):
                raise ValueError(f"{_short(value)} is no list")
            if not endless and len(value) != len(hooks):
                raise ValueError(f"{len(value):,} values where there are {len(hooks)}")
            found, errors = [], []
            for at, item in enumerate(value):
                one = 0 if endless else at
                try:
                    found.append(hooks[one](item, types[one]))
                except Exception as error:
                    error.add_note(IterableValidationNote("in a list", at, types[one]))
                    errors.append(error)
            if errors:
                raise IterableValidationError("in a list", errors, kind)
            return tuple(found)

        return read

    converter.register_structure_hook_factory(lambda kind: typing.get_origin(kind) is tuple, tuples)
    return converter


#: Between the document's values and plain data.
CONVERTER = _converter()


def to_json(document: Document, base: Path | None) -> str:
    """The text of a .haze file that lies in folder ``base``; without one its paths stay absolute."""
    return written_out(document, base)[0]


def written_out(document: Document, base: Path | None) -> tuple[str, list[Path]]:
    """The same, and the files that the document is lit with, its place aside."""
    data = CONVERTER.unstructure(attrs.evolve(document, extra=()))
    data.pop("extra")
    holders = list(holders_of_paths(data))
    lit = [Path(holder["path"]) for holder in holders if holder is not data["place"]]
    if base is not None:
        for holder in holders:
            # On another drive or share there is no relative path; then the absolute one stays.
            with contextlib.suppress(ValueError):
                holder["path"] = os.path.relpath(holder["path"], base)
    for key, text in document.extra:
        if key == UNKNOWN:
            put_back(data, json.loads(text))
        else:
            data.setdefault(key, json.loads(text))
    return json.dumps({"lunar_haze": SCHEMA, **data}, indent=1, ensure_ascii=False) + "\n", lit


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
    if version < 6:
        _from_5(data)
    return data


def holders_of_paths(data: Any) -> Iterator[dict]:
    """Every part of a document's JSON that names a file by "path"."""
    waiting = [data]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            if isinstance(part.get("path"), str) and part["path"]:
                yield part
            waiting.extend(part.values())
        elif isinstance(part, list):
            waiting.extend(part)


def _looks_of(data: dict) -> Iterator[Any]:
    yield from data.get("looks", [])
    yield from (p.get("look", {}) for p in data.get("pins", []))


def _sources_of(data: dict) -> Iterator[dict]:
    for look in _looks_of(data):
        yield from look.get("sources", []) if isinstance(look, dict) else []


def _from_5(data: dict) -> None:
    """Format 5 had words of its own for an IES lamp, an array of lamps, light linking and the grade of a sky."""

    def regrade(holder: object) -> None:
        if isinstance(holder, dict) and "bend" in holder:
            holder["grade"] = holder.pop("bend")

    renamed = {"photometric": "ieslamp", "rig": "array"}
    for look in _looks_of(data):
        regrade(look.get("weather") if isinstance(look, dict) else None)
    for source in _sources_of(data):
        if "touches" in source:
            source["linking"] = source.pop("touches")
        shape = source.get("shape")
        dome = shape.get("dome") if isinstance(shape, dict) else None
        regrade(dome)
        regrade(dome.get("weather") if isinstance(dome, dict) else None)
        for part in (shape, shape.get("lamp") if isinstance(shape, dict) else None):
            if isinstance(part, dict) and part.get("kind") in renamed:
                part["kind"] = renamed[part["kind"]]


def _from_4(data: dict) -> None:
    """Format 4 told where the wind carries clouds to; now it is told where it comes from, as mist's always was."""

    def turn(holder: object) -> None:
        for cloud in holder.get("clouds") or [] if isinstance(holder, dict) else []:
            if isinstance(cloud, dict) and isinstance(cloud.get("wind_deg", 90.0), (int, float)):
                cloud["wind_deg"] = (cloud.get("wind_deg", 90.0) + 180.0) % 360.0

    for look in _looks_of(data):
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


#: Under this key of a document's extras lie values that could not be read: whose they are, where, and what they were.
SET_ASIDE = "set_aside"


def _label(key: str, number: int, item: Any) -> str:
    name = item.get("name") if isinstance(item, dict) else None
    return f"{key[:-1]} “{name if isinstance(name, str) else number + 1}”"


def _named(key: str, number: int, item: Any) -> Any:
    """A thing with a name and an id, which all have: the next free ones where they are no text."""
    if not isinstance(item, dict):
        return item
    missing = {name: f"{key[:-1]} {number + 1}" for name in ("name", "id") if not isinstance(item.get(name), str)}
    return {**item, **(missing if key in ("pins", "markers") else {k: v for k, v in missing.items() if k == "name"})}


def refuse(paths: list[Path]) -> bool:
    """Nothing that a document names outside its folder is read, unless this account has chosen it before."""
    return False


def from_json(
    text: str, base: Path, name: str, may_read: Callable[[list[Path]], bool] = lambda paths: True
) -> tuple[Document, list[str]]:
    """Document in the text of a .haze file in folder ``base``, and notes on what could not be read.

    ``may_read`` is asked of files outside that folder which it is lit with and which this account has not chosen.
    """
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise DocumentError(f"{name} is damaged and cannot be read; open its autosave or an older copy") from error
    if not isinstance(data, dict):
        raise DocumentError(f"{name} is not a Lunar Haze document")
    try:
        data = _migrate(data, name)
    except (AttributeError, TypeError, KeyError, ValueError) as error:
        raise DocumentError(f"{name} is damaged and cannot be read; open an older copy") from error
    for holder in holders_of_paths(data):
        with contextlib.suppress(ValueError):
            holder["path"] = str((base / holder["path"]).resolve())
    notes: list[str] = []
    kept: dict[str, list] = {}
    aside: list[dict] = []
    foreign = _foreign(data, base)
    if foreign and not may_read([Path(holder["path"]) for holder in foreign]):
        for holder in foreign:
            notes.append(f"{holder['path']} lies outside the document's folder and is not read")
            aside.append({"of": "a file", "where": ["path"], "value": holder["path"]})
            holder["path"] = ""
    given: dict[str, list] = {}

    def one(key: str, label: str, item: Any, kind: type) -> Any:
        """A thing as far as it can be read. Raises ValueError where nothing of it can."""
        found = mended(item, kind, CONVERTER.structure)
        if found.lost:
            notes.append(f"{label}: {'; '.join(found.sentences)} (what could not be read is kept aside)")
            aside.extend({"of": label, "where": path, "value": value} for path, value in found.lost)
        given.setdefault(key, []).append(found.read_of)
        return found.value

    def each(key: str, kind: type) -> tuple:
        good: list = []
        items = data.pop(key, []) or []
        if not isinstance(items, list):
            notes.append(f"“{key}” is no list and is kept aside")
            kept[f"unread_{key}"] = [items]
            return ()
        if len(items) > MOST_LOOKS:
            notes.append(f"{len(items):,} {key} are too many; the first {MOST_LOOKS} are read, the rest is kept aside")
            kept[f"unread_{key}"] = items[MOST_LOOKS:]
        for number, item in enumerate(items[:MOST_LOOKS]):
            label = _label(key, number, item)
            try:
                good.append(one(key, label, _named(key, number, item), kind))
            except ValueError as error:
                notes.append(f"{label} could not be read and is kept aside ({error})")
                kept.setdefault(f"unread_{key}", []).append(item)
        return tuple(good)

    shots, looks = each("shots", Shot), each("looks", Look)
    pins, markers = each("pins", Pin), each("markers", Marker)
    try:
        place = one("place", "the place", data.pop("place", {}), PlaceRef)
    except ValueError as error:
        raise DocumentError(f"{name} does not say which place it lights; it is damaged") from error
    current_shot, current_look = str(data.pop("current_shot", "")), str(data.pop("current_look", ""))
    if aside:
        kept[SET_ASIDE] = aside
    for key in data:
        if not key.startswith("unread_") and key not in (UNKNOWN, SET_ASIDE):
            notes.append(f"“{key}” is not known to this version and is kept as it is")
    if not shots:
        raise DocumentError(f"{name} holds no shot that can be read; it is damaged")
    if not looks:
        raise DocumentError(f"{name} holds no look that can be read; it is damaged")
    if current_shot not in {s.name for s in shots}:
        current_shot = shots[0].name
    if current_look not in {k.name for k in looks}:
        current_look = looks[0].name
    for key, lost in kept.items():
        before = data.get(key, [])
        data[key] = [*(before if isinstance(before, list) else [before]), *lost]
    document = Document(place, shots, looks, pins, current_shot, current_look, markers=markers)
    unknown = not_known({**given, "place": given["place"][0]}, CONVERTER.unstructure(document))
    if unknown:
        fields = ", ".join(sorted({str(path[-1]) for path, _value in unknown})[:4])
        notes.append(f"fields that are not known to this version are kept as they are ({fields})")
        data[UNKNOWN] = unknown
    return attrs.evolve(document, extra=tuple((k, json.dumps(v)) for k, v in data.items())), notes


def _foreign(data: dict, base: Path) -> list[dict]:
    """Parts of a document's JSON that name a file which lies outside ``base`` and which this account has not chosen."""
    lit = [data.get(key) for key in ("shots", "looks", "pins")]
    return [
        holder
        for holder in holders_of_paths(lit)
        if not is_inside(base, Path(holder["path"])) and not is_known(Path(holder["path"]))
    ]


def load(path: Path, may_read: Callable[[list[Path]], bool] = refuse) -> tuple[Document, list[str]]:
    """Document of a .haze file and notes for the artist. Raises DocumentError with a sentence to show.

    ``may_read`` is asked of files outside the document's folder that this account has not chosen (see `known_files`).
    """
    path = Path(path)
    if path.is_dir():
        raise DocumentError(f"{path} is a folder; choose a {SUFFIX} file")
    try:
        text = read_regular(path, LARGEST).decode("utf-8")
    except OSError as error:
        raise DocumentError(f"{path} cannot be opened: {os_reason(error)}") from error
    except UnicodeDecodeError as error:
        raise DocumentError(f"{path.name} is not a Lunar Haze document") from error
    return from_json(text, path.parent.resolve(), path.name, may_read)


def save(document: Document, path: Path) -> None:
    """Write a .haze file. The old one stays untouched unless the new one is whole.

    Raises DocumentError, also for what could not be read again.
    """
    path = Path(path)
    if path.is_dir():
        raise DocumentError(f"{path} is a folder; give the document a name in it")
    check_document(document)
    try:
        text, lit = written_out(document, path.parent.resolve())
        put_bytes(path, text.encode(), follow=True)
    except OSError as error:
        raise DocumentError(f"{path} cannot be saved: {os_reason(error)}; nothing was changed on disk") from error
    remember(one for one in lit if not is_inside(path.parent, one))


def named(path: Path) -> Path:
    """A document's path with its suffix; dots in a name stay."""
    return path if path.suffix == SUFFIX else path.with_name(path.name + SUFFIX)
