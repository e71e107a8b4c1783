"""Figures from before become rows of columns; the file of each capture becomes the frames of its pass."""

import hashlib
import json

from django.db import migrations

SCHOOLS = ("percentile", "slowest_frames", "slowest_time")


def carry_over(apps, schema_editor):
    get = apps.get_model
    Capture, Measurement = get("intake", "Capture"), get("intake", "Measurement")
    CaptureFigures, AllFigures = get("intake", "CaptureFigures"), get("intake", "AllFigures")
    PassFile = get("intake", "PassFile")
    PassFile.objects.bulk_create(
        [
            PassFile(on_pass_id=on_pass, arrival_id=arrival, role="frames")
            for on_pass, arrival in Capture.objects.values_list("on_pass_id", "arrival_id")
        ],
        batch_size=1000,
    )
    for old in Measurement.objects.select_related("capture").iterator(200):
        if not old.figures.get("frames"):
            continue
        made_by = {"window": old.basis["window"], "settings": old.basis["settings"], "samples": []}
        basis = hashlib.sha256(json.dumps(made_by, sort_keys=True).encode()).hexdigest()
        row = CaptureFigures.objects.create(
            capture=old.capture, version=old.basis["measures_version"], basis=basis, **columns(old.figures)
        )
        AllFigures.objects.create(row=row, made_by=made_by, figures=old.figures, curve=old.curve)
        Capture.objects.filter(pk=old.capture_id).update(basis=basis, current=row)


def columns(figures):
    lows, cap = figures["lows"], figures["limits"]["cap"]
    by_column = {f"low_{low.replace('.', '')}_{s}": lows[low][s] for low in ("1", "0.1") for s in SCHOOLS}
    return {
        "frames": figures["frames"],
        "duration_s": figures["duration_s"],
        "average_fps": figures["rates"]["average_fps"],
        "median_fps": figures["rates"]["median_fps"],
        **{column: low["fps"] for column, low in by_column.items()},
        "support": [low["support"] for low in by_column.values()],
        "stutters": figures["smoothness"]["stutters"]["count"],
        "bound_by": figures["limits"]["bound_by"]["label"] or "",
        "cap": cap["state"],
        "cap_name": cap["name"] or "",
        "lock_fps": cap["lock_fps"],
        "flags": figures["flags"],
    }


class Migration(migrations.Migration):

    dependencies = [("intake", "0002_what_is_kept")]

    operations = [migrations.RunPython(carry_over, migrations.RunPython.noop)]
