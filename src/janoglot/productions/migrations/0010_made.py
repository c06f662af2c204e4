from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [("productions", "0009_line_direction")]

    operations = [
        migrations.AddField("edition", "made", models.PositiveBigIntegerField(default=0)),
        migrations.AddField("wording", "made", models.PositiveBigIntegerField(default=0)),
    ]
