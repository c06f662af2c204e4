"""Voices: an engine's base voice plus shaping, with what a producer chooses by."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import Any, Literal, Self

from janoglot.core.graph import recipe_hash
from janoglot.core.languages import primary, same_language
from janoglot.core.speech.engines.base import Shaping

Register = Literal["low", "low-mid", "mid", "high-mid", "high"]
REGISTERS: tuple[Register, ...] = ("low", "low-mid", "mid", "high-mid", "high")
_ENGINES = ("rich", "vits", "festival", "formant")
AGES = ("child", "teen", "20s", "30s", "40s", "50s", "60s", "70s")


@dataclass(frozen=True, slots=True)
class Voice:
    """Something that can speak. ``locale`` and ``accent`` say whose language it speaks, and how."""

    id: str
    name: str
    engine: str
    base: str
    locale: str
    accent: str
    register: Register
    age: str
    shaping: Shaping
    licence: str = "GPL-3.0-or-later (the engine); what it speaks is free of it"
    commercial: bool | None = True
    """Whether its sound may be used commercially; None where that is not known."""
    licence_at: str = "/usr/share/doc/libespeak-ng1/copyright"
    """Where the licence is written."""
    tongues: tuple[str, ...] = ()
    """Languages that it speaks beside its own, by their phonemes; for an engine whose voices can."""
    version: int = 0
    """Of a voice that people keep: from 1 on; the catalogue's own have none. A voice never changes: another version is
    another voice of the same name."""

    @property
    def is_rich(self) -> bool:
        """Whether finished takes are made behind sketches, because they take their time."""
        return self.engine == "rich"

    @property
    def engine_rank(self) -> int:
        """How near to life its kind sounds, the nearest first."""
        return _ENGINES.index(self.engine)

    @property
    def recipe(self) -> str:
        """What of a voice decides its sound; its name and labels do not."""
        return _recipe(self.engine, self.base, self.shaping)

    @property
    def is_kept(self) -> bool:
        """Whether people made it, of one of the catalogue's."""
        return self.version > 0

    def as_json(self) -> dict[str, Any]:
        return {**asdict(self), "tongues": list(self.tongues)}

    @classmethod
    def from_json(cls, told: dict[str, Any]) -> Self:
        """Raises KeyError, TypeError for what is no voice."""
        return cls(**{**told, "shaping": Shaping(**told["shaping"]), "tongues": tuple(told["tongues"])})

    def speaks(self, language: str) -> bool:
        return same_language(self.locale, language) or primary(language) in self.tongues

    def is_native(self, language: str) -> bool:
        return same_language(self.locale, language)


@lru_cache(maxsize=8192)
def _recipe(engine: str, base: str, shaping: Shaping) -> str:
    return recipe_hash("voice", engine=engine, base=base, shaping=shaping)


def register_of(pitch_hz: float) -> Register:
    """The register that a middle pitch lies in."""
    for register, below in (("low", 96), ("low-mid", 125), ("mid", 165), ("high-mid", 215)):
        if pitch_hz < below:
            return register  # type: ignore[return-value]
    return "high"
