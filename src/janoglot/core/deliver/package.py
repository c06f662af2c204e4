"""A package: a named list of what to hand over, made once and used for every edition and every production.

What is made of each item is kept by everything that it is made of, so that a package made again makes only what has
changed; the files are put together under their names, with a manifest that says what each is and was made from.
"""

from __future__ import annotations

import hashlib
import json
import time
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from janoglot.core.deliver.book_items import ITEMS as BOOKS
from janoglot.core.deliver.caption_items import ITEMS as CAPTIONS
from janoglot.core.deliver.deliverable import Data, Material, Need, Stores
from janoglot.core.deliver.encoding import CODECS
from janoglot.core.deliver.items import ItemKind, Value, files_of, make_item
from janoglot.core.deliver.names import apart, check_pattern, file_name, named_by
from janoglot.core.deliver.picture_items import ITEMS as PICTURES
from janoglot.core.deliver.sound_items import ITEMS as SOUNDS
from janoglot.core.deliver.stems import STEMS
from janoglot.core.deliver.template_clips import ITEMS as TEMPLATES
from janoglot.core.deliver.text_items import ITEMS as TEXTS
from janoglot.core.deliver.timeline_items import ITEMS as TIMELINES
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import english_name
from janoglot.core.store import Store

_ALL = (SOUNDS, CAPTIONS, PICTURES, TIMELINES, BOOKS, TEXTS, TEMPLATES)
KINDS: dict[str, ItemKind] = {one.name: one for group in _ALL for one in group}
MANIFEST = "manifest.json"
MANIFEST_VERSION = 1
_MOST_ITEMS = 40
_BLOCK = 4 * 1024**2


@dataclass(frozen=True, slots=True)
class Item:
    """One thing of a package: its kind, what was chosen of it, and by which pattern its files are named."""

    kind: str
    choices: dict[str, Value] = field(default_factory=dict)
    pattern: str = ""

    @property
    def of(self) -> ItemKind:
        return KINDS[self.kind]

    @property
    def names(self) -> str:
        return self.pattern or self.of.pattern

    @property
    def chosen(self) -> dict[str, Value]:
        return self.of.chosen(self.choices)

    def as_json(self) -> Data:
        return {"kind": self.kind, "choices": self.choices, "pattern": self.pattern}


@dataclass(frozen=True, slots=True)
class Package:
    """``commercial``: what it hands over is to be used commercially, so that everything in it has to allow that."""

    name: str
    items: tuple[Item, ...]
    commercial: bool = False

    def as_json(self) -> Data:
        return {"name": self.name, "commercial": self.commercial, "items": [one.as_json() for one in self.items]}


def package_of(told: Any) -> Package:
    """A package from JSON. Raises BadInput, naming what is wrong."""
    if not isinstance(told, dict) or not isinstance(told.get("items"), list):
        raise BadInput("A package is a name and a list of items.")
    name = str(told.get("name") or "").strip()
    if not name or len(name) > 80:
        raise BadInput("A package has a name of up to 80 letters.")
    if not 1 <= len(told["items"]) <= _MOST_ITEMS:
        raise BadInput("A package holds 1 to {most} items.", most=_MOST_ITEMS)
    items = []
    for row in told["items"]:
        if not isinstance(row, dict) or row.get("kind") not in KINDS:
            raise BadInput("There is nothing called “{kind}” to hand over: {all}.",
                           kind=str(row.get("kind") if isinstance(row, dict) else row)[:40], all=", ".join(KINDS))
        choices = row.get("choices") or {}
        if not isinstance(choices, dict):
            raise BadInput("What is chosen of “{kind}” is told by name.", kind=row["kind"])
        kind = KINDS[row["kind"]]
        choices = dict(kind.older(choices))
        chosen = kind.chosen(choices)
        if "codec" in chosen and "rate" in chosen:
            from janoglot.core.deliver.sound_items import form_of

            form_of(chosen)
        pattern = str(row.get("pattern") or "")
        if pattern:
            check_pattern(pattern)
        items.append(Item(kind.name, choices, pattern))
    return Package(name, tuple(items), bool(told.get("commercial")))


def _shipped(name: str, *items: tuple[str, dict[str, Value]], commercial: bool = False,
             patterns: Sequence[str] = ()) -> Package:
    named = [*patterns, *[""] * (len(items) - len(patterns))]
    return package_of({"name": name, "commercial": commercial, "items": [
        {"kind": kind, "choices": choices, "pattern": pattern}
        for (kind, choices), pattern in zip(items, named, strict=True)]})


