import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('people', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='person',
            name='owes_second_factor',
            field=models.BooleanField(default=False),
        ),
        migrations.CreateModel(
            name='House',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('time_zone', models.CharField(default='UTC', max_length=64)),
                ('currency', models.CharField(blank=True, max_length=3)),
                ('price_per_kwh', models.DecimalField(blank=True, decimal_places=4, max_digits=8, null=True)),
                ('second_factor', models.BooleanField(default=False)),
                ('begun_at', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('pk', 1)), name='one_house'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='house_has_a_name')],
            },
        ),
        migrations.CreateModel(
            name='Invitation',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=64, unique=True)),
                ('role', models.CharField(choices=[('viewer', 'Viewer: reads'), ('tester', 'Tester: records passes'), ('lead', 'Lead: plans and publishes')], max_length=10)),
                ('made_at', models.DateTimeField()),
                ('ends_at', models.DateTimeField()),
                ('made_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='invitations', to=settings.AUTH_USER_MODEL)),
                ('user', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='resets', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-made_at', '-id'],
                'constraints': [models.CheckConstraint(condition=models.Q(('role__in', ['viewer', 'tester', 'lead'])), name='invited_to_a_role')],
            },
        ),
        migrations.CreateModel(
            name='SignIn',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=150)),
                ('address', models.CharField(max_length=64)),
                ('agent', models.CharField(blank=True, max_length=200)),
                ('at', models.DateTimeField()),
                ('outcome', models.CharField(choices=[('in', 'signed in'), ('wrong', 'wrong password'), ('shut', 'shut after wrong passwords'), ('no_code', 'right password, without the code'), ('wrong_code', 'right password, wrong code')], max_length=10)),
                ('session_key', models.CharField(blank=True, max_length=40)),
                ('user', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='sign_ins', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'ordering': ['-at', '-id'],
                'indexes': [models.Index(fields=['-at'], name='sign_ins_by_time')],
                'constraints': [models.CheckConstraint(condition=models.Q(('outcome__in', ['in', 'wrong', 'shut', 'no_code', 'wrong_code'])), name='sign_in_outcome_known')],
            },
        ),
    ]
