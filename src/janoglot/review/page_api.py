"""The reviewer's side: what a link opens, for whoever has it, and nothing else."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.contrib.auth.hashers import check_password
from django.core.cache import cache
from django.db import transaction
from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.exceptions import PermissionDenied, Throttled
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import SimpleRateThrottle
from rest_framework.views import APIView

from janoglot.core.deliver.caption_formats import written_captions
from janoglot.core.deliver.caption_rules import CaptionStyle, pairs_of_names
from janoglot.core.deliver.captions import caption_lines, captions, readable
from janoglot.core.deliver.names import file_name
from janoglot.core.edition.plan import MixPlan
from janoglot.core.errors import BadInput
from janoglot.core.graph import recipe_hash
from janoglot.core.languages import direction, own_name
from janoglot.direct.sent_recordings import take_in
from janoglot.editions.state import EditionState
from janoglot.mix.block_files import MixFile, block_mix, is_kept
from janoglot.mix.models import Mix
from janoglot.productions.models import Edition, Line, Media
from janoglot.productions.writing import source_words
from janoglot.review.links_api import PURPOSES, REMARK_KINDS, REMARK_STATES
from janoglot.review.models import Approval, Remark, ReviewLink
from janoglot.review.streams import FORM, begin_stream, frames_key, heard_line, stream_key, track_key
from janoglot.review.tasks import LONGEST, hear_remark
from janoglot.server.fields import FiniteField
from janoglot.server.storage import handed, media, mixes, serve

Data = dict[str, Any]
_LARGEST = 8 * 1024**2
_MOST_REMARKS = 5_000
SMALL = "heard.m4a"
_SOURCES = {"picture.mp4": ("picture", "video/mp4"), "sound.flac": ("sound", "audio/flac")}
_UNLOCKED = 12 * 3600
"""Seconds for which a pass-phrase need not be said again."""


class LineGone(BadInput):
    """A remark on a line that is not there, or not to be looked at by this link."""

    code = "line_gone"


class _ByAddress(SimpleRateThrottle):
    """Requests by whoever asks, whichever link is asked for."""

    scope = "review"

    def get_cache_key(self, request: Request, view: APIView) -> str:
        return self.cache_format % {"scope": self.scope, "ident": self.get_ident(request)}


class _Misses(_ByAddress):
    """… for links that lead nowhere."""

    scope = "review-miss"


class _Passphrases(_ByAddress):
    scope = "review-passphrase"


def _too_many(throttle: SimpleRateThrottle, request: Request, view: APIView) -> None:
    """Raises Throttled."""
    if not throttle.allow_request(request, view):
        raise Throttled(throttle.wait())


class OpenedLinkSerializer(serializers.Serializer[Data]):
    purpose = serializers.ChoiceField(PURPOSES)
    name = serializers.CharField()
    interface = serializers.CharField()
    locked = serializers.BooleanField(help_text="A pass-phrase is asked for: nothing more is told without it.")
    production = serializers.CharField(allow_blank=True)
    editions = serializers.ListField(child=serializers.DictField(child=serializers.CharField()),
                                     help_text="language, name, direction")
    picture = serializers.BooleanField()
    source_sound = serializers.BooleanField(help_text="Whether the source can be heard.")
    download = serializers.BooleanField()
    expires = serializers.DateTimeField()


class ReviewedLineSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    number = serializers.IntegerField()
    speaker = serializers.CharField()
    part = serializers.CharField(allow_blank=True)
    original = serializers.CharField(allow_blank=True, help_text="What the source says.")
    words = serializers.CharField(allow_blank=True)
    start = serializers.FloatField()
    end = serializers.FloatField()


class ReviewersRemarkSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    line = serializers.IntegerField(allow_null=True)
    kind = serializers.ChoiceField(REMARK_KINDS)
    at = serializers.FloatField()
    text = serializers.CharField(allow_blank=True)
    proposed = serializers.CharField(allow_blank=True)
    spoken = serializers.BooleanField()
    unreadable = serializers.BooleanField(help_text="Nothing could be made of what was spoken.")
    state = serializers.ChoiceField(REMARK_STATES)
    answer = serializers.CharField(allow_blank=True)


class ReviewedEditionSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    recipe = serializers.CharField(allow_blank=True, help_text="Of the mix that is heard; empty where there is none.")
    seconds = serializers.FloatField()
    curve = serializers.ListField(child=serializers.FloatField(), help_text="Loudness by second, LUFS.")
    holds = serializers.ListField(child=serializers.ListField(child=serializers.FloatField()),
                                  help_text="Where the picture stands still, and for how long, seconds.")
    sound = serializers.CharField(help_text="The file that is heard: the small one, or mix.wav until that is made.")
    track = serializers.BooleanField(help_text="Whether there is a file to keep: where the link allows one, once it is "
                                     "made.")
    sketches = serializers.IntegerField(help_text="How many lines are heard as sketches.")
    lines = ReviewedLineSerializer(many=True, help_text="Those that are to be looked at.")
    remarks = ReviewersRemarkSerializer(many=True, help_text="This link's own.")
    approved = serializers.BooleanField(help_text="By this link, of the mix that is heard.")
    approved_recipe = serializers.CharField(allow_blank=True, help_text="The mix that this link has approved of.")


class NewRemarkSerializer(serializers.Serializer[Data]):
    language = serializers.CharField(max_length=35)
    line = serializers.IntegerField(required=False, allow_null=True)
    kind = serializers.ChoiceField(REMARK_KINDS)
    at = FiniteField(default=0.0, min_value=0, max_value=86_400)
    text = serializers.CharField(required=False, allow_blank=True, default="", max_length=2000)
    proposed = serializers.CharField(required=False, allow_blank=True, default="", max_length=2000)
    recipe = serializers.CharField(required=False, allow_blank=True, default="", max_length=40,
                                   help_text="The mix that was heard.")


class PassphraseSerializer(serializers.Serializer[Data]):
    passphrase = serializers.CharField(max_length=100, trim_whitespace=False)


class ApprovingSerializer(serializers.Serializer[Data]):
    approved = serializers.BooleanField()
    recipe = serializers.CharField(required=False, allow_blank=True, max_length=40,
                                   help_text="The mix that was heard; without it the newest.")


class OfLink(APIView):
    """What every address under a link has in common: nobody signs in, and the link says what may be seen."""

    # The address is the key: no session counts for anything, and so none can be misused from elsewhere.
    authentication_classes: list[Any] = []
    permission_classes = [AllowAny]
    throttle_classes = [_ByAddress]

    def link(self, request: Request, token: str, locked_too: bool = False) -> ReviewLink:
        """Raises Http404 for one that leads nowhere, Throttled for many such; PermissionDenied without its
        pass-phrase."""
        found = ReviewLink.by_token(token)
        if found is None:
            _too_many(_Misses(), request, self)
            raise Http404
        if not locked_too and self.locked(request, found):
            raise PermissionDenied("This link asks for its pass-phrase first.")
        return found

    def locked(self, request: Request, link: ReviewLink) -> bool:
        if not link.passphrase:
            return False
        told = request._request.get_signed_cookie(_cookie(link), default=None, salt=link.passphrase, max_age=_UNLOCKED)
        return bool(told != "open")

    def edition(self, link: ReviewLink, language: str) -> Edition:
        """Raises Http404 for one that the link does not open."""
        if language not in link.languages:
            raise Http404
        found = Edition.objects.select_related("production").filter(production=link.production_id,
                                                                    language=language).first()
        if found is None:
            raise Http404
        return found


def _cookie(link: ReviewLink) -> str:
    return f"review-{link.pk}"


def heard_mix(edition: Edition) -> Mix | None:
    """What is listened to: the mix of how the edition stands, or the newest that there is."""
    recipe = EditionState.load(edition).mix_recipe
    ready = [one for one in Mix.objects.filter(edition=edition).exclude(report={})
             if is_kept(one, mixes()) and mixes().has(one.plan_key)]
    return next((one for one in ready if one.recipe == recipe), ready[0] if ready else None)


def _mix_that_was_heard(edition: Edition, recipe: str) -> Mix | None:
    """The mix of ``recipe`` as long as it is kept, whatever has been mixed since; else the newest."""
    named = Mix.objects.filter(edition=edition, recipe=recipe).exclude(report={}).first() if recipe else None
    if named and is_kept(named, mixes()) and mixes().has(named.plan_key):
        return named
    return heard_mix(edition)


def _recording(link: ReviewLink) -> Media | None:
    return Media.objects.filter(production=link.production_id, purpose=Media.Purpose.SOURCE, played=True).first()


class OpenedLinkView(OfLink):
    @extend_schema(responses=OpenedLinkSerializer)
    def get(self, request: Request, token: str) -> Response:
        """What a link opens."""
        link = self.link(request, token, locked_too=True)
        locked = self.locked(request, link)
        recording = None if locked else _recording(link)
        return Response({
            "purpose": link.purpose, "name": "" if locked else link.name, "interface": link.interface, "locked": locked,
            "production": "" if locked else link.production.name,
            "editions": [] if locked else [{"language": one, "name": own_name(one), "direction": direction(one)}
                                           for one in link.languages],
            "picture": bool(recording and "picture" in recording.copies and media().has(recording.copies["picture"])),
            "source_sound": bool(recording and "sound" in recording.copies and media().has(recording.copies["sound"])),
            "download": link.download, "expires": link.expires})

    @extend_schema(request=PassphraseSerializer, responses={204: None})
    def post(self, request: Request, token: str) -> Response:
        """Say the pass-phrase."""
        link = self.link(request, token, locked_too=True)
        _too_many(_Passphrases(), request, self)
        sent = PassphraseSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        if link.passphrase and not check_password(sent.validated_data["passphrase"].strip(), link.passphrase):
            raise PermissionDenied("That is not the pass-phrase.")
        answer = Response(status=status.HTTP_204_NO_CONTENT)
        answer.set_signed_cookie(_cookie(link), "open", salt=link.passphrase, max_age=_UNLOCKED, httponly=True,
                                 samesite="Lax", secure=request.is_secure())
        return answer


def _remark_data(one: Remark) -> Data:
    return {"id": one.pk, "line": one.line_id, "kind": one.kind, "at": one.at, "text": one.text,
            "proposed": one.proposed, "spoken": bool(one.sound),
            "unreadable": one.unreadable, "state": one.state, "answer": one.answer}


class ReviewedEditionView(OfLink):
    @extend_schema(responses=ReviewedEditionSerializer)
    def get(self, request: Request, token: str, language: str) -> Response:
        """An edition's lines as they are heard, and what this reviewer has said of them."""
        link = self.link(request, token)
        edition = self.edition(link, language)
        mix = heard_mix(edition)
        if cache.add(f"review-opened/{link.pk}", 1, 60):
            ReviewLink.objects.filter(pk=link.pk).update(opened=timezone.now())
        state = EditionState.load(edition)
        sources = {} if edition.is_source else source_words(edition.production)
        parts = {one.id: one.line.part.name if one.line.part else "" for one in state.lines}
        plan = MixPlan.read(mixes().path(mix.plan_key)) if mix else None
        approved = Approval.objects.filter(link=link, edition=edition).values_list("recipe", flat=True).first() or ""
        rows = sorted(plan.lines, key=lambda one: (one.start, one.number)) if plan else []
        if link.lines:
            rows = [one for one in rows if one.line in link.lines]
        return Response({
            "language": language, "recipe": mix.recipe if mix else "", "seconds": plan.seconds if plan else 0.0,
            "curve": [round(one, 1) for one in mix.report.get("short_term", [])] if mix else [],
            "sound": SMALL if mix and handed().has(stream_key(mix)) else "mix.wav",
            "track": bool(mix and link.download and handed().has(track_key(mix))),
            "sketches": plan.sketches if plan else 0,
            "holds": [[hold.at, hold.seconds] for hold in state.holds],
            "lines": [{"id": one.line, "number": one.number, "speaker": one.speaker, "part": parts.get(one.line, ""),
                       "original": sources.get(one.line, ""), "words": one.words, "start": round(one.start, 3),
                       "end": round(one.end, 3)} for one in rows],
            "remarks": [_remark_data(one) for one in link.remarks.filter(edition=edition)]
            if link.purpose == ReviewLink.Purpose.REVIEW else [],
            "approved": mix is not None and approved == mix.recipe, "approved_recipe": approved})


