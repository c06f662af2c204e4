"""``janoglot dub``, ``janoglot voices``, and what measures: ``measure-voices``, ``-moods`` and ``-directing``."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import soundfile
from tqdm import tqdm

from janoglot.core.deliver.deliverable import Need
from janoglot.core.deliver.package import PACKAGES, hand_over, package_of
from janoglot.core.dubbing import Progress, dub, materials_of
from janoglot.core.edition.directed_by_notes import direct_by_notes
from janoglot.core.edition.marked_up import take_markup
from janoglot.core.errors import BadInput, JanoglotError
from janoglot.core.guarded import read_json
from janoglot.core.languages import distance, english_name, primary, same_language, tag_of
from janoglot.core.mix.cues import SoundPlan, sound_plan_of
from janoglot.core.script.formats import read_script
from janoglot.core.script.formats.base import Hints
from janoglot.core.script.labels import merge_labels
from janoglot.core.script.model import Script
from janoglot.core.speech.casting import no_rich_natives
from janoglot.core.speech.catalogue import catalogue, languages, voice_named
from janoglot.core.speech.engines.neural_graph import RichVoicesMissing, prepare
from janoglot.core.speech.engines.rich import natives_missing, rich_missing
from janoglot.core.speech.lexicon import LexiconEntry, read_lexicon
from janoglot.core.speech.measures import SHIPPED, write_shipped
from janoglot.core.speech.recogniser import prepare_recogniser
from janoglot.core.speech.understanding import heard_speaking, measure_language
from janoglot.core.speech.understanding import write_shipped as keep_understanding
from janoglot.core.speech.weights import weights_root
from janoglot.core.store import atomic_file

MOST_READINGS = 20


def main(arguments: Sequence[str] | None = None) -> int:
    """Exit status: 0 done, 1 something failed, 2 the input is at fault (said on standard error)."""
    parser = argparse.ArgumentParser(prog="janoglot", description="Finished speech tracks from a script.")
    commands = parser.add_subparsers(dest="command", required=True)
    job = commands.add_parser("dub", help="make every edition of a script")
    job.add_argument("script", type=Path,
                     help="text, a table, an office document, a screenplay, captions or JSON: see docs/formats.md")
    job.add_argument("--languages", help="target languages, by comma; without it, all that the script has")
    job.add_argument("--source-language", help="the language of the script's own words (otherwise en-GB)")
    job.add_argument("--cast", type=Path,
                     help='JSON: {"<language>": {"<speaker>": "<voice id>"}}; of a list the first that is there')
    job.add_argument("--voices", choices=("natives", "rich"), default="",
                     help="where no rich voice is at home: natives though they are light, or rich voices though they "
                          "bring an accent (otherwise whoever was understood better)")
    job.add_argument("--loudness", type=float, help="programme loudness in LUFS (otherwise the script's own, or -16)")
    job.add_argument("--quality", choices=("sketch", "finish"), default="finish",
                     help="rich voices as they are delivered (finish), or at once by light ones of the same length")
    job.add_argument("--lexicon", type=Path, action="append", default=[], metavar="FILE",
                     help="how words are read everywhere: PLS 1.0, or a table (more than once: the first holds)")
    job.add_argument("--takes", type=int, default=0, metavar="N",
                     help="make N more readings of every line to choose from, beside the clips")
    job.add_argument("--ambience", default="", metavar="TEXT",
                     help='what is heard all along, from a description: "harbour at night"')
    job.add_argument("--bed", type=Path, help="a recording that lies under the voices from the beginning")
    job.add_argument("--cues", type=Path, help="layers and cues under the voices, as JSON: see docs/sound.md")
    job.add_argument("--out", type=Path, default=Path("out"), help="where to write (otherwise ./out)")
    give = commands.add_parser("deliver", help="make a package of editions: tracks, captions, picture, books, lists")
    give.add_argument("script", type=Path, metavar="PRODUCTION",
                      help="the production in our own format (script.json), or any script")
    give.add_argument("--package", default="listening copy", metavar="NAME",
                      help="one of those that come with it (see --list), or a JSON file of one's own")
    give.add_argument("--list", action="store_true", help="list the packages that come with it, as JSON")
    give.add_argument("--languages", help="which editions, by comma; without it, all that the script has")
    give.add_argument("--source-language", help="the language of the script's own words (otherwise en-GB)")
    give.add_argument("--cast", type=Path, help="as of dub")
    give.add_argument("--voices", choices=("natives", "rich"), default="", help="as of dub")
    give.add_argument("--loudness", type=float, help="as of dub")
    give.add_argument("--quality", choices=("sketch", "finish"), default="finish", help="as of dub")
    give.add_argument("--cues", type=Path, help="as of dub")
    give.add_argument("--picture", type=Path, help="the source's video, for packages that have a picture")
    give.add_argument("--zip", action="store_true", help="one archive rather than a folder")
    give.add_argument("--out", type=Path, default=Path("out"), help="where to write (otherwise ./out)")
    voices = commands.add_parser("voices", help="list the catalogue")
    voices.add_argument("--language", help="only voices that speak it")
    voices.add_argument("--json", action="store_true")
    table = commands.add_parser("measure-voices", help="measure one language's voices, as a Markdown table")
    table.add_argument("--language", default="en")
    moods = commands.add_parser("measure-moods", help="measure every mood on one voice's sound, as a Markdown table "
                                                      "(takes a while)")
    moods.add_argument("--voice", default="hawfinch")
    directing = commands.add_parser("measure-directing", help="measure whether what is directed of words is heard, as "
                                                              "a Markdown table")
    directing.add_argument("--voice", default="blackcap")
    sound = commands.add_parser("sound", help="make a sound from a description, as FLAC or WAV")
    sound.add_argument("description", nargs="?", default="", help='"heavy rain on a tin roof, distant thunder"')
    sound.add_argument("--seconds", type=float, help="how long (otherwise as is usual for it); it loops without a seam")
    sound.add_argument("--number", type=int, default=0, help="another number is another sound of the same kind")
    sound.add_argument("--out", type=Path, default=Path("sound.flac"), help="where to write (otherwise ./sound.flac)")
    sound.add_argument("--list", action="store_true", help="list every sound, as a Markdown table")
    commands.add_parser("drafting", help="list what drafts translations here, and what is wrong with what cannot")
    commands.add_parser("prepare-rich", help="make the rich voices' network ready")
    commands.add_parser("prepare-recogniser", help="make the recogniser's model ready")
    table.add_argument("--recognise", action="store_true",
                       help="how well a recogniser understands who is at home in it (takes a while)")
    table.add_argument("--rich", action="store_true", help="its rich voices rather than its light ones")
    table.add_argument("--coverage", action="store_true", help="what share of each language's sounds rich voices have")
    table.add_argument("--tongues", action="store_true", help="find who is understood best in a language that "
                       "nobody is at home in, and keep it with the program (takes a while)")
    table.add_argument("--write", action="store_true", help="measure every voice by name and keep it with the program")
    options = parser.parse_args(arguments)
    try:
        return {"dub": _dub, "deliver": _deliver, "voices": _voices, "measure-voices": _measure,
                "measure-moods": _measure_moods,
                "measure-directing": _measure_directing, "sound": _sound,
                "drafting": _drafting, "prepare-rich": _prepare, "prepare-recogniser": _prepare_recogniser}[
            options.command](options)
    except BadInput as error:
        print(f"janoglot: {error} {error.hint}".rstrip(), file=sys.stderr)
        return 2
    except JanoglotError as error:
        print(f"janoglot: {error} {error.hint}".rstrip(), file=sys.stderr)
        return 1
    except OSError as error:
        print(f"janoglot: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("janoglot: stopped. What is done is kept; the same command goes on from there.", file=sys.stderr)
        return 130
    except BrokenPipeError:
        return 0


def _deliver(options: argparse.Namespace) -> int:
    if options.list:
        print(json.dumps([one.as_json() for one in PACKAGES], ensure_ascii=False, indent=1))
        return 0
    package = next((one for one in PACKAGES if one.name == options.package), None)
    if package is None:
        place = Path(options.package)
        if not place.is_file():
            raise BadInput("There is no package called “{name}”. Those that come with it: {all}. Or name a JSON file.",
                           name=options.package[:80], all=", ".join(one.name for one in PACKAGES))
        package = package_of(read_json(_read(place)))
    if options.picture is None and any(Need.PICTURE in one.of.needs(one.chosen) for one in package.items):
        # Before anything is voiced for it.
        raise BadInput("There is no picture here: bring in the source's video, by --picture.")
    script, source, languages, cast = _script_of(options)
    options.ambience, options.bed = "", None
    sounds, folder = _sounds_under(options, script)
    options.out.mkdir(parents=True, exist_ok=True)
    tell = _bar()
    materials, stores = materials_of(script, source, languages, cast, options.script.stem, _var() / "takes",
                                     target=options.loudness, progress=tell, quality=options.quality, sounds=sounds,
                                     sounds_folder=folder, picture=options.picture, choose=options.voices)
    _tell_of_homes({one.language: [line.voice.id for line in one.standing.lines if line.voice]
                    for one in materials})
    files = hand_over(package, materials, stores, options.out, options.zip, tell, lambda left: print(
        f"left out: {package.items[left.number].kind} ({', '.join(left.languages) or 'all'}): {left.why}",
        file=sys.stderr))
    for one in files:
        print(one["path"])
    return 0


def _script_of(options: argparse.Namespace) -> tuple[Script, str, list[str] | None, dict[str, dict[str, str]]]:
    """The script of a command, its source's language, the languages that are wanted, and who is cast. Raises
    BadInput."""
    source = tag_of(options.source_language) if options.source_language else ""
    data = _read(options.script)
    script = read_script(data, options.script.name, Hints(source_language=source))
    take_markup(script)
    direct_by_notes(script)
    source = script.source_language or source or "en-GB"
    languages = None
    if options.languages:
        languages = [_wanted(tag_of(name), source, script) for name in options.languages.split(",") if name.strip()]
    for kept, others in merge_labels(script).items():
        print(f"{options.script.name}: {', '.join(f'“{one}”' for one in others)} and “{kept}” are one speaker here, "
              f"“{kept}”", file=sys.stderr)
    for problem in script.problems:
        if problem.severity != "note":
            print(f"{options.script.name}, {problem}", file=sys.stderr)
    cast = _cast(options.cast, [source, *script.languages]) if options.cast else {}
    return script, source, languages, cast


def _dub(options: argparse.Namespace) -> int:
    script, source, languages, cast = _script_of(options)
    if not 0 <= options.takes <= MOST_READINGS:
        raise BadInput("--takes runs from 0 to {most}.", most=MOST_READINGS)
    lexicon = _lexicon(options.lexicon)
    sounds, folder = _sounds_under(options, script)
    options.out.mkdir(parents=True, exist_ok=True)
    report = dub(script, source, languages, cast, options.out, _var() / "takes", options.loudness,
                 progress=_bar(), quality=options.quality, lexicon=lexicon, readings=options.takes, sounds=sounds,
                 sounds_folder=folder, choose=options.voices)
    _tell_of_homes({tag: [row["voice"] for row in edition["lines"] if row["voice"]]
                    for tag, edition in report["editions"].items()})
    with atomic_file(options.out / "report.json") as half:
        half.write_text(json.dumps(report, ensure_ascii=False, indent=1), encoding="utf-8")
    for tag, edition in report["editions"].items():
        over = [row for row in edition["lines"] if row["over"]]
        if edition.get("cues_left_out"):
            print(f"{tag}: {len(edition['cues_left_out'])} cues are tied to what this edition does not have",
                  file=sys.stderr)
        print(f"{tag}: {edition['duration']:.1f} s, {edition['integrated_lufs']:.1f} LUFS, "
              f"{edition['true_peak_dbtp']:.1f} dBTP, {len(edition['lines'])} lines, {len(over)} over their slot")
    return 0


def _tell_of_homes(spoken: Mapping[str, Sequence[str]]) -> None:
    """Say of each edition that is spoken by rich voices who are not at home in it, or by light ones instead."""
    for tag, voices in spoken.items():
        choice = no_rich_natives(tag)
        cast = [found for voice in dict.fromkeys(voices) if (found := catalogue().get(voice))]
        strangers = [voice for voice in cast if voice.is_rich and not voice.is_native(tag)]
        if choice is None or not choice.natives:
            continue
        if strangers:
            homes = ", ".join(dict.fromkeys(english_name(primary(voice.locale)) for voice in strangers))
            heard = [one for voice in strangers if (one := heard_speaking(voice.base, tag))]
            known = f", of whose sounds {100 * min(one.understood for one in heard):.0f} % or more are understood" \
                if len(heard) == len(strangers) else ""
            print(f"{tag}: nobody of the rich voices is at home in {english_name(tag)}, {len(strangers)} of "
                  f"{len(cast)} are from elsewhere ({homes}){known}. --voices natives casts its own, who are light.",
                  file=sys.stderr)
        elif all(not voice.is_rich for voice in cast):
            print(f"{tag}: nobody of the rich voices is at home in {english_name(tag)}: light natives were cast. "
                  "--voices rich casts rich ones, with an accent.", file=sys.stderr)


def _sounds_under(options: argparse.Namespace, script: Script) -> tuple[SoundPlan | None, Path]:
    """What lies under the voices, and where its files are."""
    told: dict[str, Any] = dict(script.sounds)
    folder = Path()
    if options.cues:
        loaded = read_json(_read(options.cues), "list of cues")
        told = dict(loaded) if isinstance(loaded, dict) else told
        folder = options.cues.parent
    told["cues"] = list(told.get("cues") or [])
    whole = {"at": 0, "loop": True, "fade_in": 1.5, "fade_out": 2.5}
    if options.ambience:
        told["cues"].append({**whole, "layer": "ambience", "sound": {"made": options.ambience}})
    if options.bed:
        told["cues"].append({**whole, "loop": False, "layer": "bed", "sound": {"file": str(options.bed.resolve())}})
    return (sound_plan_of(told) if any(told.values()) else None), folder


def _lexicon(places: Sequence[Path]) -> list[LexiconEntry]:
    entries: list[LexiconEntry] = []
    for place in places:
        found, left = read_lexicon(_read(place), place.name)
        entries += found
        for why in left:
            print(f"{place.name}: {why}", file=sys.stderr)
    return entries


def _column(tag: str, known: Sequence[str]) -> str:
    """The script's own column for a language: "es" finds "es-MX" where that is the only Spanish."""
    if tag in known:
        return tag
    near = sorted((k for k in known if same_language(k, tag)), key=lambda k: distance(tag, k))
    return near[0] if near else tag


