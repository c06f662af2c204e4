"""Spoken remarks, as words: found and read like those that were typed."""

from __future__ import annotations

from janoglot.core.errors import EngineError
from janoglot.core.languages import primary
from janoglot.core.speech.recogniser import hearable, recognise, recogniser_missing, taken_for
from janoglot.core.speech.takes import read_sound
from janoglot.productions.jobs import JobKind, Piece, register, start_behind
from janoglot.productions.models import Job
from janoglot.review.models import Remark
from janoglot.server.storage import handed
from janoglot.server.work import BULK


def hear_remark(remark: Remark) -> Job | None:
    """Begin to write down what was said; None where that cannot be done here."""
    if not remark.sound or recogniser_missing() or not _languages(remark):
        return None
    return start_behind("remark", BULK, [remark.pk], production=remark.link.production)


def _languages(remark: Remark) -> list[str]:
    """What a reviewer may be speaking: the page's language, the edition's or the source's."""
    link = remark.link
    tags = (link.interface, remark.edition.language, link.production.source_language)
    return [tag for tag in dict.fromkeys(map(primary, tags)) if hearable(tag)]


def _write_down(piece: Piece) -> None:
    for remark in Remark.objects.select_related("link__production", "edition").filter(pk__in=piece.items):
        try:
            samples, rate = read_sound(handed(), remark.sound)
            likely = taken_for(samples, rate)
            language = max(_languages(remark), key=lambda tag: likely.get(tag, 0.0))
            heard = recognise(samples, rate, language)
        except (EngineError, OSError) as error:
            piece.fault(remark.pk, str(error))
            continue
        Remark.objects.filter(pk=remark.pk).update(heard=heard[:2000], heard_in=language)


HEARING = register(JobKind("remark", _write_down))
