"""People as the API speaks of them."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Literal

from answering import Out
from pydantic import Field, Strict, StringConstraints
from strict import ONE_LINE, In

RoleName = Literal["viewer", "tester", "lead"]
#: A name to sign in with: what Django takes, without blanks.
AccountName = Annotated[str, StringConstraints(strip_whitespace=True, max_length=60, pattern=r"^[\w.@+-]*$"), ONE_LINE]
Password = Annotated[str, Field(max_length=1000)]
Token = Annotated[str, Field(max_length=100)]
Code = Annotated[str, Field(max_length=20)]


class HouseIn(In):
    """Whose Rennbahn this is. Money is in `currency`; `second_factor` where everybody needs one to sign in."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), ONE_LINE]
    time_zone: Annotated[str, StringConstraints(max_length=64), ONE_LINE] = "UTC"
    currency: Annotated[str, StringConstraints(strip_whitespace=True, to_upper=True, pattern=r"^([A-Za-z]{3})?$")] = ""
    price_per_kwh: Annotated[Decimal, Strict(False), Field(ge=0, max_digits=8, decimal_places=4)] | None = None
    second_factor: bool = False


class DemoOut(Out):
    """The demo beside one's own: whether it can be opened from here, and where it is once it runs."""

    offered: bool
    address: str


class HouseOut(Out):
    """Whose Rennbahn this is; an empty name before its first lead came. `back` is where one's own is, of a demo."""

    name: str
    time_zone: str
    currency: str
    price_per_kwh: float | None
    second_factor: bool
    #: Whether nobody works here yet.
    nobody: bool
    demo: DemoOut
    back: str
    #: What the button says by which one signs in at the house's own provider; empty where there is none.
    outside: str
    #: Whether backups are made here by themselves, and when the last was; told to leads.
    backups: bool
    backed_up_at: datetime | None
    #: What the page to sign in says beside its form.
    greeting: list[str]


class PersonOut(Out):
    """Somebody who works here; `shut_s` is how long wrong passwords still keep the name shut, from anywhere."""

    name: str
    role: str
    shut_s: int
    closed: bool
    second_factor: bool
    last_in: datetime | None


class InvitationOut(Out):
    """A link that was made and not used yet; `name` of an account where it is for a new password."""

    id: int
    role: str
    name: str
    made_by: str
    ends_at: datetime


class PeopleOut(Out):
    """Who works here, and which links are open."""

    people: list[PersonOut]
    invitations: list[InvitationOut]


class LetInOut(Out):
    """A link by its token, which is told this once."""

    token: str
    people: PeopleOut


class InvitedOut(Out):
    """What a link is for: a new account of a role, or a new password of a `name`. `first` asks whose house it is."""

    role: str
    name: str
    first: bool
    ends_at: datetime


class TokenIn(In):
    """The token of a link."""

    token: Token


class JoinIn(In):
    """What makes an account of a link, or its new password."""

    token: Token
    name: AccountName = ""
    password: Password
    house: HouseIn | None = None


class RoleIn(In):
    """Somebody's role."""

    role: RoleName


class OpenIn(In):
    """Whether an account is open."""

    open: bool


class UnlockIn(In):
    """Whose name is to be opened again."""

    name: str = Field(max_length=150)


class PasswordIn(In):
    """One's password as it is, and as it is to be."""

    password: Password
    new_password: Password


class OwnSessionOut(Out):
    """Somewhere one is signed in; `here` is this very session."""

    id: int
    address: str
    agent: str
    at: datetime
    here: bool


class MeOut(Out):
    """One's own account."""

    name: str
    role: str
    second_factor: bool
    owes_second_factor: bool
    #: Whether it is tied to an account at the house's provider.
    outside: bool
    sessions: list[OwnSessionOut]


class OfferedOut(Out):
    """A second factor to be taken into use: the secret to type, its address for a device, that address as a picture."""

    secret: str
    address: str
    picture: str


class CodeIn(In):
    """A code of the second factor."""

    code: Code


class GiveUpIn(In):
    """One's password, to give up the second factor."""

    password: Password


class SpareOut(Out):
    """Spare codes, each good for one sign-in, told this once."""

    codes: list[str]


class SignInOut(Out):
    """A try to sign in."""

    name: str
    known: bool
    address: str
    agent: str
    at: datetime
    outcome: str
