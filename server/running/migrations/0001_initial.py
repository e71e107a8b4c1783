import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('intake', '0001_initial'),
        ('studies', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.CreateModel(
            name='BenchRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('pass_id', models.BigIntegerField(blank=True, null=True)),
                ('step', models.CharField(blank=True, max_length=80)),
                ('warm_up', models.BooleanField(default=False)),
                ('after_load', models.BooleanField(default=False)),
                ('read_backs', models.JSONField(blank=True, default=list)),
                ('began_at', models.DateTimeField()),
                ('ended_at', models.DateTimeField(blank=True, null=True)),
                ('broken_off', models.BooleanField(default=False)),
                ('played', models.BooleanField(default=False)),
                ('says', models.CharField(blank=True, max_length=120)),
                ('arrival', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='run', to='intake.arrival')),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='runs', to='studies.benchsession')),
            ],
            options={
                'ordering': ['id'],
                'indexes': [models.Index(fields=['session', 'began_at'], name='runs_of_a_session'), models.Index(fields=['pass_id'], name='runs_of_a_pass')],
            },
        ),
        migrations.CreateModel(
            name='ChangeTook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('cost', models.CharField(max_length=16)),
                ('seconds', models.FloatField()),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='changes', to='studies.benchsession')),
            ],
            options={
                'indexes': [models.Index(fields=['cost', '-id'], name='what_a_change_took')],
                'constraints': [models.CheckConstraint(condition=models.Q(('cost__in', ['driver_s', 'load_s', 'menu_s', 'quick_swap_s', 'reboot_s', 'resolution_s', 'restart_s', 'setting_s', 'start_s', 'swap_s'])), name='cost_known'), models.CheckConstraint(condition=models.Q(('seconds__gte', 0)), name='change_took_no_less_than_0')],
            },
        ),
        migrations.CreateModel(
            name='RunAct',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('client_id', models.UUIDField(unique=True)),
                ('kind', models.CharField(choices=[('done', 'did the step'), ('read_back', 'read the setting back'), ('anyway', 'ran on although it read back otherwise'), ('began', 'began the run'), ('ended', 'the run ended'), ('aborted', 'broke the run off'), ('accepted', 'accepted the pass'), ('left', 'left the pass for the desk'), ('rejected', 'rejected the pass'), ('repeated', 'has the pass repeated'), ('skipped', 'skipped the pass'), ('later', 'put the pass off'), ('noted', 'noted'), ('paused', 'paused'), ('resumed', 'went on'), ('ordered', 'ordered the rest anew'), ('room', 'noted the room'), ('drove', 'took over'), ('block', 'took the next block'), ('came', 'a capture came')], max_length=12)),
                ('step', models.CharField(blank=True, max_length=80)),
                ('pass_id', models.BigIntegerField(blank=True, null=True)),
                ('data', models.JSONField(blank=True, default=dict)),
                ('at', models.DateTimeField()),
                ('came_at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('session', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='acts', to='studies.benchsession')),
            ],
            options={
                'ordering': ['id'],
                'indexes': [models.Index(fields=['session', 'kind', 'id'], name='acts_of_a_session'), models.Index(fields=['pass_id', 'kind'], name='acts_on_a_pass')],
                'constraints': [models.CheckConstraint(condition=models.Q(('kind__in', ['done', 'read_back', 'anyway', 'began', 'ended', 'aborted', 'accepted', 'left', 'rejected', 'repeated', 'skipped', 'later', 'noted', 'paused', 'resumed', 'ordered', 'room', 'drove', 'block', 'came'])), name='act_kind_known')],
            },
        ),
    ]
