import datetime
import django.db.models.deletion
import planning.models
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('bench', '0001_initial'),
        ('scenes', '0001_initial'),
        ('studies', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Acceptance',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=200)),
                ('label', models.CharField(max_length=200)),
                ('about', models.TextField()),
                ('weight', models.CharField(max_length=8)),
                ('reason', models.CharField(max_length=400)),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='acceptances', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='acceptances', to='studies.study')),
            ],
            options={
                'ordering': ['study', 'key'],
                'constraints': [models.UniqueConstraint(fields=('study', 'key'), name='difference_accepted_once'), models.CheckConstraint(condition=models.Q(('reason', ''), _negated=True), name='acceptance_has_a_reason')],
            },
        ),
        migrations.CreateModel(
            name='PartScatter',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('figure', models.CharField(max_length=32)),
                ('squares', models.FloatField()),
                ('df', models.PositiveIntegerField()),
                ('cells', models.PositiveIntegerField()),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='scatter', to='bench.part')),
                ('scene', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='scatter_by_part', to='scenes.scene')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='taught_parts', to='studies.study')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('study', 'scene', 'part', 'figure'), name='part_scatter_once'), models.CheckConstraint(condition=models.Q(('squares__gte', 0)), name='part_scatter_is_no_less_than_0')],
            },
        ),
        migrations.CreateModel(
            name='Plan',
            fields=[
                ('study', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='plan', serialize=False, to='studies.study')),
                ('margin', models.FloatField(default=0.02)),
                ('most_passes', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('order', models.CharField(choices=[('lane_by_lane', 'Lane after lane'), ('in_rounds', 'Lane after lane, in rounds'), ('alternating', 'Lanes in turn, there and back'), ('by_game', 'Lanes in turn within each game'), ('random', 'Shuffled within rounds'), ('by_hand', 'By hand')], default='alternating', max_length=12)),
                ('seed', models.PositiveIntegerField(default=1)),
                ('sequence', models.JSONField(blank=True, default=list)),
                ('costs', models.JSONField(blank=True, default=dict)),
                ('starts_on', models.DateField()),
                ('day_starts', models.TimeField(default=datetime.time(9, 0))),
                ('quiet_from', models.TimeField(blank=True, null=True)),
                ('quiet_to', models.TimeField(blank=True, null=True)),
                ('hours_a_day', models.FloatField(default=8.0)),
                ('weekdays', models.JSONField(default=planning.models._working_days)),
                ('deadline', models.DateTimeField(blank=True, null=True)),
                ('dates', models.JSONField(blank=True, default=list)),
                ('control_test', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='studies.test')),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('order__in', ['lane_by_lane', 'in_rounds', 'alternating', 'by_game', 'random', 'by_hand'])), name='plan_order_known'), models.CheckConstraint(condition=models.Q(('margin__gt', 0), ('margin__lt', 1)), name='plan_margin_is_a_share'), models.CheckConstraint(condition=models.Q(('hours_a_day__gt', 0), ('hours_a_day__lte', 24)), name='plan_hours_a_day')],
            },
        ),
        migrations.CreateModel(
            name='SceneFirsts',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('count', models.PositiveIntegerField()),
                ('weight', models.FloatField()),
                ('weighted', models.FloatField()),
                ('scene', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='firsts', to='scenes.scene')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='taught_firsts', to='studies.study')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('study', 'scene'), name='scene_firsts_once'), models.CheckConstraint(condition=models.Q(('weight__gt', 0)), name='scene_firsts_weigh')],
            },
        ),
        migrations.CreateModel(
            name='SceneNoise',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('figure', models.CharField(max_length=32)),
                ('squares', models.FloatField()),
                ('df', models.PositiveIntegerField()),
                ('cells', models.PositiveIntegerField()),
                ('passes', models.PositiveIntegerField()),
                ('scene', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='noise', to='scenes.scene')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='taught', to='studies.study')),
            ],
            options={
                'indexes': [models.Index(fields=['figure', 'scene'], name='noise_by_figure')],
                'constraints': [models.UniqueConstraint(fields=('study', 'scene', 'figure'), name='scene_noise_once'), models.CheckConstraint(condition=models.Q(('squares__gte', 0)), name='scene_noise_is_no_less_than_0')],
            },
        ),
        migrations.CreateModel(
            name='SceneTotal',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('figure', models.CharField(max_length=32)),
                ('squares', models.FloatField()),
                ('df', models.PositiveIntegerField()),
                ('cells', models.PositiveIntegerField()),
                ('passes', models.PositiveIntegerField()),
                ('studies', models.PositiveIntegerField()),
                ('scene', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='noise_of_all', to='scenes.scene')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('figure', 'scene'), name='scene_total_once')],
            },
        ),
    ]
