from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from janoglot.core.adapt.bilingual import read_docx, read_xlsx, write_docx, write_xlsx
from janoglot.core.adapt.outgoing import Here, Outgoing, OutgoingLine, compare, mark_of
from janoglot.core.adapt.xliff import read_xliff, write_xliff
from janoglot.core.errors import BadInput

texts = st.text(st.characters(exclude_categories=["Cs", "Cc", "Cn", "Co"]), min_size=1, max_size=50).map(
    lambda text: " ".join(text.split())).filter(lambda text: text and not any("\ufdd0" <= ch <= "\ufdef" for ch in text))
lines = st.builds(
    lambda number, source, text, state, notes, longest: OutgoingLine(
        str(number), source, text if state != "empty" else "", state, number, "Keeper", "The Stair", (1.0, 3.25), longest,
        False, notes),
    st.integers(1, 9_999), texts, texts, st.sampled_from(["empty", "draft", "edited", "approved"]),
    st.one_of(st.just(""), texts), st.one_of(st.none(), st.integers(1, 200)))
outgoings = st.builds(lambda some: Outgoing("The Tidewater Clock", "en-GB", "es-MX", some, "formal", "Dry and old."),
                      st.lists(lines, max_size=5, unique_by=lambda line: line.id))

FORMATS: list[tuple[Callable[[Outgoing], bytes], Callable[[bytes], Outgoing]]] = [
    (lambda out: write_xliff(out).encode(), read_xliff), (lambda out: write_xliff(out, "1.2").encode(), read_xliff),
    (write_docx, read_docx), (write_xlsx, read_xlsx)]


@pytest.mark.parametrize(("write", "read"), FORMATS, ids=["xliff 2.0", "xliff 1.2", "docx", "xlsx"])
@settings(max_examples=25, deadline=None)
@given(outgoing=outgoings)
def test_what_goes_out_comes_back(write: Callable[[Outgoing], bytes], read: Callable[[bytes], Outgoing],
                                  outgoing: Outgoing) -> None:
    back = read(write(outgoing))
    assert [(line.id, line.source, line.text, line.state) for line in back.lines] == [
        (line.id, line.source, line.text, line.state) for line in outgoing.lines]


def test_slots_limits_notes_and_address_travel_with_the_lines() -> None:
    line = OutgoingLine("7", "Wait.", "", "empty", 3, "Keeper", "The Stair", (1.0, 3.25), 31, True, "whispered")
    outgoing = Outgoing("Clock", "en-GB", "es-MX", [line], "informal", "Dry.")
    for version in ("2.0", "1.2"):
        content = write_xliff(outgoing, version)
        for said in ("Keeper", "2.25 s", "31", "on screen", "informal", "whispered", "Dry."):
            assert said in content, (version, said)


def test_a_file_edited_by_another_library_comes_back() -> None:
    """Here translate-toolkit fills in the targets, as a translator's program would."""
    from translate.storage import xliff

    outgoing = Outgoing("Clock", "en-GB", "es-MX", [
        OutgoingLine("7", "Wait & listen.", "", "empty", 1, "Keeper", "", (1.0, 3.0), 31),
        OutgoingLine("9", "Now.", "Ya.", "approved", 2, "Imka", "", (4.0, 5.0), 12, locked=True)])
    store = xliff.xlifffile.parsestring(write_xliff(outgoing, "1.2").encode())
    unit = next(unit for unit in store.units if unit.source == "Wait & listen.")
    unit.target = "Espera y <escucha>."
    back = read_xliff(bytes(store))
    assert [(line.id, line.source, line.text) for line in back.lines] == [
        ("7", "Wait & listen.", "Espera y <escucha>."), ("9", "Now.", "Ya.")]
    assert back.language == "es-MX"


def test_segments_and_inline_codes_of_others_are_read() -> None:
    content = b"""<xliff xmlns="urn:oasis:names:tc:xliff:document:2.1" version="2.1" srcLang="en" trgLang="es"><file id="f">
        <group id="g"><unit id="7"><segment state="final"><source>One. </source><target>Uno. </target></segment>
        <segment state="translated"><source><pc id="1">Two</pc>.</source><target><pc id="1">Dos</pc>.</target></segment>
        </unit></group></file></xliff>"""
    (line,) = read_xliff(content).lines
    assert (line.source, line.text, line.state) == ("One. Two.", "Uno. Dos.", "edited")


@pytest.mark.parametrize(("read", "content"), [
    (read_xliff, b"nothing"), (read_xliff, b"<tmx/>"), (read_xliff, b"<xliff version='2.0'/>"),
    (read_xliff, b"<!DOCTYPE x [<!ENTITY a SYSTEM 'file:///etc/passwd'>]><xliff>&a;</xliff>"),
    (read_docx, b"PK nothing"), (read_xlsx, b""),
])
def test_what_cannot_be_read_is_refused_in_a_sentence(read: Callable[[bytes], Outgoing], content: bytes) -> None:
    with pytest.raises(BadInput):
        read(content)


def test_what_came_back_is_compared_and_nothing_is_overwritten_unasked() -> None:
    here = {"1": Here("One.", "", "empty"), "2": Here("Two.", "Dos.", "edited"), "3": Here("Three!", "Tres.", "edited"),
            "4": Here("Four.", "Cuatro.", "approved"), "5": Here("Five.", "Cinco.", "edited"),
            "6": Here("Six.", "Seis.", "edited"), "7": Here("Seven.", "Siete.", "edited"),
            "8": Here("Eight.", "Ocho, ya.", "edited"), "9": Here("Nine.", "Nueve.", "edited")}
    coming = Outgoing("", "en-GB", "es-MX", [
        OutgoingLine("1", "One.", "Uno."), OutgoingLine("2", "Two.", "Un par.", sent=mark_of("Dos.")), OutgoingLine("3", "Three.", "Tres, sí."),
        OutgoingLine("4", "Four.", "Otra."), OutgoingLine("5", "Five.", "Cinco."), OutgoingLine("6", "Six.", ""),
        OutgoingLine("7", "Seven.", "Los siete.", sent=mark_of("Anterior.")),
        # Not touched out there, changed here since: what was done here stays.
        OutgoingLine("8", "Eight.", "Ocho.", sent=mark_of("Ocho.")),
        # Nobody knows how it went out.
        OutgoingLine("9", "Nine.", "Los nueve."), OutgoingLine("99", "Gone.", "Ido.")])
    report = compare(coming, here)
    assert [(one.id, one.what) for one in report.returned] == [
        ("1", "new"), ("2", "changed"), ("3", "source_changed"), ("4", "approved_here"), ("5", "same"), ("6", "emptied"),
        ("7", "changed_here"), ("8", "same"), ("9", "changed_here"), ("99", "unknown")]
    assert [one.id for one in report.returned if one.needs_asking] == ["3", "4", "6", "7", "9"]
    assert compare(Outgoing("", "", "", coming.lines[:2]), here).missing == ["3", "4", "5", "6", "7", "8", "9"]
