"""Formats of scripts: one module for each, found in this registry. Adding one touches two places."""

from __future__ import annotations

from pathlib import PurePath

from janoglot.core.errors import BadInput
from janoglot.core.script.decoding import decode
from janoglot.core.script.formats import plain, srt, table, webvtt
from janoglot.core.script.formats.base import Hints, ScriptFormat
from janoglot.core.script.limits import check_limits
from janoglot.core.script.model import Script

FORMATS: dict[str, ScriptFormat] = {
    fmt.id: fmt for fmt in (plain.FORMAT, table.CSV, table.TSV, srt.FORMAT, webvtt.FORMAT)
}


def format_named(name: str) -> ScriptFormat:
    """The format with this id. Raises BadInput for an unknown one."""
    try:
        return FORMATS[name]
    except KeyError:
        raise BadInput("There is no format “{name}”. Known: {known}.", name=name,
                       known=", ".join(FORMATS)) from None


def detect(text: str, filename: str = "") -> ScriptFormat:
    """The format of ``text``: by what it holds where that is certain, else by the file's ending."""
    certain = [fmt for fmt in FORMATS.values() if fmt.certain(text)]
    suffix = PurePath(filename).suffix.lower()
    named = [fmt for fmt in FORMATS.values() if suffix in fmt.suffixes]
    for fmt in named:
        if fmt in certain:
            return fmt
    if certain:
        return certain[0]
    if named:
        return named[0]
    return plain.FORMAT


def read_script(data: bytes | str, filename: str = "", hints: Hints | None = None) -> Script:
    """What ``data`` holds, as lines with speakers, times and translations.

    ``data`` is a file's bytes, or text that was pasted. Everything odd is in the result's problems, by
    row; the rest is read anyway. Raises BadInput only where nothing can be made of it.
    """
    hints = hints or Hints()
    text, encoding = decode(data.encode() if isinstance(data, str) else data)
    fmt = format_named(hints.format) if hints.format else detect(text, filename)
    script = fmt.read(text, hints)
    script.format, script.encoding = fmt.id, encoding
    if not script.lines:
        first = next((problem for problem in script.problems), None)
        raise BadInput("No lines were found in it, read as {format}. {hint}", format=fmt.name,
                       hint=str(first).capitalize() if first else fmt.expects)
    check_limits(script)
    return script
