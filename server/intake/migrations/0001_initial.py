import django.contrib.postgres.fields
import clock
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('people', '0001_initial'),
        ('studies', '0001_initial'),
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
                ('power_w', models.FloatField(blank=True, null=True)),
                ('gpu_busy_ms', models.FloatField(blank=True, null=True)),
                ('cpu_busy_ms', models.FloatField(blank=True, null=True)),
                ('over_budget_share', models.FloatField(blank=True, null=True)),
                ('card_over_share', models.FloatField(blank=True, null=True)),
                ('processor_over_share', models.FloatField(blank=True, null=True)),
                ('both_over_share', models.FloatField(blank=True, null=True)),
                ('longest_spell_s', models.FloatField(blank=True, null=True)),
                ('alternating', models.BooleanField(blank=True, null=True)),
                ('amplitude', models.FloatField(blank=True, null=True)),
                ('bound_by_source', models.CharField(blank=True, max_length=16)),
                ('temperature_c', models.FloatField(blank=True, null=True)),
                ('fan_rpm', models.FloatField(blank=True, null=True)),
                ('memory_mib', models.FloatField(blank=True, null=True)),
            ],
        ),
        migrations.CreateModel(
            name='Arrival',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=255)),
                ('size', models.PositiveBigIntegerField()),
                ('sha256', models.CharField(max_length=64)),
                ('state', models.CharField(choices=[('waiting', 'Waiting to be assigned'), ('taken', 'Taken as a pass'), ('set_aside', 'Set aside')], default='waiting', max_length=10)),
                ('arrived_at', models.DateTimeField(default=clock.now)),
                ('written_at', models.DateTimeField(blank=True, null=True)),
                ('proposal', models.JSONField(default=dict)),
                ('header_key', models.CharField(blank=True, max_length=64)),
                ('refusal', models.JSONField(blank=True, null=True)),
                ('waits_why', models.CharField(blank=True, max_length=200)),
                ('likely_pass_id', models.BigIntegerField(blank=True, null=True)),
                ('for_run_id', models.BigIntegerField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='arrivals', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.machine')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='arrivals', to='studies.study')),
            ],
            options={
                'ordering': ['name', 'id'],
            },
        ),
        migrations.CreateModel(
            name='Capture',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('columns', models.JSONField()),
                ('source_flags', models.JSONField(default=list)),
                ('windows', models.JSONField(blank=True, default=list)),
                ('length_s', models.FloatField(default=0.0)),
                ('frames_digest', models.CharField(blank=True, db_index=True, max_length=64)),
                ('basis', models.CharField(blank=True, max_length=64)),
                ('trouble', models.CharField(blank=True, max_length=300)),
                ('arrival', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='capture', to='intake.arrival')),
            ],
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
        migrations.CreateModel(
            name='Original',
            fields=[
                ('arrival', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, primary_key=True, related_name='original', serialize=False, to='intake.arrival')),
                ('content', models.BinaryField()),
                ('packing', models.CharField(blank=True, max_length=8)),
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
            model_name='capture',
            name='on_pass',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='capture', to='studies.pass'),
        ),
        migrations.CreateModel(
            name='CaptureProfile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('basis', models.CharField(max_length=64)),
                ('version', models.PositiveSmallIntegerField()),
                ('data', models.JSONField()),
                ('capture', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='profiles', to='intake.capture')),
            ],
        ),
        migrations.CreateModel(
            name='Channel',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('data', models.BinaryField()),
                ('capture', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='channels', to='intake.capture')),
            ],
        ),
        migrations.CreateModel(
            name='Pack',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=255)),
                ('size', models.PositiveBigIntegerField(default=0)),
                ('state', models.CharField(choices=[('arriving', 'Being sent'), ('running', 'Being taken in'), ('cancelled', 'Cancelled'), ('done', 'Through')], default='arriving', max_length=10)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('zone', models.CharField(blank=True, max_length=60)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='packs', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='packs', to='studies.study')),
            ],
            options={
                'ordering': ['-made_at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='PackEntry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveIntegerField()),
                ('name', models.CharField(max_length=400)),
                ('state', models.CharField(choices=[('waiting', 'Waits its turn'), ('taken', 'Taken as a pass'), ('kept', 'Waits for a place'), ('known', 'There already'), ('refused', 'Refused')], default='waiting', max_length=10)),
                ('words', models.CharField(blank=True, max_length=300)),
                ('also_in', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='studies.study')),
                ('arrival', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='entries', to='intake.arrival')),
                ('pack', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='entries', to='intake.pack')),
            ],
            options={
                'ordering': ['pack', 'position'],
            },
        ),
        migrations.CreateModel(
            name='PackPiece',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveIntegerField()),
                ('content', models.BinaryField()),
                ('pack', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='pieces', to='intake.pack')),
            ],
            options={
                'ordering': ['pack', 'position'],
            },
        ),
        migrations.CreateModel(
            name='PassDoubt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('check_id', models.CharField(max_length=32)),
                ('weak', models.BooleanField(default=False)),
                ('words', models.TextField()),
                ('evidence', models.JSONField(default=dict)),
                ('window', models.JSONField(blank=True, null=True)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('on_pass', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='doubts', to='studies.pass')),
            ],
            options={
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='PassFile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('role', models.CharField(choices=[('frames', 'Frames'), ('samples', 'Samples'), ('picture', 'Picture'), ('clip', 'Clip'), ('note', 'Note')], max_length=8)),
                ('arrival', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='use', to='intake.arrival')),
                ('on_pass', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='files', to='studies.pass')),
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
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='reported', to=settings.AUTH_USER_MODEL)),
                ('on_pass', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='reported', to='studies.pass')),
            ],
        ),
        migrations.CreateModel(
            name='SampleSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('columns', models.JSONField()),
                ('offset_s', models.FloatField(default=0.0)),
                ('clock', models.BinaryField()),
                ('capture', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='sample_sets', to='intake.capture')),
                ('file', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='samples', to='intake.passfile')),
            ],
        ),
        migrations.CreateModel(
            name='SampledChannel',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('data', models.BinaryField()),
                ('of', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='channels', to='intake.sampleset')),
            ],
        ),
        migrations.CreateModel(
            name='SavedMap',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('header_key', models.CharField(max_length=64, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('columns', models.JSONField()),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='saved_maps', to=settings.AUTH_USER_MODEL)),
            ],
        ),
        migrations.AddIndex(
            model_name='arrival',
            index=models.Index(fields=['study', 'state'], name='files_that_wait'),
        ),
        migrations.AddIndex(
            model_name='arrival',
            index=models.Index(fields=['sha256'], name='same_file_elsewhere'),
        ),
        migrations.AddIndex(
            model_name='arrival',
            index=models.Index(fields=['machine', 'name', '-id'], name='same_file_before'),
        ),
        migrations.AddConstraint(
            model_name='arrival',
            constraint=models.UniqueConstraint(condition=models.Q(('state', 'set_aside'), _negated=True), fields=('study', 'sha256'), name='same_file_is_not_two_passes'),
        ),
        migrations.AddConstraint(
            model_name='arrival',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['waiting', 'taken', 'set_aside'])), name='arrival_state_known'),
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.UniqueConstraint(fields=('capture', 'version', 'basis'), name='figures_once_a_basis'),
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.CheckConstraint(condition=models.Q(('average_fps__gt', 0), ('frames__gt', 0)), name='figures_of_some_frames'),
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.CheckConstraint(condition=models.Q(('cap__in', ['none', 'partly', 'capped'])), name='cap_state_known'),
        ),
        migrations.AddConstraint(
            model_name='captureprofile',
            constraint=models.UniqueConstraint(fields=('capture', 'basis', 'version'), name='profile_once_a_basis'),
        ),
        migrations.AddConstraint(
            model_name='channel',
            constraint=models.UniqueConstraint(fields=('capture', 'name'), name='channel_once'),
        ),
        migrations.AddConstraint(
            model_name='pack',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['arriving', 'running', 'cancelled', 'done'])), name='pack_state_known'),
        ),
        migrations.AddIndex(
            model_name='packentry',
            index=models.Index(fields=['pack', 'state'], name='entries_that_wait'),
        ),
        migrations.AddConstraint(
            model_name='packentry',
            constraint=models.UniqueConstraint(fields=('pack', 'position'), name='entry_once'),
        ),
        migrations.AddConstraint(
            model_name='packentry',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['waiting', 'taken', 'kept', 'known', 'refused'])), name='entry_state_known'),
        ),
        migrations.AddConstraint(
            model_name='packpiece',
            constraint=models.UniqueConstraint(fields=('pack', 'position'), name='piece_once'),
        ),
        migrations.AddConstraint(
            model_name='passfile',
            constraint=models.UniqueConstraint(condition=models.Q(('role', 'frames')), fields=('on_pass',), name='frames_in_one_file'),
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
