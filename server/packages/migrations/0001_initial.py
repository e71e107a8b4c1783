import django.db.models.deletion
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
            name='Brought',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=255)),
                ('size', models.PositiveBigIntegerField(default=0)),
                ('state', models.CharField(choices=[('arriving', 'Being sent'), ('running', 'Being read back'), ('done', 'Read back'), ('refused', 'Refused')], default='arriving', max_length=10)),
                ('words', models.TextField(blank=True)),
                ('captures', models.PositiveIntegerField(default=0)),
                ('made_at', models.DateTimeField(auto_now_add=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('study', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='brought', to='studies.study')),
            ],
            options={
                'ordering': ['-made_at', '-id'],
            },
        ),
        migrations.CreateModel(
            name='BroughtPiece',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField(blank=True, default=bytes)),
                ('stored', models.CharField(blank=True, db_index=True, max_length=60)),
                ('position', models.PositiveIntegerField()),
                ('of', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='pieces', to='packages.brought')),
            ],
            options={
                'ordering': ['of', 'position'],
            },
        ),
        migrations.AddConstraint(
            model_name='brought',
            constraint=models.CheckConstraint(condition=models.Q(('state__in', ['arriving', 'running', 'done', 'refused'])), name='brought_state_known'),
        ),
        migrations.AddConstraint(
            model_name='broughtpiece',
            constraint=models.UniqueConstraint(fields=('of', 'position'), name='brought_piece_once'),
        ),
    ]
