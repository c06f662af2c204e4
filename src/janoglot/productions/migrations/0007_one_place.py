"""Tables that everything reads come to lie in one app. They keep their names: only who they belong to changes."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

_LABELS = {
    "script.part": "part", "script.speaker": "speaker", "script.line": "line", "adapt.wording": "wording",
    "cast.casting": "casting", "cast.linecasting": "linecasting", "timing.linetiming": "linetiming",
    "timing.sourcemedia": "sourcemedia",
}


def name_anew(apps, schema_editor):
    """What was recorded can be undone as before."""
    with schema_editor.connection.cursor() as cursor:
        for old, new in _LABELS.items():
            cursor.execute("UPDATE productions_actionrecord SET changes = REPLACE(changes, %s, %s)",
                           [f'"model": "{old}"', f'"model": "productions.{new}"'])


class Migration(migrations.Migration):

    dependencies = [
        ("productions", "0006_keeping"), ("script", "0005_keeping"), ("adapt", "0004_keeping"),
        ("cast", "0003_foreign_words"), ("direct", "0004_work_in_hand"), ("timing", "0003_work_in_hand"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
            migrations.CreateModel(
                name='Take',
                fields=[
                    ('hash', models.CharField(max_length=40, primary_key=True, serialize=False)),
                    ('seconds', models.FloatField()),
                    ('rate', models.PositiveIntegerField()),
                    ('lufs', models.FloatField()),
                    ('words', models.JSONField()),
                    ('voice', models.CharField(max_length=80)),
                    ('made', models.DateTimeField(auto_now_add=True)),
                ],
                options={
                    'db_table': 'direct_take',
                },
            ),
            migrations.CreateModel(
                name='Part',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('name', models.CharField(max_length=120)),
                    ('position', models.PositiveIntegerField()),
                    ('start_ms', models.PositiveIntegerField(null=True)),
                    ('end_ms', models.PositiveIntegerField(null=True)),
                    ('may_grow', models.BooleanField(default=False)),
                    ('production', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='productions.production')),
                ],
                options={
                    'db_table': 'script_part',
                    'ordering': ['position', 'id'],
                },
            ),
            migrations.CreateModel(
                name='SourceMedia',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('key', models.CharField(max_length=64)),
                    ('name', models.CharField(max_length=255)),
                    ('facts', models.JSONField(default=dict)),
                    ('state', models.CharField(choices=[('making', 'making'), ('ready', 'ready'), ('failed', 'failed')], default='making', max_length=10)),
                    ('fault', models.CharField(blank=True, max_length=400)),
                    ('heartbeat', models.DateTimeField(null=True)),
                    ('brought', models.DateTimeField(auto_now_add=True)),
                    ('production', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='source_media', to='productions.production')),
                ],
                options={
                    'db_table': 'timing_sourcemedia',
                },
            ),
            migrations.CreateModel(
                name='Speaker',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('name', models.CharField(db_collation='utf8mb4_bin', max_length=120)),
                    ('position', models.PositiveIntegerField()),
                    ('note', models.CharField(blank=True, default='', max_length=500)),
                    ('production', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='speakers', to='productions.production')),
                ],
                options={
                    'db_table': 'script_speaker',
                    'ordering': ['position', 'id'],
                },
            ),
            migrations.CreateModel(
                name='Line',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('position', models.CharField(db_collation='utf8mb4_bin', max_length=255)),
                    ('kind', models.CharField(choices=[('spoken', 'spoken'), ('on_screen', 'on screen')], default='spoken', max_length=10)),
                    ('in_sight', models.BooleanField(default=None, null=True)),
                    ('start_ms', models.PositiveIntegerField(null=True)),
                    ('end_ms', models.PositiveIntegerField(null=True)),
                    ('notes', models.TextField(blank=True, default='')),
                    ('production', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='lines', to='productions.production')),
                    ('part', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='lines', to='productions.part')),
                    ('speaker', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='productions.speaker')),
                ],
                options={
                    'db_table': 'script_line',
                    'ordering': ['position', 'id'],
                },
            ),
            migrations.CreateModel(
                name='Casting',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('voice', models.CharField(max_length=80)),
                    ('pace', models.FloatField(default=1.0)),
                    ('pitch', models.FloatField(default=0.0)),
                    ('melody', models.FloatField(default=1.0)),
                    ('pauses', models.FloatField(default=1.0)),
                    ('level_db', models.FloatField(default=0.0)),
                    ('brighter', models.FloatField(default=0.0)),
                    ('breathier', models.FloatField(default=0.0)),
                    ('younger', models.FloatField(default=0.0)),
                    ('accent_meant', models.BooleanField(default=False)),
                    ('note', models.CharField(blank=True, default='', max_length=300)),
                    ('edition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='castings', to='productions.edition')),
                    ('speaker', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='castings', to='productions.speaker')),
                ],
                options={
                    'db_table': 'cast_casting',
                },
            ),
            migrations.CreateModel(
                name='Sound',
                fields=[
                    ('key', models.CharField(max_length=44, primary_key=True, serialize=False)),
                    ('seconds', models.FloatField()),
                    ('quality', models.CharField(choices=[('sketch', 'sketch'), ('finish', 'finish')], max_length=6)),
                    ('made', models.DateTimeField(auto_now_add=True)),
                    ('take', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sounds', to='productions.take')),
                ],
                options={
                    'db_table': 'direct_sound',
                },
            ),
            migrations.CreateModel(
                name='Wording',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('text', models.TextField(blank=True, max_length=4000)),
                    ('state', models.CharField(choices=[('empty', 'empty'), ('draft', 'draft'), ('edited', 'edited'), ('approved', 'approved')], default='empty', max_length=10)),
                    ('revision', models.PositiveIntegerField(default=1)),
                    ('take_id', models.CharField(blank=True, default='', max_length=40)),
                    ('worded_from', models.TextField(blank=True, default='')),
                    ('origin', models.CharField(blank=True, choices=[('', 'a person'), ('memory', 'translation memory'), ('engine', 'drafting engine'), ('captions', 'captions'), ('file', 'a file'), ('edition', 'another edition')], default='', max_length=10)),
                    ('doubt', models.JSONField(default=dict)),
                    ('changed_at', models.DateTimeField(null=True)),
                    ('changed_by', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                    ('edition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='wordings', to='productions.edition')),
                    ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='wordings', to='productions.line')),
                ],
                options={
                    'db_table': 'adapt_wording',
                },
            ),
            migrations.CreateModel(
                name='LineCasting',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('voice', models.CharField(blank=True, default='', max_length=80)),
                    ('language', models.CharField(blank=True, default='', max_length=35)),
                    ('foreign', models.JSONField(default=list)),
                    ('pace', models.FloatField(null=True)),
                    ('pitch', models.FloatField(null=True)),
                    ('melody', models.FloatField(null=True)),
                    ('pauses', models.FloatField(null=True)),
                    ('level_db', models.FloatField(null=True)),
                    ('brighter', models.FloatField(null=True)),
                    ('breathier', models.FloatField(null=True)),
                    ('younger', models.FloatField(null=True)),
                    ('edition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='line_castings', to='productions.edition')),
                    ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='line_castings', to='productions.line')),
                ],
                options={
                    'db_table': 'cast_linecasting',
                    'constraints': [models.UniqueConstraint(fields=('edition', 'line'), name='one_line_casting_each')],
                },
            ),
            migrations.CreateModel(
                name='LineTiming',
                fields=[
                    ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                    ('own', models.JSONField(default=dict)),
                    ('edition', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='line_timings', to='productions.edition')),
                    ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='timings', to='productions.line')),
                ],
                options={
                    'db_table': 'timing_linetiming',
                    'constraints': [models.UniqueConstraint(fields=('edition', 'line'), name='one_timing_each')],
                },
            ),
            migrations.AddConstraint(
                model_name='speaker',
                constraint=models.UniqueConstraint(fields=('production', 'name'), name='one_speaker_per_name'),
            ),
            migrations.AddIndex(
                model_name='line',
                index=models.Index(fields=['production', 'position'], name='script_line_product_6ccc63_idx'),
            ),
            migrations.AddConstraint(
                model_name='casting',
                constraint=models.UniqueConstraint(fields=('edition', 'speaker'), name='one_casting_each'),
            ),
            migrations.AddIndex(
                model_name='wording',
                index=models.Index(fields=['edition', 'line'], name='adapt_wordi_edition_3b5735_idx'),
            ),
            migrations.AddConstraint(
                model_name='wording',
                constraint=models.UniqueConstraint(fields=('line', 'edition'), name='one_wording_each'),
            ),
        ]),
        migrations.RunPython(name_anew, migrations.RunPython.noop),
    ]
