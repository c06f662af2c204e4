"""The producer's side: links that are given away, and what has come back by them."""

from __future__ import annotations

import io
import tempfile
from datetime import timedelta
from pathlib import Path
from typing import Any

import qrcode
import qrcode.image.svg
from django.contrib.auth.hashers import make_password
from django.db import transaction
from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.deliver.tables import write_table
from janoglot.core.errors import BadInput
from janoglot.mix.since import Since
from janoglot.productions.models import Production
from janoglot.productions.permissions import production_for, require_change, signed_in
from janoglot.review.actions.take_proposal import take_proposal
from janoglot.review.models import Remark, ReviewLink
from janoglot.review.reviewing import STAGE_OF, remarks_table
from janoglot.review.streams import begin_streams
from janoglot.server.storage import content_disposition, handed, serve

Data = dict[str, Any]
INTERFACES = ("en", "es", "fr", "de", "it", "pt", "ca", "nl", "hi", "ar", "ja")
"""Languages that a reviewer's page is in."""
_MOST_DAYS = 365
PURPOSES = [(one.value, one.value) for one in ReviewLink.Purpose]
REMARK_KINDS = [(one.value, one.value) for one in Remark.Kind]
REMARK_STATES = [(one.value, one.value) for one in Remark.State]


class ChangedSinceSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    lines = serializers.ListField(child=serializers.IntegerField(), help_text="Ids of those that are heard otherwise "
                                  "and are still there; empty where it is something else.")


class ReviewLinkSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    purpose = serializers.ChoiceField(PURPOSES)
    name = serializers.CharField(help_text="For whom it is.")
    languages = serializers.ListField(child=serializers.CharField())
    lines = serializers.ListField(child=serializers.IntegerField(),
                                  help_text="Ids of the lines that are to be looked at; empty for all of them.")
    interface = serializers.CharField()
    address = serializers.CharField(help_text="To be given away; who has it needs no account.")
    passphrase = serializers.BooleanField(help_text="Whether one is asked for.")
    download = serializers.BooleanField()
    expires = serializers.DateTimeField()
    open = serializers.BooleanField(help_text="Whether it still leads anywhere.")
    withdrawn = serializers.BooleanField()
    opened = serializers.DateTimeField(allow_null=True)
    remarks = serializers.IntegerField()
    approved = serializers.ListField(child=serializers.CharField(), help_text="Languages of editions.")
    changed = ChangedSinceSerializer(many=True, help_text="Of these, which are otherwise since.")


class NewReviewLinkSerializer(serializers.Serializer[Data]):
    purpose = serializers.ChoiceField(PURPOSES, default="review")
    name = serializers.CharField(max_length=120)
    languages = serializers.ListField(child=serializers.CharField(max_length=35), min_length=1, max_length=60)
    lines = serializers.ListField(child=serializers.IntegerField(), required=False, default=list, max_length=2_000,
                                  help_text="Only these are to be looked at.")
    interface = serializers.ChoiceField([(one, one) for one in INTERFACES], default="en")
    days = serializers.IntegerField(min_value=1, max_value=_MOST_DAYS, default=14)
    passphrase = serializers.CharField(required=False, allow_blank=True, max_length=100, default="")
    download = serializers.BooleanField(default=False)
    like = serializers.IntegerField(required=False, help_text="Another link of this production, whose pass-phrase "
                                    "holds here too where none is given.")


class ReviewLinkChangeSerializer(serializers.Serializer[Data]):
    withdrawn = serializers.BooleanField(required=False)
    days = serializers.IntegerField(required=False, min_value=1, max_value=_MOST_DAYS,
                                    help_text="For how long it leads somewhere, from now on.")


class RemarkSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    language = serializers.CharField()
    line = serializers.IntegerField(allow_null=True)
    by = serializers.CharField()
    kind = serializers.ChoiceField(REMARK_KINDS)
    stage = serializers.CharField(help_text="Where it belongs.")
    at = serializers.FloatField(help_text="Seconds of the programme.")
    text = serializers.CharField(allow_blank=True)
    proposed = serializers.CharField(allow_blank=True)
    spoken = serializers.BooleanField()
    unreadable = serializers.BooleanField(help_text="Nothing could be made of what was spoken.")
    heard = serializers.CharField(allow_blank=True, help_text="What was understood of a spoken remark.")
    heard_in = serializers.CharField(allow_blank=True, help_text="In which language.")
    about = serializers.CharField(allow_blank=True, help_text="What the line said when it was made.")
    state = serializers.ChoiceField(REMARK_STATES)
    answer = serializers.CharField(allow_blank=True)
    answered_by = serializers.CharField(allow_null=True)
    made = serializers.DateTimeField()