class ReviewedLineSoundView(OfLink):
    @extend_schema(responses={(200, "audio/aac"): OpenApiTypes.BINARY})
    def get(self, request: Request, token: str, language: str, line: int) -> HttpResponse:
        """One line as it is heard, alone: on a slow line nobody waits for the rest. There where the small sound is."""
        link = self.link(request, token)
        mix = _mix_that_was_heard(self.edition(link, language), request.query_params.get("of", ""))
        if mix is None or not handed().has(frames_key(mix)):
            raise Http404
        try:
            made = heard_line(mix, line)
        except (KeyError, ValueError, OSError) as error:
            raise Http404 from error
        # Under a recipe it is always the same.
        return HttpResponse(made, content_type="audio/aac", headers={
            "Cache-Control": "private, max-age=86400", "Accept-Ranges": "none"})


class ReviewedSoundView(OfLink):
    @extend_schema(operation_id="review_editions_file",
                   responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, token: str, language: str, file: str) -> HttpResponseBase:
        """The mix (heard.m4a, or mix.wav until that is made), its captions (captions.vtt), and where the link allows it
        a file to keep (track.mp3)."""
        link = self.link(request, token)
        edition = self.edition(link, language)
        mix = _mix_that_was_heard(edition, request.query_params.get("of", ""))
        if mix is None:
            raise Http404
        small = handed().has(stream_key(mix))
        if file == SMALL and small:
            return serve(request._request, handed(), stream_key(mix), f"{file_name(language)}.m4a", FORM.of.kind)
        if file == "mix.wav" and not small:
            made = MixFile(block_mix(mix, mixes()), mixes())
            return serve(request._request, made, mix.key, f"{file_name(language)}.wav")
        if file == "captions.vtt":
            return _captions(request, edition, mix)
        if file == "track.mp3" and link.download:
            return _track(request, edition, mix)
        raise Http404


