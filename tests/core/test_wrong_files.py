"""Files that were chosen for something else: what is said is what is taken there, in words of no program's insides."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import pytest

from janoglot.core.adapt.term_files import read_csv as read_terms
from janoglot.core.adapt.term_files import read_tbx
from janoglot.core.adapt.tmx import read_tmx
from janoglot.core.adapt.xliff import read_xliff
from janoglot.core.edition.value_table import read_values
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.media.source import look_at, no_recording, short_sound
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.speech.lexicon import read_csv as read_lexicon
from janoglot.core.speech.lexicon import read_pls
from janoglot.core.speech.ssml import read_ssml
from tests.core.conftest import DEMO

WRONG = {
    "a picture": b"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01" * 40, "a program": b"\x7fELF\x02\x01\x01\x00\x00\x00" * 60,
    "nothing": b"", "an archive": b"PK\x03\x04\x14\x00\x00\x00\x00\x00" + bytes(200), "half a document": b"<?xml version='1.0'?><tmx><body><tu>",
    "a web page": b"<!doctype html><html><head><title>Tides</title></head><body><p>High water</p></body></html>"}
INPUTS: dict[str, Callable[[bytes], object]] = {
    "script": lambda data: read_script(data, "a.bin", Hints(source_language="en-GB")), "lexicon": lambda data: read_lexicon(data, "en-GB"),
    "PLS": lambda data: read_pls(data), "TBX": lambda data: read_tbx(data, "en-GB", "es-MX"),
    "terms": lambda data: read_terms(data, "en-GB", "es-MX"), "TMX": lambda data: read_tmx(data, "en-GB", "es-MX"), "XLIFF": read_xliff,
    "table": lambda data: list(read_values(data, "a.csv", ["time"])), "recording": lambda data: short_sound(data, 5.0)}
INSIDES = re.compile(r"not well-formed|invalid token|trailing '\?'|codec can't|Traceback|0x[0-9a-f]{2}|Errno|/tmp/|0\.0 hours|NoneType|Error:|expected str")


@pytest.mark.parametrize("of", INPUTS)
@pytest.mark.parametrize("what", WRONG)
def test_what_is_said_is_for_a_person(what: str, of: str) -> None:
    try:
        INPUTS[of](WRONG[what])
    except JanoglotError as error:
        said = str(error)
        assert not INSIDES.search(said), said
        assert len(said) > 20 and said[0].isupper() and said.rstrip()[-1] in ".:)", said
        if of not in ("script", "recording", "PLS") and "not a text file" in said:
            assert "Save the script" not in said, said


def test_what_has_no_sound_or_no_length_is_said_so(tmp_path: Path) -> None:
    with pytest.raises(JanoglotError, match="there is no sound in it"):
        short_sound((DEMO / "tidewater-clock.mp4").read_bytes() if not look_at(DEMO / "tidewater-clock.mp4").has_sound else silent_picture(tmp_path), 5.0)
    empty = tmp_path / "a.wav"
    empty.write_bytes(b"RIFF$\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00\x80\xbb\x00\x00\x00w\x01\x00\x02\x00\x10\x00data\x00\x00\x00\x00")
    with pytest.raises(BadInput, match="no time at all|no sound or video"):
        look_at(empty)


def silent_picture(folder: Path) -> bytes:
    from janoglot.core.media.ffmpeg import ffmpeg, recording

    made = folder / "silent.mp4"
    ffmpeg(*recording(DEMO / "tidewater-clock.mp4"), "-an", "-t", "1", "-c:v", "copy", f"file:{made}")
    return made.read_bytes()


def test_what_is_plainly_no_recording_is_seen_by_its_first_bytes() -> None:
    assert all(no_recording(data) for data in WRONG.values())
    assert no_recording("#EXTM3U\nhttp://example/ä".encode()) and no_recording("señal\n".encode() * 200)
    for begins in (b"RIFF\x24\x00\x00\x00WAVE", b"fLaC\x00\x00\x00\x22", b"OggS\x00\x02", b"ID3\x03\x00\x00", b"\xff\xfb\x90\x64", b"\x00\x00\x00\x20ftypM4A ", b"\x1a\x45\xdf\xa3"):
        assert not no_recording(begins + bytes(range(256)))


def test_ssml_says_where() -> None:
    told = read_ssml("<speak>\n<s>Mind</x></speak>").errors[0]
    assert (told.line, "mismatched tag" in told.message) == (2, True)
