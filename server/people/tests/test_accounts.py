"""From nothing to a first lead, invited people, passwords, sessions, second factors, and the house."""

from __future__ import annotations

import threading
from datetime import timedelta
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.core.management import call_command
from django.db import connections
from django.test import Client
from django.utils import timezone
from django_otp.oath import totp
from django_otp.plugins.otp_static.models import StaticDevice
from django_otp.plugins.otp_totp.models import TOTPDevice
from people.accounts import invite_first
from people.models import Failure, SignIn
from people.throttle import FREE, left_s
from testkit import PASSWORD, Caller, caller

GOOD = "a-good-long-password"
HOUSE = {"name": "Die Warte", "time_zone": "Europe/Vienna", "currency": "eur", "price_per_kwh": "0.31"}


def take(token: str, status: int = 201, **told: Any) -> tuple[Caller, dict[str, Any]]:
    who = Caller(Client())
    return who, who.post("/session/link/take", {"token": token, "password": GOOD, **told}, status=status)


def code_of(name: str, step: int = 0) -> str:
    """What the device of somebody shows; a later step for a second sign-in within the same half minute."""
    device = TOTPDevice.objects.get(user__username=name)
    return f"{totp(device.bin_key, drift=step):06d}"


def wait() -> None:
    """The moment after a wrong code in which no other is looked at."""
    for device in (TOTPDevice, StaticDevice):
        device.objects.update(throttling_failure_count=0)


@pytest.mark.django_db
def test_the_first_lead_comes_by_a_link_that_works_once() -> None:
    token = invite_first()
    assert token
    newer = invite_first()
    assert newer
    assert Caller(Client()).post("/session/link", {"token": token}, status=409)["code"] == "link_over", "a newer one"
    looked = Caller(Client()).post("/session/link", {"token": newer})
    assert (looked["role"], looked["first"], looked["name"]) == ("lead", True, "")
    assert take(newer, 422, name="mara")[1]["field"] == "house"
    assert take(newer, 422, name="mara", house={**HOUSE, "time_zone": "Vienna"})[1]["field"] == "time_zone"
    assert take(newer, 422, name="mara", password="short", house=HOUSE)[1]["code"] == "weak_password"
    assert not User.objects.exists()
    lead, session = take(newer, name="mara", house=HOUSE)
    assert (session["name"], session["role"]) == ("mara", "lead")
    house = lead.get("/house")
    assert (house["name"], house["currency"], house["price_per_kwh"]) == ("Die Warte", "EUR", 0.31)
    assert lead.get("/studies") == []
    assert take(newer, 409, name="other", house=HOUSE)[1]["code"] == "link_over"
    assert invite_first() is None, "somebody works here"
    outside = Caller(Client()).get("/house")
    assert (outside["name"], outside["currency"], outside["price_per_kwh"]) == ("Die Warte", "", None)


@pytest.mark.django_db
def test_the_terminal_is_told_the_link_only_while_nobody_works_here(capsys: pytest.CaptureFixture[str]) -> None:
    call_command("first_lead", "http://localhost:8000")
    (line,) = [line for line in capsys.readouterr().out.splitlines() if "/welcome#" in line]
    lead, _ = take(line.split("/welcome#")[1].strip(), name="mara", house=HOUSE)
    call_command("first_lead", "http://localhost:8000")
    assert "/welcome#" not in capsys.readouterr().out
    assert lead.get("/people")["people"][0]["name"] == "mara"


def test_a_lead_invites_and_withdraws(lead: Caller) -> None:
    made = lead.post("/people/invitations", {"role": "tester"}, status=201)
    other = lead.post("/people/invitations", {"role": "viewer"}, status=201)
    listed = other["people"]["invitations"]
    assert [(one["role"], one["made_by"]) for one in listed] == [("viewer", lead.name), ("tester", lead.name)]
    assert made["token"] not in str(lead.get("/people")), "told once"
    lead.delete(f"/people/invitations/{listed[0]['id']}", status=200)
    assert take(other["token"], 409, name="ilse")[1]["code"] == "link_over"
    lead.put("/house", HOUSE)
    who, session = take(made["token"], name="tomke")
    assert session["role"] == "tester"
    assert who.post("/people/invitations", {"role": "lead"}, status=403)["code"] == "not_allowed"
    again = lead.post("/people/invitations", {"role": "tester"}, status=201)["token"]
    assert take(again, 409, name="TOMKE")[1]["code"] == "name_taken"
    assert take(again, 422, name="two words")[1]["field"] == "name"
    assert take(again, 422)[1]["field"] == "name"


