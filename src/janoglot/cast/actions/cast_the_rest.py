"""Give every speaker of an edition who has no voice one that suits."""

from __future__ import annotations

from django.db.models import Count

from janoglot.cast.recorded_speakers import recorded_measure
from janoglot.core.speech.casting import cast_rest
from janoglot.productions.models import Casting, Edition, Speaker, kept_among
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.together import who_is_together


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
        names = dict(Speaker.objects.filter(production=production).values_list("id", "name"))
        taken = {names[c.speaker_id]: c.voice for c in Casting.objects.filter(edition=edition)}
        like = {names[c.speaker_id]: c.voice for c in Casting.objects.filter(
            edition__production=production, edition__language=production.source_language)}
        chosen = cast_rest([speaker.name for speaker in speakers], edition.language, taken, like,
                           together=who_is_together(production), kept=kept_among([*taken.values(), *like.values()]),
                           recorded={speaker.name: measure for speaker in speakers
                                     if (measure := recorded_measure(speaker)) is not None})
        record.summary = f"{len(chosen)} speakers, {edition.language}"
        record.details = {"count": len(chosen), "language": edition.language}
        return [record.create(Casting(edition=edition, speaker=speaker, voice=chosen[speaker.name]))
                for speaker in speakers if speaker.name in chosen]
