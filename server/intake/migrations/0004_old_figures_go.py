"""What was measured is carried over, so its old place goes; what is kept is protected."""

import django.contrib.postgres.fields
import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('intake', '0003_carry_over'),
    ]

    operations = [
        migrations.RemoveField(
            model_name='measurement',
            name='capture',
        ),
        migrations.AlterField(
            model_name='arrival',
            name='study',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='arrivals', to='studies.study'),
        ),
        migrations.AlterField(
            model_name='capture',
            name='on_pass',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='capture', to='studies.pass'),
        ),
        migrations.AlterField(
            model_name='channel',
            name='capture',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='channels', to='intake.capture'),
        ),
        migrations.AlterField(
            model_name='original',
            name='arrival',
            field=models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, primary_key=True, related_name='original', serialize=False, to='intake.arrival'),
        ),
        migrations.DeleteModel(
            name='Measurement',
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.UniqueConstraint(fields=('capture', 'version', 'basis'), name='figures_once_a_basis'),
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.CheckConstraint(condition=models.Q(('average_fps__gt', 0), ('frames__gt', 0)), name='figures_of_some_frames'),
        ),
        migrations.AddConstraint(
            model_name='capturefigures',
            constraint=models.CheckConstraint(condition=models.Q(('cap__in', ['none', 'partly', 'capped'])), name='cap_state_known'),
        ),
        migrations.AddConstraint(
            model_name='passfile',
            constraint=models.UniqueConstraint(condition=models.Q(('role', 'frames')), fields=('on_pass',), name='frames_in_one_file'),
        ),
    ]
