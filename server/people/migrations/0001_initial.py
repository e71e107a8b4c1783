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
            name='Failure',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=150)),
                ('address', models.CharField(max_length=64)),
                ('failures', models.PositiveIntegerField(default=1)),
                ('last_at', models.DateTimeField()),
            ],
            options={
                'indexes': [models.Index(fields=['last_at'], name='failures_to_forget')],
                'constraints': [models.UniqueConstraint(fields=('name', 'address'), name='failures_of_a_name_from_an_address')],
            },
        ),
        migrations.CreateModel(
            name='Machine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('simulated', models.BooleanField(default=False)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'ordering': ['name', 'id'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='machine_once'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='machine_has_a_name')],
            },
        ),
        migrations.CreateModel(
            name='BenchToken',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=64, unique=True)),
                ('columns_name', models.CharField(blank=True, max_length=120)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('last_used_at', models.DateTimeField(blank=True, null=True)),
                ('revoked_at', models.DateTimeField(blank=True, null=True)),
                ('user', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='bench_tokens', to=settings.AUTH_USER_MODEL)),
                ('machine', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tokens', to='people.machine')),
            ],
            options={
                'ordering': ['-made_at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='BenchEdit',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('what', models.CharField(max_length=12)),
                ('what_id', models.BigIntegerField()),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('who', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bench_edits', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'indexes': [models.Index(fields=['what', 'what_id', '-at'], name='last_edit_of')],
            },
        ),
        migrations.CreateModel(
            name='Person',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('role', models.CharField(choices=[('viewer', 'Viewer: reads'), ('tester', 'Tester: records passes'), ('lead', 'Lead: plans and publishes')], default='viewer', max_length=10)),
                ('user', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='person', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('role__in', ['viewer', 'tester', 'lead'])), name='person_role_known')],
            },
        ),
    ]
