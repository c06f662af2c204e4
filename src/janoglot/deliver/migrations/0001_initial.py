"""What was handed over."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('productions', '0011_media'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='HandOver',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('deliverable', models.CharField(max_length=24)),
                ('key', models.CharField(max_length=60)),
                ('name', models.CharField(max_length=200)),
                ('report', models.JSONField(default=dict)),
                ('asked', models.DateTimeField(auto_now=True)),
                ('edition', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='hand_overs', to='productions.edition')),
                ('production', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='hand_overs', to='productions.production')),
                ('user', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-asked', '-id'],
                'constraints': [models.UniqueConstraint(fields=('production', 'key', 'name'), name='one_hand_over_of_a_file')],
            },
        ),
    ]
