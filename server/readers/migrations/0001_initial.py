import django.db.models.functions.text
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Reader',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('resolution', models.CharField(blank=True, max_length=40)),
                ('display_hz', models.FloatField()),
                ('variable', models.BooleanField(default=False)),
                ('floor_fps', models.FloatField()),
                ('floor_on', models.CharField(choices=[('average_fps', 'average fps'), ('low_1', '1% low')], default='average_fps', max_length=12)),
                ('notices', models.FloatField(default=0.05)),
                ('hours_a_day', models.FloatField(default=2.0)),
                ('years', models.FloatField(default=4.0)),
                ('price_per_kwh', models.DecimalField(blank=True, decimal_places=4, max_digits=8, null=True)),
                ('budget', models.DecimalField(blank=True, decimal_places=2, max_digits=10, null=True)),
                ('currency', models.CharField(blank=True, max_length=3)),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), name='reader_once'), models.CheckConstraint(condition=models.Q(('name', ''), _negated=True), name='reader_named'), models.CheckConstraint(condition=models.Q(('floor_on__in', ['average_fps', 'low_1'])), name='reader_floor_known'), models.CheckConstraint(condition=models.Q(('display_hz__gt', 0), ('floor_fps__gt', 0)), name='reader_rates_above_0'), models.CheckConstraint(condition=models.Q(('notices__gt', 0), ('notices__lt', 1)), name='reader_notices_a_share'), models.CheckConstraint(condition=models.Q(('hours_a_day__gt', 0), ('hours_a_day__lte', 24), ('years__gt', 0)), name='reader_plays_some_hours'), models.CheckConstraint(condition=models.Q(models.Q(('budget', None), ('price_per_kwh', None)), models.Q(('currency', ''), _negated=True), _connector='OR'), name='reader_money_has_a_currency')],
            },
        ),
    ]
