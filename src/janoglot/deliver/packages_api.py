"""Packages: what they hold, what stands in their way, and those that were handed over."""

from __future__ import annotations

import mimetypes
from collections.abc import Sequence
from typing import Any

from django.db import IntegrityError, transaction
from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers, status
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from janoglot.core.deliver.deliverable import Need
from janoglot.core.deliver.items import Choice
from janoglot.core.deliver.names import FIELDS, file_name
from janoglot.core.deliver.package import KINDS, MANIFEST, PACKAGES, Package, called_like, package_of
from janoglot.core.errors import BadInput
from janoglot.core.guarded import whole_number
from janoglot.deliver.handing_over import NotReady, StoredEdition, ready_mix
from janoglot.deliver.models import OwnPackage, Parcel, RightNote
from janoglot.deliver.open_points import HARD, SOFT, OpenPoint, open_points, quality_lines, rights
from janoglot.deliver.packing import PARCEL_STATES, ask_for_parcel, begin_parcel, parcel_progress
from janoglot.deliver.zipped import ZippedFile
from janoglot.editions.state import EditionState
from janoglot.mix.since import Since
from janoglot.productions.jobs import running, stop
from janoglot.productions.models import Edition, Production
from janoglot.productions.permissions import edition_for, production_for, signed_in
from janoglot.server.storage import handed, serve
from janoglot.server.work import require_queue

Data = dict[str, Any]
POINT_CODES = [(code, code) for code in (*HARD, *SOFT)]
ITEM_KINDS = [(one, one) for one in KINDS]
ITEM_STATES = [(one, one) for one in ("ready", "to make", "not here")]
_SHOWN = 100
_LOOKED_AT = 5
"""Packages of which it is said what is otherwise since."""
_SPEED = {"track": 40.0, "stems": 60.0, "clips": 60.0, "captions": 5_000.0, "picture": 12.0,
          "picture, all languages": 12.0, "stream": 12.0, "timeline": 60.0, "talking book": 25.0}
"""Seconds of a programme that are made of an item in a second, about."""


class PackageItemSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(ITEM_KINDS)
    choices = serializers.DictField(required=False, default=dict)
    pattern = serializers.CharField(required=False, allow_blank=True, default="", max_length=120)


class PackageSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField(allow_null=True, help_text="Of one of your own; those that come with it have none.")
    name = serializers.CharField()
    commercial = serializers.BooleanField()
    items = PackageItemSerializer(many=True)


class NewPackageSerializer(serializers.Serializer[Data]):
    name = serializers.CharField(max_length=80)
    commercial = serializers.BooleanField(default=False)
    items = PackageItemSerializer(many=True)


class OnlySerializer(serializers.Serializer[Data]):
    choice = serializers.CharField()
    values = serializers.ListField(child=serializers.JSONField())


class ChoiceSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    usual = serializers.JSONField(allow_null=True)
    allowed = serializers.ListField(child=serializers.JSONField())
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    none = serializers.BooleanField()
    only = OnlySerializer(allow_null=True, help_text="It is a choice only where another one has one of these values.")


class ItemKindSerializer(serializers.Serializer[Data]):
    kind = serializers.ChoiceField(ITEM_KINDS)
    of = serializers.ChoiceField([(one, one) for one in ("edition", "languages", "production")])
    pattern = serializers.CharField()
    choices = ChoiceSerializer(many=True)


class PackagesSerializer(serializers.Serializer[Data]):
    packages = PackageSerializer(many=True)
    kinds = ItemKindSerializer(many=True)
    fields_of_names = serializers.ListField(child=serializers.CharField())


class OpenPointSerializer(serializers.Serializer[Data]):
    code = serializers.ChoiceField(POINT_CODES)
    lines = serializers.ListField(child=serializers.IntegerField())
    hard = serializers.BooleanField(help_text="It cannot be handed over at all; else a reason is asked for.")


class ItemStandingSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField(help_text="Of the item in its package, from 0.")
    state = serializers.ChoiceField(ITEM_STATES)
    seconds = serializers.FloatField(help_text="How long making it takes, about.")
    why = serializers.CharField(allow_blank=True)
    names = serializers.ListField(child=serializers.CharField(), help_text="What files are called, some of them.")


class EditionStandingSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    points = OpenPointSerializer(many=True)
    items = ItemStandingSerializer(many=True)