def _wanted(tag: str, source: str, script: Script) -> str:
    """The edition to make for a language that was asked for: the script's own column where it is as exact, else the
    very language, in the words of a column without a country ("German" has words for "de-DE")."""
    found = _column(tag, [source, *script.languages])
    if found in (tag, source) or "-" in found or "-" not in tag:
        return found
    for line in script.lines:
        if found in line.wordings:
            line.wordings[tag] = line.wordings.pop(found)
    script.languages = [tag if one == found else one for one in script.languages]
    return tag


def _cast(place: Path, known: Sequence[str]) -> dict[str, dict[str, str]]:
    try:
        data: Any = json.loads(_read(place).decode("utf-8-sig"))
    except (ValueError, UnicodeDecodeError) as error:
        raise BadInput("{file} is not JSON ({why}). Write {{\"es-MX\": {{\"Keeper\": \"curlew\"}}}}.",
                       file=place.name, why=str(error)) from error
    if not isinstance(data, dict) or not all(
        isinstance(cells, dict) and all(map(_is_choice, cells.values())) for cells in data.values()
    ):
        raise BadInput("{file} must hold voices by language and speaker: "
                       "{{\"es-MX\": {{\"Keeper\": \"curlew\"}}}}.", file=place.name)
    return {_column(tag_of(tag), known): {name: _first_there(choice) for name, choice in cells.items()}
            for tag, cells in data.items()}


