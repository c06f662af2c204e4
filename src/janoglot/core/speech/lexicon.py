"""A lexicon: how words and phrases are read wherever they stand, for one language.

In and out as the Pronunciation Lexicon Specification 1.0 (W3C 2008: graphemes, aliases, phonemes in IPA) and as CSV.
What PLS has no word for (whether case matters, inflections, a note) is kept in attributes of our own namespace, which
other programs pass over.
"""

from __future__ import annotations

import csv
import io
import unicodedata
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from xml.etree import ElementTree

import regex

from janoglot.core.errors import BadInput
from janoglot.core.guarded import read_xml
from janoglot.core.languages import distance, find_tag, primary, same_language
from janoglot.core.script.decoding import decode
from janoglot.core.script.formats.table import plain_cell, safe_cell
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.readings import READING_KINDS, Reading, ReadingKind, checked_said

PLS = "http://www.w3.org/2005/01/pronunciation-lexicon"
OURS = "urn:janoglot:lexicon"
XML = "http://www.w3.org/XML/1998/namespace"
MOST_ENTRIES = 5_000
LONGEST_PHRASE = 100
CSV_COLUMNS = ("phrase", "kind", "said", "language", "case_matters", "exact", "note")
_ENDINGS = {"en": ("s", "es", "'s", "’s", "s'", "s’", "ed", "ing"), "de": ("s", "es", "n", "en", "e", "er"),
            "es": ("s", "es"), "fr": ("s", "x"), "pt": ("s", "es"), "it": (), "nl": ("s", "en", "'s", "’s")}
"""What may follow a word that is not taken exactly, by language; a reading is said with it."""


@dataclass(frozen=True, slots=True)
class LexiconEntry:
    """``phrase`` is read as ``said``, in texts in ``language`` (BCP 47; "" in any). ``exact``: not with an ending of
    its language ("Kirrins"). ``case_matters``: not as "kirrin"."""

    phrase: str
    kind: ReadingKind
    said: str = ""
    language: str = ""
    case_matters: bool = False
    exact: bool = False
    note: str = ""

    def holds_in(self, language: str) -> bool:
        return not self.language or same_language(self.language, language)


def checked_entry(phrase: str, kind: str, said: str = "", language: str = "", case_matters: bool = False,
                  exact: bool = False, note: str = "") -> LexiconEntry:
    """Raises BadInput."""
    plain = " ".join(phrase.split())
    if not any(ch.isalnum() for ch in plain):
        raise BadInput("Write the word or phrase that is to be said otherwise.")
    if len(plain) > LONGEST_PHRASE:
        raise BadInput("A phrase of the lexicon has {most} characters at most.", most=LONGEST_PHRASE)
    if kind not in READING_KINDS:
        raise BadInput("Nothing is read as “{kind}”.", kind=kind[:20])
    return LexiconEntry(plain, kind, checked_said(kind, said), find_tag(language) or "" if language else "",
                        case_matters, exact, " ".join(note.split())[:300])


class Lexicon:
    """Entries that hold for an edition, with what finds quickly whether any of them stands in a line at all."""

    def __init__(self, entries: Iterable[LexiconEntry] = ()) -> None:
        self.entries = tuple(entries)
        first = {entry.phrase.split()[0].casefold() for entry in self.entries}
        self._any = regex.compile("|".join(map(regex.escape, sorted(first)))) if first else None

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Lexicon) and self.entries == other.entries

    def __hash__(self) -> int:
        return hash(self.entries)

    def readings(self, words: str, language: str, taken: Sequence[tuple[int, int]] = ()) -> tuple[Reading, ...]:
        """As :func:`lexicon_readings`."""
        if self._any is None or not self._any.search(words.casefold()):
            return ()
        return lexicon_readings(self.entries, words, language, taken)


