"""One kind of row for all work in the background. What runs goes on as it was asked for."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

_QUEUES = {("take", True): "now", ("take", False): "sketch", ("finish", True): "soon", ("finish", False): "finish"}


def go_on(apps, schema_editor):
    Job = apps.get_model("productions", "Job")
    Wording = apps.get_model("productions", "Wording")
    for old in apps.get_model("direct", "VoicingJob").objects.filter(state="running").select_related("edition"):
        lines = dict(Wording.objects.filter(pk__in=old.wordings).values_list("id", "line_id"))
        left = [lines[pk] for pk in old.wordings if pk in lines]
        Job.objects.create(kind=old.kind, queue=_QUEUES[old.kind, old.urgent], items=left, piece_size=old.piece_size,
                           edition=old.edition, production_id=old.edition.production_id, user_id=old.user_id)
    for old in apps.get_model("adapt", "DraftingJob").objects.filter(state="running").select_related("edition"):
        Job.objects.create(kind="draft", queue="bulk", items=old.lines[old.lines_done:], piece_size=60,
                           edition=old.edition, production_id=old.edition.production_id, user_id=old.user_id)
    for mix in apps.get_model("mix", "Mix").objects.filter(state="making").select_related("edition"):
        Job.objects.create(kind="mix", queue="bulk", items=[mix.recipe], subject=mix.recipe, edition=mix.edition,
                           production_id=mix.edition.production_id)
    for row in apps.get_model("productions", "SourceMedia").objects.filter(state="making"):
        copies = [what for what in ("sound", "picture") if row.facts.get(f"has_{what}")]
        Job.objects.create(kind="copy", queue="bulk", items=copies, subject=row.key, production_id=row.production_id)


class Migration(migrations.Migration):

    dependencies = [
        ("productions", "0007_one_place"), ("direct", "0005_one_place"), ("adapt", "0005_one_place"),
        ("mix", "0002_work_in_hand"), migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name="Job",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("kind", models.CharField(max_length=12)),
                ("subject", models.CharField(blank=True, default="", max_length=120)),
                ("queue", models.CharField(max_length=8)),
                ("items", models.JSONField(default=list)),
                ("weights", models.JSONField(default=list)),
                ("piece_size", models.PositiveIntegerField(default=1)),
                ("pieces_done", models.JSONField(default=list)),
                ("share", models.FloatField(default=0.0)),
                ("faults", models.JSONField(default=dict)),
                ("fault", models.CharField(blank=True, default="", max_length=400)),
                ("report", models.JSONField(default=dict)),
                ("state", models.CharField(choices=[("running", "running"), ("stopped", "stopped"), ("done", "done"),
                                                    ("failed", "failed")], default="running", max_length=10)),
                ("tries", models.PositiveSmallIntegerField(default=0)),
                ("heartbeat", models.DateTimeField(null=True)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("begun", models.DateTimeField(null=True)),
                ("ended", models.DateTimeField(null=True)),
                ("edition", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE,
                                              related_name="jobs", to="productions.edition")),
                ("production", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE,
                                                 related_name="jobs", to="productions.production")),
                ("user", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+",
                                           to=settings.AUTH_USER_MODEL)),
            ],
            options={
                "ordering": ["-id"],
                "indexes": [models.Index(fields=["state", "kind"], name="productions_state_947e26_idx"),
                            models.Index(fields=["kind", "subject"], name="productions_kind_3534ac_idx")],
            },
        ),
        migrations.RunPython(go_on, migrations.RunPython.noop),
        migrations.RemoveField("sourcemedia", "heartbeat"),
    ]
