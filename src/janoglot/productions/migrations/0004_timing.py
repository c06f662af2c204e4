from django.db import migrations, models
from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.migrations.state import StateApps

ADDRESSES = [("", "as it comes"), ("formal", "formal"), ("informal", "informal")]
USUAL = {"comfortable_fast": 1.15, "hard_fast": 1.35, "pace": 1.0}


def into_timing(apps: StateApps, editor: BaseDatabaseSchemaEditor) -> None:
    """What was set in columns of its own is kept by name."""
    for edition in apps.get_model("productions", "Edition").objects.all():
        set_ = {name: getattr(edition, name) for name, usual in USUAL.items() if getattr(edition, name) != usual}
        if set_:
            edition.timing = set_
            edition.save(update_fields=["timing"])


class Migration(migrations.Migration):
    dependencies = [("productions", "0003_commercial")]

    operations = [
        migrations.AddField("edition", "timing", models.JSONField(default=dict)),
        migrations.RunPython(into_timing, migrations.RunPython.noop),
        migrations.RemoveField("edition", "comfortable_fast"),
        migrations.RemoveField("edition", "hard_fast"),
        migrations.RemoveField("edition", "pace"),
        migrations.AddField("edition", "address", models.CharField(max_length=10, blank=True, default="",
                                                                   choices=ADDRESSES)),
        migrations.AddField("edition", "brief", models.TextField(blank=True, default="", max_length=2000)),
        migrations.AddField("production", "fps", models.FloatField(default=25.0)),
    ]
