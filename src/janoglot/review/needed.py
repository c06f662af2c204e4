"""What reviewers said, as long as they have not taken it back."""

from __future__ import annotations

from collections.abc import Iterator

from janoglot.direct.sent_recordings import sent_key
from janoglot.productions.keeping import needs
from janoglot.review.models import Remark


@needs("handed")
def spoken_remarks() -> Iterator[str]:
    for key in Remark.objects.exclude(sound="").values_list("sound", flat=True):
        yield key
        yield sent_key(key)
