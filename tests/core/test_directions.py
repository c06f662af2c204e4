"""Stage directions among words: what is one, what stays a word, in tables of every kind and in every language of them."""

from __future__ import annotations

import io

import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import Workbook

from janoglot.core.edition.directed_by_notes import direct_by_notes
from janoglot.core.edition.from_script import settle_delivery
from janoglot.core.mix.rooms import ROOM_NAMES
from janoglot.core.script.directions import _HEARD_FROM, apart, is_pause
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.model import Script

DIRECTIONS = [
    ("[whispering] Mind the step.", "Mind the step.", ["whispering"]),
    ("(pause) Mind the step.", "Mind the step.", ["pause"]),
    ("Mind the step. (shouting) Now!", "Mind the step. Now!", ["shouting"]),
    ("Mind the step (softly).", "Mind the step.", ["softly"]),
    ("Mind *sighs* the step.", "Mind the step.", ["sighs"]),
    ("Mind the step. [looks at the clock]", "Mind the step.", ["looks at the clock"]),
    ("(SUSURRANDO) Cuidado. (pausa)", "Cuidado.", ["SUSURRANDO", "pausa"]),
    ("(Flüsternd) Vorsicht, die Stufe.", "Vorsicht, die Stufe.", ["Flüsternd"]),
    ("【小声】足元に注意。", "足元に注意。", ["小声"]),
    ("（間）足元に注意。", "足元に注意。", ["間"]),
    ("(همسا) انتبه للدرجة.", "انتبه للدرجة.", ["همسا"]),
    ("(turning away) Mind the step.", "Mind the step.", ["turning away"]),
]
WORDS = ["The clock (1912) still runs.", "We left (and never came back).", "The keeper (an old man) waited.", "(And he left.)", "(He was gone)",
         "Call 555 (ext. 12).", "a * b * c", "2 * 3 is 6", "It costs (about) five.", "( )", "no brackets", "(open", "an **important** thing"]


@pytest.mark.parametrize(("text", "said", "found"), DIRECTIONS)
def test_directions_are_told_from_words(text: str, said: str, found: list[str]) -> None:
    words, directions = apart(text)
    assert (words, [one.text for one in directions]) == (said, found)


@pytest.mark.parametrize("text", WORDS)
def test_brackets_that_are_words_stay_words(text: str) -> None:
    assert apart(text) == (text, [])


def test_where_it_stood_and_what_it_means() -> None:
    _, found = apart("(susurrando) Mind the step. (pausa) Now. [turns]")
    assert [(one.meant, one.word) for one in found] == [("whispering", 0), ("pause", 3), ("", 4)]


@given(st.text(alphabet="ab .(){}[]*（）【】1A", max_size=40))
def test_whatever_stands_in_brackets_nothing_but_directions_is_lost(text: str) -> None:
    words, found = apart(text)
    if not found:
        assert words == text
    left = text
    for one in found:
        assert " ".join(one.text.split()) == one.text
    assert len(words) <= len(left)
    assert apart(words)[0].count("a") <= text.count("a")


def workbook(rows: list[list[str]]) -> bytes:
    book = Workbook()
    for row in rows:
        book.active.append(row)  # type: ignore[union-attr]
    made = io.BytesIO()
    book.save(made)
    return made.getvalue()


ROWS = [["speaker", "en-GB", "es-MX", "notes"], ["Mara", "[whispering] Mind the step.", "[susurrando] Cuidado con el escalón.", "by the stair"],
        ["", "(pause)", "(pausa)", ""], ["Oda", "It is loose. (shouting) Look!", "Está suelto. (gritando) ¡Mira!", ""],
        ["Oda", "The clock (1912) still runs.", "El reloj (1912) aún anda.", ""]]


@pytest.fixture(params=["csv", "xlsx"])
def table(request: pytest.FixtureRequest) -> tuple[bytes, str]:
    if request.param == "xlsx":
        return workbook(ROWS), "a.xlsx"
    return "\n".join("\t".join(row) for row in ROWS).encode(), "a.tsv"


def read(table: tuple[bytes, str], **hints: bool) -> Script:
    return read_script(*table, Hints(source_language="en-GB", **hints))  # type: ignore[arg-type]


