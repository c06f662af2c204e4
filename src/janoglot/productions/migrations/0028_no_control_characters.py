from django.db import migrations, models

from janoglot.core.guarded import plain_text

_CONTROL = r"[\x01-\x08\x0B\x0C\x0E-\x1F\x7F]"


def taken_out(apps, schema_editor):
    """Words of before they were refused at the door: no XML, and so no office file, can hold them."""
    for model in apps.get_app_config("productions").get_models():
        for field in model._meta.fields:
            if not isinstance(field, (models.CharField, models.TextField)) or field.unique or field.primary_key:
                continue
            for row in model.objects.filter(**{f"{field.name}__regex": _CONTROL}).iterator():
                plain = plain_text(getattr(row, field.name))
                model.objects.filter(pk=row.pk).update(**{field.name: plain})


class Migration(migrations.Migration):
    dependencies = [("productions", "0027_beds_by_hand")]

    operations = [migrations.RunPython(taken_out, migrations.RunPython.noop)]
