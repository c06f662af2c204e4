"""Thousands of mangled files through every reader: each is read or refused with a sentence, soon, in little memory.

The files of ``tests/files``, the demo's, and what the application writes itself in every format are cut, doubled,
spliced, filled and written in other encodings. Batches run in processes of their own, so that one that dies or
swallows the memory is noticed and the others go on. What is found is told with the number that makes it again.
"""

from __future__ import annotations

import dataclasses
import io
import random
import re
import resource
import signal
import sys
import time
import traceback
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import cache
from multiprocessing import get_context
from pathlib import Path

from janoglot.core.adapt.bilingual import read_docx, read_xlsx, write_docx, write_xlsx
from janoglot.core.adapt.memory import Unit
from janoglot.core.adapt.outgoing import Outgoing, OutgoingLine
from janoglot.core.adapt.term_files import read_terms, write_tbx
from janoglot.core.adapt.termbase import TermPair
from janoglot.core.adapt.tmx import read_tmx, write_tmx
from janoglot.core.adapt.xliff import read_xliff, write_xliff
from janoglot.core.errors import JanoglotError
from janoglot.core.script.formats import FORMATS, read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.model import Script

HERE = Path(__file__).resolve().parents[1]
BATCH = 100
CHUNK = 4_000
"""After as many come new processes: an old one's greatest memory would hide what comes later."""
MOST_SECONDS = 2.0
MOST_MEMORY = 300 * 1024
"""KiB that a batch may grow by."""
TIMED = ("srt", "webvtt", "ttml")
"""Formats that hold only what has times and words."""
STUCK = 60
"""Seconds after which a reader is interrupted."""
NASTY = ("\x00", "\u2028", "\ufeff", "\ud7ff", "\u202e", "²", "١٢", "９", "&#0;", "<!DOCTYPE a [<!ENTITY b 'c'>]>", "]]>", "<![CDATA[", "-->", "'''", '"', ",,,,", "\t", "\r",
         "\n\n", "[[", "{\\an8}", "(" * 40, ":", "::", "：", "-99:99:99,999 --> 1", "9" * 400, "1e400", "NaN", "null", "=1/0", "%s{0}{", "\\u0000", "🎭" * 9, "א: ב", "#" * 9)


Reader = Callable[[bytes, str], object]
"""Of a file's bytes and name."""


_VALUE = re.compile(rb'[=:] ?"([^"<>]{0,80})"')
"""What an attribute of XML or a field of JSON holds."""


@dataclasses.dataclass(frozen=True)
class Found:
    number: int
    name: str
    what: str


def _outgoing(script: Script) -> Outgoing:
    lines = [OutgoingLine(str(number), line.words, line.words) for number, line in enumerate(script.lines, 1)]
    return Outgoing("Trial", "en-GB", "es-MX", lines)


@cache
def originals() -> list[tuple[str, bytes, Reader]]:
    """Name, bytes and reader of each whole file."""
    def as_script(data: bytes, name: str) -> Script:
        return read_script(data, name)

    corpus = (file for file in sorted((HERE / "tests" / "files").iterdir()) if file.name != "readings.json")
    files = [*corpus, *sorted((HERE / "demo").glob("*.[ct][sx][vt]"))]
    found: list[tuple[str, bytes, Reader]] = [(file.name, file.read_bytes(), as_script) for file in files]
    demo = read_script((HERE / "demo" / "tidewater-clock.csv").read_bytes(), "tidewater-clock.csv")
    for fmt in FORMATS.values():
        written = fmt.write(demo, "en-GB")
        found.append((f"demo{fmt.suffixes[0]}", written.encode() if isinstance(written, str) else written, as_script))
    outgoing = _outgoing(demo)
    units = [Unit(line.source, line.text) for line in outgoing.lines]
    terms = [TermPair(line.source[:20], line.text[:20]) for line in outgoing.lines]
    found += [
        ("demo.xlf", write_xliff(outgoing).encode(), lambda data, _: read_xliff(data)),
        ("wordings.xlsx", write_xlsx(outgoing), lambda data, _: read_xlsx(data)),
        ("wordings.docx", write_docx(outgoing), lambda data, _: read_docx(data)),
        ("demo.tmx", write_tmx(units, "en-GB", "es-MX").encode(), lambda data, _: read_tmx(data, "en-GB", "es-MX")),
        ("demo.tbx", write_tbx(terms, "en-GB", "es-MX").encode(), lambda data, name: read_terms(data, name, "en-GB", "es-MX")),
        ("terms.csv", b"en-GB,es-MX,note\nthe tide,la marea,\nLena,Lena,name\n" * 20, lambda data, name: read_terms(data, name, "en-GB", "es-MX")),
    ]
    return found


