"""Places of lines in a script, as texts that sort: there is always room for another between two.

Nothing else moves when a line is put in, moved or taken out, so two people's changes do not meet and undoing
one leaves the rest alone. A place is a fraction between 0 and 1 in base 62; none ends with the digit 0.
"""

from __future__ import annotations

_DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz"
_VALUE = {digit: value for value, digit in enumerate(_DIGITS)}
_BASE = len(_DIGITS)
_WIDTH = 4
_STEP = 8
"""A new place is this part of the way to the next one: lines are mostly put in one after the other."""


def places(count: int) -> list[str]:
    """``count`` places in order, with room everywhere."""
    return [_counted(number + 1) + "V" for number in range(count)]


def between(before: str, after: str | None) -> str:
    """A place after ``before`` ("" is the very beginning) and before ``after`` (None is the very end).

    Raises ValueError where ``after`` does not come after ``before``.
    """
    if after is not None and before >= after:
        raise ValueError(f"{before!r} does not come before {after!r}")
    place, at, bound = "", 0, after
    while True:
        low = _VALUE[before[at]] if at < len(before) else 0
        high = _VALUE[bound[at]] if bound is not None and at < len(bound) else _BASE
        if high - low > 1:
            return place + _DIGITS[low + max(1, (high - low) // _STEP)]
        place += _DIGITS[low]
        if high != low:
            bound = None  # already before it, whatever follows
        at += 1


def several_between(before: str, after: str | None, count: int) -> list[str]:
    """``count`` places in order after ``before`` and before ``after``."""
    found: list[str] = []
    for _ in range(count):
        found.append(between(found[-1] if found else before, after))
    return found


def _counted(number: int) -> str:
    digits = ""
    while number:
        number, digit = divmod(number, _BASE)
        digits = _DIGITS[digit] + digits
    return digits.rjust(_WIDTH, "0")