def _is_choice(told: Any) -> bool:
    several = told if isinstance(told, list) else [told]
    return bool(several) and all(isinstance(one, str) for one in several)


def _first_there(choice: str | list[str]) -> str:
    """Of several voices, the first that this machine has."""
    several = [choice] if isinstance(choice, str) else choice
    return next((one for one in several if one in catalogue()), several[0])


def _read(place: Path) -> bytes:
    try:
        return place.read_bytes()
    except IsADirectoryError as error:
        raise BadInput("{file} is a folder. Name a script file.", file=str(place)) from error
    except OSError as error:
        raise BadInput("{file} cannot be read: {why}.", file=str(place), why=error.strerror or "unknown") from error


def _var() -> Path:
    return Path(os.environ.get("JANOGLOT_VAR") or Path.home() / ".cache" / "janoglot")


def _bar() -> Progress:
    bars: dict[str, tqdm[Any]] = {}

    def progress(step: str, done: int, total: int) -> None:
        bar = bars.get(step)
        if bar is None:
            bar = bars[step] = tqdm(total=total, desc=step, unit="edition" if step == "mix" else "line",
                                    disable=None if sys.stderr.isatty() else True)
        bar.update(done - bar.n)
        if done >= total:
            bar.close()

    return progress


def _voices(options: argparse.Namespace) -> int:
    language = tag_of(options.language) if options.language else None
    found = [voice for voice in catalogue().values() if language is None or voice.speaks(language)]
    if not found:
        raise BadInput("No voice on this machine speaks {language}.", language=options.language)
    missing = rich_missing() or natives_missing()
    if missing:
        print(f"janoglot: {missing} {RichVoicesMissing.hint}", file=sys.stderr)
    if options.json:
        print(json.dumps([{name: getattr(voice, name) for name in
                           ("id", "name", "locale", "accent", "register", "age", "engine", "licence", "commercial",
                            "licence_at")}
                          for voice in found], ensure_ascii=False, indent=1))
        return 0
    wide = max(len(voice.id) for voice in found)
    for voice in found:
        print(f"{voice.id:{wide}}  {'rich' if voice.is_rich else 'light':5}  {voice.locale:16}  {voice.register:9} "
              f"{voice.age:6} {voice.accent}")
    return 0


