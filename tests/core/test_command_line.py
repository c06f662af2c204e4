"""The command line from end to end, on files written for it here."""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import pytest
import soundfile
import srt as srt_library

from janoglot.cli.main import main
from tests.core.test_loudness import ffmpeg_measures

HOME = Path(__file__).resolve().parents[2]
SCRIPT = """speaker,words,in,out,es-MX,German
Harbourmaster,"The ferry leaves at the turn of the tide.",0:01,0:04,"El ferry sale con el cambio de marea.",Die Fähre fährt.
Deckhand,Which tide?,0:04.5,0:05.6,¿Qué marea?,"Welche Flut denn, die von heute früh oder die von heute Abend, die große?"
Harbourmaster,The next one.,0:06,0:07.5,La próxima.,Die nächste.
"""


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def janoglot(folder: Path, *arguments: str) -> Done:
    """The command line in this process, with what is loaded here already."""
    out, said = io.StringIO(), io.StringIO()
    with (contextlib.chdir(folder), contextlib.redirect_stdout(out), contextlib.redirect_stderr(said),
          mock.patch.dict(os.environ, {"JANOGLOT_VAR": str(folder / "var")})):
        try:
            status = main(arguments)
        except SystemExit as ended:
            status = int(ended.code or 0)
    return Done(status, out.getvalue(), said.getvalue())


def as_a_process(folder: Path, *arguments: str, **extra: str) -> Done:
    done = subprocess.run([sys.executable, "-m", "janoglot.cli.main", *arguments], capture_output=True, text=True,
                          cwd=folder, timeout=240,
                          env={**os.environ, "PYTHONPATH": str(HOME / "src"), "JANOGLOT_VAR": str(folder / "var"), **extra})
    return Done(done.returncode, done.stdout, done.stderr)


@pytest.fixture(scope="module")
def dubbed(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, Any]]:
    folder = tmp_path_factory.mktemp("dub")
    (folder / "ferry.csv").write_text(SCRIPT)
    (folder / "cast.json").write_text('{"es-MX": {"Deckhand": ["not-here", "colibri"]}, "German": {"Deckhand": "curlew"}}')
    done = as_a_process(folder, "dub", "ferry.csv", "--cast", "cast.json", "--loudness", "-23", "--out", "made")
    assert done.returncode == 0, done.stderr
    return folder, json.loads((folder / "made" / "report.json").read_text())


