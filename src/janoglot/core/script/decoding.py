"""From the bytes of a file to its text, whatever program wrote it."""

from __future__ import annotations

import codecs

from janoglot.core.errors import BadInput

LARGEST = 5 * 1024 * 1024
"""Bytes. A 10,000-line script in eight languages is about 4 MB."""

LARGEST_PACKAGE = 60 * 1024 * 1024
"""Bytes of an office file, which may be heavy with pictures that nobody reads here."""

_MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig", "UTF-8 with a byte-order mark"),
    (codecs.BOM_UTF16_LE, "utf-16", "UTF-16"),
    (codecs.BOM_UTF16_BE, "utf-16", "UTF-16"),
)


def decode(data: bytes) -> tuple[str, str]:
    """The text and the plain name of its encoding.

    Tries a byte-order mark, UTF-8, UTF-16 without a mark, then Windows-1252, in that order.
    Line ends come out as ``\\n``. Raises BadInput for an empty, a binary or an over-long file.
    """
    if len(data) > LARGEST:
        raise BadInput(
            "The file has {size:.1f} MB; a script may have {limit} MB at most. Split it into parts.",
            size=len(data) / 1024**2, limit=LARGEST // 1024**2,
        )
    text, name = _decode(data)
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    if not text.strip():
        raise BadInput("The file is empty: there are no words in it.")
    if "\x00" in text or sum(ch < " " and ch not in "\n\t\x0b\x0c\x1b" for ch in text[:4000]) > 8:
        raise BadInput(
            "This is not a text file. Save the script as text, a spreadsheet, a text document or captions and choose "
            "that file."
        )
    return text, name


def _decode(data: bytes) -> tuple[str, str]:
    for mark, encoding, name in _MARKS:
        if data.startswith(mark):
            try:
                return data.decode(encoding), name
            except UnicodeDecodeError as error:
                raise BadInput(
                    "The file says that it is {name}, but byte {at} is not. Save it again as UTF-8.",
                    name=name, at=error.start,
                ) from error
    try:
        text = data.decode("utf-8")
        if "\x00" not in text:
            return text, "UTF-8"
    except UnicodeDecodeError:
        pass
    # UTF-16 without its mark: every other byte of Latin text is zero.
    sample = data[:2000]
    for encoding, zeros in (("utf-16-le", sample[1::2]), ("utf-16-be", sample[0::2])):
        if len(sample) > 3 and zeros.count(0) > 0.6 * len(zeros):
            try:
                return data.decode(encoding), "UTF-16"
            except UnicodeDecodeError:
                continue
    return data.decode("cp1252", errors="replace"), "Windows-1252"
