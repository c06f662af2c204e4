"""Who speaks, as a direction in a space where the same person's sentences lie close together.

The network is the GE2E speaker encoder (Wan et al. 2018, "Generalized end-to-end loss for speaker verification"): three
recurrent layers over mel bands, the last state of windows of 1.6 s made a unit vector of 256 numbers, none below
nought. Its weights come inside a Python package (Resemblyzer 0.1.4, Apache-2.0) whose own code is neither run nor asked
for what it needs: :func:`prepare_encoder` reads the weights with a reader that knows nothing but tensors, and writes a
graph for onnxruntime. Optional: :func:`encoder_missing` says in a sentence what is missing; voices are then told apart
by their measures alone.
"""

from __future__ import annotations

import hashlib
import importlib.util
import io
import math
import pickle
import struct
import tempfile
from collections import OrderedDict
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import soxr

from janoglot.core.errors import EngineError
from janoglot.core.speech.engines.base import Samples
from janoglot.core.speech.weights import package_folder, weights_root
from janoglot.tally import tally

Floats = npt.NDArray[np.float32]

RATE = 16_000
SIZE = 256
_HOP, _WINDOW, _BANDS = 160, 400, 40
_FRAMES = 160
"""In a window that the network looks at: 1.6 s."""
_STEP = 80
_LAYERS = 3
_LEVEL = 10 ** (-30 / 20)
"""Root mean square that quieter sounds are brought to, as the network was taught."""
_SILENT_DB = 36.0
"""So far below the loud moments is silence, of which no more than a fifth of a second is left in a place."""
_LEFT = 20
_PACKAGE, _FILE = "resemblyzer", "pretrained.pt"
CHECKSUM = "39373b86598fa3da9fcddee6142382efe09777e8d37dc9c0561f41f0070f134e"
"""SHA-256 of the weights as they come."""
_VERSION = 1


class EncoderMissing(EngineError):
    code = "encoder_missing"
    hint = "Run ./janoglot rich where the Python packages can be had."


def _weights() -> Path | None:
    folder = package_folder(_PACKAGE)
    return folder / _FILE if folder and (folder / _FILE).is_file() else None


@cache
def encoder_missing() -> str:
    """What is missing to tell speakers apart by ear, in a sentence; "" where all is there."""
    if importlib.util.find_spec("onnxruntime") is None or importlib.util.find_spec("onnx") is None:
        return "The rich voices' runtime is not installed."
    return "" if _weights() else "The speaker encoder's weights are not installed."


def prepare_encoder(root: Path) -> Path:
    """The encoder's graph under ``root``, made where it is missing: about a second.

    Raises EncoderMissing, and EngineError where the weights are damaged.
    """
    place = root / "speaker-encoder" / f"{CHECKSUM[:16]}-{_VERSION}.onnx"
    if place.is_file():
        return place
    weights = _weights()
    if weights is None:
        raise EncoderMissing(encoder_missing())
    data = weights.read_bytes()
    if hashlib.sha256(data).hexdigest() != CHECKSUM:
        raise EngineError("The speaker encoder's weights are damaged: their checksum differs.")
    place.parent.mkdir(parents=True, exist_ok=True)
    graph = _graph(read_tensors(data))
    with tempfile.NamedTemporaryFile(dir=place.parent, prefix=".half-", delete=False) as half:
        half.write(graph)
    Path(half.name).chmod(0o644)
    Path(half.name).rename(place)
    return place


# ── weights

_PROTOCOL = 1001
_MAGIC = 0x1950A86A20F9469CFC6C


class _Storage:
    """Stands for a block of numbers that follows in the file."""


