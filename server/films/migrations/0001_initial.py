
import django.db.models.deletion
import django.db.models.manager
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
            name='Film',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField(blank=True, default=bytes)),
                ('stored', models.CharField(blank=True, db_index=True, max_length=60)),
                ('asked', models.JSONField()),
                ('rate', models.PositiveSmallIntegerField()),
                ('letters', models.CharField(max_length=5)),
                ('said', models.CharField(max_length=400)),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('running', 'Being made'), ('ready', 'Ready'), ('failed', 'Not made')], default='waiting', max_length=8)),
                ('done', models.PositiveIntegerField(default=0)),
                ('pictures', models.PositiveIntegerField()),
                ('words', models.CharField(blank=True, max_length=600)),
                ('size', models.PositiveBigIntegerField(default=0)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='films', to='studies.study')),
                ('test', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='studies.test')),
            ],
            options={
                'ordering': ['-at', '-pk'],
                'default_manager_name': 'all_films',
                'constraints': [models.CheckConstraint(condition=models.Q(('state__in', ['waiting', 'running', 'ready', 'failed'])), name='film_state_known'), models.CheckConstraint(condition=models.Q(('rate__in', (25, 30, 50, 60))), name='film_rate_known'), models.CheckConstraint(condition=models.Q(('letters__in', ['light', 'dark'])), name='film_letters_known'), models.CheckConstraint(condition=models.Q(('done__lte', models.F('pictures'))), name='film_done_of_all')],
            },
            managers=[
                ('all_films', django.db.models.manager.Manager()),
            ],
        ),
    ]
