"""Signing in and out, one's own account, who works here, and whose house it is."""

from __future__ import annotations

from answering import Out
from django.contrib.auth import logout
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Status
from ninja.utils import check_csrf
from problems import NotAllowed
from pydantic import Field
from strict import In

from people import accounts, beside, factors, outside, services, signing
from people.access import owes_second_factor, role_of, signed_in_even_owing, user_of
from people.house import change_house, house
from people.models import Role
from people.schemas import (
    CodeIn,
    GiveUpIn,
    HouseIn,
    HouseOut,
    InvitedOut,
    JoinIn,
    LetInOut,
    MeOut,
    OfferedOut,
    OpenIn,
    OwnSessionOut,
    PasswordIn,
    PeopleOut,
    RoleIn,
    SignInOut,
    SpareOut,
    TokenIn,
    UnlockIn,
)

router = Router(tags=["people"])
people_router = Router(tags=["people"])
me_router = Router(tags=["people"], auth=signed_in_even_owing)
house_router = Router(tags=["people"])


class SignIn(In):
    """Name and password, and the code of a second factor where there is one."""

    name: str = Field(max_length=150)
    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=20)


class Session(Out):
    """Who is signed in; `name` and `role` are empty for nobody."""

    name: str
    role: str
    csrf_token: str
    owes_second_factor: bool


@router.get("", auth=None, response=Session)
def who(request: HttpRequest) -> Session:
    """Who is signed in, and the token that writing calls need."""
    role = role_of(request.user)
    return Session(
        name=request.user.get_username(), role=role.value if role else "", csrf_token=get_token(request),
        owes_second_factor=owes_second_factor(request),
    )  # fmt: skip


@router.post("", auth=None, response=Session)
def sign_in(request: HttpRequest, payload: SignIn) -> Session:
    """Sign in. After some wrong passwords a name is shut for the address they came from, a little longer each time."""
    _own_page(request)
    signing.sign_in(request, payload.name, payload.password, payload.code)
    return who(request)


@router.delete("", auth=None, response=Session)
def sign_out(request: HttpRequest) -> Session:
    """Sign out."""
    _own_page(request)
    logout(request)
    return who(request)


@router.post("/link", auth=None, response=InvitedOut)
def look_at_link(request: HttpRequest, payload: TokenIn) -> InvitedOut:
    """What a link is for, as long as it can be used."""
    _own_page(request)
    return accounts.look_at_link(payload.token)


@router.post("/link/take", auth=None, response={201: Session})
def take_link(request: HttpRequest, payload: JoinIn) -> Status[Session]:
    """Make the account of a link, or its new password, and sign in. A link works once."""
    _own_page(request)
    user = accounts.take_link(payload.token, payload)
    if not factors.has_factor(user):
        signing.let_in(request, user)
    return Status(201, who(request))


def _own_page(request: HttpRequest) -> None:
    """Refuse what another site's page sends: it has no token of ours."""
    if check_csrf(request) is not None:
        raise NotAllowed("refused", "The request has no valid CSRF token.", hint="Load the page again.")


@people_router.get("", response=PeopleOut)
def people(request: HttpRequest) -> PeopleOut:
    """Who works here, whose name is shut just now, and which links are open."""
    return services.everybody(user_of(request))


@people_router.post("/unlock", response=PeopleOut)
def unlock(request: HttpRequest, payload: UnlockIn) -> PeopleOut:
    """Open a name again that was shut by wrong passwords."""
    return services.unlock(user_of(request), payload.name)


@people_router.get("/sign-ins", response=list[SignInOut])
def sign_ins(request: HttpRequest) -> list[SignInOut]:
    """The last tries to sign in, the newest first."""
    return services.sign_ins(user_of(request))


@people_router.post("/invitations", response={201: LetInOut})
def invite(request: HttpRequest, payload: RoleIn) -> Status[LetInOut]:
    """Invite somebody: a link for one account, which ends after a week."""
    token = accounts.invite(user_of(request), Role(payload.role))
    return Status(201, LetInOut(token=token, people=services.everybody(user_of(request))))


@people_router.delete("/invitations/{invitation_id}", response=PeopleOut)
def withdraw(request: HttpRequest, invitation_id: int) -> PeopleOut:
    """Take a link back that nobody used yet."""
    accounts.withdraw(user_of(request), invitation_id)
    return services.everybody(user_of(request))