def lexicon_readings(entries: Sequence[LexiconEntry], words: str, language: str,
                     taken: Sequence[tuple[int, int]] = ()) -> tuple[Reading, ...]:
    """Where in ``words`` the entries stand, and how each is read; the longer phrase first, and of two the same the
    earlier entry. Stretches that are ``taken`` (start, length) stay as they are."""
    found: list[Reading] = []
    busy = [(at, at + length) for at, length in taken]
    for entry in sorted(entries, key=lambda one: -len(one.phrase)):
        if not entry.holds_in(language) or not _may_stand(entry, words):
            continue
        for match in _pattern(entry, language).finditer(words):
            if any(match.start() < end and start < match.end() for start, end in busy):
                continue
            ending = match["ending"] or ""
            said = entry.said + ending if entry.kind == "alias" else entry.said
            length = len(match[0]) if entry.kind == "alias" else len(match[0]) - len(ending)
            found.append(Reading(match.start(), length, entry.kind, said))
            busy.append(match.span())
    return tuple(sorted(found, key=lambda one: one.at))


def _may_stand(entry: LexiconEntry, words: str) -> bool:
    first = entry.phrase.split()[0]
    return first in words or (not entry.case_matters and first.casefold() in words.casefold())


def _pattern(entry: LexiconEntry, language: str) -> regex.Pattern[str]:
    phrase = r"\s+".join(map(regex.escape, entry.phrase.split()))
    endings = () if entry.exact else _ENDINGS.get(primary(language), ())
    ending = f"(?P<ending>{'|'.join(map(regex.escape, sorted(endings, key=len, reverse=True)))})?" if endings \
        else "(?P<ending>)"
    # In scripts that put no spaces between words there are none to look for.
    edge = "" if regex.search(r"[\p{Han}\p{Hiragana}\p{Katakana}\p{Thai}]", entry.phrase) else r"[\p{L}\p{M}\p{N}]"
    before, after = (f"(?<!{edge})", f"(?!{edge})") if edge else ("", "")
    return regex.compile(before + phrase + ending + after, 0 if entry.case_matters else regex.IGNORECASE)


def conflicts(entries: Iterable[LexiconEntry]) -> list[tuple[LexiconEntry, LexiconEntry]]:
    """Pairs that say the same phrase otherwise in the same language."""
    found: list[tuple[LexiconEntry, LexiconEntry]] = []
    seen: dict[tuple[str, str], LexiconEntry] = {}
    for entry in entries:
        key = (entry.phrase.casefold(), primary(entry.language or "und"))
        other = seen.setdefault(key, entry)
        if other is not entry and (other.kind, other.said) != (entry.kind, entry.said):
            found.append((other, entry))
    return found


def proposed(texts: Iterable[str], entries: Sequence[LexiconEntry], least: int = 3, most: int = 40) -> list[
        tuple[str, int, ReadingKind]]:
    """Names and acronyms that stand often in ``texts`` and in no entry: the word, how often, and what is likely of it
    (an acronym is spelled out)."""
    known = {one.phrase.casefold() for one in entries}
    counted: Counter[str] = Counter()
    ordinary: Counter[str] = Counter()
    for text in texts:
        for match in regex.finditer(r"[\p{L}\p{M}][\p{L}\p{M}\p{N}'’-]*", text):
            word = match[0].strip("'’-")
            begins = not text[: match.start()].strip(" «“\"'‘„(—–…") or regex.search(
                r"[.!?:…]['\"”’)»]*\s+[«“\"'‘„(—–]*$", text[: match.start()])
            if word[0].isupper() and (not begins or (word.isupper() and len(word) > 1)):
                counted[word] += 1
            else:
                ordinary[word.casefold()] += 1
    rows: list[tuple[str, int, ReadingKind]] = []
    for word, count in counted.most_common():
        if count >= least and len(word) > 1 and word.casefold() not in known and not ordinary[word.casefold()]:
            rows.append((word, count, "characters" if word.isupper() and len(word) <= 5 else "alias"))
    return rows[:most]


