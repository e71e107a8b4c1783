"""When a worker was last heard of, by the queue's own table: every ten seconds each says that it is there."""

from __future__ import annotations

from django.db.backends.base.base import BaseDatabaseWrapper

_ASKED = "SELECT extract(epoch FROM now() - max(last_heartbeat))::float8 FROM procrastinate_workers"


def heard_ago_s(connection: BaseDatabaseWrapper) -> float | None:
    """How many seconds ago, as that connection's database knows it; None where there never was a worker."""
    with connection.cursor() as cursor:
        cursor.execute(_ASKED)
        (seconds,) = cursor.fetchone()
    return None if seconds is None else float(seconds)
