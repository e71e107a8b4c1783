"""What was known of studies before: levels with numbers, what passes were run with, reasons with a code."""

from django.db import migrations
from rennbahn.planning.levels import level_of

CONDITION = ("name", "resolution", "preset", "upscaling", "ray_tracing", "api", "frame_limit_fps", "intent")


def carry_over(apps, schema_editor):
    Lane, Level = apps.get_model("studies", "Lane"), apps.get_model("studies", "Level")
    for lane in Lane.objects.exclude(old_levels={}):
        for factor, words in lane.old_levels.items():
            level = level_of(words)
            Level.objects.create(lane=lane, factor=factor, words=level.words, number=level.number, unit=level.unit[:24])
    Pass, AuditLine = apps.get_model("studies", "Pass"), apps.get_model("studies", "AuditLine")
    whole = Pass.objects.select_related("lane__condition", "test__scene__game", "test__condition")
    words, changed = {}, []
    for one in whole.iterator(2000):
        test = one.test
        words[one.pk] = (
            f"{test.scene.game.name}, {test.scene.name}, {test.condition.name}, {one.lane.name}, pass {one.number}"
        )
        if one.state in ("rejected", "did_not_run"):
            # Nobody wrote down a code, and none is guessed from the words.
            one.reason_code = "other"
        if one.recorded_at is not None:
            one.run_as = run_as(one.lane.condition or test.condition, test.scene.game)
        changed.append(one)
    Pass.objects.bulk_update(changed, ["reason_code", "run_as"], batch_size=1000)
    lines = list(AuditLine.objects.filter(on_pass__isnull=False))
    for line in lines:
        line.pass_id = line.on_pass_id
        line.on_what = words[line.on_pass_id][:400]
    AuditLine.objects.bulk_update(lines, ["pass_id", "on_what"], batch_size=1000)


def run_as(condition, game):
    caps = []
    if game.engine_cap_fps:
        caps.append({"name": "engine cap", "fps": game.engine_cap_fps, "refresh": False})
    if condition.frame_limit_fps:
        caps.append({"name": "frame limit", "fps": condition.frame_limit_fps, "refresh": False})
    return {
        "condition": {name: getattr(condition, name) for name in CONDITION},
        "limited_to_fps": condition.frame_limit_fps,
        "known_caps": caps,
    }


class Migration(migrations.Migration):

    dependencies = [
        ("studies", "0005_what_is_kept"),
        ("scenes", "0002_engine_facts"),
    ]

    operations = [migrations.RunPython(carry_over, migrations.RunPython.noop)]
