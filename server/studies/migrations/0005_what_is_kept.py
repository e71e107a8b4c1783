"""Room for what is kept of a pass: what it was run with, when, for what, and why it is out."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0003_what_is_kept'),
        ('studies', '0004_record_outlives_plans'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RenameField(
            model_name='lane',
            old_name='levels',
            new_name='old_levels',
        ),
        migrations.CreateModel(
            name='Level',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('factor', models.CharField(max_length=120)),
                ('words', models.CharField(max_length=120)),
                ('number', models.FloatField(blank=True, null=True)),
                ('unit', models.CharField(blank=True, max_length=24)),
            ],
            options={
                'ordering': ['lane', 'id'],
            },
        ),
        migrations.RemoveConstraint(
            model_name='pass',
            name='pass_out_has_a_reason',
        ),
        migrations.RemoveConstraint(
            model_name='study',
            name='study_has_passes',
        ),
        migrations.RemoveConstraint(
            model_name='study',
            name='study_kind_known',
        ),
        migrations.RenameField(
            model_name='study',
            old_name='passes_per_test',
            new_name='passes_wanted',
        ),
        migrations.AddField(
            model_name='auditline',
            name='pass_id',
            field=models.BigIntegerField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='pass',
            name='ran_at',
            field=models.DateTimeField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='pass',
            name='reason_code',
            field=models.CharField(blank=True, choices=[('did_not_launch', 'did not launch'), ('crashed', 'crashed'), ('unstable', 'unstable'), ('below_floor', 'below the playable floor'), ('wrong_setting', 'wrong setting'), ('interrupted', 'interrupted'), ('odd', 'odd'), ('not_tested', 'not tested'), ('other', 'for another reason')], max_length=16),
        ),
        migrations.AddField(
            model_name='pass',
            name='role',
            field=models.CharField(choices=[('counted', 'Counted'), ('warm_up', 'Warm-up'), ('control', 'Control'), ('repeat', 'Repeat')], default='counted', max_length=8),
        ),
        migrations.AddField(
            model_name='pass',
            name='run_as',
            field=models.JSONField(blank=True, null=True),
        ),
        migrations.AddField(
            model_name='level',
            name='lane',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='levels', to='studies.lane'),
        ),
    ]