_PHONES: tuple[dict[str, Value], ...] = ({"codec": "ulaw", "rate": 8_000}, {"codec": "wav16", "rate": 16_000})
PACKAGES: tuple[Package, ...] = (
    _shipped("listening copy", ("track", {"codec": "mp3"}), ("captions", {"format": "srt"}),
             ("captions", {"format": "vtt"})),
    _shipped("broadcast file", ("track", {"codec": "wav24", "broadcast": True, "lufs": -23.0}), ("stems", {}),
             ("captions", {"format": "ebu-tt-d.xml", "columns": 37}), ("cue sheet", {}), ("rights", {}),
             commercial=True),
    _shipped("web picture", ("picture", {"container": "mp4"}), ("captions", {"format": "vtt"})),
    _shipped("editor's turnover", ("timeline", {"format": "otio"}), ("timeline", {"format": "edl"}),
             ("timeline", {"format": "markers", "clips": False}), ("stems", {}), ("cue sheet", {"format": "csv"})),
    _shipped("talking book", ("talking book", {"format": "epub"}), ("talking book", {"format": "lpf"})),
    # Whoever loads prompts into an exchange takes a folder of one codec.
    _shipped("phone prompts", *[(kind, {**form, "channels": 1, "lufs": -18.0}) for form in _PHONES
                                for kind in ("clips", "templates' clips")],
             patterns=[f"{{language}}/{form['codec']}/{pattern}" for form in _PHONES
                       for pattern in ("{number}_{speaker}_{part}", "{number}_{what}")]),
    _shipped("archive", ("track", {"codec": "flac"}), ("stems", {}), ("clips", {"codec": "flac"}),
             ("captions", {"format": "imsc.ttml"}), ("markup", {"format": "ssml"}), ("markup", {"format": "pls"}),
             ("wordings", {}), ("quality report", {}), ("quality report", {"format": "json"}), ("rights", {}),
             ("script", {"format": "json"})),
)


@dataclass(frozen=True, slots=True)
class Wanted:
    """One item of one edition, of all of them, or of the production: what it is made by, and the key of its files."""

    number: int
    languages: tuple[str, ...]
    key: str
    order: Data
    needs: frozenset[Need]


@dataclass(frozen=True, slots=True)
class LeftOut:
    """An item that an edition, or several together, cannot have, and why."""

    number: int
    languages: tuple[str, ...]
    why: JanoglotError

    def told(self, package: Package) -> Data:
        return {"number": self.number, "item": package.items[self.number].kind, "languages": list(self.languages),
                "why": str(self.why)}


def _not_here(kind: ItemKind, chosen: Data, group: Sequence[Material]) -> None:
    """Raises BadInput for what an item needs and these editions do not have."""
    needs = kind.needs(chosen)
    if Need.PICTURE in needs and any(one.picture() is None for one in group):
        raise BadInput("There is no picture: bring in the source's video.")
    if Need.HELD in needs and not all(one.holds() for one in group):
        raise BadInput("No part of this edition is held: none may grow, or all its speech fits.")


def wanted_and_left(package: Package, materials: Sequence[Material]) -> tuple[list[Wanted], list[LeftOut]]:
    """Everything that a package of these editions is made of, in order; and what it is without, as nothing of it can be
    made of these editions."""
    found: list[Wanted] = []
    left: list[LeftOut] = []
    for number, item in enumerate(package.items):
        kind, chosen = item.of, item.chosen
        groups = [[one] for one in materials] if kind.of == "edition" else [list(materials)] \
            if kind.of == "languages" else [list(materials[:1])]
        for group in groups:
            languages = tuple(one.language for one in group) if kind.of != "production" else ()
            try:
                _not_here(kind, chosen, group)
                # As it is kept and read again, so that what is made of it is the same wherever it is made.
                order = json.loads(json.dumps(kind.write_down(group, chosen)))
            except JanoglotError as error:
                left.append(LeftOut(number, languages, error))
                continue
            found.append(Wanted(number, languages, kind.key(order), order, kind.needs(chosen)))
    return found, left


def wanted_of(package: Package, materials: Sequence[Material]) -> list[Wanted]:
    """Everything that a package of these editions is made of. Raises what stands against the first item that is not."""
    found, left = wanted_and_left(package, materials)
    if left:
        raise left[0].why
    return found


def make_wanted(package: Package, one: Wanted, stores: Stores, handed: Store) -> bool:
    """Have the files of an item made where they are missing; whether they were. Raises what making may raise."""
    if handed.has(one.key):
        return False
    kind = package.items[one.number].of
    def make(place: Path) -> None:
        make_item(kind, one.order, stores, place)

    handed.write(one.key, make)
    return True


