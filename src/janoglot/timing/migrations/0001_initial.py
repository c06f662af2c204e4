import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = [("productions", "0004_timing"), ("script", "0004_growing")]

    operations = [
        migrations.CreateModel(
            name="LineTiming",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("own", models.JSONField(default=dict)),
                ("edition", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                              related_name="line_timings", to="productions.edition")),
                ("line", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE,
                                           related_name="timings", to="script.line")),
            ],
            options={"constraints": [models.UniqueConstraint(fields=("edition", "line"), name="one_timing_each")]},
        ),
    ]
