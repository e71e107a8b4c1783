"""Signing in by the house's own provider: whom it lets in, and what of its answers is believed."""

from __future__ import annotations

import base64
import hashlib
import json
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

import pytest
from django.contrib.auth.models import User
from django.test import Client
from joserfc import jwt
from joserfc.jwk import RSAKey
from people.models import House, OutsideAccount, Role
from testkit import Caller

KEY, STRANGE = (RSAKey.generate_key(2048, {"kid": "one", "use": "sig"}) for _ in range(2))


@dataclass
class Provider:
    """A provider: what it says of who signs in there can be bent."""

    address: str = ""
    says: dict[str, Any] = field(default_factory=dict)
    key: RSAKey = field(default_factory=lambda: KEY)
    #: What was asked for by the code that was given for it.
    asked: dict[str, dict[str, str]] = field(default_factory=dict)

    def code_for(self, asked: dict[str, str]) -> str:
        code = f"code-{len(self.asked)}"
        self.asked[code] = asked
        return code

    def token(self, given: dict[str, str]) -> dict[str, Any] | None:
        """An answer to a code, which is good once and for who has what its challenge was made of."""
        asked = self.asked.pop(given.get("code", ""), None)
        if asked is None:
            return None
        made_of = hashlib.sha256(given.get("code_verifier", "").encode()).digest()
        if base64.urlsafe_b64encode(made_of).rstrip(b"=").decode() != asked["code_challenge"]:
            return None
        now = int(time.time())
        claims = {
            "iss": self.address, "sub": "s-1", "aud": "rennbahn", "iat": now, "exp": now + 300, "nonce": asked["nonce"],
            "preferred_username": "tilda", **self.says,
        }  # fmt: skip
        told = jwt.encode({"alg": "RS256", "kid": "one"}, claims, self.key)
        return {"access_token": "a", "token_type": "Bearer", "expires_in": 300, "id_token": told}


@pytest.fixture
def provider(settings: Any) -> Iterator[Provider]:
    found = Provider()

    class Answers(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            if self.path.endswith("openid-configuration"):
                self.say({
                    "issuer": found.address, "authorization_endpoint": f"{found.address}/authorize",
                    "token_endpoint": f"{found.address}/token", "jwks_uri": f"{found.address}/keys",
                    "id_token_signing_alg_values_supported": ["RS256"],
                })  # fmt: skip
            else:
                self.say({"keys": [KEY.as_dict(private=False)]})

        def do_POST(self) -> None:
            given = parse_qs(self.rfile.read(int(self.headers["Content-Length"])).decode())
            told = found.token({name: values[0] for name, values in given.items()})
            self.say(told or {"error": "invalid_grant"}, 200 if told else 400)

        def say(self, told: Any, status: int = 200) -> None:
            body = json.dumps(told).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, format: str, *args: Any) -> None:
            """Say nothing."""

    server = ThreadingHTTPServer(("127.0.0.1", 0), Answers)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    found.address = f"http://127.0.0.1:{server.server_address[1]}"
    settings.OIDC_ISSUER, settings.OIDC_CLIENT, settings.OIDC_SECRET = found.address, "rennbahn", "shared"
    settings.OIDC_NAME = "the Warte’s account"
    yield found
    server.shutdown()
    server.server_close()


def begin(client: Client, query: str = "") -> dict[str, str]:
    """Begin at our page: what the provider is asked."""
    sent = client.get(f"/sign-in/begin{query}")
    assert sent.status_code == 302, sent.content
    return {name: values[0] for name, values in parse_qs(urlsplit(sent.headers["Location"]).query).items()}


def come_back(client: Client, code: str, state: str) -> str:
    """Come back from the provider: where one ends."""
    sent = client.get("/sign-in/back", {"code": code, "state": state})
    assert sent.status_code == 302, sent.content
    return str(sent.headers["Location"])


def through(client: Client, provider: Provider, query: str = "") -> str:
    """The whole way."""
    asked = begin(client, query)
    return come_back(client, provider.code_for(asked), asked["state"])


def who(client: Client) -> tuple[str, str]:
    told = client.get("/api/session").json()
    return told["name"], told["role"]


@pytest.mark.django_db
def test_newcomers_are_what_the_house_says(provider: Provider, settings: Any) -> None:
    client = Client()
    assert client.get("/api/house").json()["outside"] == "the Warte’s account"
    asked = begin(client)
    assert (asked["client_id"], asked["code_challenge_method"]) == ("rennbahn", "S256")
    assert come_back(client, provider.code_for(asked), asked["state"]) == "/sign-in?outside=unknown"
    assert who(client) == ("", "")
    settings.OIDC_ROLE = "viewer"
    assert through(client, provider) == "/"
    assert who(client) == ("tilda", "viewer")
    # Again it is the same person, whatever they are called there now.
    provider.says["preferred_username"] = "mara"
    again = Client()
    assert through(again, provider) == "/"
    assert who(again) == ("tilda", "viewer")
    assert again.get("/api/me").json()["outside"] is True
    assert User.objects.count() == 1
    # A name that somebody has is not given away, and what is none is not taken.
    for subject, wished, name in (("s-2", "Tilda", "Tilda2"), ("s-3", "<b>!", "b"), ("s-4", "  ", "reader")):
        provider.says.update(sub=subject, preferred_username=wished)
        other = Client()
        assert through(other, provider) == "/"
        assert who(other)[0] == name


