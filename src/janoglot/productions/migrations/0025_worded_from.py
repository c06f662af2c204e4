"""Wordings that came with their script are of the source as it is now: what changes from here on is seen."""

from django.db import migrations

AT_ONCE = 2_000


def word_from_source(apps, schema_editor):
    Wording = apps.get_model("productions", "Wording")
    Production = apps.get_model("productions", "Production")
    for production, language in Production.objects.values_list("pk", "source_language"):
        said = dict(Wording.objects.filter(edition__production=production, edition__language=language).values_list(
            "line_id", "text"))
        rows = list(Wording.objects.filter(edition__production=production, worded_from="").exclude(
            edition__language=language).exclude(text="").only("pk", "line_id", "worded_from"))
        for row in rows:
            row.worded_from = said.get(row.line_id, "")
        Wording.objects.bulk_update(rows, ["worded_from"], batch_size=AT_ONCE)


class Migration(migrations.Migration):
    dependencies = [("productions", "0024_cast_from")]

    operations = [migrations.RunPython(word_from_source, migrations.RunPython.noop, elidable=True)]