@dataclass(frozen=True, slots=True)
class HandedFile:
    """A file of a package: its path there, where it is kept, and what the manifest says of it."""

    path: str
    key: str
    inner: str
    told: Data


def files_of_package(package: Package, wanted: Sequence[Wanted], production: str, handed: Store) -> list[HandedFile]:
    """All files under the names that they are to have, none twice. Raises FileNotFoundError for an item that is not
    made."""
    found: list[HandedFile] = []
    bases: dict[tuple[str, str], str] = {}
    for one in wanted:
        item = package.items[one.number]
        with zipfile.ZipFile(handed.path(one.key)) as archive:
            files = files_of(archive)
        language = one.languages[0] if len(one.languages) == 1 else "all" if one.languages else ""
        fields: dict[str, str | int] = {"production": production, "language": language,
                                        "edition": english_name(language) if len(one.languages) == 1 else language}
        for file in files:
            told: Data = {"item": item.kind, "languages": list(one.languages), "made_from": one.key.partition(".")[0],
                          "version": item.of.version, "report": file.report}
            if item.of.together:
                base = bases.setdefault((item.names, language), named_by(item.names, fields))
                found.append(HandedFile(f"{base}/{_inner(file.path)}", one.key, file.path, told))
            else:
                name = named_by(item.names, {**fields, **file.fields, **({"language": language} if language else {})})
                found.append(HandedFile(f"{name}.{file.ending}", one.key, file.path, told))
    # What is in two items of a package alike, clips beside two timelines, is one file.
    seen: dict[str, HandedFile] = {}
    made = []
    for handed_file in found:
        before = seen.get(handed_file.path)
        if before and package_together(before, handed_file):
            continue
        seen.setdefault(handed_file.path, handed_file)
        made.append(handed_file)
    return [HandedFile(path, one.key, one.inner, one.told)
            for path, one in zip(apart([one.path for one in made]), made, strict=True)]


_CALLED = {"quality report": "quality", "on-screen texts": "on-screen", "talking book": "book",
           "picture, all languages": "picture", "templates' clips": "clip"}


def _what(kind: str, chosen: Mapping[str, Value]) -> str:
    """What stands for ``{what}`` in the first file of an item."""
    if kind in ("track", "clips"):
        return str(chosen["codec"])
    if kind == "stems":
        return next((name for name in STEMS if name in str(chosen["stems"]).split(", ")), STEMS[0])
    if kind == "captions":
        return "on-screen" if chosen["shows"] == "on screen" else "captions"
    if kind == "markup":
        return "markup" if chosen["format"] == "ssml" else "lexicon"
    return _CALLED.get(kind, kind.replace(" ", "-"))


def called_like(item: Item, production: str, languages: Sequence[str], number: int, speaker: str, part: str) -> str:
    """What the first file of an item will be called, of ``languages`` in a production whose first line is number
    ``number``, by ``speaker`` in ``part``."""
    kind, chosen = item.of, item.chosen
    language = "" if kind.of == "production" else languages[0] if kind.of == "edition" or len(languages) == 1 else "all"
    fields: dict[str, str | int] = {
        "production": production, "language": language,
        "edition": english_name(language) if language not in ("", "all") else language}
    if kind.together:
        # Its files refer to one another by names of their own: the folder alone is called so.
        return f"{named_by(item.names, fields)}/…"
    fields["what"] = _what(kind.name, chosen)
    if kind.name == "clips":
        by_part = chosen["by"] == "part"
        fields |= {"number": 1 if by_part else number, "speaker": "" if by_part else speaker,
                   "part": part or ("part" if by_part else "")}
    elif kind.name == "templates' clips":
        fields["number"] = number
    codec = CODECS.get(str(chosen.get("codec")))
    form = str(chosen.get("format") or chosen.get("container") or "wav")
    return f"{named_by(item.names, fields)}.{codec.ending if codec else form}"


def package_together(one: HandedFile, other: HandedFile) -> bool:
    """Whether two files of a package are the same: of the same item's kind, by the same inner path, as clips are that
    lie beside several timelines."""
    return one.told["item"] == other.told["item"] and one.inner == other.inner and one.inner.startswith("clips/") \
        and one.told["report"] == other.told["report"]


def _inner(path: str) -> str:
    """A path within an item that stays as it is: safe letter by letter."""
    return "/".join(step if step == file_name(step.partition(".")[0]) + step[len(step.partition(".")[0]):] else
                    f"{file_name(step.partition('.')[0])}{step[len(step.partition('.')[0]):]}"
                    for step in path.removeprefix("stream/").split("/"))


