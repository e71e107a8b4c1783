"""The same part may stand twice in a rig or setup: the tables stay, what kept each part to one row goes."""

import django.db.models.deletion
from django.db import migrations, models

TABLES = ("bench_rig_parts", "bench_setupversion_parts")


def allow_twice(apps, schema_editor):
    with schema_editor.connection.cursor() as cursor:
        for table in TABLES:
            found = schema_editor.connection.introspection.get_constraints(cursor, table)
            for name, facts in found.items():
                if facts["unique"] and not facts["primary_key"]:
                    cursor.execute(f'ALTER TABLE "{table}" DROP CONSTRAINT "{name}"')


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0002_facts_and_rigs'),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[
        migrations.CreateModel(
            name='RigPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='bench.part')),
                ('rig', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='bench.rig')),
            ],
            options={
                'db_table': 'bench_rig_parts',
                'ordering': ['id'],
            },
        ),
        migrations.AlterField(
            model_name='rig',
            name='parts',
            field=models.ManyToManyField(related_name='rigs', through='bench.RigPart', to='bench.part'),
        ),
        migrations.CreateModel(
            name='SetupPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('part', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='bench.part')),
                ('version', models.ForeignKey(db_column='setupversion_id', on_delete=django.db.models.deletion.CASCADE, to='bench.setupversion')),
            ],
            options={
                'db_table': 'bench_setupversion_parts',
                'ordering': ['id'],
            },
        ),
        migrations.AlterField(
            model_name='setupversion',
            name='parts',
            field=models.ManyToManyField(related_name='setup_versions', through='bench.SetupPart', to='bench.part'),
        ),
            ]),
        migrations.RunPython(allow_twice, migrations.RunPython.noop),
    ]
