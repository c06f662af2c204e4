"""What of the store of mixes is an edition's."""

from __future__ import annotations

from collections.abc import Iterator

from janoglot.mix.models import Mix
from janoglot.productions.keeping import needs


@needs("mixes")
def of_mixes() -> Iterator[str]:
    for mix in Mix.objects.only("recipe").iterator():
        yield mix.key
        yield mix.plan_key
