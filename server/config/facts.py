"""What a database holds, in numbers that two copies of it share: rows and sums of each table, findings by study.

A later version of the same database shares the findings.
"""

from __future__ import annotations

import hashlib
from typing import Any

import orjson
from django.db import DatabaseError, connection, transaction
from findings.queries import findings_of
from studies.models import Study, StudyState


def facts() -> dict[str, Any]:
    """Rows and content of every table, and a digest of the findings of every finished study.

    A database of an older version has no findings that this one could read: none are told then.
    """
    with connection.cursor() as cursor:
        found = {table: _of_table(cursor, table) for table in sorted(connection.introspection.table_names(cursor))}
    try:
        with transaction.atomic():
            told = _findings()
    except DatabaseError:
        told = {}
    return {"tables": found, "findings": told}


def _findings() -> dict[str, str]:
    finished = (
        Study.objects.filter(state=StudyState.FINISHED, removed_at=None).order_by("pk").values_list("pk", flat=True)
    )
    return {str(pk): _of_findings(pk) for pk in finished}


def _of_table(cursor: Any, table: str) -> list[str]:
    """How many rows, and a sum over digests of them, whatever their order."""
    name = connection.ops.quote_name(table)
    cursor.execute(
        f"SELECT count(*)::text, coalesce(sum(('x' || left(md5(t::text), 15))::bit(60)::bigint), 0)::text FROM {name} t"  # noqa: S608 - names are of our models
    )
    return list(cursor.fetchone())


#: What findings come to, of each test and of the suite. Words and what a later version adds say nothing otherwise.
_METRICS = ("average", "low_1", "low_01")
_NUMBERS = ("a", "b", "b_over_a", "low", "high", "n_a", "n_b", "verdict")


def _of_findings(study_id: int) -> str:
    found = findings_of(study_id)
    told = [
        [part.get("test_id"), metric, *(_rounded(part[metric].get(name)) for name in _NUMBERS)]
        for part in (found, *sorted(found["tests"], key=lambda test: test["test_id"]))
        for metric in _METRICS
        if part.get(metric)
    ]
    return hashlib.sha256(orjson.dumps(told)).hexdigest()


def _rounded(value: Any) -> Any:
    """Nine digits: the last ones are the machine's."""
    return f"{value:.9g}" if isinstance(value, float) else value
