from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('intake', '0002_pack_begun'),
    ]

    operations = [
        migrations.RemoveField(
            model_name='pack',
            name='begun',
        ),
        migrations.AddField(
            model_name='original',
            name='stored',
            field=models.CharField(blank=True, db_index=True, max_length=60),
        ),
        migrations.AddField(
            model_name='packpiece',
            name='stored',
            field=models.CharField(blank=True, db_index=True, max_length=60),
        ),
        migrations.AlterField(
            model_name='original',
            name='content',
            field=models.BinaryField(blank=True, default=bytes),
        ),
        migrations.AlterField(
            model_name='packpiece',
            name='content',
            field=models.BinaryField(blank=True, default=bytes),
        ),
        migrations.CreateModel(
            name='LetGo',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('stored', models.CharField(max_length=60, unique=True)),
                ('at', models.DateTimeField(db_index=True)),
            ],
        ),
    ]
