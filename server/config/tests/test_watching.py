"""What is told to who keeps a Rennbahn: counts for Prometheus, one line a request, and nothing to anybody else."""

from __future__ import annotations

import json
import logging
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth.models import User
from intake.tests.test_packs import names, zipped
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector
from prometheus_client.parser import text_string_to_metric_families
from testkit import Bench, Caller

TOKEN = "a-long-token-of-the-monitoring"


def told(nobody: Caller) -> dict[str, dict[tuple[str, ...], float]]:
    """Values by name and labels."""
    found: dict[str, dict[tuple[str, ...], float]] = {}
    response = nobody.client.get("/api/metrics", headers={"Authorization": f"Bearer {TOKEN}"})
    assert response.status_code == 200
    for family in text_string_to_metric_families(response.content.decode()):
        for sample in family.samples:
            found.setdefault(sample.name, {})[tuple(sample.labels.values())] = sample.value
    return found


def test_metrics_are_for_who_shows_the_token(nobody: Caller, lead: Caller, settings: Any) -> None:
    assert lead.client.get("/api/metrics").status_code == 404, "no token is set"
    settings.METRICS_TOKEN = TOKEN
    for shown in ("", "Bearer wrong", f"Bearer {TOKEN} ", "Bearer ü"):
        assert lead.client.get("/api/metrics", headers={"Authorization": shown}).status_code == 401
    assert told(nobody)["rennbahn_database_bytes"][()] > 1e6


def test_metrics_count_by_route_and_tell_what_waits(bench: Bench, nobody: Caller, settings: Any) -> None:
    settings.METRICS_TOKEN = TOKEN
    route = "api/studies/<int:study_id>"
    before = told(nobody)["rennbahn_requests_total"].get(("GET", route, "200"), 0)
    for _ in range(3):
        bench.tester.get(f"/studies/{bench.id}")
    nobody.client.get("/api/made/up/by/a/stranger")
    bench.tester.hand_in(bench.id, "waiting.csv", bench.log(7))
    with app.replace_connector(DjangoConnector()):
        bench.tester.hand_in_pack(bench.id, zipped(names(bench)))
    found = told(nobody)
    assert found["rennbahn_requests_total"][("GET", route, "200")] == before + 3
    assert found["rennbahn_request_seconds_count"][("GET", route)] >= 3
    assert not any("stranger" in label for labels in found["rennbahn_requests_total"] for label in labels)
    assert (found["rennbahn_packs_running"][()], found["rennbahn_files_waiting"][()]) == (1.0, 1.0)
    assert found["rennbahn_jobs_waiting"][("measuring",)] >= 1.0
    assert 0.0 <= found["rennbahn_oldest_job_seconds"][("measuring",)] < 600.0


def test_each_request_is_one_line_without_what_was_asked(
    lead: Caller, settings: Any, caplog: pytest.LogCaptureFixture
) -> None:
    settings.LOG_REQUESTS = True
    with caplog.at_level(logging.INFO, "rennbahn.requests"):
        answer = lead.client.get("/api/studies?secret=1", headers={"X-Request-Id": "of-the-proxy-17"})
        strange = lead.client.get("/api/studies", headers={"X-Request-Id": "two\nlines"})
    first, second = (record.__dict__ for record in caplog.records if record.name == "rennbahn.requests")
    assert (first["path"], first["status"], first["request_id"]) == ("/api/studies", 422, "of-the-proxy-17")
    assert answer.headers["X-Request-Id"] == "of-the-proxy-17"
    # Who is not asked for is not told: the first was refused before.
    assert (first["user"], second["user"], second["status"]) == (None, User.objects.get(username=lead.name).pk, 200)
    assert "secret" not in json.dumps(first, default=str).replace('"path"', "")
    assert strange.headers["X-Request-Id"] == second["request_id"] != "two\nlines"


def test_the_log_is_json_where_that_is_asked_for() -> None:
    said = "logging.getLogger('x').warning('hello %s', 'there', extra={'ms': 3})"
    asked = [sys.executable, "-c", f"import django, logging; django.setup(); {said}"]
    environment = {**os.environ, "RENNBAHN_LOG": "json", "DJANGO_SETTINGS_MODULE": "config.settings"}
    place = Path(__file__).resolve().parents[2]
    done = subprocess.run(asked, env=environment, cwd=place, capture_output=True, text=True, check=True)
    line = json.loads(done.stderr.splitlines()[-1])
    assert (line["levelname"], line["message"], line["ms"]) == ("WARNING", "hello there", 3)
