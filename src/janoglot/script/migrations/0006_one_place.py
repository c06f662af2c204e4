from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("script", "0005_keeping"), ("productions", "0007_one_place"), ("adapt", "0005_one_place"), ("timing", "0004_one_place"), ("cast", "0004_one_place")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.DeleteModel("Line"),
            migrations.DeleteModel("Part"),
            migrations.DeleteModel("Speaker"),
        ]),
    ]
