"""Settings are read in one place, typed, and told from the same place."""

from __future__ import annotations

import io
import os
import re
import secrets
import subprocess
import sys
from pathlib import Path

import pytest
from config import options
from config.options import OPTIONS
from django.core.exceptions import ImproperlyConfigured
from django.core.management import call_command

REPOSITORY = Path(__file__).resolve().parents[3]


def test_values_have_their_type_and_wrong_ones_name_the_variable() -> None:
    assert options.HOSTS.of({"RENNBAHN_HOSTS": "a.example, b.example"}) == ("a.example", "b.example")
    assert options.HOSTS.of({}) == ("localhost", "127.0.0.1", "[::1]")
    assert options.DB_PORT.of({"RENNBAHN_DB_PORT": "6000"}) == 6000
    assert options.HTTPS.of({"RENNBAHN_HTTPS": "1"}) is True
    for option, wrong in ((options.DB_PORT, "70000"), (options.DB_PORT, "x"), (options.HTTPS, "yes")):
        with pytest.raises(ImproperlyConfigured, match=f"{option.variable} is '{wrong}'"):
            option.of({option.variable: wrong})


def test_the_command_lists_all_and_shows_no_secret() -> None:
    out = io.StringIO()
    call_command("options", stdout=out)
    lines = out.getvalue().splitlines()
    assert [line.split()[0] for line in lines] == [one.variable for one in OPTIONS]
    assert all("guards nothing" not in line for line in lines), "the secret key is not shown"


def test_the_readme_names_every_setting_and_nothing_else_reads_the_environment() -> None:
    readme = (REPOSITORY / "README.md").read_text()
    assert [one.variable for one in OPTIONS if f"`{one.variable}`" not in readme] == []
    server = REPOSITORY / "server"
    readers = [
        str(file.relative_to(server))
        for file in server.rglob("*.py")
        if "tests" not in file.parts and re.search(r"os\.environ\b|getenv", file.read_text())
    ]
    assert [
        one for one in readers if one not in ("config/options.py", "manage.py", "config/wsgi.py", "conftest.py")
    ] == []


def test_a_deployment_behind_tls_is_warned_of_nothing() -> None:
    environment = {
        **os.environ, "RENNBAHN_SECRET_KEY": secrets.token_urlsafe(50), "RENNBAHN_HTTPS": "1",
        "RENNBAHN_HOSTS": "rennbahn.example", "RENNBAHN_DEBUG": "",
    }  # fmt: skip
    command = [sys.executable, "manage.py", "check", "--deploy", "--fail-level", "WARNING"]
    done = subprocess.run(
        command, cwd=REPOSITORY / "server", env=environment, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
