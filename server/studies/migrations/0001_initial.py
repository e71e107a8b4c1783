import clock
import django.db.models.constraints
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('bench', '0001_initial'),
        ('people', '0001_initial'),
        ('scenes', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Study',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('a_b', 'A against B'), ('ladder', 'Ladder'), ('sweep', 'Sweep'), ('grid', 'Grid'), ('scaling', 'Scaling'), ('budget', 'Budget'), ('several', 'Several cards'), ('latency', 'Latency'), ('fit', 'Fit'), ('proxy_check', 'Proxy check')], default='a_b', max_length=16)),
                ('question', models.CharField(max_length=200)),
                ('factor', models.CharField(max_length=120)),
                ('second_factor', models.CharField(blank=True, max_length=120)),
                ('state', models.CharField(choices=[('open', 'In progress'), ('finished', 'Finished')], default='open', max_length=10)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('finished_at', models.DateTimeField(blank=True, null=True)),
                ('ready_at', models.DateTimeField(blank=True, null=True)),
                ('ready_for', models.CharField(blank=True, max_length=64)),
                ('archived_at', models.DateTimeField(blank=True, null=True)),
                ('removed_at', models.DateTimeField(blank=True, null=True)),
                ('passes_wanted', models.PositiveSmallIntegerField(default=3)),
                ('leading', models.CharField(choices=[('average_fps', 'Average fps'), ('low_1', '1% low')], default='average_fps', max_length=12)),
                ('low_school', models.CharField(default='percentile', max_length=16)),
                ('suite_school', models.CharField(default='geometric', max_length=16)),
                ('cell_school', models.CharField(default='mean', max_length=16)),
                ('equal_band', models.FloatField(default=0.01)),
                ('target_hz', models.FloatField(default=60.0)),
                ('display_hz', models.FloatField(blank=True, null=True)),
                ('display_variable', models.BooleanField(default=False)),
                ('drift_allowance', models.FloatField(default=0.005)),
                ('between', models.FloatField(blank=True, default=0.003, null=True)),
                ('between_why', models.CharField(blank=True, max_length=300)),
                ('may_miss', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('created_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='studies', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-created_at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='Lane',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveSmallIntegerField()),
                ('name', models.CharField(max_length=80)),
                ('baseline', models.BooleanField(default=False)),
                ('condition', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='lanes', to='scenes.condition')),
                ('setup_version', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lanes', to='bench.setupversion')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lanes', to='studies.study')),
            ],
            options={
                'ordering': ['study', 'position'],
            },
        ),
        migrations.CreateModel(
            name='Decision',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('did', models.CharField(max_length=60)),
                ('state', models.CharField(blank=True, choices=[('planned', 'Planned'), ('recorded', 'Recorded'), ('accepted', 'Accepted'), ('rejected', 'Rejected'), ('did_not_run', 'Did not run')], max_length=12)),
                ('why', models.CharField(blank=True, max_length=340)),
                ('facts', models.JSONField(blank=True, default=dict)),
                ('undone_at', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='decisions', to='studies.study')),
            ],
            options={
                'ordering': ['-id'],
            },
        ),
        migrations.CreateModel(
            name='BenchSession',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('begun_at', models.DateTimeField(default=clock.now)),
                ('ended_at', models.DateTimeField(blank=True, null=True)),
                ('room_c', models.FloatField(blank=True, null=True)),
                ('notes', models.TextField(blank=True)),
                ('sequence', models.JSONField(blank=True, default=list)),
                ('lanes', models.JSONField(blank=True, default=list)),
                ('controls', models.JSONField(blank=True, default=list)),
                ('simulated', models.BooleanField(default=False)),
                ('speed', models.FloatField(default=1.0)),
                ('seed', models.PositiveIntegerField(default=1)),
                ('begun_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('driver', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='driven_sessions', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='sessions', to='people.machine')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='sessions', to='studies.study')),
            ],
            options={
                'ordering': ['-begun_at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='AuditLine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('pass_id', models.BigIntegerField(blank=True, null=True)),
                ('on_what', models.CharField(blank=True, max_length=400)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('what', models.CharField(max_length=60)),
                ('why', models.CharField(blank=True, max_length=300)),
                ('who', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='audit_lines', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='audit', to='studies.study')),
            ],
            options={
                'ordering': ['-at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='Test',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveSmallIntegerField()),
                ('priority', models.PositiveSmallIntegerField(default=2)),
                ('passes_wanted', models.PositiveSmallIntegerField(default=3)),
                ('length_s', models.FloatField(blank=True, null=True)),
                ('condition', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tests', to='scenes.condition')),
                ('scene', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tests', to='scenes.scene')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tests', to='studies.study')),
            ],
            options={
                'ordering': ['study', 'position'],
            },
        ),
        migrations.CreateModel(
            name='Pass',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('state', models.CharField(choices=[('planned', 'Planned'), ('recorded', 'Recorded'), ('accepted', 'Accepted'), ('rejected', 'Rejected'), ('did_not_run', 'Did not run')], default='planned', max_length=12)),
                ('role', models.CharField(choices=[('counted', 'Counted'), ('warm_up', 'Warm-up'), ('control', 'Control'), ('repeat', 'Repeat')], default='counted', max_length=8)),
                ('reason_code', models.CharField(blank=True, choices=[('did_not_launch', 'did not launch'), ('crashed', 'crashed'), ('unstable', 'unstable'), ('below_floor', 'below the playable floor'), ('wrong_setting', 'wrong setting'), ('interrupted', 'interrupted'), ('odd', 'odd'), ('not_tested', 'not tested'), ('other', 'for another reason')], max_length=16)),
                ('reason', models.CharField(blank=True, max_length=300)),
                ('ran_at', models.DateTimeField(blank=True, null=True)),
                ('run_as', models.JSONField(blank=True, null=True)),
                ('recorded_at', models.DateTimeField(blank=True, null=True)),
                ('lane', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='studies.lane')),
                ('repeats', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='repeated_by', to='studies.pass')),
                ('session', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='studies.benchsession')),
                ('setup_version', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='bench.setupversion')),
                ('test', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='studies.test')),
            ],
            options={
                'ordering': ['test__position', 'lane__position', 'number'],
            },
        ),
        migrations.CreateModel(
            name='Level',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('factor', models.CharField(max_length=120)),
                ('words', models.CharField(max_length=120)),
                ('number', models.FloatField(blank=True, null=True)),
                ('unit', models.CharField(blank=True, max_length=24)),
                ('lane', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='levels', to='studies.lane')),
            ],
            options={
                'ordering': ['lane', 'id'],
                'constraints': [models.UniqueConstraint(fields=('lane', 'factor'), name='level_once_a_factor'), models.CheckConstraint(condition=models.Q(('words', ''), _negated=True), name='level_has_words'), models.CheckConstraint(condition=models.Q(('unit', ''), ('number__isnull', False), _connector='OR'), name='level_unit_has_a_number')],
            },
        ),
        migrations.CreateModel(
            name='DecisionOn',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('before', models.CharField(choices=[('planned', 'Planned'), ('recorded', 'Recorded'), ('accepted', 'Accepted'), ('rejected', 'Rejected'), ('did_not_run', 'Did not run')], max_length=12)),
                ('before_code', models.CharField(blank=True, max_length=16)),
                ('before_reason', models.CharField(blank=True, max_length=300)),
                ('decision', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='on', to='studies.decision')),
                ('one', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='decisions', to='studies.pass')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('decision', 'one'), name='decided_once_an_act')],
            },
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('question', ''), _negated=True), name='study_asks'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['open', 'finished'])), name='study_state_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ['a_b', 'ladder', 'sweep', 'grid', 'scaling', 'budget', 'several', 'latency', 'fit', 'proxy_check'])), name='study_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('leading__in', ['average_fps', 'low_1'])), name='study_leading_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('low_school__in', ('percentile', 'slowest_frames', 'slowest_time'))), name='study_low_school_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('suite_school__in', ('geometric', 'mean_of_margins', 'ratio_of_means', 'equal_frames'))), name='study_suite_school_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('cell_school__in', ('mean', 'median_pass'))), name='study_cell_school_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('equal_band__gt', 0), ('equal_band__lt', 1)), name='study_band_is_a_share'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('target_hz__gt', 0)), name='study_target_above_0'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('drift_allowance__gte', 0), ('drift_allowance__lte', 0.1)), name='study_drift_is_a_share'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('between', None), models.Q(('between__gte', 0), ('between__lte', 0.1)), _connector='OR'), name='study_between_is_a_share'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('passes_wanted__gte', 1)), name='study_has_passes'),
        ),
        migrations.AddConstraint(
            model_name='lane',
            constraint=models.UniqueConstraint(fields=('study', 'position'), name='lane_position_once'),
        ),
        migrations.AddConstraint(
            model_name='lane',
            constraint=models.UniqueConstraint(fields=('study', 'name'), name='lane_name_once'),
        ),
        migrations.AddConstraint(
            model_name='lane',
            constraint=models.UniqueConstraint(condition=models.Q(('baseline', True)), fields=('study',), name='one_baseline'),
        ),
        migrations.AddConstraint(
            model_name='decision',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['', 'planned', 'recorded', 'accepted', 'rejected', 'did_not_run'])), name='decision_state_known'),
        ),
        migrations.AddConstraint(
            model_name='benchsession',
            constraint=models.UniqueConstraint(condition=models.Q(('ended_at', None)), fields=('machine',), name='one_session_a_machine'),
        ),
        migrations.AddConstraint(
            model_name='benchsession',
            constraint=models.UniqueConstraint(condition=models.Q(('ended_at', None), ('machine', None)), fields=('study',), name='one_session_by_hand'),
        ),
        migrations.AddConstraint(
            model_name='benchsession',
            constraint=models.CheckConstraint(condition=models.Q(('speed__gt', 0)), name='session_speed_above_0'),
        ),
        migrations.AddIndex(
            model_name='auditline',
            index=models.Index(fields=['study', '-at'], name='record_of_a_study'),
        ),
        migrations.AddConstraint(
            model_name='test',
            constraint=models.UniqueConstraint(deferrable=django.db.models.constraints.Deferrable['DEFERRED'], fields=('study', 'position'), name='test_position_once'),
        ),
        migrations.AddConstraint(
            model_name='test',
            constraint=models.CheckConstraint(condition=models.Q(('priority__gte', 1), ('priority__lte', 3)), name='test_priority_1_to_3'),
        ),
        migrations.AddConstraint(
            model_name='test',
            constraint=models.CheckConstraint(condition=models.Q(('passes_wanted__gte', 1)), name='test_wants_passes'),
        ),
        migrations.AddConstraint(
            model_name='test',
            constraint=models.CheckConstraint(condition=models.Q(('length_s', None), ('length_s__gt', 0), _connector='OR'), name='test_length_above_0'),
        ),
        migrations.AddConstraint(
            model_name='test',
            constraint=models.UniqueConstraint(fields=('study', 'scene', 'condition'), name='test_once'),
        ),
        migrations.AddIndex(
            model_name='pass',
            index=models.Index(fields=['test', 'state'], name='passes_of_a_test'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.UniqueConstraint(fields=('lane', 'test', 'number'), name='pass_once'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('number__gte', 1)), name='pass_numbers_from_1'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['planned', 'recorded', 'accepted', 'rejected', 'did_not_run'])), name='pass_state_known'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('role__in', ['counted', 'warm_up', 'control', 'repeat'])), name='pass_role_known'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('reason_code', ''), ('reason_code__in', ['did_not_launch', 'crashed', 'unstable', 'below_floor', 'wrong_setting', 'interrupted', 'odd', 'not_tested', 'other']), _connector='OR'), name='pass_reason_known'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('reason_code__gt', ''), ('state__in', ['rejected', 'did_not_run'])), models.Q(models.Q(('state__in', ['rejected', 'did_not_run']), _negated=True), ('reason', ''), ('reason_code', '')), _connector='OR'), name='pass_out_has_a_reason'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('reason_code', 'other'), _negated=True), models.Q(('reason', ''), _negated=True), _connector='OR'), name='another_reason_is_in_words'),
        ),
        # What was done is never changed or taken away, whoever asks: the database itself refuses.
        migrations.RunSQL(
            """
            CREATE FUNCTION studies_record_stays() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN RAISE EXCEPTION 'a line of the record is never changed'; END $$;
            CREATE TRIGGER record_stays BEFORE UPDATE OR DELETE ON studies_auditline
            FOR EACH ROW EXECUTE FUNCTION studies_record_stays();
            """,
            """
            DROP TRIGGER record_stays ON studies_auditline;
            DROP FUNCTION studies_record_stays();
            """,
        ),
    ]
