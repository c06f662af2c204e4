from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("adapt", "0004_keeping"), ("productions", "0007_one_place")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.DeleteModel("Wording"),
        ]),
    ]
