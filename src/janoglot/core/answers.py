"""What networks have answered, kept on this machine from one run to the next where a run asks for it.

A network's answer follows from its weights, from what runs it and from what it is asked, and from nothing else; so an
answer is kept under the hash of just these. All our own work on either side of the network is done each time: what is
asked of it, and what is made of its answer. ``JANOGLOT_ANSWERS`` names the folder; without it nothing is kept, which is
so wherever somebody works with the program. Tests use it (``docs/testing.md``).
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Sequence
from importlib.metadata import version
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
import numpy.typing as npt

from janoglot.core.store import atomic_file
from janoglot.tally import tally

FOLDER = "JANOGLOT_ANSWERS"
Array = npt.NDArray[Any]


def answered(network: str, runtime: str, asked: Sequence[Array], ask: Callable[[], Sequence[Array]]) -> list[Array]:
    """What ``ask`` gives, or what it gave when the same was ``asked`` before.

    ``network`` names the weights and the way of asking them, "" those of which nothing is known that would tell them
    from others; ``runtime`` the package that runs them.
    """
    folder = os.environ.get(FOLDER)
    if not folder or not network:
        return list(ask())
    total = hashlib.sha256(f"{network}\0{runtime} {version(runtime)}\0numpy {np.__version__}".encode())
    for one in asked:
        total.update(f"\0{one.dtype.str}{one.shape}\0".encode())
        total.update(np.ascontiguousarray(one).data)
    name = total.hexdigest()
    place = Path(folder) / name[:2] / f"{name}.npz"
    try:
        with np.load(place) as kept:
            found = [kept[key] for key in kept.files]
        tally(f"not asked again: {network.partition('/')[0]}")
        return found
    except (OSError, ValueError, BadZipFile):
        # Not there, or something is wrong with it: it is asked, and kept anew.
        made = [np.asarray(one) for one in ask()]
    place.parent.mkdir(parents=True, exist_ok=True)
    with atomic_file(place) as half:
        np.savez(half, *made)
    return made
