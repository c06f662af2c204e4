"""The demo user and the productions that every new user sees first."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from functools import partial
from pathlib import Path

from django.conf import settings
from django.contrib.auth.models import User
from django.db import transaction

from janoglot.cast.actions.set_casting import set_casting
from janoglot.core.edition.marked_up import take_markup
from janoglot.core.errors import JanoglotError
from janoglot.core.media.source import look_at
from janoglot.core.mix.cues import sound_plan_of
from janoglot.core.script.formats import read_script
from janoglot.core.speech.catalogue import catalogue
from janoglot.core.speech.templates import ClipTable, table_of
from janoglot.direct.actions.guide_line import bring_guide
from janoglot.direct.actions.set_clip_table import set_clip_table
from janoglot.direct.actions.set_direction import set_direction
from janoglot.direct.actions.voice import voice
from janoglot.media.actions.source_media import bring_source_media
from janoglot.media.tasks import begin_copies
from janoglot.mix.actions.set_sounds import set_sounds
from janoglot.productions.actions.create_production import create_production
from janoglot.productions.models import GuideRead, Media, Production, Speaker, Wording
from janoglot.productions.sound_names import with_ids
from janoglot.server.storage import media

PRODUCTIONS = (("The Tidewater Clock", "tidewater-clock.csv"), ("Harbour Museum phone prompts", "phone-prompts.txt"))


def load_demo() -> list[Production]:
    """Make the demo user with the demo productions, where there is none yet. Gives back the new ones.

    The user has no password: the only way in is the one click, where the setting allows it.
    """
    with transaction.atomic():
        user, new = User.objects.get_or_create(username=settings.DEMO_USER)
        if not new:
            return []
        user.set_unusable_password()
        user.save()
        made = []
        for name, file in PRODUCTIONS:
            script = read_script((settings.HOME / "demo" / file).read_bytes(), file)
            take_markup(script)
            production = create_production(user, name, script, script.source_language or "en-GB")
            _cast(user, production, file)
            _direct(user, production, file)
            _tabulate(user, production, file)
            _record(user, production, file)
            _lay_sounds(user, production, file)
            made.append(production)
    return made


def voice_demo(production: Production) -> None:
    """Have what a production opens with voiced, behind the page: the source and the first translation. The workers
    begin as soon as they are up."""
    user = User.objects.get(username=settings.DEMO_USER)
    for recording in Media.objects.filter(production=production):
        begin_copies(recording, user)
    for edition in production.editions.order_by("position")[:2]:
        try:
            voice(user, edition)
        except JanoglotError:
            continue  # nobody is cast in it, or it has no words: then there is nothing to hear


def _cast(user: User, production: Production, file: str) -> None:
    place = settings.HOME / "demo" / file.replace(".csv", ".cast.json").replace(".txt", ".cast.json")
    if not place.exists():
        return
    # A native of the edition's language, and who takes the part where there are none.
    speakers = {speaker.name: speaker for speaker in Speaker.objects.filter(production=production)}
    cast = json.loads(place.read_text())
    for edition in production.editions.all():
        for name, chosen in cast.get(edition.language, {}).items():
            # The first of them that this machine has.
            there = next((one for one in chosen if one in catalogue()), None)
            if there:
                set_casting(user, edition, speakers[name], {"voice": there})


def _direct(user: User, production: Production, file: str) -> None:
    """What is directed beside the script's own column: a line that follows a guide read, and lines of which several
    readings are kept to choose from."""
    place = settings.HOME / "demo" / file.replace(".csv", ".directing.json")
    if place.suffix != ".json" or not place.exists():
        return
    told = json.loads(place.read_text())
    lines = list(production.lines.all())
    for row in told["readings"]:
        set_direction(user, production.editions.get(language=row["language"]), lines[row["line"] - 1],
                      {"takes": [{"number": number} for number in row["numbers"]]})
    for row in told["guides"]:
        data = (settings.HOME / "demo" / row["file"]).read_bytes()
        key = f"{hashlib.sha256(data).hexdigest()[:40]}.flac"
        if not media().has(key):
            media().write(key, partial(_write, data=data))
        guide = bring_guide(user, production.editions.get(language=row["language"]), lines[row["line"] - 1], key,
                            row["file"], "")
        GuideRead.objects.filter(pk=guide.pk).update(words=row["words"], by_word=True, said=row["said"],
                                                     state=GuideRead.State.READY)


def _instead(table: ClipTable, _: ClipTable | None) -> ClipTable:
    return table


def _tabulate(user: User, production: Production, file: str) -> None:
    """The tables of its templates."""
    place = (settings.HOME / "demo" / file).with_suffix(".clips.json")
    for told in json.loads(place.read_text())["lines"] if place.exists() else ():
        table = table_of(told["clips"])
        wording = Wording.objects.select_related("line__production").get(
            edition__production=production, edition__language=production.source_language, text=told["words"])
        if table:
            set_clip_table(user, wording.line, partial(_instead, table))


def _record(user: User, production: Production, file: str) -> None:
    """What the source sounds and looks like, where there is a recording of it."""
    place = (settings.HOME / "demo" / file).with_suffix(".mp4")
    if not place.exists():
        return
    data = place.read_bytes()
    key = f"{hashlib.sha256(data).hexdigest()[:40]}.mp4"
    if not media().has(key):
        media().write(key, partial(_write, data=data))
    bring_source_media(user, production, key, place.name, len(data), asdict(look_at(place)))


def _lay_sounds(user: User, production: Production, file: str) -> None:
    """What lies under its voices, and where they are heard from."""
    place = (settings.HOME / "demo" / file).with_suffix(".sounds.json")
    if place.exists():
        set_sounds(user, production, sound_plan_of(with_ids(json.loads(place.read_text()), production)))


def _write(place: Path, data: bytes) -> None:
    place.write_bytes(data)
