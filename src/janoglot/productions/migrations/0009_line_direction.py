import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [("productions", "0008_jobs")]

    operations = [
        migrations.CreateModel(
            name="LineDirection",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("variant", models.PositiveIntegerField(default=0)),
                ("names", models.JSONField(default=dict)),
                ("marks", models.JSONField(default=list)),
                ("said", models.TextField(blank=True, default="")),
                ("edition", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                              related_name="line_directions", to="productions.edition")),
                ("line", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="directions",
                                           to="productions.line")),
            ],
            options={"constraints": [models.UniqueConstraint(fields=("edition", "line"), name="one_direction_each")]},
        ),
    ]
