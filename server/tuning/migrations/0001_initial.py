import django.db.models.deletion
import django.db.models.functions.text
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('bench', '0001_initial'),
        ('people', '0003_outside'),
        ('studies', '0002_kept'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Log',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=160)),
                ('stability_min', models.FloatField(default=60.0)),
                ('reset_words', models.CharField(blank=True, max_length=400)),
                ('seed', models.PositiveIntegerField(blank=True, null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('backed_up_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('base', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tuning_logs', to='bench.setupversion')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('machine', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='tuning_log', to='people.machine')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tuning_logs', to='bench.part')),
                ('rival_lane', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='studies.lane')),
                ('rival_test', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='studies.test')),
            ],
            options={
                'ordering': ['-at', '-pk'],
            },
        ),
        migrations.CreateModel(
            name='LogSetting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveSmallIntegerField()),
                ('name', models.CharField(max_length=80)),
                ('unit', models.CharField(blank=True, max_length=16)),
                ('kind', models.CharField(max_length=8)),
                ('stock', models.FloatField()),
                ('resolution', models.FloatField()),
                ('harder', models.CharField(blank=True, max_length=4)),
                ('limit_low', models.FloatField(blank=True, null=True)),
                ('limit_high', models.FloatField(blank=True, null=True)),
                ('limit_source', models.CharField(blank=True, max_length=200)),
                ('limit_day', models.DateField(blank=True, null=True)),
                ('log', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='settings', to='tuning.log')),
            ],
            options={
                'ordering': ['position'],
            },
        ),
        migrations.CreateModel(
            name='LogStep',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('client_id', models.UUIDField(unique=True)),
                ('sample', models.CharField(blank=True, max_length=40)),
                ('set', models.JSONField(blank=True, default=dict)),
                ('read_back', models.JSONField(blank=True, default=dict)),
                ('over_limit', models.JSONField(blank=True, default=list)),
                ('conclusion', models.CharField(blank=True, max_length=600)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('after', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='tuning.logstep')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('log', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='steps', to='tuning.log')),
                ('setup', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='tuning_steps', to='bench.setupversion')),
            ],
            options={
                'ordering': ['number'],
            },
        ),
        migrations.CreateModel(
            name='QuickPass',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField(blank=True, default=bytes)),
                ('stored', models.CharField(blank=True, db_index=True, max_length=60)),
                ('client_id', models.UUIDField(unique=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('struck_why', models.CharField(blank=True, max_length=300)),
                ('what', models.CharField(blank=True, max_length=160)),
                ('fps', models.FloatField()),
                ('w', models.FloatField(blank=True, null=True)),
                ('temperature_c', models.FloatField(blank=True, null=True)),
                ('hotspot_c', models.FloatField(blank=True, null=True)),
                ('fan_rpm', models.FloatField(blank=True, null=True)),
                ('noise_dba', models.FloatField(blank=True, null=True)),
                ('file_name', models.CharField(blank=True, max_length=200)),
                ('sha256', models.CharField(blank=True, max_length=64)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('step', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='passes', to='tuning.logstep')),
                ('struck_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='StabilityRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('client_id', models.UUIDField(unique=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('struck_why', models.CharField(blank=True, max_length=300)),
                ('program', models.CharField(max_length=120)),
                ('minutes', models.FloatField()),
                ('outcome', models.CharField(max_length=10)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('step', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='runs', to='tuning.logstep')),
                ('struck_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddConstraint(
            model_name='log',
            constraint=models.CheckConstraint(condition=models.Q(('title', ''), _negated=True), name='log_has_a_title'),
        ),
        migrations.AddConstraint(
            model_name='log',
            constraint=models.CheckConstraint(condition=models.Q(('stability_min__gt', 0)), name='log_stability_above_0'),
        ),
        migrations.AddConstraint(
            model_name='log',
            constraint=models.CheckConstraint(condition=models.Q(('rival_lane', None), ('rival_test__isnull', False), _connector='OR'), name='log_rival_is_in_a_test'),
        ),
        migrations.AddConstraint(
            model_name='logsetting',
            constraint=models.UniqueConstraint(models.F('log'), django.db.models.functions.text.Lower('name'), name='log_setting_once'),
        ),
        migrations.AddConstraint(
            model_name='logsetting',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ('voltage', 'power', 'current', 'clock', 'timing', 'other'))), name='log_setting_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='logsetting',
            constraint=models.CheckConstraint(condition=models.Q(('harder__in', ['up', 'down', ''])), name='log_setting_way_known'),
        ),
        migrations.AddConstraint(
            model_name='logsetting',
            constraint=models.CheckConstraint(condition=models.Q(('resolution__gt', 0)), name='log_setting_resolution_above_0'),
        ),
        migrations.AddConstraint(
            model_name='logsetting',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('limit_high', None), ('limit_low', None)), models.Q(('limit_source', ''), _negated=True), _connector='OR'), name='log_limit_has_a_source'),
        ),
        migrations.AddConstraint(
            model_name='logstep',
            constraint=models.UniqueConstraint(fields=('log', 'number'), name='step_number_once'),
        ),
        migrations.AddConstraint(
            model_name='quickpass',
            constraint=models.CheckConstraint(condition=models.Q(('fps__gt', 0), models.Q(('w', None), ('w__gt', 0), _connector='OR')), name='quick_figures_above_0'),
        ),
        migrations.AddConstraint(
            model_name='quickpass',
            constraint=models.UniqueConstraint(condition=models.Q(('sha256', ''), _negated=True), fields=('step', 'sha256'), name='capture_once_a_step'),
        ),
        migrations.AddConstraint(
            model_name='stabilityrun',
            constraint=models.CheckConstraint(condition=models.Q(('outcome__in', ('passed', 'crashed', 'errors', 'artefacts', 'hang'))), name='run_outcome_known'),
        ),
        migrations.AddConstraint(
            model_name='stabilityrun',
            constraint=models.CheckConstraint(condition=models.Q(('minutes__gte', 0)), name='run_minutes_no_less_than_0'),
        ),
    ]
