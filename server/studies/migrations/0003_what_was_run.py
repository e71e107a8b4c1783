"""Studies from before tests had their own number of passes, and passes knew what they were run with."""

from django.db import migrations
from django.db.models import OuterRef, Subquery


def fill(apps, _schema_editor):
    """Each test takes its study's number; each recorded pass its lane's setup and the time of its audit line."""
    Study = apps.get_model("studies", "Study")
    Test = apps.get_model("studies", "Test")
    Lane = apps.get_model("studies", "Lane")
    Pass = apps.get_model("studies", "Pass")
    AuditLine = apps.get_model("studies", "AuditLine")
    number = Study.objects.filter(pk=OuterRef("study")).values("passes_per_test")[:1]
    Test.objects.update(passes_wanted=Subquery(number))
    version = Lane.objects.filter(pk=OuterRef("lane")).values("setup_version")[:1]
    recorded = AuditLine.objects.filter(on_pass=OuterRef("pk"), what="recorded a pass").order_by("at").values("at")[:1]
    Pass.objects.filter(state__in=["recorded", "accepted", "rejected"]).update(
        setup_version=Subquery(version), recorded_at=Subquery(recorded)
    )


class Migration(migrations.Migration):
    dependencies = [("studies", "0002_kinds_and_plans")]
    operations = [migrations.RunPython(fill, migrations.RunPython.noop)]
