"""What was handed over, or is about to be: single files, and packages; and what is noted of rights."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import models
from django.utils import timezone

from janoglot.productions.models import Edition, Production


class HandOver(models.Model):
    """A file that was asked for: ``deliverable`` names what it is (of the core's registry), ``key`` the file in the
    store of what is handed over, by everything that is in it; ``name`` what it is called when it is saved. How far it
    is, the store and its job tell. ``report`` holds what was measured of it once it is made."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="hand_overs")
    edition = models.ForeignKey(Edition, models.CASCADE, null=True, related_name="hand_overs")
    deliverable = models.CharField(max_length=24)
    key = models.CharField(max_length=60)
    name = models.CharField(max_length=200)
    report = models.JSONField(default=dict)
    user = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    asked = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-asked", "-id"]
        constraints = [models.UniqueConstraint(fields=["production", "key", "name"], name="one_hand_over_of_a_file")]

    @property
    def order_key(self) -> str:
        """Of what it is made by, in the same store."""
        return f"{self.key.partition('.')[0]}.order"


class OwnPackage(models.Model):
    """A package that somebody made, for all of their productions: ``told`` is
    :meth:`janoglot.core.deliver.package.Package.as_json`."""

    owner = models.ForeignKey(User, models.CASCADE, related_name="packages")
    name = models.CharField(max_length=80)
    told = models.JSONField()
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_package_of_a_name")]


class Parcel(models.Model):
    """A package of some editions that was asked for. ``told`` is the package as it was then; ``points`` what stood open
    by edition, and ``reason`` why it is handed over all the same. ``wanted``: of each item of each edition its number,
    its languages and the key of its files, once that is known; what they are made by is kept under ``orders_key``.
    ``files`` is what the manifest says. ``key`` names the archive in the store of what is handed over."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="parcels")
    name = models.CharField(max_length=80)
    told = models.JSONField()
    languages = models.JSONField(default=list)
    points = models.JSONField(default=dict)
    reason = models.CharField(max_length=500, blank=True, default="")
    wanted = models.JSONField(default=list)
    made_new = models.PositiveIntegerField(default=0)
    """How many of them had to be made."""
    files = models.JSONField(default=list)
    recipes = models.JSONField(default=dict)
    """By language the recipe of the mix that it is of: that of when it was asked for."""
    than = models.ForeignKey("self", models.SET_NULL, null=True, related_name="+")
    """Another package, beside which only what is otherwise is in this one."""
    left = models.JSONField(default=list)
    """What it is without: the item's number and kind, the languages, and why."""
    key = models.CharField(max_length=60, blank=True, default="")
    user = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    asked = models.DateTimeField(default=timezone.now)

    class Meta:
        ordering = ["-id"]

    @property
    def orders_key(self) -> str:
        return f"parcel-{self.pk}.orders"

    @property
    def subject(self) -> str:
        """What its jobs are known by."""
        return f"parcel-{self.pk}"


class RightNote(models.Model):
    """What somebody has noted of the right to use a thing, over what is known of it: ``what`` and ``name`` as a rights
    sheet has them."""

    production = models.ForeignKey(Production, models.CASCADE, related_name="right_notes")
    what = models.CharField(max_length=20)
    name = models.CharField(max_length=200)
    licence = models.CharField(max_length=300, blank=True, default="")
    source = models.CharField(max_length=300, blank=True, default="")
    commercial = models.BooleanField(null=True)
    consent = models.CharField(max_length=300, blank=True, default="")
    until = models.DateField(null=True)
    by = models.ForeignKey(User, models.SET_NULL, null=True, related_name="+")
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["production", "what", "name"], name="one_note_of_a_right")]
