"""A finished sound as a file: uncompressed, or by ffmpeg's encoders; of another rate, fewer channels, another loudness.

What encoders do to a sound is found by decoding it again: some turn what they are given down, and most let peaks grow.
It is encoded again until its loudness and its peaks are what they should be, as near as a few tries come.
"""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import mutagen
import numpy as np
import soundfile
import soxr

from janoglot.core.audio.loudness import SILENCE, LoudnessMeter
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.media.ffmpeg import MediaFault, feed, ffmpeg, handed_in, recording
from janoglot.core.mix.limiter import Limiter
from janoglot.core.mix.sides import CEILING, Floats32
from janoglot.core.store import atomic_file
from janoglot.tally import tally

_BLOCK = 10 * 48_000
_LONGEST_WAV = 4_000_000_000
"""Bytes of sound from which on a WAV file is RF64 (EBU Tech 3306)."""
_TOLERANCE = 0.05
"""LU that a file may be beside what it should be before it is encoded again."""
RATES = (8_000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000)
"""Hz."""


class EncodingFault(JanoglotError):
    """An encoder did not do what it was asked for."""

    code = "encoding"


@contextmanager
def encoding_fault(sentence: str) -> Iterator[None]:
    """What ffmpeg says in here is told as an EncodingFault by ``sentence``, with its words for ``{why}``."""
    try:
        yield
    except MediaFault as error:
        raise EncodingFault(sentence, why=str(error)) from error


@dataclass(frozen=True, slots=True)
class Codec:
    """``muxer`` of ffmpeg and the ending of its files, what ffmpeg calls its encoder, the rates it takes (Hz; all where
    empty), and how many kbit/s a channel gets where nothing is chosen (0: nothing is lost). ``delay``: seconds by which
    what is decoded may be longer than what went in."""

    name: str
    ending: str
    kind: str
    muxer: str
    encoder: str
    rates: tuple[int, ...] = ()
    kbps: int = 0
    delay: float = 0.0
    most_channels: int = 2

    @property
    def lossy(self) -> bool:
        return bool(self.kbps) or self.encoder.endswith("law")


_PHONE = (8_000,)
CODECS: dict[str, Codec] = {one.name: one for one in (
    Codec("wav16", "wav", "audio/wav", "wav", "pcm_s16le"),
    Codec("wav24", "wav", "audio/wav", "wav", "pcm_s24le"),
    Codec("wav32f", "wav", "audio/wav", "wav", "pcm_f32le"),
    Codec("flac", "flac", "audio/flac", "flac", "flac"),
    Codec("mp3", "mp3", "audio/mpeg", "mp3", "libmp3lame", (16_000, 22_050, 24_000, 32_000, 44_100, 48_000), 80, 0.1),
    Codec("aac", "m4a", "audio/mp4", "ipod", "aac",
          (8_000, 11_025, 16_000, 22_050, 24_000, 32_000, 44_100, 48_000, 88_200, 96_000), 80, 0.1),
    Codec("opus", "opus", "audio/ogg", "opus", "libopus", (8_000, 16_000, 24_000, 48_000), 48, 0.1),
    Codec("ulaw", "wav", "audio/wav", "wav", "pcm_mulaw", _PHONE, 0, 0.0, 1),
    Codec("alaw", "wav", "audio/wav", "wav", "pcm_alaw", _PHONE, 0, 0.0, 1),
)}
_SUBTYPES = {"wav16": "PCM_16", "wav24": "PCM_24", "wav32f": "FLOAT", "flac": "PCM_24", "ulaw": "ULAW", "alaw": "ALAW"}


