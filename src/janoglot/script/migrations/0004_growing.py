from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("script", "0003_names")]

    operations = [migrations.AddField("part", "may_grow", models.BooleanField(default=False))]