def spelled_out(texts: Iterable[str], language: str, engine: FormantEngine,
                entries: Sequence[LexiconEntry] = ()) -> list[tuple[str, int]]:
    """Words in ``texts`` that the engine says letter by letter, and how often they stand there: what it makes of the
    word is what it makes of its letters. Raises EngineError where nothing here reads the language."""
    known = {one.phrase.casefold() for one in entries}
    counted: Counter[str] = Counter()
    for text in texts:
        for word in regex.findall(r"(?<![\p{L}\p{N}'’-])\p{L}{2,6}(?![\p{L}\p{N}'’-])", text):
            if word.isupper() or not regex.search(r"[aeiouyæøœ]", unicodedata.normalize("NFD", word.casefold())):
                counted[word] += 1
    base = min(engine.bases(), key=lambda one: (distance(language, one.locale), one.id)).id

    def sounds(words: str) -> str:
        return regex.sub(r"[\sˈˌ]", "", "".join(said.ipa for said in engine.transcribe(words, base)))

    return [(word, count) for word, count in counted.most_common(_MOST_TRIED) if word.casefold() not in known
            and regex.fullmatch(r"\p{Latin}+", word) and sounds(word) == sounds(" ".join(word.upper()))]


_MOST_TRIED = 60


def write_pls(entries: Sequence[LexiconEntry], language: str) -> str:
    """PLS 1.0. Kinds of things, which it has no element for, are written as aliases of what they stand for here."""
    ElementTree.register_namespace("", PLS)
    ElementTree.register_namespace("jn", OURS)
    root = ElementTree.Element(f"{{{PLS}}}lexicon", {"version": "1.0", "alphabet": "ipa", f"{{{XML}}}lang": language})
    for entry in entries:
        lexeme = ElementTree.SubElement(root, f"{{{PLS}}}lexeme")
        for name, value in (("case", entry.case_matters), ("exact", entry.exact)):
            if value:
                lexeme.set(f"{{{OURS}}}{name}", "true")
        if entry.note:
            lexeme.set(f"{{{OURS}}}note", entry.note)
        if entry.language and entry.language != language:
            lexeme.set(f"{{{XML}}}lang", entry.language)
        ElementTree.SubElement(lexeme, f"{{{PLS}}}grapheme").text = entry.phrase
        if entry.kind == "ipa":
            ElementTree.SubElement(lexeme, f"{{{PLS}}}phoneme").text = entry.said
        else:
            ElementTree.SubElement(lexeme, f"{{{PLS}}}alias").text = entry.said or entry.phrase
            if entry.kind != "alias":
                lexeme.set(f"{{{OURS}}}kind", entry.kind)
    ElementTree.indent(root)
    return ElementTree.tostring(root, "unicode", xml_declaration=True) + "\n"


def read_pls(data: bytes) -> tuple[list[LexiconEntry], list[str]]:
    """The entries, and what could not be taken, in sentences. An entry with several graphemes is one for each; of
    several sounds the preferred one, or else the first, is taken. Raises BadInput for what is no PLS."""
    root = read_xml(data, "pronunciation lexicon (PLS)")
    if _local(root.tag) != "lexicon":
        raise BadInput("This is no pronunciation lexicon: its root is “{name}”.", name=_local(root.tag)[:40])
    of_all = root.get(f"{{{XML}}}lang", "")
    alphabet = root.get("alphabet", "ipa")
    found: list[LexiconEntry] = []
    left: list[str] = []
    for lexeme in root.iter():
        if _local(lexeme.tag) != "lexeme":
            continue
        graphemes = [_text(one) for one in lexeme if _local(one.tag) == "grapheme"]
        sounds = sorted((one for one in lexeme if _local(one.tag) in ("phoneme", "alias")),
                        key=lambda one: one.get("prefer") != "true")
        sound = next((one for one in sounds if _local(one.tag) == "alias" or one.get("alphabet", alphabet) == "ipa"),
                     None)
        for phrase in graphemes:
            if sound is None:
                left.append(f"“{phrase}” has no sounds in IPA and no alias.")
                continue
            kind = lexeme.get(f"{{{OURS}}}kind") or ("alias" if _local(sound.tag) == "alias" else "ipa")
            try:
                found.append(checked_entry(phrase, kind, _text(sound), lexeme.get(f"{{{XML}}}lang") or of_all,
                                           lexeme.get(f"{{{OURS}}}case") == "true",
                                           lexeme.get(f"{{{OURS}}}exact") == "true", lexeme.get(f"{{{OURS}}}note", "")))
            except BadInput as error:
                left.append(f"“{phrase[:40]}”: {error}")
    if len(found) > MOST_ENTRIES:
        raise BadInput("A lexicon has {most} entries at most.", most=MOST_ENTRIES)
    return found, left