class RemarkChangeSerializer(serializers.Serializer[Data]):
    state = serializers.ChoiceField(REMARK_STATES, required=False)
    answer = serializers.CharField(required=False, allow_blank=True, max_length=2000)


def link_data(link: ReviewLink, request: Request, since: Since | None = None) -> Data:
    approved = dict(link.approvals.values_list("edition__language", "recipe"))
    since = since or Since(link.production.editions.select_related("production"))
    changed = since.changed(approved)
    there = set(link.production.lines.values_list("pk", flat=True)) if changed else set()
    where = "review" if link.purpose == ReviewLink.Purpose.REVIEW else "listen"
    return {"id": link.pk, "purpose": link.purpose, "name": link.name, "languages": link.languages,
            "lines": link.lines,
            "interface": link.interface, "address": request.build_absolute_uri(f"/{where}/{link.token}"),
            "passphrase": bool(link.passphrase), "download": link.download, "expires": link.expires, "open": link.open,
            "withdrawn": link.withdrawn is not None, "opened": link.opened,
            "remarks": link.remarks.exclude(kind=Remark.Kind.FINE).count(),
            "approved": list(approved),
            "changed": [{"language": language, "lines": [line for line in lines if line in there]}
                        for language, lines in changed.items()]}


def remark_data(one: Remark) -> Data:
    return {"id": one.pk, "language": one.edition.language, "line": one.line_id, "by": one.link.name, "kind": one.kind,
            "stage": STAGE_OF.get(one.kind, ""), "at": one.at, "text": one.text, "proposed": one.proposed,
            "spoken": bool(one.sound), "unreadable": one.unreadable, "heard": one.heard,
            "heard_in": one.heard_in, "about": one.about, "state": one.state, "answer": one.answer,
            "answered_by": one.answered_by.username if one.answered_by else None, "made": one.made}


def make_link(user: Any, production: Production, told: Data) -> ReviewLink:
    """Raises BadInput for an edition that is not there."""
    known = set(production.editions.values_list("language", flat=True))
    missing = [one for one in told["languages"] if one not in known]
    if missing:
        raise BadInput("This production has no edition in {language}.", language=missing[0])
    theirs = set(production.lines.filter(pk__in=told["lines"]).values_list("pk", flat=True))
    if theirs != set(told["lines"]):
        raise BadInput("Some of these lines are not there any more.")
    passphrase = told["passphrase"].strip()
    like = production.review_links.filter(pk=told["like"]).first() if told.get("like") else None
    if told.get("like") and like is None:
        raise BadInput("The link that this one is to be like is not there any more.")
    made = ReviewLink.objects.create(
        production=production, purpose=told["purpose"], name=told["name"].strip(),
        languages=list(dict.fromkeys(told["languages"])), lines=list(dict.fromkeys(told["lines"])),
        interface=told["interface"], download=told["download"],
        passphrase=make_password(passphrase) if passphrase else like.passphrase if like else "",
        expires=timezone.now() + timedelta(days=told["days"]), created_by=signed_in(user))
    begin_streams(made)
    return made


