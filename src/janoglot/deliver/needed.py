"""What packages were made by, as long as they are listed."""

from __future__ import annotations

from collections.abc import Iterator

from janoglot.deliver.models import Parcel
from janoglot.productions.keeping import needs


@needs("handed")
def orders() -> Iterator[str]:
    for parcel in Parcel.objects.only("id").iterator():
        yield parcel.orders_key
