"""Directed lines as SSML 1.1 and back."""

from __future__ import annotations

import re
import time
from dataclasses import replace
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

from janoglot.core.errors import BadInput
from janoglot.core.speech.directing import MARK_BOUNDS, DirectionMark, marks_of
from janoglot.core.speech.moods import MOODS, checked_moods
from janoglot.core.speech.ssml import DirectedLine, looks_like_ssml, read_ssml, read_words, write_ssml

WORDS = "Mind the third step, it is loose."


@st.composite
def directed_lines(draw: st.DrawFn) -> DirectedLine:
    words = draw(st.lists(st.sampled_from(["Mind", "step,", "«R&D»", "a<b", "loose.", "日本", "the"]), min_size=1, max_size=8))
    text = " ".join(words)
    told = []
    taken: set[int] = set()
    for _ in range(draw(st.integers(0, 6))):
        kind = draw(st.sampled_from([*MARK_BOUNDS, "alias", "ipa", "date"]))
        word = draw(st.integers(0, len(words) - 1))
        count = draw(st.integers(1, len(words) - word)) if kind not in ("gap", "pause") else 1
        if kind in MARK_BOUNDS:
            low, high = MARK_BOUNDS[kind]
            told.append({"kind": kind, "word": word, "count": count, "amount": draw(st.floats(low, high).map(lambda x: round(x, 2)))})
        elif not taken & set(range(word, word + count)):
            taken |= set(range(word, word + count))
            told.append({"kind": kind, "word": word, "count": count, "said": {"alias": "other & \"words\"", "ipa": "ˈlɪə"}.get(kind, "")})
    # One break stands before a word; two of a kind on the same words would be one.
    one_each = {(mark["kind"], mark["word"], mark["count"]): mark for mark in told}
    moods = draw(st.dictionaries(st.sampled_from(sorted(MOODS)), st.sampled_from([0.5, 1.0, 1.4]), max_size=3))
    return DirectedLine(text, marks_of(list(one_each.values()), text), checked_moods(moods), draw(st.integers(0, 9)),
                        (), draw(st.integers(1, 99)), draw(st.sampled_from(["", "Keeper", "“O'Dell” & son"])))


@given(st.lists(directed_lines(), min_size=1, max_size=4))
def test_a_round_trip_loses_nothing(lines: list[DirectedLine]) -> None:
    text = write_ssml(lines, "en-GB", ["One"] * len(lines))
    ElementTree.fromstring(text)
    again = read_ssml(text)
    assert again.problems == []
    assert again.lines == lines


def test_words_in_another_language_and_what_nothing_here_does_come_out_again() -> None:
    text = ('<speak version="1.1" xmlns="http://www.w3.org/2001/10/synthesis" xml:lang="en"><s>Mind <mark name="a&quot;b"/>the '
            '<lang xml:lang="fr-FR">petit pas</lang>, <prosody duration="2s" rate="80%">it is</prosody> '
            '<x:laugh xmlns:x="urn:other" how="dry"><emphasis>loose</emphasis></x:laugh>.</s></speak>')
    found = read_ssml(text)
    assert {one.severity for one in found.problems} == {"kept"}
    line = found.lines[0]
    assert line.words == "Mind the petit pas, it is loose." and line.foreign == (("petit pas", "fr-FR"),)
    assert {mark.kind for mark in line.marks} == {"kept", "pace", "stress"}
    again = read_ssml(write_ssml([line], "en"))
    assert again.lines == [line]


# What the standard's own sections show, put in our words: an element, and what it comes to here.
@pytest.mark.parametrize(("marked", "kind", "word", "count", "amount", "said"), [
    ('Take a breath <break/> then go', "gap", 3, 1, 0.4, ""),
    ('Press one <break time="3s"/> or wait', "gap", 2, 1, 3.0, ""),
    ('Press one <break time="250ms"/> or wait', "gap", 2, 1, 0.25, ""),
    ('one <break strength="none"/> two', "gap", 1, 1, 0.0, ""),
    ('That is a <emphasis>big</emphasis> boat', "stress", 3, 1, 1.0, ""),
    ('a <emphasis level="strong">huge bank</emphasis> account', "stress", 1, 2, 2.0, ""),
    ('a <emphasis level="reduced">big</emphasis> boat', "stress", 1, 1, -1.0, ""),
    ('The price is <prosody rate="90%">forty five</prosody>', "pace", 3, 2, 0.9, ""),
    ('<prosody rate="slow">Go now</prosody>', "pace", 0, 2, 0.8, ""),
    ('<prosody pitch="+2st">Go</prosody> now', "lift", 0, 1, 2.0, ""),
    ('<prosody pitch="+10%">Go</prosody> now', "lift", 0, 1, 1.65, ""),
    ('<prosody volume="+6dB">Go</prosody> now', "level", 0, 1, 6.0, ""),
    ('<prosody range="-20%">Go</prosody> now', "range", 0, 1, 0.8, ""),
    ('<prosody contour="(0%,+0st) (100%,+4st)">you go</prosody>', "turn", 0, 2, 4.0, ""),
    ('The <sub alias="World Wide Web Consortium">W3C</sub> met', "alias", 1, 1, 1.0, "World Wide Web Consortium"),
    ('<phoneme alphabet="ipa" ph="təmeɪtoʊ">tomato</phoneme> soup', "ipa", 0, 1, 1.0, "təmeɪtoʊ"),
    ('on <say-as interpret-as="date">2026-03-01</say-as>', "date", 1, 1, 1.0, ""),
    ('the <say-as interpret-as="ordinal">3</say-as> step', "ordinal", 1, 1, 1.0, ""),
])
def test_the_standard_s_elements(marked: str, kind: str, word: int, count: int, amount: float, said: str) -> None:
    found = read_words(marked)
    assert not found.errors and len(found.lines) == 1
    [mark] = found.lines[0].marks
    assert (mark.kind, mark.word, mark.count, mark.said) == (kind, word, count, said)
    assert mark.amount == pytest.approx(amount, abs=0.01)


