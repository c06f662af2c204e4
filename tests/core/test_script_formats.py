from __future__ import annotations

import datetime
import io
import time
import zipfile

import docx
import openpyxl
import pptx
import pytest
import srt as srt_library
import webvtt as webvtt_library
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.script.formats import BINARY_FORMATS, FORMATS, detect, read_script, written
from janoglot.core.script.formats.base import UNNAMED, Hints
from janoglot.core.script.formats.table import plain_cell, role_of_header, safe_cell
from janoglot.core.script.markup import take_directions
from janoglot.core.script.model import Script, ScriptLine
from janoglot.core.script.times import read_time, write_time
from tests.core.conftest import DEMO


@pytest.mark.parametrize(("text", "seconds"), [
    ("1:02.5", 62.5), ("00:01:02,500", 62.5), ("62.5", 62.5), ("62,5", 62.5), ("62.5 s", 62.5), ("1m 2.5s", 62.5),
    ("0", 0.0), ("01:00:00.000", 3600.0), ("90:00", 5400.0),
    ("1:75", None), ("00:01:02:12", None), ("soon", None), ("-3", None), ("", None), ("999999", None),
])
def test_times_in_every_notation(text: str, seconds: float | None) -> None:
    assert read_time(text) == (pytest.approx(seconds) if seconds is not None else None)


@given(st.integers(min_value=0, max_value=86_400_000))
def test_a_written_time_reads_back(milliseconds: int) -> None:
    for mark in ".,":
        assert read_time(write_time(milliseconds / 1000, mark)) == pytest.approx(milliseconds / 1000)


class TestPlainText:
    def test_names_directions_parts_and_continuations(self) -> None:
        script = read_script("# The Stair\n\nKeeper: (softly) Mind the step\n   it is loose.\n\n[a door]\n"
                             "IMKA (afraid): Who is there? It is 12:30.\nＰell：你好\n# End\nKeeper: Me.")
        first, second, third, last = script.lines
        assert (first.speaker, first.words, first.notes) == ("Keeper", "Mind the step it is loose.", "softly")
        assert (second.speaker, second.words) == ("IMKA", "Who is there? It is 12:30.")
        assert second.notes == "a door; afraid"
        assert third.words == "你好"
        assert (first.part, last.part, last.row) == ("The Stair", "End", 10)
        assert not script.problems

    def test_words_before_any_name_are_kept_and_reported_by_row(self) -> None:
        script = read_script("\nMind the step.\nKeeper: Yes.\nImka:\n")
        assert [line.speaker for line in script.lines] == [UNNAMED, "Keeper"]
        assert [(p.code, p.row) for p in script.problems] == [("no_speaker", 2), ("no_words", 4)]

    @pytest.mark.parametrize("text", ["http://harbour.example: no", "12:30 is when it opens", "Well, now: listen"])
    def test_what_only_looks_like_a_name_is_words(self, text: str) -> None:
        assert read_script(f"Keeper: Yes.\n{text}").lines[0].words == f"Yes. {text}"

    def test_directions_leave_no_gap_before_a_mark(self) -> None:
        assert take_directions("Mind the step (a creak), please [x].")[:2] == ("Mind the step, please.", ["a creak", "x"])