def _measure(options: argparse.Namespace) -> int:
    from janoglot.core.speech import voice_table

    if options.write:
        named = [voice for voice in catalogue().values() if voice.id == voice.name.lower()]
        print(write_shipped(named), SHIPPED)
    elif options.tongues:
        language = tag_of(options.language)
        heard = measure_language([voice for voice in catalogue().values() if voice.is_rich], language)
        keep_understanding(language, heard)
        for name, one in heard.items():
            print(f"{name}: {one.error:.3f} of words otherwise, {one.sounds:.3f} of sounds; "
                  f"taken for it {one.native:.2f}")
    elif options.coverage:
        print(voice_table.coverage_table())
    elif options.recognise:
        language = tag_of(options.language)
        for row in voice_table.recognition_table(language, voice_table.recognition_rows(language)):
            print(row, flush=True)
    else:
        print(voice_table.voice_table(tag_of(options.language), options.rich))
    return 0


def _measure_moods(options: argparse.Namespace) -> int:
    from janoglot.core.speech.mood_measures import measured, mood_table

    for row in mood_table(measured(voice_named(options.voice))):
        print(row, flush=True)
    return 0


def _measure_directing(options: argparse.Namespace) -> int:
    from janoglot.core.speech.directing_measures import directing_table, measured

    for row in directing_table(measured(voice_named(options.voice))):
        print(row, flush=True)
    return 0


