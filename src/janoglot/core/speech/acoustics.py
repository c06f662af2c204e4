"""What a voice sounds like, in numbers: pitch, brightness, tilt, vocal tract, pace, and evenness."""

from __future__ import annotations

import base64
from dataclasses import asdict, dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any, Self

import numpy as np
import numpy.typing as npt
import parselmouth
from scipy.signal import find_peaks

from janoglot.core.audio.loudness import measure
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.speaker_encoder import encoder_missing, speaker_vector

Floats = npt.NDArray[np.floating]
_SPEED_OF_SOUND = 35_000.0
"""Centimetres a second, in the warm air of a throat."""
_DIP_DB = 2.0
"""A syllable's peak of loudness stands out by as much from the dips around it (de Jong and Wempe 2009)."""


@dataclass(frozen=True, slots=True)
class VoiceMeasure:
    """What is measured of a voice from its own speech.

    ``pitch_hz``: median of the voiced frames, with its 5th and 95th percentile. ``brightness_hz``: centre of
    gravity of the spectrum of the voiced sound from 80 Hz to 8 kHz. ``tilt_db``: how its level changes from
    octave to octave, 100 Hz to 5 kHz, in dB. ``tract_cm``: length of the vocal tract that the upper formants
    speak of. ``pace``: syllables a second while it speaks. ``range_lu``: between its quiet and its loud
    moments. ``lufs``: integrated loudness. ``speaker``: who it is by the speaker encoder, 256 numbers of a byte each
    that give a direction; empty where the encoder is not here.
    """

    pitch_hz: float
    pitch_low_hz: float
    pitch_high_hz: float
    brightness_hz: float
    tilt_db: float = 0.0
    tract_cm: float = 0.0
    pace: float = 0.0
    range_lu: float = 0.0
    lufs: float = 0.0
    speaker: bytes = b""

    def as_json(self) -> dict[str, Any]:
        return {name: base64.b64encode(value).decode() if isinstance(value, bytes) else round(value, 2)
                for name, value in asdict(self).items()}

    @classmethod
    def from_json(cls, told: dict[str, Any]) -> Self:
        return cls(**{**told, "speaker": base64.b64decode(told.get("speaker", ""))})

    def unlike(self, other: VoiceMeasure) -> float | None:
        """How far two speakers are apart by ear: 0 for the same direction, 1 for a right angle. None where of one of
        them that is not known."""
        if not self.speaker or not other.speaker:
            return None
        return 1.0 - float(_direction(self.speaker) @ _direction(other.speaker))


@lru_cache(maxsize=8192)
def _direction(speaker: bytes) -> Floats:
    vector = np.frombuffer(speaker, np.uint8).astype(np.float32)
    return vector / np.float32(np.linalg.norm(vector))


def packed(vector: Floats) -> bytes:
    """A speaker's vector, none of whose numbers is below nought, in a byte each."""
    return bytes(np.rint(vector / max(float(vector.max()), 1e-9) * 255).astype(np.uint8).tobytes())


