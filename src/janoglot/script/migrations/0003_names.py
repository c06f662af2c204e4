from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("script", "0002_places")]

    operations = [
        migrations.AlterField("speaker", "name", models.CharField(max_length=120, db_collation="utf8mb4_bin")),
    ]
