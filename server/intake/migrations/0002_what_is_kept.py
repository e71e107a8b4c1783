"""Figures as rows of columns, files in roles, samples on a clock of their own, reported results."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('intake', '0001_initial'),
        ('studies', '0007_rules_of_what_is_kept'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='CaptureFigures',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('version', models.PositiveSmallIntegerField()),
                ('basis', models.CharField(max_length=64)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('frames', models.PositiveIntegerField()),
                ('duration_s', models.FloatField()),
                ('average_fps', models.FloatField()),
                ('median_fps', models.FloatField()),
                ('low_1_percentile', models.FloatField()),
                ('low_1_slowest_frames', models.FloatField()),
                ('low_1_slowest_time', models.FloatField()),
                ('low_01_percentile', models.FloatField()),
                ('low_01_slowest_frames', models.FloatField()),
                ('low_01_slowest_time', models.FloatField()),
                ('support', django.contrib.postgres.fields.ArrayField(base_field=models.PositiveIntegerField(), size=6)),
                ('stutters', models.PositiveIntegerField()),
                ('bound_by', models.CharField(blank=True, max_length=12)),
                ('cap', models.CharField(max_length=8)),
                ('cap_name', models.CharField(blank=True, max_length=80)),
                ('lock_fps', models.FloatField(blank=True, null=True)),
                ('flags', django.contrib.postgres.fields.ArrayField(base_field=models.CharField(max_length=40), default=list, size=None)),
            ],
        ),
        migrations.CreateModel(
            name='PassFile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('role', models.CharField(choices=[('frames', 'Frames'), ('samples', 'Samples'), ('picture', 'Picture'), ('clip', 'Clip'), ('note', 'Note')], max_length=8)),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='Reported',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('average_fps', models.FloatField(blank=True, null=True)),
                ('minimum_fps', models.FloatField(blank=True, null=True)),
                ('low_1_fps', models.FloatField(blank=True, null=True)),
                ('low_01_fps', models.FloatField(blank=True, null=True)),
                ('score', models.FloatField(blank=True, null=True)),
                ('read_from', models.CharField(max_length=200)),
                ('at', models.DateTimeField(auto_now_add=True)),
            ],
        ),
        migrations.CreateModel(
            name='SampledChannel',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('data', models.BinaryField()),
            ],
        ),
        migrations.CreateModel(
            name='SampleSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('columns', models.JSONField()),
                ('offset_s', models.FloatField(default=0.0)),
                ('clock', models.BinaryField()),
            ],
        ),
        migrations.AddField(
            model_name='arrival',
            name='written_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='capture',
            name='basis',
            field=models.CharField(blank=True, max_length=64),
        ),
        migrations.AddField(
            model_name='capture',
            name='trouble',
            field=models.CharField(blank=True, max_length=300),
        ),
        migrations.AddIndex(
            model_name='arrival',
            index=models.Index(fields=['study', 'state'], name='files_that_wait'),
        ),
        migrations.CreateModel(
            name='AllFigures',
            fields=[
                ('row', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, primary_key=True, related_name='all', serialize=False, to='intake.capturefigures')),
                ('made_by', models.JSONField()),
                ('figures', models.JSONField()),
                ('curve', models.BinaryField()),
            ],
        ),
        migrations.AddField(
            model_name='capturefigures',
            name='capture',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='figures', to='intake.capture'),
        ),
        migrations.AddField(
            model_name='capture',
            name='current',
            field=models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='current_of', to='intake.capturefigures'),
        ),
        migrations.AddField(
            model_name='passfile',
            name='arrival',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='use', to='intake.arrival'),
        ),
        migrations.AddField(
            model_name='passfile',
            name='on_pass',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='files', to='studies.pass'),
        ),
        migrations.AddField(
            model_name='reported',
            name='by',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='reported', to=settings.AUTH_USER_MODEL),
        ),
        migrations.AddField(
            model_name='reported',
            name='on_pass',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='reported', to='studies.pass'),
        ),
        migrations.AddField(
            model_name='sampleset',
            name='capture',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='sample_sets', to='intake.capture'),
        ),
        migrations.AddField(
            model_name='sampleset',
            name='file',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='samples', to='intake.passfile'),
        ),
        migrations.AddField(
            model_name='sampledchannel',
            name='of',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='channels', to='intake.sampleset'),
        ),
        migrations.AddConstraint(
            model_name='passfile',
            constraint=models.CheckConstraint(condition=models.Q(('role__in', ['frames', 'samples', 'picture', 'clip', 'note'])), name='file_role_known'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('average_fps__isnull', False), ('minimum_fps__isnull', False), ('low_1_fps__isnull', False), ('low_01_fps__isnull', False), ('score__isnull', False), _connector='OR'), name='something_is_reported'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('average_fps__isnull', True), ('average_fps__gt', 0), _connector='OR'), name='reported_average_fps_above_0'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('minimum_fps__isnull', True), ('minimum_fps__gt', 0), _connector='OR'), name='reported_minimum_fps_above_0'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('low_1_fps__isnull', True), ('low_1_fps__gt', 0), _connector='OR'), name='reported_low_1_fps_above_0'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('low_01_fps__isnull', True), ('low_01_fps__gt', 0), _connector='OR'), name='reported_low_01_fps_above_0'),
        ),
        migrations.AddConstraint(
            model_name='reported',
            constraint=models.CheckConstraint(condition=models.Q(('score__isnull', True), ('score__gt', 0), _connector='OR'), name='reported_score_above_0'),
        ),
        migrations.AddConstraint(
            model_name='sampledchannel',
            constraint=models.UniqueConstraint(fields=('of', 'name'), name='sampled_channel_once'),
        ),
    ]
