import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('bench', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='Matrix',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('title', models.CharField(max_length=160)),
                ('rows_are', models.CharField(default='Hosts', max_length=40)),
                ('via_are', models.CharField(blank=True, max_length=40)),
                ('columns_are', models.CharField(default='Cards', max_length=40)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'verbose_name_plural': 'matrices',
                'ordering': ['-at', '-pk'],
            },
        ),
        migrations.CreateModel(
            name='MatrixPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('axis', models.CharField(choices=[('row', 'Row'), ('via', 'Between'), ('column', 'Column')], max_length=6)),
                ('position', models.PositiveSmallIntegerField()),
                ('matrix', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='fitting.matrix')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='bench.part')),
            ],
            options={
                'ordering': ['axis', 'position'],
            },
        ),
        migrations.CreateModel(
            name='FitAttempt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('client_id', models.UUIDField(unique=True)),
                ('outcome', models.CharField(max_length=12)),
                ('changed', models.JSONField(blank=True, default=list)),
                ('seen', models.CharField(blank=True, max_length=600)),
                ('generation', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('lanes', models.PositiveSmallIntegerField(blank=True, null=True)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('struck_why', models.CharField(blank=True, max_length=300)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('struck_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('matrix', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='attempts', to='fitting.matrix')),
                ('column', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fitting.matrixpart')),
                ('row', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fitting.matrixpart')),
                ('via', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='fitting.matrixpart')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='Photograph',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField(blank=True, default=bytes)),
                ('stored', models.CharField(blank=True, db_index=True, max_length=60)),
                ('words', models.CharField(max_length=300)),
                ('width', models.PositiveIntegerField()),
                ('height', models.PositiveIntegerField()),
                ('media_type', models.CharField(max_length=40)),
                ('sha256', models.CharField(max_length=64)),
                ('attempt', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='photographs', to='fitting.fitattempt')),
            ],
            options={
                'ordering': ['pk'],
            },
        ),
        migrations.AddConstraint(
            model_name='matrix',
            constraint=models.CheckConstraint(condition=models.Q(('title', ''), _negated=True), name='matrix_has_a_title'),
        ),
        migrations.AddConstraint(
            model_name='matrixpart',
            constraint=models.CheckConstraint(condition=models.Q(('axis__in', ['row', 'via', 'column'])), name='matrix_axis_known'),
        ),
        migrations.AddConstraint(
            model_name='matrixpart',
            constraint=models.UniqueConstraint(fields=('matrix', 'axis', 'part'), name='part_once_an_axis'),
        ),
        migrations.AddIndex(
            model_name='fitattempt',
            index=models.Index(fields=['matrix', 'row', 'column'], name='attempts_at_a_place'),
        ),
        migrations.AddConstraint(
            model_name='fitattempt',
            constraint=models.CheckConstraint(condition=models.Q(('outcome__in', ('works', 'limited', 'no_picture', 'not_detected', 'crashes'))), name='attempt_outcome_known'),
        ),
        migrations.AddConstraint(
            model_name='fitattempt',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('generation', None), ('lanes', None)), models.Q(('generation__gte', 1), ('generation__lte', 5), ('lanes__gte', 1)), _connector='OR'), name='attempt_link_is_whole'),
        ),
        migrations.AddConstraint(
            model_name='photograph',
            constraint=models.UniqueConstraint(fields=('attempt', 'sha256'), name='photograph_once'),
        ),
    ]
