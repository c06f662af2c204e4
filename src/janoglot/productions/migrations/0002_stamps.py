from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0001_initial")]

    operations = [
        migrations.AddField("production", "stamp", models.PositiveBigIntegerField(default=0)),
        migrations.AddField("actionrecord", "details", models.JSONField(default=dict)),
        migrations.AddField("actionrecord", "stamp", models.PositiveBigIntegerField(default=0)),
        migrations.AddIndex("actionrecord", models.Index(fields=["production", "stamp"],
                                                         name="productions_product_c51d43_idx")),
    ]
