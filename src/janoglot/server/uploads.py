"""Files and texts that are sent to be read, and what is said about them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers
from rest_framework.request import Request

from janoglot.core.errors import BadInput, Problem
from janoglot.core.script.decoding import LARGEST, LARGEST_PACKAGE
from janoglot.server.faults import translated

Data = dict[str, Any]


class ProblemSerializer(serializers.Serializer[Data]):
    code = serializers.CharField()
    message = serializers.CharField()
    row = serializers.IntegerField(allow_null=True)
    severity = serializers.ChoiceField(["error", "warning", "note"])


def problem_data(problem: Problem) -> Data:
    return {"code": problem.code, "message": translated(problem), "row": problem.row, "severity": problem.severity}


def uploaded(request: Request) -> tuple[bytes, str]:
    """The bytes and the name of what was sent, as a file or as text. Raises BadInput."""
    file = request.FILES.get("file")
    if file is not None:
        if file.size and file.size > LARGEST_PACKAGE:
            raise BadInput("The file has {size:.1f} MB; a script may have {limit} MB at most. Split it into parts.",
                           size=file.size / 1024**2, limit=LARGEST // 1024**2)
        return file.read(), str(file.name or "")[:255]
    sent = request.data if isinstance(request.data, dict) else {}
    text = sent.get("text")
    if not isinstance(text, str) or not text.strip():
        raise BadInput("Paste a script, or choose a file.")
    return text.encode(), ""
