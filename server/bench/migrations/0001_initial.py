import django.db.models.deletion
import django.db.models.functions.text
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Rig',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('notes', models.TextField(blank=True)),
            ],
            options={
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Part',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('card', 'Graphics card'), ('processor', 'Processor'), ('memory', 'Memory kit'), ('board', 'Board'), ('drive', 'Drive'), ('cooler', 'Cooler'), ('supply', 'Power supply'), ('case', 'Case'), ('machine', 'Whole machine'), ('display', 'Display'), ('adapter', 'Dock, adapter or link'), ('system', 'Operating system'), ('driver', 'Driver'), ('firmware', 'Firmware'), ('build', 'Game build')], max_length=12)),
                ('name', models.CharField(max_length=120)),
                ('maker', models.CharField(blank=True, max_length=80)),
                ('facts', models.JSONField(blank=True, default=dict)),
                ('price', models.DecimalField(blank=True, decimal_places=2, max_digits=10, null=True)),
                ('currency', models.CharField(blank=True, max_length=3)),
                ('price_from', models.CharField(blank=True, max_length=120)),
                ('price_day', models.DateField(blank=True, null=True)),
                ('weight_g', models.PositiveIntegerField(blank=True, null=True)),
                ('notes', models.TextField(blank=True)),
            ],
            options={
                'ordering': ['kind', 'name'],
                'constraints': [models.UniqueConstraint(models.F('kind'), django.db.models.functions.text.Lower('name'), name='part_once'), models.CheckConstraint(condition=models.Q(('kind__in', ['card', 'processor', 'memory', 'board', 'drive', 'cooler', 'supply', 'case', 'machine', 'display', 'adapter', 'system', 'driver', 'firmware', 'build'])), name='part_kind_known'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='part_named'), models.CheckConstraint(condition=models.Q(('price__isnull', True), models.Q(('price__gte', 0), models.Q(('currency', ''), _negated=True)), _connector='OR'), name='price_has_a_currency')],
            },
        ),
        migrations.CreateModel(
            name='RigPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='bench.part')),
                ('rig', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='bench.rig')),
            ],
            options={
                'db_table': 'bench_rig_parts',
                'ordering': ['id'],
            },
        ),
        migrations.AddField(
            model_name='rig',
            name='parts',
            field=models.ManyToManyField(related_name='rigs', through='bench.RigPart', to='bench.part'),
        ),
        migrations.CreateModel(
            name='Setup',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='setup_once'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='setup_named')],
            },
        ),
        migrations.CreateModel(
            name='SetupPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='bench.part')),
            ],
            options={
                'db_table': 'bench_setupversion_parts',
                'ordering': ['id'],
            },
        ),
        migrations.CreateModel(
            name='SetupVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('frozen', models.BooleanField(default=False)),
                ('created_at', models.DateTimeField(auto_now_add=True)),
                ('parts', models.ManyToManyField(related_name='setup_versions', through='bench.SetupPart', to='bench.part')),
                ('rig', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='setup_versions', to='bench.rig')),
                ('setup', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='versions', to='bench.setup')),
            ],
            options={
                'ordering': ['setup', '-number'],
            },
        ),
        migrations.AddField(
            model_name='setuppart',
            name='version',
            field=models.ForeignKey(db_column='setupversion_id', on_delete=django.db.models.deletion.CASCADE, to='bench.setupversion'),
        ),
        migrations.CreateModel(
            name='Setting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveIntegerField()),
                ('name', models.CharField(max_length=120)),
                ('value', models.CharField(max_length=200)),
                ('version', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='settings', to='bench.setupversion')),
            ],
            options={
                'ordering': ['position'],
            },
        ),
        migrations.CreateModel(
            name='SheetTick',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('on_day', models.DateField()),
                ('line', models.CharField(max_length=400)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('version', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='ticks', to='bench.setupversion')),
                ('who', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='sheet_ticks', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['at', 'id'],
            },
        ),
        migrations.AddConstraint(
            model_name='rig',
            constraint=models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='rig_once'),
        ),
        migrations.AddConstraint(
            model_name='rig',
            constraint=models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='rig_named'),
        ),
        migrations.AddConstraint(
            model_name='setupversion',
            constraint=models.UniqueConstraint(fields=('setup', 'number'), name='setup_version_once'),
        ),
        migrations.AddConstraint(
            model_name='setting',
            constraint=models.UniqueConstraint(models.F('version'), django.db.models.functions.text.Lower('name'), name='setting_once'),
        ),
        migrations.AddConstraint(
            model_name='sheettick',
            constraint=models.UniqueConstraint(fields=('version', 'on_day', 'line'), name='tick_once_a_day'),
        ),
    ]
