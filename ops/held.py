"""What databases hold, as `manage.py facts` tells it, held against each other."""

from __future__ import annotations

from typing import Any


def fewer(held: dict[str, Any], found: dict[str, Any]) -> list[str]:
    """What an upgrade took away: rows of tables that are still there, findings of finished studies that changed.

    Findings of studies that were not held, or are finished no more, say nothing.
    """
    rows = [
        f"{table}: {count} rows, now {found['tables'][table][0]} rows"
        for table, (count, _) in sorted(held["tables"].items())
        if table in found["tables"] and int(found["tables"][table][0]) < int(count)
    ]
    both = set(held["findings"]) & set(found["findings"])
    unlike = sorted((one for one in both if held["findings"][one] != found["findings"][one]), key=int)
    return rows + [f"the findings of study {study} are others" for study in unlike]


def differences(held: dict[str, Any], found: dict[str, Any]) -> list[str]:
    """What is otherwise than it was, in words."""
    unlike = []
    for table in sorted(set(held["tables"]) | set(found["tables"])):
        before, after = held["tables"].get(table, ["no", ""]), found["tables"].get(table, ["no", ""])
        if before != after:
            how = f"now {after[0]} rows" if before[0] != after[0] else "of other content"
            unlike.append(f"{table}: {before[0]} rows, {how}")
    studies = sorted(set(held["findings"]) | set(found["findings"]), key=int)
    return unlike + [
        f"the findings of study {study} are others"
        for study in studies
        if held["findings"].get(study) != found["findings"].get(study)
    ]