class AskedPackageSerializer(serializers.Serializer[Data]):
    package = NewPackageSerializer()
    languages = serializers.ListField(child=serializers.CharField(max_length=35), min_length=1, max_length=60)
    reason = serializers.CharField(required=False, allow_blank=True, default="", max_length=500,
                                   help_text="Why it is handed over all the same, where anything stands open.")
    than = serializers.IntegerField(required=False, allow_null=True, default=None,
                                    help_text="Only what is otherwise than in this package of the same production.")


class ParcelFileSerializer(serializers.Serializer[Data]):
    path = serializers.CharField()
    bytes = serializers.IntegerField()
    sha256 = serializers.CharField()
    item = serializers.CharField()
    report = serializers.DictField(child=serializers.FloatField())


class ParcelEditionSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    made = serializers.IntegerField()
    all = serializers.IntegerField()


class LeftOutSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField(help_text="The item's place in the package.")
    item = serializers.CharField()
    languages = serializers.ListField(child=serializers.CharField())
    why = serializers.CharField()


class ChangedEditionSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    lines = serializers.ListField(child=serializers.IntegerField(), help_text="Ids; none where it is something else.")


class ParcelSerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    package = NewPackageSerializer(help_text="As it was then: asked for again, it is another.")
    languages = serializers.ListField(child=serializers.CharField())
    state = serializers.ChoiceField(PARCEL_STATES)
    share = serializers.FloatField()
    fault = serializers.CharField(allow_blank=True)
    editions = ParcelEditionSerializer(many=True)
    made_new = serializers.IntegerField(help_text="Items that had to be made; the others were there.")
    items = serializers.IntegerField()
    files = ParcelFileSerializer(many=True)
    left = LeftOutSerializer(many=True, help_text="What it is without, and why.")
    changed = ChangedEditionSerializer(
        many=True, help_text="Editions whose sound is otherwise since; of the newest few packages alone.")
    reason = serializers.CharField(allow_blank=True)
    by = serializers.CharField(allow_null=True)
    asked = serializers.DateTimeField()


class FigureSerializer(serializers.Serializer[Data]):
    name = serializers.CharField()
    found = serializers.FloatField(allow_null=True)
    limit = serializers.CharField(allow_blank=True)
    kept = serializers.BooleanField(allow_null=True)


class LineQualitySerializer(serializers.Serializer[Data]):
    id = serializers.IntegerField()
    number = serializers.IntegerField()
    speaker = serializers.CharField()
    original = serializers.CharField(allow_blank=True)
    words = serializers.CharField(allow_blank=True)
    heard = serializers.CharField(allow_blank=True)
    agrees = serializers.FloatField(allow_null=True)
    back = serializers.CharField(allow_blank=True)
    speed = serializers.FloatField()
    over = serializers.FloatField()
    worry = serializers.FloatField()
    faults = serializers.ListField(child=serializers.CharField())
    doubts = serializers.ListField(child=serializers.CharField())
    said = serializers.ListField(child=serializers.CharField())
    start = serializers.FloatField(allow_null=True)
    right_by = serializers.CharField(allow_blank=True, help_text="Who has said that it is right as it sounds.")


class CaptionFaultSerializer(serializers.Serializer[Data]):
    number = serializers.IntegerField(help_text="Of the caption, from 1.")
    start = serializers.FloatField()
    rule = serializers.ChoiceField(("columns", "rows", "speed", "short", "long", "overlap", "broken"))
    found = serializers.FloatField()
    limit = serializers.FloatField()
    text = serializers.CharField()
    line = serializers.IntegerField(allow_null=True)


class QualityReportSerializer(serializers.Serializer[Data]):
    language = serializers.CharField()
    figures = FigureSerializer(many=True)
    lines = LineQualitySerializer(many=True)
    worst = serializers.ListField(child=serializers.IntegerField(), help_text="Ids of the lines to look at first.")
    captions = CaptionFaultSerializer(many=True, help_text="Each rule that a caption of the usual style does not keep.")
    approved_by = serializers.ListField(child=serializers.CharField())


class UsedRightSerializer(serializers.Serializer[Data]):
    what = serializers.CharField(max_length=20)
    name = serializers.CharField(max_length=200)
    used_in = serializers.CharField(required=False, allow_blank=True)
    licence = serializers.CharField(required=False, allow_blank=True, max_length=300, default="")
    origin = serializers.CharField(required=False, allow_blank=True, max_length=300, default="")
    commercial = serializers.BooleanField(required=False, allow_null=True, default=None)
    consent = serializers.CharField(required=False, allow_blank=True, max_length=300, default="")
    until = serializers.DateField(required=False, allow_null=True, default=None)
    missing = serializers.BooleanField(required=False)