def _captions(request: Request, edition: Edition, mix: Mix) -> HttpResponseBase:
    plan = MixPlan.read(mixes().path(mix.plan_key))
    key = f"{recipe_hash('review captions', plan=mix.recipe)}.vtt"
    if not handed().has(key):
        style = CaptionStyle()
        names = pairs_of_names(sorted({line.speaker for line in plan.lines}))
        cues = readable(captions(caption_lines(plan), style, edition.language, names), style, plan.seconds)
        text = written_captions("vtt", cues, edition.language, style)

        def write(place: Path) -> None:
            place.write_text(text, encoding="utf-8")

        handed().write(key, write)
    return serve(request._request, handed(), key, "captions.vtt", "text/vtt; charset=utf-8")


def _track(request: Request, edition: Edition, mix: Mix) -> HttpResponseBase:
    """Made by a worker, with what is heard; Http404 until it is."""
    if not handed().has(track_key(mix)):
        begin_stream(mix)
        raise Http404
    name = f"{file_name(edition.production.name, 'track')}_{edition.language}.mp3"
    return serve(request._request, handed(), track_key(mix), name, "audio/mpeg", download=True)


class ReviewedSourceView(OfLink):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, token: str, file: str) -> HttpResponseBase:
        """The source's picture (picture.mp4) or sound (sound.flac)."""
        link = self.link(request, token)
        recording = _recording(link)
        what, kind = _SOURCES.get(file, ("", ""))
        key = recording.copies.get(what) if recording else None
        if key is None or not media().has(key):
            raise Http404
        return serve(request._request, media(), key, file, kind)


