"""Keep a casting's sound as a voice of its own, or offer one no more."""

from __future__ import annotations

from dataclasses import replace

from django.db import transaction

from janoglot.core.errors import BadInput
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.settings import SETTINGS
from janoglot.productions.models import Casting, KeptVoice
from janoglot.productions.permissions import Anyone, require_change, signed_in
from janoglot.productions.recorder import action
from janoglot.productions.voices import voice_cast

LONGEST_NAME = 60


def keep_voice(user: Anyone, casting: Casting, name: str, mine: bool) -> KeptVoice:
    """A voice that sounds by itself as the speaker does now; the speaker is cast with it. It is the production's, or
    with ``mine`` the person's own in all of theirs. The same name again is another version of it.

    Raises BadInput for a name that is none, or that a voice of the catalogue has.
    """
    production = casting.edition.production
    require_change(user, production)
    name = " ".join(name.split())
    if not 0 < len(name) <= LONGEST_NAME:
        raise BadInput("Give the voice a name of at most {most} letters.", most=LONGEST_NAME)
    if name.lower() in catalogue() or any(voice.name == name for voice in catalogue().values()):
        raise BadInput("The catalogue has a voice “{name}”. Choose another name.", name=name)
    voice = voice_cast(casting.voice)
    if voice is None:
        raise BadInput("Choose a voice for {speaker} first.", speaker=casting.speaker.name)
    changed, left = casting.settings.kept_as(voice)
    with transaction.atomic():
        scope = {"production": None, "owner": signed_in(user)} if mine else {"production": production}
        before = KeptVoice.objects.select_for_update().filter(name=name, **scope).order_by("-version").first()
        row = KeptVoice.objects.create(
            name=name, version=before.version + 1 if before else 1, owner=signed_in(user),
            production=None if mine else production, made_of=replace(voice, **changed).as_json())
        with action(user, production, "keep_voice") as record:
            record.summary = f"{casting.speaker.name}: {name}"
            record.details = {"speaker": casting.speaker.name, "language": casting.edition.language, "voice": name}
            record.update(casting, voice=row.pk, **{one: getattr(left, one) for one in SETTINGS})
    return row


def retire_voice(user: Anyone, row: KeptVoice) -> None:
    """Offer a voice no more; where it is cast it stays. Raises PermissionDenied."""
    if row.production is not None:
        require_change(user, row.production)
    scope = {"production": row.production} if row.production else {"production": None, "owner": signed_in(user)}
    KeptVoice.objects.filter(name=row.name, **scope).update(retired=True)