def _choice(name: str, one: Choice) -> Data:
    return {"name": name, "usual": one.usual, "allowed": list(one.allowed), "low": one.low, "high": one.high,
            "none": one.none, "only": {"choice": one.only[0], "values": list(one.only[1])} if one.only else None}


class PackagesView(APIView):
    @extend_schema(responses=PackagesSerializer)
    def get(self, request: Request) -> Response:
        """Every package that you can hand over, and all that one can hold."""
        own = OwnPackage.objects.filter(owner=signed_in(request.user))
        return Response({
            "packages": [{"id": None, **one.as_json()} for one in PACKAGES]
            + [{"id": one.pk, **one.told, "name": one.name} for one in own],
            "kinds": [{"kind": one.name, "of": one.of, "pattern": one.pattern,
                       "choices": [_choice(name, choice) for name, choice in one.choices.items()]}
                      for one in KINDS.values()],
            "fields_of_names": list(FIELDS)})

    @extend_schema(request=NewPackageSerializer, responses={201: PackageSerializer})
    def post(self, request: Request) -> Response:
        """Keep a package of your own, for all of your productions."""
        package = _package_in(request.data)
        user = signed_in(request.user)
        try:
            with transaction.atomic():
                made = OwnPackage.objects.create(owner=user, name=package.name, told=package.as_json())
        except IntegrityError:
            raise BadInput("You have a package called “{name}”.", name=package.name) from None
        return Response({"id": made.pk, **made.told}, status=status.HTTP_201_CREATED)


def _package_in(data: Any) -> Package:
    sent = NewPackageSerializer(data=data)
    sent.is_valid(raise_exception=True)
    package = package_of(sent.validated_data)
    if any(package.name == one.name and package != one for one in PACKAGES):
        raise BadInput("“{name}” is one of those that come with it: give yours another name.", name=package.name)
    return package


class PackageView(APIView):
    def _own(self, request: Request, package_id: int) -> OwnPackage:
        found = OwnPackage.objects.filter(owner=signed_in(request.user), pk=package_id).first()
        if found is None:
            raise Http404
        return found

    @extend_schema(request=NewPackageSerializer, responses=PackageSerializer)
    def put(self, request: Request, package_id: int) -> Response:
        """Have it otherwise. What was handed over by it stays what it was."""
        row = self._own(request, package_id)
        package = _package_in(request.data)
        if OwnPackage.objects.filter(owner=row.owner, name=package.name).exclude(pk=row.pk).exists():
            raise BadInput("You have a package called “{name}”.", name=package.name)
        row.name, row.told = package.name, package.as_json()
        row.save()
        return Response({"id": row.pk, **row.told})

    @extend_schema(responses={204: None})
    def delete(self, request: Request, package_id: int) -> Response:
        self._own(request, package_id).delete()
        return Response(status=status.HTTP_204_NO_CONTENT)


def _asked(request: Request, production: Production) -> tuple[Package, list[Edition], str]:
    """Raises BadInput."""
    sent = AskedPackageSerializer(data=request.data)
    sent.is_valid(raise_exception=True)
    told = sent.validated_data
    rows = {one.language: one for one in production.editions.select_related("production")}
    missing = [one for one in told["languages"] if one not in rows]
    if missing:
        raise BadInput("This production has no edition in {language}.", language=missing[0])
    return (package_of(told["package"]), [rows[one] for one in dict.fromkeys(told["languages"])],
            told["reason"].strip())


def points_of(package: Package, edition: Edition, state: EditionState) -> list[OpenPoint]:
    """What stands in the way of a package of an edition: of what needs no sound, nothing that is about sound does."""
    needs: set[Need] = set().union(*(one.of.needs(one.chosen) for one in package.items))
    found = open_points(state, package.commercial or edition.production.commercial)
    if Need.VOICED not in needs:
        found = [one for one in found if one.code in ("no_words", "draft", "doubtful", "not_approved", "review_open")]
    return found


class StandingView(APIView):
    @extend_schema(request=AskedPackageSerializer, responses=EditionStandingSerializer(many=True))
    def post(self, request: Request, production_id: int) -> Response:
        """How a package stands before it is made: what is there, what would be made, what stands in its way. Nothing is
        changed by asking."""
        production = production_for(request.user, production_id)
        package, editions, _ = _asked(request, production)
        return Response([_standing(package, edition, [one.language for one in editions]) for edition in editions])


