import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('studies', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='CheckOff',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('check_id', models.CharField(max_length=32)),
                ('reason', models.CharField(max_length=300)),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='checks_off', to='studies.study')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('study', 'check_id'), name='check_off_once'), models.CheckConstraint(condition=models.Q(('reason', ''), _negated=True), name='check_off_with_a_reason')],
            },
        ),
        migrations.CreateModel(
            name='RepeatFound',
            fields=[
                ('one', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='found_as_repeat', serialize=False, to='studies.pass')),
                ('agrees', models.BooleanField()),
                ('other_session', models.BooleanField(default=False)),
                ('words', models.TextField()),
                ('evidence', models.JSONField(default=dict)),
                ('of', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='found_repeats', to='studies.pass')),
                ('suspect', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='studies.pass')),
            ],
        ),
        migrations.CreateModel(
            name='Settled',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=120)),
                ('basis', models.CharField(blank=True, max_length=64)),
                ('how', models.CharField(choices=[('accepted', 'Accepted anyway'), ('rejected', 'Rejected'), ('trimmed', 'Trimmed to what counts'), ('repeat', 'To be repeated'), ('assumed', 'Another thing was assumed'), ('odd', 'Odd, but real: it repeated')], max_length=8)),
                ('reason', models.CharField(blank=True, max_length=300)),
                ('words', models.TextField()),
                ('at', models.DateTimeField(auto_now_add=True)),
                ('taken_back_at', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('decision', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='settled', to='studies.decision')),
                ('on_pass', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='settled', to='studies.pass')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='settled', to='studies.study')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.CheckConstraint(condition=models.Q(('how__in', ['accepted', 'rejected', 'trimmed', 'repeat', 'assumed', 'odd'])), name='settled_somehow'), models.CheckConstraint(condition=models.Q(models.Q(('how__in', ['accepted', 'assumed']), _negated=True), models.Q(('reason', ''), _negated=True), _connector='OR'), name='settled_with_a_reason'), models.UniqueConstraint(condition=models.Q(('on_pass__isnull', False), ('taken_back_at', None)), fields=('on_pass', 'key', 'basis'), name='pass_doubt_settled_once'), models.UniqueConstraint(condition=models.Q(('on_pass__isnull', True), ('taken_back_at', None)), fields=('study', 'key'), name='wide_doubt_settled_once')],
            },
        ),
        migrations.CreateModel(
            name='WideDoubt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=120)),
                ('check_id', models.CharField(max_length=32)),
                ('weak', models.BooleanField(default=False)),
                ('marks', models.BooleanField(default=True)),
                ('words', models.TextField()),
                ('evidence', models.JSONField(default=dict)),
                ('passes', django.contrib.postgres.fields.ArrayField(base_field=models.BigIntegerField(), default=list, size=None)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('of_test', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='wide_doubts', to='studies.test')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='wide_doubts', to='studies.study')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('study', 'key'), name='wide_doubt_once')],
            },
        ),
    ]
