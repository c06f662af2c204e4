"""Give every speaker of an edition who has no voice one that suits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import cast

from django.db.models import Count

from janoglot.cast.recorded_speakers import recorded_measure
from janoglot.core.speech.casting import CastFrom, cast_rest
from janoglot.productions.models import Casting, Edition, Production, Speaker, kept_among
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.together import who_is_together


def chosen_from(production: Production) -> CastFrom:
    """Whom the production has cast where no rich voice is at home, as it is in the database now."""
    return cast(CastFrom, Production.objects.values_list("cast_from", flat=True).get(pk=production.pk))


def chosen_for(edition: Edition, taken: Mapping[str, str], speakers: Sequence[Speaker],
               choose: CastFrom) -> dict[str, str]:
    """A voice for each of ``speakers``, whoever speaks most first, beside those who have one (``taken``, by name): near
    to how they sound in the source recording, or to their voices in the source. Raises BadInput."""
    production = edition.production
    like = dict(Casting.objects.filter(edition__production=production,
                                       edition__language=production.source_language)
                .exclude(edition=edition).values_list("speaker__name", "voice"))
    return cast_rest([speaker.name for speaker in speakers], edition.language, taken, like,
                     together=who_is_together(production), kept=kept_among([*taken.values(), *like.values()]),
                     recorded={speaker.name: measure for speaker in speakers
                               if (measure := recorded_measure(speaker)) is not None}, choose=choose)


def cast_the_rest(user: Anyone, edition: Edition) -> list[Casting]:
    """The castings that were added: right language, different voices, each near to how the speaker sounds in the source
    recording, or to their voice in the source.

    Raises BadInput where no voice speaks the language.
    """
    production = edition.production
    with action(user, production, "cast_the_rest") as record:
        # Who says nothing needs no voice.
        speakers = list(Speaker.objects.filter(production=production).annotate(count=Count("lines"))
                        .filter(count__gt=0).order_by("-count", "position"))
        taken = dict(Casting.objects.filter(edition=edition).values_list("speaker__name", "voice"))
        chosen = chosen_for(edition, taken, speakers, chosen_from(production))
        record.summary = f"{len(chosen)} speakers, {edition.language}"
        record.details = {"count": len(chosen), "language": edition.language}
        return [record.create(Casting(edition=edition, speaker=speaker, voice=chosen[speaker.name]))
                for speaker in speakers if speaker.name in chosen]
