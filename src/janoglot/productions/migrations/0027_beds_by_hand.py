from django.db import migrations, models


def told_until_now(apps, schema_editor):
    """Nobody had noted who said it; but nothing that is found is as sure as somebody who says it."""
    apps.get_model("productions", "Media").objects.filter(purpose="bed", sure=1.0).update(by_hand=True)


class Migration(migrations.Migration):
    dependencies = [("productions", "0026_library_sounds_read")]

    operations = [
        migrations.AddField("media", "by_hand", models.BooleanField(default=False)),
        migrations.RunPython(told_until_now, migrations.RunPython.noop),
    ]
