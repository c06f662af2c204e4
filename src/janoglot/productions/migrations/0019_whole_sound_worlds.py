from django.db import migrations, models


def into_one(apps, schema_editor):
    SoundWorld = apps.get_model("productions", "SoundWorld")
    Line = apps.get_model("productions", "Line")
    Part = apps.get_model("productions", "Part")
    for world in SoundWorld.objects.all():
        lines = list(Line.objects.filter(production=world.production_id).order_by("position").values_list("id", flat=True))
        parts = dict(Part.objects.filter(production=world.production_id).values_list("name", "id"))
        for cue in world.cues:
            for place in (cue.get("at"), cue.get("until")):
                if isinstance(place, dict):
                    number, part = place.get("line"), place.get("part")
                    if isinstance(number, int) and 0 < number <= len(lines):
                        place["line"] = f"#{lines[number - 1]}"
                    if part in parts:
                        place["part"] = f"#{parts[part]}"
        world.plan = {"layers": world.layers, "cues": world.cues}
        world.save()


class Migration(migrations.Migration):

    dependencies = [("productions", "0018_sound_worlds")]

    operations = [
        migrations.AddField("soundworld", "plan", models.JSONField(default=dict)),
        migrations.RunPython(into_one, migrations.RunPython.noop),
        migrations.RemoveField("soundworld", "layers"),
        migrations.RemoveField("soundworld", "cues"),
    ]
