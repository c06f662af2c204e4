import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

ORIGINS = [("", "a person"), ("memory", "translation memory"), ("engine", "drafting engine"), ("captions", "captions"),
           ("file", "a file")]


class Migration(migrations.Migration):
    dependencies = [
        ("adapt", "0001_initial"), ("productions", "0004_timing"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField("wording", "worded_from", models.TextField(blank=True, default="")),
        migrations.AddField("wording", "origin", models.CharField(max_length=10, blank=True, default="",
                                                                  choices=ORIGINS)),
        migrations.AddField("wording", "doubt", models.JSONField(default=dict)),
        migrations.AddField("wording", "changed_by", models.ForeignKey(
            null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to=settings.AUTH_USER_MODEL)),
        migrations.AddField("wording", "changed_at", models.DateTimeField(null=True)),
        migrations.CreateModel(
            name="MemoryUnit",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("source_language", models.CharField(max_length=35)),
                ("language", models.CharField(max_length=35)),
                ("source", models.TextField()),
                ("text", models.TextField()),
                ("production", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                                 related_name="memory_units", to="productions.production")),
            ],
            options={"indexes": [models.Index(fields=["production", "language"],
                                              name="adapt_memor_product_90b817_idx")]},
        ),
        migrations.CreateModel(
            name="Term",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("language", models.CharField(max_length=35)),
                ("source", models.CharField(blank=True, max_length=200)),
                ("text", models.CharField(blank=True, max_length=200)),
                ("forbidden", models.BooleanField(default=False)),
                ("note", models.CharField(blank=True, max_length=400)),
                ("production", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                                 related_name="terms", to="productions.production")),
            ],
            options={"ordering": ["source", "text", "id"],
                     "indexes": [models.Index(fields=["production", "language"],
                                              name="adapt_term_product_e8a437_idx")]},
        ),
        migrations.CreateModel(
            name="DraftingJob",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("lines", models.JSONField()),
                ("lines_done", models.PositiveIntegerField(default=0)),
                ("reports", models.JSONField(default=dict)),
                ("state", models.CharField(default="running", max_length=10)),
                ("created", models.DateTimeField(auto_now_add=True)),
                ("ended", models.DateTimeField(null=True)),
                ("edition", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                              related_name="drafting_jobs", to="productions.edition")),
                ("user", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL,
                                           to=settings.AUTH_USER_MODEL)),
            ],
            options={"ordering": ["-id"]},
        ),
    ]