class TestTables:
    @pytest.mark.parametrize("separator", [",", ";", "\t"])
    @pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-le", "cp1252"])
    def test_any_separator_encoding_case_and_order(self, separator: str, encoding: str) -> None:
        rows = [["FRENCH", "Out Time", "SPEAKER", "in", "Text", "es_MX"],
                ["Été", "00:00:02,500", "Keeper", "0:01", "Hello", "Adiós"]]
        text = "\r\n".join(separator.join(f'"{cell}"' if separator in cell else cell for cell in row) for row in rows)
        script = read_script(text.encode(encoding), "script.csv")
        line = script.lines[0]
        assert (line.speaker, line.words, line.slot) == ("Keeper", "Hello", (1.0, 2.5))
        assert line.wordings == {"fr": "Été", "es-MX": "Adiós"}
        assert [one.code for one in script.problems] in ([], ["encoding_guessed"])

    def test_the_rest_is_offered_when_rows_are_bad(self) -> None:
        script = read_script("speaker,words,in,out\nKeeper,One,soon,4\n,Two,5,4\nPell,,1,2\nImka,Four,7,\nPell,Five,1,2,extra")
        assert [line.words for line in script.lines] == ["One", "Two", "Four", "Five"]
        assert {(p.row, p.code) for p in script.problems} == {
            (2, "bad_time"), (3, "no_speaker"), (3, "slot_backwards"), (4, "no_words"), (5, "no_out_time"),
            (6, "extra_cells")}
        assert "“soon” is not a time" in str(next(p for p in script.problems if p.code == "bad_time"))

    def test_rows_count_as_a_person_sees_them_past_line_breaks_in_cells(self) -> None:
        script = read_script('speaker,words\nKeeper,"One\ntwo"\n\nImka,Three')
        assert [(line.row, line.words) for line in script.lines] == [(2, "One\ntwo"), (5, "Three")]

    def test_without_a_column_of_words_the_first_language_is_the_source(self) -> None:
        script = read_script("part,speaker,en-GB,fr\nA,Keeper,Hello,Salut")
        assert script.source_language == "en-GB"
        assert script.lines[0].words == "Hello"
        assert script.languages == ["fr"]
        other = read_script("part,speaker,en-GB,fr\nA,Keeper,Hello,Salut", hints=Hints(source_language="fr"))
        assert (other.lines[0].words, other.lines[0].wordings) == ("Salut", {"en-GB": "Hello"})

    def test_a_person_overrules_the_columns(self) -> None:
        script = read_script("who said,what was said,x\nKeeper,Hello,Salut", "a.csv",
                             Hints(format="csv", columns={0: "speaker", 1: "words", 2: "fr"}))
        assert script.lines[0].wordings == {"fr": "Salut"}

    def test_a_table_without_a_header_is_read_and_said(self) -> None:
        script = read_script("Keeper,Hello\nImka,Who?", "a.csv")
        assert [line.speaker for line in script.lines] == ["Keeper", "Imka"]
        assert script.problems[0].code == "no_header"

    @pytest.mark.parametrize(("header", "role"), [
        ("Character", "speaker"), ("TC In", "start"), ("time-out", "end"), ("Scene", "part"), ("No.", ""),
        ("German", "de"), ("Text (fr-FR)", "fr-FR"), ("Mood ring", None),
        # Near to some language's name, or some language's code, and none.
        *((name, None) for name in ("Gender", "VO", "Music", "Event", "QA", "Min", "Man", "Is", "So", "My", "Sex", "Take", "Wer", "Traducción")),
        ("Note", "notes"), ("Fin", "end"), ("Art", "kind"),
        ("話者", "speaker"), ("セリフ", "words"), ("ト書き", "notes"), ("पात्र", "speaker"), ("संवाद", "words"), ("अवधि", "duration"),
        ("الشخصية", "speaker"), ("النص", "words"), ("ملاحظات", "notes"), ("角色", "speaker"), ("对白", "words"), ("Начало", "start"),
        ("Hawaiian", "haw"), ("haw", "haw"), ("ES_mx", "es-MX"), ("pt-br", "pt-BR"), ("zh-Hans", "zh-Hans"), ("FR", "fr"), ("Ger", "de"),
        ("Allemand", "de"), ("Anglais", "en"), ("日本語", "ja"), ("العربية", "ar"), ("Português (Brasil)", "pt-BR"),
        ("Latin American Spanish", "es-419"), ("Simplified Chinese", "zh-Hans"), ("French translation", "fr"), ("English VO", "en"),
    ])
    def test_headers(self, header: str, role: str | None) -> None:
        assert role_of_header(header) == role

    @pytest.mark.parametrize("table", [
        "番号,話者,台詞,備考\n1,時計番,潮が変わる。,静かに\n2,イムカ,誰？,", "序号,角色,对白,备注\n1,守钟人,潮水变了。,轻声\n2,伊姆卡,谁？,",
        "क्रमांक,पात्र,संवाद,टिप्पणी\n1,रखवाला,ज्वार बदल रहा है।,धीरे\n2,इम्का,कौन?,",
        "الرقم,الشخصية,الحوار,ملاحظات\n1,الحارس,المد يتغير.,بهدوء\n2,إمكا,من؟,"])
    def test_headers_in_other_letters(self, table: str) -> None:
        script = read_script(table, "a.csv")
        wanted = [row.split(",") for row in table.splitlines()[1:]]
        assert [(line.speaker, line.words) for line in script.lines] == [(row[1], row[2]) for row in wanted]
        assert "no_header" not in [one.code for one in script.problems]

    @given(st.text(max_size=30))
    def test_no_cell_is_a_formula_and_every_cell_reads_back(self, text: str) -> None:
        assert not safe_cell(text).startswith(("=", "+", "-", "@", "\t", "\r"))
        assert plain_cell(safe_cell(text)) == text