def _standing(package: Package, edition: Edition, languages: Sequence[str]) -> Data:
    state = EditionState.load(edition)
    points = points_of(package, edition, state)
    mix = ready_mix(edition, state.mix_recipe)
    material = StoredEdition(edition)
    picture = material.picture() is not None
    items = []
    for number, item in enumerate(package.items):
        kind, chosen = item.of, item.chosen
        needs, why, state_of = kind.needs(chosen), "", "to make"
        if Need.PICTURE in needs and not picture:
            state_of, why = "not here", "no_picture"
        elif Need.HELD in needs and not state.holds:
            state_of, why = "not here", "no_holds"
        elif kind.of == "edition" and not any(one.hard for one in points) and (mix or Need.MIXED not in needs):
            try:
                if handed().has(kind.key(kind.write_down([material], chosen))):
                    state_of = "ready"
            except (BadInput, NotReady) as error:
                state_of, why = "not here", str(error)
        seconds = 0.0 if state_of == "ready" else state.seconds / _SPEED.get(kind.name, 1_000.0) + (
            state.seconds / 40 if Need.MIXED in needs and not mix else 0.0)
        first = next((one for one in state.lines if one.words.strip()), None)
        chosen_here = [edition.language] if kind.of == "edition" else languages
        name = called_like(item, edition.production.name, chosen_here, first.line.number if first else 1,
                           first.line.speaker_name if first else "",
                           first.line.part.name if first and first.line.part else "")
        items.append({"number": number, "state": state_of, "seconds": round(seconds, 1), "why": why, "names": [name]})
    return {"language": edition.language, "points": [_point(one) for one in points], "items": items}


def _point(one: OpenPoint) -> Data:
    return {"code": one.code, "lines": one.lines, "hard": one.hard}


def parcel_data(parcel: Parcel, since: Since | None = None) -> Data:
    """``since``: to say what is otherwise by now."""
    told = parcel_progress(parcel)
    changed = since.changed(parcel.recipes) if since and told.state == "ready" else {}
    return {"id": parcel.pk, "name": parcel.name, "package": parcel.told, "languages": parcel.languages,
            "state": told.state, "share": round(told.share, 3), "fault": told.fault, "made_new": parcel.made_new,
            "items": len(parcel.wanted), "files": parcel.files, "left": parcel.left,
            "changed": [{"language": language, "lines": lines} for language, lines in changed.items()],
            "reason": parcel.reason,
            "editions": [{"language": language, "made": made, "all": all_}
                         for language, (made, all_) in told.editions.items()],
            "by": parcel.user.username if parcel.user else None, "asked": parcel.asked}


class ParcelsView(APIView):
    @extend_schema(responses=ParcelSerializer(many=True))
    def get(self, request: Request, production_id: int) -> Response:
        """The last hundred packages that were handed over, the newest first."""
        production = production_for(request.user, production_id)
        rows = Parcel.objects.filter(production=production).select_related("user")
        since = Since(production.editions.select_related("production"))
        return Response([parcel_data(one, since if number < _LOOKED_AT else None)
                         for number, one in enumerate(rows[:_SHOWN])])

    @extend_schema(request=AskedPackageSerializer, responses={202: ParcelSerializer})
    def post(self, request: Request, production_id: int) -> Response:
        """Hand over a package of some editions: made behind the page, and only what has changed since."""
        production = production_for(request.user, production_id, change=True)
        package, editions, reason = _asked(request, production)
        points: Data = {}
        for edition in editions:
            found = points_of(package, edition, EditionState.load(edition))
            hard = next((one for one in found if one.hard), None)
            if hard:
                # Told as the stage tells it: what it is, and how many lines.
                StoredEdition(edition).require_voiced()
            if found:
                points[edition.language] = {one.code: len(one.lines) for one in found}
        if points and not reason:
            raise NotReady("Something stands open. Say why it is handed over all the same.")
        before = request.data.get("than") if isinstance(request.data, dict) else None
        than = _parcel(request, production_id, whole_number(str(before)) or 0) if before is not None else None
        if than is not None and not than.wanted:
            raise BadInput("That package was never made: there is nothing to compare with.")
        require_queue()
        parcel = ask_for_parcel(signed_in(request.user), production, package, [one.language for one in editions],
                                points, reason, than)
        return Response(parcel_data(parcel), status=status.HTTP_202_ACCEPTED)


def _parcel(request: Request, production_id: int, parcel_id: int, change: bool = False) -> Parcel:
    rows = Parcel.objects.filter(production=production_for(request.user, production_id, change=change), pk=parcel_id)
    found = rows.select_related("production", "user").first()
    if found is None:
        raise Http404
    return found


