"""What is kept is protected and within rules; the record is never changed."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('studies', '0006_carry_over'),
    ]

    operations = [
        migrations.RemoveField(
            model_name='auditline',
            name='on_pass',
        ),
        migrations.RemoveField(
            model_name='lane',
            name='old_levels',
        ),
        migrations.AlterField(
            model_name='auditline',
            name='study',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='audit', to='studies.study'),
        ),
        migrations.AlterField(
            model_name='lane',
            name='study',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lanes', to='studies.study'),
        ),
        migrations.AlterField(
            model_name='pass',
            name='lane',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='studies.lane'),
        ),
        migrations.AlterField(
            model_name='pass',
            name='test',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='passes', to='studies.test'),
        ),
        migrations.AlterField(
            model_name='study',
            name='kind',
            field=models.CharField(choices=[('a_b', 'A against B'), ('ladder', 'Ladder'), ('sweep', 'Sweep'), ('grid', 'Grid'), ('scaling', 'Scaling'), ('budget', 'Budget'), ('several', 'Several cards'), ('latency', 'Latency'), ('fit', 'Fit'), ('proxy_check', 'Proxy check')], default='a_b', max_length=16),
        ),
        migrations.AlterField(
            model_name='test',
            name='study',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='tests', to='studies.study'),
        ),
        migrations.AddIndex(
            model_name='auditline',
            index=models.Index(fields=['study', '-at'], name='record_of_a_study'),
        ),
        migrations.AddIndex(
            model_name='pass',
            index=models.Index(fields=['test', 'state'], name='passes_of_a_test'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('role__in', ['counted', 'warm_up', 'control', 'repeat'])), name='pass_role_known'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(('reason_code', ''), ('reason_code__in', ['did_not_launch', 'crashed', 'unstable', 'below_floor', 'wrong_setting', 'interrupted', 'odd', 'not_tested', 'other']), _connector='OR'), name='pass_reason_known'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('reason_code__gt', ''), ('state__in', ['rejected', 'did_not_run'])), models.Q(models.Q(('state__in', ['rejected', 'did_not_run']), _negated=True), ('reason', ''), ('reason_code', '')), _connector='OR'), name='pass_out_has_a_reason'),
        ),
        migrations.AddConstraint(
            model_name='pass',
            constraint=models.CheckConstraint(condition=models.Q(models.Q(('reason_code', 'other'), _negated=True), models.Q(('reason', ''), _negated=True), _connector='OR'), name='another_reason_is_in_words'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('kind__in', ['a_b', 'ladder', 'sweep', 'grid', 'scaling', 'budget', 'several', 'latency', 'fit', 'proxy_check'])), name='study_kind_known'),
        ),
        migrations.AddConstraint(
            model_name='study',
            constraint=models.CheckConstraint(condition=models.Q(('passes_wanted__gte', 1)), name='study_has_passes'),
        ),
        migrations.AddConstraint(
            model_name='level',
            constraint=models.UniqueConstraint(fields=('lane', 'factor'), name='level_once_a_factor'),
        ),
        migrations.AddConstraint(
            model_name='level',
            constraint=models.CheckConstraint(condition=models.Q(('words', ''), _negated=True), name='level_has_words'),
        ),
        migrations.AddConstraint(
            model_name='level',
            constraint=models.CheckConstraint(condition=models.Q(('unit', ''), ('number__isnull', False), _connector='OR'), name='level_unit_has_a_number'),
        ),
        migrations.RunSQL(
            """
            CREATE FUNCTION studies_record_stays() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN RAISE EXCEPTION 'a line of the record is never changed'; END $$;
            CREATE TRIGGER record_stays BEFORE UPDATE OR DELETE ON studies_auditline
            FOR EACH ROW EXECUTE FUNCTION studies_record_stays();
            """,
            """
            DROP TRIGGER record_stays ON studies_auditline;
            DROP FUNCTION studies_record_stays();
            """,
        ),
    ]
