from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("direct", "0004_work_in_hand"), ("productions", "0007_one_place")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.DeleteModel("Sound"),
            migrations.DeleteModel("Take"),
        ]),
    ]
