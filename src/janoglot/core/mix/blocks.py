"""A mix as a sequence of blocks: each the sum of what sounds in it, kept under the hash of just that.

A changed line remakes the blocks that it touches; loudness is found again from the energies that were kept of all
others. The one gain of the programme and the ceiling of its peaks are laid on as it is read, block by block, so that
nothing is written twice. Source of the measures: ITU-R BS.1770-5.
"""

from __future__ import annotations

import json
import math
import struct
from collections import OrderedDict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt
import scipy.fft
from scipy import signal

from janoglot.core.audio.loudness import (
    REACH,
    SILENCE,
    LoudnessMeter,
    gated,
    k_weighting,
    loudness_range,
    lufs_of,
    true_peaks,
    windows,
)
from janoglot.core.errors import NothingToMix
from janoglot.core.graph import recipe_hash
from janoglot.core.mix.limiter import LOOKAHEAD, Limiter, lets_through
from janoglot.core.mix.sides import CEILING, RATE, Floats32, Strip, laid, spread
from janoglot.core.store import Store, atomic_file

BLOCK = 10 * RATE
STEP = RATE // 10
"""Samples between two energies."""
BLOCKS_VERSION = 1
"""Of the way that blocks are summed: part of every block's hash."""
_WARM = RATE // 5
"""Samples that the weighting filters hear before a block: what lies further back is 90 dB down in them."""
_CONTEXT = 4 * max(2, round(RATE * LOOKAHEAD / 16)) * 16
"""Samples around a block that the limiter looks at."""
_EDGE = _CONTEXT + 4 * REACH
"""… and a little more, in which a peak between samples may show."""
_AT_ONCE = 50
"""Energies that are worked out at a time."""
_LOOKS = 5
"""How often the gain is set at most, and what becomes of it measured."""
_GAIN_STEP = 0.01
_TOLERANCE = 0.1
SPEECH_BAND = (350.0, 5_600.0)
"""Hz: between the lowest and the highest third-octaves that carry most of what is understood of speech (after ANSI
S3.5)."""
Energies = npt.NDArray[np.float64]


class Track(Protocol):
    """One layer of a mix, or one speaker's lines: what it is at any samples of the programme, before its strip."""

    name: str
    voice: bool
    strip: Strip

    @property
    def channels(self) -> int: ...

    def content(self, first: int, last: int) -> Any:
        """What sounds in those samples, as :func:`recipe_hash` takes it; None where nothing does."""
        ...

    def piece(self, first: int, last: int) -> Floats32:
        """Shape (last − first,) or (last − first, 2)."""
        ...


class BlockStore(Protocol):
    """Where blocks and what was measured of them are kept."""

    def has(self, key: str) -> bool: ...

    def read(self, key: str) -> Floats32: ...

    def write(self, key: str, samples: Floats32) -> None: ...

    def facts(self, key: str) -> Facts | None: ...

    def keep_facts(self, key: str, facts: Facts) -> None: ...


@dataclass(slots=True)
class Facts:
    """Of one block: K-weighted energies of each 100 ms, of ``programme`` and of its ``voices``; the energies in the
    band of speech, of voices and of what is ``under`` them; the true ``peak``, and by layer the energies of each.
    ``edges``: the true peaks of its first and its last samples, as far as a limiter looks over into the next block."""

    peak: float
    programme: Energies
    voices: Energies
    speech: Energies
    under: Energies
    layers: dict[str, npt.NDArray[Any]] = field(default_factory=dict)
    edges: tuple[float, float] = (0.0, 0.0)

    def as_bytes(self) -> bytes:
        head = json.dumps({"peak": self.peak, "layers": list(self.layers), "edges": self.edges}).encode()
        rows = np.stack([self.programme, self.voices, self.speech, self.under, *self.layers.values()])
        return struct.pack("<II", len(head), rows.shape[1]) + head + rows.astype("<f8").tobytes()

    @classmethod
    def from_bytes(cls, data: bytes) -> Facts:
        size, steps = struct.unpack_from("<II", data)
        head = json.loads(data[8: 8 + size])
        rows = np.frombuffer(data, "<f8", offset=8 + size).reshape(-1, steps)
        # Where nobody has looked at the edges, the peak may lie at either.
        first, last = head.get("edges") or (head["peak"], head["peak"])
        return cls(head["peak"], rows[0], rows[1], rows[2], rows[3], dict(zip(head["layers"], rows[4:], strict=True)),
                   (first, last))


