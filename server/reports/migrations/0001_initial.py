
import django.db.models.constraints
import django.db.models.deletion
import django.db.models.manager
import reports.models
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('studies', '0002_kept'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Report',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=160)),
                ('slug', models.SlugField(max_length=80, unique=True)),
                ('secret', models.CharField(default=reports.models._secret, max_length=40, unique=True)),
                ('state', models.CharField(choices=[('draft', 'Draft'), ('to_check', 'To be checked'), ('ready', 'Ready'), ('published', 'Published'), ('withdrawn', 'Withdrawn')], default='draft', max_length=10)),
                ('opens_at', models.DateTimeField(blank=True, null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('withdrawn_at', models.DateTimeField(blank=True, null=True)),
                ('withdrawn_why', models.CharField(blank=True, max_length=600)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='reports', to=settings.AUTH_USER_MODEL)),
                ('checked_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('studies', models.ManyToManyField(related_name='reports', to='studies.study')),
            ],
            options={
                'ordering': ['-at', '-pk'],
                'default_manager_name': 'all_reports',
            },
            managers=[
                ('all_reports', django.db.models.manager.Manager()),
            ],
        ),
        migrations.CreateModel(
            name='Kept',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('prose', 'Prose'), ('answer', 'Sentence'), ('picture', 'Picture'), ('table', 'Table'), ('readers', 'For whom'), ('method', 'How it was measured')], max_length=8)),
                ('content', models.JSONField(default=dict)),
                ('said', models.JSONField(default=dict)),
                ('at', models.DateTimeField(auto_now=True)),
                ('label', models.CharField(max_length=300)),
                ('way', models.CharField(max_length=600)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='studies.study')),
                ('report', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shelf', to='reports.report')),
            ],
            options={
                'ordering': ['-pk'],
            },
        ),
        migrations.CreateModel(
            name='Edition',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('title', models.CharField(max_length=160)),
                ('summary', models.CharField(blank=True, max_length=600)),
                ('at', models.DateTimeField()),
                ('opens_at', models.DateTimeField()),
                ('why', models.CharField(blank=True, max_length=600)),
                ('erratum', models.JSONField(default=list)),
                ('says', models.JSONField(default=dict)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('checked_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('report', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='editions', to='reports.report')),
            ],
            options={
                'ordering': ['number'],
            },
        ),
        migrations.CreateModel(
            name='Block',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('prose', 'Prose'), ('answer', 'Sentence'), ('picture', 'Picture'), ('table', 'Table'), ('readers', 'For whom'), ('method', 'How it was measured')], max_length=8)),
                ('content', models.JSONField(default=dict)),
                ('said', models.JSONField(default=dict)),
                ('at', models.DateTimeField(auto_now=True)),
                ('place', models.PositiveIntegerField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='studies.study')),
                ('report', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='blocks', to='reports.report')),
            ],
            options={
                'ordering': ['place'],
            },
        ),
        migrations.CreateModel(
            name='Settled',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('point', models.TextField()),
                ('why', models.CharField(max_length=400)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('report', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='settled', to='reports.report')),
            ],
        ),
        migrations.CreateModel(
            name='EditionFile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField(blank=True, default=bytes)),
                ('stored', models.CharField(blank=True, db_index=True, max_length=60)),
                ('name', models.CharField(max_length=80)),
                ('media_type', models.CharField(max_length=60)),
                ('size', models.PositiveBigIntegerField()),
                ('sha256', models.CharField(max_length=64)),
                ('edition', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='files', to='reports.edition')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('edition', 'name'), name='edition_file_once')],
            },
        ),
        migrations.AddConstraint(
            model_name='report',
            constraint=models.CheckConstraint(condition=models.Q(('title', ''), _negated=True), name='report_has_a_title'),
        ),
        migrations.AddConstraint(
            model_name='report',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['draft', 'to_check', 'ready', 'published', 'withdrawn'])), name='report_state_known'),
        ),
        migrations.AddConstraint(
            model_name='edition',
            constraint=models.UniqueConstraint(fields=('report', 'number'), name='edition_once'),
        ),
        migrations.AddConstraint(
            model_name='edition',
            constraint=models.CheckConstraint(condition=models.Q(('number', 1), models.Q(('why', ''), _negated=True), _connector='OR'), name='edition_that_follows_says_why'),
        ),
        migrations.AddConstraint(
            model_name='block',
            constraint=models.UniqueConstraint(deferrable=django.db.models.constraints.Deferrable['DEFERRED'], fields=('report', 'place'), name='block_has_its_place'),
        ),
        migrations.AddConstraint(
            model_name='block',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ['prose', 'answer', 'picture', 'table', 'readers', 'method'])), name='block_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='block',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('kind', 'prose'), ('study', None)), models.Q(models.Q(('kind', 'prose'), _negated=True), ('study__isnull', False)), _connector='OR'), name='block_is_prose_or_of_a_study'),
        ),
        migrations.AddConstraint(
            model_name='settled',
            constraint=models.UniqueConstraint(fields=('report', 'point'), name='point_settled_once'),
        ),
    ]