def test_a_table_says_its_words_and_no_directions(table: tuple[bytes, str]) -> None:
    script = read(table)
    assert [line.words for line in script.lines] == ["Mind the step.", "It is loose. Look!", "The clock (1912) still runs."]
    assert [line.wordings["es-MX"] for line in script.lines] == ["Cuidado con el escalón.", "Está suelto. ¡Mira!", "El reloj (1912) aún anda."]
    assert [line.notes for line in script.lines] == ["by the stair; whispering", "pause; shouting", ""]
    assert script.brackets is True
    told = next(one for one in script.problems if one.code == "directions_apart")
    assert (told.severity, told.fields["count"]) == ("note", 3) and "whispering" in str(told)


def test_what_is_known_of_them_is_how_the_line_sounds_in_every_language(table: tuple[bytes, str]) -> None:
    script = read(table)
    direct_by_notes(script)
    settle_delivery(script, "en-GB")
    assert [line.delivery for line in script.lines] == ["whispering", "shouting", ""]
    for language in ("en-GB", "es-MX"):
        assert [dict(line.own.get(language, {}).get("direction", {}).get("moods", {})) for line in script.lines] == [
            {"whispered": 1.0}, {"shouted": 1.0}, {}]


def test_turned_all_of_it_is_said(table: tuple[bytes, str]) -> None:
    script = read(table, directions=False)
    assert [line.words for line in script.lines][:2] == ["[whispering] Mind the step.", "(pause)"]
    assert script.brackets is False and not any(one.code == "directions_apart" for one in script.problems)


def test_a_table_without_any_asks_nothing() -> None:
    assert read((b"speaker\twords\nMara\tMind the step.\n", "a.tsv")).brackets is None


def test_a_pause_among_the_words_of_a_table_is_one() -> None:
    rows = "speaker,en-GB,es-MX\nOda,It is loose. (pause) It always was.,Está flojo. (pausa) Siempre lo estuvo.\nMara,(pause) Why?,¿Por qué?\n"
    script = read_script(rows, "a.csv", Hints(source_language="en-GB"))
    assert [line.words for line in script.lines] == ["It is loose. It always was.", "Why?"]
    settle_delivery(script, "en-GB")
    marks = {tag: own["direction"]["marks"] for tag, own in script.lines[0].own.items()}
    assert [(one["kind"], one["word"]) for one in marks["en-GB"]] == [("pause", 3)]
    assert [(one["kind"], one["word"]) for one in marks["es-MX"]] == [("pause", 2)]
    assert 0.3 < marks["en-GB"][0]["amount"] < 1.5
    assert not script.lines[1].own.get("en-GB"), "before the first word it is the line that waits: that stays a note"


def test_a_pause_among_words_that_were_corrected_meanwhile_is_none() -> None:
    script = read_script("speaker,en-GB\nOda,It is loose. (pause) It always was.\n", "a.csv", Hints(source_language="en-GB"))
    script.lines[0].words = "It is loose."
    settle_delivery(script, "en-GB")
    assert not script.lines[0].own.get("en-GB")


def test_all_of_it_is_said_where_that_is_ticked() -> None:
    script = read_script("speaker,en-GB\nOda,It is loose. (pause) It always was.\n", "a.csv", Hints(source_language="en-GB", directions=False))
    settle_delivery(script, "en-GB")
    assert "(pause)" in script.lines[0].words and not script.lines[0].own.get("en-GB")


FOUNTAIN = """INT. LOFT

IMKA
(on the phone, angrily)
It is loose.
(beat)
It always was (pause) loose.

ODA
(to Imka)
Look [whispering] there.
"""
ALIKE = {
    "text": "Imka: (on the phone, angrily) It is loose. (beat) It always was (pause) loose.\nOda: (to Imka) Look [whispering] there.",
    "SRT": "1\n00:00:01,000 --> 00:00:04,000\nImka: (on the phone, angrily) It is loose.\n[beat] It always was (pause) loose.\n\n"
           "2\n00:00:05,000 --> 00:00:07,000\nOda: (to Imka) Look [whispering] there.\n",
    "Fountain": FOUNTAIN,
    "CSV": "speaker,en-GB\nImka,\"(on the phone, angrily) It is loose. (beat) It always was (pause) loose.\"\nOda,(to Imka) Look [whispering] there.\n",
}