class ParcelView(APIView):
    @extend_schema(responses=ParcelSerializer)
    def get(self, request: Request, production_id: int, parcel_id: int) -> Response:
        """How far it is, and what is in it."""
        parcel = _parcel(request, production_id, parcel_id)
        return Response(parcel_data(parcel, Since(parcel.production.editions.select_related("production"))))

    @extend_schema(operation_id="productions_parcels_again", request=None, responses={202: ParcelSerializer})
    def post(self, request: Request, production_id: int, parcel_id: int) -> Response:
        """Make it again, as it was: byte by byte where all that it is made of is kept."""
        parcel = _parcel(request, production_id, parcel_id, change=True)
        require_queue()
        if parcel_progress(parcel).state not in ("mixing", "making", "packing", "ready"):
            with transaction.atomic():
                begin_parcel(parcel, request.user)
        return Response(parcel_data(parcel), status=status.HTTP_202_ACCEPTED)

    @extend_schema(responses={204: None})
    def delete(self, request: Request, production_id: int, parcel_id: int) -> Response:
        """Stop making it."""
        parcel = _parcel(request, production_id, parcel_id, change=True)
        for kind in ("package", "items", "parcel"):
            job = running(kind, subject=parcel.subject)
            if job:
                stop(job)
        return Response(status=status.HTTP_204_NO_CONTENT)


class ParcelContentView(APIView):
    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, parcel_id: int) -> HttpResponseBase:
        """All of it as one archive; ranges are served."""
        parcel = _parcel(request, production_id, parcel_id)
        _require_made(parcel)
        tail = f"_{parcel.languages[0]}" if len(parcel.languages) == 1 else ""
        name = f"{file_name(parcel.production.name, 'production')}_{file_name(parcel.name)}{tail}.zip"
        return serve(request._request, handed(), parcel.key, name, "application/zip", download=True)


def _require_made(parcel: Parcel) -> None:
    if not parcel.key or not handed().has(parcel.key):
        raise BadInput("This is not made, or not kept any more: have it made again.")


class ParcelFileView(APIView):
    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, production_id: int, parcel_id: int, path: str) -> HttpResponseBase:
        """One file of it, by its path; or its manifest. Ranges are served."""
        parcel = _parcel(request, production_id, parcel_id)
        _require_made(parcel)
        known = {one["path"] for one in parcel.files} | {MANIFEST}
        if path not in known:
            raise Http404
        kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
        file = ZippedFile(handed().path(parcel.key), path)
        return serve(request._request, file, parcel.key, path.rpartition("/")[2], kind, download=True)


class QualityView(APIView):
    @extend_schema(responses=QualityReportSerializer)
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """The quality report of an edition: every line, each figure with its limit, which lines to look at first."""
        edition = edition_for(request.user, production_id, language)
        material = StoredEdition(edition)
        told = material.quality() if not any(
            one.hard for one in open_points(material.state)) else _without_sound(material)
        for row in told["lines"]:
            row["original"] = row.pop("source")
        return Response(told)


def _without_sound(material: StoredEdition) -> Data:
    """The report of an edition of which not everything is voiced."""
    from janoglot.core.deliver.quality import quality_of

    state = material.state
    return quality_of(material.language, material.production, quality_lines(state), None, state.edition.target,
                      ()).as_json()


class RightsView(APIView):
    @extend_schema(responses=UsedRightSerializer(many=True))
    def get(self, request: Request, production_id: int, language: str) -> Response:
        """Everything that an edition uses, and by what right."""
        edition = edition_for(request.user, production_id, language)
        return Response([_right(one) for one in rights(EditionState.load(edition))])

    @extend_schema(request=UsedRightSerializer, responses=UsedRightSerializer(many=True))
    def put(self, request: Request, production_id: int, language: str) -> Response:
        """Note of something by what right it is used, whose consent is on file, and until when."""
        edition = edition_for(request.user, production_id, language, change=True)
        sent = UsedRightSerializer(data=request.data)
        sent.is_valid(raise_exception=True)
        told = sent.validated_data
        RightNote.objects.update_or_create(
            production=edition.production, what=told["what"], name=told["name"],
            defaults={"licence": told["licence"], "source": told["origin"], "commercial": told["commercial"],
                      "consent": told["consent"], "until": told["until"], "by": signed_in(request.user)})
        return Response([_right(one) for one in rights(EditionState.load(edition))])


def _right(one: Any) -> Data:
    told: Data = one.as_json()
    return {**told, "origin": told.pop("source"), "missing": one.missing, "until": one.until or None}