class TestCaptions:
    SRT = ("1\n00:00:01,000 --> 00:00:03,000\nKeeper: Mind <i>the</i> step.\n\n"
           "2\n00:00:04,000 --> 00:00:03,000\nImka: Backwards.\n\n"
           "x\nthis --> that\nImka: Lost.\n\n"
           "4\n00:00:05.0 -> 00:00:07.0\nKeeper: One.\nImka: Two two.\n")

    def test_srt_keeps_what_is_good_and_says_what_is_not(self) -> None:
        script = read_script(self.SRT, "a.srt")
        assert [(line.speaker, line.words) for line in script.lines] == [
            ("Keeper", "Mind the step."), ("Keeper", "One."), ("Imka", "Two two.")]
        assert {p.row for p in script.problems} == {6, 10}
        one, two = script.lines[1:]
        assert one.slot is not None and two.slot is not None
        assert one.slot[0] == 5.0
        assert one.slot[1] == two.slot[0]
        assert two.slot[1] == 7.0

    def test_webvtt_voice_tags_notes_styles_and_entities(self) -> None:
        script = read_script("WEBVTT - harbour\n\nNOTE\nKeeper: not spoken\n\nSTYLE\n::cue { color: red }\n\n"
                             "id-1\n00:01.000 --> 00:02.500 line:0 align:start\n<v.loud Keeper>Bread &amp; <c.x>salt</c>\n"
                             "<v Imka>And <00:02.000>tea\n")
        assert [(line.speaker, line.words) for line in script.lines] == [("Keeper", "Bread & salt"), ("Imka", "And tea")]
        assert script.lines[0].slot is not None
        assert script.lines[0].slot[0] == 1.0

    def test_a_blank_row_inside_a_cue_does_not_lose_its_second_half(self) -> None:
        script = read_script("1\n00:00:01,000 --> 00:00:03,000\nMind the\n\nthird step.\n\n2\n"
                             "00:00:04,000 --> 00:00:05,000\nWhy?\n", "a.srt")
        assert [line.words for line in script.lines] == ["Mind the third step.", "Why?"]

    def test_captions_without_names_say_so(self) -> None:
        script = read_script("1\n00:00:01,000 --> 00:00:03,000\nMind the step\n", "a.srt")
        assert script.lines[0].speaker == UNNAMED
        assert [p.code for p in script.problems] == ["no_speakers"]

    def test_what_is_written_is_read_by_the_usual_readers(self) -> None:
        script = Script([ScriptLine("Keeper", "A <b> & c --> d", 1.0, 2.5), ScriptLine("Imka", "Two", 3.0, 4.0)])
        parsed = list(srt_library.parse(FORMATS["srt"].write(script, "en")))
        assert [(c.start.total_seconds(), c.end.total_seconds()) for c in parsed] == [(1.0, 2.5), (3.0, 4.0)]
        captions = webvtt_library.from_string(FORMATS["webvtt"].write(script, "en"))
        assert [caption.voice for caption in captions] == ["Keeper", "Imka"]


NAMES = st.from_regex(r"[A-Z][a-zäöéñ]{1,12}( [A-Z][a-z]{1,8})?", fullmatch=True)
WORDS = st.from_regex(r"[A-Za-zÀ-ÿअ-हа-яα-ω一-龥]{1,12}((  ?|\u00a0|\u202f)[a-zÀ-ÿअ-ह\-,'=+@]{1,12}){0,12}[.?!]", fullmatch=True)


