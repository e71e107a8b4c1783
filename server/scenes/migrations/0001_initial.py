import django.db.models.deletion
import django.db.models.functions.text
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Condition',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('resolution', models.CharField(blank=True, max_length=40)),
                ('preset', models.CharField(blank=True, max_length=60)),
                ('upscaling', models.CharField(blank=True, max_length=60)),
                ('ray_tracing', models.CharField(blank=True, max_length=60)),
                ('api', models.CharField(blank=True, max_length=60)),
                ('frame_limit_fps', models.FloatField(blank=True, null=True)),
                ('intent', models.CharField(choices=[('typical', 'Typical: as people play'), ('expose', 'Expose: every other limit removed')], default='typical', max_length=8)),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='condition_once'), models.CheckConstraint(condition=models.Q(('intent__in', ['typical', 'expose'])), name='condition_intent_known'), models.CheckConstraint(condition=models.Q(('frame_limit_fps__isnull', True), ('frame_limit_fps__gt', 0), _connector='OR'), name='condition_limit_above_0')],
            },
        ),
        migrations.CreateModel(
            name='Game',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('genre', models.CharField(blank=True, max_length=60)),
                ('marks', models.JSONField(blank=True, default=list)),
                ('engine_cap_fps', models.FloatField(blank=True, null=True)),
                ('preset_needs_restart', models.BooleanField(default=False)),
                ('forbids_overlays', models.BooleanField(default=False)),
                ('has_replay', models.BooleanField(default=False)),
                ('has_benchmark', models.BooleanField(default=False)),
                ('notes', models.TextField(blank=True)),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='game_once'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='game_named'), models.CheckConstraint(condition=models.Q(('engine_cap_fps__isnull', True), ('engine_cap_fps__gt', 0), _connector='OR'), name='game_cap_above_0')],
            },
        ),
        migrations.CreateModel(
            name='Scene',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('version', models.PositiveIntegerField(default=1)),
                ('kind', models.CharField(choices=[('benchmark', 'Built-in benchmark'), ('replay', 'Replay'), ('scripted', 'Scripted section'), ('route', 'Walked route'), ('live', 'Live play')], default='route', max_length=12)),
                ('length_s', models.PositiveIntegerField(blank=True, null=True)),
                ('start', models.TextField(blank=True)),
                ('route', models.TextField(blank=True)),
                ('end', models.TextField(blank=True)),
                ('warm_up_runs', models.PositiveSmallIntegerField(default=1)),
                ('warm_up', models.CharField(blank=True, max_length=200)),
                ('leans_on', models.JSONField(blank=True, default=list)),
                ('game', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='scenes', to='scenes.game')),
            ],
            options={
                'ordering': ['game__name', 'name', 'version'],
                'constraints': [models.UniqueConstraint(models.F('game'), django.db.models.functions.text.Lower('name'), models.F('version'), name='scene_version_once'), models.CheckConstraint(condition=models.Q(('kind__in', ['benchmark', 'replay', 'scripted', 'route', 'live'])), name='scene_kind_known'), models.CheckConstraint(condition=models.Q(('length_s__isnull', True), ('length_s__gt', 0), _connector='OR'), name='scene_length_above_0')],
            },
        ),
    ]
