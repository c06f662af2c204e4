"""Formats of scripts: one module for each, found in this registry. Adding one touches two places."""

from __future__ import annotations

from pathlib import PurePath

from janoglot.core.errors import BadInput
from janoglot.core.guarded import plain_text
from janoglot.core.script.decoding import LARGEST, LARGEST_PACKAGE, decode
from janoglot.core.script.formats import (
    docx,
    fountain,
    json_script,
    plain,
    pptx,
    srt,
    table,
    ttml,
    webvtt,
    xlsx,
)
from janoglot.core.script.formats.base import UNNAMED, BinaryFormat, Hints, ScriptFormat
from janoglot.core.script.formats.broadcast_captions import is_stl, read_stl
from janoglot.core.script.formats.captions_elsewhere import read_captions, refuse
from janoglot.core.script.labels import likeness
from janoglot.core.script.limits import check_limits
from janoglot.core.script.markup import one_row
from janoglot.core.script.model import ON_SCREEN, Script

TEXT_FORMATS: dict[str, ScriptFormat] = {
    fmt.id: fmt for fmt in (plain.FORMAT, table.CSV, table.TSV, srt.FORMAT, webvtt.FORMAT, ttml.FORMAT, fountain.FORMAT,
                            json_script.FORMAT)
}
BINARY_FORMATS: dict[str, BinaryFormat] = {fmt.id: fmt for fmt in (xlsx.FORMAT, docx.FORMAT, pptx.FORMAT)}
FORMATS: dict[str, ScriptFormat | BinaryFormat] = {**TEXT_FORMATS, **BINARY_FORMATS}


def format_named(name: str) -> ScriptFormat | BinaryFormat:
    """The format with this id. Raises BadInput for an unknown one."""
    try:
        return FORMATS[name]
    except KeyError:
        raise BadInput("There is no format “{name}”. Known: {known}.", name=name,
                       known=", ".join(FORMATS)) from None


def detect(text: str, filename: str = "") -> ScriptFormat:
    """The format of ``text``: by what it holds where that is certain, else by the file's ending."""
    certain = [fmt for fmt in TEXT_FORMATS.values() if fmt.certain(text)]
    suffix = PurePath(filename).suffix.lower()
    named = [fmt for fmt in TEXT_FORMATS.values() if suffix in fmt.suffixes]
    for fmt in named:
        if fmt in certain:
            return fmt
    if certain:
        return certain[0]
    if named:
        return named[0]
    return plain.FORMAT


def _binary(data: bytes, hints: Hints) -> BinaryFormat | None:
    """The format of a file that is no text; what a person said of it cannot make text of it."""
    if hints.format and hints.format not in FORMATS:
        format_named(hints.format)
    found = next((fmt for fmt in BINARY_FORMATS.values() if fmt.certain(data)), None)
    if found is None and hints.format in BINARY_FORMATS:
        raise BadInput("This is no {name} file.", name=BINARY_FORMATS[hints.format].name)
    if found is None and data.startswith(b"PK\x03\x04"):
        raise BadInput("This is an archive that holds no script which is known: a spreadsheet, a text document or a "
                       "presentation would be read.")
    return found


def written(fmt: ScriptFormat | BinaryFormat, script: Script, source_language: str,
            language: str | None = None) -> bytes:
    """A file of this format; text is UTF-8."""
    made = fmt.write(script, source_language, language)
    return made.encode() if isinstance(made, str) else made


def read_script(data: bytes | str, filename: str = "", hints: Hints | None = None) -> Script:
    """What ``data`` holds, as lines with speakers, times and translations.

    ``data`` is a file's bytes, or text that was pasted. Everything odd is in the result's problems, by
    row; the rest is read anyway. Raises BadInput only where nothing can be made of it.
    """
    hints = hints or Hints()
    data = data.encode() if isinstance(data, str) else data
    fmt: ScriptFormat | BinaryFormat
    others: list[str]
    binary = _binary(data, hints)
    if is_stl(data):
        if len(data) > LARGEST:
            raise BadInput("The file has {size:.1f} MB; it may have {limit} MB at most. Split it into parts.",
                           size=len(data) / 1024**2, limit=LARGEST // 1024**2)
        fmt, encoding, others, script = plain.FORMAT, "", [], read_stl(data, hints)
    elif binary:
        if len(data) > LARGEST_PACKAGE:
            raise BadInput("The file has {size:.1f} MB; it may have {limit} MB at most. Split it into parts.",
                           size=len(data) / 1024**2, limit=LARGEST_PACKAGE // 1024**2)
        fmt, encoding, others, script = binary, "", [], binary.read(data, hints)
    else:
        decoded = decode(data, hints.encoding)
        text, encoding, others = decoded.text, decoded.encoding, decoded.others
        chosen = TEXT_FORMATS.get(hints.format) or detect(text, filename)
        if hints.prose and not hints.format:
            chosen = plain.FORMAT
        foreign = read_captions(text, hints) if chosen is plain.FORMAT and not hints.format else None
        if chosen is plain.FORMAT and not hints.format and foreign is None:
            refuse(text)
        fmt, script = chosen, foreign or chosen.read(text, hints)
        script.problems[:0] = decoded.problems
    script.encodings = others
    script.format, script.encoding = script.format or fmt.id, encoding
    if not script.lines:
        first = next((problem for problem in script.problems), None)
        expects = fmt.expects if script.format == fmt.id else "Captions with words and times are needed."
        raise BadInput("No lines were found in it, read as {format}. {hint}",
                       format=fmt.name if script.format == fmt.id else script.format.upper(),
                       hint=str(first).capitalize() if first else expects)
    check_limits(script)
    return _plain(script)


def _plain(script: Script) -> Script:
    """Whatever a format's own way of writing characters (``&#12;``, ``_x000B_``) has brought in of what is no text."""
    for line in script.lines:
        line.words, line.speaker, line.notes, line.part = map(_clean, (line.words, line.speaker, line.notes, line.part))
        line.wordings = {tag: _clean(words) for tag, words in line.wordings.items()}
        if likeness(line.speaker) == likeness(ON_SCREEN):
            line.speaker, line.on_screen = UNNAMED, True
    return script


def _clean(text: str) -> str:
    plain = plain_text(text)
    return text if plain == text else one_row(plain)
