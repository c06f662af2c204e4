"""What reviewers said, as long as they have not taken it back."""

from __future__ import annotations

from collections.abc import Iterator

from janoglot.productions.keeping import needs
from janoglot.review.models import Remark


@needs("handed")
def spoken_remarks() -> Iterator[str]:
    yield from Remark.objects.exclude(sound="").values_list("sound", flat=True)
