"""Several windows a capture, a digest of its frames, and column maps that outlive a longer preamble."""

import hashlib

from django.db import migrations, models


def carry_over(apps, schema_editor):
    Capture = apps.get_model("intake", "Capture")
    for capture in Capture.objects.filter(window_from_s__isnull=False).iterator():
        Capture.objects.filter(pk=capture.pk).update(windows=[[capture.window_from_s, capture.window_to_s]])


def look_of(proposal):
    """As `intake.crunching.propose` told files of one logger from another's when this was written."""
    columns = proposal.get("columns") or {}
    dialect = {name: value for name, value in columns.items() if name not in ("map", "skip_lines")}
    return hashlib.sha256(repr((tuple(proposal.get("names", [])), sorted(dialect.items()))).encode()).hexdigest()


def rename_looks(apps, schema_editor):
    """Files and saved maps are known by their header alone from now on."""
    Arrival, SavedMap = apps.get_model("intake", "Arrival"), apps.get_model("intake", "SavedMap")
    new = {}
    for arrival in Arrival.objects.exclude(header_key="").only("header_key", "proposal").iterator():
        look = look_of(arrival.proposal)
        new[arrival.header_key] = look
        Arrival.objects.filter(pk=arrival.pk).update(header_key=look)
    taken = set()
    # Of two maps for one header the newer is offered; the older keeps its name and key.
    for saved in SavedMap.objects.order_by("-at"):
        look = new.get(saved.header_key)
        if look is not None and look not in taken:
            taken.add(look)
            SavedMap.objects.filter(pk=saved.pk).update(header_key=look)


def digest(apps, schema_editor):
    from rennbahn.capture.pack import unpack

    Capture, Channel = apps.get_model("intake", "Capture"), apps.get_model("intake", "Channel")
    for channel in Channel.objects.filter(name="frame_ms").iterator(chunk_size=50):
        frames = unpack(bytes(channel.data))
        found = hashlib.sha256(frames.tobytes()).hexdigest()
        length = float(frames.cumsum()[-1] / 1000.0)
        Capture.objects.filter(pk=channel.capture_id).update(frames_digest=found, length_s=length)


class Migration(migrations.Migration):
    dependencies = [("intake", "0004_old_figures_go")]

    operations = [
        migrations.RemoveConstraint(model_name="capture", name="window_runs_forward"),
        migrations.AddField("capture", "frames_digest", models.CharField(blank=True, db_index=True, max_length=64)),
        migrations.AddField("capture", "length_s", models.FloatField(default=0.0)),
        migrations.AddField("capture", "windows", models.JSONField(blank=True, default=list)),
        migrations.RunPython(carry_over, migrations.RunPython.noop, elidable=False),
        migrations.RunPython(rename_looks, migrations.RunPython.noop, elidable=False),
        migrations.RunPython(digest, migrations.RunPython.noop, elidable=False),
        migrations.RemoveField(model_name="capture", name="window_from_s"),
        migrations.RemoveField(model_name="capture", name="window_to_s"),
    ]
