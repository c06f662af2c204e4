from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("adapt", "0005_one_place"), ("productions", "0008_jobs")]

    operations = [migrations.DeleteModel("DraftingJob")]