def write_csv(entries: Sequence[LexiconEntry]) -> str:
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\r\n")
    table.writerow(CSV_COLUMNS)
    for one in entries:
        table.writerow([safe_cell(cell) for cell in (
            one.phrase, one.kind, one.said, one.language, "yes" if one.case_matters else "",
            "yes" if one.exact else "", one.note)])
    return text.getvalue()


WANTED = "A lexicon is a PLS file, or a CSV file with a phrase and how it is said in each row: choose one of these."


def read_csv(data: bytes, language: str = "") -> tuple[list[LexiconEntry], list[str]]:
    """As :func:`read_pls`; ``language`` is that of entries that name none. A column "said" alone is an alias, or IPA
    where it stands between slashes. Raises BadInput."""
    text = decode(data, wanted=WANTED).text.lstrip("\ufeff")
    try:
        # What parts the cells, and that alone: an apostrophe before a cell would pass for its quotes.
        delimiter = csv.Sniffer().sniff(text[:4000], delimiters=",;\t").delimiter
    except csv.Error:
        delimiter = ","
    rows = list(csv.reader(io.StringIO(text), delimiter=delimiter))
    if not rows:
        raise BadInput("There are no rows in this file.")
    heads = [cell.strip().casefold() for cell in rows[0]]
    if "phrase" not in heads:
        heads = list(CSV_COLUMNS)[: len(rows[0])]
        heads = ["phrase", "said"] if len(heads) == 2 else heads
    else:
        rows = rows[1:]
    found, left = [], []
    for number, row in enumerate(rows, 1):
        told = dict(zip(heads, (plain_cell(cell.strip()) for cell in row), strict=False))
        if not any(told.values()):
            continue
        said = told.get("said", "")
        kind = told.get("kind") or ("ipa" if len(said) > 2 and said[0] == said[-1] == "/" else "alias")
        try:
            found.append(checked_entry(told.get("phrase", ""), kind, said,
                                       told.get("language") or language, _yes(told.get("case_matters")),
                                       _yes(told.get("exact")), told.get("note", "")))
        except BadInput as error:
            left.append(f"{number}: {error}")
    if len(found) > MOST_ENTRIES:
        raise BadInput("A lexicon has {most} entries at most.", most=MOST_ENTRIES)
    return found, left


def read_lexicon(data: bytes, name: str, language: str = "") -> tuple[list[LexiconEntry], list[str]]:
    """By what it is: PLS, or else CSV. Raises BadInput."""
    if data.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<") or name.lower().endswith((".pls", ".xml")):
        return read_pls(data)
    return read_csv(data, language)


def _yes(told: str | None) -> bool:
    return (told or "").strip().casefold() in ("yes", "true", "1", "x", "y")


def _local(tag: object) -> str:
    return str(tag).rsplit("}", 1)[-1]


def _text(element: ElementTree.Element) -> str:
    return " ".join("".join(element.itertext()).split())
