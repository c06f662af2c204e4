from django.db import migrations


def forget_failed(apps, schema_editor):
    """What failed is made anew when it is asked for."""
    apps.get_model("mix", "Mix").objects.filter(state="failed").delete()


class Migration(migrations.Migration):

    dependencies = [("mix", "0002_work_in_hand"), ("productions", "0008_jobs")]

    operations = [
        migrations.RunPython(forget_failed, migrations.RunPython.noop),
        migrations.RemoveField("mix", "state"),
        migrations.RemoveField("mix", "share"),
        migrations.RemoveField("mix", "fault"),
        migrations.RemoveField("mix", "heartbeat"),
    ]
