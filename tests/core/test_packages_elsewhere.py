"""What packages are to readers that had no part in making them: names, regions, words and pauses that some formats hold
and others have no room for."""

from __future__ import annotations

import io
import json
import re
import zipfile
from pathlib import Path
from typing import Any

import mutagen
import pytest
import soundfile
from lxml import etree
from pymediainfo import MediaInfo
from wavinfo import WavInfoReader

from janoglot.core.deliver.broadcast import BroadcastFacts, write_broadcast
from janoglot.core.deliver.caption_formats import written_captions
from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.deliver.captions import CaptionLine, captions
from janoglot.core.speech.takes import WordMark
from tests.core.test_packages import made, one  # noqa: F401


def test_two_dubs_of_one_language_are_told_apart_by_their_regions(made: Any) -> None:  # noqa: F811
    place, files = made(("picture, all languages", {"container": "mkv", "source_track": True}), name="regions")
    tracks = MediaInfo.parse(place / files[0]["path"]).tracks
    sounds = [row for row in tracks if row.track_type == "Audio"]
    assert [row.language for row in sounds] == ["es-MX", "ar", "en-GB"]
    assert [row.title for row in sounds] == ["Español (México)", "العربية", "Source"]
    assert [row.language for row in tracks if row.track_type == "Text"] == ["es-MX", "ar"]


@pytest.mark.parametrize("codec", ["wav16", "wav24", "wav32f", "flac", "mp3", "aac", "opus"])
def test_tracks_and_clips_say_what_they_are(made: Any, codec: str) -> None:  # noqa: F811
    track = MediaInfo.parse(one(made, "track", {"codec": codec})).general_tracks[0]
    # What stands in a WAV file's IPRD and IART this reader calls otherwise.
    album = track.original_source_form_name if codec.startswith("wav") else track.album
    assert (track.track_name, album) == ("Tide & Time", "Tide & Time (Spanish (Mexico))")
    clip = one(made, "clips", {"codec": codec})
    told = MediaInfo.parse(clip).general_tracks[0]
    who = told.director if codec.startswith("wav") else told.performer
    assert (told.track_name, who) == ("La escalera baja al agua.", "Narrator")
    assert mutagen.File(clip) is not None or codec.startswith("wav")


@pytest.mark.parametrize("codec", ["ulaw", "alaw"])
def test_a_telephones_file_has_its_sound_behind_a_plain_head(made: Any, codec: str) -> None:  # noqa: F811
    assert b"LIST" not in one(made, "track", {"codec": codec}).read_bytes()[:200]


def test_broadcast_wav_of_an_arabic_title_says_where_it_is(tmp_path: Path) -> None:
    plain = tmp_path / "plain.wav"
    soundfile.write(plain, [0.0] * 480, 48_000, subtype="PCM_24")
    for title, told in (("ساعة المد", "[title in iXML], ar"), ("Die Brücke – Straße", "Die Brucke - Strasse, ar")):
        place = tmp_path / "told.wav"
        write_broadcast(plain, place, BroadcastFacts(description=f"{title}, ar", project=title, language="ar"))
        found = WavInfoReader(str(place))
        assert found.bext.to_dict()["description"] == told
        assert found.ixml.project == title
        assert f"{title}, ar" in place.read_bytes().decode("utf-8", "ignore")


def test_words_are_timed_in_writing_without_spaces_however_its_rows_are_broken() -> None:
    words = ["三段目に", "気をつけて。", "ぐらぐら", "するから。"]
    marks, at = [], 0
    for number, word in enumerate(words):
        marks.append(WordMark(number * 0.8, number * 0.8 + 0.7, at, len(word)))
        at += len(word)
    line = CaptionLine("番人", "".join(words), 2.0, 5.2, marks)
    style = CaptionStyle(columns=16)
    text = written_captions("words.vtt", captions([line], style, "ja"), "ja", style,
                            [(2.0 + mark.start, word) for mark, word in zip(marks, words, strict=True)])
    assert text.count("<00:00:0") == 2
    assert text.count("00:00:03.600") == 2, "where a caption begins, its own time says it"
    assert "<00:00:02.800>気" in text.replace("\n", "")
    rows = [row for row in text.split("\n") if "-->" not in row]
    assert re.sub(r"<[^>]*>", "", "".join(rows)) == "WEBVTT" + "".join(words)


def test_a_caption_that_begins_with_its_speaker_keeps_the_words_times(made: Any) -> None:  # noqa: F811
    plain = one(made, "captions", {"format": "words.vtt"}).read_text()
    named = one(made, "captions", {"format": "words.vtt", "names": True}).read_text()
    assert "Narrator: " in named.replace("\n", " ")
    assert named.count("<00:00:") == plain.count("<00:00:") > 10


@pytest.mark.parametrize("by_word", [True, False])
def test_a_book_that_reads_itself_leaves_no_pause_out(made: Any, by_word: bool) -> None:  # noqa: F811
    with zipfile.ZipFile(one(made, "talking book", {"format": "epub", "by_word": by_word})) as book:
        for number in (1, 2):
            smil = etree.fromstring(book.read(f"book/chapter-{number:03}.smil"))
            clips = [(float(row.get("clipBegin")[:-1]), float(row.get("clipEnd")[:-1])) for row in smil.iter("{*}audio")]
            assert clips[0][0] == 0
            assert all(end == begin for (_, end), (begin, _) in zip(clips, clips[1:], strict=False))
            assert all(end > begin for begin, end in clips)
            sound = soundfile.info(io.BytesIO(book.read(f"book/chapter-{number:03}.mp3"))).duration
            assert clips[-1][1] == pytest.approx(sound, abs=0.1)


def test_an_audiobooks_page_has_its_style_with_it(made: Any) -> None:  # noqa: F811
    with zipfile.ZipFile(one(made, "talking book", {"format": "lpf"})) as book:
        page = etree.HTML(book.read("index.html"))
        links = [row.get("href") for row in page.iter("link", "a")]
        assert "style.css" in links
        assert set(links) <= set(book.namelist())
        told = json.loads(book.read("publication.json"))
        assert {"index.html", "style.css"} <= {row["url"] for row in told["resources"]}
