from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('intake', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='pack',
            name='begun',
            field=models.PositiveSmallIntegerField(default=0),
        ),
    ]
