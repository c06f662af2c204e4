"""The catalogue of voices: ours by name, light and rich, and general ones for every further language."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

from janoglot.core.errors import BadInput, UnknownVoice
from janoglot.core.languages import distance, own_name, primary
from janoglot.core.speech.engines import engine_named
from janoglot.core.speech.engines.formant import FormantEngine
from janoglot.core.speech.kinds import KINDS
from janoglot.core.speech.own_voices import own_voices
from janoglot.core.speech.rich_voices import rich_voices
from janoglot.core.speech.understanding import heard_speaking
from janoglot.core.speech.voices import AGES, REGISTERS, Voice, register_of

_STEPS = (0.0, 1.0, -1.0, 2.0, -2.0, 1.5, -1.5, 0.5)
_GENERAL = ("deep", "steady", "plain", "velvet", "clear", "bright", "child")

# base voice, accent, then kind = name. Names are birds', and each is used once.
_NAMED: tuple[tuple[str, str, str], ...] = (
    ("gmw/en", "England", "deep=Curlew grave=Bittern weathered=Rook steady=Dunlin plain=Avocet keen=Plover "
     "velvet=Redshank aged=Knot clear=Siskin airy=Whimbrel bright=Wagtail teen=Stint child=Wren"),
    ("gmw/en-GB-scotland", "Scotland", "deep=Gannet plain=Ptarmigan clear=Dotterel bright=Crossbill child=Twite"),
    ("gmw/en-GB-x-rp", "England, formal", "grave=Heron velvet=Egret keen=Spoonbill aged=Godwit"),
    ("gmw/en-GB-x-gbclan", "Lancashire", "steady=Jackdaw clear=Dunnock child=Firecrest"),
    ("gmw/en-GB-x-gbcwmd", "West Midlands", "weathered=Fieldfare keen=Whinchat airy=Redstart"),
    ("gmw/en-US", "United States", "deep=Bobolink steady=Phoebe plain=Grackle velvet=Veery clear=Tanager "
     "bright=Bunting child=Chickadee"),
    ("gmw/en-US-nyc", "New York", "grave=Killdeer keen=Starling bright=Catbird"),
    ("gmw/en-029", "Caribbean", "deep=Frigatebird plain=Bananaquit clear=Motmot teen=Tody"),
    ("roa/es", "España", "deep=Alcaudon grave=Azor plain=Abubilla velvet=Alondra clear=Jilguero child=Chochin"),
    ("roa/es-419", "Latinoamérica", "deep=Zanate weathered=Caracara steady=Cenzontle plain=Quetzal keen=Tordo "
     "velvet=Calandria aged=Chachalaca clear=Golondrina bright=Colibri child=Saltapared"),
    ("roa/fr", "France", "deep=Busard grave=Butor steady=Merle plain=Pinson keen=Loriot velvet=Fauvette "
     "aged=Grive clear=Mesange bright=Linotte child=Roitelet"),
    ("roa/fr-BE", "Belgique", "steady=Vanneau clear=Bergeronnette child=Tarin"),
    ("roa/fr-CH", "Suisse", "deep=Gypaete plain=Chocard bright=Niverolle"),
    ("roa/pt", "Portugal", "deep=Milhafre plain=Pintassilgo velvet=Rola clear=Andorinha child=Carrica"),
    ("roa/pt-BR", "Brasil", "deep=Jacu grave=Mutum steady=Tucano plain=Curio keen=Anu velvet=Sabia aged=Arara "
     "clear=Tangara bright=Saira child=Corruira"),
    ("gmw/de", "Deutschland", "deep=Uhu grave=Kolkrabe weathered=Reiher plain=Amsel keen=Kleiber velvet=Drossel "
     "aged=Elster clear=Lerche bright=Meise child=Zeisig"),
    ("roa/it", "Italia", "deep=Gufo steady=Storno plain=Fringuello velvet=Averla clear=Rondine child=Scricciolo"),
    ("gmw/nl", "Nederland", "deep=Roerdomp plain=Grutto velvet=Tureluur clear=Kievit child=Puttertje"),
    ("gmq/sv", "Sverige", "deep=Berguv plain=Bofink velvet=Taltrast clear=Talgoxe child=Steglits"),
    ("zlw/pl", "Polska", "deep=Puchacz plain=Szpak velvet=Kukulka clear=Czajka child=Czyzyk"),
    ("zle/ru", "Россия", "deep=Filin steady=Grach plain=Skvorets velvet=Ivolga clear=Sinitsa child=Chizh"),
    ("zle/uk", "Україна", "deep=Pugach plain=Shpak clear=Lastivka child=Snihur"),
    ("grk/el", "Ελλάδα", "deep=Bufos plain=Kotsifas velvet=Trygona clear=Galazopapaditsa child=Trypofrachtis"),
    ("trk/tr", "Türkiye", "deep=Puhu plain=Ispinoz velvet=Kumru clear=Bulbul child=Serce"),
    ("sem/ar", "العربية", "deep=Shaheen grave=Sagr steady=Hudhud plain=Hazar velvet=Yamama clear=Asfour child=Duri"),
    ("inc/hi", "भारत", "deep=Garuda grave=Baaz steady=Neelkanth plain=Tota velvet=Koel clear=Maina child=Munia"),
    ("sit/cmn-Latn-pinyin", "普通话", "deep=Maotouying steady=Xique plain=Huamei velvet=Banjiu clear=Yanzi "
     "child=Maque"),
    ("jpx/ja", "日本", "deep=Fukurou plain=Mukudori velvet=Uguisu clear=Tsubame child=Mejiro"),
    ("ko", "한국", "deep=Subuen plain=Kkachi velvet=Bidulgi clear=Jebi child=Chamsae"),
)


@lru_cache(maxsize=1)
def catalogue() -> dict[str, Voice]:
    """Every voice that can be had on this machine, by id, the named ones first."""
    engine = engine_named(FormantEngine.id)
    bases = {base.id: base for base in engine.bases()}
    voices: dict[str, Voice] = {}
    accents: Counter[str] = Counter()
    for base_id, accent, names in _NAMED:
        base = bases.pop(base_id, None)
        if base is None:
            continue
        step = _STEPS[accents[primary(base.locale)] % len(_STEPS)]
        accents[primary(base.locale)] += 1
        for pair in names.split():
            kind, name = pair.split("=")
            voices[name.lower()] = _voice(name.lower(), name, engine.id, base_id, base.locale, accent, kind, step)
    for voice in rich_voices():
        voices[voice.id] = voice
    for voice in own_voices():
        voices.setdefault(voice.id, voice)
    for base in bases.values():
        for kind in _GENERAL:
            voice_id = f"{base.id.split('/')[-1].lower()}-{kind}"
            voices[voice_id] = _voice(voice_id, f"{base.name}, {kind}", engine.id, base.id, base.locale,
                                      own_name(base.locale), kind, 0.0)
    return voices


def _voice(voice_id: str, name: str, engine: str, base: str, locale: str, accent: str, kind: str, step: float) -> Voice:
    age, shaping = KINDS[kind]
    # To either side of its kind, so that the accents of one language do not share one larynx.
    shaping = replace(shaping, pitch_hz=round(shaping.pitch_hz * (1 + 0.03 * step), 1),
                      tract=round(shaping.tract * (1 + 0.01 * step), 3),
                      tilt_db=shaping.tilt_db + 0.8 * step)
    return Voice(voice_id, name, engine, base, locale, accent, register_of(shaping.pitch_hz), age, shaping)


def voice_named(voice_id: str) -> Voice:
    """The voice with this id, or with this name. Raises UnknownVoice with near ones named."""
    voices = catalogue()
    found = voices.get(voice_id) or voices.get(voice_id.strip().lower())
    if found:
        return found
    import difflib

    near = difflib.get_close_matches(voice_id.lower(), voices, n=3, cutoff=0.5)
    if near:
        raise UnknownVoice("There is no voice “{voice}”. Is {near} meant?", voice=voice_id, near=" / ".join(near))
    raise UnknownVoice("There is no voice “{voice}”.", voice=voice_id)


_SHAPES = {"pitch_hz": (40.0, 600.0), "melody": (0.0, 4.0), "tract": (0.5, 2.0), "tilt_db": (-30.0, 30.0),
           "breath": (0.0, 1.0), "roughness": (0.0, 1.0), "tempo": (0.3, 3.0)}
"""How far what is told of a voice may be from what one can be."""


def kept_voice(voice_id: str, told: Mapping[str, Any]) -> Voice:
    """A voice that people keep, as a file tells of it: another shape of a voice that is here. Nothing else of the file
    is believed. Raises BadInput."""
    name = str(told.get("name", ""))[:60]
    shape = told.get("shaping")
    like = next((voice for voice in catalogue().values()
                 if (voice.engine, voice.base) == (told.get("engine"), told.get("base"))), None)
    if like is None or not isinstance(shape, dict):
        raise BadInput("The voice “{name}” is made of one that is not here.", name=name)
    numbers = {}
    for field, (low, high) in _SHAPES.items():
        value = shape.get(field)
        if not isinstance(value, int | float) or isinstance(value, bool) or not low <= value <= high:
            raise BadInput("The voice “{name}” cannot be: its {field} runs from {low:g} to {high:g}.", name=name,
                           field=field, low=low, high=high)
        numbers[field] = float(value)
    source = str(shape.get("source", ""))
    source = source if source in {voice.shaping.source for voice in catalogue().values()} else ""
    age = told.get("age") if told.get("age") in AGES else like.age
    version = told.get("version")
    return replace(like, id=voice_id, name=name or like.name, shaping=replace(like.shaping, **numbers, source=source),
                   register=register_of(numbers["pitch_hz"]), age=str(age),
                   version=version if isinstance(version, int) and 0 < version < 10_000 else 1)


def voices_for(language: str) -> list[Voice]:
    """Voices that speak ``language``: rich ones, who are at home in it first, then who is understood best; then light
    ones of its own region first; by register and age."""
    return sorted(
        (voice for voice in catalogue().values() if voice.speaks(language)),
        key=lambda v: (
            v.engine_rank, _strangeness(v, language), distance(language, v.locale), REGISTERS.index(v.register),
            AGES.index(v.age), v.id),
    )


_TAKEN_FOR_ANOTHER = 0.1
"""What it weighs to be taken for another language, against being misheard."""


def _strangeness(voice: Voice, language: str) -> float:
    if voice.is_native(language):
        return 0.0
    heard = heard_speaking(voice.base, language)
    return 2.0 if heard is None else 1.0 + heard.sounds + _TAKEN_FOR_ANOTHER * (1.0 - heard.native)


def languages() -> list[str]:
    """The locales that voices are at home in, each once, in the order of the catalogue."""
    return list(dict.fromkeys(voice.locale for voice in catalogue().values()))