class ReviewLinksView(APIView):
    @extend_schema(responses=ReviewLinkSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Every link that was given away: who changes a production sees their addresses."""
        production = production_for(request.user, production_id, change=True)
        since = Since(production.editions.select_related("production"))
        return Response([link_data(one, request, since) for one in production.review_links.all()])

    @extend_schema(request=NewReviewLinkSerializer, responses={201: ReviewLinkSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """A link to review editions by, or to listen to them."""
        production = production_for(request.user, production_id, change=True)
        sent = NewReviewLinkSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        with transaction.atomic():
            made = make_link(request.user, production, sent.validated_data)
        return Response(link_data(made, request), status=status.HTTP_201_CREATED)


def _link(request: Request, production_id: int, link_id: int) -> ReviewLink:
    production = production_for(request.user, production_id, change=True)
    found = ReviewLink.objects.select_related("production").filter(production=production, pk=link_id).first()
    if found is None:
        raise Http404
    return found


class ReviewLinkView(APIView):
    @extend_schema(request=ReviewLinkChangeSerializer, responses=ReviewLinkSerializer)
    def patch(self, request: Request, production_id: int, link_id: int) -> Response:
        """Withdraw a link, or have it lead somewhere for longer."""
        link = _link(request, production_id, link_id)
        sent = ReviewLinkChangeSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        told = sent.validated_data
        if "withdrawn" in told:
            link.withdrawn = timezone.now() if told["withdrawn"] else None
        if "days" in told:
            link.expires = timezone.now() + timedelta(days=told["days"])
        link.save(update_fields=["withdrawn", "expires"])
        return Response(link_data(link, request))


class ReviewLinkCodeView(APIView):
    @extend_schema(responses={(200, "image/svg+xml"): OpenApiTypes.STR})
    def get(self, request: Request, production_id: int, link_id: int) -> HttpResponse:
        """The link's address as a QR code (ISO/IEC 18004), for a telephone."""
        link = _link(request, production_id, link_id)
        made = io.BytesIO()
        qrcode.make(link_data(link, request)["address"], image_factory=qrcode.image.svg.SvgPathImage).save(made)
        return HttpResponse(made.getvalue(), content_type="image/svg+xml")


class RemarkTakingSerializer(serializers.Serializer[Data]):
    anyway = serializers.BooleanField(default=False, help_text="Even where the line says something else by now.")


class RemarksView(APIView):
    @extend_schema(responses=RemarkSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """Everything that reviewers have said of a production's editions."""
        production = production_for(request.user, production_id)
        rows = Remark.objects.filter(edition__production=production).select_related("edition", "link", "answered_by")
        return Response([remark_data(one) for one in rows])


def _remark(request: Request, production_id: int, remark_id: int, change: bool = False) -> Remark:
    production = production_for(request.user, production_id)
    if change:
        require_change(request.user, production)
    found = Remark.objects.select_related("edition__production", "link", "answered_by").filter(
        edition__production=production, pk=remark_id).first()
    if found is None:
        raise Http404
    return found


class RemarkView(APIView):
    @extend_schema(request=RemarkChangeSerializer, responses=RemarkSerializer)
    def patch(self, request: Request, production_id: int, remark_id: int) -> Response:
        """Answer a remark, or say what became of it: the reviewer sees both."""
        row = _remark(request, production_id, remark_id, change=True)
        sent = RemarkChangeSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        for name, value in sent.validated_data.items():
            setattr(row, name, value)
        row.answered_by = signed_in(request.user)
        # What was understood of a spoken one may be written by a worker at just this moment.
        row.save(update_fields=[*sent.validated_data, "answered_by", "changed"])
        return Response(remark_data(row))


class RemarkTakingView(APIView):
    @extend_schema(request=RemarkTakingSerializer, responses=RemarkSerializer)
    def post(self, request: Request, production_id: int, remark_id: int) -> Response:
        """Have the line say what was proposed."""
        row = _remark(request, production_id, remark_id, change=True)
        sent = RemarkTakingSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        take_proposal(request.user, row, sent.validated_data["anyway"])
        row.refresh_from_db()
        return Response(remark_data(row))


class RemarkSoundView(APIView):
    @extend_schema(responses={(200, "audio/flac"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, remark_id: int) -> HttpResponseBase:
        """A remark that was spoken."""
        row = _remark(request, production_id, remark_id)
        if not row.sound or not handed().has(row.sound):
            raise Http404
        return serve(request._request, handed(), row.sound, "remark.flac", "audio/flac")


class RemarksFileView(APIView):
    @extend_schema(responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, production_id: int) -> HttpResponse:
        """All remarks with their answers, as CSV."""
        production = production_for(request.user, production_id)
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "remarks.csv"
            write_table(remarks_table(production), "csv", place)
            data = place.read_bytes()
        name = content_disposition("attachment", f"{production.name}-remarks.csv")
        return HttpResponse(data, content_type="text/csv; charset=utf-8", headers={"Content-Disposition": name})