@st.composite
def scripts(draw: st.DrawFn) -> Script:
    lines, at, part = [], 0.0, ""
    with_kind = draw(st.booleans())
    for _ in range(draw(st.integers(1, 8))):
        at += draw(st.integers(1, 4000)) / 1000
        end = at + draw(st.integers(200, 9000)) / 1000
        lines.append(ScriptLine(draw(NAMES), draw(WORDS), round(at, 3), round(end, 3),
                                notes=draw(st.sampled_from(["", "softly", "a door; low"])), part=part,
                                wordings={"fr-FR": draw(WORDS)}, on_screen=draw(st.booleans()) and with_kind))
        part = draw(st.sampled_from([part, part, "The Stair", "Deck 2"]))
        at = end
    return Script(lines, ["fr-FR"])


UNTIMED = ("text", "fountain", "pptx")
WHOLE = ("csv", "tsv", "xlsx", "docx", "json")


@settings(max_examples=40, deadline=None)
@given(scripts())
def test_writing_then_reading_gives_the_same_script(script: Script) -> None:
    for name, fmt in FORMATS.items():
        again = read_script(written(fmt, script, "en-GB"), f"a.{name}", Hints(format=name))
        # Who has words that are on the screen, tables alone tell; that they are there, all do.
        assert [(a.speaker, a.words, a.on_screen) for a in again.lines] == [
            (UNNAMED if a.on_screen and name not in (*WHOLE, "ttml") else a.speaker, a.words, a.on_screen)
            for a in script.lines], name
        if name not in UNTIMED:
            for one, other in zip(again.lines, script.lines, strict=True):
                assert one.slot == pytest.approx(other.slot)
        if name in WHOLE:
            assert [a.wordings for a in again.lines] == [a.wordings for a in script.lines]
            assert [(a.part, a.notes, a.on_screen) for a in again.lines] == [
                (a.part, a.notes, a.on_screen) for a in script.lines]
        if name in ("srt", "webvtt", "text"):
            assert [a.notes for a in again.lines] == [a.notes for a in script.lines], name
        if name in ("fountain", "ttml"):
            assert [(a.part, a.notes) for a in again.lines] == [(a.part, a.notes) for a in script.lines], name


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(sorted(BINARY_FORMATS)), st.integers(0, 10_000), st.integers(0, 255))
def test_a_damaged_office_file_is_one_sentence(name: str, at: int, value: int) -> None:
    data = bytearray(written(FORMATS[name], Script([ScriptLine("Keeper", "Mind the step.", 1.0, 2.0)]), "en-GB"))
    data[at % len(data)] = value
    for broken in (bytes(data), bytes(data[: at % len(data)])):
        try:
            assert read_script(broken, f"a.{name}").lines
        except BadInput as error:
            assert str(error).endswith((".", "?", "”", ")"))


def test_an_archive_bomb_is_refused() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("xl/workbook.xml", b" " * 60_000_000)
    with pytest.raises(BadInput, match="unpacks to"):
        read_script(out.getvalue(), "a.xlsx")


def test_entities_are_not_read() -> None:
    bomb = ('<!DOCTYPE tt [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><tt xmlns="http://www.w3.org/ns/ttml"><body><div>'
            '<p begin="1s" end="2s">&b;</p></div></body></tt>')
    with pytest.raises(BadInput, match="broken"):
        read_script(bomb, "a.ttml")


class TestScreenplays:
    TEXT = ("Title: The Tidewater Clock\nAuthor: The Harbour Museum\n\n# Act One\n\nINT. CLOCK ROOM - NIGHT\n\n"
            "The hand moves.\n\nKEEPER (O.S.)\n(softly)\nMind the *third* step.\nIt is loose.\n\n/* cut\nthis */\n"
            "IMKA ^\nWhy? [[check]]\n\nCUT TO:\n\n.THE STAIR\n\n@Pell\nI am ~here.\n\n!NOT A NAME\nwords\n")

    def test_speeches_scenes_asides_and_what_is_no_speech(self) -> None:
        script = read_script(self.TEXT, "clock.fountain")
        assert [(line.speaker, line.words, line.notes, line.part) for line in script.lines] == [
            ("KEEPER", "Mind the third step. It is loose.", "O.S.; softly", "Act One: INT. CLOCK ROOM - NIGHT"),
            ("IMKA", "Why?", "", "Act One: INT. CLOCK ROOM - NIGHT"),
            ("Pell", "I am ~here.", "", "Act One: THE STAIR")]
        assert [line.row for line in script.lines] == [10, 17, 24]
        assert detect(self.TEXT).id == "fountain"


