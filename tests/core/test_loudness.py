"""Loudness against EBU Tech 3341's reference signals, ffmpeg's ebur128 and pyloudnorm."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import soundfile

from janoglot.core.audio.loudness import SILENCE, LoudnessMeter, measure
from janoglot.core.mix.limiter import Limiter, limit

RATE = 48_000


def sine(seconds: float, dbfs: float, hertz: float = 1000.0, phase: float = 0.0, rate: int = RATE) -> np.ndarray:
    time = np.arange(round(seconds * rate)) / rate
    return (10 ** (dbfs / 20) * np.sin(2 * np.pi * hertz * time + phase)).astype(np.float32)


def ffmpeg_measures(place: Path) -> tuple[float, float]:
    """Integrated loudness and true peak, as ffmpeg's ebur128 measures them."""
    text = subprocess.run(
        ["ffmpeg", "-nostdin", "-hide_banner", "-protocol_whitelist", "file,pipe", "-i", str(place), "-af",
         "ebur128=peak=true", "-f", "null", "-"], capture_output=True, text=True, check=True, timeout=120).stderr
    summary = text[text.rindex("Summary:"):]
    return (float(re.search(r"I:\s+(-?[\d.]+) LUFS", summary)[1]),  # type: ignore[index]
            float(re.search(r"Peak:\s+(-?[\d.]+|-inf) dBFS", summary)[1]))  # type: ignore[index]


def one_channel(stereo_lufs: float) -> float:
    """The reference signals are the same on two channels; one of them alone is 3.01 LU less."""
    return stereo_lufs - 10 * np.log10(2)


# EBU Tech 3341, table 1: levels and lengths of the parts, and the integrated loudness expected (±0.1 LU).
@pytest.mark.parametrize(("parts", "expected"), [
    ([(20, -23)], -23.0),
    ([(20, -33)], -33.0),
    ([(10, -36), (60, -23), (10, -36)], -23.0),
    ([(10, -72), (10, -36), (60, -23), (10, -36), (10, -72)], -23.0),
    ([(20, -26), (20.1, -20), (20, -26)], -23.0),
])
def test_integrated_loudness_of_the_reference_signals(parts: list[tuple[float, float]], expected: float) -> None:
    signal = np.concatenate([sine(seconds, dbfs) for seconds, dbfs in parts])
    assert measure(signal, RATE).integrated == pytest.approx(one_channel(expected), abs=0.1)


# EBU Tech 3341, table 1, cases 15 to 19: tones whose peak lies between the samples (+0.2/−0.4 dB).
@pytest.mark.parametrize(("divisor", "degrees", "dbfs", "expected"), [
    (4, 0, -6.02, -6.0), (4, 45, -6.02, -6.0), (6, 60, -6.02, -6.0), (8, 67.5, -6.02, -6.0), (4, 45, 3.0, 3.0),
])
def test_true_peak_of_the_reference_signals(divisor: int, degrees: float, dbfs: float, expected: float) -> None:
    tone = sine(1.0, dbfs, RATE / divisor, np.radians(degrees))
    fade = np.minimum(1.0, np.minimum(np.arange(RATE), np.arange(RATE)[::-1]) / 480).astype(np.float32)
    assert -0.4 <= measure(tone * fade, RATE).true_peak_db - expected <= 0.2


def speech_like(seconds: float = 12.0) -> np.ndarray:
    noise = np.random.default_rng(7).standard_normal(round(seconds * RATE)).astype(np.float32)
    rhythm = np.repeat(np.random.default_rng(8).choice([0.0, 0.05, 0.2], round(seconds * 4)), RATE // 4)
    return np.convolve(noise * rhythm[: len(noise)], np.ones(8, np.float32) / 8, "same").astype(np.float32)


@pytest.mark.parametrize("gain", [1.0, 0.1])
def test_agrees_with_ffmpeg_and_pyloudnorm(tmp_path: Path, gain: float) -> None:
    signal = speech_like() * gain
    soundfile.write(tmp_path / "a.wav", signal, RATE, subtype="FLOAT")
    meter = measure(signal, RATE)
    lufs, peak = ffmpeg_measures(tmp_path / "a.wav")
    assert meter.integrated == pytest.approx(lufs, abs=0.1)
    assert meter.true_peak_db == pytest.approx(peak, abs=0.25)
    assert meter.integrated == pytest.approx(pyloudnorm.Meter(RATE).integrated_loudness(signal), abs=0.1)


@pytest.mark.parametrize("rate", [22_050, 24_000, 44_100])
def test_the_weighting_holds_at_other_rates(rate: int) -> None:
    assert measure(sine(5, -20, 997, rate=rate), rate).integrated == pytest.approx(
        measure(sine(5, -20, 997), RATE).integrated, abs=0.05)


def test_a_stream_in_pieces_measures_as_a_whole() -> None:
    signal = speech_like(8)
    whole, pieces = measure(signal, RATE), LoudnessMeter(RATE)
    at = 0
    for size in [1, 17, 4800, 100_000, 9, 48_001] * 20:
        pieces.add(signal[at: at + size])
        at += size
    assert pieces.integrated == pytest.approx(whole.integrated, abs=1e-6)
    assert pieces.true_peak_db == pytest.approx(whole.true_peak_db, abs=1e-6)
    assert pieces.short_term() == pytest.approx(whole.short_term(), abs=1e-6)


def test_silence_and_nothing() -> None:
    assert measure(np.zeros(RATE, np.float32), RATE).integrated <= -100
    empty = LoudnessMeter(RATE)
    assert (empty.integrated, empty.true_peak_db, empty.seconds) == (SILENCE, SILENCE, 0)
    short = measure(sine(0.2, -20), RATE)
    assert short.integrated == pytest.approx(one_channel(-20), abs=1.0)


@pytest.mark.parametrize("block", [480, 7001, 480_000])
def test_the_limiter_holds_true_peaks_and_keeps_length_and_quiet_parts(block: int) -> None:
    signal = speech_like(6) * 8
    signal[: RATE] *= 0.02
    limiter = Limiter(RATE, -1.0)
    out = np.concatenate([*(limiter.process(signal[at: at + block]) for at in range(0, len(signal), block)),
                          limiter.flush()])
    assert len(out) == len(signal)
    assert measure(out, RATE).true_peak_db <= -1.0
    assert limiter.reduced_db > 3
    np.testing.assert_array_equal(out[: RATE // 2], signal[: RATE // 2])
    np.testing.assert_allclose(out, limit(signal, RATE, -1.0)[0], atol=1e-6)
