from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("cast", "0002_settings")]

    operations = [migrations.AddField("linecasting", "foreign", models.JSONField(default=list))]
