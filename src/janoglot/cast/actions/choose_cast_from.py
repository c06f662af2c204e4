"""Choose whom to cast where no rich voice is at home, and cast an edition's speakers by that."""

from __future__ import annotations

from collections.abc import Sequence

from janoglot.cast.actions.cast_the_rest import chosen_for
from janoglot.core.errors import BadInput
from janoglot.core.languages import english_name
from janoglot.core.speech.casting import CastFrom, no_rich_natives
from janoglot.core.speech.voices import Voice
from janoglot.productions.models import Casting, Edition, Production
from janoglot.productions.permissions import Anyone
from janoglot.productions.recorder import action
from janoglot.productions.voices import voice_cast


def cast_otherwise(castings: Sequence[Casting], language: str, choose: CastFrom) -> list[Casting]:
    """Of ``castings`` those that go against the choice: rich voices from elsewhere where natives are wanted, light
    natives where rich ones are. What is marked as meant stays."""
    def against(voice: Voice | None) -> bool:
        if voice is None or voice.is_kept:
            return False
        if choose == "natives":
            return voice.is_rich and not voice.is_native(language)
        return not voice.is_rich and voice.is_native(language)

    return [one for one in castings if not one.accent_meant and against(voice_cast(one.voice))]


def choose_cast_from(user: Anyone, edition: Edition, choose: CastFrom) -> int:
    """Remember the choice for the production, and cast anew whoever in ``edition`` is cast against it; how many.

    Raises BadInput where there is nothing to choose between.
    """
    choice = no_rich_natives(edition.language)
    if choice is None or not choice.natives or choose not in ("natives", "rich"):
        raise BadInput("In {language} there is nothing to choose between.", language=english_name(edition.language))
    with action(user, edition.production, "choose_cast_from") as record:
        production = Production.objects.get(pk=edition.production_id)
        record.update(production, cast_from=choose)
        castings = list(Casting.objects.select_for_update().filter(edition=edition).select_related("speaker")
                        .order_by("speaker__position"))
        anew = cast_otherwise(castings, edition.language, choose)
        chosen = chosen_for(edition, {one.speaker.name: one.voice for one in castings if one not in anew},
                            [one.speaker for one in anew], choose)
        for one in anew:
            record.update(one, voice=chosen[one.speaker.name])
        record.summary = f"{choose}: {len(anew)} speakers, {edition.language}"
        record.details = {"what": choose, "count": len(anew), "language": edition.language}
    return len(anew)
