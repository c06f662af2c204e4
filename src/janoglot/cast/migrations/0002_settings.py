import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

_MORE = {"melody": 1.0, "pauses": 1.0, "brighter": 0.0, "breathier": 0.0, "younger": 0.0}
_ALL = ("pace", "pitch", "melody", "pauses", "level_db", "brighter", "breathier", "younger")


class Migration(migrations.Migration):
    dependencies = [
        ("cast", "0001_initial"), ("script", "0002_places"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]

    operations = [
        *(migrations.AddField("casting", name, models.FloatField(default=value)) for name, value in _MORE.items()),
        migrations.AlterField("casting", "pace", models.FloatField(default=1.0)),
        migrations.AlterField("casting", "pitch", models.FloatField(default=0.0)),
        migrations.AlterField("casting", "level_db", models.FloatField(default=0.0)),
        migrations.AddField("casting", "note", models.CharField(max_length=300, blank=True, default="")),
        migrations.CreateModel(
            name="LineCasting",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("voice", models.CharField(max_length=80, blank=True, default="")),
                ("language", models.CharField(max_length=35, blank=True, default="")),
                *((name, models.FloatField(null=True)) for name in _ALL),
                ("edition", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="line_castings",
                                              to="productions.edition")),
                ("line", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="line_castings",
                                           to="script.line")),
            ],
        ),
        migrations.AddConstraint("linecasting", models.UniqueConstraint(
            fields=("edition", "line"), name="one_line_casting_each")),
        migrations.CreateModel(
            name="Favourite",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("voice", models.CharField(max_length=80)),
                ("user", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="favourite_voices",
                                           to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.AddConstraint("favourite", models.UniqueConstraint(fields=("user", "voice"), name="one_favourite_each")),
    ]
