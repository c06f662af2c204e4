"""A translation model small enough to be made in a test: it knows a few words, one for one."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import ctranslate2
import numpy as np
import sentencepiece

_WIDTH = 64


def make_tiny_model(place: Path, words: Mapping[str, str], before: Mapping[str, Mapping[str, str]] | None = None) -> Path:
    """A model in ``place`` that puts each of ``words`` into another, one word a text. ``before``: by a token that says
    the target, as models of several targets want it, other words for the same.

    One layer whose attention looks at all words alike: the state of its one step is the sum of what was said, and the
    last layer picks the word that belongs to it; after a word it ends.
    """
    place.mkdir(parents=True)
    tables = {"": words, **(before or {})}
    every = sorted({*words, *(to for table in tables.values() for to in table.values())})
    corpus = place / "corpus.txt"
    corpus.write_text("\n".join(" ".join(every) for _ in range(50)))
    sentencepiece.SentencePieceTrainer.train(
        input=str(corpus), model_prefix=str(place / "pieces"), vocab_size=8 + len(every), model_type="word",
        hard_vocab_limit=False, minloglevel=2)
    for name in ("source.spm", "target.spm"):
        (place / name).write_bytes((place / "pieces.model").read_bytes())
    tokens = ["<blank>", "<unk>", "<s>", "</s>", *(before or {}), *(f"▁{word}" for word in every)]
    spec = ctranslate2.specs.TransformerSpec.from_config(num_layers=1, num_heads=1, pre_norm=True)
    spec.config.add_source_eos = False
    spec.register_source_vocabulary(tokens)
    spec.register_target_vocabulary(tokens)
    at = {token: number for number, token in enumerate(tokens)}
    heard, written = (np.zeros((len(tokens), _WIDTH), np.float32) for _ in range(2))
    numbers = np.arange(len(tokens))
    heard[numbers, numbers] = 1.0
    written[numbers, numbers + _WIDTH // 2] = 20.0
    out = np.zeros((len(tokens), _WIDTH), np.float32)
    for target, table in tables.items():
        for one, other in table.items():
            out[at[f"▁{other}"], at[f"▁{one}"]] += 30.0
            if target:
                out[at[f"▁{other}"], at[target]] += 30.0
    # Whatever was written, the text ends.
    out[at["</s>"], [at[f"▁{word}"] + _WIDTH // 2 for word in every]] = 90.0
    _fill(spec, heard, written, out)
    spec.validate()
    spec.optimize()
    spec.save(str(place))
    return place


def _fill(spec: Any, heard: np.ndarray, written: np.ndarray, out: np.ndarray) -> None:
    still = np.zeros((_WIDTH, _WIDTH), np.float32)
    as_it_is = np.eye(_WIDTH, dtype=np.float32)

    def linear(layer: Any, weight: np.ndarray) -> None:
        layer.weight, layer.bias = weight, np.zeros(len(weight), np.float32)

    def norm(layer: Any) -> None:
        layer.gamma, layer.beta = np.ones(_WIDTH, np.float32), np.zeros(_WIDTH, np.float32)

    def attention(layer: Any, cross: bool, value: np.ndarray) -> None:
        norm(layer.layer_norm)
        if cross:
            linear(layer.linear[0], still)
            linear(layer.linear[1], np.concatenate([still, value]))
        else:
            linear(layer.linear[0], np.concatenate([still, still, value]))
        linear(layer.linear[-1], as_it_is)

    encoder, decoder = spec.encoder, spec.decoder
    for side, look in ((encoder, heard), (decoder, written)):
        embeddings = side.embeddings[0] if isinstance(side.embeddings, list) else side.embeddings
        embeddings.weight = look
        side.scale_embeddings = False
        side.position_encodings.encodings = np.zeros((600, _WIDTH), np.float32)
        norm(side.layer_norm)
        layer = side.layer[0]
        attention(layer.self_attention, False, still)
        norm(layer.ffn.layer_norm)
        linear(layer.ffn.linear_0, still)
        linear(layer.ffn.linear_1, still)
    attention(decoder.layer[0].attention, True, as_it_is)
    linear(decoder.projection, out)
