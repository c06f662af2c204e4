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
import opentimelineio as otio
import pytest
import soundfile
import ttconv.model
import ttconv.stl.reader
import webvtt
from lxml import etree
from pymediainfo import MediaInfo
from pypdf import PdfReader
from wavinfo import WavInfoReader

from janoglot.core.deliver.broadcast import BroadcastFacts, write_broadcast
from janoglot.core.deliver.caption_formats import written_captions
from janoglot.core.deliver.caption_rules import CaptionStyle
from janoglot.core.deliver.captions import CaptionLine, captions
from janoglot.core.deliver.ebu_stl import write_stl
from janoglot.core.deliver.package import hand_over, package_of, wanted_and_left
from janoglot.core.deliver.tables import Column, Table, write_table
from janoglot.core.deliver.timeline_items import edls_of
from janoglot.core.dubbing import materials_of
from janoglot.core.edition.plan import MixPlan
from janoglot.core.errors import BadInput
from janoglot.core.media.ffmpeg import ffmpeg, recording
from janoglot.core.script.formats.base import UNNAMED
from janoglot.core.script.formats.cues import Cue
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.speech.takes import WordMark
from tests.core.conftest import DEMO
from tests.core.test_packages import clock, made, one  # noqa: F401


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


def test_what_is_on_the_screen_has_captions_of_its_own_forced_for_those_who_hear_the_dub(tmp_path: Path) -> None:
    ffmpeg(*recording(DEMO / "tidewater-clock.mp4"), "-t", "8", "-c", "copy", f"file:{tmp_path / 'picture.mp4'}")
    script = Script([ScriptLine("Narrator", "The stair goes down to the water.", 0.5, 3.0, wordings={"es-MX": "La escalera baja al agua."}),
                     ScriptLine(UNNAMED, "NO WAY OUT", 2.0, 4.5, on_screen=True, wordings={"es-MX": "SIN SALIDA"})],
                    languages=["es-MX", "fr-FR"])
    materials, stores = materials_of(script, "en-GB", ["es-MX"], {"es-MX": {"Narrator": "alcaudon"}}, "Signs", tmp_path / "store",
                                     quality="sketch", picture=tmp_path / "picture.mp4")

    def give(kind: str, **choices: Any) -> Path:
        told = {"name": f"{kind}{len(list(tmp_path.iterdir()))}", "items": [{"kind": kind, "choices": choices}]}
        files = hand_over(package_of(told), materials, stores, tmp_path / "out", False)
        return tmp_path / "out" / f"Signs_{told['name']}" / files[0]["path"]

    seen = give("captions", shows="on screen").read_text()
    assert "SIN SALIDA" in seen and "escalera" not in seen
    assert "00:00:02,000 --> 00:00:04,500" in seen
    both = give("captions", shows="both", format="words.vtt").read_text()
    assert "line:8%" in both.split("SIN SALIDA")[0].split("\n\n")[-1], "above what is said"
    assert both.count("<00:00:0") >= 3
    tracks = MediaInfo.parse(give("picture", container="mkv", shows="on screen")).tracks
    assert [(row.language, row.forced) for row in tracks if row.track_type == "Text"] == [("es-MX", "Yes")]
    tracks = MediaInfo.parse(give("picture", container="mkv")).tracks
    assert [row.forced for row in tracks if row.track_type == "Text"] == ["No"]


@pytest.mark.parametrize("language", ["es-MX", "ar"])
def test_ebu_stl_is_read_by_another_reader(made: Any, language: str) -> None:  # noqa: F811
    wanted = [(clock(cue.start), clock(cue.end), cue.text) for cue in
              webvtt.read(str(one(made, "captions", {"format": "vtt", "columns": 37}, language)))]
    place = one(made, "captions", {"format": "stl", "columns": 37}, language)
    document = ttconv.stl.reader.to_model(io.BytesIO(place.read_bytes()))
    found = [(float(row.get_begin()), float(row.get_end()), rows_of(row)) for division in document.get_body() for row in division]
    assert [text for _, _, text in found] == [text for _, _, text in wanted]
    assert [round(a, 2) for row in found for a in row[:2]] == pytest.approx([a for row in wanted for a in row[:2]], abs=0.041)
    assert document.get_lang() == language.split("-")[0]
    head = place.read_bytes()[:1024]
    assert (head[3:11], head[12:14]) == (b"STL25.01", b"02" if language == "ar" else b"00")
    assert len(place.read_bytes()) == 1024 + 128 * int(head[238:243])


def rows_of(row: Any) -> str:
    parts = [row] if isinstance(row, (ttconv.model.Text, ttconv.model.Br)) else []
    own = "".join("\n" if isinstance(part, ttconv.model.Br) else part.get_text() for part in parts)
    return own + "".join(map(rows_of, row))


