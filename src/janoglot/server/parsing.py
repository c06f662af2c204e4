"""Bodies of requests, read with the bounds that files have."""

from __future__ import annotations

from typing import Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import DataAndFiles, JSONParser, MultiPartParser

from janoglot.core.errors import BadInput
from janoglot.core.guarded import check_value, plain_text, plain_value


class BoundedJSONParser(JSONParser):
    """JSON. What nests too deep, is no text, or holds a number of thousands of digits is 400, never 500."""

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        try:
            found = super().parse(stream, media_type, parser_context)
            check_value(found)
            return plain_value(found)
        except (RecursionError, BadInput) as error:
            raise ParseError(str(error)[:200]) from error


class PlainMultiPartParser(MultiPartParser):
    """Forms with files, whose texts hold no control characters."""

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        found = super().parse(stream, media_type, parser_context)
        fields = found.data.copy()
        for name, values in found.data.lists():
            fields.setlist(name, [plain_text(value) if isinstance(value, str) else value for value in values])
        return DataAndFiles(fields, found.files)
