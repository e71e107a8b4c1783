"""Who works here, and what they may do."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models.functions import Lower


class Role(models.TextChoices):
    """Each role may do what those before it may."""

    VIEWER = "viewer", "Viewer: reads"
    TESTER = "tester", "Tester: records passes"
    LEAD = "lead", "Lead: plans and publishes"


class Person(models.Model):
    """A user's role."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="person")
    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
    #: The house asks for a second factor, and this person has none yet: nothing but making one is open to them.
    owes_second_factor = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(role__in=Role.values), name="person_role_known"),
        ]

    def __str__(self) -> str:
        return f"{self.user} ({self.role})"


class House(models.Model):
    """Whose Rennbahn this is: one row, made by the first lead."""

    name = models.CharField(max_length=120)
    time_zone = models.CharField(max_length=64, default="UTC")
    currency = models.CharField(max_length=3, blank=True)
    price_per_kwh = models.DecimalField(max_digits=8, decimal_places=4, null=True, blank=True)
    #: Whether everybody needs a second factor to sign in.
    second_factor = models.BooleanField(default=False)
    begun_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=models.Q(pk=1), name="one_house"),
            models.CheckConstraint(condition=~models.Q(name=""), name="house_has_a_name"),
        ]

    def __str__(self) -> str:
        return self.name


class Invitation(models.Model):
    """A link that lets somebody in once: to a new account of a role, or, with a `user`, to a new password of theirs.

    Only a digest of its token is kept. One that nobody made is the terminal's, for the first lead.
    """

    digest = models.CharField(max_length=64, unique=True)
    role = models.CharField(max_length=10, choices=Role.choices)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True, related_name="resets"
    )
    made_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True, related_name="invitations"
    )
    made_at = models.DateTimeField()
    ends_at = models.DateTimeField()

    class Meta:
        ordering = ["-made_at", "-id"]
        constraints = [models.CheckConstraint(condition=models.Q(role__in=Role.values), name="invited_to_a_role")]

    def __str__(self) -> str:
        return f"{self.role} until {self.ends_at:%Y-%m-%d}"


class OutsideAccount(models.Model):
    """Somebody's account at the house's provider, by which they sign in (see :mod:`people.outside`)."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="outside_account")
    issuer = models.CharField(max_length=300)
    subject = models.CharField(max_length=255)
    tied_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["issuer", "subject"], name="outside_account_is_one_person")]

    def __str__(self) -> str:
        return f"{self.user} by {self.issuer}"


class SignInOutcome(models.TextChoices):
    """What became of a try to sign in."""

    IN = "in", "signed in"
    WRONG = "wrong", "wrong password"
    SHUT = "shut", "shut after wrong passwords"
    NO_CODE = "no_code", "right password, without the code"
    WRONG_CODE = "wrong_code", "right password, wrong code"


class SignIn(models.Model):
    """A try to sign in: who, from where, with what, and what became of it. One that lasts names its session."""

    name = models.CharField(max_length=150)
    user = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True, related_name="sign_ins"
    )
    address = models.CharField(max_length=64)
    agent = models.CharField(max_length=200, blank=True)
    at = models.DateTimeField()
    outcome = models.CharField(max_length=10, choices=SignInOutcome.choices)
    session_key = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [models.Index(fields=["-at"], name="sign_ins_by_time")]
        constraints = [
            models.CheckConstraint(condition=models.Q(outcome__in=SignInOutcome.values), name="sign_in_outcome_known")
        ]

    def __str__(self) -> str:
        return f"{self.name}: {self.get_outcome_display()}"


class Failure(models.Model):
    """Wrong passwords for a name from an address, in a row: the name is shut for that address (people.throttle)."""

    name = models.CharField(max_length=150)
    address = models.CharField(max_length=64)
    failures = models.PositiveIntegerField(default=1)
    last_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["name", "address"], name="failures_of_a_name_from_an_address")]
        indexes = [models.Index(fields=["last_at"], name="failures_to_forget")]

    def __str__(self) -> str:
        return f"{self.name} from {self.address}"


class Machine(models.Model):
    """A machine that games are run on: sessions, tokens and files are its own, whoever sits at it.

    A `simulated` one is a simulated session's, and nobody else's.
    """

    name = models.CharField(max_length=80)
    simulated = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]
        constraints = [
            models.UniqueConstraint(Lower("name"), name="machine_once"),
            models.CheckConstraint(condition=~models.Q(name=""), name="machine_has_a_name"),
        ]

    def __str__(self) -> str:
        return self.name


class BenchToken(models.Model):
    """Lets a test machine hand in files for a person, and nothing else. Only a digest of it is kept.

    `columns_name` names the saved column map by which its files are read, where the person says so.
    """

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="bench_tokens")
    machine = models.ForeignKey(Machine, on_delete=models.PROTECT, related_name="tokens")
    digest = models.CharField(max_length=64, unique=True)
    columns_name = models.CharField(max_length=120, blank=True)
    made_at = models.DateTimeField(auto_now_add=True)
    last_used_at = models.DateTimeField(null=True, blank=True)
    revoked_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at", "-id"]

    def __str__(self) -> str:
        return f"{self.machine} of {self.user}"


class BenchEdit(models.Model):
    """Somebody made or changed something on the bench: `what` is its kind, `what_id` which one."""

    what = models.CharField(max_length=12)
    what_id = models.BigIntegerField()
    who = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="bench_edits")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["what", "what_id", "-at"], name="last_edit_of")]

    def __str__(self) -> str:
        return f"{self.who}: {self.what} {self.what_id}"
