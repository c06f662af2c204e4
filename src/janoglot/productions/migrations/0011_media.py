"""Many recordings in a production. How far their copies are is told by the store, no longer by columns."""

import django.db.models.deletion
import django.utils.timezone
from django.db import migrations, models


def name_anew(apps, schema_editor):
    """What was recorded can be undone as before."""
    with schema_editor.connection.cursor() as cursor:
        cursor.execute("UPDATE productions_actionrecord SET changes = REPLACE(changes, %s, %s)",
                       ['"model": "productions.sourcemedia"', '"model": "productions.media"'])


class Migration(migrations.Migration):

    dependencies = [("productions", "0010_made")]

    operations = [
        migrations.RenameModel("SourceMedia", "Media"),
        migrations.AlterModelTable("media", None),
        migrations.AlterModelOptions("media", {"ordering": ["id"]}),
        migrations.AlterField("media", "production", models.ForeignKey(
            on_delete=django.db.models.deletion.CASCADE, related_name="media", to="productions.production")),
        migrations.AddField("media", "purpose", models.CharField(
            choices=[("source", "Source")], default="source", max_length=10)),
        migrations.AddField("media", "played", models.BooleanField(default=True)),
        migrations.AddField("media", "size", models.PositiveBigIntegerField(default=0)),
        # Undo brings a row back as it was, with the time that it had.
        migrations.AlterField("media", "brought", models.DateTimeField(default=django.utils.timezone.now)),
        migrations.RemoveField("media", "state"),
        migrations.RemoveField("media", "fault"),
        migrations.RunPython(name_anew, migrations.RunPython.noop),
    ]