def _once(data: bytes, chance: random.Random) -> bytes:
    """``data`` with one thing wrong in it."""
    first, last = sorted(chance.randrange(len(data) + 1) for _ in range(2))
    last = min(last, first + chance.choice((1, 8, 60, 2_000)))
    kind = chance.randrange(13)
    if kind == 0:
        return data[:first] + data[last:]
    if kind == 1:
        return data[:last]
    if kind == 2:
        return data[:last] + data[first:last] * chance.choice((1, 9, 300)) + data[last:]
    if kind == 3:
        return data[:first] + bytes(chance.randrange(256) for _ in range(last - first)) + data[last:]
    if kind == 4:
        return data[:first] + chance.choice(NASTY).encode() + data[last:]
    if kind == 5:
        return data[:first] + chance.choice(NASTY).encode() * chance.choice((3, 4_000)) + data[first:]
    if kind == 6:
        _, other, _ = chance.choice(originals())
        return data[:first] + other[-chance.randrange(1, len(other) + 1):]
    if kind == 7:
        rows = data.split(b"\n")
        chance.shuffle(rows)
        return b"\n".join(rows)
    if kind == 8:
        return data.replace(b"\n", chance.choice((b"\r", b"\r\n", b"", b" ", b"\n\n", "\u2028".encode())))
    if kind == 9:
        return bytes(chance.choice(b"0123456789.:;-") if 48 <= byte < 58 and chance.random() < .1 else byte for byte in data)
    if kind > 10:
        values = list(_VALUE.finditer(data))
        if not values:
            return data
        value = chance.choice(values)
        return data[:value.start(1)] + chance.choice((b"", b" ", b"x", b"-1", b"0", *(one.encode() for one in NASTY))) + data[value.end(1):]
    try:
        return data.decode().encode(chance.choice(("utf-16", "utf-16-le", "utf-32", "cp1252", "shift-jis", "gb18030", "cp037")), "replace")
    except UnicodeDecodeError:
        return data


def _in_package(data: bytes, chance: random.Random) -> bytes:
    """A package (XLSX, DOCX) with one thing wrong in one of its parts."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as package, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as other:
        members = package.namelist()
        likely = [name for name in members if "sheet1" in name or name.endswith(("document.xml", "sharedStrings.xml"))]
        wrong = chance.choice(likely if likely and chance.random() < .7 else members)
        for name in members:
            body = package.read(name)
            other.writestr(name, _once(body, chance) if name == wrong else body)
    return out.getvalue()


def variant(number: int) -> tuple[str, bytes, Reader]:
    """The file with this number, the same every time."""
    chance = random.Random(number)
    name, data, reader = chance.choice(originals())
    for _ in range(chance.choice((1, 1, 2, 4))):
        package = data[:2] == b"PK" and chance.random() < .9
        try:
            data = _in_package(data, chance) if package else _once(data, chance)
        except Exception:  # mangled so that nothing opens it: that is the variant
            break
    if chance.random() < .2:
        name = chance.choice(("", "file", *(other for other, _, _ in originals())))
    return name, data, reader


def _peak() -> int:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


def _written_again(script: Script) -> Iterator[str]:
    """What is wrong with what the application would hand out of it."""
    for name in FORMATS:
        if name in TIMED and not any(line.slot and line.words for line in script.lines):
            continue
        try:
            written = FORMATS[name].write(script, "en-GB")
        except JanoglotError:
            continue
        except Exception:
            yield f"written as {name}: {traceback.format_exc(limit=-2)}"
            continue
        try:
            read_script(written, "", Hints(format=name))
        except JanoglotError as error:
            yield f"written as {name}, and refused again: {error}"
        except Exception:
            yield f"written as {name} and read again: {traceback.format_exc(limit=-2)}"


def _interrupted(*_: object) -> None:
    raise TimeoutError("stuck")


def batch(first: int) -> list[Found]:
    """What is wrong with the variants from ``first``."""
    found = []
    signal.signal(signal.SIGALRM, _interrupted)
    for each, original, reader in originals():
        reader(original, each)
    for number in range(first, first + BATCH):
        name, data, reader = variant(number)
        before, began = _peak(), time.process_time()
        signal.alarm(STUCK)
        try:
            read = reader(data, name)
        except JanoglotError as error:
            read = None
            if not str(error).strip():
                found.append(Found(number, name, "refused without a sentence"))
        except Exception:
            read = None
            found.append(Found(number, name, traceback.format_exc(limit=-2)))
        took, grown = time.process_time() - began, _peak() - before
        if took > MOST_SECONDS:
            found.append(Found(number, name, f"took {took:.1f} s for {len(data) / 1024:.0f} KiB"))
        if grown > MOST_MEMORY:
            found.append(Found(number, name, f"took {grown / 1024:.0f} MiB for {len(data) / 1024:.0f} KiB"))
        if isinstance(read, Script) and len(read.lines) < 2_000 and number % 5 == 0:
            found += [Found(number, name, what) for what in _written_again(read)]
        signal.alarm(0)
    return found


def run(count: int = 20_000, first: int = 0, processes: int = 2) -> int:
    """Prints what is found. How many there are."""
    began, wrong = time.monotonic(), 0
    for chunk in range(first, first + count, CHUNK):
        with ProcessPoolExecutor(processes, mp_context=get_context("spawn")) as pool:
            waiting = [(number, pool.submit(batch, number)) for number in range(chunk, min(chunk + CHUNK, first + count), BATCH)]
            for number, future in waiting:
                try:
                    results = future.result()
                except BrokenProcessPool:
                    results = [Found(number, "?", f"a process died in {number} to {number + BATCH - 1}, or beside it")]
                for each in results:
                    wrong += 1
                    print(f"{each.number} {each.name}: {each.what}", flush=True)
    print(f"{count} files in {time.monotonic() - began:.0f} s: {wrong} wrong.")
    return wrong


if __name__ == "__main__":
    sys.exit(1 if run(*map(int, sys.argv[1:])) else 0)