@dataclass(frozen=True, slots=True)
class AudioFormat:
    """How a sound is to be as a file. ``channels`` and ``lufs`` None leave it as it is; ``kbps`` 0 leaves it to the
    codec; ``ceiling_db`` in dBTP."""

    codec: str = "wav24"
    rate: int = 48_000
    channels: int | None = None
    lufs: float | None = None
    kbps: int = 0
    ceiling_db: float = CEILING

    def as_json(self) -> dict[str, Any]:
        return asdict(self)

    @property
    def of(self) -> Codec:
        return CODECS[self.codec]

    def checked(self) -> AudioFormat:
        """Itself. Raises BadInput for what its codec cannot hold."""
        codec = CODECS.get(self.codec)
        if codec is None:
            raise BadInput(
                "There is no sound format “{name}”: {all}.", name=str(self.codec)[:20], all=", ".join(CODECS)
            )
        if self.rate not in (codec.rates or RATES):
            raise BadInput("{codec} does not hold {rate} samples a second: choose one of {rates}.", codec=codec.name,
                           rate=self.rate, rates=", ".join(map(str, codec.rates or RATES)))
        if self.channels not in (None, 1, 2) or (self.channels or 1) > codec.most_channels:
            raise BadInput("{codec} does not hold {count} channels.", codec=codec.name, count=str(self.channels)[:9])
        if self.kbps and not (codec.kbps and 8 <= self.kbps <= 512):
            raise BadInput("{codec} cannot have {kbps} kbit/s.", codec=codec.name, kbps=self.kbps)
        if self.lufs is not None and not -40 <= self.lufs <= -8:
            raise BadInput("A loudness of {target:g} LUFS is out of range: choose −40 to −8.", target=self.lufs)
        if not -12 <= self.ceiling_db <= 0:
            raise BadInput("A ceiling of {ceiling:g} dBTP is out of range: choose −12 to 0.", ceiling=self.ceiling_db)
        return self


@dataclass(frozen=True, slots=True)
class Encoded:
    """What was measured of a file after it was encoded, by decoding it again."""

    lufs: float
    true_peak_db: float
    seconds: float
    channels: int
    gain_db: float = 0.0
    """What it was encoded with to be so."""


Blocks = Callable[[], Iterator[Floats32]]
"""A sound from its beginning, as often as it is asked for: blocks of shape (n,) or (n, channels)."""


def blocks_of(place: Path) -> tuple[Blocks, int, int]:
    """A sound file's blocks, its rate and its channels."""
    info = soundfile.info(place)

    def read() -> Iterator[Floats32]:
        with soundfile.SoundFile(place) as file:
            yield from file.blocks(_BLOCK, dtype="float32")

    return read, info.samplerate, info.channels


def cut_out(file: soundfile.SoundFile, low: int, high: int, place: Path) -> None:
    """The samples from ``low`` to ``high`` of a sound file as one of its own, however long that is: at most a block of
    them in memory."""
    file.seek(low)
    # A plain WAV ends at 4 GB.
    with soundfile.SoundFile(place, "w", file.samplerate, file.channels, subtype="FLOAT", format="W64") as cut:
        for at in range(low, high, _BLOCK):
            cut.write(file.read(min(_BLOCK, high - at), dtype="float32"))


