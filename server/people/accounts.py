"""Accounts: who is invited, as what, how a password is made anew, who is closed, and which sessions go on."""

from __future__ import annotations

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import AnonymousUser, User
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import Exists, OuterRef
from django.utils import timezone
from problems import Conflict, NotFound, Problem

from people.access import require, role_of
from people.house import house, keep_house
from people.models import BenchToken, House, Invitation, Person, Role, SignIn, SignInOutcome
from people.schemas import InvitedOut, JoinIn

Caller = User | AnonymousUser

#: How long links last: an invitation, a new password, and what the terminal prints for the first lead.
INVITED_FOR = timedelta(days=7)
RESET_WITHIN = timedelta(days=1)
FIRST_WITHIN = timedelta(hours=12)


def _digest(token: str) -> str:
    # A token is 256 bits of chance: nobody finds it by trying, so a plain digest keeps it.
    return hashlib.sha256(token.encode()).hexdigest()


def _made(role: Role, lasts: timedelta, made_by: User | None = None, user: User | None = None) -> str:
    """A new link's token, which is told this once."""
    token, now = secrets.token_urlsafe(32), timezone.now()
    Invitation.objects.filter(ends_at__lt=now).delete()
    Invitation.objects.create(
        digest=_digest(token), role=role, user=user, made_by=made_by, made_at=now, ends_at=now + lasts
    )
    return token


def invite_first() -> str | None:
    """A link for the first lead in place of any before; None where somebody works here already."""
    if Person.objects.exists():
        return None
    Invitation.objects.filter(made_by=None).delete()
    return _made(Role.LEAD, FIRST_WITHIN)


def invite(user: Caller, role: Role) -> str:
    """Invite somebody; the token of their link."""
    return _made(role, INVITED_FOR, require(user, Role.LEAD))


def withdraw(user: Caller, invitation_id: int) -> None:
    """Take an invitation back. Raises :class:`NotFound`."""
    require(user, Role.LEAD)
    if not Invitation.objects.filter(pk=invitation_id).delete()[0]:
        raise NotFound("invitation")


def reset(user: Caller, name: str) -> str:
    """A link by which somebody makes a new password; the one before works until then."""
    lead = require(user, Role.LEAD)
    person = _person(name)
    with transaction.atomic():
        Invitation.objects.filter(user=person.user).delete()
        return _made(Role(person.role), RESET_WITHIN, lead, person.user)


def _open(token: str) -> Invitation:
    """The link of a token. Raises :class:`Conflict` of one that was used, withdrawn, or has ended."""
    found = Invitation.objects.select_related("user", "made_by")
    one = found.select_for_update(of=("self",)).filter(digest=_digest(token), ends_at__gt=timezone.now()).first()
    closed = one is not None and one.made_by is not None and role_of(one.made_by) != Role.LEAD
    if one is None or closed or (one.user is not None and not one.user.is_active):
        raise Conflict(
            "link_over", "This link has been used, was withdrawn, or has ended.", hint="Ask a lead for a new one."
        )
    return one


def look_at_link(token: str) -> InvitedOut:
    """What a link is for."""
    with transaction.atomic():
        one = _open(token)
    return InvitedOut(
        role=one.role, name=one.user.get_username() if one.user else "", first=_begins(one), ends_at=one.ends_at
    )


def _begins(one: Invitation) -> bool:
    """Whether who takes it says whose house it is: the first lead, of whom nobody made a link but the terminal."""
    return one.user is None and one.made_by is None and house() is None


def take_link(token: str, data: JoinIn) -> User:
    """Make the account, or its new password; the link works no more. The first lead says whose house it is."""
    with transaction.atomic():
        one = _open(token)
        first = _begins(one)
        if first and data.house is None:
            raise Problem("house_needed", "Say whose Rennbahn this is.", field="house")
        user = one.user or _new_account(data.name, Role(one.role))
        set_password(user, data.password, "password")
        if first and data.house is not None:
            keep_house(data.house)
        if not first and house_asks() and one.user is None:
            Person.objects.filter(user=user).update(owes_second_factor=True)
        one.delete()
        return User.objects.select_related("person").get(pk=user.pk)


def house_asks() -> bool:
    """Whether everybody needs a second factor."""
    return House.objects.filter(second_factor=True).exists()


def _new_account(name: str, role: Role) -> User:
    if not name:
        raise Problem("name_needed", "Choose a name to sign in with.", field="name")
    if User.objects.filter(username__iexact=name).exists():
        raise Conflict("name_taken", f"“{name}” is taken.", field="name", hint="Choose another.")
    user = User.objects.create_user(name)
    Person.objects.create(user=user, role=role)
    return user


def set_password(user: User, password: str, field: str) -> None:
    """Give somebody a password; every session of theirs ends. Raises :class:`Problem` on one that is too weak."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Problem("weak_password", " ".join(error.messages), field=field) from None
    user.set_password(password)
    user.save(update_fields=["password"])
    end_sessions(user)


def change_password(user: Caller, old: str, new: str) -> User:
    """Change one's own password. Raises :class:`Problem` where the old one is another."""
    who = require(user, Role.VIEWER)
    if not who.check_password(old):
        raise Problem("wrong_password", "That is not your password now.", field="password")
    set_password(who, new, "new_password")
    return who


def set_role(user: Caller, name: str, role: Role) -> None:
    """Give somebody another role. Raises :class:`Conflict` for the only lead."""
    require(user, Role.LEAD)
    with transaction.atomic():
        person = _person(name)
        if role != Role.LEAD:
            _leave_a_lead(person)
        person.role = role
        person.save(update_fields=["role"])


def set_open(user: Caller, name: str, *, is_open: bool) -> None:
    """Close an account, or open it again. What somebody did stays signed; their sessions and tokens end."""
    require(user, Role.LEAD)
    with transaction.atomic():
        person = _person(name)
        if not is_open:
            _leave_a_lead(person)
            end_sessions(person.user)
            BenchToken.objects.filter(user=person.user, revoked_at=None).update(revoked_at=timezone.now())
            Invitation.objects.filter(user=person.user).delete()
        person.user.is_active = is_open
        person.user.save(update_fields=["is_active"])


def _leave_a_lead(person: Person) -> None:
    """Refuse to take the last lead away."""
    leads = Person.objects.select_for_update().filter(role=Role.LEAD, user__is_active=True)
    if person.role == Role.LEAD and not any(one.pk != person.pk for one in leads):
        raise Conflict("last_lead", f"“{person.user}” is the only lead.", hint="Make somebody else a lead first.")


def _person(name: str) -> Person:
    found = Person.objects.select_related("user").filter(user__username=name).first()
    if found is None:
        raise NotFound("person")
    return found


def sessions_of(user: Caller) -> list[SignIn]:
    """Where one is signed in, the newest first."""
    who = require(user, Role.VIEWER)
    lives = Session.objects.filter(session_key=OuterRef("session_key"), expire_date__gt=timezone.now())
    return list(SignIn.objects.filter(Exists(lives), user=who, outcome=SignInOutcome.IN))


def end_session(user: Caller, sign_in_id: int) -> None:
    """End a session of one's own. Raises :class:`NotFound`."""
    found = next((one for one in sessions_of(user) if one.pk == sign_in_id), None)
    if found is None:
        raise NotFound("session")
    Session.objects.filter(session_key=found.session_key).delete()


def end_sessions(user: User) -> None:
    """End every session of somebody."""
    keys = SignIn.objects.filter(user=user, outcome=SignInOutcome.IN).values("session_key")
    Session.objects.filter(session_key__in=keys).delete()