class ReviewersRemarksView(OfLink):
    @extend_schema(request=NewRemarkSerializer, responses={201: ReviewersRemarkSerializer})
    def post(self, request: Request, token: str) -> Response:
        """Say something of a line, or of the whole: in words, spoken (``sound``, as a form's file), or both."""
        link = self.link(request, token)
        if link.purpose != ReviewLink.Purpose.REVIEW:
            raise PermissionDenied("This link is for listening.")
        sent = NewRemarkSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        told = dict(sent.validated_data)
        edition = self.edition(link, told.pop("language"))
        line = None
        if told.get("line") is not None:
            line = Line.objects.filter(production=link.production_id, pk=told["line"]).first()
            if line is None or (link.lines and line.pk not in link.lines):
                raise LineGone("This line is not there any more. What you wrote is kept here: say it of the whole.")
        told.pop("line", None)
        if link.remarks.count() >= _MOST_REMARKS:
            raise BadInput("Over {most} remarks have been made by this link.", most=_MOST_REMARKS)
        key = _spoken(request.FILES["sound"]) if "sound" in request.FILES else ""
        if told["kind"] != Remark.Kind.FINE and not (told["text"].strip() or told["proposed"].strip() or key) \
                and line is None:
            raise BadInput("Say what it is about.")
        words = edition.wordings.filter(line=line).values_list("text", flat=True).first() if line else ""
        with transaction.atomic():
            if line is not None:
                # What was fine is not any more, and the other way round.
                same = link.remarks.filter(edition=edition, line=line, state=Remark.State.OPEN, answer="")
                (same.exclude(kind=Remark.Kind.FINE) if told["kind"] == Remark.Kind.FINE
                 else same.filter(kind=Remark.Kind.FINE)).delete()
            made = Remark.objects.create(link=link, edition=edition, line=line, sound=key, about=words or "", **told)
            hear_remark(made)
        return Response(_remark_data(made), status=status.HTTP_201_CREATED)


