"""What somebody sees who keeps a Rennbahn: how many requests, how quick, what waits; and one line a request in the log.

Counts of all web servers of one machine come together in the directory that `PROMETHEUS_MULTIPROC_DIR` names, as
prometheus_client has it. What lies in the database is asked for when somebody looks.
"""

from __future__ import annotations

import hmac
import logging
import re
import time
import uuid
from collections.abc import Callable, Iterator

from django.conf import settings
from django.db import connection
from django.db.models import Count, Min
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from intake.models import Arrival, ArrivalState, Pack, PackState
from people.beside import backed_up_at
from procrastinate.contrib.django.models import ProcrastinateJob
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.registry import Collector

from config.heartbeat import heard_ago_s

log = logging.getLogger("rennbahn.requests")

_REQUESTS = Counter("rennbahn_requests", "Requests that were answered", ["method", "route", "status"])
_SECONDS = Histogram(
    "rennbahn_request_seconds", "How long an answer took", ["method", "route"],
    buckets=(0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0),
)  # fmt: skip
_NO_ROUTE = "none"
_METHODS = {"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}
#: What a proxy may call a request; anything else is none of its names.
_ID = re.compile(r"[\w.-]{8,64}")


class Watched:
    """Counts every request, and logs it where that is asked for. Neither addresses with secrets nor bodies are told."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer."""
        began = time.perf_counter()
        response = self.get_response(request)
        took = time.perf_counter() - began
        # Names of what there is, never of what was asked for: whoever asks would make as many as they like.
        route = request.resolver_match.route if request.resolver_match else _NO_ROUTE
        method = request.method if request.method in _METHODS else "other"
        _REQUESTS.labels(method, route, str(response.status_code)).inc()
        _SECONDS.labels(method, route).observe(took)
        if settings.LOG_REQUESTS:
            given = request.headers.get("X-Request-Id", "")
            name = given if _ID.fullmatch(given) else uuid.uuid4().hex
            response.headers["X-Request-Id"] = name
            log.info(
                "%s %s", method, request.path,
                extra={
                    "method": method, "path": request.path, "route": route, "status": response.status_code,
                    "ms": round(1000 * took, 1), "request_id": name, "address": request.META.get("REMOTE_ADDR", ""),
                    # Whom nobody asked for is not asked for now.
                    "user": getattr(getattr(request, "_cached_user", None), "pk", None),
                },
            )  # fmt: skip
        return response


class _InDatabase(Collector):
    """What lies in the database and on disk now."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        """A fixed number of queries, whatever there is."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_database_size(current_database())")
            (size,) = cursor.fetchone()
        queues = _waiting_jobs()
        packs = Pack.objects.filter(state=PackState.RUNNING).count()
        files = Arrival.objects.filter(state=ArrivalState.WAITING).count()
        waiting = GaugeMetricFamily("rennbahn_jobs_waiting", "Jobs that wait for a worker", labels=["queue"])
        oldest = GaugeMetricFamily("rennbahn_oldest_job_seconds", "How long the oldest of them waits", labels=["queue"])
        for queue, count, age in queues:
            waiting.add_metric([queue], count)
            oldest.add_metric([queue], max(0.0, float(age or 0.0)))
        yield waiting
        yield oldest
        for name, says, value in (
            ("worker_heard_seconds", "Since a worker was last heard of", heard_ago_s(connection)),
            ("packs_running", "Packs that are being taken in", packs),
            ("files_waiting", "Files that wait for a place", files),
            ("database_bytes", "Size of the database", size),
            ("backup_age_seconds", "Since the last backup", _backup_age_s()),
        ):
            if value is not None:
                yield GaugeMetricFamily(f"rennbahn_{name}", says, float(value))


def _waiting_jobs() -> list[tuple[str, int, float | None]]:
    """By queue, how many jobs wait, and for how long the oldest."""
    todo = ProcrastinateJob.objects.filter(status="todo")
    rows = todo.values("queue_name").annotate(jobs=Count("pk", distinct=True), since=Min("procrastinateevent__at"))
    now = timezone.now()
    return [
        (row["queue_name"], row["jobs"], None if row["since"] is None else (now - row["since"]).total_seconds())
        for row in rows
    ]


def _backup_age_s() -> float | None:
    last = backed_up_at()
    return None if last is None else (timezone.now() - last).total_seconds()


def metrics(request: HttpRequest) -> HttpResponse:
    """All of it in Prometheus's format, for who shows the token; without a token there is no such address."""
    wanted = settings.METRICS_TOKEN
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if not wanted:
        return HttpResponse(status=404)
    if not hmac.compare_digest(given.encode(), wanted.encode()):
        return HttpResponse(status=401, headers={"WWW-Authenticate": "Bearer"})
    told = generate_latest(_of_all_processes()) + generate_latest(_database())
    return HttpResponse(told, content_type=CONTENT_TYPE_LATEST, headers={"Cache-Control": "no-store"})


def _of_all_processes() -> CollectorRegistry:
    registry = CollectorRegistry()
    try:
        MultiProcessCollector(registry)  # type: ignore[no-untyped-call]
    except ValueError:
        # No directory is named: this process is all there is.
        return REGISTRY
    return registry


def _database() -> CollectorRegistry:
    registry = CollectorRegistry(auto_describe=False)
    registry.register(_InDatabase())
    return registry