class TestTimedText:
    @pytest.mark.parametrize(("begin", "seconds"), [
        ("00:00:01.500", 1.5), ("00:00:01:12", 1.48), ("1.5s", 1.5), ("1500ms", 1.5), ("75f", 3.0), ("10t", 1.0),
        ("0.5m", 30.0),
    ])
    def test_times_in_every_notation(self, begin: str, seconds: float) -> None:
        text = (f'<?xml version="1.0" encoding="UTF-16"?><tt xmlns="http://www.w3.org/ns/ttml" xml:lang="en" '
                f'xmlns:ttp="http://www.w3.org/ns/ttml#parameter" ttp:frameRate="25" ttp:tickRate="10"><body><div>'
                f'<p begin="{begin}" dur="2s">Mind<br/>the <span>third</span> step</p></div></body></tt>')
        line = read_script(text, "a.ttml").lines[0]
        assert (line.words, line.speaker) == ("Mind the third step", UNNAMED)
        assert line.start == pytest.approx(seconds, abs=0.001)
        assert line.end == pytest.approx(seconds + 2, abs=0.001)

    def test_agents_are_speakers(self) -> None:
        text = ('<tt xmlns="http://www.w3.org/ns/ttml" xmlns:ttm="http://www.w3.org/ns/ttml#metadata" xml:lang="fr">'
                '<head><metadata><ttm:agent xml:id="k" type="character"><ttm:name type="alias">Gardien</ttm:name>'
                '</ttm:agent></metadata></head><body><div><ttm:title>Quai</ttm:title>'
                '<p begin="1s" end="2s" ttm:agent="k">Oui</p><p begin="3s" end="2s">Imka: Non</p></div></body></tt>')
        script = read_script(text)
        assert [(line.speaker, line.words, line.part) for line in script.lines] == [("Gardien", "Oui", "Quai"), ("Imka", "Non", "Quai")]
        assert script.source_language == "fr"
        assert [p.code for p in script.problems] == ["bad_time"]


