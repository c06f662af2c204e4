"""Finished packages as who receives them hears and sees them: by ffmpeg, and by the recogniser."""

from __future__ import annotations

import json
import subprocess
import zipfile
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import m3u8
import numpy as np
import pytest
from lxml import etree

from janoglot.core.deliver.package import KINDS, hand_over, package_of, wanted_of
from janoglot.core.deliver.picture_items import probed
from janoglot.core.dubbing import materials_of
from janoglot.core.script.model import Script, ScriptLine, ScriptPart
from janoglot.core.speech.intelligibility import error_rate
from janoglot.core.speech.recogniser import recognise

LINES = (("Keeper", "The old clock stands at the end of the harbour wall.", 0.5, 4.0,
          "El viejo reloj está al final del muro del puerto."),
         ("Imka", "Nobody has mended it for a hundred years.", 4.5, 7.5, "Nadie lo ha reparado en cien años."))
LANGUAGES = ("en-GB", "es-MX")
RATE = 16_000
Give = Callable[..., tuple[Path, list[Any]]]


@pytest.fixture(scope="module")
def given(tmp_path_factory: pytest.TempPathFactory) -> Any:
    """Hands over one item of a production of two lines in finished voices, with a picture of eight seconds."""
    root = tmp_path_factory.mktemp("heard")
    picture = root / "picture.mp4"
    subprocess.run(["ffmpeg", "-v", "error", "-f", "lavfi", "-i", "testsrc=s=160x90:r=25:d=8", "-f", "lavfi", "-i",
                    "anullsrc=d=8", "-pix_fmt", "yuv420p", str(picture)], check=True)
    lines = [ScriptLine(speaker, words, start, end, part="The Stair", wordings={"es-MX": spanish})
             for speaker, words, start, end, spanish in LINES]
    materials, stores = materials_of(Script(lines, parts=[ScriptPart("The Stair")], languages=["es-MX"]), "en-GB",
                                     LANGUAGES, {}, "The Stair", root / "store", picture=picture)

    def give(kind: str, choices: Mapping[str, Any], languages: tuple[str, ...] = LANGUAGES) -> tuple[Path, list[Any]]:
        name = f"{kind}-{len(list(root.iterdir()))}".replace(" ", "-").replace(",", "")
        package = package_of({"name": name, "items": [{"kind": kind, "choices": dict(choices), "pattern": ""}]})
        files = hand_over(package, [one for one in materials if one.language in languages], stores, root / name, False)
        return next((root / name).iterdir()), files

    give.materials, give.stores = materials, stores  # type: ignore[attr-defined]
    return give


def sound_of(place: Path, stream: int = 0) -> Any:
    """A track of any file, as ffmpeg hears it."""
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str(place), "-map", f"0:a:{stream}", "-ac", "1", "-ar", str(RATE),
                          "-f", "f32le", "-"], capture_output=True, check=True).stdout
    return np.frombuffer(raw, np.float32)


def assert_understood(sound: Any, words: str, language: str) -> None:
    assert float(np.abs(sound).max()) > 0.05, "silent"
    assert error_rate(words, recognise(sound, RATE, language), language[:2]) <= 0.25


def assert_both_understood(given: Any, sound: Any, language: str) -> None:
    """Each line where the edition has it."""
    material = next(one for one in given.materials if one.language == language)
    for line in material.plan().lines:
        assert_understood(sound[round(line.start * RATE): round((line.start + line.seconds) * RATE)], line.words, language)


def test_a_track_is_understood(given: Any) -> None:
    place, files = given("track", {"codec": "mp3"}, ("es-MX",))
    assert_both_understood(given, sound_of(place / files[0]["path"]), "es-MX")


def test_prompts_are_understood_over_a_telephone_line(given: Any) -> None:
    place, files = given("clips", {"codec": "ulaw", "rate": 8_000, "channels": 1}, ("en-GB",))
    assert len(files) == 2
    for (_, words, *_), file in zip(LINES, files, strict=True):
        assert probed(place / file["path"])["streams"][0]["codec_name"] == "pcm_mulaw"
        assert_understood(sound_of(place / file["path"]), words, "en-GB")