def test_every_language_gets_its_files(dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, report = dubbed
    assert list(report["editions"]) == ["en-GB", "es-MX", "de"]
    for tag in report["editions"]:
        names = sorted(p.relative_to(folder / "made" / tag).as_posix() for p in (folder / "made" / tag).rglob("*.*"))
        assert names == ["captions.srt", "captions.vtt", "clips/001_Harbourmaster.wav", "clips/002_Deckhand.wav",
                         "clips/003_Harbourmaster.wav", "mix.wav"]


def test_the_report_says_what_is_in_the_files(dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, report = dubbed
    for tag, edition in report["editions"].items():
        samples, rate = soundfile.read(folder / "made" / tag / "mix.wav")
        lufs, peak = ffmpeg_measures(folder / "made" / tag / "mix.wav")
        assert len(samples) / rate == pytest.approx(edition["duration"], abs=0.01)
        assert edition["duration"] >= 7.5
        assert lufs == pytest.approx(-23, abs=0.5)
        assert edition["integrated_lufs"] == pytest.approx(lufs, abs=0.2)
        assert edition["true_peak_dbtp"] == pytest.approx(peak, abs=0.3)
        spoken = np.zeros(len(samples), bool)
        for row in edition["lines"]:
            part = samples[round(row["start"] * rate): round(row["end"] * rate)]
            assert np.sqrt(np.mean(part**2)) > 0.005
            spoken[round((row["start"] - 0.01) * rate): round((row["end"] + 0.01) * rate)] = True
        assert np.abs(samples[~spoken]).max() == 0
        cues = list(srt_library.parse((folder / "made" / tag / "captions.srt").read_text()))
        assert cues[0].start.total_seconds() == pytest.approx(edition["lines"][0]["start"], abs=0.002)
        assert cues[-1].end.total_seconds() == pytest.approx(edition["lines"][-1]["end"], abs=0.002)


def test_a_sketch_has_the_lengths_of_what_is_finished(dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, finished = dubbed
    done = janoglot(folder, "dub", "ferry.csv", "--cast", "cast.json", "--languages", "es-MX", "--quality", "sketch",
                    "--out", "sketched")
    assert done.returncode == 0, done.stderr
    report = json.loads((folder / "sketched" / "report.json").read_text())
    assert (report["quality"], finished["quality"]) == ("sketch", "finish")
    for sketch, line in zip(report["editions"]["es-MX"]["lines"], finished["editions"]["es-MX"]["lines"], strict=True):
        assert [sketch[name] for name in ("voice", "natural", "start", "end")] == [
            line[name] for name in ("voice", "natural", "start", "end")]
        # Who was cast with a light voice has no sketch.
        assert ("sketch" in sketch["flags"]) == (sketch["speaker"] == "Harbourmaster")
        assert "sketch" not in line["flags"]
    sounds = [soundfile.read(folder / name / "es-MX" / "mix.wav")[0] for name in ("made", "sketched")]
    assert len(sounds[0]) == len(sounds[1])


def test_castings_and_flags_are_reported(dubbed: tuple[Path, dict[str, Any]]) -> None:
    _, report = dubbed
    spanish, german = report["editions"]["es-MX"]["lines"], report["editions"]["de"]["lines"]
    assert spanish[1]["voice"] == "colibri"
    assert german[1]["voice"] == "curlew"
    assert "voice_language" in german[1]["flags"]
    assert {"over", "fast"} <= set(german[1]["flags"])
    assert german[1]["over"] > 0
    assert german[2]["start"] >= german[1]["end"] - 0.002
    assert german[0]["slot"] == [1.0, 4.0]


def test_one_language_can_be_asked_for_and_is_added_to_the_source(dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, _ = dubbed
    done = janoglot(folder, "dub", "ferry.csv", "--languages", "Spanish", "--out", "one")
    assert done.returncode == 0, done.stderr
    assert sorted(p.name for p in (folder / "one").iterdir()) == ["en-GB", "es-MX", "report.json"]


@pytest.mark.parametrize(("arguments", "says"), [
    (["dub", "missing.csv"], "missing.csv cannot be read"),
    (["dub", "empty.txt"], "empty"),
    (["dub", "ferry.csv", "--languages", "Japanese"], "no words in Japanese"),
    (["dub", "ferry.csv", "--languages", "Harbourish"], "“Harbourish” is not a language"),
    (["dub", "ferry.csv", "--cast", "bad.json"], "bad.json is not JSON"),
    (["dub", "ferry.csv", "--cast", "voice.json"], "no voice “curlw”.*curlew"),
    (["dub", "ferry.csv", "--cast", "who.json"], "names “Bosun”"),
    (["dub", "ferry.csv", "--loudness", "4"], "out of range"),
    (["voices", "--language", "Harbourish"], "not a language"),
])
def test_bad_input_is_one_plain_sentence_and_status_2(arguments: list[str], says: str,
                                                      dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, _ = dubbed
    (folder / "empty.txt").write_text(" \n")
    (folder / "bad.json").write_text("{")
    (folder / "voice.json").write_text('{"es-MX": {"Deckhand": "curlw"}}')
    (folder / "who.json").write_text('{"es-MX": {"Bosun": "curlew"}}')
    done = janoglot(folder, *arguments, *(["--out", "never"] if arguments[0] == "dub" else []))
    assert done.returncode == 2
    assert re.search(says, done.stderr)
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_package_is_handed_over(dubbed: tuple[Path, dict[str, Any]]) -> None:
    """Of editions that were dubbed before: nothing is voiced again, and what is asked for that is not there is said."""
    folder, report = dubbed
    done = janoglot(folder, "deliver", "ferry.csv", "--package", "listening copy", "--languages", "es-MX,German", "--cast",
                    "cast.json", "--loudness", "-23", "--out", "given")
    assert done.returncode == 0, done.stderr
    paths = done.stdout.split()
    assert paths == [f"{tag}/ferry_{tag}.{ending}" for ending in ("mp3", "srt", "vtt") for tag in ("es-MX", "de")]
    place = folder / "given" / "ferry_listening-copy"
    manifest = json.loads((place / "manifest.json").read_text())
    assert manifest["mixes"]["es-MX"] == report["editions"]["es-MX"]["mix"]
    assert ffmpeg_measures(place / "es-MX" / "ferry_es-MX.mp3")[0] == pytest.approx(-23, abs=0.5)
    assert "web picture" in janoglot(folder, "deliver", "x", "--list").stdout
    for arguments, says in ((["--package", "wax cylinders"], "no package called"), (["--package", "web picture"], "no picture")):
        refused = janoglot(folder, "deliver", "ferry.csv", *arguments, "--languages", "es-MX", "--cast", "cast.json")
        assert refused.returncode == 2
        assert says in refused.stderr
    (folder / "ours.json").write_text('{"name": "ours", "items": [{"kind": "wordings", "choices": {"format": "csv"}}]}')
    packed = janoglot(folder, "deliver", "ferry.csv", "--package", "ours.json", "--languages", "es-MX", "--cast", "cast.json",
                      "--zip", "--out", "given")
    assert packed.returncode == 0, packed.stderr
    assert (folder / "given" / "ferry_ours.zip").stat().st_size > 300


def test_the_catalogue_is_listed(dubbed: tuple[Path, dict[str, Any]]) -> None:
    folder, _ = dubbed
    rows = janoglot(folder, "voices", "--language", "es").stdout.splitlines()
    assert len(rows) >= 12
    assert any("Latinoamérica" in row and row.startswith("quetzal") for row in rows)
    listed = json.loads(janoglot(folder, "voices", "--json").stdout)
    assert len(listed) > 500
    assert {"id", "locale", "accent", "register", "age", "licence"} <= set(listed[0])


def test_without_rich_voices_everything_else_works(tmp_path: Path) -> None:
    (tmp_path / "two.txt").write_text("Keeper: Mind the third step.\nImka: Why?\n")
    without = {"JANOGLOT_RICH_MODEL": "/nowhere/model.onnx"}
    listed = as_a_process(tmp_path, "voices", "--language", "en", **without)
    assert listed.returncode == 0
    assert "no model /nowhere/model.onnx" in listed.stderr
    assert " rich " not in listed.stdout
    done = as_a_process(tmp_path, "dub", "two.txt", "--out", "made", **without)
    assert done.returncode == 0, done.stderr
    report = json.loads((tmp_path / "made" / "report.json").read_text())
    assert all(line["voice"] for line in report["editions"]["en-GB"]["lines"])


def test_the_edition_that_was_asked_for_is_made_and_labels_of_one_person_are_one(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("speaker,words,German\nODA,The tide.,Die Flut.\nOda,Again.,Noch einmal.\nOdo,No.,Nein.\n")
    done = janoglot(tmp_path, "dub", "a.csv", "--languages", "de-DE", "--quality", "sketch", "--out", "made")
    assert done.returncode == 0, done.stderr
    report = json.loads((tmp_path / "made" / "report.json").read_text())
    assert list(report["editions"]) == ["en-GB", "de-DE"]
    assert [line["speaker"] for line in report["editions"]["de-DE"]["lines"]] == ["Oda", "Oda", "Odo"]
    assert "“ODA”" in done.stderr


def test_what_is_directed_in_the_file_is_obeyed(tmp_path: Path) -> None:
    """A column of plain words, markup in the words, a lexicon, and more readings to choose from."""
    words = "The ferry leaves at the turn of the tide."
    (tmp_path / "plain.csv").write_text(f"speaker,words\nPilot,{words}\nPilot,{words}\nPilot,The Kirrin boat.\n")
    (tmp_path / "told.csv").write_text(
        f'speaker,words,delivery\nPilot,{words},"tired, slow at the end"\n'
        f'Pilot,"The ferry <break time=""800ms""/>leaves at the <emphasis>turn</emphasis> of the tide.",\nPilot,The Kirrin boat.,\n')
    (tmp_path / "names.pls").write_text(
        '<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="ipa" xml:lang="en">'
        "<lexeme><grapheme>Kirrin</grapheme><alias>Kay rin of the island</alias></lexeme></lexicon>")
    (tmp_path / "cast.json").write_text('{"en-GB": {"Pilot": "curlew"}}')
    seconds = {}
    for name, more in (("plain", []), ("told", ["--lexicon", "names.pls", "--takes", "2"])):
        done = janoglot(tmp_path, "dub", f"{name}.csv", "--cast", "cast.json", "--out", name, *more)
        assert done.returncode == 0, done.stderr
        rows = json.loads((tmp_path / name / "report.json").read_text())["editions"]["en-GB"]["lines"]
        seconds[name] = [row["natural"] for row in rows]
    assert rows[1]["words"] == words
    assert seconds["told"][0] > 1.2 * seconds["plain"][0]
    assert seconds["told"][1] == pytest.approx(seconds["plain"][1] + 0.8, abs=0.3)
    assert seconds["told"][2] > 1.5 * seconds["plain"][2]
    readings = [soundfile.info(tmp_path / "told" / "en-GB" / one["file"]) for row in rows for one in row["readings"]]
    assert len(readings) == 6 and all(one.duration > 0.5 for one in readings)
    done = janoglot(tmp_path, "dub", "told.csv", "--takes", "99")
    assert done.returncode == 2 and "--takes" in done.stderr