class _TensorsOnly(pickle.Unpickler):
    """A reader of pickles that can make ordered dictionaries and tensors of floats, and refuses all else."""

    def __init__(self, file: io.BytesIO, blocks: dict[str, Floats] | None = None) -> None:
        super().__init__(file)
        self.asked: dict[str, int] = {}
        self._blocks = blocks or {}

    def find_class(self, module: str, name: str) -> Any:
        if (module, name) == ("collections", "OrderedDict"):
            return OrderedDict
        if (module, name) == ("torch._utils", "_rebuild_tensor_v2"):
            return self._tensor
        if (module, name) == ("torch", "FloatStorage"):
            return _Storage
        raise EngineError("The speaker encoder's weights hold something that is no weight: {module}.{name}.",
                          module=module, name=name)

    def persistent_load(self, pid: Any) -> str:
        kind, storage, key, _, count, *_ = pid
        if kind != "storage" or storage is not _Storage or not 0 <= int(count) < 1 << 26:
            raise EngineError("The speaker encoder's weights are not as they should be.")
        self.asked[str(key)] = int(count)
        return str(key)

    def _tensor(self, key: str, offset: int, shape: tuple[int, ...], stride: tuple[int, ...], *_: Any) -> Floats:
        block = self._blocks.get(key)
        if block is None:
            return np.zeros(0, np.float32)
        wanted = tuple(math.prod(shape[at + 1:]) for at in range(len(shape)))
        if stride != wanted:
            raise EngineError("The speaker encoder's weights are not as they should be.")
        return block[offset: offset + math.prod(shape)].reshape(shape)


def read_tensors(data: bytes) -> Mapping[str, Floats]:
    """The named tensors of float32 in a file of the older form that PyTorch kept its models in: pickles of a head, of
    the object, and of the storages' names, then each storage as a count and its numbers.

    Nothing in the file is run. Raises EngineError for a file of another kind, or that holds anything else.
    """
    file = io.BytesIO(data)
    try:
        if _TensorsOnly(file).load() != _MAGIC or _TensorsOnly(file).load() != _PROTOCOL:
            raise EngineError("This is no file of weights in the older form.")
        _TensorsOnly(file).load()
        begin = file.tell()
        first = _TensorsOnly(file)
        first.load()
        blocks = {}
        for key in _TensorsOnly(file).load():
            (count,) = struct.unpack("<q", file.read(8))
            if count != first.asked.get(key):
                raise EngineError("The speaker encoder's weights are not as they should be.")
            blocks[key] = np.frombuffer(file.read(4 * count), "<f4")
        file.seek(begin)
        found = _TensorsOnly(file, blocks).load()["model_state"]
    except (pickle.UnpicklingError, struct.error, ValueError, KeyError, TypeError, AttributeError, EOFError,
            IndexError) as error:
        raise EngineError("The speaker encoder's weights cannot be read.") from error
    return {str(name): tensor for name, tensor in found.items()}


def _graph(tensors: Mapping[str, Floats]) -> bytes:
    """The network as ONNX: ``mels`` (windows, frames, 40) in, ``voices`` (windows, 256) out."""
    from onnx import TensorProto, helper, numpy_helper

    nodes, constants = [], []

    def constant(name: str, values: npt.NDArray[Any]) -> str:
        constants.append(numpy_helper.from_array(np.ascontiguousarray(values), name))
        return name

    def gates(values: Floats) -> Floats:
        """From the order input, forget, cell, output to ONNX's input, output, forget, cell."""
        one, forget, cell, output = np.split(values, 4)
        return np.concatenate([one, output, forget, cell])

    flow = "turned"
    nodes.append(helper.make_node("Transpose", ["mels"], [flow], perm=[1, 0, 2]))
    for layer in range(_LAYERS):
        names = [constant(f"w{layer}", gates(tensors[f"lstm.weight_ih_l{layer}"])[None]),
                 constant(f"r{layer}", gates(tensors[f"lstm.weight_hh_l{layer}"])[None]),
                 constant(f"b{layer}", np.concatenate([gates(tensors[f"lstm.bias_ih_l{layer}"]),
                                                       gates(tensors[f"lstm.bias_hh_l{layer}"])])[None])]
        nodes.append(helper.make_node("LSTM", [flow, *names], [f"y{layer}", f"h{layer}"], hidden_size=SIZE))
        flow = f"f{layer}"
        nodes.append(helper.make_node("Squeeze", [f"y{layer}", "one"], [flow]))
    constant("one", np.array([1], np.int64))
    constant("nought", np.array([0], np.int64))
    nodes += [
        helper.make_node("Squeeze", [f"h{_LAYERS - 1}", "nought"], ["last"]),
        helper.make_node("Gemm", ["last", constant("wl", tensors["linear.weight"]),
                                  constant("bl", tensors["linear.bias"])], ["straight"], transB=1),
        helper.make_node("Relu", ["straight"], ["raw"]),
        helper.make_node("LpNormalization", ["raw"], ["voices"], axis=1, p=2),
    ]
    graph = helper.make_graph(
        nodes, "speaker", [helper.make_tensor_value_info("mels", TensorProto.FLOAT, ["windows", "frames", _BANDS])],
        [helper.make_tensor_value_info("voices", TensorProto.FLOAT, ["windows", SIZE])], constants)
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=8)
    made: bytes = model.SerializeToString()
    return made


