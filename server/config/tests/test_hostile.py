"""Hostile and careless requests: every one is answered in the one shape, with its status, and nothing is kept of it."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from bench.models import Part
from config import api as config_api
from config.shape import TRIES
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db.utils import DataError, IntegrityError, InternalError, OperationalError
from django.test import Client
from findings.exports import findings_csv
from findings.queries import Asked
from intake import services as intake
from intake.models import Arrival
from intake.recording import record_files
from psycopg import errors as postgres
from studies.models import Lane, Pass, Test
from testkit import Bench, Caller, study_body


@pytest.fixture
def bench(shared: Bench, db: None) -> Bench:
    """One study for all: what is refused changes nothing of it, and what is not is rolled back."""
    return shared


SHAPE = {"code", "message", "field", "row", "line", "hint"}


def refused(response: Any, *statuses: int) -> dict[str, Any]:
    """The body of an error, which must have the one shape and one of these statuses."""
    assert response.status_code in statuses, (response.status_code, response.content[:300])
    assert response.headers["Content-Type"].startswith("application/json")
    assert response.headers["Cache-Control"] == "no-store"
    body: dict[str, Any] = json.loads(response.content)
    assert {"code", "message"} <= set(body) <= SHAPE, body
    return body


def raw(who: Caller, method: str, path: str, body: bytes | str) -> Any:
    quiet = Client(raise_request_exception=False)
    quiet.cookies = who.client.cookies
    return getattr(quiet, method)(f"/api{path}", data=body, content_type="application/json")


# --- what is no body at all ------------------------------------------------------------------------------------

BODIES = {
    "null": b"null", "a number": b"5", "a list": b"[]", "a text": b'"x"', "nothing": b"", "cut": b'{"name": "x',
    "no UTF-8": b'{"name": "\xff\xfe"}', "endless": b'{"name": 1e400}', "NaN": b'{"name": NaN}',
    "digits": b'{"name": ' + b"9" * 4_400 + b"}", "nesting": b"[" * 100_000, "nested objects": b'{"a":' * 50_000,
    "half a character": b'{"name": "\\ud800"}',
}  # fmt: skip


@pytest.mark.parametrize("name", BODIES)
@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("put", "/studies/{study}/method"), ("put", "/studies/{study}/plan"), ("put", "/studies/{study}/tests"),
        ("put", "/studies/{study}/question"), ("put", "/captures/{capture}/windows"), ("put", "/parts/{part}"),
        ("post", "/studies"), ("post", "/parts"), ("post", "/session"), ("post", "/sketch"),
    ],
)  # fmt: skip
def test_a_body_that_is_none_changes_nothing(bench: Bench, method: str, path: str, name: str) -> None:
    address = path.format(study=bench.id, capture=1, part=Part.objects.all()[0].pk)
    before = bench.lead.get(f"/studies/{bench.id}")
    refused(raw(bench.lead, method, address, BODIES[name]), 400, 422)
    assert bench.lead.get(f"/studies/{bench.id}") == before


def test_unknown_and_missing_keys_are_refused_by_name(bench: Bench) -> None:
    path = f"/studies/{bench.id}/method"
    whole = {**bench.study["method"], "seen": bench.study["seen"]["method"]}
    assert bench.lead.put(path, {**whole, "equalband": 0.05}, status=422)["field"] == "equalband"
    for name in whole:
        short = {key: value for key, value in whole.items() if key != name}
        assert bench.lead.put(path, short, status=422)["field"] == name
    for body in ({"name": "x", "kind": "card", "colour": "red"}, {"name": "x", "kind": "card", "facts": [1]}):
        assert bench.lead.post("/parts", body, status=422)["code"] == "invalid"
    assert bench.lead.get(f"/studies/{bench.id}")["method"] == bench.study["method"]


# --- texts and numbers that cannot be kept -----------------------------------------------------------------------

TEXTS = {
    "NUL": "a\x00b", "a bell": "a\x07b", "a zero-width space": "a\u200bb", "right to left": "a\u202eb",
    "a joiner": "a\u200db", "a line separator": "a\u2028b", "a byte order mark": "\ufeffa", "deletion": "a\x7fb",
}  # fmt: skip


def fields_of(schema: dict[str, Any], components: dict[str, Any], depth: int = 0) -> Iterator[tuple[str, ...]]:
    """The places of texts in a body, by its schema."""
    if "$ref" in schema:
        schema = components[schema["$ref"].rpartition("/")[2]]
    for choice in schema.get("anyOf", []):
        yield from fields_of(choice, components, depth)
    if schema.get("type") == "string" and "format" not in schema and "enum" not in schema and "const" not in schema:
        yield ()
    if depth < 4:
        for name, one in schema.get("properties", {}).items():
            for rest in fields_of(one, components, depth + 1):
                yield (name, *rest)
        if "items" in schema:
            for rest in fields_of(schema["items"], components, depth + 1):
                yield ("0", *rest)


def with_text(place: tuple[str, ...], text: str) -> Any:
    """A body that holds a text at a place."""
    if not place:
        return text
    inner = with_text(place[1:], text)
    return [inner] if place[0] == "0" else {place[0]: inner}


def test_texts_that_cannot_be_seen_are_refused_in_every_field(lead: Caller) -> None:
    schema = config_api.api.get_openapi_schema()
    tried = 0
    for path, operations in schema["paths"].items():
        for method, operation in operations.items():
            content = operation.get("requestBody", {}).get("content", {}).get("application/json")
            if content is None:
                continue
            address = path.removeprefix("/api")
            while "{" in address:
                address = address[: address.index("{")] + "1" + address[address.index("}") + 1 :]
            for place in set(fields_of(content["schema"], schema["components"]["schemas"])):
                for text in (
                    "a\x00b",
                    "\ud800",
                    "a\u200bb" if place[-1] not in ("password", "new_password") else "a\x00b",
                ):
                    body = json.dumps(with_text(place, text))
                    answer = refused(raw(lead, method, address, body), 400, 422)
                    if text != "\ud800":
                        assert "cannot be seen" in answer["message"], (path, place, answer)
                    tried += 1
    assert tried > 150


@pytest.mark.parametrize("name", TEXTS)
def test_names_that_look_alike_and_are_not_are_refused(lead: Caller, name: str) -> None:
    answer = lead.post("/parts", {"kind": "card", "name": TEXTS[name]}, status=422)
    assert answer["field"] == "name"
    assert "U+" in answer["message"]
    assert lead.client.get(f"/api/studies?words={TEXTS[name]}").status_code == 422


def test_names_are_kept_in_their_composed_form(lead: Caller) -> None:
    made = lead.post("/parts", {"kind": "card", "name": "Gru\u0308n 5"}, status=201)
    assert made["name"] == "Gr\u00fcn 5"
    assert lead.post("/parts", {"kind": "card", "name": "Gr\u00fcn 5"}, status=409)["code"] == "part_exists"


@pytest.mark.parametrize("field", ["question", "factor"])
def test_a_question_is_one_line(lead: Caller, field: str) -> None:
    answer = lead.post("/studies", study_body(**{field: "One\nTwo"}), status=422)
    assert (answer["field"], "one line" in answer["message"]) == (field, True)


NUMBERS = ["1e400", "-1e400", "1e-320", "9" * 30, '"5"', "true", "NaN", "1.5e308"]


@pytest.mark.parametrize("number", NUMBERS)
@pytest.mark.parametrize("field", ["target_hz", "equal_band"])
def test_numbers_that_cannot_be_kept_are_refused(bench: Bench, field: str, number: str) -> None:
    whole = {**bench.study["method"], "seen": bench.study["seen"]["method"], field: 0}
    body = json.dumps(whole).replace(f'"{field}": 0', f'"{field}": {number}')
    refused(raw(bench.lead, "put", f"/studies/{bench.id}/method", body), 400, 422)


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("starts_on", 1_700_000_000), ("starts_on", "1700000000"), ("starts_on", "9999-12-31"),
        ("starts_on", "0001-01-01"), ("starts_on", "2026-02-30"), ("deadline", 5), ("deadline", "9999-12-31T23:59"),
        ("deadline", "tomorrow"), ("day_starts", 9), ("day_starts", "9"), ("weekdays", [True]), ("weekdays", ["0"]),
        ("seed", 1.5), ("seed", 2**70), ("hours_a_day", "8"), ("costs", {"swap_s": 1e300}), ("costs", {"swap_s": -1}),
    ],
)  # fmt: skip
def test_a_plan_that_cannot_be_laid_out_is_refused_and_not_kept(bench: Bench, field: str, value: Any) -> None:
    path = f"/studies/{bench.id}/plan"
    bench.lead.save(path, {"starts_on": "2026-01-05"})
    before = bench.lead.get(path)
    assert bench.lead.save(path, {field: value}, status=422)["field"].startswith(field)
    assert bench.lead.get(path) == before


def test_faults_are_told_in_the_words_and_units_of_the_form(bench: Bench) -> None:
    path = f"/studies/{bench.id}"
    told = {
        f"{path}/method": ({"equal_band": 1.0}, "Band that counts as even: must be under 100 %."),
        f"{path}/plan": ({"starts_on": "2026-01-05", "margin": 0}, "Margin that matters: must be over 0 %."),
        f"{path}/question": ({"question": ""}, "Question: must not be empty."),
    }
    for address, (change, words) in told.items():
        assert bench.lead.save(address, change, status=422)["message"] == words
    costs = bench.lead.save(f"{path}/plan", {"starts_on": "2026-01-05", "costs": {"swap_s": 90_000}}, status=422)
    assert "1,440 min" in costs["message"]
    assert "swap_s" not in costs["message"]


# --- requests as such --------------------------------------------------------------------------------------------


def test_oversize_bodies_and_too_many_files_are_told(lead: Caller, bench: Bench) -> None:
    large = json.dumps({"name": "x" * 5_000_000})
    assert refused(raw(lead, "post", "/parts", large), 413)["code"] == "too_large"
    files = [SimpleUploadedFile(f"{n}.csv", b"x") for n in range(30)]
    refused(lead.client.post(f"/api/studies/{bench.id}/files", {"file": files}), 413, 422)


@pytest.mark.parametrize(
    "kind", ["multipart/form-data", "multipart/form-data; boundary=", 'multipart/form-data; boundary="é"']
)
@pytest.mark.parametrize("body", [b"", b"--x\r\n", b"\x00" * 100])
def test_a_broken_form_is_told(bench: Bench, kind: str, body: bytes) -> None:
    quiet = Client(raise_request_exception=False)
    quiet.cookies = bench.tester.client.cookies
    refused(quiet.generic("POST", f"/api/studies/{bench.id}/files", body, content_type=kind), 400, 422)


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("get", "/nothing", 404), ("get", "/studies/abc", 404), ("get", f"/studies/{'9' * 25}", 404),
        ("get", f"/studies/{'9' * 5000}", 404), ("patch", "/studies", 405), ("delete", "/parts", 405),
        ("get", "/studies/1_6", 404), ("get", "/studies?before=abc", 422),
        ("get", f"/studies?before={'9' * 4400}", 422), ("get", "/studies?before=1_6", 422),
        ("get", "/captures/1/trace?stretches=1e9", 422), ("get", "/captures/1/trace?from_s=nan", 422),
        ("get", "/captures/1/trace?to_s=1e999", 422), ("get", "/studies?before=-1", 422),
        ("get", "/studies?befor=1", 422), ("get", "/setups?words=x", 422), ("get", "/studies?words=a&%00=b", 422),
    ],
)  # fmt: skip
def test_addresses_that_are_none_have_the_one_shape(lead: Caller, method: str, path: str, status: int) -> None:
    quiet = Client(raise_request_exception=False)
    quiet.cookies = lead.client.cookies
    refused(getattr(quiet, method)(f"/api{path}"), status)


def test_the_token_that_is_missing_has_the_one_shape(lead: Caller) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.cookies = lead.client.cookies
    refused(strict.post("/api/parts", {"kind": "card", "name": "x"}, content_type="application/json"), 403)


@pytest.mark.parametrize("name", ["a\x00b.csv", "a\u202egpj.csv", "a\u200b.csv"])
def test_file_names_hide_nothing(bench: Bench, name: str) -> None:
    body = (
        f'--x\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n'
        "Content-Type: text/csv\r\n\r\nms\n5\n6\n\r\n--x--\r\n"
    ).encode()
    quiet = Client(raise_request_exception=False)
    quiet.cookies = bench.tester.client.cookies
    kind = "multipart/form-data; boundary=x"
    quiet.generic("POST", f"/api/studies/{bench.id}/files", body, content_type=kind)
    assert all(one.name.isprintable() and one.name.isascii() for one in Arrival.objects.all())


ERRORS: dict[str, tuple[Callable[[], Exception], int, str]] = {
    "a full disk": (lambda: caused(OperationalError, postgres.DiskFull()), 507, "disk_full"),
    "a database that takes no writes": (
        lambda: caused(InternalError, postgres.ReadOnlySqlTransaction()),
        503,
        "read_only",
    ),
    "no memory": (lambda: caused(OperationalError, postgres.OutOfMemory()), 507, "disk_full"),
    "the database away": (lambda: OperationalError("connection refused"), 503, "database_away"),
    "a value out of range": (lambda: DataError("out of range"), 422, "out_of_range"),
    "the same made at once": (lambda: caused(IntegrityError, postgres.UniqueViolation()), 409, "made_meanwhile"),
    "something used since": (lambda: caused(IntegrityError, postgres.ForeignKeyViolation()), 409, "used_meanwhile"),
    "a rule that no check caught": (lambda: caused(IntegrityError, postgres.CheckViolation()), 500, "unexpected"),
    "a full disk for uploads": (lambda: OSError(errno.ENOSPC, "No space left on device"), 507, "disk_full"),
    "a disk that cannot be written": (lambda: OSError(errno.EROFS, "Read-only file system"), 507, "disk_shut"),
    "any other fault of the machine": (lambda: OSError(errno.EMFILE, "Too many open files"), 500, "unexpected"),
    "a fault of ours": (ZeroDivisionError, 500, "unexpected"),
}


def caused(kind: type[Exception], cause: Exception) -> Exception:
    error = kind(str(cause))
    error.__cause__ = cause
    return error


@pytest.mark.parametrize("name", ERRORS)
def test_what_fails_beneath_is_told_for_what_it_is(lead: Caller, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    make, status, code = ERRORS[name]

    def fails(*_: Any) -> None:
        raise make()

    monkeypatch.setattr("bench.services.add_part", fails)
    answer = refused(raw(lead, "post", "/parts", json.dumps({"kind": "card", "name": "x"})), status)
    assert answer["code"] == code
    if code == "database_away":
        assert "Nothing was written" not in answer["hint"], "a commit may have gone through"


@pytest.mark.parametrize("cause", [postgres.DeadlockDetected, postgres.SerializationFailure, postgres.UniqueViolation])
def test_who_lost_against_another_is_tried_again(
    lead: Caller, monkeypatch: pytest.MonkeyPatch, cause: type[Exception]
) -> None:
    from bench import services  # noqa: PLC0415

    own, tries = services.add_part, []

    def loses_first(*args: Any) -> Any:
        tries.append(args)
        if len(tries) < TRIES:
            kind = IntegrityError if cause is postgres.UniqueViolation else OperationalError
            raise caused(kind, cause())
        return own(*args)

    monkeypatch.setattr("bench.services.add_part", loses_first)
    assert lead.post("/parts", {"kind": "card", "name": "Ostrane V9"}, status=201)["name"] == "Ostrane V9"
    assert len(tries) == TRIES


def test_the_description_lists_the_errors_of_every_operation() -> None:
    schema = config_api.api.get_openapi_schema()
    assert set(schema["components"]["schemas"]["ErrorOut"]["required"]) == {"code", "message"}
    refusal = schema["components"]["responses"]["Refusal"]
    assert all(f"{status}: " in refusal["description"] for status in (400, 401, 403, 404, 409, 413, 422, 500, 503, 507))
    for path, operations in schema["paths"].items():
        for operation in operations.values():
            assert operation["responses"]["default"] == {"$ref": "#/components/responses/Refusal"}, path


def test_cookies_and_transport_are_secure_by_a_setting(lead: Caller) -> None:
    assert "Strict-Transport-Security" not in lead.client.get("/api/session").headers
    probe = (
        "from config import settings as s; print(s.SESSION_COOKIE_SECURE, s.CSRF_COOKIE_SECURE, s.SECURE_HSTS_SECONDS)"
    )
    for value, told in (("1", b"True True 31536000"), ("", b"False False 0")):
        environment = {**os.environ, "RENNBAHN_HTTPS": value, "RENNBAHN_SECRET_KEY": "x"}
        done = subprocess.run([sys.executable, "-c", probe], capture_output=True, check=True, env=environment)
        assert done.stdout.strip() == told


# --- tables that spreadsheets open -------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["=1+1", "+fins", "-fins", "@fins"])
def test_no_cell_is_a_formula_also_in_the_header(lead: Caller, tester: Caller, name: str) -> None:
    body = study_body()
    body["lanes"][1]["name"] = name
    bench = Bench(lead, tester, lead.post("/studies", body, status=201))
    bench.fill(tests=1, passes=2)
    table = findings_csv(bench.id, Asked())
    cells = [cell.strip('"') for line in table.splitlines() for cell in line.split(",")]
    assert any(name in cell for cell in cells)
    assert not [cell for cell in cells if cell[:1] in ("=", "@")]
    assert not [cell for cell in cells if cell.startswith(name)]


def test_each_files_fate_is_told_after_an_error_in_the_middle(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    files = [bench.tester.hand_in(bench.id, f"{n}.csv", bench.log(n)) for n in range(3)]
    own = record_files

    def fails_at_the_second(tester: Any, study: Any, read: Any) -> Any:
        if read[0].arrival.pk == files[1]["id"]:
            raise OperationalError("the connection broke")
        return own(tester, study, read)

    monkeypatch.setattr(intake, "record_files", fails_at_the_second)
    places = [{"arrival_id": f["id"], "lane_id": bench.lane(0), "test_id": bench.test(0)} for f in files]
    taken = bench.tester.post(f"/studies/{bench.id}/take", {"columns": files[0]["columns"], "assignments": places})
    assert taken[0]["pass_id"] is not None
    assert [one["refusal"] and one["refusal"]["reason"] for one in taken] == [None, "database_failed", "not_tried"]


# --- stale pages -------------------------------------------------------------------------------------------------


def change_of(bench: Bench, what: str) -> tuple[str, dict[str, Any]]:
    """An address and a change that the test makes twice from the same page."""
    study = f"/studies/{bench.id}"
    lane = Lane.objects.get(pk=bench.lane(0))
    part = Part.objects.filter(kind="card")[0]
    scene = Test.objects.get(pk=bench.test(0)).scene
    changes: dict[str, tuple[str, dict[str, Any]]] = {
        "method": (f"{study}/method", {"target_hz": 90}),
        "question": (f"{study}/question", {"question": "Why?"}),
        "tests": (f"{study}/tests", {"tests": [{"game": "New", "scene": "x", "condition": "y"}]}),
        "plan": (f"{study}/plan", {"starts_on": "2026-02-02"}),
        "setup": (f"/setups/{lane.setup_version.setup_id}", {"settings": [{"name": "Sync", "value": "on"}]}),
        "part": (f"/parts/{part.pk}", {"maker": "Ostrane"}),
        "game": (f"/games/{scene.game_id}", {"genre": "walking"}),
        "scene": (f"/scenes/{scene.pk}", {"start": "the gate"}),
        "condition": (f"/conditions/{Test.objects.get(pk=bench.test(0)).condition_id}", {"preset": "high"}),
    }
    return changes[what]


@pytest.mark.parametrize("what", ["method", "question", "tests", "plan", "setup", "part", "game", "scene", "condition"])
def test_a_stale_page_overwrites_nothing_and_is_told_who_was_quicker(bench: Bench, what: str) -> None:
    path, change = change_of(bench, what)
    page = bench.lead._now(path)
    other = caller_named("zwei")
    saved = other.save(path, change)
    late = bench.lead.put(path, {**page, **change}, status=409)
    assert (late["code"], late["field"]) == ("changed_meanwhile", "seen")
    assert "“zwei”" in late["message"]
    again = bench.lead.put(path, {**bench.lead._now(path), **change}) if what != "tests" else saved
    assert again


def caller_named(name: str) -> Caller:
    from django.contrib.auth.models import User  # noqa: PLC0415
    from people.models import Person  # noqa: PLC0415

    user = User.objects.create_user(name, password="a-long-enough-password")
    Person.objects.create(user=user, role="lead")
    client = Client()
    client.force_login(user)
    return Caller(client, name)


def test_a_stale_order_by_hand_is_told_too(bench: Bench) -> None:
    path = f"/studies/{bench.id}/plan/sequence"
    page = bench.lead._now(path)
    ids = list(Pass.objects.filter(test__study=bench.id).values_list("pk", flat=True))
    caller_named("zwei").save(path, {"sequence": ids})
    assert bench.lead.put(path, {**page, "sequence": ids[::-1]}, status=409)["code"] == "changed_meanwhile"