@pytest.mark.parametrize(("container", "pictured", "sound"), [("mkv", "h264", "aac"), ("webm", "vp9", "opus")])
def test_each_track_of_a_picture_is_in_its_language(given: Any, container: str, pictured: str, sound: str) -> None:
    place, files = given("picture, all languages", {"container": container})
    streams = probed(place / files[0]["path"])["streams"]
    assert [row["codec_name"] for row in streams][:3] == [pictured, sound, sound]
    assert [row["tags"]["language"] for row in streams if row["codec_type"] == "subtitle"] == ["eng", "spa"]
    for number, language in enumerate(LANGUAGES):
        assert_both_understood(given, sound_of(place / files[0]["path"], number), language)


def test_each_language_of_a_stream_is_understood(given: Any) -> None:
    place, files = given("stream", {})
    root = (place / files[0]["path"]).parent
    for row in (one for one in m3u8.load(str(root / "index.m3u8")).media if one.type == "AUDIO"):
        assert_both_understood(given, sound_of(root / str(row.uri)), str(row.language))


def test_a_stream_of_one_edition_holds_the_picture(given: Any, tmp_path: Path) -> None:
    wanted = wanted_of(package_of({"name": "x", "items": [{"kind": "stream"}]}), [given.materials[0]])[0]
    order = json.loads(json.dumps(wanted.order))
    order["holds"] = [{"part": "1", "at": 2.0, "seconds": 1.5, "frames": 38}]
    kind = KINDS["stream"]
    first, *rest = kind.make(order, given.stores, tmp_path)
    for file in (first, *rest):
        kind.check(order, tmp_path / file.path, file)
    master = m3u8.load(str(tmp_path / first.path))
    raw = subprocess.run(["ffmpeg", "-v", "error", "-i", str((tmp_path / first.path).parent / str(master.playlists[0].uri)),
                          "-map", "0:v:0", "-s", "32x18", "-f", "rawvideo", "-pix_fmt", "gray", "-"], capture_output=True,
                         check=True).stdout
    frames = np.frombuffer(raw, np.uint8).reshape(-1, 18 * 32).astype(float)
    assert len(frames) == pytest.approx((8 + 1.5) * 25, abs=2)
    moves = np.abs(np.diff(frames, axis=0)).mean(axis=1)
    # The counting picture moves each second, but for where it is held.
    assert moves[52:84].max() < 0.5
    assert moves[20:45].max() > 0.5


def test_a_talking_book_says_its_words_when_it_marks_them(given: Any) -> None:
    for by_word in (False, True):
        place, files = given("talking book", {"format": "epub", "by_word": by_word}, ("es-MX",))
        with zipfile.ZipFile(place / files[0]["path"]) as book:
            page = etree.fromstring(book.read("book/chapter-001.xhtml"))
            smil = etree.fromstring(book.read("book/chapter-001.smil"))
            by_id = {row.get("id"): " ".join("".join(row.itertext()).split()) for row in page.iter() if row.get("id")}
            told = [(by_id[str(par.find("{*}text").get("src")).partition("#")[2]], par.find("{*}audio"))
                    for par in smil.iter("{*}par")]
            source = place / "chapter"
            source.write_bytes(book.read("book/" + str(told[0][1].get("src"))))
        sound = sound_of(source)
        assert len(told) == (2 if not by_word else len(" ".join(line[4] for line in LINES).split()))
        edges = [[float(str(audio.get(name)).removesuffix("s")) for name in ("clipBegin", "clipEnd")] for _, audio in told]
        if not by_word:
            for (words, _), (begin, end), line in zip(told, edges, LINES, strict=True):
                assert words.endswith(line[4])
                assert_understood(sound[round(begin * RATE): round(end * RATE)], line[4], "es-MX")
            continue
        # One word after another, without a gap in which nothing is marked, and something is heard in each.
        assert all(begin < end for begin, end in edges)
        assert edges == sorted(edges)
        assert [words for words, _ in told] == " ".join(line[4] for line in LINES).split()
        assert min(float(np.abs(sound[round(begin * RATE): round(end * RATE)]).max()) for begin, end in edges) > 0.02
