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
            name='EyeNote',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('words', models.TextField(blank=True)),
                ('at', models.DateTimeField(auto_now=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('from_lane', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='studies.lane')),
                ('study', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='eye_notes', to='studies.study')),
                ('to_lane', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='studies.lane')),
            ],
            options={
                'ordering': ['from_lane__position', 'to_lane__position'],
            },
        ),
        migrations.CreateModel(
            name='EyePicture',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('side', models.CharField(choices=[('from', 'From'), ('to', 'To')], max_length=4)),
                ('name', models.CharField(max_length=200)),
                ('media_type', models.CharField(max_length=40)),
                ('width', models.PositiveIntegerField()),
                ('height', models.PositiveIntegerField()),
                ('sha256', models.CharField(max_length=64)),
                ('content', models.BinaryField()),
                ('note', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pictures', to='findings.eyenote')),
            ],
            options={
                'ordering': ['side'],
            },
        ),
        migrations.AddConstraint(
            model_name='eyenote',
            constraint=models.UniqueConstraint(fields=('from_lane', 'to_lane'), name='eye_note_once'),
        ),
        migrations.AddConstraint(
            model_name='eyenote',
            constraint=models.CheckConstraint(condition=models.Q(('from_lane', models.F('to_lane')), _negated=True), name='eye_note_of_two_lanes'),
        ),
        migrations.AddConstraint(
            model_name='eyepicture',
            constraint=models.UniqueConstraint(fields=('note', 'side'), name='eye_picture_of_a_side'),
        ),
        migrations.AddConstraint(
            model_name='eyepicture',
            constraint=models.CheckConstraint(condition=models.Q(('side__in', ['from', 'to'])), name='eye_picture_side_known'),
        ),
    ]