def test_sentences_paragraphs_voices_and_words_are_lines() -> None:
    found = read_ssml('<speak version="1.1" xml:lang="en"><p><voice name="Keeper"><s>Mind the <w>step</w>.</s></voice>'
                      '<s>It is <token>loose</token>.</s></p>And nobody <p>mends it.</p></speak>')
    assert [(line.words, line.speaker) for line in found.lines] == [
        ("Mind the step.", "Keeper"), ("It is loose.", ""), ("And nobody", ""), ("mends it.", "")]


@pytest.mark.parametrize(("text", "line", "column", "says"), [
    ("<speak>\n<s>Mind <b</s></speak>", 2, 11, "well-formed"),
    ('<speak>\n <s>a <prosody rate="blah">b</prosody></s></speak>', 2, 7, "blah"),
    ('<speak><s>a <emphasis level="x">b</emphasis></s></speak>', 1, 13, "emphasis"),
    ('<speak><s>a <break time="soon"/> b</s></speak>', 1, 13, "soon"),
    ('<speak><s>a <sub>b</sub></s></speak>', 1, 13, "alias"),
    ('<speak><s>a <break strength="mighty"/> b</s></speak>', 1, 13, "“mighty” is no strength of a break"),
    ('<html><s>a</s></html>', 1, 1, "speak"),
])
def test_what_is_wrong_is_told_at_its_place(text: str, line: int, column: int, says: str) -> None:
    problem = read_ssml(text).errors[0]
    assert (problem.line, problem.column) == (line, column) and says in problem.message


def test_what_nothing_here_does_is_kept_by_its_own_name() -> None:
    marked = '<speak version="1.1" xml:lang="en"><s>Say <prosody duration="2s">this slowly</prosody> and <say-as>that</say-as>.</s></speak>'
    found = read_ssml(marked)
    assert not found.errors
    text = write_ssml(found.lines, "en")
    assert '<prosody duration="2s">this slowly</prosody>' in text
    assert read_ssml(text).lines == found.lines
    # A voice may stand outside of every sentence.
    told = read_ssml('<speak version="1.1" xml:lang="en"><voice name="Keeper">Mind the step.</voice></speak>')
    assert [(line.words, line.speaker) for line in told.lines] == [("Mind the step.", "Keeper")]


def test_entities_of_its_own_are_refused() -> None:
    with pytest.raises(BadInput):
        read_ssml('<!DOCTYPE speak [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><speak>&b;</speak>')


@given(st.text(max_size=200))
def test_whatever_is_typed(text: str) -> None:
    read_ssml(text)
    read_words(text)


def test_marked_up_cells_are_told_from_plain_ones() -> None:
    assert looks_like_ssml('<speak>a</speak>') and looks_like_ssml('Mind <break time="1s"/> it')
    assert not looks_like_ssml("a < b and b > c") and not looks_like_ssml("He <laughs> and goes")


def test_a_mark_that_another_crosses_is_whole_again() -> None:
    marks = marks_of([{"kind": "lift", "word": 0, "count": 4, "amount": 2}, {"kind": "pace", "word": 2, "count": 5, "amount": 0.8}], WORDS)
    line = DirectedLine(WORDS, marks)
    text = write_ssml([line], "en")
    assert text.count("<prosody") == 3
    assert read_ssml(text).lines == [line]
    assert read_ssml(text.replace("Mind", "Watch")).lines == [replace(line, words=WORDS.replace("Mind", "Watch"))]
    assert DirectionMark("lift", 0, 2.0, 4) in marks


@pytest.mark.parametrize("one", ["<emphasis>a</emphasis> ", "a <break/> ", '<lang xml:lang="fr">le b</lang> ', '<prosody rate="90%">a</prosody> ', "a <audio/> ", "<emphasis>a "])
def test_a_line_of_very_many_elements_takes_as_much_longer_as_it_is(one: str) -> None:
    def taken(count: int) -> float:
        text = f"<speak><s>{one * count}{'</emphasis>' * count if one == '<emphasis>a ' else ''}</s></speak>"
        tries = []
        for _ in range(3):
            begun = time.process_time()
            write_ssml(read_ssml(text).lines, "en")
            tries.append(time.process_time() - begun)
        return min(tries)

    # Eight times the text: eight times the time, and some to spare. With the square of it: sixty-four times.
    assert taken(8_000) < 30 * max(taken(1_000), 0.003)


@given(st.lists(st.tuples(st.booleans(), st.sampled_from(["a", "b c", "d ", "e  f "]), st.sampled_from(["", " "])), max_size=12))
def test_a_mark_is_of_the_words_that_it_stands_in(pieces: list[tuple[bool, str, str]]) -> None:
    text = "".join((f"<emphasis>{words}</emphasis>" if marked else words) + after for marked, words, after in pieces)
    plain = "".join(words + after for _, words, after in pieces)
    marked = "".join(("*" if marked else "-") * len(words) + "-" * len(after) for marked, words, after in pieces)
    wanted = {number for number, match in enumerate(re.finditer(r"\S+", plain)) if "*" in marked[match.start():match.end()]}
    found = read_ssml(f"<speak><s>{text}</s></speak>")
    assert [line.words for line in found.lines] == ([" ".join(plain.split())] if plain.split() else [])
    assert {word for line in found.lines for mark in line.marks for word in range(mark.word, mark.word + mark.count)} == wanted