def measure_voice(samples: Samples, rate: int) -> VoiceMeasure:
    """Measure a voice by some seconds of its speech.

    ``samples``: mono float in −1…1. Raises ValueError where no voiced sound is in it.

    Sources. Pitch: Praat's autocorrelation method (Boersma 1993). Brightness: spectral centroid. Tilt: the
    line of best fit through the long-term spectrum in octaves. Vocal tract: quarter-wave resonances of a tube,
    from the medians of the third and fourth formant (Burg's method), which depend least on the vowel
    (Wakita 1977). Syllables: peaks of intensity that are voiced (de Jong and Wempe 2009). Loudness and its
    range: ITU-R BS.1770-4, and the 10th to 95th percentile of the gated momentary loudness, in the manner of
    EBU Tech 3342, whose windows of three seconds are longer than what is measured here. Speaker:
    :mod:`.speaker_encoder`.
    """
    sound = parselmouth.Sound(samples.astype(np.float64), rate)
    pitch = sound.to_pitch_ac(time_step=0.01, pitch_floor=50.0, pitch_ceiling=600.0)
    track = pitch.selected_array["frequency"]
    voiced = track > 0
    if voiced.sum() < 5:
        raise ValueError("no voiced sound to measure")
    low, middle, high = np.percentile(track[voiced], (5, 50, 95))
    times = pitch.xs()[voiced]
    hertz, power = _voiced_spectrum(samples, rate, times)
    band = (hertz >= 80) & (hertz <= 8000)
    # Weighted by amplitude rather than power: nearer to how bright it is heard.
    weight = np.sqrt(power[band])
    loudness = measure(samples, rate, peaks=False)
    return VoiceMeasure(
        float(middle), float(low), float(high), float((hertz[band] * weight).sum() / weight.sum()),
        _tilt(hertz, power), _tract(sound, times, float(middle)), _pace(sound, pitch),
        _range(loudness.momentary(every=1)), loudness.integrated,
        b"" if encoder_missing() else packed(speaker_vector(samples, rate)))


def _voiced_spectrum(samples: Samples, rate: int, times: Floats) -> tuple[Floats, Floats]:
    frame = round(rate * 0.04)
    window = np.hanning(frame)
    power = np.zeros(frame // 2 + 1)
    for time in times:
        centre = int(time * rate)
        piece = samples[max(0, centre - frame // 2): centre - frame // 2 + frame]
        if len(piece) == frame:
            power += np.abs(np.fft.rfft(piece * window)) ** 2
    return np.fft.rfftfreq(frame, 1 / rate), power


def _tilt(hertz: Floats, power: Floats) -> float:
    # By thirds of octaves, or the many lines of the top octave would decide alone.
    edges = 100 * 2 ** (np.arange(18) / 3)
    levels, octaves = [], []
    for lower, upper in pairwise(edges):
        inside = (hertz >= lower) & (hertz < upper)
        if inside.any() and power[inside].mean() > 0:
            levels.append(10 * np.log10(power[inside].mean()))
            octaves.append(np.log2(lower / 100))
    return float(np.polyfit(octaves, levels, 1)[0]) if len(levels) > 2 else 0.0


def _tract(sound: parselmouth.Sound, times: Floats, pitch_hz: float) -> float:
    # The ceiling under which five formants are looked for follows the size of the speaker.
    ceiling = float(np.clip(4300 + 6.5 * pitch_hz, 4600, 6500))
    formants = sound.to_formant_burg(time_step=0.02, max_number_of_formants=5, maximum_formant=ceiling)
    lengths = []
    for number in (3, 4):
        values = np.array([formants.get_value_at_time(number, time) for time in times[::2]])
        values = values[~np.isnan(values)]
        if len(values):
            lengths.append((2 * number - 1) * _SPEED_OF_SOUND / (4 * float(np.median(values))))
    return float(np.mean(lengths)) if lengths else 0.0


def _pace(sound: parselmouth.Sound, pitch: parselmouth.Pitch) -> float:
    intensity = sound.to_intensity(minimum_pitch=50.0, time_step=0.01)
    level, at = intensity.values[0], intensity.xs()
    floor = float(np.percentile(level, 99)) - 25
    loud = level > floor
    speaking = float(loud.sum()) * 0.01
    if speaking < 0.1:
        return 0.0
    peaks, _ = find_peaks(level, height=floor, prominence=_DIP_DB)
    heard = [peak for peak in peaks if pitch.get_value_at_time(at[peak]) > 0]
    return len(heard) / speaking


def _range(momentary: list[float]) -> float:
    gated = [value for value in momentary if value > -70]
    if not gated:
        return 0.0
    top = max(gated)
    gated = [value for value in gated if value > top - 20]
    quiet, loud = np.percentile(gated, (10, 95))
    return float(loud - quiet)
