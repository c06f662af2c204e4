"""One figure with the mark that it must reach."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Result:
    """``figure`` in ``unit``; it must be at most ``mark``, or at least where ``at_least``."""

    name: str
    figure: float
    unit: str
    mark: float
    at_least: bool = False
    detail: str = ""

    @property
    def reached(self) -> bool:
        return self.figure >= self.mark if self.at_least else self.figure <= self.mark

    def __str__(self) -> str:
        sign = "≥" if self.at_least else "≤"
        return (f"{'reached' if self.reached else 'MISSED '}  {self.name}: {self.figure:.2f} {self.unit} "
                f"({sign} {self.mark:g}) {self.detail}")