def _sound(options: argparse.Namespace) -> int:
    from janoglot.core.mix.synthesis.base import RATE
    from janoglot.core.mix.synthesis.describing import described
    from janoglot.core.mix.synthesis.library import generator_named, make_sound, sound_table

    if options.list:
        for row in sound_table():
            print(row)
        return 0
    told = described(options.description)
    if told.missed:
        near = f" Near it: {', '.join(told.near)}." if told.near else ""
        print(f"janoglot: not understood: {', '.join(told.missed)}.{near}", file=sys.stderr)
    if not told.parts:
        raise BadInput("Nothing of this description is a sound that can be made here. See ./janoglot sound --list.")
    seconds = options.seconds or max(generator_named(part.sound).seconds for part in told.parts)
    for part in told.parts:
        settings = ", ".join(f"{name} {value:g}" for name, value in part.settings.items())
        print(f"{part.sound}{f' ({settings})' if settings else ''}")
    with atomic_file(options.out) as half:
        soundfile.write(half, make_sound(told.parts, seconds, options.number), RATE, subtype="PCM_24",
                        format="WAV" if options.out.suffix.lower() == ".wav" else "FLAC")
    print(f"{options.out}: {seconds:g} s, number {options.number}; it may be used for anything")
    return 0


def _drafting(options: argparse.Namespace) -> int:
    from janoglot.core.adapt.drafting import Apertium
    from janoglot.core.adapt.neural_drafting import drafts_folder, found_models, neural_drafters

    faults = [(place, why) for place, why in found_models() if isinstance(why, JanoglotError)]
    spoken = sorted({primary(tag) for tag in languages()})
    for drafter in [*neural_drafters(), Apertium()]:
        pairs = [(one, other) for one in spoken for other in sorted(drafter.reaches(one))]
        told = [f"{one} → {other}" for one, other in pairs[:40]]
        more = f" and {len(pairs) - 40} more" if len(pairs) > 40 else ""
        print(f"{drafter.name}: {', '.join(told) or 'nothing'}{more}")
    for _, why in faults:
        print(f"{why} {why.hint}")
    print(f"Models of your own: a folder each under {drafts_folder() or 'JANOGLOT_DRAFTS'} (docs/drafting.md)")
    return 1 if faults else 0


def _prepare(options: argparse.Namespace) -> int:
    prepare(weights_root())
    return 0


def _prepare_recogniser(options: argparse.Namespace) -> int:
    print(prepare_recogniser(weights_root()))
    return 0


if __name__ == "__main__":
    sys.exit(main())
