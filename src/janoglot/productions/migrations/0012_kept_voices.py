"""Voices that people keep."""

import django.utils.timezone
import janoglot.productions.models.voices
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('productions', '0011_media'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='KeptVoice',
            fields=[
                ('id', models.CharField(default=janoglot.productions.models.voices.new_voice_id, max_length=40, primary_key=True, serialize=False)),
                ('name', models.CharField(db_collation='utf8mb4_bin', max_length=60)),
                ('version', models.PositiveIntegerField(default=1)),
                ('made_of', models.JSONField()),
                ('retired', models.BooleanField(default=False)),
                ('created', models.DateTimeField(default=django.utils.timezone.now)),
                ('owner', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='kept_voices', to=settings.AUTH_USER_MODEL)),
                ('production', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='kept_voices', to='productions.production')),
            ],
            options={
                'ordering': ['name', '-version'],
            },
        ),
    ]