@pytest.mark.parametrize(
    "says",
    [
        {"aud": "another"}, {"iss": "https://elsewhere.example"}, {"exp": 1_700_000_000}, {"nonce": "of another"},
        {"sub": None},
    ],
)  # fmt: skip
@pytest.mark.django_db
def test_what_a_provider_does_not_say_rightly_lets_nobody_in(
    provider: Provider, settings: Any, says: dict[str, Any]
) -> None:
    settings.OIDC_ROLE = "viewer"
    provider.says = says
    client = Client()
    assert through(client, provider) == "/sign-in?outside=refused"
    assert who(client) == ("", "")
    assert not User.objects.exists()


@pytest.mark.django_db
def test_answers_of_others_foreign_stale_and_twice_let_nobody_in(provider: Provider, settings: Any) -> None:
    settings.OIDC_ROLE = "viewer"
    mine, other = Client(), Client()
    asked, foreign = begin(mine), begin(other)
    code = provider.code_for(asked)
    assert come_back(other, code, asked["state"]) == "/sign-in?outside=refused", "a state of another browser"
    foreign_code = provider.code_for(foreign)
    assert come_back(mine, foreign_code, asked["state"]) == "/sign-in?outside=refused", "a code of another"
    assert come_back(mine, code, asked["state"]) == "/sign-in?outside=refused", "a state that was used"
    assert come_back(mine, code, "") == "/sign-in?outside=refused"
    said_no = mine.get("/sign-in/back", {"error": "access_denied", "state": begin(mine)["state"]})
    assert said_no.headers["Location"] == "/sign-in?outside=refused"
    provider.key = STRANGE
    assert through(mine, provider) == "/sign-in?outside=refused", "signed by another key"
    provider.key = KEY
    assert mine.post("/sign-in/begin").status_code == 405
    assert not User.objects.exists()
    settings.OIDC_ISSUER = "http://127.0.0.1:9"
    assert mine.get("/sign-in/begin").headers["Location"] == "/sign-in?outside=away"
    settings.OIDC_ISSUER = ""
    assert mine.get("/sign-in/begin").status_code == mine.get("/sign-in/back").status_code == 404
    assert mine.get("/api/house").json()["outside"] == ""


def test_an_account_is_tied_once_and_untied(provider: Provider, tester: Caller, viewer: Caller) -> None:
    assert through(tester.client, provider, "?tie") == "/you?outside=tied"
    assert tester.get("/me")["outside"] is True
    assert through(viewer.client, provider, "?tie") == "/you?outside=taken"
    assert viewer.get("/me")["outside"] is False
    fresh = Client()
    assert through(fresh, provider) == "/"
    assert who(fresh) == ("a-tester", "tester")
    User.objects.filter(username="a-tester").update(is_active=False)
    assert through(Client(), provider) == "/sign-in?outside=closed"
    User.objects.filter(username="a-tester").update(is_active=True)
    tester.delete("/me/outside", status=200)
    assert through(Client(), provider) == "/sign-in?outside=unknown"
    # Who is signed in nowhere ties nothing.
    assert through(Client(), provider, "?tie") == "/sign-in?outside=unknown"
    assert not OutsideAccount.objects.exists()


def test_the_provider_sees_to_a_second_factor_itself(provider: Provider, tester: Caller) -> None:
    House.objects.create(pk=1, name="Die Warte", second_factor=True)
    through(tester.client, provider, "?tie")
    person = User.objects.get(username="a-tester").person
    person.owes_second_factor = True
    person.save()
    assert tester.get("/studies", status=403)["code"] == "second_factor_needed"
    by_provider = Client()
    assert through(by_provider, provider) == "/"
    assert by_provider.get("/api/studies").status_code == 200
    assert by_provider.get("/api/session").json()["owes_second_factor"] is False


@pytest.mark.django_db
def test_who_came_by_the_provider_alone_keeps_a_way_in(provider: Provider, settings: Any) -> None:
    settings.OIDC_ROLE = Role.VIEWER.value
    client = Client()
    through(client, provider)
    refused = Caller(client).delete("/me/outside", status=409)
    assert refused["code"] == "no_password"
    assert OutsideAccount.objects.count() == 1
