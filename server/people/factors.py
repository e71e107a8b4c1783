"""The second factor: a code of six digits that a device shows, by time (RFC 6238), or one of the spare codes."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

import segno
from django.contrib.auth.models import AnonymousUser, User
from django.db import transaction
from django_otp.plugins.otp_static.models import StaticDevice, StaticToken
from django_otp.plugins.otp_totp.models import TOTPDevice
from problems import Conflict, Problem

from people.access import require
from people.accounts import house_asks
from people.models import Person, Role

_SPARE = 8


@dataclass(frozen=True)
class Offered:
    """A second factor that is not in use yet: the secret to type, its address for a device, and that as a picture."""

    secret: str
    address: str
    picture: str


def has_factor(user: User) -> bool:
    """Whether somebody signs in with a second factor."""
    return bool(TOTPDevice.objects.filter(user=user, confirmed=True).exists())


def offer(user: User | AnonymousUser, house: str) -> Offered:
    """A new second factor, which counts once its first code was told."""
    who = require(user, Role.VIEWER)
    if has_factor(who):
        raise Conflict("has_factor", "You have a second factor already.", hint="Give it up first.")
    with transaction.atomic():
        TOTPDevice.objects.filter(user=who, confirmed=False).delete()
        device = TOTPDevice.objects.create(user=who, name=house, confirmed=False)
    address = str(device.config_url)
    picture = segno.make(address, error="m").svg_data_uri(scale=5, border=2, light="#fff")
    return Offered(_spelt(device), address, picture)


def _spelt(device: TOTPDevice) -> str:
    """The secret as people type it."""
    found: str = device.config_url.split("secret=")[1].split("&")[0]
    return " ".join(found[at : at + 4] for at in range(0, len(found), 4))


def confirm(user: User | AnonymousUser, code: str) -> list[str]:
    """Take the offered second factor into use by its first code; the spare codes, which are told this once."""
    who = require(user, Role.VIEWER)
    with transaction.atomic():
        device = TOTPDevice.objects.select_for_update().filter(user=who, confirmed=False).first()
        if device is None:
            raise Conflict("no_factor", "No second factor was offered.", hint="Begin anew.")
        if not device.verify_token(_plain(code)):
            raise Problem("wrong_code", "The code is another one.", field="code", hint="Is the device’s clock right?")
        device.confirmed = True
        device.save(update_fields=["confirmed"])
        Person.objects.filter(user=who).update(owes_second_factor=False)
        return _spare_codes(who)


def give_up(user: User | AnonymousUser, password: str) -> None:
    """Sign in without a second factor again. Raises :class:`Conflict` where the house asks for one."""
    who = require(user, Role.VIEWER)
    if house_asks():
        raise Conflict("factor_asked", "This house asks for a second factor.", hint="A lead can change that.")
    if not who.check_password(password):
        raise Problem("wrong_password", "That is not your password.", field="password")
    forget(who)


def forget(user: User) -> None:
    """Take somebody's second factor away, as where the device is lost."""
    TOTPDevice.objects.filter(user=user).delete()
    StaticDevice.objects.filter(user=user).delete()
    if house_asks():
        Person.objects.filter(user=user).update(owes_second_factor=True)


def code_fits(user: User, code: str) -> bool:
    """Whether a code is the device's now, or a spare one, which is used up by that. Wrong ones make it wait."""
    with transaction.atomic():
        for device in (
            *TOTPDevice.objects.select_for_update().filter(user=user, confirmed=True),
            *StaticDevice.objects.select_for_update().filter(user=user, confirmed=True),
        ):
            allowed, _ = device.verify_is_allowed()
            if allowed and device.verify_token(_plain(code)):
                return True
    return False


def _spare_codes(user: User) -> list[str]:
    StaticDevice.objects.filter(user=user).delete()
    device = StaticDevice.objects.create(user=user, name="spare codes", confirmed=True)
    codes = [secrets.token_hex(5) for _ in range(_SPARE)]
    StaticToken.objects.bulk_create([StaticToken(device=device, token=code) for code in codes])
    return codes


def _plain(code: str) -> str:
    return "".join(code.split())