# ── hearing

@cache
def _session() -> Any:
    import onnxruntime

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    options.inter_op_num_threads = 1
    options.log_severity_level = 3
    tally("network loaded: speaker encoder")
    return onnxruntime.InferenceSession(str(prepare_encoder(weights_root())), options, ["CPUExecutionProvider"])


def speaker_vector(samples: Samples, rate: int) -> Floats:
    """The direction of whoever speaks in ``samples`` (mono, −1 to 1): a unit vector, shape (256,), none below nought.

    Of a second and a half or more; shorter sounds are told apart badly. Raises EncoderMissing, and ValueError where the
    sound is silent.
    """
    missing = encoder_missing()
    if missing:
        raise EncoderMissing(missing)
    sound = np.asarray(samples if rate == RATE else soxr.resample(samples, rate, RATE), np.float32)
    level = float(np.sqrt(np.mean(sound**2))) if len(sound) else 0.0
    if level < 1e-5:
        raise ValueError("nobody speaks in it")
    mels = _without_silence(_mels(sound * np.float32(max(1.0, _LEVEL / level))))
    starts = range(0, max(1, len(mels) - _FRAMES + 1), _STEP)
    windows = np.stack([np.pad(part, ((0, _FRAMES - len(part)), (0, 0)))
                        for part in (mels[at: at + _FRAMES] for at in starts)])
    tally("voice told apart")
    mean: Floats = _session().run(None, {"mels": windows})[0].mean(0)
    return mean / np.float32(np.linalg.norm(mean))


def likeness(one: Floats, other: Floats) -> float:
    """The cosine between two speakers' vectors: 1 for the same, and never below 0."""
    return float(one @ other)


def _mels(sound: Floats) -> Floats:
    """Power in 40 mel bands (Slaney 1998, each of one area), every 10 ms, by windows of 25 ms; shape (frames, 40)."""
    padded = np.pad(sound, _WINDOW // 2)
    count = 1 + (len(padded) - _WINDOW) // _HOP
    frames = np.lib.stride_tricks.sliding_window_view(padded, _WINDOW)[::_HOP][:count]
    hann = (0.5 - 0.5 * np.cos(2 * np.pi * np.arange(_WINDOW) / _WINDOW)).astype(np.float32)
    power = np.abs(np.fft.rfft(frames * hann, axis=1)) ** 2
    return (power @ _bands().T).astype(np.float32)


@cache
def _bands() -> Floats:
    def hertz(mel: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        # Straight up to 1 kHz, in equal ratios from there.
        return np.where(mel < 15, mel * 200 / 3, 1000 * np.exp((mel - 15) * math.log(6.4) / 27))

    top = 15 + 27 * math.log(RATE / 2 / 1000) / math.log(6.4)
    edges = hertz(np.linspace(0, top, _BANDS + 2))
    at = np.linspace(0, RATE / 2, _WINDOW // 2 + 1)
    up = (at - edges[:-2, None]) / (edges[1:-1] - edges[:-2])[:, None]
    down = (edges[2:, None] - at) / (edges[2:] - edges[1:-1])[:, None]
    bands = np.maximum(0, np.minimum(up, down)) * (2 / (edges[2:] - edges[:-2]))[:, None]
    return bands.astype(np.float32)


def _without_silence(mels: Floats) -> Floats:
    energy = 10 * np.log10(mels.sum(1) + 1e-12)
    silent = energy < np.percentile(energy, 95) - _SILENT_DB
    kept, run = [], 0
    for at, quiet in enumerate(silent):
        run = run + 1 if quiet else 0
        if run <= _LEFT:
            kept.append(at)
    return mels[kept]
