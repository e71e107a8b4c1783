from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('findings', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='eyepicture',
            name='stored',
            field=models.CharField(blank=True, db_index=True, max_length=60),
        ),
        migrations.AlterField(
            model_name='eyepicture',
            name='content',
            field=models.BinaryField(blank=True, default=bytes),
        ),
    ]