@pytest.mark.parametrize("kind", ALIKE)
def test_every_format_is_directed_alike(kind: str) -> None:
    script = read_script(ALIKE[kind], hints=Hints(source_language="en-GB"))
    direct_by_notes(script)
    assert [line.words for line in script.lines] == ["It is loose. It always was loose.", "Look there."]
    assert {(one.kind, one.what, one.lines) for one in script.directed} == {
        ("room", "telephone", 1), ("mood", "angry", 1), ("pause", "pause", 1), ("mood", "whispered", 1)}
    settle_delivery(script, "en-GB")
    first, second = (line.own["en-GB"]["direction"] for line in script.lines)
    assert first["moods"] == {"angry": 1.0} and second["moods"] == {"whispered": 1.0}
    assert [(one["kind"], one["word"]) for one in first["marks"]] == [("pause", 3), ("pause", 6)]
    assert script.sounds["places"] == [{"room": "telephone", "line": 1}]
    assert "to Imka" in script.lines[1].notes and "to Imka" not in script.lines[1].delivery


@pytest.mark.parametrize("kind", ALIKE)
def test_none_is_directed_where_that_is_turned_off(kind: str) -> None:
    script = read_script(ALIKE[kind], hints=Hints(source_language="en-GB"))
    direct_by_notes(script, wanted=False)
    assert script.directing is False and len(script.directed) == 4, "what would be is told still"
    settle_delivery(script, "en-GB")
    assert not any(line.own for line in script.lines) and not script.sounds
    assert "whispering" in script.lines[1].notes


@pytest.mark.parametrize(("text", "words"), [
    ("Oda: Wait (Pause) there.", "Wait there."), ("Oda: Sie geht (Flüsternd) leise.", "Sie geht leise."),
    ("Oda: The Council (Harbour Office) agreed.", "The Council (Harbour Office) agreed."), ("Oda: The clock (1912) runs.", "The clock (1912) runs.")])
def test_within_a_sentence_known_directions_are_taken_and_names_and_years_are_said(text: str, words: str) -> None:
    assert read_script(text).lines[0].words == words


def test_what_people_wrote_beside_the_words_stays_a_note() -> None:
    """A column of notes is anybody's; and what a whole production has decided is its own."""
    script = read_script("speaker,en-GB,notes\nMara,Mind the step.,whispering\n", "a.csv", Hints(source_language="en-GB"))
    direct_by_notes(script)
    assert script.directing is None and not script.directed and not script.lines[0].delivery


def test_rooms_are_rooms_that_there_are() -> None:
    assert set(_HEARD_FROM) <= set(ROOM_NAMES)


@pytest.mark.parametrize(("text", "asks"), [("a pause", True), ("Long pause.", True), ("una pausa larga", True), ("eine lange Stille", True),
                                            ("pauses the film", False), ("a", False), ("long", False)])
def test_pauses_however_they_are_asked_for(text: str, asks: bool) -> None:
    assert is_pause(text) is asks


def test_a_german_table_is_read_by_its_own_headings() -> None:
    rows = ("Nr;Sprecher;Von;Bis;Typ;Deutsch;Français;Hinweis\n1;Sprecherin;0:01;0:05;gesprochen;(ruhig) Willkommen.;(calmement) Bienvenue.;Saal 1\n"
            "2;;0:05;0:08;Einblendung;Halle 2;Salle 2;\n3;Hafenmeister;0:08;0:12;gesprochen;[am Telefon] Ja? (lange Pause) Richtig.;[au téléphone] Oui ? (pause) C'est ça.;\n")
    script = read_script(rows, "hafen.csv")
    direct_by_notes(script)
    assert [meaning for _, meaning in script.columns] == ["", "speaker", "start", "end", "kind", "de", "fr", "notes"]
    assert [(line.start, line.end, line.on_screen) for line in script.lines] == [(1, 5, False), (5, 8, True), (8, 12, False)]
    assert not [one for one in script.problems if one.code != "directions_apart"], "what is on the screen needs no speaker"
    assert [(line.words, line.delivery, line.room) for line in script.lines if not line.on_screen] == [
        ("Willkommen.", "calm", ""), ("Ja? Richtig.", "", "telephone")]
    settle_delivery(script, "de")
    assert {tag: [(mark["kind"], mark["word"]) for mark in own["direction"]["marks"]] for tag, own in script.lines[2].own.items()} == {
        "de": [("pause", 1)], "fr": [("pause", 2)]}
