"""From the bytes of a file to its text, whatever program wrote it."""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass, field

from charset_normalizer import from_bytes

from janoglot.core.errors import BadInput, Problem

LARGEST = 5 * 1024 * 1024
"""Bytes. A 10,000-line script in eight languages is about 4 MB."""

LARGEST_PACKAGE = 60 * 1024 * 1024
"""Bytes of an office file, which may be heavy with pictures that nobody reads here."""

_MARKS = (
    # The longer ones first: the one of UTF-32 begins as that of UTF-16 does.
    (codecs.BOM_UTF32_LE, "utf-32", "UTF-32"),
    (codecs.BOM_UTF32_BE, "utf-32", "UTF-32"),
    (codecs.BOM_UTF8, "utf-8-sig", "UTF-8 with a byte-order mark"),
    (codecs.BOM_UTF16_LE, "utf-16", "UTF-16"),
    (codecs.BOM_UTF16_BE, "utf-16", "UTF-16"),
)
ENCODINGS = {
    "utf-8": "UTF-8", "cp1252": "Windows-1252", "cp1250": "Windows-1250", "cp1251": "Windows-1251",
    "cp1253": "Windows-1253", "cp1254": "Windows-1254", "cp1255": "Windows-1255", "cp1256": "Windows-1256",
    "cp1257": "Windows-1257", "cp1258": "Windows-1258", "iso8859_1": "ISO-8859-1", "iso8859_2": "ISO-8859-2",
    "iso8859_5": "ISO-8859-5", "iso8859_7": "ISO-8859-7", "iso8859_8": "ISO-8859-8", "iso8859_9": "ISO-8859-9",
    "iso8859_15": "ISO-8859-15", "koi8_r": "KOI8-R", "koi8_u": "KOI8-U", "gb18030": "GB 18030", "big5": "Big5",
    "cp932": "Shift-JIS", "euc_jp": "EUC-JP", "cp949": "EUC-KR", "mac_roman": "Mac Roman", "cp437": "DOS 437",
    "cp850": "DOS 850", "cp852": "DOS 852", "cp866": "DOS 866", "utf-16": "UTF-16", "utf-32": "UTF-32",
}
"""By the name that the language's own library has for it: what a person may choose."""
_GUESSED = [name for name in ENCODINGS if name not in ("utf-8", "utf-16", "utf-32", "cp437", "iso8859_1", "iso8859_15")]
_DECLARED = re.compile(rb"^\s*<\?xml[^>]{0,200}?encoding\s*=\s*[\"']([A-Za-z0-9._-]{2,30})[\"']")
_FEW = 0.02
"""Of the characters beyond ASCII: so many may be broken in a text that is UTF-8 all the same."""
_SAMPLE = 200_000
"""Bytes by which an encoding is guessed."""
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\x80-\x84\x86-\x9f\ufffe\uffff]")


@dataclass(frozen=True, slots=True)
class Decoded:
    """``encoding`` is its plain name, ``others`` what else it may be (of :data:`ENCODINGS`), where that is in doubt."""

    text: str
    encoding: str
    others: list[str] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


SCRIPT = "Save the script as text, a spreadsheet, a text document or captions and choose that file."


def decode(data: bytes, encoding: str = "", wanted: str = SCRIPT) -> Decoded:
    """The text, by the ``encoding`` that a person has chosen or else by what the bytes themselves say: a byte-order
    mark, UTF-8, what XML declares, UTF-16 or UTF-32 without a mark; else the best guess over all of it.

    ``wanted`` says to whoever chose something else what is read here. Line ends come out as ``\\n``; control
    characters are taken out, and that is told. Raises BadInput for an empty, a binary or an over-long file.
    """
    if len(data) > LARGEST:
        raise BadInput(
            "The file has {size:.1f} MB; a script may have {limit} MB at most. Split it into parts.",
            size=len(data) / 1024**2, limit=LARGEST // 1024**2,
        )
    found = _chosen(data, encoding) if encoding else _decoded(data)
    text = found.text.lstrip("\ufeff").replace("\r\n", "\n").replace("\r", "\n").replace("\x85", "\n")
    if not text.strip():
        raise BadInput("The file is empty: there are no words in it.") if wanted == SCRIPT else BadInput(
            "The file is empty. {wanted}", wanted=wanted)
    control = len(_CONTROL.findall(text[:4000]))
    if not encoding and control > 2 and control > len(text[:4000]) / (100 if control > 8 else 10):
        raise BadInput("This is not a text file. {wanted}", wanted=wanted)
    return Decoded(_plain(text, found.problems), found.encoding, found.others, found.problems)


def _plain(text: str, problems: list[Problem]) -> str:
    """Without control characters, which no format can hold and no voice can say."""
    first = _CONTROL.search(text)
    if first is None:
        return text
    problems.append(Problem(
        "control_characters", "{count} control characters, which are no text, were taken out.",
        {"count": len(_CONTROL.findall(text))}, text.count("\n", 0, first.start()) + 1))
    return _CONTROL.sub("", text)


def _chosen(data: bytes, encoding: str) -> Decoded:
    if encoding not in ENCODINGS:
        raise BadInput("There is no encoding “{name}” to choose.", name=encoding)
    return Decoded(data.decode(encoding, errors="replace"), ENCODINGS[encoding], list(ENCODINGS))


