import django.db.models.deletion
from django.db import migrations, models

MEDIA_STATES = [("making", "making"), ("ready", "ready"), ("failed", "failed")]


class Migration(migrations.Migration):
    dependencies = [("timing", "0001_initial"), ("productions", "0004_timing")]

    operations = [
        migrations.CreateModel(
            name="SourceMedia",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("key", models.CharField(max_length=64)),
                ("name", models.CharField(max_length=255)),
                ("facts", models.JSONField(default=dict)),
                ("state", models.CharField(choices=MEDIA_STATES, default="making", max_length=10)),
                ("fault", models.CharField(blank=True, max_length=400)),
                ("brought", models.DateTimeField(auto_now_add=True)),
                ("production", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE,
                                                    related_name="source_media", to="productions.production")),
            ],
        ),
    ]