def manifest_of(package: Package, files: Sequence[Data], about: Mapping[str, Any]) -> bytes:
    return json.dumps({"manifest": MANIFEST_VERSION, "package": package.as_json(), **about, "files": list(files)},
                      ensure_ascii=False, indent=1).encode()


def put_together(package: Package, files: Sequence[HandedFile], handed: Store, place: Path, about: Mapping[str, Any],
                 tell: Callable[[float], None] = lambda share: None, folder: bool = False) -> list[Data]:
    """Write a package as one archive at ``place``, or with ``folder`` as files in a folder of that name, its manifest
    among them; gives what the manifest says of each file. ``about``: what else it says."""
    told: list[Data] = []
    now = time.localtime()[:6]
    archive = None if folder else zipfile.ZipFile(place, "w", zipfile.ZIP_STORED, allowZip64=True)
    try:
        for number, one in enumerate(files):
            with zipfile.ZipFile(handed.path(one.key)) as source, source.open(f"files/{one.inner}") as file:
                digest, size = hashlib.sha256(), 0
                if archive is None:
                    target = place / one.path
                    target.parent.mkdir(parents=True, exist_ok=True)
                    out: Any = target.open("wb")
                else:
                    info = zipfile.ZipInfo(one.path, now)
                    info.external_attr = 0o644 << 16
                    out = archive.open(info, "w", force_zip64=True)
                with out:
                    while data := file.read(_BLOCK):
                        digest.update(data)
                        size += len(data)
                        out.write(data)
            told.append({"path": one.path, "bytes": size, "sha256": digest.hexdigest(), **one.told})
            tell((number + 1) / len(files))
        data = manifest_of(package, told, about)
        if archive is None:
            (place / MANIFEST).write_bytes(data)
        else:
            archive.writestr(zipfile.ZipInfo(MANIFEST, now), data)
    finally:
        if archive is not None:
            archive.close()
    return told


def hand_over(package: Package, materials: Sequence[Material], stores: Stores, out: Path, packed: bool = False,
              tell: Callable[[str, int, int], None] = lambda step, done, total: None,
              leave: Callable[[LeftOut], None] = lambda left: None) -> list[Data]:
    """Make a package of these editions under ``out``: files in a folder, or with ``packed`` one archive; gives what its
    manifest says of each file. What these editions cannot have, or what comes out of its own checks as not right, is
    left out, with the reason in the manifest and to ``leave``. Raises BadInput where that is all of it."""
    assert stores.handed is not None
    production = materials[0].production
    wanted, left = wanted_and_left(package, materials)
    made: list[Wanted] = []
    for number, one in enumerate(wanted):
        tell("package", number, len(wanted))
        try:
            make_wanted(package, one, stores, stores.handed)
            made.append(one)
        except JanoglotError as error:
            left.append(LeftOut(one.number, one.languages, error))
    tell("package", len(wanted), len(wanted))
    for one_left in left:
        leave(one_left)
    require_something(made, left)
    files = files_of_package(package, made, production, stores.handed)
    place = out / f"{file_name(production)}_{file_name(package.name)}{'.zip' if packed else ''}"
    about = about_package(production, materials, [one.told(package) for one in left])
    return put_together(package, files, stores.handed, place, about, folder=not packed)


def require_something(wanted: Sequence[Wanted], left: Sequence[LeftOut]) -> None:
    """Raises BadInput where nothing of a package can be made, with the first reason; what stands against its one item
    where it has no other."""
    if not wanted and len(left) == 1:
        raise left[0].why
    if not wanted and left:
        raise BadInput("Nothing of this package can be made of these editions. {why}", why=str(left[0].why))


def about_package(production: str, materials: Sequence[Material], left: Sequence[Data] = ()) -> Data:
    """What a manifest says of the whole: which mixes it is of, and what of the package is ``left`` out."""
    mixes = {}
    for one in materials:
        try:
            mixes[one.language] = one.mix()[0].partition(".")[0]
        except JanoglotError:
            # Nothing in it is of its mix.
            continue
    return {"production": production, "languages": [one.language for one in materials], "mixes": mixes,
            **({"left_out": list(left)} if left else {})}


def package_key(package: Package, wanted: Sequence[Wanted], production: str, about: Mapping[str, Any]) -> str:
    """The store's name of a package, by everything that is in it."""
    return f"""{recipe_hash('package', package=package.as_json(), items=[one.key for one in wanted],
                            production=production, about=dict(about), version=MANIFEST_VERSION)}.zip"""
