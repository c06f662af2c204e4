from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("productions", "0002_stamps")]

    operations = [migrations.AddField("production", "commercial", models.BooleanField(default=False))]