@dataclass(slots=True)
class MixReport:
    """What was measured of the finished track itself. Loudness in LUFS, range in LU.

    ``voices``: of what is said alone, gated as dialogue is; ``layers``: of each layer by its name, as it lies in the
    track.
    """

    seconds: float
    lufs: float
    true_peak_db: float
    gain_db: float
    limited_db: float
    short_term: list[float] = field(default_factory=list)
    range_lu: float = 0.0
    most_short_term: float = SILENCE
    most_momentary: float = SILENCE
    voices: float = SILENCE
    layers: dict[str, float] = field(default_factory=dict)
    unclear: dict[str, float] = field(default_factory=dict)
    """By a line's id: by how many LU, too few, it is over what lies under it."""


@dataclass(slots=True)
class BlockMix:
    """A finished mix: its blocks in order, and what is laid on them as they are read."""

    seconds: float
    channels: int
    gain_db: float
    blocks: list[str]
    limited: list[int]
    """Numbers of the blocks whose peaks are held."""
    report: MixReport
    ceiling_db: float = CEILING

    @property
    def samples(self) -> int:
        return round(self.seconds * RATE)

    def as_json(self) -> dict[str, Any]:
        report = {name: getattr(self.report, name) for name in MixReport.__slots__}
        return {"seconds": self.seconds, "channels": self.channels, "gain_db": self.gain_db, "blocks": self.blocks,
                "limited": self.limited, "report": report, "ceiling_db": self.ceiling_db}

    @classmethod
    def from_json(cls, told: Mapping[str, Any]) -> BlockMix:
        return cls(**{**told, "report": MixReport(**told["report"])})

    @property
    def header(self) -> bytes:
        """Of a WAV file of 24 bits, or RF64 (EBU Tech 3306) where it is too long for one."""
        size = self.samples * self.channels * 3
        form = struct.pack("<4sIHHIIHH", b"fmt ", 16, 1, self.channels, RATE, RATE * self.channels * 3,
                           self.channels * 3, 24)
        if size + 36 < 2**32:
            return (
                struct.pack("<4sI4s", b"RIFF", 36 + size + size % 2, b"WAVE")
                + form
                + struct.pack("<4sI", b"data", size)
            )
        ds64 = struct.pack("<4sIQQQI", b"ds64", 28, 72 + size + size % 2, size, self.samples, 0)
        return (
            struct.pack("<4sI4s", b"RF64", 2**32 - 1, b"WAVE") + ds64 + form + struct.pack("<4sI", b"data", 2**32 - 1)
        )

    @property
    def size(self) -> int:
        """Bytes of the file."""
        data = self.samples * self.channels * 3
        return len(self.header) + data + data % 2

    def finished(self, number: int, store: BlockStore) -> Floats32:
        """One block as it is heard. Raises FileNotFoundError where it is not kept any more."""
        gain = np.float32(10 ** (self.gain_db / 20))
        if number not in self.limited:
            return store.read(self.blocks[number]) * gain
        return limited_block(self.around(number, store), gain, self.ceiling_db)[0]

    def around(self, number: int, store: BlockStore) -> tuple[Floats32, Floats32, Floats32]:
        block = store.read(self.blocks[number])
        nothing = np.zeros((_CONTEXT, *block.shape[1:]), np.float32)
        before = store.read(self.blocks[number - 1])[-_CONTEXT:] if number else nothing
        after = store.read(self.blocks[number + 1])[:_CONTEXT] if number + 1 < len(self.blocks) else nothing
        return before, block, after

    def bytes_of(self, first: int, last: int, store: BlockStore) -> Iterator[bytes]:
        """The file's bytes from ``first`` to ``last``, both counted in. Raises FileNotFoundError."""
        header, frame = self.header, 3 * self.channels
        if first < len(header):
            yield header[first: last + 1]
        first, last = max(0, first - len(header)), last - len(header)
        for number in range(first // (BLOCK * frame), min(len(self.blocks) - 1, last // (BLOCK * frame)) + 1):
            start = number * BLOCK * frame
            data = packed(self.finished(number, store))
            yield data[max(0, first - start): last + 1 - start]
        if last >= self.samples * frame:
            yield b"\0"

    def write(self, place: Path, store: BlockStore) -> None:
        """The whole of it as a file; whole or not at all."""
        with atomic_file(place) as half, half.open("wb") as file:
            for data in self.bytes_of(0, self.size - 1, store):
                file.write(data)


def packed(samples: Floats32) -> bytes:
    """As 24 bits each, the lowest byte first."""
    scaled = np.clip(samples, -1.0, 1.0)
    scaled *= np.float32(8_388_607)
    whole = np.rint(scaled, out=scaled).astype("<i4").reshape(-1, 1).view(np.uint8)
    # A byte of all samples after the other: three times as quick as sample by sample.
    made = np.empty((len(whole), 3), np.uint8)
    for byte in range(3):
        made[:, byte] = whole[:, byte]
    return made.tobytes()


def limited_block(around: tuple[Floats32, Floats32, Floats32], gain: np.float32,
                  ceiling_db: float) -> tuple[Floats32, float]:
    """A block at ``gain`` with its peaks under the ceiling (dBTP), by itself just as within a stream; and by how many
    dB."""
    before, block, after = around
    lead = np.zeros((_CONTEXT - len(before), *block.shape[1:]), np.float32)
    whole = np.concatenate([lead, before, block, after])
    limiter = Limiter(RATE, ceiling_db, 1 if block.ndim == 1 else block.shape[1])
    held = np.concatenate([limiter.process(whole * gain), limiter.flush()])
    return held[_CONTEXT: _CONTEXT + len(block)], limiter.reduced_db


def gain_curve(around: tuple[Floats32, Floats32, Floats32], gain: np.float32, ceiling_db: float) -> Floats32:
    """What :func:`limited_block` multiplies each sample of its block by, ``gain`` with it: the same for all that the
    block is the sum of."""
    before, block, after = around
    lead = np.zeros((_CONTEXT - len(before), *block.shape[1:]), np.float32)
    limiter = Limiter(RATE, ceiling_db, 1 if block.ndim == 1 else block.shape[1], keep_gain=True)
    limiter.process(np.concatenate([lead, before, block, after]) * gain)
    limiter.flush()
    return np.concatenate(limiter.gains or [])[_CONTEXT: _CONTEXT + len(block)] * gain


def audible(tracks: Sequence[Track]) -> list[Track]:
    """Those that are heard: all that are not muted, or of them those alone that are to be heard alone."""
    open_ = [track for track in tracks if not track.strip.mute]
    return [track for track in open_ if track.strip.solo] or open_


class BlockMixer:
    """Sums tracks block by block, making only those blocks that ``store`` has not."""

    def __init__(self, tracks: Sequence[Track], seconds: float, channels: int, store: BlockStore) -> None:
        self._tracks = audible(tracks)
        self._total = round(seconds * RATE)
        self._channels = channels
        self._store = store
        self.made = 0
        """Blocks that were summed."""
        self.speech: Energies = np.zeros(0)
        """Of each 100 ms, once it is mixed: what voices have in the band of speech, where anything lies under them."""
        self.under: Energies = np.zeros(0)
        """… and what lies under them has there."""

    def _key(self, first: int, last: int) -> str:
        content = []
        for track in self._tracks:
            found = track.content(first, last)
            if found is not None:
                content.append((track.name, track.voice, track.strip.level_db, track.strip.pan, found))
        return recipe_hash("block", content=content, size=last - first, channels=self._channels,
                           version=BLOCKS_VERSION) if content else f"silence-{last - first}-{self._channels}"

    def _sum(self, first: int, last: int) -> tuple[Floats32, Floats32 | None, Floats32 | None,
                                                   dict[str, npt.NDArray[Any]]]:
        """Everything, the voices and what is under them, each where there is both; and each layer's energies."""
        shape = (last - first,) if self._channels == 1 else (last - first, 2)
        voices: Floats32 | None = None
        under: Floats32 | None = None
        # Voices in the middle are one channel until all of them are summed.
        middle: Floats32 | None = None
        layers: dict[str, npt.NDArray[Any]] = {}
        several = len(self._tracks) > 1
        for track in self._tracks:
            if track.content(first, last) is None:
                continue
            piece = track.piece(first, last)
            in_the_middle = track.voice and piece.ndim == 1 and not track.strip.pan
            piece = laid(piece, track.strip, 1 if in_the_middle else self._channels)
            if several:
                # Of hours there are many of them, and nobody reads them to the seventh figure.
                layers[track.name] = coarse_energies(piece).astype(np.float32)
            if in_the_middle:
                middle = _added(middle, piece)
            elif track.voice:
                voices = _added(voices, piece)
            else:
                under = _added(under, piece)
        if middle is not None:
            voices = _added(voices, spread(middle, 0.0, self._channels))
        voices = np.zeros(shape, np.float32) if voices is None else voices
        return (voices, None, None, layers) if under is None else (voices + under, voices, under, layers)

    def mix(self, target: float, tell: Callable[[float], None] = lambda share: None,
            dialogue: bool = False, ceiling_db: float = CEILING) -> BlockMix:
        """All blocks, at ``target`` LUFS: of the programme, or with ``dialogue`` of its voices alone; peaks under
        ``ceiling_db``. Raises NothingToMix where nothing is heard."""
        keys, facts = [], []
        tail, before = None, ""
        for first in range(0, self._total, BLOCK):
            last = min(first + BLOCK, self._total)
            key = self._key(first, last)
            # What is measured of a block hangs on what the filters still hear of the one before.
            # Where there is one track alone, nothing is measured of it by itself.
            alone = {"alone": True} if len(self._tracks) == 1 else {}
            measured = recipe_hash("facts", before=before, block=key, last=last == self._total, **alone)
            known = self._store.facts(measured) if self._store.has(key) else None
            if known is None:
                block, voices, under, layers = self._sum(first, last)
                if not self._store.has(key):
                    self._store.write(key, block)
                    self.made += 1
                if tail is None and before:
                    tail = self._store.read(before)[-_WARM:]
                known = facts_of(block, voices, under, layers, tail, last == self._total)
                self._store.keep_facts(measured, known)
                tail = block[-_WARM:]
            else:
                tail = None
            keys.append(key)
            facts.append(known)
            before = key
            tell(0.95 * last / self._total)
        self.speech = np.concatenate([one.speech for one in facts]) if facts else np.zeros(0)
        self.under = np.concatenate([one.under for one in facts]) if facts else np.zeros(0)
        made = self._finish(keys, facts, target, dialogue, ceiling_db)
        tell(1.0)
        return made

    def _finish(self, keys: list[str], facts: list[Facts], target: float, dialogue: bool,
                ceiling_db: float) -> BlockMix:
        programme = np.concatenate([one.programme for one in facts])
        voices = np.concatenate([one.voices for one in facts])
        whole, spoken = gated(programme), gated(voices)
        by = spoken if dialogue and spoken > -100 else whole
        if by <= -100:
            raise NothingToMix("There is nothing to mix: every voiced line is silent.")
        mix = BlockMix(self._total / RATE, self._channels, _rounded(target - by), keys, [],
                       MixReport(0, 0, 0, 0, 0), ceiling_db)
        lost, peak = 0.0, 0.0
        for look in range(_LOOKS):
            mix.limited = limited_blocks(facts, 10 ** (mix.gain_db / 20), ceiling_db)
            energies, lost, peak = self._limited(mix, facts)
            whole = gated(np.concatenate(energies))
            # The limiter takes a little loudness with the peaks: give it back, and look again.
            # After the last look nothing is moved any more: what is told was measured of just this.
            if not mix.limited or dialogue or abs(whole - target) <= _TOLERANCE or look + 1 == _LOOKS:
                break
            mix.gain_db = _rounded(mix.gain_db + target - whole)
        final = np.concatenate(energies)
        short = windows(final, 30)
        mix.report = MixReport(
            self._total / RATE, whole, 20 * math.log10(peak) if peak > 1e-6 else SILENCE, mix.gain_db, lost,
            [lufs_of(one) for one in short[::10]], loudness_range(final), max(map(lufs_of, short), default=SILENCE),
            max(map(lufs_of, windows(final, 4)), default=SILENCE), spoken + mix.gain_db if spoken > -100 else SILENCE,
            self._by_layer(facts, mix.gain_db))
        return mix

    def _limited(self, mix: BlockMix, facts: list[Facts]) -> tuple[list[Energies], float, float]:
        """Energies of the finished blocks, the most that a peak was taken down (dB), and the highest peak."""
        gain, lost, held = 10 ** (mix.gain_db / 20), 0.0, set(mix.limited)
        energies = [one.programme * gain**2 for one in facts]
        peak = max((one.peak * gain for number, one in enumerate(facts) if number not in held), default=0.0)
        for number in mix.limited:
            before = mix.blocks[number - 1] if number else ""
            after = mix.blocks[number + 1] if number + 1 < len(mix.blocks) else ""
            name = recipe_hash("limited", before=before, block=mix.blocks[number], after=after, gain=mix.gain_db,
                               ceiling=mix.ceiling_db)
            known = self._store.facts(name)
            if known is None:
                block, reduced = limited_block(mix.around(number, self._store), np.float32(gain), mix.ceiling_db)
                tail = self._store.read(before)[-_WARM:] * np.float32(gain) if before else None
                known = facts_of(block, None, None, {}, tail, not after)
                known.layers = {"reduced": np.full(len(known.programme), reduced)}
                self._store.keep_facts(name, known)
            energies[number] = known.programme
            peak = max(peak, known.peak)
            lost = max(lost, float(known.layers["reduced"].max(initial=0.0)))
        return energies, lost, peak

    def _by_layer(self, facts: list[Facts], gain_db: float) -> dict[str, float]:
        found = {}
        for track in self._tracks:
            steps = [one.layers.get(track.name, np.zeros(len(one.programme))) for one in facts]
            lufs = gated(np.concatenate(steps))
            if lufs > -100:
                found[track.name] = round(lufs + gain_db, 2)
        return found


def limited_blocks(facts: Sequence[Facts], gain: float, ceiling_db: float) -> list[int]:
    """Numbers of the blocks that a limiter of the whole would change anything of: where a peak is over what it lets
    through, and beside that where the peak lies so near to the edge that the gain moves across it. None where nothing
    is over the ceiling."""
    if not any(one.peak * gain > 10 ** (ceiling_db / 20) for one in facts):
        return []
    most = lets_through(ceiling_db)
    found = {number for number, one in enumerate(facts) if one.peak * gain > most}
    found |= {number + 1 for number, one in enumerate(facts[:-1]) if one.edges[1] * gain > most}
    found |= {number for number, one in enumerate(facts[1:]) if one.edges[0] * gain > most}
    return sorted(found)


def _added(total: Floats32 | None, piece: Floats32) -> Floats32:
    if total is None:
        return piece
    total += piece
    return total


def facts_of(block: Floats32, voices: Floats32 | None, under: Floats32 | None, layers: dict[str, npt.NDArray[Any]],
             tail: Floats32 | None, last: bool) -> Facts:
    """What is measured of a block after ``tail``, the last samples of the one before it."""
    programme, peak = _measured(block, tail, last)
    edges = _peak(block[:_EDGE], tail, False), _peak(block[-_EDGE:], None, last)
    steps = len(programme)
    nothing = np.zeros(steps)
    if voices is None or under is None:
        return Facts(peak, programme, programme, nothing, nothing, _cut(layers, steps), edges)
    loud, spoken = zip(*((_weighted(some), _in_band(some)) for some in _powers(voices)), strict=True)
    return Facts(peak, programme, np.concatenate(loud)[:steps], np.concatenate(spoken)[:steps],
                 band_energies(under)[:steps], _cut(layers, steps), edges)


def _cut(layers: dict[str, npt.NDArray[Any]], steps: int) -> dict[str, Energies]:
    return {name: energies[:steps] for name, energies in layers.items()}


def _measured(block: Floats32, tail: Floats32 | None, last: bool) -> tuple[Energies, float]:
    meter = LoudnessMeter(RATE, peaks=False, channels=1 if block.ndim == 1 else block.shape[1])
    warm = 0
    if tail is not None and len(tail) == _WARM:
        meter.add(tail)
        warm = _WARM // STEP
    meter.add(block)
    if len(block) % STEP:
        # The last step of a programme, whatever fills it.
        meter.add(np.zeros((STEP - len(block) % STEP, *block.shape[1:]), np.float32))
    return meter.energies[warm:], _peak(block, tail, last)


def _peak(block: Floats32, tail: Floats32 | None, last: bool) -> float:
    """The true peak, but of the last few samples: they wait for what comes after them, unless nothing does."""
    nothing = np.zeros((2 * REACH, *block.shape[1:]), np.float32)
    before = tail[-2 * REACH:] if tail is not None and len(tail) >= 2 * REACH else nothing
    joined = np.concatenate([before, block, nothing] if last else [before, block])
    high = float(max(joined.max(), -joined.min()))
    if high < 1e-6:
        return 0.0
    sides = [joined] if joined.ndim == 1 else [np.ascontiguousarray(joined[:, side]) for side in range(2)]
    # No lower than the loudest sample, so nearly all of a block is passed over.
    return max(high, *(float(true_peaks(side, high)[REACH:-REACH].max()) for side in sides))


def _powers(samples: Floats32) -> Iterator[npt.NDArray[np.float32]]:
    """What lies at each frequency of each 100 ms, squared, some of them at a time, so that they stay in the cache: of
    one channel (steps, 2,401 × 2), real and imaginary parts side by side; of two (steps, 4,800 × 2), for they are the
    two parts of one complex sound, whose transform holds both."""
    short = -len(samples) % STEP
    whole = np.ascontiguousarray(np.pad(samples, ((0, short), (0, 0))[: samples.ndim]) if short else samples)
    frames = (whole if samples.ndim == 1 else whole.view(np.complex64)).reshape(-1, STEP)
    for first in range(0, len(frames), _AT_ONCE):
        some = frames[first: first + _AT_ONCE]
        parts = (scipy.fft.rfft(some) if samples.ndim == 1 else scipy.fft.fft(some)).view(np.float32)
        yield np.multiply(parts, parts, out=parts)


def _weights() -> tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Of the powers of one channel and of two, what each counts for in K-weighted energy."""
    hz = np.fft.rfftfreq(STEP, 1 / RATE)
    _, response = signal.freqz(*signal.sos2tf(k_weighting(RATE)), worN=hz, fs=RATE)
    once = np.abs(response) ** 2 / STEP**2
    twice = np.full(len(hz), 2.0)
    twice[0] = twice[-1] = 1.0
    # Of two channels each frequency is there from above and from below, with half of both of them.
    both = np.concatenate([once, once[-2:0:-1]])
    return np.repeat(once * twice, 2).astype(np.float32), np.repeat(both, 2).astype(np.float32)


_K_ONE, _K_TWO = _weights()
_LOW, _HIGH = (round(edge * STEP / RATE) for edge in SPEECH_BAND)


def _weighted(powers: npt.NDArray[np.float32]) -> Energies:
    return np.asarray(powers @ (_K_ONE if powers.shape[1] == len(_K_ONE) else _K_TWO), np.float64)


def _in_band(powers: npt.NDArray[np.float32]) -> Energies:
    found = powers[:, 2 * _LOW: 2 * _HIGH].sum(1)
    if powers.shape[1] == len(_K_ONE):
        return np.asarray(found * (2 / STEP**2), np.float64)
    above = powers[:, 2 * (STEP - _HIGH + 1): 2 * (STEP - _LOW + 1)].sum(1)
    return np.asarray((found + above) / STEP**2, np.float64)


def k_energies(samples: Floats32) -> Energies:
    """K-weighted energies of each 100 ms by their spectra: a little coarser than the meter's, several times faster."""
    return np.concatenate([_weighted(some) for some in _powers(samples)])


def band_energies(samples: Floats32) -> Energies:
    """Energies of each 100 ms in the band of speech."""
    return np.concatenate([_in_band(some) for some in _powers(samples)])


def coarse_energies(samples: Floats32) -> Energies:
    """… of every other 100 ms, each twice: what a layer's loudness is told by."""
    steps = -(-len(samples) // STEP)
    if steps < 20:
        return k_energies(samples)
    # Of pairs that are full; what is left at the end is as loud as what came before it.
    whole = len(samples) // STEP // 2 * 2
    some = samples[: whole * STEP].reshape(-1, 2, STEP, *samples.shape[1:])[:, 0]
    found = np.repeat(k_energies(some.reshape(-1, *samples.shape[1:])), 2)
    return np.pad(found, (0, steps - whole), mode="edge")


def _rounded(gain_db: float) -> float:
    return round(round(gain_db / _GAIN_STEP) * _GAIN_STEP, 4)


class KeptBlocks:
    """Blocks in a store, under ``<hash>.f32`` and ``<hash>.facts``; the last ones stay in memory."""

    def __init__(self, store: Store, channels: int) -> None:
        self._store = store
        self._shape = (-1,) if channels == 1 else (-1, 2)
        self._held: OrderedDict[str, Floats32] = OrderedDict()

    def _silence(self, key: str) -> Floats32 | None:
        if not key.startswith("silence-"):
            return None
        return np.zeros(int(key.split("-")[1]) * (1 if len(self._shape) == 1 else 2), np.float32).reshape(self._shape)

    def has(self, key: str) -> bool:
        return key.startswith("silence-") or key in self._held or self._store.has(f"{key}.f32")

    def read(self, key: str) -> Floats32:
        silence = self._silence(key)
        if silence is not None:
            return silence
        if key not in self._held:
            self._hold(key, np.fromfile(self._store.path(f"{key}.f32"), "<f4").reshape(self._shape))
        return self._held[key]

    def _hold(self, key: str, samples: Floats32) -> None:
        self._held[key] = samples
        while len(self._held) > 3:
            self._held.popitem(last=False)

    def write(self, key: str, samples: Floats32) -> None:
        if not key.startswith("silence-"):
            self._store.write(f"{key}.f32", lambda place: samples.astype("<f4", copy=False).tofile(place))
            self._hold(key, samples)

    def facts(self, key: str) -> Facts | None:
        try:
            return Facts.from_bytes(self._store.path(f"{key}.facts").read_bytes())
        except FileNotFoundError:
            return None

    def keep_facts(self, key: str, facts: Facts) -> None:
        self._store.write(f"{key}.facts", lambda place: _write_bytes(place, facts.as_bytes()))


def _write_bytes(place: Path, data: bytes) -> None:
    place.write_bytes(data)


class PassingBlocks:
    """Blocks of one mix in a file that goes away with it: nothing is found again."""

    def __init__(self, file: Any, channels: int) -> None:
        self._file = file
        self._shape = (-1,) if channels == 1 else (-1, 2)
        self._places: dict[str, tuple[int, int]] = {}
        self._last: tuple[str, Floats32] | None = None
        self._facts: dict[str, Facts] = {}

    def has(self, key: str) -> bool:
        return key in self._places

    def read(self, key: str) -> Floats32:
        if self._last and self._last[0] == key:
            return self._last[1]
        at, size = self._places[key]
        self._file.seek(at)
        return np.frombuffer(self._file.read(size), np.float32).reshape(self._shape)

    def write(self, key: str, samples: Floats32) -> None:
        self._file.seek(0, 2)
        self._places[key] = self._file.tell(), samples.nbytes
        self._file.write(np.ascontiguousarray(samples).data)
        self._last = key, samples

    def facts(self, key: str) -> Facts | None:
        return self._facts.get(key)

    def keep_facts(self, key: str, facts: Facts) -> None:
        self._facts[key] = facts
