from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("timing", "0003_work_in_hand"), ("productions", "0007_one_place")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.DeleteModel("LineTiming"),
            migrations.DeleteModel("SourceMedia"),
        ]),
    ]
