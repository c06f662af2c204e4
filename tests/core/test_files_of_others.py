"""Files as other programs write them: everything that the standards allow and our own writers never do."""

from __future__ import annotations

import io
import zipfile

import pytest
from translate.storage import tbx, tmx

from janoglot.core.adapt.bilingual import read_docx, write_docx
from janoglot.core.adapt.outgoing import Outgoing
from janoglot.core.adapt.term_files import read_terms
from janoglot.core.adapt.termbase import TermPair
from janoglot.core.adapt.tmx import read_tmx
from janoglot.core.adapt.xliff import read_xliff
from janoglot.core.errors import BadInput
from janoglot.core.script.formats import read_script

XLIFF_2 = """<?xml version="1.0" encoding="UTF-8"?>
<!-- made elsewhere -->
<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" xmlns:mda="urn:oasis:names:tc:xliff:metadata:2.0"
       version="2.1" srcLang="en-GB" trgLang="es-MX">
 <file id="f9" original="tide.xml">
  <mda:metadata><mda:metaGroup><mda:meta type="client">Harbour Museum</mda:meta></mda:metaGroup></mda:metadata>
  <group id="g1"><group id="g2">
   <unit id="L7">
    <originalData><data id="d1">&lt;b&gt;</data></originalData>
    <segment id="s1" state="final"><source>The tide <pc id="1" dataRefStart="d1">turns</pc>.</source>
     <target>La marea <pc id="1" dataRefStart="d1">cambia</pc>.</target></segment>
    <ignorable id="i1"><source xml:space="preserve"> </source></ignorable>
    <segment id="s2" state="reviewed"><source>Wait<ph id="2"/>!</source><target>¡Espera<ph id="2"/>!</target></segment>
   </unit>
  </group></group>
  <unit id="L8"><segment id="a"><source>First, then second.</source><target order="3">segundo</target></segment>
   <ignorable><source> </source><target order="2">, </target></ignorable>
   <segment id="b"><source>Third.</source><target order="1">primero</target></segment></unit>
  <unit id="L9"><segment><source>Nobody came.</source></segment></unit>
 </file>
</xliff>"""
XLIFF_1 = """<?xml version="1.0"?>
<xliff version="1.2" xmlns="urn:oasis:names:tc:xliff:document:1.2" xmlns:other="urn:of-another-program">
 <file original="tide.docx" source-language="EN-GB" target-language="ES-MX" datatype="x-docx"><header>
   <skl><external-file href="tide.skl"/></skl></header><body>
  <group id="p1" restype="paragraph">
   <trans-unit id="L7" approved="yes" other:match="101">
    <source><g id="1">The tide turns.</g> Wait!</source>
    <seg-source><g id="1"><mrk mtype="seg" mid="1">The tide turns.</mrk></g> <mrk mtype="seg" mid="2">Wait!</mrk></seg-source>
    <target state="final"><g id="1"><mrk mtype="seg" mid="1">La marea cambia.</mrk></g> <mrk mtype="seg" mid="2">¡Espera!</mrk></target>
    <alt-trans match-quality="80"><source>The tide comes.</source><target>La marea viene.</target></alt-trans>
   </trans-unit>
   <trans-unit id="L8" translate="no"><source>Bell<x id="3"/></source></trans-unit>
   <trans-unit id="L9"><source>One &amp; two<bpt id="1">&lt;i&gt;</bpt> three<ept id="1">&lt;/i&gt;</ept></source>
    <target state="needs-translation">Uno y dos<bpt id="1">&lt;i&gt;</bpt> tres<ept id="1">&lt;/i&gt;</ept></target></trans-unit>
  </group></body></file>
</xliff>"""


class TestXliff:
    @pytest.mark.parametrize(("version", "code"), [("1.2", '<x id="1" ctype="lb"/>'), ("1.2", '<ph id="1" ctype="lb">&lt;br/&gt;</ph>'),
                                                   ("2.1", '<ph id="1" type="fmt" subType="xlf:lb"/>')])
    @pytest.mark.parametrize("around", [("", ""), (" ", ""), ("", " ")])
    def test_a_row_that_ends_glues_no_words_together(self, version: str, code: str, around: tuple[str, str]) -> None:
        text = f"<source>The tide{around[0]}{code}{around[1]}turns.</source><target>La marea{around[0]}{code}{around[1]}cambia.</target>"
        file = (f'<xliff version="2.1" srcLang="en-GB" trgLang="es-MX"><file id="f"><unit id="L7"><segment>{text}</segment></unit></file></xliff>'
                if version == "2.1" else
                f'<xliff version="1.2"><file original="f" source-language="en-GB" target-language="es-MX" datatype="x"><body>'
                f'<trans-unit id="L7">{text}</trans-unit></body></file></xliff>')
        assert [(line.source, line.text) for line in read_xliff(file.encode()).lines] == [("The tide turns.", "La marea cambia.")]

    def test_2_1_with_groups_codes_segments_and_another_order(self) -> None:
        found = read_xliff(XLIFF_2.encode())
        assert (found.source_language, found.language) == ("en-GB", "es-MX")
        assert [(line.id, line.source, line.text, line.state) for line in found.lines] == [
            ("L7", "The tide turns. Wait!", "La marea cambia. ¡Espera!", "approved"),
            ("L8", "First, then second. Third.", "primero, segundo", "draft"),
            ("L9", "Nobody came.", "", "empty"),
        ]

    @pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
    def test_1_2_with_segments_marked_and_other_namespaces(self, encoding: str) -> None:
        found = read_xliff(XLIFF_1.encode(encoding))
        assert (found.source_language, found.language) == ("en-GB", "es-MX")
        assert [(line.id, line.text, line.state) for line in found.lines] == [
            ("L7", "La marea cambia. ¡Espera!", "approved"), ("L8", "", "empty"), ("L9", "Uno y dos tres", "draft")]
        assert found.lines[2].source == "One & two three"


