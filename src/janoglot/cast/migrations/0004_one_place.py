from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("cast", "0003_foreign_words"), ("productions", "0007_one_place")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.DeleteModel("Casting"),
            migrations.DeleteModel("LineCasting"),
        ]),
    ]