@people_router.post("/{name}/reset", response={201: LetInOut})
def reset(request: HttpRequest, name: str) -> Status[LetInOut]:
    """A link by which somebody makes a new password, within a day."""
    token = accounts.reset(user_of(request), name)
    return Status(201, LetInOut(token=token, people=services.everybody(user_of(request))))


@people_router.put("/{name}/role", response=PeopleOut)
def set_role(request: HttpRequest, name: str, payload: RoleIn) -> PeopleOut:
    """Give somebody another role."""
    accounts.set_role(user_of(request), name, Role(payload.role))
    return services.everybody(user_of(request))


@people_router.put("/{name}/open", response=PeopleOut)
def set_open(request: HttpRequest, name: str, payload: OpenIn) -> PeopleOut:
    """Close an account, or open it again. What somebody did stays signed."""
    accounts.set_open(user_of(request), name, is_open=payload.open)
    return services.everybody(user_of(request))


@people_router.delete("/{name}/second-factor", response=PeopleOut)
def forget_factor(request: HttpRequest, name: str) -> PeopleOut:
    """Take somebody's second factor away, as where the device is lost."""
    services.forget_factor(user_of(request), name)
    return services.everybody(user_of(request))


@me_router.get("", response=MeOut)
def me(request: HttpRequest) -> MeOut:
    """One's own account, and where one is signed in."""
    user, role = user_of(request), role_of(request.user)
    here = request.session.session_key
    return MeOut(
        name=user.get_username(), role=role.value if role else "",
        second_factor=isinstance(user, User) and factors.has_factor(user),
        owes_second_factor=owes_second_factor(request), outside=outside.tied(user),
        sessions=[
            OwnSessionOut(id=one.pk, address=one.address, agent=one.agent, at=one.at, here=one.session_key == here)
            for one in accounts.sessions_of(user)
        ],
    )  # fmt: skip


@me_router.put("/password", response=Session)
def change_password(request: HttpRequest, payload: PasswordIn) -> Session:
    """Change one's own password; all other sessions end."""
    user = accounts.change_password(user_of(request), payload.password, payload.new_password)
    signing.let_in(request, user)
    return who(request)


@me_router.delete("/outside", response=MeOut)
def untie(request: HttpRequest) -> MeOut:
    """Sign in by the house's provider no more."""
    outside.untie(user_of(request))
    return me(request)


@me_router.delete("/sessions/{sign_in_id}", response=MeOut)
def end_session(request: HttpRequest, sign_in_id: int) -> MeOut:
    """End a session of one's own."""
    accounts.end_session(user_of(request), sign_in_id)
    return me(request)


@me_router.post("/second-factor", response={201: OfferedOut})
def offer_factor(request: HttpRequest) -> Status[OfferedOut]:
    """A second factor, which counts once its first code was told."""
    kept = house()
    offered = factors.offer(user_of(request), kept.name if kept else "Rennbahn")
    return Status(201, OfferedOut(secret=offered.secret, address=offered.address, picture=offered.picture))


@me_router.put("/second-factor", response=SpareOut)
def confirm_factor(request: HttpRequest, payload: CodeIn) -> SpareOut:
    """Take the offered second factor into use by its first code."""
    return SpareOut(codes=factors.confirm(user_of(request), payload.code))


@me_router.post("/second-factor/give-up", response=MeOut)
def give_up_factor(request: HttpRequest, payload: GiveUpIn) -> MeOut:
    """Sign in without a second factor again."""
    factors.give_up(user_of(request), payload.password)
    return me(request)


@house_router.get("", auth=None, response=HouseOut)
def whose_house(request: HttpRequest) -> HouseOut:
    """Whose Rennbahn this is, and the demo beside it."""
    return beside.house_out(request)


@house_router.put("", response=HouseOut)
def keep_house(request: HttpRequest, payload: HouseIn) -> HouseOut:
    """Change whose Rennbahn this is."""
    change_house(user_of(request), payload)
    return beside.house_out(request)


@house_router.post("/demo", response=HouseOut)
def open_demo(request: HttpRequest) -> HouseOut:
    """Start the demo beside one's own, with a database of its own."""
    beside.ask_for_demo(user_of(request))
    return beside.house_out(request)
