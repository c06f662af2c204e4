"""AAC in ADTS frames (ISO/IEC 14496-3, 1.A.3): pieces of it are cut out as they are, without decoding anything."""

from __future__ import annotations

import math

FRAME = 1024
"""Samples of one frame."""
_PRIMING = 1
"""Frames that an encoder is late by."""
_BEFORE = 1
"""Frames that a decoder needs before the first that is heard whole."""
_RATES = (96_000, 88_200, 64_000, 48_000, 44_100, 32_000, 24_000, 22_050, 16_000, 12_000, 11_025, 8_000, 7_350)


def piece(data: bytes, start: float, end: float) -> bytes:
    """Of a whole file of frames those in which ``start`` to ``end`` (seconds) are heard, and a frame or two around.
    Raises ValueError for what is no ADTS."""
    rate = 0
    first = last = 0
    at, number = 0, 0
    begins = len(data)
    while at + 7 <= len(data):
        if data[at] != 0xFF or data[at + 1] & 0xF6 != 0xF0:
            raise ValueError(f"There is no frame at byte {at}.")
        if not rate:
            rate = _RATES[(data[at + 2] >> 2) & 0xF]
            first = max(0, math.floor(start * rate / FRAME) + _PRIMING - _BEFORE)
            last = math.ceil(end * rate / FRAME) + _PRIMING
        if number == first:
            begins = at
        if number > last:
            return data[begins:at]
        at += (data[at + 3] & 0x3) << 11 | data[at + 4] << 3 | data[at + 5] >> 5
        number += 1
    return data[begins:]
