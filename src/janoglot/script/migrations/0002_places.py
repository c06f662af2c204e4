from django.db import migrations, models

from janoglot.core.script.order import places


def place_lines(apps, schema_editor):
    Line = apps.get_model("script", "Line")
    for production in Line.objects.order_by().values_list("production_id", flat=True).distinct():
        ids = list(Line.objects.filter(production_id=production).order_by("number", "id").values_list("id", flat=True))
        with schema_editor.connection.cursor() as cursor:
            cursor.executemany("UPDATE script_line SET position = %s WHERE id = %s", list(zip(places(len(ids)), ids)))


class Migration(migrations.Migration):
    dependencies = [("script", "0001_initial"), ("productions", "0002_stamps")]

    operations = [
        migrations.RemoveIndex("line", "script_line_product_6ccc63_idx"),
        migrations.RenameField("line", "position", "number"),
        migrations.AddField("line", "position", models.CharField(max_length=255, db_collation="utf8mb4_bin", default="V")),
        migrations.RunPython(place_lines, migrations.RunPython.noop),
        migrations.RemoveField("line", "number"),
        migrations.AlterField("line", "position", models.CharField(max_length=255, db_collation="utf8mb4_bin")),
        migrations.AddIndex("line", models.Index(fields=["production", "position"], name="script_line_product_6ccc63_idx")),
        migrations.AddField("line", "kind", models.CharField(
            max_length=10, choices=[("spoken", "spoken"), ("on_screen", "on screen")], default="spoken")),
        migrations.AddField("line", "in_sight", models.BooleanField(null=True, default=None)),
        migrations.AddField("part", "start_ms", models.PositiveIntegerField(null=True)),
        migrations.AddField("part", "end_ms", models.PositiveIntegerField(null=True)),
    ]