def test_links_end_and_die_with_who_made_them(lead: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    lead.put("/house", HOUSE)
    second, _ = take(lead.post("/people/invitations", {"role": "lead"}, status=201)["token"], name="second")
    token = second.post("/people/invitations", {"role": "tester"}, status=201)["token"]
    lead.put("/people/second/role", {"role": "viewer"})
    assert take(token, 409, name="new")[1]["code"] == "link_over", "who made it is no lead any more"
    late = lead.post("/people/invitations", {"role": "tester"}, status=201)["token"]
    now = timezone.now()
    monkeypatch.setattr(timezone, "now", lambda: now + timedelta(days=8))
    assert Caller(Client()).post("/session/link", {"token": late}, status=409)["code"] == "link_over"


@pytest.mark.django_db(transaction=True)
def test_of_two_who_take_a_link_at_once_one_gets_it() -> None:
    lead = caller("lead")
    lead.put("/house", HOUSE)
    token = lead.post("/people/invitations", {"role": "tester"}, status=201)["token"]
    statuses: list[int] = []

    def taking(name: str) -> None:
        body = {"token": token, "name": name, "password": GOOD}
        found = Client().post("/api/session/link/take", body, content_type="application/json")
        statuses.append(found.status_code)
        connections.close_all()

    threads = [threading.Thread(target=taking, args=(f"person{number}",)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(statuses) == [201, 409, 409, 409]
    assert User.objects.count() == 2


@pytest.mark.django_db(transaction=True)
def test_guesses_at_once_are_all_counted() -> None:
    name, statuses = caller("lead").name, []

    def guess() -> None:
        body = {"name": name, "password": "no"}
        statuses.append(Client().post("/api/session", body, content_type="application/json").status_code)
        connections.close_all()

    threads = [threading.Thread(target=guess) for _ in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(statuses) == [422] * FREE + [429] * (12 - FREE)


def test_a_try_that_was_counted_a_moment_later_shuts_nothing() -> None:
    now = timezone.now()
    counted = Failure(name="Ada", address="here", failures=FREE - 1, last_at=now + timedelta(milliseconds=40))
    assert left_s(counted, now) == 0
    counted.failures = FREE
    assert left_s(counted, now) > 0


def test_a_forgotten_password_is_made_anew_by_a_link(lead: Caller, tester: Caller) -> None:
    lead.put("/house", HOUSE)
    token = lead.post(f"/people/{tester.name}/reset", status=201)["token"]
    assert tester.get("/studies") == [], "until it is used"
    looked = Caller(Client()).post("/session/link", {"token": token})
    assert (looked["name"], looked["first"]) == (tester.name, False)
    _, session = take(token)
    assert session["name"] == tester.name
    old = Caller(Client()).post("/session", {"name": tester.name, "password": PASSWORD}, status=422)
    assert old["code"] == "wrong_password"
    assert tester.get("/studies", status=401)["code"] == "not_signed_in", "every session of before has ended"


def test_closed_accounts_stay_signed_and_the_last_lead_stays(lead: Caller, tester: Caller) -> None:
    token = tester.post("/bench-links", {"name": "machine"}, status=201)["token"]
    found = lead.put(f"/people/{tester.name}/open", {"open": False})
    assert next(one for one in found["people"] if one["name"] == tester.name)["closed"]
    tester.get("/studies", status=401)
    closed = Caller(Client()).post("/session", {"name": tester.name, "password": PASSWORD}, status=422)
    assert closed["code"] == "wrong_password"
    clock = Client().get("/api/link/clock", headers={"Authorization": f"Bearer {token}"})
    assert clock.status_code == 401
    lead.put(f"/people/{tester.name}/open", {"open": True})
    assert Caller(Client()).post("/session", {"name": tester.name, "password": PASSWORD})["role"] == "tester"
    for change in (("role", {"role": "viewer"}), ("open", {"open": False})):
        assert lead.put(f"/people/{lead.name}/{change[0]}", change[1], status=409)["code"] == "last_lead"


def test_one_changes_ones_own_password_and_ends_ones_sessions(tester: Caller) -> None:
    here, there = (Caller(Client()) for _ in range(2))
    for who in (here, there):
        who.post("/session", {"name": tester.name, "password": PASSWORD})
    sessions = here.get("/me")["sessions"]
    assert [one["here"] for one in sessions] == [False, True]
    here.delete(f"/me/sessions/{sessions[0]['id']}", status=200)
    there.get("/studies", status=401)
    assert here.put("/me/password", {"password": "no", "new_password": GOOD}, status=422)["field"] == "password"
    short = here.put("/me/password", {"password": PASSWORD, "new_password": "short"}, status=422)
    assert short["field"] == "new_password"
    there.post("/session", {"name": tester.name, "password": PASSWORD})
    assert here.put("/me/password", {"password": PASSWORD, "new_password": GOOD})["name"] == tester.name
    assert here.get("/studies") == []
    there.get("/studies", status=401)
    foreign = caller("viewer").get("/me")["sessions"]
    assert foreign == [], "nobody sees another's"


def test_a_second_factor_is_asked_for_and_a_code_is_good_once(tester: Caller) -> None:
    tester.put("/me/second-factor", {"code": "123456"}, status=409)
    offered = tester.post("/me/second-factor", status=201)
    assert offered["address"].startswith("otpauth://totp/")
    assert offered["picture"].startswith("data:image/svg+xml")
    assert tester.put("/me/second-factor", {"code": "000000"}, status=422)["field"] == "code"
    wait()
    assert not tester.get("/me")["second_factor"], "it counts once its first code was told"
    codes = tester.put("/me/second-factor", {"code": code_of(tester.name)})["codes"]
    assert len(set(codes)) == 8
    who = Caller(Client())
    body = {"name": tester.name, "password": PASSWORD}
    asked = who.post("/session", body, status=422)
    assert (asked["code"], asked["field"]) == ("code_needed", "code")
    who.get("/studies", status=401)
    assert who.post("/session", {**body, "code": "111111"}, status=422)["code"] == "wrong_code"
    wait()
    code = code_of(tester.name, 1)
    who.post("/session", {**body, "code": f"{code[:3]} {code[3:]}"})
    assert who.get("/studies") == []
    other = Caller(Client())
    assert other.post("/session", {**body, "code": code}, status=422)["code"] == "wrong_code", "good once"
    wait()
    other.post("/session", {**body, "code": codes[0]})
    third = Caller(Client())
    assert third.post("/session", {**body, "code": codes[0]}, status=422)["code"] == "wrong_code", "used up"
    assert who.post("/me/second-factor/give-up", {"password": "no"}, status=422)["field"] == "password"
    assert not who.post("/me/second-factor/give-up", {"password": PASSWORD})["second_factor"]
    third.post("/session", body)


def test_a_house_asks_for_second_factors_and_a_lost_device_is_taken_away(lead: Caller, tester: Caller) -> None:
    assert lead.put("/house", {**HOUSE, "second_factor": True})["second_factor"]
    assert tester.get("/studies", status=403)["code"] == "second_factor_needed"
    for who in (tester, lead):
        who.post("/me/second-factor", status=201)
        who.put("/me/second-factor", {"code": code_of(who.name)})
    assert tester.get("/studies") == []
    assert tester.post("/me/second-factor/give-up", {"password": PASSWORD}, status=409)["code"] == "factor_asked"
    token = lead.post("/people/invitations", {"role": "viewer"}, status=201)["token"]
    new, session = take(token, name="new")
    assert session["owes_second_factor"]
    assert new.get("/studies", status=403)["code"] == "second_factor_needed"
    lead.delete(f"/people/{tester.name}/second-factor", status=200)
    assert tester.get("/studies", status=403)["code"] == "second_factor_needed"
    reset = lead.post(f"/people/{lead.name}/reset", status=201)["token"]
    _, session = take(reset)
    assert session["name"] == "", "a new password alone signs nobody in who has a second factor"
    lead = caller("lead")
    lead.put("/house", HOUSE)
    assert tester.get("/studies") == [], "the house asks no more"


def test_every_try_to_sign_in_is_told_to_leads(lead: Caller, tester: Caller) -> None:
    who = Caller(Client(headers={"User-Agent": "a browser"}))
    who.post("/session", {"name": tester.name, "password": "no"}, status=422)
    who.post("/session", {"name": "stranger", "password": "no"}, status=422)
    who.post("/session", {"name": tester.name, "password": PASSWORD})
    found = lead.get("/people/sign-ins")
    assert [(one["name"], one["known"], one["outcome"]) for one in found] == [
        (tester.name, True, "signed in"), ("stranger", False, "wrong password"), (tester.name, True, "wrong password"),
    ]  # fmt: skip
    assert found[0]["agent"] == "a browser"
    assert "session_key" not in found[0]
    tester.get("/people/sign-ins", status=403)
    old = timezone.now() - timedelta(days=200)
    SignIn.objects.update(at=old)
    who.post("/session", {"name": tester.name, "password": PASSWORD})
    assert SignIn.objects.count() == 1, "tries are forgotten after half a year"


def test_the_demo_is_asked_for_where_a_supervisor_listens(
    viewer: Caller, settings: Any, tmp_path: Any, nobody: Caller
) -> None:
    assert viewer.post("/house/demo", status=409)["code"] == "no_demo"
    settings.DEMO_ASKED = tmp_path / "demo"
    assert viewer.get("/house")["demo"] == {"offered": True, "address": ""}
    viewer.post("/house/demo")
    assert settings.DEMO_ASKED.exists()
    settings.DEMO_ASKED.with_name("demo.json").write_text('{"address": "http://localhost:8001"}')
    assert viewer.get("/house")["demo"]["address"] == "http://localhost:8001"
    assert nobody.get("/house")["demo"] == {"offered": False, "address": ""}