class TestOfficeFiles:
    def test_a_document_with_headings_paragraphs_and_a_table(self) -> None:
        document = docx.Document()
        document.add_heading("The Stair", 1)
        document.add_paragraph("Keeper: (softly) Mind the step.")
        document.add_paragraph("It is loose.")
        table = document.add_table(rows=2, cols=3)
        for at, text in enumerate(["Speaker", "Text", "German", "Imka", "Why?", "Warum?"]):
            table.cell(at // 3, at % 3).text = text
        document.add_heading("The Deck", 2)
        document.add_paragraph("Pell: Go.")
        out = io.BytesIO()
        document.save(out)
        script = read_script(out.getvalue(), "clock.docx")
        assert [(line.speaker, line.words, line.part) for line in script.lines] == [
            ("Keeper", "Mind the step. It is loose.", "The Stair"), ("Imka", "Why?", "The Stair"), ("Pell", "Go.", "The Deck")]
        assert script.lines[1].wordings == {"de": "Warum?"}

    def test_a_sheet_with_times_as_times_and_a_formula(self) -> None:
        book = openpyxl.Workbook()
        sheet = book.active
        sheet.append(["Who", "Line", "In", "Out", "#"])
        sheet.append(["Keeper", "Mind it.", datetime.time(0, 0, 1, 500_000), datetime.timedelta(seconds=3), 1.0])
        sheet.append(["Imka", "=1+1", 4, 5.25, 2.0])
        out = io.BytesIO()
        book.save(out)
        lines = read_script(out.getvalue(), "a.xlsx").lines
        assert lines[0].slot == (1.5, 3.0)
        written_back = written(FORMATS["xlsx"], Script([ScriptLine("=Keeper", "+1 is more", 1.0, 2.0)]), "en-GB")
        cells = [cell for row in openpyxl.load_workbook(io.BytesIO(written_back)).active.iter_rows() for cell in row]
        assert all(cell.data_type != "f" for cell in cells)
        assert read_script(written_back).lines[0].words == "+1 is more"

    def test_speaker_notes_are_the_narration(self) -> None:
        deck = pptx.Presentation()
        for title, notes in (("Quay", "The tide turns.\nKeeper: Mind it."), ("", "Deck."), ("Empty", "")):
            slide = deck.slides.add_slide(deck.slide_layouts[5])
            slide.shapes.title.text_frame.text = title
            if notes:
                slide.notes_slide.notes_text_frame.text = notes
        out = io.BytesIO()
        deck.save(out)
        script = read_script(out.getvalue(), "a.pptx")
        assert [(line.speaker, line.words, line.part) for line in script.lines] == [
            ("Narrator", "The tide turns.", "Quay"), ("Keeper", "Mind it.", "Quay"), ("Narrator", "Deck.", "Slide 2")]
        assert [(p.code, p.row) for p in script.problems] == [("no_notes", 3)]


class TestProse:
    BOOK = ("CHAPTER I\n\nThe tide turned. Nobody saw it,\nfor it was no-\nbody's hour.\n\nThe hand moved.\n\n"
            "Chapter 2: The Deck\n\n" + "It rained on the wall. " * 40 + "\n")

    def parts(self, **hints: object) -> list[str]:
        hints.setdefault("parts_by", "")
        script = read_script(self.BOOK, "book.txt", Hints(prose=True, **hints))  # type: ignore[arg-type]
        assert {line.speaker for line in script.lines} == {hints.get("narrator", "Narrator")}
        return list(dict.fromkeys(line.part for line in script.lines))

    def test_parts_by_each_way(self) -> None:
        assert self.parts(parts_by="heading") == ["CHAPTER I", "Chapter 2: The Deck"]
        assert self.parts(parts_by="pattern", pattern="^Chapter") == ["CHAPTER I", "Chapter 2: The Deck"]
        assert self.parts(parts_by="characters", most_characters=300) == ["1", "2"]
        assert len(self.parts(parts_by="paragraph")) == 5
        assert self.parts(narrator="Keeper") == [""]

    def test_lines_are_whole_sentences_and_none_is_too_long(self) -> None:
        lines = read_script(self.BOOK, "book.txt", Hints(prose=True, parts_by="heading")).lines
        assert lines[0].words == "The tide turned. Nobody saw it, for it was nobody's hour."
        assert all(len(line.words) <= 320 for line in lines)
        assert all(line.words.endswith(".") for line in lines)

    @pytest.mark.parametrize("hints", [{"parts_by": "mood"}, {"parts_by": "pattern", "pattern": "("}])
    def test_a_way_that_is_none_is_said(self, hints: dict[str, str]) -> None:
        with pytest.raises(BadInput):
            read_script(self.BOOK, "book.txt", Hints(prose=True, **hints))  # type: ignore[arg-type]

    def test_a_book_of_400_pages_is_read_in_seconds(self) -> None:
        page = "The tide turned under the floor, and Dr. Ash wrote it down at 9.30. " * 28 + "\n\n"
        book = "".join(f"Chapter {n}\n\n{page * 20}" for n in range(1, 21))
        began = time.process_time()
        script = read_script(book, "book.txt", Hints(prose=True, parts_by="heading"))
        assert time.process_time() - began < 5
        assert len({line.part for line in script.lines}) == 20
        assert sum(len(line.words) for line in script.lines) > 700_000


@settings(max_examples=150, deadline=None)
@given(st.one_of(st.binary(max_size=300), st.text(max_size=300).map(lambda t: t.encode("utf-8", "ignore"))),
       st.sampled_from(["", "a.txt", "a.csv", "a.srt", "a.vtt", "a.ttml", "a.fountain", "a.json", "a.xlsx"]))
def test_no_file_breaks_the_reading(data: bytes, name: str) -> None:
    try:
        script = read_script(data, name)
    except BadInput as error:
        assert str(error).endswith((".", "?", "”", ")"))
    else:
        assert script.lines


@pytest.mark.parametrize(("data", "says"), [
    (b"", "empty"), (b"   \n", "empty"), (b"\x89PNG\r\n\x1a\n\x00\x00\x00", "not a text file"),
    (b"\xff\xfe" + b"\x00\xd8" * 3, "UTF-16"), (b"speaker,words,x\n", "No lines"),
    (b"x" * (5 * 1024 * 1024 + 1), "5 MB"),
    (("Keeper: " + "a " * 2500).encode(), "4000"),
])
def test_files_that_hold_nothing_say_what_and_what_to_do(data: bytes, says: str) -> None:
    with pytest.raises(BadInput, match=says):
        read_script(data, "a.csv" if b"words" in data else "a.txt")


def test_formats_are_told_by_what_they_hold() -> None:
    assert detect("WEBVTT\n\n").id == "webvtt"
    assert detect("1\n00:00:01,000 --> 00:00:02,000\nx", "wrong.txt").id == "srt"
    assert detect("speaker\twords\nA\tb").id == "tsv"
    assert detect("Keeper: hello, you").id == "text"


def test_the_demo_is_what_it_should_be() -> None:
    script = read_script((DEMO / "tidewater-clock.csv").read_bytes(), "tidewater-clock.csv")
    assert not script.problems
    assert len(script.lines) == 48
    assert len(script.speakers) == 4
    assert len({line.part for line in script.lines}) == 3
    assert script.source_language == "en-GB"
    for tag in ("es-MX", "fr-FR", "pt-BR", "de-DE"):
        assert all(line.wordings.get(tag) for line in script.lines)
    for tag in ("hi-IN", "ar-EG"):
        assert 10 <= sum(tag in line.wordings for line in script.lines) < 48
    assert 240 <= max(line.end or 0 for line in script.lines) <= 300
    again = read_script(FORMATS["csv"].write(script, "en-GB"), "a.csv")
    assert again.lines == script.lines


def test_a_long_text_that_names_nobody_is_seen_to_be_a_book() -> None:
    book = "Chapter 1\n\n" + "The tide turned, and nobody saw it. It rained: the wall was wet.\n\n" * 80
    assert read_script(book, "book.txt").prose
    assert not read_script(book[:1500], "book.txt").prose
    play = "Keeper: The tide turned, and nobody saw it.\nImka: It rained.\n" * 80
    assert not read_script(play, "play.txt").prose


class TestPastedText:
    def script(self, text: str, **told: object) -> Script:
        return read_script(text, "a.txt", Hints(source_language="en-GB", **told))

    def test_a_paragraph_without_a_name_is_a_line_of_its_own_and_said(self) -> None:
        script = self.script("Mara: Mind the step.\n\nIt rains outside.\n\nOda: I can hear it.\n")
        assert [(line.speaker, line.words) for line in script.lines] == [
            ("Mara", "Mind the step."), ("Mara", "It rains outside."), ("Oda", "I can hear it.")]
        assert [(one.code, one.row, one.severity) for one in script.problems] == [("no_name_here", 3, "note")]

    def test_a_row_that_goes_on_is_joined_and_said_where_a_sentence_had_ended(self) -> None:
        script = self.script("Mara: Mind the step.\nIt rains outside.\nOda: I can hear it.\n")
        assert [line.words for line in script.lines] == ["Mind the step. It rains outside.", "I can hear it."]
        assert [(one.code, one.row) for one in script.problems] == [("joined_above", 2)]
        wrapped = self.script("Mara: The clock at the end of the harbour wall has\nstopped, and nobody knows why.\nOda: I do.\n")
        assert len(wrapped.lines) == 2 and not wrapped.problems

    @pytest.mark.parametrize("heading", ["Act One: The counter", "ACT TWO", "Scene 3 – On the stair", "Akt 2: Die Treppe", "Escena tres", "Capítulo 12. La marea"])
    def test_an_act_is_a_part_and_nobody(self, heading: str) -> None:
        script = self.script(f"{heading}\nMara: Mind the step.\nOda: Why?\n")
        assert script.speakers == ["Mara", "Oda"] and {line.part for line in script.lines} == {heading}

    def test_what_only_begins_so_is_a_name_and_a_person_may_say_so(self) -> None:
        assert self.script("Scene Painter: Aye!\nMara: Hush.\n").speakers == ["Scene Painter", "Mara"]
        assert self.script("Act One: Hello.\nMara: Hush.\n", labels={"Act One": True}).speakers == ["Act One", "Mara"]