def encode(source: Path, place: Path, form: AudioFormat, wanted_lufs: float | None = None,
           tags: Mapping[str, str] | None = None) -> Encoded:
    """``source`` (what soundfile reads) again in ``form`` at ``place``, which appears whole or not at all.

    It is as loud as the form says; else as ``wanted_lufs``, where a lossy codec is to meet that; else as it was.
    ``tags`` by ffmpeg's names for them. Raises EncodingFault; BadInput for a form that cannot be.
    """
    form.checked()
    read, rate, channels = blocks_of(source)
    codec = form.of
    out_channels = min(form.channels or channels, codec.most_channels)
    wanted = form.lufs if form.lufs is not None else wanted_lufs if codec.lossy else None
    if wanted is None and codec.lossy:
        wanted = measured(source)[0]
    gain, ceiling = 0.0, None
    if form.lufs is not None or out_channels != channels:
        before = LoudnessMeter(rate, channels=out_channels)
        for block in read():
            before.add(as_channels(block, out_channels))
        if form.lufs is not None and before.integrated > SILENCE:
            gain = form.lufs - before.integrated
        if before.true_peak_db + gain > form.ceiling_db:
            ceiling = form.ceiling_db
    elif form.rate != rate:
        # Taken again at other moments, a wave may reach a little higher.
        ceiling = form.ceiling_db if measured(source)[1] > form.ceiling_db - 0.5 else None
    found = Encoded(0.0, 0.0, 0.0, out_channels)
    if wanted is not None and codec.kbps:
        # What the codec takes is known from a little of it: the whole is encoded once, not twice.
        gain += _lost(read, soundfile.info(source).frames // _BLOCK, rate, out_channels, form, place.parent)
    with atomic_file(place) as half:
        for _ in range(4):
            _write(_shaped(read, rate, form.rate, out_channels, gain, ceiling), half, form, out_channels, tags or {},
                   soundfile.info(source).duration * form.rate * out_channels * 4 > _LONGEST_WAV)
            lufs, peak, seconds, has = measured(half)
            found = Encoded(lufs, peak, seconds, has, gain)
            if wanted is None or lufs <= SILENCE:
                break
            off = wanted - lufs
            if abs(off) <= _TOLERANCE and peak <= form.ceiling_db:
                break
            gain += off
            if peak > form.ceiling_db:
                # What the encoder adds to peaks is kept free for it.
                ceiling = (form.ceiling_db if ceiling is None else ceiling) - (peak - form.ceiling_db) - 0.05
    return found


_EXCERPTS = 3
"""Blocks of ten seconds that tell what a codec takes."""


def _lost(read: Blocks, count: int, rate: int, channels: int, form: AudioFormat, folder: Path) -> float:
    """By how many LU a codec turns a sound down: of a few blocks across it; 0 where it is short, or silent there."""
    if count < 2 * _EXCERPTS:
        return 0.0
    chosen = {number * count // (_EXCERPTS + 1) for number in range(1, _EXCERPTS + 1)}
    some = [as_channels(block, channels) for number, block in enumerate(read()) if number in chosen]
    meter = LoudnessMeter(rate, peaks=False, channels=channels)
    for block in some:
        meter.add(block)
    if meter.integrated <= SILENCE:
        return 0.0
    with tempfile.TemporaryDirectory(dir=folder) as inner:
        place = Path(inner) / f"some.{form.of.ending}"
        _write(_shaped(lambda: iter(some), rate, form.rate, channels, 0.0, None), place, form, channels, {})
        after = measured(place)[0]
    lost = meter.integrated - after
    return lost if abs(lost) < 3 else 0.0


def as_channels(block: Floats32, channels: int) -> Floats32:
    """A block on one channel or two. Two become one at the same loudness for what is in the middle."""
    if block.ndim == 2 and block.shape[1] == 1:
        block = block[:, 0]
    has = 1 if block.ndim == 1 else block.shape[1]
    if has == channels:
        return block
    if channels == 1:
        return np.asarray(block.sum(axis=1) * np.float32(0.5 * 2**0.5), np.float32)
    return np.repeat(block[:, None] * np.float32(0.5**0.5), 2, axis=1)


def _shaped(read: Blocks, rate: int, to: int, channels: int, gain_db: float,
            ceiling_db: float | None) -> Iterator[Floats32]:
    gain = np.float32(10 ** (gain_db / 20))
    again = soxr.ResampleStream(rate, to, channels, dtype="float32", quality="VHQ") if rate != to else None
    limiter = None if ceiling_db is None else Limiter(to, ceiling_db, channels)

    def limited(block: Floats32) -> Floats32:
        return limiter.process(block) if limiter else block

    for block in read():
        block = as_channels(block, channels)
        if gain_db:
            block = block * gain
        yield limited(again.resample_chunk(block) if again else block)
    if again:
        yield limited(again.resample_chunk(np.zeros((0,) if channels == 1 else (0, channels), np.float32), last=True))
    if limiter:
        yield limiter.flush()


def _write(blocks: Iterator[Floats32], place: Path, form: AudioFormat, channels: int,
           tags: Mapping[str, str], long: bool = False) -> None:
    if form.codec in _SUBTYPES:
        # One that turns out short is plain WAV all the same: libsndfile writes the longer head only where it must.
        layout = "FLAC" if form.codec == "flac" else "RF64" if long else "WAV"
        with soundfile.SoundFile(place, "w", form.rate, channels, subtype=_SUBTYPES[form.codec], format=layout) as out:
            if tags and layout != "FLAC" and form.codec.startswith("wav"):
                _tell(out, tags)
            for block in blocks:
                out.write(block)
        if tags and layout == "FLAC":
            write_tags(place, tags)
        return
    codec = form.of
    tally(f"encode: {codec.name}")
    given = (np.ascontiguousarray(block, "<f4").tobytes() for block in blocks)
    with encoding_fault("The encoder failed: {why}"):
        feed(given, *handed_in("-f", "f32le", "-ar", str(form.rate), "-ac", str(channels)), "-c:a", codec.encoder,
             "-b:a", f"{form.kbps or codec.kbps * channels}k", *tag_options(tags), "-fflags", "+bitexact",
             # Its index first, so that it can be heard before all of it is there.
             *(["-movflags", "+faststart"] if codec.muxer == "ipod" else []), "-f", codec.muxer, f"file:{place}")


_INFO = {"title": "title", "artist": "artist", "album": "album", "language": "comment", "encoder": "software"}
"""Which string of a WAV file's head (LIST INFO, as libsndfile names them) a tag is."""


def _tell(file: soundfile.SoundFile, tags: Mapping[str, str]) -> None:
    """What a WAV file says of itself, before its sound. A telephone's does not: simple players want the sound first."""
    for name, string in _INFO.items():
        if tags.get(name):
            setattr(file, string, tags[name])


def write_tags(place: Path, tags: Mapping[str, str | list[str]]) -> None:
    """Give a FLAC or Opus file these tags (Vorbis comments). Raises EncodingFault."""
    told: Any = mutagen.File(place)
    if told is None:
        raise EncodingFault("Tags could not be written: this is no sound file.")
    told.update({name: text for name, text in tags.items() if text})
    told.save()


def tag_options(tags: Mapping[str, str]) -> list[str]:
    return [part for name, text in tags.items() if text for part in ("-metadata", f"{name}={text}")]


def measured(place: Path) -> tuple[float, float, float, int]:
    """Integrated loudness (LUFS), true peak (dBTP), seconds and channels of a sound file, decoded. Raises
    EncodingFault.

    Source: ITU-R BS.1770-5.
    """
    try:
        info = soundfile.info(place)
        rate, channels = info.samplerate, info.channels
        meter = LoudnessMeter(rate, channels=channels)
        frames = 0
        with soundfile.SoundFile(place) as file:
            for block in file.blocks(_BLOCK, dtype="float32"):
                meter.add(block)
                frames += len(block)
    except soundfile.LibsndfileError:
        return _measured_by_ffmpeg(place)
    return meter.integrated, meter.true_peak_db, frames / rate, channels


def _measured_by_ffmpeg(place: Path) -> tuple[float, float, float, int]:
    """… of what soundfile does not read."""
    with tempfile.NamedTemporaryFile(suffix=".wav", dir=place.parent) as plain:
        with encoding_fault("What was encoded cannot be decoded: {why}"):
            ffmpeg(*recording(place), "-map", "0:a:0", "-c:a", "pcm_f32le", "-rf64", "auto", "-f", "wav", plain.name)
        return measured(Path(plain.name))
