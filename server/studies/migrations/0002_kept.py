from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studies', '0001_initial'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='study',
            name='kept',
            field=models.BooleanField(default=False),
        ),
        migrations.AddField(
            model_name='study',
            name='kept_to',
            field=models.ManyToManyField(blank=True, related_name='kept_studies', to=settings.AUTH_USER_MODEL),
        ),
    ]