@pytest.mark.parametrize("text", ["¿Qué pasó, señor? «Ñandú» – “sí” … 5 €", "Łódź, Göteborg, Århus, Čeněk, ő ű ß", "Где ключ?", "Ποῦ;"])
def test_letters_of_many_languages_stand_in_ebu_stl(text: str) -> None:
    cues = [Cue(1.0, 3.0, text, speaker="A")]
    if "ῦ" in text:
        with pytest.raises(BadInput, match="no letters for this"):
            write_stl(cues, "el", CaptionStyle(), "x", frozenset())
        return
    document = ttconv.stl.reader.to_model(io.BytesIO(write_stl(cues, "es", CaptionStyle(), "x", frozenset())))
    said = "".join(rows_of(row) for division in document.get_body() for row in division)
    assert said == text.replace("–", "—").replace("…", "...").replace("€", "EUR")


def test_a_caption_longer_than_a_block_goes_on_in_the_next() -> None:
    text = "\n".join(["Around the clock the water goes and comes again."] * 4)
    data = write_stl([Cue(1.0, 8.0, text)], "en", CaptionStyle(columns=60, rows=4), "x", frozenset())
    assert len(data) == 1024 + 2 * 128
    document = ttconv.stl.reader.to_model(io.BytesIO(data))
    assert "".join(rows_of(row) for division in document.get_body() for row in division) == text


def test_languages_whose_letters_it_has_not_are_left_out_by_name(tmp_path: Path) -> None:
    script = Script([ScriptLine("Keeper", "Mind the step.", wordings={"ja": "足元に気をつけて。"})], languages=["ja"])
    materials, _ = materials_of(script, "en-GB", ["ja"], {}, "Step", tmp_path / "store", quality="sketch")
    found, left = wanted_and_left(package_of({"name": "x", "items": [{"kind": "captions", "choices": {"format": "stl"}}]}), materials)
    assert not found
    assert "EBU STL has no letters" in str(left[0].why)


def test_a_turnovers_clips_have_handles_and_lie_where_they_lay(made: Any) -> None:  # noqa: F811
    plain = otio.adapters.read_from_file(str(one(made, "timeline", {"format": "otio"})))
    place = one(made, "timeline", {"format": "otio", "handles_ms": 480})
    handled = otio.adapters.read_from_file(str(place))
    for clip, other in zip(handled.find_clips(), plain.find_clips(), strict=True):
        assert clip.range_in_parent() == other.range_in_parent()
        if isinstance(clip.media_reference, otio.schema.ExternalReference) and clip.media_reference.target_url.startswith("clips/"):
            assert clip.source_range.start_time.value == 12
            sound, rate = soundfile.read(place.parent / clip.media_reference.target_url)
            assert abs(sound[: round(0.47 * rate)]).max() == 0 < abs(sound[round(0.48 * rate): round(0.7 * rate)]).max()
            assert len(sound) / rate * 25 == pytest.approx(clip.media_reference.available_range.duration.value, abs=1)
    events = [row.split() for row in one(made, "timeline", {"format": "edl", "handles_ms": 480}).read_text().splitlines() if row[:3].isdigit()]
    assert all(row[4] == "00:00:00:12" for row in events if row[2] != "V")


def test_a_list_names_the_picture_and_has_it_still_where_it_is_held() -> None:
    plan = MixPlan("a", "en-GB", -16.0, 14.0).as_json()
    order = {"fps": 25.0, "drop": False, "starts": "01:00:00:00", "title": "Tide", "plan": plan,
             "picture": {"name": "harbour tour.mp4", "seconds": 10.0},
             "holds": [{"part": "Quay", "at": 4.0, "seconds": 1.0, "frames": 25}, {"part": "Loft", "at": 6.0, "seconds": 2.0, "frames": 50}]}
    text = edls_of(order, [])[0]
    assert text.count("* SOURCE FILE: harbour tour.mp4") == 5
    read = otio.adapters.read_from_string(text, "cmx_3600", rate=25)
    pieces = list(read.video_tracks()[0].find_clips())
    assert [(round(one.range_in_parent().start_time.value), round(one.duration().value)) for one in pieces] == [
        (0, 100), (100, 25), (125, 50), (175, 50), (225, 100)]
    assert [bool(one.effects) for one in pieces] == [False, True, False, True, False]
    assert [round(one.source_range.start_time.value) for one in pieces] == [0, 99, 100, 149, 150]


def test_a_printed_list_has_its_emoji_its_times_whole_and_no_columns_of_nothing(tmp_path: Path) -> None:
    columns = (Column("line", 6), Column("in", 12), Column("words", 40, True), Column("notes", 20))
    rows = [[str(number), "1:01:03.250", "Mind the third step 🙂🌊", ""] for number in range(1, 14)]
    write_table(Table("Cue sheet", "", "en-GB", columns, rows), "pdf", tmp_path / "list.pdf")
    read = PdfReader(tmp_path / "list.pdf")
    text = read.pages[0].extract_text()
    assert len(read.pages) == 1
    assert text.count("1:01:03.250") == 13
    assert "notes" not in text
    fonts = {str(font.get_object()["/BaseFont"]) for font in read.pages[0]["/Resources"]["/Font"].values()}
    assert any("Emoji" in font for font in fonts)
    assert all(sign in text for sign in "🙂🌊")
