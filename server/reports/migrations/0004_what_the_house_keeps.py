from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('reports', '0003_what_the_eye_gets'),
        ('studies', '0002_kept'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveConstraint(
            model_name='block',
            name='block_is_prose_or_of_a_study',
        ),
        migrations.RemoveConstraint(
            model_name='block',
            name='block_kind_known',
        ),
        migrations.AlterField(
            model_name='block',
            name='kind',
            field=models.CharField(choices=[('prose', 'Prose'), ('answer', 'Sentence'), ('picture', 'Picture'), ('table', 'Table'), ('readers', 'For whom'), ('method', 'How it was measured'), ('trace', 'Frame times'), ('eye', 'What the eye gets'), ('log', 'Tuning log'), ('fit', 'What fits'), ('sum', 'Sum'), ('scene', 'Scene'), ('setup', 'Setup')], max_length=8),
        ),
        migrations.AlterField(
            model_name='kept',
            name='kind',
            field=models.CharField(choices=[('prose', 'Prose'), ('answer', 'Sentence'), ('picture', 'Picture'), ('table', 'Table'), ('readers', 'For whom'), ('method', 'How it was measured'), ('trace', 'Frame times'), ('eye', 'What the eye gets'), ('log', 'Tuning log'), ('fit', 'What fits'), ('sum', 'Sum'), ('scene', 'Scene'), ('setup', 'Setup')], max_length=8),
        ),
        migrations.AddConstraint(
            model_name='block',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ['prose', 'answer', 'picture', 'table', 'readers', 'method', 'trace', 'eye', 'log', 'fit', 'sum', 'scene', 'setup'])), name='block_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='block',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('kind__in', ['prose', 'log', 'fit', 'sum', 'scene', 'setup']), ('study', None)), models.Q(models.Q(('kind__in', ['prose', 'log', 'fit', 'sum', 'scene', 'setup']), _negated=True), ('study__isnull', False)), _connector='OR'), name='block_of_a_study_names_it'),
        ),
    ]
