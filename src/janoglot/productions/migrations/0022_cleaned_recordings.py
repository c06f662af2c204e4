from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [("productions", "0021_beds")]

    operations = [migrations.AddField("linerecording", "cleaned", models.BooleanField(default=False))]