TMX = """<?xml version="1.0" encoding="{encoding}"?>
<!DOCTYPE tmx SYSTEM "tmx14.dtd">
<tmx version="1.4">
 <header creationtool="elsewhere" creationtoolversion="9" segtype="sentence" o-tmf="x" adminlang="EN-US" srclang="*all*"
         datatype="rtf"><prop type="domain">harbour</prop></header>
 <body>
  <tu tuid="1" changedate="20260101T000000Z">
   <tuv xml:lang="EN-US"><seg><bpt i="1">{{\\b </bpt>High<ept i="1">}}</ept> water.</seg></tuv>
   <tuv xml:lang="ES"><seg><hi type="term">Plea</hi>mar.</seg></tuv>
   <tuv xml:lang="FR-CA"><seg>Marée haute.</seg></tuv></tu>
  <tu><tuv lang="en"><seg>Nobody came.<ut>{{\\par}}</ut></seg></tuv><tuv lang="es-mx"><seg>Nadie vino.</seg></tuv></tu>
  <tu><tuv xml:lang="en-GB"><seg>Only here</seg></tuv></tu>
 </body>
</tmx>"""


@pytest.mark.parametrize("encoding", ["utf-8", "utf-16"])
def test_a_memory_with_a_document_type_codes_and_languages_in_any_case(encoding: str) -> None:
    units = read_tmx(TMX.format(encoding=encoding).encode(encoding), "en-GB", "es-MX")
    assert {(unit.source, unit.text) for unit in units} == {("High water.", "Pleamar."), ("Nobody came.", "Nadie vino.")}


def test_a_memory_written_by_another_library() -> None:
    made = tmx.tmxfile(sourcelanguage="en", targetlanguage="de")
    made.addtranslation("Mind the step & the rail.", "en", "Achte auf die Stufe <und> das Geländer.", "de")
    buffer = io.BytesIO()
    made.serialize(buffer)
    units = read_tmx(buffer.getvalue(), "en-GB", "de-DE")
    assert [(unit.source, unit.text) for unit in units] == [
        ("Mind the step & the rail.", "Achte auf die Stufe <und> das Geländer.")]


TBX_DCT = """<?xml version="1.0" encoding="UTF-8"?>
<?xml-model href="https://example.org/TBX-Basic.rng"?>
<tbx type="TBX-Basic" style="dct" xml:lang="en" xmlns="urn:iso:std:iso:30042:ed-2"
     xmlns:min="http://www.tbxinfo.net/ns/min" xmlns:basic="http://www.tbxinfo.net/ns/basic">
 <tbxHeader><fileDesc><sourceDesc><p>Harbour Museum</p></sourceDesc></fileDesc></tbxHeader>
 <text><body>
  <conceptEntry id="c1"><min:subjectField>tides</min:subjectField><basic:definition>when the sea is highest</basic:definition>
   <langSec xml:lang="en"><termSec><term>high water</term><min:partOfSpeech>noun</min:partOfSpeech></termSec></langSec>
   <langSec xml:lang="es"><termSec><term>pleamar</term><min:administrativeStatus>preferredTerm-admn-sts</min:administrativeStatus></termSec>
    <termSec><term>marea llena</term><min:administrativeStatus>deprecatedTerm-admn-sts</min:administrativeStatus></termSec></langSec>
  </conceptEntry></body></text>
</tbx>"""


def test_a_termbase_in_tags_says_what_is_not_to_be_used() -> None:
    found = read_terms(TBX_DCT.encode(), "terms.tbx", "en-GB", "es-MX")
    assert TermPair("high water", "pleamar") in [TermPair(one.source, one.text, one.forbidden) for one in found]
    assert ("marea llena", True) in [(one.text, one.forbidden) for one in found]
    assert {one.note for one in found} == {"when the sea is highest"}


def test_a_termbase_written_by_another_library() -> None:
    made = tbx.tbxfile(sourcelanguage="en", targetlanguage="de")
    unit = made.addsourceunit("harbour wall")
    unit.target = "Hafenmauer"
    buffer = io.BytesIO()
    made.serialize(buffer)
    found = read_terms(buffer.getvalue(), "terms.tbx", "en-GB", "de-DE")
    assert [(one.source, one.text, one.forbidden) for one in found] == [("harbour wall", "Hafenmauer", False)]


@pytest.mark.parametrize("language", ["", " ", "Old Harbour Speech", "x"])
def test_a_termbase_with_a_language_that_nobody_knows(language: str) -> None:
    sections = "".join(f'<langSet xml:lang="{tag}"><tig><term>{term}</term></tig></langSet>'
                       for tag, term in ((language, "toid"), ("en", "tide"), ("es", "marea")))
    file = f'<martif type="TBX"><text><body><termEntry>{sections}</termEntry></body></text></martif>'
    assert read_terms(file.encode(), "harbour.tbx", "en-GB", "es-MX") == [TermPair("tide", "marea")]


def test_a_text_document_that_is_another_kind_of_xml() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(write_docx(Outgoing("Tide", "en-GB", "es-MX", [])))) as whole, zipfile.ZipFile(out, "w") as other:
        for name in whole.namelist():
            other.writestr(name, b"<tide/>" if name == "word/document.xml" else whole.read(name))
    with pytest.raises(BadInput, match="damaged"):
        read_docx(out.getvalue())
    with pytest.raises(BadInput, match="damaged"):
        read_script(out.getvalue(), "tide.docx")
