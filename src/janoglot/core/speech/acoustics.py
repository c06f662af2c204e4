"""What a voice sounds like, in numbers: pitch and spectral brightness."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import parselmouth

from janoglot.core.speech.engines.base import Samples


@dataclass(frozen=True, slots=True)
class VoiceMeasure:
    """``pitch_hz``: median of the voiced frames, with its 5th and 95th percentile; ``brightness_hz``:
    centre of gravity of the spectrum of the voiced sound from 80 Hz to 8 kHz."""

    pitch_hz: float
    pitch_low_hz: float
    pitch_high_hz: float
    brightness_hz: float


def measure_voice(samples: Samples, rate: int) -> VoiceMeasure:
    """Pitch by Praat's autocorrelation method (Boersma 1993), brightness as a spectral centroid.

    ``samples``: mono float in −1…1. Raises ValueError where no voiced sound is in it.
    """
    sound = parselmouth.Sound(samples.astype(np.float64), rate)
    pitch = sound.to_pitch_ac(time_step=0.01, pitch_floor=50.0, pitch_ceiling=600.0)
    track = pitch.selected_array["frequency"]
    voiced = track > 0
    if voiced.sum() < 5:
        raise ValueError("no voiced sound to measure")
    low, middle, high = np.percentile(track[voiced], (5, 50, 95))
    frame = round(rate * 0.04)
    window = np.hanning(frame)
    spectrum = np.zeros(frame // 2 + 1)
    for time in pitch.xs()[voiced]:
        centre = int(time * rate)
        piece = samples[max(0, centre - frame // 2): centre - frame // 2 + frame]
        if len(piece) == frame:
            spectrum += np.abs(np.fft.rfft(piece * window)) ** 2
    hertz = np.fft.rfftfreq(frame, 1 / rate)
    band = (hertz >= 80) & (hertz <= 8000)
    # Weighted by amplitude rather than power: nearer to how bright it is heard.
    weight = np.sqrt(spectrum[band])
    return VoiceMeasure(float(middle), float(low), float(high), float((hertz[band] * weight).sum() / weight.sum()))