def _spoken(sound: Any) -> str:
    """Keep a spoken remark. Raises BadInput."""
    if not hasattr(sound, "read") or sound.size > _LARGEST:
        raise BadInput("A spoken remark is a recording of up to {most} seconds.", most=round(LONGEST))
    return take_in(sound.read(), handed(), ".remark.flac")


class ReviewersRemarkView(OfLink):
    @extend_schema(responses={204: None})
    def delete(self, request: Request, token: str, remark_id: int) -> Response:
        """Take back what was said, as long as nobody has done anything about it."""
        link = self.link(request, token)
        row = link.remarks.filter(pk=remark_id).first()
        if row is None:
            raise Http404
        if row.state != Remark.State.OPEN or row.answer:
            raise BadInput("Something was done about it already: say what is to be otherwise now.")
        row.delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


class ApprovingView(OfLink):
    @extend_schema(request=ApprovingSerializer, responses=ReviewedEditionSerializer)
    def put(self, request: Request, token: str, language: str) -> Response:
        """Approve of the edition as it is heard, or take that back."""
        link = self.link(request, token)
        if link.purpose != ReviewLink.Purpose.REVIEW:
            raise PermissionDenied("This link is for listening.")
        edition = self.edition(link, language)
        sent = ApprovingSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        mix = _mix_that_was_heard(edition, sent.validated_data.get("recipe", ""))
        if mix is None:
            raise BadInput("There is nothing to hear yet.")
        if sent.validated_data["approved"]:
            Approval.objects.update_or_create(link=link, edition=edition,
                                              defaults={"recipe": mix.recipe, "made": timezone.now()})
        else:
            Approval.objects.filter(link=link, edition=edition).delete()
        view = ReviewedEditionView()
        view.request = request
        return view.get(request, token, language)