def _decoded(data: bytes) -> Decoded:
    for mark, encoding, name in _MARKS:
        if data.startswith(mark):
            try:
                return Decoded(data.decode(encoding), name)
            except UnicodeDecodeError as error:
                raise BadInput(
                    "The file says that it is {name}, but byte {at} is not. Save it again as UTF-8.",
                    name=name, at=error.start,
                ) from error
    try:
        text = data.decode("utf-8")
        if "\x00" not in text:
            return Decoded(text, "UTF-8")
    except UnicodeDecodeError:
        declared = _DECLARED.match(data[:400])
        if declared and declared[1].lower() not in (b"utf-8", b"utf8"):
            try:
                codec = codecs.lookup(declared[1].decode()).name
                return Decoded(data.decode(codec), ENCODINGS.get(codec, declared[1].decode()))
            except (LookupError, UnicodeDecodeError, ValueError):
                pass
        nearly = _nearly_utf8(data)
        if nearly:
            return nearly
    return _without_mark(data) or _guessed(data)


def _nearly_utf8(data: bytes) -> Decoded | None:
    """UTF-8 with a byte or two that are not; None where it is something else."""
    text = data.decode("utf-8", errors="replace")
    broken = text.count("\ufffd")
    good = sum(ch > "\x7f" for ch in text) - broken
    if not good or broken > max(2, _FEW * good):
        return None
    at = text.count("\n", 0, text.index("\ufffd")) + 1
    return Decoded(text, "UTF-8", problems=[Problem(
        "broken_bytes", "{count} bytes are no UTF-8, as the rest is: “\ufffd” stands for them.", {"count": broken},
        at)])


def _without_mark(data: bytes) -> Decoded | None:
    """UTF-16 and UTF-32 without their marks: every other byte of Latin text is zero, or three of four."""
    sample = data[:2000]
    for encoding, name, zeros in (
        ("utf-32-le", "UTF-32", sample[1::4] + sample[2::4] + sample[3::4]),
        ("utf-32-be", "UTF-32", sample[0::4] + sample[1::4] + sample[2::4]),
        ("utf-16-le", "UTF-16", sample[1::2]), ("utf-16-be", "UTF-16", sample[0::2]),
    ):
        if len(sample) > 3 and zeros.count(0) > 0.6 * len(zeros):
            try:
                return Decoded(data.decode(encoding), name)
            except UnicodeDecodeError:
                continue
    return None


_LATIN = {"cp1252", "cp1250", "cp1254", "cp1257", "cp1258", "iso8859_2", "iso8859_9", "mac_roman", "cp850", "cp852"}
"""Encodings that differ in letters beyond ASCII alone: by their looks any text could be in any of them."""
_LETTERS = {
    "pl": "ąćęłńóśźż", "cs": "áčďéěíňóřšťúůýž", "sk": "áäčďéíĺľňóôŕšťúýž", "hu": "áéíóöőúüű", "sl": "čšž",
    "hr": "čćđšž", "bs": "čćđšž", "ro": "ăâîşţșț", "sq": "çë", "tr": "çğıöşüâîû", "az": "çəğıöşü", "lt": "ąčęėįšųūž",
    "lv": "āčēģīķļņšūž", "et": "äõöüšž",
}
"""By language, its letters beyond ASCII; those of Western Europe are what is left."""
_WRITTEN_IN: dict[str, tuple[str, ...]] = {
    "tr": ("cp1254", "iso8859_9"), "az": ("cp1254",), "lt": ("cp1257",), "lv": ("cp1257",), "et": ("cp1257",)}
_WEST = "àâäáãåæçèéêëìíîïñòóôõöøœßùúûüýÿ¿¡«»’‘“”–—…°ºª"


def _latin(data: bytes) -> str:
    """The encoding in which a Latin text has the letters of its language, which its plain letters tell."""
    import py3langid

    plain = data.decode("ascii", errors="ignore")
    language = str(py3langid.classify(plain)[0])
    letters = set(_LETTERS.get(language, ""))
    candidates = _WRITTEN_IN.get(language, ("cp1250", "iso8859_2", "cp852"))
    if not letters:
        candidates, letters = ("cp1252", "mac_roman", "cp850"), set(_WEST)

    def share(name: str) -> float:
        beyond = [ch for ch in data.decode(name, errors="replace").lower() if ch > "\x7f"]
        return sum(ch in letters or ch in "«»’‘“”„–—…" for ch in beyond) / max(1, len(beyond))

    return max(candidates, key=share)


def _guessed(data: bytes) -> Decoded:
    """By how the text would look in each, with the languages that are written so in mind."""
    matches = from_bytes(data[:_SAMPLE], cp_isolation=_GUESSED, threshold=0.6, language_threshold=0.05)
    names = [str(match.encoding) for match in matches]
    if not names or names[0] in _LATIN:
        names.insert(0, _latin(data[:_SAMPLE]))
    for name in [*names, "cp1252"]:
        try:
            text = data.decode(name)
        except (UnicodeDecodeError, LookupError):
            continue
        return Decoded(text, ENCODINGS.get(name, name), list(ENCODINGS), [Problem(
            "encoding_guessed", "Which encoding this file is in, it does not say: read as {name}. Choose another where "
            "letters look wrong.", {"name": ENCODINGS.get(name, name)}, None, "note")])
    return Decoded(data.decode("cp1252", errors="replace"), "Windows-1252", list(ENCODINGS))
