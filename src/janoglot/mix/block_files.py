"""Finished mixes as the files that they would be, put together from their blocks while they are read."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

from janoglot.core.mix.blocks import BLOCK, BlockMix, KeptBlocks
from janoglot.core.store import Store
from janoglot.mix.models import Mix


def block_mix(mix: Mix, store: Store) -> BlockMix:
    """Raises FileNotFoundError where it is not kept any more."""
    return read_manifest(store.path(mix.key))


def is_kept(mix: Mix, store: Store) -> bool:
    """Whether a mix can be heard from its beginning to its end: all of its blocks are there as they were written."""
    try:
        made = block_mix(mix, store)
    except (FileNotFoundError, ValueError, KeyError):
        return False
    blocks = KeptBlocks(store, made.channels)
    return all(blocks.has(key) for key in made.blocks)


def read_manifest(place: Path) -> BlockMix:
    return BlockMix.from_json(json.loads(place.read_text()))


class MixFile:
    """A mix as :func:`janoglot.server.storage.serve` takes a file of a store."""

    def __init__(self, mix: BlockMix, store: Store) -> None:
        self._mix = mix
        self._blocks = KeptBlocks(store, mix.channels)

    def size(self, key: str) -> int:
        return self._mix.size

    def blocks(self, key: str, first: int, last: int) -> Iterator[bytes]:
        """Raises FileNotFoundError at once where what is asked for first is not kept any more."""
        # The file's head is made of nothing: whether its first sound is there is asked before it is sent.
        samples = max(0, first - len(self._mix.header)) // (3 * self._mix.channels)
        block = self._mix.blocks[min(samples // BLOCK, len(self._mix.blocks) - 1)] if self._mix.blocks else ""
        if block and not self._blocks.has(block):
            raise FileNotFoundError(block)
        made = self._mix.bytes_of(first, last, self._blocks)
        begun = next(made, b"")

        def all_of_it() -> Iterator[bytes]:
            yield begun
            yield from made

        return all_of_it()


def drop_blocks(old: BlockMix, others: Iterator[BlockMix], store: Store) -> None:
    """Remove the blocks of a mix that goes, but for those that others are of too."""
    for key in set(old.blocks) - {key for one in others for key in one.blocks}:
        store.remove(f"{key}.f32")
