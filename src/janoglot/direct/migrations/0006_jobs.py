from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [("direct", "0005_one_place"), ("productions", "0008_jobs")]

    operations = [migrations.DeleteModel("VoicingJob")]
